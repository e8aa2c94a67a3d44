"""What the phases of a login take, and which of them others make needless."""

from collections.abc import Mapping
from itertools import combinations
from typing import Any, NamedTuple

from overhang.exposure.exploring_oracle import ExploringOracle, UnknownFact
from overhang.simulation.challenge import Session

_MOST_PARTS = 10


class PhaseResult(NamedTuple):
    """What one phase takes: sources and server states as sets, items, whether it is sure, and what it leads to.

    ``unknowns`` are what it hangs on where it is not sure; of phases that were joined, what any of them does. ``busy``
    is how many of the first VTYs must be in use.
    """

    sources: int
    states: int
    needs: frozenset[int]
    sure: bool
    result: Any
    unknowns: frozenset[UnknownFact] = frozenset()
    busy: int = 0
    #: of a landing, the session that it leads to, as far as elevation depends on it
    session: Session | None = None


def phase_of(oracle: ExploringOracle, level: int, session: Session | None = None) -> PhaseResult:
    """What a run of an oracle took that leads to a level."""
    needs, unknowns = frozenset(oracle.needs), oracle.unknowns
    return PhaseResult(oracle.sources, oracle.states, needs, oracle.sure, level, unknowns, session=session)


def smallest(phases: list[PhaseResult]) -> list[PhaseResult]:
    """The paths without those that take more, or as much, and lead no higher; alike ones joined."""
    joined: dict[tuple[frozenset[int], int, int, bool, Session | None], tuple[int, frozenset[UnknownFact]]] = {}
    for phase in phases:
        key = (phase.needs, phase.result, phase.states, phase.sure, phase.session)
        sources, unknowns = joined.get(key, (0, frozenset()))
        joined[key] = sources | phase.sources, unknowns | phase.unknowns
    found = [
        PhaseResult(sources, states, needs, sure, level, unknowns, session=session)
        for (needs, level, states, sure, session), (sources, unknowns) in joined.items()
    ]
    found.sort(key=lambda phase: (len(phase.needs), -phase.result, not phase.sure))
    kept: dict[frozenset[int], list[PhaseResult]] = {}
    for phase in found:
        if not any(_covers(other, phase) for part in parts_of(phase.needs, kept) for other in kept[part]):
            kept.setdefault(phase.needs, []).append(phase)
    return [phase for phases in kept.values() for phase in phases]


def parts_of(needs: frozenset[int], known: Mapping[frozenset[int], Any]) -> list[frozenset[int]]:
    """Those of the sets in ``known`` that are parts of ``needs``, or all of it; few are looked at, however many are."""
    if len(needs) > _MOST_PARTS or 1 << len(needs) > len(known):
        return [part for part in known if part <= needs]
    sizes = range(len(needs) + 1)
    return [part for size in sizes for chosen in combinations(needs, size) if (part := frozenset(chosen)) in known]


def _elevates_no_less(one: Session | None, other: Session | None) -> bool:
    """Whether the elevation of one session leads at least as far as that of another, from the same level or below."""
    if one is None or other is None or one == other or other.stuck is not None:
        return True
    if one.stuck is not None or one.who != other.who:
        return False
    return (15 if one.cap is None else one.cap.value) >= (15 if other.cap is None else other.cap.value)


def _covers(one: PhaseResult, other: PhaseResult) -> bool:
    return (
        one.needs <= other.needs
        and one.result >= other.result
        and _elevates_no_less(one.session, other.session)
        and (one.sure or not other.sure)
        and not other.sources & ~one.sources
        and not other.states & ~one.states
    )
