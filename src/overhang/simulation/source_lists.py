"""A resolved source list: the address space cut into ranges, each with the line that decides there."""

import heapq
from bisect import bisect_right
from collections.abc import Iterable, Sequence
from typing import NamedTuple

from overhang.model import Address, Configured, Prefix, SourceList, SourceRule
from overhang.text import Origin

_TOP = {4: (1 << 32) - 1, 6: (1 << 128) - 1}


class Piece(NamedTuple):
    """Addresses of one family, from ``low`` to ``high``, that every list treats alike.

    ``signature`` is a number that tells how: bit 0 for IPv6, and for list number n bit 2n+1 where it allows them, 2n+2
    where nobody can tell.
    """

    family: int
    low: int
    high: int
    signature: int


def pieces(lists: Sequence["ResolvedSourceList"]) -> list[Piece]:
    """The address space cut where some list begins or ends, IPv4 first.

    Each list's answers are noted only where they change, so that it takes as long as the lists are long together.
    """
    found: list[Piece] = []
    for family in (4, 6):
        changes: dict[int, int] = {0: 0}
        for index, each in enumerate(lists):
            said = 0
            for start, answer in zip(each.starts(family), each.answers(family), strict=True):
                bit = 0 if answer is False else 1 << (2 * index + (2 if answer is None else 1))
                changes[start] = changes.get(start, 0) ^ said ^ bit
                said = bit
        signature = int(family == 6)
        starts = sorted(changes)
        for start, behind in zip(starts, (*starts[1:], _TOP[family] + 1), strict=True):
            signature ^= changes[start]
            found.append(Piece(family, start, behind - 1, signature))
    return found


class ResolvedSourceList:
    """A source list; what stands behind its first unread line is in doubt (``unread``)."""

    __slots__ = ("_after", "_deciders", "_rules", "_starts", "name", "origin", "unread")

    def __init__(self, source_list: SourceList) -> None:
        self.name = source_list.name
        self.origin = source_list.block.origin or Origin("", 0)
        self.unread = source_list.block.doubt
        self._after = source_list.block.after
        self._rules = source_list.rules
        self._starts: dict[int, list[int]] = {}
        self._deciders: dict[int, list[int]] = {}
        for family in (4, 6):
            self._starts[family], self._deciders[family] = _cut(source_list, family)

    def decide(self, address: Address) -> tuple[bool | None, Origin]:
        """Whether ``address`` is allowed, and the line that says so; None where an unread line might."""
        endpoint = bisect_right(self._starts[address.family], address.value) - 1
        return self._answer(self._deciders[address.family][endpoint])

    def alike(self) -> tuple[bool | None, Origin] | None:
        """The answer for all addresses of both families where it is the same for all, else None."""
        deciders = self._deciders[4] + self._deciders[6]
        answers = {self._answer(rule)[0] for rule in deciders}
        return self._answer(deciders[0]) if len(answers) == 1 else None

    def unreached(self) -> list[int]:
        """The lines, by their index, that decide for no address, since earlier lines match all of theirs."""
        deciding = {*self._deciders[4], *self._deciders[6]}
        return [index for index in range(len(self._rules)) if index not in deciding]

    def starts(self, family: int) -> list[int]:
        """Where the pieces of a family's address space begin; the first is 0."""
        return self._starts[family]

    def answers(self, family: int) -> list[bool | None]:
        """What the list says in each piece, in the order of ``starts``."""
        return [self._answer(rule)[0] for rule in self._deciders[family]]

    def _answer(self, rule: int) -> tuple[bool | None, Origin]:
        said = self._rules[rule] if rule >= 0 else None
        if self.unread is not None and (said is None or rule >= self._after):
            return None, self.unread
        return (said.value.allow, said.origin) if said is not None else (False, self.origin)


def _cut(source_list: SourceList, family: int) -> tuple[list[int], list[int]]:
    """The pieces of a family's address space: where each begins, and which rule (-1: none) decides in it.

    One sweep over the rules' ends with the rules that hold at the moment in a heap: n log n for n rules.
    """
    events: list[tuple[int, int, int]] = []
    for index, said in enumerate(source_list.rules):
        prefix = said.value.prefix
        if prefix is None:
            events.append((0, index, _TOP[family]))
        elif prefix.family == family:
            events.append((prefix.low, index, prefix.high))
    edges = sorted({0, *(low for low, _, _ in events), *(high + 1 for _, _, high in events if high < _TOP[family])})
    events.sort()
    starts: list[int] = []
    deciders: list[int] = []
    live: list[tuple[int, int]] = []
    at = 0
    for edge in edges:
        while at < len(events) and events[at][0] == edge:
            heapq.heappush(live, (events[at][1], events[at][2]))
            at += 1
        while live and live[0][1] < edge:
            heapq.heappop(live)
        decider = live[0][0] if live else -1
        if not deciders or deciders[-1] != decider:
            starts.append(edge)
            deciders.append(decider)
    return starts, deciders


def covers(prefixes: Iterable[Prefix], family: int, low: int, high: int) -> bool:
    """Whether prefixes cover every address of a family from ``low`` to ``high``."""
    rules = tuple(Configured(SourceRule(True, prefix), Origin("", 0)) for prefix in prefixes)
    starts, deciders = _cut(SourceList("", rules=rules), family)
    first, last = bisect_right(starts, low) - 1, bisect_right(starts, high) - 1
    return -1 not in deciders[first : last + 1]
