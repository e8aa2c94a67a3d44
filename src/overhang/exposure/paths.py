"""Access paths as rows: for each smallest set of knowledge, from where, in which state of the servers, to which
level."""

import datetime
from collections.abc import Iterator, Mapping
from itertools import combinations
from typing import Any, NamedTuple

from overhang.exposure.address_classes import AddressClasses
from overhang.exposure.credentials import CredentialIndex
from overhang.exposure.explore import Explorer, PhaseResult, parts_of
from overhang.exposure.exploring_oracle import ExplorationContext, UnknownFact
from overhang.model import Address
from overhang.model.vocabulary import PORTS
from overhang.simulation import ResolvedDevice

#: Up to so many servers every combination is looked at; beyond it each group is wholly up or wholly down.
_MOST_SERVERS = 8
_MOST_GROUPS = 8


class AccessPath(NamedTuple):
    """One row. ``sources`` is a set of the space's classes, None at a port; ``states`` a set of server states.

    ``to`` names the device's addresses that answer, None where the sheet states none or there is no network in between.
    ``needs`` are numbers of items. ``sure`` is false where it hangs on something that nobody can tell, ``unknowns``.
    """

    via: str
    sources: int | None
    to: tuple[str, ...] | None
    needs: frozenset[int]
    after_login: int
    level: int
    states: int
    sure: bool
    unknowns: frozenset[UnknownFact] = frozenset()


class AccessPaths(NamedTuple):
    """All access paths of a device, worst first, and what their numbers stand for. ``complete`` is false where too much
    is in doubt to find every path.
    """

    paths: list[AccessPath]
    address_classes: AddressClasses
    credentials: CredentialIndex
    states: list[frozenset[str]]
    complete: bool = True

    def down(self, path: AccessPath) -> list[list[str]]:
        """The states of the servers in which a path holds, each the sorted addresses of those that are down."""
        return [sorted(down) for index, down in enumerate(self.states) if path.states >> index & 1]

    def names_of(self, path: AccessPath) -> frozenset[str]:
        """The names of all items that a path needs."""
        return frozenset(name for number in path.needs for name in self.credentials.names[number])

    def always(self, path: AccessPath) -> bool:
        """Whether a way holds in every state of the servers."""
        return path.states == (1 << len(self.states)) - 1

    def forms(self, number: int) -> set[str]:
        """The forms in which the configuration discloses an item: readable, masked, or none."""
        found = set()
        for stored in self.credentials.stored[number]:
            if stored is not None and (stored.readable or stored.masked):
                found.add("readable" if stored.readable else "masked")
        return found


def find_paths(
    resolved: ResolvedDevice, moment: datetime.datetime, held: Mapping[str, Any] | None = None
) -> AccessPaths:
    """Every access path of a device at ``moment``; ``held`` is what the AAA servers hold, None where that is not
    known."""
    return paths_of(explorer_of(resolved, moment, held))


def explorer_of(resolved: ResolvedDevice, moment: datetime.datetime, held: Mapping[str, Any] | None = None) -> Explorer:
    """The explorer of a device at ``moment``, for callers that also need the endpoints."""
    around = ExplorationContext(AddressClasses(resolved), server_states(resolved), CredentialIndex(resolved), held)
    return Explorer(resolved, around, moment)


def paths_of(explorer: Explorer) -> AccessPaths:
    """Every way that an explorer finds."""
    rows: list[AccessPath] = []
    for via in (*PORTS, *explorer.resolved.services):
        rows += _rows_of(explorer, via)
    rows.sort(key=rank)
    around = explorer.around
    return AccessPaths(rows, around.address_classes, around.credentials, around.states, explorer.complete)


def paths_at(explorer: Explorer, via: str, arrivals: list[PhaseResult]) -> list[AccessPath]:
    """The access paths by ``via`` through some of its endpoints, worst first."""
    rows = [
        AccessPath(via, None if via in PORTS else sources, None, needs, after, level, states, sure, unknowns)
        for needs, level, after, sure, sources, states, unknowns in _split(explorer, _reduce(explorer, arrivals))
    ]
    return sorted(rows, key=rank)


def server_states(resolved: ResolvedDevice) -> list[frozenset[str]]:
    """The sets of servers that may be down together, as far as any method list asks them; the empty one first."""
    device = resolved.device
    asked = {said.value.group for methods in device.lists.values() for said in methods.methods if said.value.group}
    groups = [{each.value.address for each in device.groups[name].servers} for name in asked if name in device.groups]
    servers = [{address} for address in sorted(set().union(*groups))]
    if len(servers) > _MOST_SERVERS:
        servers = sorted(groups, key=sorted)[:_MOST_GROUPS]
    return [frozenset().union(*down) for size in range(len(servers) + 1) for down in combinations(servers, size)]


