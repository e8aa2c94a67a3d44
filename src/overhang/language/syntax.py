"""The small notation in which the table of statements says what a statement may look like, and its matcher.

Lower-case words stand for themselves, upper-case ones are kinds of word (kinds.py), ``[x]`` may be left out, ``a |
b`` is a choice, ``(a | b)`` a choice in place, ``X...`` one or more, FORM one of the password forms. A match yields
the values of the kinds in order, and among them each literal word that stood in a choice or behind ``[``, to tell the
cases apart.
"""

import re
from collections.abc import Iterator
from typing import Any, NamedTuple

from overhang.language.lexer import Word
from overhang.language.terminals import KINDS
from overhang.model.masking import unmask
from overhang.model.stored_secret import FORMS_WITH_TEXT, Form, StoredSecret

Values = tuple[Any, ...]
Match = tuple[int, Values]


class Furthest:
    """How far a match came before it failed, and what would have been right there."""

    def __init__(self) -> None:
        self.at = -1
        self.expected: list[str] = []
        self.reason = ""

    def miss(self, at: int, expected: str, reason: str = "") -> None:
        """Note that ``expected`` was not found at word ``at``; only the furthest place is kept."""
        if at > self.at:
            self.at, self.expected, self.reason = at, [], ""
        if at == self.at:
            if expected not in self.expected:
                self.expected.append(expected)
            self.reason = self.reason or reason


class Literal(NamedTuple):
    """A word that stands for itself; ``shown`` ones appear among the values."""

    word: str
    shown: bool

    def match(self, words: list[Word], at: int, miss: Furthest) -> Iterator[Match]:
        """Yield the one match, or nothing."""
        if at < len(words) and words[at].text == self.word and not words[at].quoted:
            yield at + 1, (self.word,) if self.shown else ()
        else:
            miss.miss(at, self.word)


class Kind(NamedTuple):
    """A word of a kind."""

    kind: str

    def match(self, words: list[Word], at: int, miss: Furthest) -> Iterator[Match]:
        """Yield the one match, or nothing."""
        if at >= len(words):
            miss.miss(at, self.kind)
            return
        try:
            value = KINDS[self.kind][0](words[at].text)
        except ValueError as wrong:
            for word in getattr(KINDS[self.kind][0], "words", ()):
                miss.miss(at, word)
            miss.miss(at, self.kind, str(wrong))
            return
        yield at + 1, (value,)


class PasswordForm(NamedTuple):
    """``FORM``: one of the forms of a stored password."""

    def match(self, words: list[Word], at: int, miss: Furthest) -> Iterator[Match]:
        """Yield the one match, or nothing."""
        word = words[at].text if at < len(words) and not words[at].quoted else None
        form = next((form for form in Form if form.value == word), None)
        if form is None:
            for each in Form:
                miss.miss(at, each.value)
        elif form not in FORMS_WITH_TEXT:
            yield at + 1, (StoredSecret(form),)
        elif at + 1 >= len(words):
            miss.miss(at + 1, "TEXT")
        else:
            text = words[at + 1].text
            try:
                if form is Form.MASKED:
                    unmask(text)
                elif form is not Form.READABLE and not text:
                    raise ValueError("the text is empty")
            except ValueError as wrong:
                miss.miss(at + 1, "TEXT", str(wrong))
                return
            yield at + 2, (StoredSecret(form, text),)


class Sequence(NamedTuple):
    """Parts one after another."""

    parts: tuple[Any, ...]

    def match(self, words: list[Word], at: int, miss: Furthest) -> Iterator[Match]:
        """Yield each way to match all parts."""
        yield from self._from(0, words, at, miss)

    def _from(self, index: int, words: list[Word], at: int, miss: Furthest) -> Iterator[Match]:
        if index == len(self.parts):
            yield at, ()
            return
        for middle, first in self.parts[index].match(words, at, miss):
            for end, rest in self._from(index + 1, words, middle, miss):
                yield end, first + rest


class Choice(NamedTuple):
    """One of several; with ``empty`` also none of them."""

    options: tuple[Any, ...]
    empty: bool = False

    def match(self, words: list[Word], at: int, miss: Furthest) -> Iterator[Match]:
        """Yield each way to match one option, the empty one last."""
        for option in self.options:
            yield from option.match(words, at, miss)
        if self.empty:
            yield at, ()


class Many(NamedTuple):
    """One or more of the same, the longest run first; its value is the tuple of the values, none twice."""

    part: Any

    def match(self, words: list[Word], at: int, miss: Furthest) -> Iterator[Match]:
        """Yield the longest run of matches."""
        values: list[Any] = []
        while at < len(words):
            found = next(iter(self.part.match(words, at, miss)), None)
            if found is None:
                return
            if found[1][0] in values:
                miss.miss(at, "", "this is said twice")
                return
            at = found[0]
            values += found[1]
        if values:
            yield at, (tuple(values),)
        else:
            next(iter(self.part.match(words, at, miss)), None)


_TOKEN = re.compile(r"[A-Za-z0-9.-]+(?:\.\.\.)?|[\[\]()|]")


def compile_syntax(syntax: str) -> Choice:
    """The matcher for ``syntax``."""
    tokens = [token[:-3] + "…" if token.endswith("...") else token for token in _TOKEN.findall(syntax)]
    node, rest = _parse_choice(tokens, 0, top=True)
    if rest != len(tokens):
        raise ValueError(f"unbalanced syntax: {syntax}")
    return node


def _parse_choice(tokens: list[str], at: int, *, top: bool) -> tuple[Choice, int]:
    options: list[Sequence] = []
    starts = [at]
    while True:
        parts, at = _parse_sequence(tokens, at)
        options.append(Sequence(tuple(parts)))
        if at >= len(tokens) or tokens[at] != "|":
            break
        at += 1
        starts.append(at)
    if not top or len(options) > 1:
        options = [_show_first(option) for option in options]
    return Choice(tuple(options)), at


def _show_first(option: Sequence) -> Sequence:
    if all(isinstance(part, Literal) for part in option.parts):
        return Sequence(tuple(part._replace(shown=True) for part in option.parts))
    if isinstance(option.parts[0], Literal):
        return Sequence((option.parts[0]._replace(shown=True), *option.parts[1:]))
    return option


def _parse_sequence(tokens: list[str], at: int) -> tuple[list[Any], int]:
    parts: list[Any] = []
    while at < len(tokens) and tokens[at] not in ("|", "]", ")"):
        token = tokens[at]
        if token in ("[", "("):
            inner, at = _parse_choice(tokens, at + 1, top=False)
            parts.append(inner._replace(empty=True) if token == "[" else inner)
        elif token == "FORM":
            parts.append(PasswordForm())
        elif token.rstrip("…") in KINDS:
            kind = Kind(token.rstrip("…"))
            parts.append(Many(kind) if token.endswith("…") else kind)
        else:
            parts.append(Literal(token, shown=False))
        at += 1
    return parts, at


def first_words(node: Any) -> set[str]:
    """The literal words with which a match of ``node`` can begin."""
    if isinstance(node, Literal):
        return {node.word}
    if isinstance(node, Choice):
        return set().union(*(first_words(option) for option in node.options))
    if isinstance(node, Sequence) and node.parts:
        return first_words(node.parts[0])
    return set()
