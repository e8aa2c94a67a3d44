"""The keys of a profile, how their values are written, and profiles made from others."""

import enum
from collections.abc import Callable, Iterator, Mapping
from typing import Any, NamedTuple

from overhang.model.durations import format_duration, parse_duration
from overhang.model.vocabulary import WAYS
from overhang.text import OverhangError, did_you_mean


class Unknown(enum.Enum):
    """The value of a key that nobody knows."""

    UNKNOWN = "unknown"


UNKNOWN = Unknown.UNKNOWN


class Factory(NamedTuple):
    """The account that exists while none is configured. ``known``: any password opens it."""

    level: int
    known: bool
    ways: tuple[str, ...]


class LockRule(NamedTuple):
    """An account locks for ``seconds`` after ``failures``."""

    seconds: int | None
    failures: int


class Profile(NamedTuple):
    """What holds where nothing is configured, by key. A value may be UNKNOWN; None is "not set"."""

    name: str
    about: str
    values: Mapping[str, Any]


class Key(NamedTuple):
    """One key: how its text is read, and the values to try where it is unknown. ``timed``: its value is a duration."""

    read: Callable[[str], Any]
    options: tuple[Any, ...]
    about: str
    timed: bool = False

    def show(self, value: Any) -> str:
        """A value of this key as a profile writes it."""
        if self.timed and not isinstance(value, Unknown):
            return format_duration(value)
        return show_value(value)


def choice(*words: str) -> Callable[[str], Any]:
    """A reader for one of ``words``; yes and no, where they are the words, become True and False."""

    def read(text: str) -> Any:
        if text not in words:
            raise ValueError(f"expected {', '.join(words[:-1])} or {words[-1]}")
        return text == "yes" if words == ("yes", "no") else text

    return read


def ways(*, of: tuple[str, ...], all_word: bool = False) -> Callable[[str], tuple[str, ...]]:
    """A reader for ``nothing`` or some of the ways; with ``all_word`` also for ``all``."""

    def read(text: str) -> tuple[str, ...]:
        if text == "nothing":
            return ()
        if text == "all" and all_word:
            return of
        words = tuple(text.split())
        if not words or any(word not in of for word in words):
            raise ValueError(f"expected nothing or some of {', '.join(of)}")
        return words

    return read


def number(low: int, high: int, *, dash: bool = False) -> Callable[[str], int | None]:
    """A reader for a number; with ``dash`` also for ``-``, not set."""

    def read(text: str) -> int | None:
        if dash and text == "-":
            return None
        if not (text.isascii() and text.isdigit()) or not low <= int(text[:10]) <= high:
            raise ValueError(f"expected a number from {low} to {high}")
        return int(text)

    return read


def factory(text: str) -> Factory | None:
    """``-``, or a level, ``empty`` or ``known``, and the ways (or all)."""
    if text == "-":
        return None
    words = text.split(maxsplit=2)
    if len(words) != 3 or words[1] not in ("empty", "known"):
        raise ValueError("expected - or a level, empty or known, and the ways")
    level = number(0, 15)(words[0])
    return Factory(level or 0, words[1] == "known", ways(of=WAYS, all_word=True)(words[2]))


def lock(text: str) -> LockRule | None:
    """``-``, or a duration (or forever), after, and a number."""
    if text == "-":
        return None
    words = text.split()
    count = words[2] if len(words) == 3 and words[1] == "after" else ""
    if not count.isdigit() or not int(count):
        raise ValueError("expected - or something like 1m after 3")
    return LockRule(None if words[0] == "forever" else parse_duration(words[0]), int(count))


class BadProfile(OverhangError):
    """A profile that cannot be made; the message says why, ``key`` which of its keys is wrong."""

    def __init__(self, key: str, message: str) -> None:
        super().__init__(key, message)  # all of it, so that it can be sent
        self.key, self._message = key, message

    def __str__(self) -> str:
        return self._message


def mistakes(changes: Mapping[str, str], keys: Mapping[str, Key]) -> Iterator[BadProfile]:
    """Everything that is wrong with the changes of a profile."""
    for key, text in changes.items():
        if key not in keys:
            near = did_you_mean(key, keys)
            yield BadProfile(key, "unknown key" + (f"; did you mean {near}?" if near else ""))
            continue
        try:
            read_value(keys[key], key, text)
        except BadProfile as wrong:
            yield wrong


def derive(name: str, base: Profile, changes: Mapping[str, str], keys: Mapping[str, Key]) -> Profile:
    """A profile like ``base`` but for ``changes`` (key to text). Raises BadProfile."""
    for wrong in mistakes(changes, keys):
        raise wrong
    values = {**base.values, **{key: read_value(keys[key], key, text) for key, text in changes.items()}}
    return Profile(name, f"{base.name} with {len(changes)} changed", values)


def text_of(value: Any) -> str:
    """The text of a key's value, as TOML may have it."""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, list):
        return " ".join(map(str, value))
    return str(value)


def read_value(key: Key, name: str, text: str) -> Any:
    """The value that ``text`` means for a key. Raises BadProfile."""
    if text == "unknown":
        return UNKNOWN
    try:
        return key.read(text)
    except ValueError as wrong:
        raise BadProfile(name, f"{wrong}, or unknown") from None


def show_value(value: Any) -> str:
    """A value as it is written in a profile, near enough to be read."""
    if value is None:
        return "-"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, Unknown):
        return "unknown"
    if isinstance(value, Factory):
        return f"{value.level} {'known' if value.known else 'empty'} {show_value(value.ways)}"
    if isinstance(value, LockRule):
        return f"{'forever' if value.seconds is None else format_duration(value.seconds)} after {value.failures}"
    if isinstance(value, tuple):
        return "all" if value == WAYS else " ".join(map(str, value)) or "nothing"
    return str(value)