def rank(path: AccessPath) -> tuple[object, ...]:
    """Sorts ways worst first, always in the same order."""
    wide = 0 if path.sources is None else -path.sources.bit_count()
    return (
        -path.level,
        len(path.needs),
        not path.sure,
        path.via in PORTS,
        wide,
        path.via,
        sorted(path.needs),
        -path.after_login,
    )


def _rows_of(explorer: Explorer, via: str) -> Iterator[AccessPath]:
    resolved = explorer.resolved
    destinations: list[tuple[str | None, Address | None]] = [(None, None)]
    if via not in PORTS and resolved.addresses:
        known = [own for own in resolved.addresses if own.prefix is not None]
        destinations = [(own.label, Address(own.prefix.family, own.prefix.host)) for own in known if own.prefix]
        if len(known) < len(resolved.addresses):
            destinations.append(("unknown", None))
    merged: dict[tuple[Any, ...], list[str]] = {}
    by_arrival: dict[object, list[tuple[Any, ...]]] = {}
    for label, destination in destinations:
        arrivals = explorer.arrivals(via, destination)
        if label == "unknown":
            arrivals = [phase for phase in arrivals if not phase.sure]
        key = tuple(phase._replace(result=id(phase.result.entry) if phase.result.entry else 0) for phase in arrivals)
        if key not in by_arrival:
            by_arrival[key] = list(_split(explorer, _reduce(explorer, arrivals)))
        for row in by_arrival[key]:
            merged.setdefault(row, []).append(label or "")
    for (needs, level, after, sure, sources, states, unknowns), labels in merged.items():
        to = tuple(labels) if labels != [""] else None
        yield AccessPath(via, None if via in PORTS else sources, to, needs, after, level, states, sure, unknowns)


Key = tuple[frozenset[int], int, int, bool]
Region = tuple[int, frozenset[UnknownFact]]


def _reduce(explorer: Explorer, arrivals: list[PhaseResult]) -> dict[Key, Region]:
    """For each smallest set of knowledge and what it reaches, where it holds: pairs of state and source as bits; and
    what it hangs on."""
    around = explorer.around
    width = around.address_classes.everything.bit_length()
    regions: dict[Key, int] = {}
    hangs: dict[Key, frozenset[UnknownFact]] = {}

    def add(key: Key, sources: int, states: int, unknowns: frozenset[UnknownFact]) -> None:
        if sources and states:
            spread = sum(1 << (index * width) for index in range(len(around.states)) if states >> index & 1)
            regions[key] = regions.get(key, 0) | spread * sources
            hangs[key] = hangs.get(key, frozenset()) | unknowns

    for arrival in arrivals:
        for landing in explorer.landings(arrival.result):
            sources, states = arrival.sources & landing.sources, arrival.states & landing.states
            sure = arrival.sure and landing.sure
            unknowns = arrival.unknowns | landing.unknowns
            add((landing.needs, landing.result, landing.result, sure), sources, states, unknowns)
            for up in explorer.elevated(arrival.result, landing.result):
                key = (landing.needs | up.needs, up.result, landing.result, sure and up.sure)
                add(key, sources & up.sources, states & up.states, unknowns | up.unknowns)
    kept: dict[Key, Region] = {}
    by_needs: dict[frozenset[int], list[tuple[int, bool, int]]] = {}
    for key in sorted(regions, key=lambda key: (len(key[0]), -key[1], not key[3], -key[2])):
        needs, level, _, sure = key
        region = regions[key]
        for part in parts_of(needs, by_needs):
            for higher, certain, covered in by_needs[part]:
                if higher >= level and (certain or not sure):
                    region &= ~covered
        if region:
            kept[key] = region, hangs[key]
            by_needs.setdefault(needs, []).append((level, sure, region))
    return kept


def _split(explorer: Explorer, regions: dict[Key, Region]) -> Iterator[tuple[Any, ...]]:
    """Each region as rows: for each set of sources the set of states in which it is that one."""
    width = explorer.around.address_classes.everything.bit_length()
    everything = explorer.around.address_classes.everything
    for (needs, level, after, sure), (region, unknowns) in regions.items():
        by_sources: dict[int, int] = {}
        for index in range(len(explorer.around.states)):
            sources = region >> (index * width) & everything
            if sources:
                by_sources[sources] = by_sources.get(sources, 0) | 1 << index
        for sources, states in by_sources.items():
            yield needs, level, after, sure, sources, states, unknowns


def backup_reader(found: AccessPaths) -> frozenset[str]:
    """The items that a reader of the configuration knows: those stored in clear text or masked."""
    return frozenset(
        name for number, names in enumerate(found.credentials.names) if found.forms(number) for name in names
    )
