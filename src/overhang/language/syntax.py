"""The notation in which the schema says what a statement looks like; matching words against it, and writing them.

Lower-case words stand for themselves and upper-case ones are terminals (terminals.py). ``[x]`` may be left out, ``a |
b`` is a choice, ``(a | b)`` a choice in place, ``X...`` one or more, ``FORM`` a stored password. A label behind a part,
``PORT:port`` or ``(a | b):kind``, names what it captures; a part that captures without a label has the name "".

A notation is spread out into alternatives without choices. So matching needs no search, and the same alternatives are
used to write a statement: the first that holds all captures, and nothing else, gives the words.
"""

import re
from collections.abc import Iterable, Mapping, Sequence
from typing import Any, NamedTuple

from overhang.language.lexer import Word
from overhang.language.terminals import TERMINALS, Terminal
from overhang.model.masking import unmask
from overhang.model.stored_secret import FORMS_WITH_TEXT, Form, StoredSecret

Captures = dict[str, Any]
_FORMS = {form.value: form for form in Form}
#: Words that stand for true and false where a choice is between just the two of them.
_TRUTHS = (("yes", "no"), ("on", "off"), ("allow", "deny"), ("write", "read"))


class Furthest:
    """How far matching came before it failed, and what was expected there."""

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


class Part(NamedTuple):
    """One part of an alternative: a keyword, a terminal (perhaps repeated), or a stored password.

    ``label`` names what is captured; None captures nothing. ``value`` is what a keyword captures.
    """

    keyword: str = ""
    terminal: Terminal | None = None
    repeated: bool = False
    secret: bool = False
    label: str | None = None
    value: Any = None

    @property
    def shown(self) -> str:
        """What messages call it."""
        return self.keyword or ("FORM" if self.terminal is None else self.terminal.name)

    def match(self, words: Sequence[Word], at: int, captures: Captures, miss: Furthest | None) -> int:
        """Match the part at word ``at`` and note what it captures; the place behind it, -1 where it does not match."""
        if self.terminal is None:
            return self._secret(words, at, captures, miss) if self.secret else self._keyword(words, at, captures, miss)
        if self.repeated:
            return self._many(words, at, captures, miss)
        value = self._one(words, at, miss)
        if value is _NONE:
            return -1
        captures[self.label or ""] = value
        return at + 1

    def _keyword(self, words: Sequence[Word], at: int, captures: Captures, miss: Furthest | None) -> int:
        if at < len(words) and words[at].text == self.keyword and not words[at].quoted:
            if self.label is not None:
                captures[self.label] = self.value
            return at + 1
        if miss is not None:
            miss.miss(at, self.keyword)
        return -1

    def _one(self, words: Sequence[Word], at: int, miss: Furthest | None) -> Any:
        terminal = self.terminal
        if terminal is not None and at < len(words):
            try:
                return terminal.decode(words[at].text)
            except ValueError as wrong:
                if miss is not None:
                    for word in terminal.words:
                        miss.miss(at, word)
                    miss.miss(at, terminal.name, str(wrong))
        elif miss is not None:
            miss.miss(at, self.shown)
        return _NONE

    def _many(self, words: Sequence[Word], at: int, captures: Captures, miss: Furthest | None) -> int:
        values: list[Any] = []
        while at < len(words):
            value = self._one(words, at, miss)
            if value is _NONE:
                return -1
            if value in values:
                if miss is not None:
                    miss.miss(at, "", "a value of this list is given twice")
                return -1
            values.append(value)
            at += 1
        if not values:
            self._one(words, at, miss)
            return -1
        captures[self.label or ""] = tuple(values)
        return at

    def _secret(self, words: Sequence[Word], at: int, captures: Captures, miss: Furthest | None) -> int:
        form = _FORMS.get(words[at].text) if at < len(words) and not words[at].quoted else None
        if form is None:
            for word in _FORMS if miss is not None else ():
                miss.miss(at, word)  # type: ignore[union-attr]
            return -1
        if form not in FORMS_WITH_TEXT:
            captures[self.label or ""] = StoredSecret(form)
            return at + 1
        if at + 1 >= len(words):
            if miss is not None:
                miss.miss(at + 1, "TEXT")
            return -1
        try:
            captures[self.label or ""] = checked_secret(form, words[at + 1].text)
        except ValueError as wrong:
            if miss is not None:
                miss.miss(at + 1, "TEXT", str(wrong))
            return -1
        return at + 2

    def write(self, captures: Captures, words: list[str]) -> bool:
        """Write the part's words and take its capture away; false where the captures do not fit."""
        if self.label is None and self.keyword:
            words.append(self.keyword)
            return True
        label = self.label or ""
        if label not in captures:
            return False
        value = captures[label]
        if self.keyword:
            fits = value == self.value and isinstance(value, type(self.value))
            words.append(self.keyword)
        elif self.terminal is None:
            fits = isinstance(value, StoredSecret)
            words += [value.form.value, *([value.text] if value.form in FORMS_WITH_TEXT else [])] if fits else []
        elif self.repeated:
            fits = isinstance(value, tuple) and bool(value)
            words += map(self.terminal.encode, value) if fits else []
        else:
            fits = isinstance(value, self.terminal.holds) and not isinstance(value, bool)
            words += [self.terminal.encode(value)] if fits else []
        if fits:
            del captures[label]
        return fits


_NONE = object()
Alternative = tuple[Part, ...]


