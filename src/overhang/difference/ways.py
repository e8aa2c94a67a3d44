"""Ways gained and lost: what somebody reaches on one of two devices and not on the other.

A row is about whoever knows just what it needs: from its sources, at its addresses, in its states, they reached
``before`` and reach ``after``. Who knows more may have reached as much all the time, by another row of ``ways``.
"""

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from itertools import groupby
from typing import NamedTuple

from overhang.difference.joint import JointAddresses, JointSources, JointStates, joint_addresses
from overhang.difference.secrets import JointSecrets
from overhang.exposure import AccessPath, AccessPaths
from overhang.exposure.address_classes import bits_of
from overhang.exposure.exploring_oracle import UnknownFact
from overhang.exposure.paths import ELSEWHERE, UNKNOWN_ADDRESS, rank
from overhang.exposure.phases import parts_of
from overhang.model.vocabulary import PORTS
from overhang.simulation import ResolvedDevice

#: What makes two unknown facts of two devices the same one.
FactKey = Callable[[UnknownFact], object]


class WayChange(NamedTuple):
    """One row: ``path`` in the numbers of the joint space, with the higher of the two levels; the levels ``before`` and
    ``after``, None where nobody gets in; not ``sure`` where it depends on something unknown."""

    path: AccessPath
    before: int | None
    after: int | None
    sure: bool


class Ways(NamedTuple):
    """What is gained and lost, worst first; ``old`` and ``new`` say what the numbers of lost and gained rows stand for.

    ``cut``: some combinations of servers and times were left out.
    """

    gained: tuple[WayChange, ...]
    lost: tuple[WayChange, ...]
    old: AccessPaths
    new: AccessPaths
    cut: bool = False


class _Row(NamedTuple):
    """An access path in the joint space: where it holds, as bits, and what it takes; VTYs in use are numbered below 0,
    so that they are needs like others."""

    region: int
    demand: frozenset[int]
    alike: frozenset[int]
    level: int
    sure: bool
    unknowns: frozenset[object]
    path: AccessPath


#: What pieces of one row have in common: what they take, the level, that after login, certainty, the other level.
_Key = tuple[frozenset[int], int, int, bool, int | None]


class _Space(NamedTuple):
    """The joint space of one way: bits are ordered by address, then state, then source."""

    sources: int
    states: int
    addresses: JointAddresses
    #: for each address the sources of its own family, which alone can go there
    within: tuple[int, ...]

    def box(self, sources: int, states: int, addresses: int) -> int:
        """The region of a set of each."""
        spread = sum(1 << state * self.sources for state in bits_of(states))
        step = self.sources * self.states
        return sum((sources & self.within[address]) * spread << address * step for address in bits_of(addresses))

    def boxes(self, region: int) -> Iterator[tuple[int, int, int]]:
        """A region as few boxes, as sources, states and addresses."""
        found: dict[tuple[tuple[int, int], ...], int] = {}
        every = (1 << self.sources) - 1
        for address in range(len(self.addresses.labels)):
            here = region >> address * self.sources * self.states
            by_sources: dict[int, int] = {}
            for state in range(self.states):
                sources = here >> state * self.sources & every
                if sources:
                    by_sources[sources] = by_sources.get(sources, 0) | 1 << state
            if by_sources:
                key = tuple(by_sources.items())
                found[key] = found.get(key, 0) | 1 << address
        for pairs, addresses in found.items():
            for sources, states in pairs:
                yield sources, states, addresses


Explored = tuple[ResolvedDevice, AccessPaths]


def compare_ways(
    old: Explored | None, new: Explored | None, secrets: JointSecrets, keys: tuple[FactKey, FactKey]
) -> Ways:
    """What the second of two devices lets somebody reach that the first does not, and the other way round."""
    return _Comparison((old, new), secrets, keys).ways()


