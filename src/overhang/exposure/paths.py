"""Access paths as rows: for each smallest set of knowledge, from where, in which state of the servers, to which
level."""

import datetime
from collections.abc import Iterator, Mapping, Sequence
from itertools import combinations
from typing import Any, NamedTuple

from overhang.exposure.address_classes import AddressClasses, bits_of
from overhang.exposure.credentials import CredentialIndex
from overhang.exposure.explore import Explorer, Similar
from overhang.exposure.exploring_oracle import ExplorationContext, UnknownFact
from overhang.exposure.phases import PhaseResult, parts_of
from overhang.model import Address, Hours, parse_address
from overhang.model.vocabulary import PORTS
from overhang.simulation import ResolvedDevice
from overhang.simulation.challenge import Session

#: Up to so many servers every combination is looked at; beyond it each group is wholly up or wholly down.
_MOST_SERVERS = 8
_MOST_GROUPS = 8
#: And up to so many hours of the week that conditions tell apart.
_MOST_TIMES = 24


#: The addresses of a device that states none, but for those that its conditions name.
ELSEWHERE = "any other"
UNKNOWN_ADDRESS = "unknown"


class AccessPath(NamedTuple):
    """One row. ``sources`` is a set of the space's classes, None at a port; ``states`` a set of server states.

    ``to`` names the device's addresses that answer, None where the sheet states none or there is no network in between.
    ``needs`` are numbers of items. ``sure`` is false where it hangs on something that nobody can tell, ``unknowns``.
    ``vtys`` are the VTYs that it leads through, ``needs_busy`` those that must be in use for that.
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
    vtys: tuple[int, ...] = ()
    needs_busy: tuple[int, ...] = ()


class AccessPaths(NamedTuple):
    """All access paths of a device, worst first, and what their numbers stand for.

    ``complete`` is false where finding every path takes too much, and ``why_incomplete`` then says what.
    """

    paths: list[AccessPath]
    address_classes: AddressClasses
    credentials: CredentialIndex
    states: list[frozenset[str]]
    complete: bool = True
    why_incomplete: str = ""
    #: the times of day that hold in each state
    times: Sequence[frozenset[Hours]] = ()

    def down(self, path: AccessPath) -> list[list[str]]:
        """The states of the servers in which a path holds, each the sorted addresses of those that are down."""
        found = [tuple(sorted(down)) for index, down in enumerate(self.states) if path.states >> index & 1]
        return [list(down) for down in dict.fromkeys(found)]

    def hours(self, path: AccessPath) -> list[list[Hours]]:
        """The times of day at which a path holds, each the conditions that hold then; empty where it always does."""
        every = list(dict.fromkeys(self.times))
        found = list(dict.fromkeys(held for index, held in enumerate(self.times) if path.states >> index & 1))
        return [] if len(found) == len(every) else [sorted(held) for held in found]

    @property
    def all_up(self) -> int:
        """The states, as bits, in which all servers are up."""
        return self.states_where(frozenset())

    @property
    def all_down(self) -> frozenset[str]:
        """Every server that may be down."""
        return max(self.states, key=len)

    def time_of(self, path: AccessPath, down: frozenset[str]) -> frozenset[Hours] | None:
        """What holds of the time of day when a path is open with these servers down; None where nothing hangs on it."""
        if len(set(self.times)) < 2:
            return None
        return next((self.times[index] for index in bits_of(path.states & self.states_where(down))), None)

    def states_where(self, down: frozenset[str]) -> int:
        """The states, as bits, in which just these servers are down, whatever the time."""
        return sum(1 << index for index, each in enumerate(self.states) if each == down)

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


def explorer_of(
    resolved: ResolvedDevice,
    moment: datetime.datetime,
    held: Mapping[str, Any] | None = None,
    similar: Similar | None = None,
) -> Explorer:
    """The explorer of a device at ``moment``, for callers that also need the endpoints, or explore ``similar`` ones."""
    downs, times = server_states(resolved), time_classes(resolved)
    states = [down for down in downs for _ in times]
    around = ExplorationContext(
        AddressClasses.of(resolved), states, times * len(downs), CredentialIndex.of(resolved), held
    )
    return Explorer(resolved, around, moment, similar)


def paths_of(explorer: Explorer) -> AccessPaths:
    """Every way that an explorer finds."""
    rows: list[AccessPath] = []
    for via in (*PORTS, *explorer.resolved.services):
        rows += _rows_of(explorer, via)
    rows.sort(key=rank)
    around = explorer.around
    return AccessPaths(
        rows,
        around.address_classes,
        around.credentials,
        around.states,
        explorer.complete,
        explorer.why_incomplete,
        around.times,
    )


def paths_at(
    explorer: Explorer, via: str, arrivals: list[PhaseResult], to: tuple[str, ...] | None = None
) -> list[AccessPath]:
    """The access paths by ``via`` through some of its endpoints, worst first."""
    rows = [_path(explorer, via, to, row) for row in _split_of(explorer, arrivals)]
    return sorted(rows, key=rank)


def destinations_of(resolved: ResolvedDevice, via: str) -> list[tuple[str | None, Address | None]]:
    """The addresses of the device that logins by ``via`` may go to, each with its label; one of None for any."""
    found: list[tuple[str | None, Address | None]] = [(None, None)]
    if via in PORTS:
        return found
    if resolved.addresses:
        known = [own for own in resolved.addresses if own.prefix is not None]
        found = [(own.label, Address(own.prefix.family, own.prefix.host)) for own in known if own.prefix]
        return [*found, (UNKNOWN_ADDRESS, None)] if len(known) < len(resolved.addresses) else found
    named = {text for each in resolved.conditions.values() if each.addresses for text in each.addresses.value}
    if named:  # the device states none of its addresses: any other than these is as good as another
        found = [(ELSEWHERE, None), *((text, parse_address(text)) for text in sorted(named))]
    return found


def server_states(resolved: ResolvedDevice) -> list[frozenset[str]]:
    """The sets of servers that may be down together, as far as any method list asks them; the empty one first."""
    device = resolved.device
    asked = {said.value.group for methods in device.lists.values() for said in methods.methods if said.value.group}
    groups = [{each.value.address for each in device.groups[name].servers} for name in asked if name in device.groups]
    servers = [{address} for address in sorted(set().union(*groups))]
    if len(servers) > _MOST_SERVERS:
        servers = sorted(groups, key=sorted)[:_MOST_GROUPS]
    return [frozenset().union(*down) for size in range(len(servers) + 1) for down in combinations(servers, size)]


def time_classes(resolved: ResolvedDevice) -> list[frozenset[Hours]]:
    """The sets of times of day that hold together at some hour of the week; one, the empty one, where none is stated.

    Where they are too many, it is one too: what hangs on the time is then in doubt.
    """
    hours = resolved.hours
    minutes = sorted({0, *(minute for each in hours for minute in (each.first, each.last))})
    monday = datetime.datetime(2024, 1, 1)
    moments = [monday + datetime.timedelta(days=day, minutes=minute) for day in range(7) for minute in minutes]
    found = dict.fromkeys(frozenset(each for each in hours if each.hold(moment)) for moment in moments)
    return list(found) if len(found) <= _MOST_TIMES else [frozenset()]


def rank(path: AccessPath) -> tuple[object, ...]:
    """Sorts ways worst first, always in the same order."""
    wide = 0 if path.sources is None else -path.sources.bit_count()
    return (
        -path.level,
        len(path.needs),
        not path.sure,
        path.via in PORTS,
        len(path.needs_busy),
        wide,
        path.via,
        sorted(path.needs),
        -path.after_login,
        path.sources or 0,
        path.to or (),
        path.vtys,
        path.states,
        path.needs_busy,
    )


def _rows_of(explorer: Explorer, via: str) -> Iterator[AccessPath]:
    destinations = destinations_of(explorer.resolved, via)
    merged: dict[Row, list[str]] = {}
    by_arrival: dict[object, list[Row]] = {}
    for label, destination in destinations:
        arrivals = explorer.arrivals(via, destination)
        if label == UNKNOWN_ADDRESS:
            arrivals = [phase for phase in arrivals if not phase.sure]
        key = tuple(
            phase._replace(result=(id(phase.result.entry) if phase.result.entry else 0, phase.result.met))
            for phase in arrivals
        )
        if key not in by_arrival:
            by_arrival[key] = _split_of(explorer, arrivals)
        for row in by_arrival[key]:
            merged.setdefault(row, []).append(label or "")
    for row, labels in merged.items():
        everywhere = labels == [""] or (ELSEWHERE in labels and len(labels) == len(destinations))
        yield _path(explorer, via, None if everywhere else tuple(labels), row)


class Row(NamedTuple):
    """A row before it is a path: what it takes and leads to, and where it holds."""

    needs: frozenset[int]
    level: int
    after: int
    sure: bool
    busy: int
    sources: int
    states: int
    unknowns: frozenset[UnknownFact]
    vtys: frozenset[int]


def _path(explorer: Explorer, via: str, to: tuple[str, ...] | None, row: Row) -> AccessPath:
    return AccessPath(
        via,
        None if via in PORTS else row.sources,
        to,
        row.needs,
        row.after,
        row.level,
        row.states,
        row.sure,
        row.unknowns,
        tuple(sorted(row.vtys)),
        tuple(explorer.vty_numbers[: row.busy]),
    )


#: What is needed, the level reached and that after login, whether it is sure, and how many VTYs must be in use.
Key = tuple[frozenset[int], int, int, bool, int]


class Region(NamedTuple):
    """Where something holds, as pairs of state and source in bits; what it hangs on, and the VTYs it leads through."""

    pairs: int = 0
    unknowns: frozenset[UnknownFact] = frozenset()
    vtys: frozenset[int] = frozenset()


def _reduce(explorer: Explorer, arrivals: list[PhaseResult]) -> dict[Key, Region]:
    """For each smallest set of knowledge and what it reaches, where it holds. What takes fewer busy VTYs goes first."""
    around = explorer.around
    width = around.address_classes.everything.bit_length()
    cost = width * len(around.states) // 20_000
    regions: dict[Key, Region] = {}

    def add(key: Key, sources: int, states: int, unknowns: frozenset[UnknownFact], vtys: frozenset[int]) -> None:
        if sources and states:
            spread = sum(1 << (index * width) for index in range(len(around.states)) if states >> index & 1)
            explorer.work.spend(1 + cost)
            held = regions.get(key, Region())
            regions[key] = Region(held.pairs | spread * sources, held.unknowns | unknowns, held.vtys | vtys)

    for arrival in arrivals:
        vtys = explorer.vtys_of(arrival)
        for landing in explorer.landings(arrival.result):
            if explorer.work.done:
                break
            sources, states = arrival.sources & landing.sources, arrival.states & landing.states
            sure = arrival.sure and landing.sure
            unknowns = arrival.unknowns | landing.unknowns
            key = (landing.needs, landing.result, landing.result, sure, arrival.busy)
            add(key, sources, states, unknowns, vtys)
            session = landing.session or Session(landing.result)
            for up in explorer.elevated(arrival.result, session):
                key = (landing.needs | up.needs, up.result, landing.result, sure and up.sure, arrival.busy)
                add(key, sources & up.sources, states & up.states, unknowns | up.unknowns, vtys)
    kept: dict[Key, Region] = {}
    by_needs: dict[frozenset[int], list[tuple[int, bool, int, int]]] = {}
    for key in sorted(regions, key=lambda key: (len(key[0]), -key[1], not key[3], key[4], -key[2])):
        needs, level, _, sure, busy = key
        pairs = regions[key].pairs
        if explorer.work.done:  # what another row makes needless is then told too
            kept[key] = regions[key]
            continue
        parts = parts_of(needs, by_needs)
        explorer.work.spend((1 + cost) * sum(len(by_needs[part]) for part in parts) // 4)
        for part in parts:
            for higher, certain, fewer, covered in by_needs[part]:
                if higher >= level and (certain or not sure) and fewer <= busy:
                    pairs &= ~covered
        if pairs:
            kept[key] = regions[key]._replace(pairs=pairs)
            by_needs.setdefault(needs, []).append((level, sure, busy, pairs))
    return kept


def _split_of(explorer: Explorer, arrivals: list[PhaseResult]) -> list[Row]:
    """What some arrivals lead to, as rows; worked out once for those that the explorer keeps."""
    key = tuple(map(id, arrivals))
    if key not in explorer.rows or explorer.rows[key][0] != arrivals:
        explorer.rows[key] = arrivals, list(_split(explorer, _reduce(explorer, arrivals)))
    return explorer.rows[key][1]


def _split(explorer: Explorer, regions: dict[Key, Region]) -> Iterator[Row]:
    """Each region as rows: for each set of sources the set of states in which it is that one."""
    width = explorer.around.address_classes.everything.bit_length()
    everything = explorer.around.address_classes.everything
    for (needs, level, after, sure, busy), region in regions.items():
        by_sources: dict[int, int] = {}
        for index in range(len(explorer.around.states)):
            sources = region.pairs >> (index * width) & everything
            if sources:
                by_sources[sources] = by_sources.get(sources, 0) | 1 << index
        for sources, states in by_sources.items():
            yield Row(needs, level, after, sure, busy, sources, states, region.unknowns, region.vtys)


def backup_reader(found: AccessPaths) -> frozenset[str]:
    """The items that a reader of the configuration knows: those stored in clear text or masked."""
    return frozenset(
        name for number, names in enumerate(found.credentials.names) if found.forms(number) for name in names
    )
