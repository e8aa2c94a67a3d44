"""What stands in the places of an analysed device, and plans that fill it in for another one.

A plan is made of a value in which names, lines and sets of sources are marked, and addresses are the device's own.
"""

import datetime
import enum
import re
from collections.abc import Callable, Iterable, Mapping
from typing import Any

from overhang.exposure.address_classes import AddressClasses
from overhang.exposure.phrases import sources_phrase
from overhang.fleet.structure import FIRST_LINE, MARKED, TOP, Structure, Unlike, addresses_in
from overhang.model import Address, Prefix, StoredSecret
from overhang.simulation.source_lists import Piece

#: The letters that stand behind a name that is to be found again.
_FIRST_LETTER, _LETTERS = 0xA000, 1000
FILE = "\ua4c0file\ua4c0"
#: What stands around the number of a set of sources whose words are to be filled in.
SOURCES = "\ua4c1\ua4c2"


def marked(structure: Structure) -> tuple[str, ...]:
    """The names of a structure, marked."""
    return tuple(
        name + chr(_FIRST_LETTER + place // _LETTERS) + chr(_FIRST_LETTER + place % _LETTERS)
        for place, name in enumerate(structure.names)
    )


class Filling:
    """What is filled in for one device."""

    classes: AddressClasses

    def __init__(self, structure: Structure, file: str) -> None:
        self.names, self.lines, self.prefixes = structure.names, structure.lines, structure.prefixes
        self.secrets = structure.secrets
        self.file = file
        self._phrases: dict[int, tuple[str, ...]] = {}

    def phrases(self, chosen: int) -> tuple[str, ...]:
        """From where a set of sources comes, in words."""
        if chosen not in self._phrases:
            self._phrases[chosen] = tuple(sources_phrase(self.classes, chosen))
        return self._phrases[chosen]


Fill = Callable[[Filling], Any]


class Planner:
    """Makes plans: of a value, what fills in its marks."""

    def __init__(
        self,
        structure: Structure,
        mark: str,
        fixed: Iterable[Prefix],
        lengths: Mapping[tuple[int, int, int], tuple[int, ...]],
    ) -> None:
        names = marked(structure)
        self._file = mark
        self._marks = {name: place for place, name in enumerate(names)}
        words = "|".join(re.escape(each) for each in sorted(names, key=len, reverse=True))
        sources = f"{SOURCES[0]}[0-9a-f]+{SOURCES[1]}"
        self._find = re.compile(f"({re.escape(mark)}|{words + '|' if words else ''}{sources}|7\\d{{9}})")
        self._lines = len(structure.lines)
        self._ends: dict[tuple[int, int], Callable[[Filling], int]] = {}
        self._prefixes: dict[tuple[int, int, int], Fill] = {}
        for place, each in enumerate(structure.prefixes):
            self._add(place, each)
        for each in fixed:
            for value in (each.low, each.high, each.host, each.low - 1, each.high + 1):
                self._ends.setdefault((each.family, value), always(value))
            self._prefixes.setdefault((each.family, each.low, each.length), always(str(each)))
        for family, top in TOP.items():
            self._ends.setdefault((family, 0), always(0))
            self._ends.setdefault((family, top - 1), always(top - 1))
            self._prefixes.setdefault((family, 0, 0), always(f"{Address(family, 0)}/0"))
        for family, low, high in (key for key, found in lengths.items() if len(found) == 1):
            end, length = self._ends.get((family, low)), lengths[family, low, high][0]
            if end is not None:
                self._prefixes.setdefault((family, low, length), _ranged(family, end, length))

    def _add(self, place: int, prefix: Prefix) -> None:
        family = prefix.family
        ends: list[tuple[int, Callable[[Filling], int]]] = [
            (prefix.low, lambda filling: filling.prefixes[place].low),
            (prefix.host, lambda filling: filling.prefixes[place].host),
            (prefix.high + 1, lambda filling: filling.prefixes[place].high + 1),
            (prefix.high, lambda filling: filling.prefixes[place].high),
            (prefix.low - 1, lambda filling: filling.prefixes[place].low - 1),
        ]
        for value, end in ends:
            self._ends.setdefault((family, value), end)
        length = prefix.length
        self._prefixes.setdefault((family, prefix.low, length), lambda filling: str(filling.prefixes[place]))
        self._prefixes.setdefault(
            (family, prefix.host, length), lambda filling: f"{filling.prefixes[place].written}/{length}"
        )

    def plan(self, value: Any) -> Fill:
        """What fills in a value. Raises Unlike."""
        return self._plan(value) or always(value)

    def _plan(self, value: Any) -> Fill | None:
        kind = value.__class__
        if kind is str:
            return self._text(value)
        if kind is int:
            return self._number(value)
        if issubclass(kind, (StoredSecret, Prefix, Address)):
            raise Unlike("a value of the device itself")
        if issubclass(kind, tuple):
            return self._tuple(value)
        if issubclass(kind, frozenset):
            made = self._tuple(tuple(value))
            return None if made is None else lambda filling: frozenset(made(filling))
        if value is None or kind in (bool, bytes, datetime.date) or issubclass(kind, enum.Enum):
            return None
        raise Unlike(kind.__name__)

    def range(self, key: tuple[int, int, int]) -> Fill:
        """What fills in a range of addresses that begins and ends where some of the device's do. Raises Unlike."""
        family, low, high = key
        first = self._ends.get((family, low))
        last = self._ends.get((family, high))
        if first is None or last is None:
            raise Unlike("a range that is none of the device's")
        return lambda filling: (family, first(filling), last(filling))

    def piece(self, piece: Piece) -> tuple[int, Callable[[Filling], int], Callable[[Filling], int], int]:
        """What fills in a piece of the address space. Raises Unlike."""
        low, high = self._ends.get((piece.family, piece.low)), self._ends.get((piece.family, piece.high))
        if low is None or high is None:
            raise Unlike("a piece of the address space that is none of the device's")
        return piece.family, low, high, piece.signature

    def _tuple(self, value: tuple[Any, ...]) -> Fill | None:
        if len(value) == 1 and isinstance(value[0], str) and value[0][:1] == SOURCES[0]:
            chosen = int(value[0][1:-1], 16)
            return lambda filling: filling.phrases(chosen)
        plans = [(place, made) for place, each in enumerate(value) if (made := self._plan(each)) is not None]
        if not plans:
            return None
        kind = value.__class__

        def fill(filling: Filling) -> Any:
            items = list(value)
            for place, made in plans:
                items[place] = made(filling)
            return tuple.__new__(kind, items)

        return fill

    def _number(self, value: int) -> Fill | None:
        if value < FIRST_LINE:
            return None
        place = value - FIRST_LINE
        if place >= self._lines:
            raise Unlike("a number that is no line")
        return lambda filling: filling.lines[place]

    def _text(self, text: str) -> Fill | None:
        parts: list[str | Fill] = []
        for number, piece in enumerate(self._find.split(text)):
            if number % 2:
                parts.append(self._mark(piece))
            else:
                parts += self._addresses(piece)
        if all(isinstance(each, str) for each in parts):
            return None
        fills = [(place, each) for place, each in enumerate(parts) if not isinstance(each, str)]

        def fill(filling: Filling) -> str:
            pieces: list[Any] = list(parts)
            for place, made in fills:
                pieces[place] = made(filling)
            return "".join(pieces)

        return fill

    def _mark(self, piece: str) -> Fill:
        if piece == self._file:
            return lambda filling: filling.file
        if piece[0] == SOURCES[0]:
            chosen = int(piece[1:-1], 16)
            return lambda filling: ", ".join(filling.phrases(chosen))
        if piece in self._marks:
            place = self._marks[piece]
            return lambda filling: filling.names[place]
        line = int(piece) - FIRST_LINE
        if line >= self._lines:
            raise Unlike("a number that is no line")
        return lambda filling: str(filling.lines[line])

    def _addresses(self, text: str) -> list[str | Fill]:
        """A text in pieces, those that are addresses or prefixes of the device filled in."""
        if MARKED.search(text):
            raise Unlike("part of a name")
        parts: list[str | Fill] = []
        at = 0
        for start, end, address, length in addresses_in(text):
            family, value = address
            if length is None and (family, value) in self._ends:
                found = _address(family, self._ends[family, value], "")
            elif length is not None and (family, value, length) in self._prefixes:
                found = self._prefixes[family, value, length]
            else:
                raise Unlike("an address that is none of the device's")
            parts += [text[at:start], found]
            at = end
        return [*parts, text[at:]]


def always(value: Any) -> Fill:
    """A plan with nothing to fill in."""
    return lambda _: value


def _address(family: int, end: Callable[[Filling], int], behind: str) -> Fill:
    return lambda filling: f"{Address(family, end(filling))}{behind}"


def _ranged(family: int, end: Callable[[Filling], int], length: int) -> Fill:
    return _address(family, end, f"/{length}")
