"""The types of hole: each turns a maker's word into the words of a sheet, and back where that is possible.

A reading raises ValueError with one lower-case sentence that quotes nothing, since the word may be a misplaced
password. A hole gives text of the sheet language; the statement checks it.
"""

import datetime
import re
from collections.abc import Callable, Mapping
from typing import NamedTuple

from overhang.language.terminals import TERMINALS
from overhang.model import durations, parse_address, parse_prefix

#: How exact a hole is: of two translations that fit a line the one whose words are more exact is taken.
LITERAL, CHOICE, EXACT, WORD, MANY, REST = range(6)


class HoleType(NamedTuple):
    """One type. ``read`` gives the sheet's text, ``write`` the maker's, or None where no word of the maker has that
    meaning.

    ``samples`` are texts of the maker, at least one of which every statement should take. ``words`` is how many words
    one value takes up; 0 stands for all the rest of the line. ``verbatim``: the text is put into a statement as it is
    and may be several words of it.
    """

    name: str
    about: str
    read: Callable[[str], str]
    write: Callable[[str], str | None]
    samples: tuple[str, ...]
    rank: int = EXACT
    words: int = 1
    verbatim: bool = False


#: The units of durations: the letter that a sheet has for each, and its seconds.
UNITS = {f"{name}s": (letter, size) for size, letter, name in durations.NAMED_UNITS}
_RANGE = re.compile(r"(\d{1,9})(?:-|\.\.|:|~|/)(\d{1,9})")


def _same(text: str) -> str:
    if not text:
        raise ValueError("the word is empty")
    return text


def _text(text: str) -> str:
    return text


def _number(text: str) -> str:
    if not (text.isascii() and text.isdigit()):
        raise ValueError("expected a number")
    return str(int(text[:18]))


def _range(text: str) -> str:
    found = _RANGE.fullmatch(text)
    if found is None:
        return _number(text)
    return f"{int(found[1])}-{int(found[2])}"


def _range_from_1(text: str) -> str:
    numbers = [int(number) for number in _range(text).split("-")]
    if min(numbers) < 1:
        raise ValueError("expected numbers from 1")
    return "-".join(str(number - 1) for number in numbers)


def _write_from_1(text: str) -> str | None:
    numbers = text.split("-")
    return "-".join(str(int(number) + 1) for number in numbers) if all(map(str.isdigit, numbers)) else None


def _level(text: str) -> str:
    return str(TERMINALS["LEVEL"].decode(text))


def _address(text: str) -> str:
    return str(parse_address(text))


def _prefix(text: str) -> str:
    parse_prefix(text)
    return text


def _mask(text: str) -> str:
    address = parse_address(text)
    width = 32 if address.family == 4 else 128
    length = address.value.bit_count()
    if address.value != ((1 << length) - 1) << (width - length):
        raise ValueError("a mask must be ones and then zeros, as in 255.255.255.0")
    return str(length)


def _wildcard(text: str) -> str:
    address = parse_address(text)
    width = 32 if address.family == 4 else 128
    ones = address.value.bit_count()
    if address.value != (1 << ones) - 1:
        raise ValueError("a wildcard mask must be zeros and then ones, as in 0.0.0.255")
    return str(width - ones)


def _mask_of(text: str, *, wild: bool) -> str | None:
    if not text.isdigit() or int(text) > 32:
        return None
    low = (1 << (32 - int(text))) - 1
    value = low if wild else 0xFFFFFFFF ^ low
    return ".".join(str(value >> shift & 255) for shift in (24, 16, 8, 0))


def _clock(text: str) -> str:
    parts = text.split(":")
    if len(parts) not in (2, 3) or not all(part.isascii() and part.isdigit() and len(part) < 10 for part in parts):
        raise ValueError("expected a time like 10:00 or 00:10:00")
    numbers = [0, *map(int, parts)][-3:]
    seconds = numbers[0] * 3600 + numbers[1] * 60 + numbers[2]
    return f"{seconds}s"


