"""The fixed point: what is reached from a start, by the fewest hops, and how each gain comes about.

In each round everything that is known and every address that is held is tried at every device. A login to a level that
may read the configuration gives all that stands there readable; a shell gives the device's own addresses as sources.
A round later both count. So the first arrival at a level is by a shortest chain.
"""

from collections.abc import Iterable, Iterator, Mapping
from typing import NamedTuple

from overhang.model import Address
from overhang.model.vocabulary import PORTS
from overhang.spread.start import Start
from overhang.spread.world import READS, SHELLS, Passage, World

START = -1


class Limits(NamedTuple):
    """What one may do: ``reads``: the lowest level that may read a configuration; ``may_change``: whoever is at level
    15 also gives the device other addresses of the networks that it is in."""

    reads: int = 15
    may_change: bool = False


class Hop(NamedTuple):
    """One login: by which passage, from which device's shell (START: from where the person began), from which address
    (None at a port, or where any will do)."""

    passage: Passage
    origin: int
    source: Address | None


class Arrival(NamedTuple):
    """A device reached at a level: in which round, by which hop, and how each secret that it needed was learnt: from
    which device's configuration, or START."""

    device: int
    level: int
    round: int
    hop: Hop
    learnt: tuple[tuple[int, int], ...]


class Reach(NamedTuple):
    """All that is reached: the arrivals in their order, the best of each device, and what is known at the end, each
    secret with the device that disclosed it."""

    start: Start
    arrivals: tuple[Arrival, ...]
    best: Mapping[int, Arrival]
    known: Mapping[int, int]
    limits: Limits

    def beyond(self) -> dict[int, Arrival]:
        """What is reached that is not the start itself."""
        return {device: each for device, each in self.best.items() if device not in self.start.at}


class Plan(NamedTuple):
    """What of a network cannot be used: passages that are closed, secrets that are changed and nowhere readable, and
    devices that disclose nothing any more."""

    closed: frozenset[tuple[int, str]] = frozenset()
    changed: frozenset[int] = frozenset()
    hidden: frozenset[int] = frozenset()


NO_PLAN = Plan()
DEFAULTS = Limits()