class _Comparison:
    def __init__(
        self, devices: tuple[Explored | None, Explored | None], secrets: JointSecrets, keys: tuple[FactKey, FactKey]
    ) -> None:
        self.devices, self.secrets, self.keys = devices, secrets, keys
        self.sources = JointSources([None if each is None else each[1].address_classes for each in devices])
        self.states = JointStates(devices)

    def ways(self) -> Ways:
        """All of it."""
        found = [
            AccessPaths(
                [],
                self.sources.classes,
                index,
                self.states.downs,
                times=self.states.times if len(set(self.states.times)) > 1 else (),
            )
            for index in self.secrets.indexes
        ]
        gained: list[WayChange] = []
        lost: list[WayChange] = []
        rows = [self._by_way(side) for side in (0, 1)]
        for via in dict.fromkeys((*rows[0], *rows[1])):
            addresses = joint_addresses([None if each is None else each[0] for each in self.devices], via)
            width = 1 if via in PORTS else self.sources.classes.everything.bit_length()
            within = tuple(1 if via in PORTS else self._within(label) for label in addresses.labels)
            space = _Space(width, len(self.states.downs), addresses, within)
            here = [self._rows(side, rows[side].get(via, ()), space) for side in (0, 1)]
            gained += self._more(here[1], here[0], 1, space)
            lost += self._more(here[0], here[1], 0, space)
        order = [sorted(each, key=lambda change: rank(change.path)) for each in (gained, lost)]
        return Ways(tuple(order[0]), tuple(order[1]), found[0], found[1], self.states.cut)

    def _within(self, label: str | None) -> int:
        """The sources that can go to an address of the device."""
        if label in (None, ELSEWHERE, UNKNOWN_ADDRESS):
            return self.sources.classes.everything
        return self.sources.classes.family[6 if ":" in str(label) else 4]

    def _by_way(self, side: int) -> dict[str, list[AccessPath]]:
        device = self.devices[side]
        found: dict[str, list[AccessPath]] = {}
        for path in device[1].paths if device is not None else ():
            found.setdefault(path.via, []).append(path)
        return found

    def _rows(self, side: int, paths: Sequence[AccessPath], space: _Space) -> list[_Row]:
        regions: dict[object, int] = {}
        return [self._row(side, path, space, regions) for path in paths]

    def _row(self, side: int, path: AccessPath, space: _Space, regions: dict[object, int]) -> _Row:
        of = self.secrets.of[side]
        needs = frozenset(of[each] for each in path.needs)
        busy = frozenset(~number for number in path.needs_busy)
        place = (path.sources, path.states, path.to)
        region = regions.get(place)
        if region is None:
            region = regions[place] = space.box(
                self.sources.lift(side, path.sources if path.via not in PORTS else None),
                self.states.lift(side, path.states),
                space.addresses.lift(side, path.to),
            )
        unknowns = frozenset(map(self.keys[side], path.unknowns))
        demand = needs | busy
        return _Row(region, demand, self.secrets.alike(demand), path.level, path.sure, unknowns, path)

    def _more(self, rows: Sequence[_Row], others: Sequence[_Row], side: int, space: _Space) -> Iterator[WayChange]:
        """What ``rows`` reach beyond ``others``."""
        strict, alike = _grouped(others, lambda row: row.demand), _grouped(others, lambda row: row.alike)
        merged: dict[_Key, tuple[int, frozenset[UnknownFact], frozenset[int], _Row]] = {}
        for row in rows:
            same = [each for part in parts_of(row.demand, strict) for each in strict[part]]
            left = row.region
            for each in same:
                covers = each.sure or (not row.sure and each.unknowns == row.unknowns)
                if covers and each.level >= row.level:
                    left &= ~each.region
            if not left:
                continue
            doubt = 0 if row.sure else left
            for part in parts_of(row.alike, alike):
                for each in alike[part]:
                    if each.level >= row.level:
                        doubt |= left & each.region
            for sure, piece in ((True, left & ~doubt), (False, left & doubt)):
                for before, region in _by_level(piece, same):
                    key = (row.demand, row.level, row.path.after_login, sure, before)
                    held = merged.get(key, (0, frozenset(), frozenset(), row))
                    vtys = held[2] | frozenset(row.path.vtys)
                    merged[key] = (held[0] | region, held[1] | row.path.unknowns, vtys, row)
        for (_, _, _, sure, before), (region, unknowns, vtys, row) in merged.items():
            for sources, states, addresses in space.boxes(region):
                path = row.path._replace(
                    sources=None if row.path.via in PORTS else sources,
                    states=states,
                    to=space.addresses.named(side, addresses),
                    needs=frozenset(each for each in row.demand if each >= 0),
                    sure=sure,
                    unknowns=unknowns,
                    vtys=tuple(sorted(vtys)),
                )
                yield WayChange(path, before, row.level, sure) if side else WayChange(path, row.level, before, sure)


def _grouped(rows: Iterable[_Row], key: Callable[[_Row], frozenset[int]]) -> Mapping[frozenset[int], list[_Row]]:
    found: dict[frozenset[int], list[_Row]] = {}
    for row in rows:
        found.setdefault(key(row), []).append(row)
    return found


def _by_level(region: int, rows: Iterable[_Row]) -> Iterator[tuple[int | None, int]]:
    """A region in parts, each with the highest level that some of ``rows`` surely reach there, None for no level."""
    ordered = sorted((row for row in rows if row.sure), key=lambda row: -row.level)
    for level, several in groupby(ordered, key=lambda row: row.level):
        if not region:
            return
        here = 0
        for row in several:
            here |= row.region & region
        if here:
            yield level, here
            region &= ~here
    if region:
        yield None, region