def checked_secret(form: Form, text: str) -> StoredSecret:
    """A stored password of a form that has a text. Raises ValueError where the text cannot be one."""
    if form is Form.MASKED:
        unmask(text)
    elif form is not Form.READABLE and not text:
        raise ValueError("the text is empty")
    return StoredSecret(form, text)


def match(alternatives: Iterable[Alternative], words: Sequence[Word], miss: Furthest | None = None) -> Captures | None:
    """What the words capture under the first alternative that they match whole; ``miss`` learns why none does."""
    for parts in alternatives:
        captures: Captures = {}
        at = 0
        for part in parts:
            at = part.match(words, at, captures, miss)
            if at < 0:
                break
        else:
            if at == len(words):
                return captures
            if miss is not None:
                miss.miss(at, "")
    return None


def secret_words(alternatives: Iterable[Alternative], words: Sequence[Word]) -> tuple[Word, ...]:
    """Those of the words of a statement that are the texts of stored passwords."""
    for parts in alternatives:
        captures: Captures = {}
        at, found = 0, list[Word]()
        for part in parts:
            begun, at = at, part.match(words, at, captures, None)
            if at < 0:
                break
            found += words[begun + 1 : at] if part.secret else ()
        else:
            if at == len(words):
                return tuple(found)
    return ()


def write(alternatives: Iterable[Alternative], captures: Mapping[str, Any]) -> list[str]:
    """The words, without quotes, that ``match`` reads as these captures. Raises ValueError where there are none."""
    for parts in alternatives:
        left, words = dict(captures), list[str]()
        if all(part.write(left, words) for part in parts) and not left:
            return words
    raise ValueError("no alternative of the statement holds these values")


# -- compiling ---------------------------------------------------------------------------------------------------------

_TOKEN = re.compile(r"[A-Za-z0-9.-]+(?:\.\.\.)?(?::[a-z-]+)?|\)(?::[a-z-]+)?|[\[\](|]")
_LABEL = re.compile(r":[a-z-]+")
_NESTED = re.compile(r"\(\(([^()]*)\) \|")


def without_labels(syntax: str) -> str:
    """The notation as people read it."""
    return _NESTED.sub(r"(\1 |", _LABEL.sub("", syntax))


def compile_syntax(syntax: str) -> tuple[Alternative, ...]:
    """The alternatives of a notation."""
    found, rest = _choice(_TOKEN.findall(syntax), 0, top=True)
    if rest != len(_TOKEN.findall(syntax)):
        raise ValueError(f"unbalanced syntax: {syntax}")
    return tuple(found)


def _choice(tokens: list[str], at: int, *, top: bool) -> tuple[list[Alternative], int]:
    options: list[list[Alternative]] = []
    while True:
        option, at = _sequence(tokens, at)
        options.append(option)
        if at >= len(tokens) or tokens[at] != "|":
            break
        at += 1
    if top and len(options) == 1:
        return options[0], at
    label = tokens[at].partition(":")[2] if at < len(tokens) and tokens[at].startswith(")") else ""
    leading = [_leading(option) for option in options]
    truths = next((pair for pair in _TRUTHS if set(pair) == set(leading)), None)
    found: list[Alternative] = []
    for option, words in zip(options, leading, strict=True):
        value = words == truths[0] if truths is not None else words
        found += [_captured(parts, words.split(), label, value) for parts in option]
    return found, at


def _leading(option: list[Alternative]) -> str:
    """The keywords that tell an option from the others: all of it where it is keywords alone, else the first."""
    parts = min(option, key=len)
    words = [part.keyword for part in parts]
    return " ".join(words) if all(words) and len(option) == 1 else words[0] if words else ""


def _captured(parts: Alternative, words: list[str], label: str, value: Any) -> Alternative:
    """An option whose leading keywords are captured under a label, unless they have one of their own."""
    if not words or not parts or parts[0].keyword != words[0] or parts[0].label is not None:
        return parts if not label or not parts or parts[0].keyword else (parts[0]._replace(label=label), *parts[1:])
    if all(part.keyword for part in parts[: len(words)]) and len(words) == len(parts):
        last = parts[-1]._replace(label=label, value=value)
        return (*parts[:-1], last)
    return (parts[0]._replace(label=label, value=value), *parts[1:])


def _sequence(tokens: list[str], at: int) -> tuple[list[Alternative], int]:
    found: list[Alternative] = [()]
    while at < len(tokens) and tokens[at] not in ("|", "]") and not tokens[at].startswith(")"):
        token = tokens[at]
        if token == "(":
            inner, at = _choice(tokens, at + 1, top=False)
        elif token == "[":
            inner, at = _optional(tokens, at + 1)
        else:
            inner = [(_part(token),)]
        found = [head + tail for head in found for tail in inner]
        at += 1
    return found, at


def _optional(tokens: list[str], at: int) -> tuple[list[Alternative], int]:
    options: list[Alternative] = []
    while True:
        option, at = _sequence(tokens, at)
        options += option
        if at >= len(tokens) or tokens[at] != "|":
            return [*options, ()], at
        at += 1


def _part(token: str) -> Part:
    name, colon, label = token.partition(":")
    bare = name.removesuffix("...")
    if bare == "FORM":
        return Part(secret=True, label=label)
    if bare in TERMINALS:
        return Part(terminal=TERMINALS[bare], repeated=bare != name, label=label)
    return Part(keyword=name, label=label if colon else None, value=name)
