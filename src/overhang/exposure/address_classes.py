"""The address space of a device's sources, cut where some list begins or ends, and sets of its pieces as integers.

Pieces that all lists treat alike are one class; a set of classes is an integer with a bit for each. So a question about
a source splits a set by two operations on integers, however many addresses are in it.
"""

from bisect import bisect_right
from collections.abc import Iterable, Iterator, Sequence
from typing import Any

from overhang.model import Address
from overhang.simulation.resolve import ResolvedDevice
from overhang.simulation.source_lists import Piece, ResolvedSourceList, pieces

_TOP = {4: (1 << 32) - 1, 6: (1 << 128) - 1}


class AddressClasses:
    """The classes of sources. ``everything`` is the set of all; ``family`` the sets of IPv4 and of IPv6.

    ``parts`` are all addresses in pieces, IPv4 first; those of one signature, of which bit 0 stands for IPv6, are one
    class. ``lists`` are what bits 2n+1 and 2n+2 of the signatures are about: what list number n allows, and of what
    nobody can tell.
    """

    def __init__(self, parts: Sequence[Piece], lists: Sequence[ResolvedSourceList] = ()) -> None:
        self.pieces = parts
        classes: dict[int, int] = {}
        self.class_of = [classes.setdefault(piece.signature, len(classes)) for piece in self.pieces]
        self._pieces_of: list[list[int]] = [[] for _ in classes]
        for index, number in enumerate(self.class_of):
            self._pieces_of[number].append(index)
        self._starts = {family: [piece.low for piece in self.pieces if piece.family == family] for family in (4, 6)}
        self.everything = (1 << len(classes)) - 1
        self.family = {
            family: sum(1 << number for signature, number in classes.items() if signature & 1 == (family == 6))
            for family in (4, 6)
        }
        allowed, unsure = [0] * len(lists), [0] * len(lists)
        for signature, number in classes.items() if lists else ():
            for bit in bits_of(signature >> 1):
                (unsure if bit & 1 else allowed)[bit >> 1] |= 1 << number
        self._allowed = {each.name: allowed[index] for index, each in enumerate(lists)}
        self._unsure = {each.name: unsure[index] for index, each in enumerate(lists)}
        #: what was asked that hangs on how far apart addresses are: of which sets whether they are wide, and of which
        #: ranges how long the prefixes are that they are made of
        self.asked_wide: dict[int, bool] = {}
        self.asked_lengths: dict[tuple[int, int, int], tuple[int, ...]] = {}

    def __reduce__(self) -> tuple[Any, ...]:
        """What is sent and kept are the pieces: what the lists are called is for the device alone."""
        return AddressClasses, (self.pieces,)

    @classmethod
    def of(cls, resolved: ResolvedDevice) -> "AddressClasses":
        """The classes of a device's sources."""
        lists = resolved.asked_lists
        return cls(pieces(lists), lists)

    def knows(self, sources: ResolvedSourceList) -> bool:
        """Whether the list is one that something asks itself, and not only through another list."""
        return sources.name in self._allowed

    def allowed(self, sources: ResolvedSourceList) -> int:
        """The sources that a list allows for sure."""
        return self._allowed[sources.name]

    def unsure(self, sources: ResolvedSourceList) -> int:
        """The sources of which nobody can tell whether the list allows them."""
        return self._unsure[sources.name]

    def ranges(self, chosen: int) -> Iterator[tuple[int, int, int]]:
        """The addresses of a set as (family, first, last), joined where they touch."""
        last: tuple[int, int, int] | None = None
        for index in self._indices(chosen):
            family, low, high, _ = self.pieces[index]
            if last is not None and last[0] == family and last[2] + 1 == low:
                last = (family, last[1], high)
                continue
            if last is not None:
                yield last
            last = (family, low, high)
        if last is not None:
            yield last

    def _indices(self, chosen: int) -> Iterable[int]:
        """The pieces of a set, in order."""
        if 2 * chosen.bit_count() > len(self._pieces_of):
            return (index for index, number in enumerate(self.class_of) if chosen >> number & 1)
        return sorted(index for number in bits_of(chosen) for index in self._pieces_of[number])

    def prefixes(self, chosen: int) -> list[str]:
        """The smallest list of prefixes for a set, IPv4 first."""
        return [each for part in self.ranges(chosen) for each in self.prefixes_of(*part)]

    def prefixes_of(self, family: int, low: int, high: int) -> list[str]:
        """The smallest list of prefixes for the addresses from ``low`` to ``high``."""
        if (family, low, high) == (family, 0, _TOP[family]):
            return ["0.0.0.0/0" if family == 4 else "::/0"]
        import ipaddress

        kind = ipaddress.IPv4Address if family == 4 else ipaddress.IPv6Address
        found: list[Any] = list(ipaddress.summarize_address_range(kind(low), kind(high)))
        self.asked_lengths[family, low, high] = tuple(each.prefixlen for each in found)
        return [str(each) for each in found]

    def wide(self, chosen: int) -> bool:
        """Whether a set holds at least half of all addresses of a family: a list that is none."""
        found = self.asked_wide.get(chosen)
        if found is None:
            sizes = {4: 0, 6: 0}
            for family, low, high in self.ranges(chosen):
                sizes[family] += high - low + 1
            found = self.asked_wide[chosen] = any(2 * size > _TOP[family] for family, size in sizes.items())
        return found

    def example(self, chosen: int) -> Address | None:
        """One address of a set, None where it is empty."""
        first = next(self.ranges(chosen), None)
        return None if first is None else Address(first[0], first[1])

    def holding(self, family: int, low: int, high: int) -> int:
        """The classes that have an address between ``low`` and ``high``."""
        starts, before = self._starts[family], 0 if family == 4 else len(self._starts[4])
        first, last = bisect_right(starts, low) - 1, bisect_right(starts, high)
        found = 0
        for number in self.class_of[before + max(first, 0) : before + last]:
            found |= 1 << number
        return found


def bits_of(number: int) -> Iterator[int]:
    """The places of the bits that are set, the lowest first."""
    while number:
        lowest = number & -number
        yield lowest.bit_length() - 1
        number ^= lowest
