"""A resolved source list: the address space cut into ranges, each with the line that decides there."""

import heapq
from bisect import bisect_right
from collections.abc import Iterable, Mapping, Sequence
from typing import NamedTuple

from overhang.model import Address, Configured, Prefix, SourceList, SourceRule
from overhang.model.address import masked_ranges
from overhang.text import Origin

_TOP = {4: (1 << 32) - 1, 6: (1 << 128) - 1}
#: What a list says of an address: allowed, denied, or that nobody can tell; "open" is that it does not decide.
Verdict = bool | str | None
_OPEN = "open"
#: So many ranges are followed from list to list on one device; what is referred to beyond them is not known.
_MOST_REFERRED = 200_000


class Piece(NamedTuple):
    """Addresses of one family, from ``low`` to ``high``, that every list treats alike.

    ``signature`` is a number that tells how: bit 0 for IPv6, and for list number n bit 2n+1 where it allows them, 2n+2
    where nobody can tell.
    """

    family: int
    low: int
    high: int
    signature: int


class Decision(NamedTuple):
    """What holds in a range: the verdict, the line that gives it, and the place of that line in the list, from 0."""

    verdict: Verdict
    origin: Origin
    rule: int


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
    """A source list; what stands behind its first unread line is in doubt (``unread``).

    ``others`` holds the lists that it refers to, None for one of which nobody can tell what it holds; ``missing`` is
    what a list that does not exist does.
    """

    __slots__ = ("_decisions", "_last", "_rules", "_starts", "end", "name", "origin", "silent", "unread")

    def __init__(
        self,
        source_list: SourceList,
        others: "Mapping[str, ResolvedSourceList | None] | None" = None,
        missing: Verdict = None,
    ) -> None:
        self.name = source_list.name
        self.origin = source_list.block.origin or Origin("", 0)
        self.unread = source_list.block.doubt
        self.silent = source_list.silent is not None
        #: the line of its end, or where none says what follows the list itself
        self.end = source_list.at_end.origin if source_list.at_end is not None else self.origin
        self._rules = source_list.rules
        self._starts: dict[int, list[int]] = {}
        self._decisions: dict[int, list[Decision]] = {}
        at_end = source_list.at_end is not None and source_list.at_end.value
        self._last = Decision(at_end, self.end, -1) if self.unread is None else Decision(None, self.unread, -1)
        for family in (4, 6):
            self._starts[family], self._decisions[family] = _cut(source_list, family, others or {}, missing)

    def decide(self, address: Address) -> tuple[bool | None, Origin]:
        """Whether ``address`` is allowed, and the line that says so; None where an unread line might."""
        endpoint = bisect_right(self._starts[address.family], address.value) - 1
        return self._answer(self._decisions[address.family][endpoint])

    def alike(self) -> tuple[bool | None, Origin] | None:
        """The answer for all addresses of both families where it is the same for all, else None."""
        decisions = self._decisions[4] + self._decisions[6]
        answers = {self._answer(each)[0] for each in decisions}
        return self._answer(decisions[0]) if len(answers) == 1 else None

    def unreached(self) -> list[int]:
        """The lines, by their index, that decide for no address, since earlier lines match all of theirs."""
        deciding = {each.rule for each in (*self._decisions[4], *self._decisions[6])}
        return [index for index in range(len(self._rules)) if index not in deciding]

    def starts(self, family: int) -> list[int]:
        """Where the pieces of a family's address space begin; the first is 0."""
        return self._starts[family]

    def answers(self, family: int) -> list[bool | None]:
        """What the list says in each piece, in the order of ``starts``."""
        return [self._answer(each)[0] for each in self._decisions[family]]

    def ranges(self, family: int, *, ended: bool) -> Iterable[tuple[int, int, Decision]]:
        """Each piece with its first and last address; unless ``ended``, without those that the list leaves open."""
        behind = (*self._starts[family][1:], _TOP[family] + 1)
        for start, end, decision in zip(self._starts[family], behind, self._decisions[family], strict=True):
            if decision.verdict != _OPEN:
                yield start, end - 1, decision
            elif ended or self.unread is not None:
                yield start, end - 1, self._last

    def _answer(self, decision: Decision) -> tuple[bool | None, Origin]:
        verdict, origin, _ = self._last if decision.verdict == _OPEN else decision
        return (None if verdict is None else bool(verdict)), origin