def _unit(name: str) -> HoleType:
    letter, size = UNITS[name]

    def write(text: str) -> str | None:
        seconds = durations.sum_of_units(text)
        return str(seconds // size) if seconds is not None and seconds % size == 0 else None

    return HoleType(name, f"a number of {name}", lambda text: _number(text) + letter, write, ("10",))


def _write_clock(text: str) -> str | None:
    seconds = durations.sum_of_units(text)
    if not seconds:
        return None
    return f"{seconds // 3600:02}:{seconds // 60 % 60:02}:{seconds % 60:02}"


def _duration(text: str) -> str:
    TERMINALS["DURATION"].decode(text)
    return text


def _date(text: str) -> str:
    return str(TERMINALS["DATE"].decode(text))


def _sign(text: str) -> str:
    if len(text) != 1 or text.isalnum():
        raise ValueError("expected one character")
    return text


TYPES: dict[str, HoleType] = {
    each.name: each
    for each in (
        HoleType("word", "any word", _same, _same, ("word", "d29yZA==", "8"), WORD),
        HoleType(
            "any-case", "any word; gives it in small letters", lambda text: _same(text).lower(), _same, ("word",), WORD
        ),
        HoleType("text", "any word, or several in quotes", _text, _text, ("some text", "word"), WORD),
        HoleType("rest", "all that is left of the line", _same, _same, ("some text", "word"), REST, 0),
        HoleType("number", "a whole number", _number, _same, ("8", "2", "1", "1024")),
        HoleType("range", "numbers like `0-3`, `0..3`, `0:3`, `0~3`, `0/3` or `7`", _range, _same, ("0-3",)),
        HoleType(
            "range-from-1",
            "the same, of a maker that counts from 1: `1-4` gives `0-3`",
            _range_from_1,
            _write_from_1,
            ("1-4",),
        ),
        HoleType("level", "a level from 0 to 15", _level, _same, ("1",)),
        HoleType("address", "an IPv4 or IPv6 address", _address, _same, ("192.0.2.9",)),
        HoleType(
            "prefix", "an address, or an address and its length: `192.0.2.0/24`", _prefix, _same, ("192.0.2.0/24",)
        ),
        HoleType(
            "mask",
            "a mask, which becomes a length: `255.255.255.0` is 24",
            _mask,
            lambda text: _mask_of(text, wild=False),
            ("255.255.255.0",),
        ),
        HoleType(
            "wildcard-mask",
            "a wildcard mask: `0.0.0.255` is 24",
            _wildcard,
            lambda text: _mask_of(text, wild=True),
            ("0.0.0.255",),
        ),
        *(_unit(name) for name in UNITS),
        HoleType("clock", "a time like `00:10:00` or `10:00`", _clock, _write_clock, ("00:10:00",)),
        HoleType("duration", "a duration as in a sheet: `2m30s`, `never`", _duration, _same, ("10m",)),
        HoleType("date", "a date like `2031-05-17`", _date, _same, ("2031-05-17",)),
        HoleType("sign", "one character that is neither a letter nor a digit", _sign, _same, ("@",)),
    )
}


def date_type(name: str, form: str) -> HoleType:
    """A type for dates that a maker writes in its own way; ``form`` as ``strptime`` of the standard library has it."""

    def read(text: str) -> str:
        try:
            return datetime.datetime.strptime(text, form).date().isoformat()
        except ValueError:
            raise ValueError(f"expected a date like {datetime.date(2031, 5, 17).strftime(form)}") from None

    def write(text: str) -> str | None:
        try:
            return datetime.date.fromisoformat(text).strftime(form)
        except ValueError:
            return None

    sample = datetime.date(2031, 5, 17).strftime(form)
    return HoleType(name, f"a date like {sample}", read, write, (sample,), EXACT, len(form.split()))


def table_type(name: str, table: Mapping[str, str], *, fold: bool) -> HoleType:
    """A type that turns a maker's words into the sheet's by a table; ``fold``: whatever their case."""
    known = {key.lower() if fold else key: value for key, value in table.items()}
    back: dict[str, str | None] = {}
    for key, value in table.items():
        back[value] = None if value in back else key

    def read(text: str) -> str:
        found = known.get(text.lower() if fold else text)
        if found is None:
            raise ValueError("expected one of " + ", ".join(table))
        return found

    return HoleType(name, "one of " + ", ".join(table), read, back.get, tuple(table), CHOICE, 1, True)


def choice_type(words: list[str], *, fold: bool) -> HoleType:
    """A type for one of a list of words, which mean themselves."""
    return table_type("|".join(words), {word: word for word in words}, fold=fold)
