"""Saying statements of a sheet from a step: ``device.user("lena", at=statement).level("15")``."""

from collections.abc import Sequence
from typing import NamedTuple

from overhang.dialect.emitter import Emitter
from overhang.dialect.instantiate import Instantiated
from overhang.dialect.template import SECRET_AFTER, FilledTemplate, parse_filled
from overhang.dialect.tokenizer import Node as Source
from overhang.language.parser import Misread
from overhang.language.schema import SCHEMA
from overhang.model.stored_secret import Form
from overhang.teach.tree import Statement, StepProblem
from overhang.text import did_you_mean


class Said(NamedTuple):
    """A statement that a step said, and the statement of the text that it comes from."""

    source: Source
    statement: Instantiated
    owner: int


class Device:
    """The device that a step describes. ``said`` is what it said so far; ``misread`` what was no statement, and why."""

    def __init__(self, emitter: Emitter) -> None:
        self._emitter = emitter
        self.said: list[Said] = []
        self.misread: list[tuple[Source, str, frozenset[str]]] = []

    def __getattr__(self, name: str) -> "_BlockMaker":
        kind = _keyword(name)
        known = SCHEMA.keywords("")
        if kind not in known:
            raise StepProblem(_unknown("block", kind, known))
        return _BlockMaker(self, kind)

    def block(self, *words: str, at: Statement) -> "Block":
        """The block whose head has these words, as in ``block("entry", "vty", "0-3", at=statement)``."""
        return Block(self, words, at)

    def say(self, at: Statement, head: Sequence[str], inner: Sequence[str] | None, text: str | None = None) -> bool:
        """Say a statement in a block; where its words are none, the line that it comes from is not understood."""
        source = at.origin.source
        filled = FilledTemplate(list(head), None if inner is None else list(inner), text)
        try:
            first, second = parse_filled(filled)
            secret = second is not None and second.spec.secret
            said = Instantiated(filled, first, second, secret)
            owner = self._emitter.state(source.line, said, ())
        except Misread as wrong:
            kind = " ".join(head[:2]) if head[:1] == ["entry"] else "".join(head[:1])
            self.misread.append((source, str(wrong), frozenset({kind})))
            return False
        self._emitter.remember_words(owner, head[1:])
        self.said.append(Said(source, said, owner))
        return True


class _BlockMaker:
    """What is called to begin a block of one kind."""

    def __init__(self, device: Device, kind: str) -> None:
        self._device, self._kind = device, kind

    def __call__(self, *words: str, at: Statement) -> "Block":
        return Block(self._device, (self._kind, *words), at)


class Block:
    """A block of the device; each method says a statement in it, and gives the block again.

    A method is called as the statement begins, with ``_`` for ``-`` and a ``_`` behind Python's own words
    (``from_``); its arguments are the statement's further words. ``at`` is the statement of the text that it comes
    from, where that is another one than the block's.
    """

    def __init__(self, device: Device, head: Sequence[str], at: Statement) -> None:
        self._device, self._head, self._at = device, tuple(head), at

    def __getattr__(self, name: str) -> "_Sayer":
        word = _keyword(name)
        known = _words_in(self._head[0])
        if word not in known:
            raise StepProblem(_unknown("statement", f"{self._head[0]}: {word}", known))
        return _Sayer(self, word)

    def exists(self) -> "Block":
        """Say that the block is there, with nothing in it."""
        self._device.say(self._at, self._head, None)
        return self

    def text(self, text: str, *, at: Statement | None = None) -> "Block":
        """Say a text, of a banner."""
        self._device.say(at or self._at, self._head, None, text)
        return self

    def say(self, *words: str, at: Statement | None = None) -> "Block":
        """Say a statement by all its words."""
        self._device.say(at or self._at, self._head, words)
        return self


class _Sayer:
    """What is called to say one statement in a block."""

    def __init__(self, block: Block, word: str) -> None:
        self._block, self._word = block, word

    def __call__(self, *words: str, at: Statement | None = None) -> Block:
        return self._block.say(self._word, *words, at=at)


def shown_words(said: Said) -> tuple[set[str], set[str]]:
    """The words of a statement that may be shown, and those that are its secret."""
    inner = said.statement.filled.inner or []
    behind = {word for at, each in enumerate(inner) if each in SECRET_AFTER for word in inner[at + 1 : at + 3]}
    secret = behind - {form.value for form in Form}
    return {*said.statement.filled.head, *inner} - secret, secret


def _keyword(name: str) -> str:
    if name.startswith("_"):
        raise AttributeError(name)
    return name.rstrip("_").replace("_", "-")


def _words_in(head: str) -> list[str]:
    """The words that statements begin with in a block of which the head begins with a word."""
    return sorted({word for row in SCHEMA.starting("", head) for word in SCHEMA.keywords(row.spec.opens)})


def _unknown(what: str, word: str, known: Sequence[str]) -> str:
    near = did_you_mean(word.rpartition(" ")[2], known)
    return f"there is no {what} {word}" + (f"; did you mean {near}?" if near else "")