def resolve_lists(lists: Mapping[str, SourceList], missing: Verdict) -> dict[str, ResolvedSourceList]:
    """Every list, those that others refer to before them; of lists that refer round in a circle nobody can tell."""
    found: dict[str, ResolvedSourceList] = {}
    waiting = {
        name: {said.value.other for said in each.rules if said.value.other in lists} for name, each in lists.items()
    }
    wanted_by: dict[str, list[str]] = {}
    for name, others in waiting.items():
        for other in others:
            wanted_by.setdefault(other or "", []).append(name)
    left = {name: len(others) for name, others in waiting.items()}
    ready = [name for name, others in waiting.items() if not others]
    referred = 0
    while ready:
        name = ready.pop()
        known: dict[str, ResolvedSourceList | None] = {}
        for other in waiting[name]:
            inner = found[other or ""]
            referred += len(inner.starts(4)) + len(inner.starts(6))
            known[other or ""] = inner if referred <= _MOST_REFERRED else None
        found[name] = ResolvedSourceList(lists[name], known, missing)
        for other in wanted_by.get(name, ()):
            left[other] -= 1
            if not left[other]:
                ready.append(other)
    for name, each in lists.items():
        if name not in found:
            known = {other or "": found.get(other or "") for other in waiting[name]}
            found[name] = ResolvedSourceList(each, known, missing)
    return {name: found[name] for name in lists}


def _cut(
    source_list: SourceList, family: int, others: Mapping[str, ResolvedSourceList | None], missing: Verdict
) -> tuple[list[int], list[Decision]]:
    """The pieces of a family's address space: where each begins, and what decides in it.

    One sweep over the rules' ends with the rules that hold at the moment in a heap: n log n for n rules.
    """
    nothing = Decision(_OPEN, source_list.block.origin or Origin("", 0), -1)
    events: list[tuple[int, int, int, Decision]] = []
    unread = source_list.block.doubt
    for index, said in enumerate(source_list.rules):
        for low, high, verdict, origin in _matched(said, family, others, missing):
            decision = Decision(verdict, origin, index)
            if unread is not None and index >= source_list.block.after:
                decision = Decision(None, unread, index)
            events.append((low, index, high, decision))
    edges = sorted({0, *(low for low, *_ in events), *(high + 1 for _, _, high, _ in events if high < _TOP[family])})
    events.sort(key=lambda event: event[:2])
    starts: list[int] = []
    deciders: list[Decision] = []
    live: list[tuple[int, int, Decision]] = []
    at = 0
    for edge in edges:
        while at < len(events) and events[at][0] == edge:
            heapq.heappush(live, (events[at][1], events[at][2], events[at][3]))
            at += 1
        while live and live[0][1] < edge:
            heapq.heappop(live)
        decision = live[0][2] if live else nothing
        if not deciders or deciders[-1] != decision:
            starts.append(edge)
            deciders.append(decision)
    return starts, deciders


def _matched(
    said: Configured[SourceRule], family: int, others: Mapping[str, ResolvedSourceList | None], missing: Verdict
) -> Iterable[tuple[int, int, Verdict, Origin]]:
    """What a rule says of which addresses of a family."""
    rule, origin = said
    verdict: Verdict = {"allow": True, "deny": False}.get(rule.act, _OPEN)
    if rule.other is not None:
        yield from _referred(rule, family, others, (verdict, missing, origin))
    elif rule.prefix is None:
        yield 0, _TOP[family], verdict, origin
    elif rule.prefix.family != family:
        return
    elif rule.last is not None:
        yield rule.prefix.low, rule.last.low, verdict, origin
    elif rule.mask is not None:
        yield from ((low, high, verdict, origin) for low, high in masked_ranges(rule.prefix, rule.mask))
    else:
        yield rule.prefix.low, rule.prefix.high, verdict, origin


def _referred(
    rule: SourceRule,
    family: int,
    others: Mapping[str, ResolvedSourceList | None],
    given: tuple[Verdict, Verdict, Origin],
) -> Iterable[tuple[int, int, Verdict, Origin]]:
    """What a rule says that refers to another list."""
    verdict, missing, origin = given
    name = rule.other or ""
    other = others.get(name)
    if other is None:
        asks = rule.act == "ask"
        said = missing if name not in others else None
        if said is not False:  # a missing list that denies matches nothing, and decides nothing
            yield 0, _TOP[family], None if said is None else True if asks else verdict, origin
        return
    for low, high, decision in other.ranges(family, ended=rule.act != "ask"):
        if rule.act == "ask":
            yield low, high, decision.verdict, decision.origin
        elif decision.verdict is not False:
            yield low, high, None if decision.verdict is None else verdict, origin


def covers(prefixes: Iterable[Prefix], family: int, low: int, high: int) -> bool:
    """Whether prefixes cover every address of a family from ``low`` to ``high``."""
    rules = tuple(Configured(SourceRule("allow", prefix), Origin("", 0)) for prefix in prefixes)
    starts, deciders = _cut(SourceList("", rules=rules), family, {}, None)
    first, last = bisect_right(starts, low) - 1, bisect_right(starts, high)
    return all(decision.verdict is True for decision in deciders[first:last])
