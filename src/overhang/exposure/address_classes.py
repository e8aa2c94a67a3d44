"""The address space of a device's sources, cut where some list begins or ends, and sets of its pieces as integers.

Pieces that all lists treat alike are one class; a set of classes is an integer with a bit for each. So a question about
a source splits a set by two operations on integers, however many addresses are in it.
"""

from collections.abc import Iterator

from overhang.model import Address
from overhang.simulation.resolve import ResolvedDevice
from overhang.simulation.source_lists import ResolvedSourceList

_TOP = {4: (1 << 32) - 1, 6: (1 << 128) - 1}


class AddressClasses:
    """The classes of sources. ``everything`` is the set of all; ``family`` the sets of IPv4 and of IPv6."""

    def __init__(self, resolved: ResolvedDevice) -> None:
        lists = list(resolved.lists.values())
        self._pieces: list[tuple[int, int, int]] = []
        signatures: list[int] = []
        for family in (4, 6):
            starts = sorted({0, *(start for each in lists for start in each.starts(family))})
            ends = [*(start - 1 for start in starts[1:]), _TOP[family]]
            self._pieces += [(family, low, high) for low, high in zip(starts, ends, strict=True)]
            signatures += _signatures(lists, family, starts)
        classes: dict[int, int] = {}
        self._class_of = [classes.setdefault(signature, len(classes)) for signature in signatures]
        self.everything = (1 << len(classes)) - 1
        self.family = {
            family: sum(1 << number for signature, number in classes.items() if signature & 1 == (family == 6))
            for family in (4, 6)
        }
        self._allowed = {}
        self._unsure = {}
        for index, each in enumerate(lists):
            allows, unsure = 1 << (2 * index + 1), 1 << (2 * index + 2)
            self._allowed[each.name] = sum(1 << number for found, number in classes.items() if found & allows)
            self._unsure[each.name] = sum(1 << number for found, number in classes.items() if found & unsure)

    def allowed(self, sources: ResolvedSourceList) -> int:
        """The sources that a list allows for sure."""
        return self._allowed[sources.name]

    def unsure(self, sources: ResolvedSourceList) -> int:
        """The sources of which nobody can tell whether the list allows them."""
        return self._unsure[sources.name]

    def ranges(self, chosen: int) -> Iterator[tuple[int, int, int]]:
        """The addresses of a set as (family, first, last), joined where they touch."""
        last: tuple[int, int, int] | None = None
        for (family, low, high), number in zip(self._pieces, self._class_of, strict=True):
            if not chosen >> number & 1:
                continue
            if last is not None and last[0] == family and last[2] + 1 == low:
                last = (family, last[1], high)
                continue
            if last is not None:
                yield last
            last = (family, low, high)
        if last is not None:
            yield last

    def prefixes(self, chosen: int) -> list[str]:
        """The smallest list of prefixes for a set, IPv4 first."""
        import ipaddress

        found: list[str] = []
        for family, low, high in self.ranges(chosen):
            kind = ipaddress.IPv4Address if family == 4 else ipaddress.IPv6Address
            found += [str(network) for network in ipaddress.summarize_address_range(kind(low), kind(high))]
        return found

    def wide(self, chosen: int) -> bool:
        """Whether a set holds at least half of all addresses of a family: a list that is none."""
        sizes = {4: 0, 6: 0}
        for family, low, high in self.ranges(chosen):
            sizes[family] += high - low + 1
        return any(2 * size > _TOP[family] for family, size in sizes.items())

    def example(self, chosen: int) -> Address | None:
        """One address of a set, None where it is empty."""
        first = next(self.ranges(chosen), None)
        return None if first is None else Address(first[0], first[1])

    def holding(self, family: int, low: int, high: int) -> int:
        """The classes that have an address between ``low`` and ``high``."""
        found = 0
        for (each, first, last), number in zip(self._pieces, self._class_of, strict=True):
            if each == family and first <= high and low <= last:
                found |= 1 << number
        return found


def _signatures(lists: list[ResolvedSourceList], family: int, starts: list[int]) -> list[int]:
    """For each piece a number that tells how all lists treat it; its lowest bit is set for IPv6."""
    signatures = [int(family == 6)] * len(starts)
    for index, each in enumerate(lists):
        allows, unsure = 1 << (2 * index + 1), 1 << (2 * index + 2)
        edges = each.starts(family)
        answers = [bit_of(answer, allows, unsure) for answer in each.answers(family)]
        at, last, bit = 0, len(edges) - 1, answers[0]
        for endpoint, start in enumerate(starts):
            while at < last and edges[at + 1] <= start:
                at += 1
                bit = answers[at]
            if bit:
                signatures[endpoint] |= bit
    return signatures


def bit_of(answer: bool | None, allows: int, unsure: int) -> int:
    """The bit that stands for what a list says: none where it denies."""
    return unsure if answer is None else allows if answer else 0