class Spreading:
    """One run towards the fixed point; another may go on from where it ended, with more that is known."""

    def __init__(self, world: World, start: Start, limits: Limits = DEFAULTS, plan: Plan = NO_PLAN) -> None:
        self.world, self.start, self.limits, self.plan = world, start, limits, plan
        self.known: dict[int, int] = {}
        self.sources: list[tuple[tuple[int, int, int], int]] = [
            ((each.family, each.value, each.value), START) for each in start.sources
        ]
        self.sources += [(each, START) for each in start.networks]
        self.outside = not start.sources and not start.networks and not start.nowhere
        self.arrivals: list[Arrival] = []
        self.best: dict[int, Arrival] = {}
        self.shells: set[int] = set()
        self.read: set[int] = set()
        self.blocked: list[Passage] = []
        self._held: dict[int, list[tuple[int, tuple[int, int, int], int]]] = {}
        self._number = 0

    def after(self, start: Start) -> "Spreading":
        """A run that goes on from here with what another start knows more."""
        new = Spreading(self.world, start, self.limits, self.plan)
        new.known, new.sources = dict(self.known), list(self.sources)
        new.best, new.shells, new.read = dict(self.best), set(self.shells), set(self.read)
        new.blocked = list(self.blocked)
        new._held = dict(self._held)
        return new

    def run(self) -> Reach:
        """Go on until nothing more is gained."""
        fresh = [each for each in sorted(self.start.secrets - self.plan.changed) if each not in self.known]
        self.known.update(dict.fromkeys(fresh, START))
        candidates = self._first() if not self.best and not self.blocked else self._with(fresh)
        while candidates:
            self._number += 1
            found = list(self._round(candidates))
            sources, secrets = len(self.sources), len(self.known)
            for each in found:
                self._gain(each)
            candidates = self._with(list(self.known)[secrets:])
            if len(self.sources) > sources:
                candidates += self.blocked
                self.blocked = []
        return Reach(self.start, tuple(self.arrivals), dict(self.best), dict(self.known), self.limits)

    def _first(self) -> list[Passage]:
        return [
            passage for place in self.world.devices for passage in place.passages if passage.needs <= self.known.keys()
        ]

    def _with(self, fresh: Iterable[int]) -> list[Passage]:
        """The passages that need one of some secrets, and nothing that is not known."""
        found: dict[tuple[int, int], Passage] = {}
        for secret in fresh:
            for passage in self.world.needing.get(secret, ()):
                if passage.needs <= self.known.keys():
                    found[passage.device, passage.number] = passage
        return list(found.values())

    def _round(self, candidates: Iterable[Passage]) -> Iterator[Arrival]:
        """What can be reached now and could not before; what only lacks a source waits."""
        for passage in sorted(candidates, key=lambda each: (each.device, -each.path.level, each.number)):
            if (passage.device, passage.path.via) in self.plan.closed or not self._better(passage):
                continue
            hop = self._hop(passage)
            if hop is None:
                self.blocked.append(passage)
                continue
            learnt = tuple((each, self.known[each]) for each in sorted(passage.needs))
            arrival = Arrival(passage.device, passage.path.level, self._number, hop, learnt)
            self.arrivals.append(arrival)
            best = self.best.get(passage.device)
            if best is None or arrival.level > best.level:
                self.best[passage.device] = arrival
            if passage.path.via in SHELLS:
                self.shells.add(passage.device)
            yield arrival

    def _better(self, passage: Passage) -> bool:
        """Whether a passage would lead higher, or to a shell where there was none."""
        best = self.best.get(passage.device)
        if best is None or passage.path.level > best.level:
            return True
        return passage.path.via in SHELLS and passage.device not in self.shells

    def _hop(self, passage: Passage) -> Hop | None:
        """From where a passage can be taken, if it can."""
        if passage.path.via in PORTS:
            sits = (passage.device, passage.path.via) in self.start.sits
            return Hop(passage, START, None) if sits or passage.device in self.start.ports else None
        if self.start.anywhere or (self.outside and passage.wide):
            return Hop(passage, START, None)
        wanted, place = passage.path.sources or 0, self.world.devices[passage.device]
        for classes, held, shell in self._sources_at(passage.device):
            if classes & wanted:
                for address in _addresses(place.part.space.ranges(classes & wanted), held):
                    if self.world.connected(address, place):
                        return Hop(passage, shell, address)
        return None

    def _sources_at(self, device: int) -> list[tuple[int, tuple[int, int, int], int]]:
        """The addresses that are held, as the source lists of a device see them."""
        held = self._held.get(device, [])
        if len(held) < len(self.sources):
            space = self.world.devices[device].part.space
            more = [
                (space.holding(family, low, high), (family, low, high), shell)
                for (family, low, high), shell in self.sources[len(held) :]
            ]
            held = self._held[device] = held + more
        return held

    def _gain(self, each: Arrival) -> None:
        """What an arrival gives: sources, and what can be read there."""
        via, place = each.hop.passage.path.via, self.world.devices[each.device]
        if via in SHELLS:
            mine = [(own.family, own.value, own.value) for own in place.own]
            if self.limits.may_change and each.level == 15:
                mine += place.part.networks
            there = set(self.sources)
            self.sources += [(each_, each.device) for each_ in mine if (each_, each.device) not in there]
        readable = each.level >= self.limits.reads and each.device not in self.plan.hidden
        if via in READS and readable and each.device not in self.read:
            self.read.add(each.device)
            for secret in sorted(self.world.secrets.disclosed[each.device] - self.plan.changed):
                self.known.setdefault(secret, each.device)


def _addresses(allowed: Iterable[tuple[int, int, int]], held: tuple[int, int, int]) -> Iterator[Address]:
    """An address of each range that is allowed and held at once."""
    family, low, high = held
    for kind, first, last in allowed if low < high else [held]:
        if kind == family and first <= high and low <= last:
            yield Address(family, min(max(first, low) + 1, last, high))


def spread_from(world: World, start: Start, limits: Limits = DEFAULTS, plan: Plan = NO_PLAN) -> Reach:
    """Everything that is reached from a start."""
    return Spreading(world, start, limits, plan).run()


def chain_of(reach: Reach, arrival: Arrival) -> list[Arrival]:
    """The arrivals that one depends on, in their order, itself last: the shells it came from, the devices that
    disclosed what it needed."""
    by_device: dict[int, list[Arrival]] = {}
    for each in reach.arrivals:
        by_device.setdefault(each.device, []).append(each)
    needed: dict[int, Arrival] = {}
    left = [arrival]
    while left:
        each = left.pop()
        if id(each) in needed:
            continue
        needed[id(each)] = each
        if each.hop.origin != START:
            left += _first(by_device[each.hop.origin], SHELLS, 0)
        for _, device in each.learnt:
            if device != START:
                left += _first(by_device.get(device, []), READS, reach.limits.reads)
    return sorted(needed.values(), key=lambda each: (each.round, each is arrival, each.device))


def _first(arrivals: list[Arrival], ways: tuple[str, ...], level: int) -> list[Arrival]:
    """The first arrival at a device by one of some ways, at a level or above."""
    return [each for each in arrivals if each.hop.passage.path.via in ways and each.level >= level][:1]
