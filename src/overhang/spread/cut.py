"""What cuts it: the fewest changes after which nothing, or nothing at a level, is reached beyond the start.

Each chain to a device that must not be reached has to be cut somewhere: a way closed to the person, a secret changed, a
configuration that discloses nothing any more. The fewest changes that cut all chains found so far are an exact lower
bound; where a chain is left, it joins the others. So what ends this is the smallest, and is proved by running again.
"""

from collections.abc import Iterator, Sequence
from typing import NamedTuple

from overhang.spread.reach import START, Arrival, Limits, Plan, Reach, chain_of, spread_from
from overhang.spread.start import Start
from overhang.spread.world import World

_MOST_ROUNDS = 60
_CHAINS_A_ROUND = 40
_MOST_ELEMENTS = 4_000


class Fix(NamedTuple):
    """One change. ``kind`` is change (a secret, stored one-way from then on), close (a way of a device, to where the
    person is) or hide (what a device's configuration discloses)."""

    kind: str
    device: int = -1
    via: str = ""
    secret: int = -1


class Cut(NamedTuple):
    """The changes that cut what is reached at ``level`` and above. ``exact``: no fewer do; else at least ``least`` are
    needed. ``left`` is what a run afterwards still reaches, which is nothing where the cut holds."""

    level: int
    fixes: tuple[Fix, ...]
    exact: bool
    least: int
    left: int


def targets_of(reach: Reach, level: int) -> list[Arrival]:
    """What is reached beyond the start at a level or above, the first arrival of each device."""
    found: dict[int, Arrival] = {}
    for each in reach.arrivals:
        if each.level >= level and each.device not in reach.start.at:
            found.setdefault(each.device, each)
    return list(found.values())


def cut_of(world: World, start: Start, limits: Limits, level: int) -> Cut:
    """The fewest changes after which nothing at a level or above is reached. Raises ImportError without scipy."""
    chains: list[frozenset[Fix]] = []
    fixes: tuple[Fix, ...] = ()
    least = 0
    for _ in range(_MOST_ROUNDS):
        reach = spread_from(world, start, limits, plan_of(fixes))
        targets = targets_of(reach, level)
        if not targets:
            return Cut(level, fixes, True, len(fixes), 0)
        for each in targets[:_CHAINS_A_ROUND]:
            elements = frozenset(_elements(reach, each))
            if not elements:
                return Cut(level, fixes, False, least, len(targets))
            chains.append(elements)
        if len({fix for chain in chains for fix in chain}) > _MOST_ELEMENTS:
            break
        fixes = smallest(world, chains)
        least = len(fixes)
    return _bounded(world, start, limits, (level, fixes, least))


def _bounded(world: World, start: Start, limits: Limits, so_far: tuple[int, tuple[Fix, ...], int]) -> Cut:
    """A cut that holds and may not be the smallest: the chains that are left are cut one after another."""
    level, fixes, least = so_far
    while True:
        reach = spread_from(world, start, limits, plan_of(fixes))
        targets = targets_of(reach, level)
        if not targets:
            return Cut(level, fixes, False, least, 0)
        counts: dict[Fix, int] = {}
        for each in targets:
            for fix in _elements(reach, each):
                counts[fix] = counts.get(fix, 0) + 1
        if not counts:
            return Cut(level, fixes, False, least, len(targets))
        fixes = (*fixes, max(sorted(counts), key=lambda fix: counts[fix]))


def plan_of(fixes: Sequence[Fix]) -> Plan:
    """Changes as what of a network cannot be used any more."""
    return Plan(
        frozenset((fix.device, fix.via) for fix in fixes if fix.kind == "close"),
        frozenset(fix.secret for fix in fixes if fix.kind == "change"),
        frozenset(fix.device for fix in fixes if fix.kind == "hide"),
    )


def _elements(reach: Reach, target: Arrival) -> Iterator[Fix]:
    """The changes each of which breaks the chain to a device."""
    for each in chain_of(reach, target):
        yield Fix("close", each.device, each.hop.passage.path.via)
        for secret, device in each.learnt:
            yield Fix("change", secret=secret)
            if device != START:
                yield Fix("hide", device)


def smallest(world: World, chains: Sequence[frozenset[Fix]]) -> tuple[Fix, ...]:
    """The fewest changes of which each chain has one; of equal ones those that touch fewer locks."""
    import numpy
    from scipy.optimize import Bounds, LinearConstraint, milp
    from scipy.sparse import csr_array

    fixes = sorted({fix for chain in chains for fix in chain})
    number = {fix: at for at, fix in enumerate(fixes)}
    unique = list(dict.fromkeys(chains))
    rows = [row for row, chain in enumerate(unique) for _ in chain]
    columns = [number[fix] for chain in unique for fix in sorted(chain)]
    matrix = csr_array((numpy.ones(len(rows)), (rows, columns)), shape=(len(unique), len(fixes)))
    weights = numpy.array([1 + _effort(world, fix) / (1_000 * len(fixes) + 1_000) for fix in fixes])
    found = milp(
        weights,
        constraints=LinearConstraint(matrix, lb=1),
        integrality=numpy.ones(len(fixes)),
        bounds=Bounds(0, 1),
    )
    return tuple(fix for fix, chosen in zip(fixes, found.x, strict=True) if chosen > 0.5)


def _effort(world: World, fix: Fix) -> int:
    """How much a change touches; it decides between cuts of one size only."""
    if fix.kind == "change":
        return min(len(world.secrets.secrets[fix.secret].locks), 500)
    return 2 if fix.kind == "close" else 3
