"""What a rule may look at: the sheet, the setting, the project, and every way in, place by place.

A rule that speaks of getting in asks the ways and the decision behind them; it does not guess from the words.
"""

import datetime
from collections.abc import Hashable, Iterable, Iterator
from typing import Any, NamedTuple

from overhang.device import Device, Said
from overhang.login import Attempt, FromAttempt, FromProfile, Result, Setting, Step, decide
from overhang.login.result import Because
from overhang.login.setting import LABELS, PORTS, VTY_WAYS, Account, EntryView, ServiceView
from overhang.project import Person, Project, Thresholds
from overhang.rules.model import Finding, Severity
from overhang.rules.remedies import Remedies
from overhang.rules.severity import Takes, of_lock_out, of_ways
from overhang.secrets import Stored
from overhang.text import Origin
from overhang.ways import Way, WaysIn, explorer_of, levels_of, rows_at, ways_of
from overhang.ways.explore import ANYBODY
from overhang.ways.rows import rank

#: A rule speaks only of what is sure: what needs more runs than this to tell is in doubt to it.
_MOST_RUNS = 64


class Spot(NamedTuple):
    """A place where logins arrive by one way, and all that leads in there.

    ``numbers`` are the VTYs, alike and not necessarily neighbours. ``sources`` is the set that arrives (None at a
    port). ``rows`` are the ways in that are sure, worst first; ``arrives`` tells whether any login surely gets so far.
    """

    via: str
    label: str
    numbers: tuple[int, ...]
    view: EntryView | None
    service: ServiceView | None
    sources: int | None
    arrives: bool
    rows: tuple[Way, ...]

    @property
    def way_label(self) -> str:
        """SSH, Telnet, ...: what messages call the way."""
        return LABELS.get(self.via, self.label)

    @property
    def free(self) -> list[Way]:
        """The ways in for who knows nothing."""
        return [row for row in self.rows if not row.needs]


class Place(NamedTuple):
    """A stored password: its item of knowledge or other name, what people call it, and the form it is kept in."""

    item: str
    label: str
    said: Said[Stored]


class Case:
    """One device before the rules. ``moment`` is the time that the audit goes by."""

    def __init__(self, setting: Setting, project: Project, moment: datetime.datetime) -> None:
        self.setting = setting
        self.project = project
        self.moment = moment
        self.explorer = explorer_of(setting, moment, project.servers)
        self.ways: WaysIn = ways_of(self.explorer)
        self.rows = [way for way in self.ways.ways if way.sure]
        self.remedies = Remedies(self)
        #: what could not be examined, and why; rules add to it
        self.not_examined: list[tuple[str, str, tuple[Origin, ...]]] = []
        #: the ways in for nothing, with what lets people in; the rules about strangers keep them here
        self.strangers: list[Any] | None = None
        #: the accounts that can be used; the rules about accounts keep them here
        self.usable: list[Account] | None = None
        self._by_needs: dict[frozenset[int], list[Way]] | None = None
        self._asked: dict[object, set[Because]] = {}
        self._shown: dict[object, Result | None] = {}
        self._spots: list[Spot] | None = None
        self._places: list[Place] | None = None
        self._levels: dict[str, dict[str, int]] | None = None

    @property
    def device(self) -> Device:
        """The device."""
        return self.setting.device

    @property
    def thresholds(self) -> Thresholds:
        """The project's measures."""
        return self.project.thresholds

    @property
    def locked_away(self) -> bool:
        """Whether the project says that only trusted people reach this device's ports."""
        from fnmatch import fnmatchcase

        site = self.device.facts.site.value if self.device.facts.site else ""
        return any(fnmatchcase(word, each) for word in (self.device.name, site) for each in self.project.locked_away)

    # -- findings ----------------------------------------------------------------------------------------------------

    def opened(
        self,
        rule: str,
        message: str,
        because: Iterable[Because],
        rows: Iterable[Way],
        takes: Takes,
        remedy: Iterable[str],
        *causes: Hashable,
        also: Iterable[Way] = (),
    ) -> Finding:
        """A finding about getting in: the ways that it opens give its severity.

        ``also`` are ways that it makes easier, and that still need something else.
        """
        ways = tuple(sorted(set(rows), key=rank))
        easier = tuple(sorted(set(also).difference(ways), key=rank))
        space, away = self.ways.space, self.locked_away
        severity = of_ways(ways, takes, space, locked_away=away)
        severity = max(severity, of_ways(easier, Takes.EFFORT, space, locked_away=away))
        lines, unsaid = proof(because)
        return Finding(rule, severity, message, lines, unsaid, ways + easier, tuple(remedy), causes)

    def shut(
        self,
        rule: str,
        message: str,
        because: Iterable[Because],
        remedy: Iterable[str],
        *causes: Hashable,
        everybody: bool = False,
        always: bool = False,
    ) -> Finding:
        """A finding about the right people being kept out."""
        lines, unsaid = proof(because)
        severity = of_lock_out(everybody=everybody, always=always)
        return Finding(rule, severity, message, lines, unsaid, (), tuple(remedy), causes)

    def stated(
        self,
        rule: str,
        severity: Severity,
        message: str,
        because: Iterable[Because],
        remedy: Iterable[str],
        *causes: Hashable,
    ) -> Finding:
        """A finding about something else than getting in, whose severity is the rule's own."""
        lines, unsaid = proof(because)
        return Finding(rule, severity, message, lines, unsaid, (), tuple(remedy), causes)

    # -- ways in -----------------------------------------------------------------------------------------------------

    def spots(self) -> list[Spot]:
        """Every place that logins arrive at, by each way: ports, groups of alike VTYs, web, SNMP, other doors."""
        if self._spots is None:
            self._spots = [spot for via in (*PORTS, *self.setting.services) for spot in self._spots_of(via)]
        return self._spots

    def _spots_of(self, via: str) -> Iterator[Spot]:
        arrivals = self.explorer.arrivals(via, None)
        by_view: dict[object, list[int]] = {}
        for view in self.vtys() if via in VTY_WAYS else ():
            by_view.setdefault(view.likeness, []).append(view.number or 0)
        groups: dict[object, list[int]] = {}
        for index, path in enumerate(arrivals):
            view = path.result.entry
            groups.setdefault(view.likeness if view is not None else via, []).append(index)
        for likeness, indices in groups.items():
            paths = [arrivals[index] for index in indices]
            place = paths[0].result
            numbers = tuple(by_view.get(likeness, ()))
            sources = 0
            for path in paths:
                sources |= path.sources
            label = vtys_label(numbers) if numbers else place.entry.spoken if place.entry is not None else place.label
            rows = tuple(row for row in rows_at(self.explorer, via, paths) if row.sure)
            arrives = any(path.sure for path in paths)
            yield Spot(
                via, label, numbers, place.entry, place.service, None if via in PORTS else sources, arrives, rows
            )

    def vty_groups(self) -> list[list[Spot]]:
        """The spots of each group of alike VTYs together: by SSH, by Telnet, or both."""
        groups: dict[tuple[int, ...], list[Spot]] = {}
        for spot in self.spots():
            if spot.numbers:
                groups.setdefault(spot.numbers, []).append(spot)
        return [groups[numbers] for numbers in sorted(groups)]

    def names_of(self, row: Way) -> frozenset[str]:
        """The names of all items that a way needs."""
        return frozenset(name for number in row.needs for name in self.ways.items.names[number])

    def opened_by(self, items: Iterable[str], rows: Iterable[Way] | None = None) -> list[Way]:
        """The ways in for who knows no more than ``items``, those that need none of them left out."""
        known = frozenset(self.ways.items.number(item) for item in items if self.ways.items.has(item))
        if rows is None and len(known) <= 1:
            if self._by_needs is None:
                self._by_needs = {}
                for row in self.rows:
                    self._by_needs.setdefault(row.needs, []).append(row)
            return list(self._by_needs.get(known, ())) if known else []
        return [row for row in (self.rows if rows is None else rows) if row.needs and row.needs <= known]

    def needing(self, item: str, rows: Iterable[Way] | None = None) -> list[Way]:
        """The ways in that need an item, perhaps with others."""
        return [row for row in (self.rows if rows is None else rows) if item in self.names_of(row)]

    def wide(self, rows: Iterable[Way]) -> list[Way]:
        """Those of the ways that can be taken from anywhere."""
        return [row for row in rows if row.sources is not None and self.ways.space.wide(row.sources)]

    def shown(self, spot: Spot, row: Way, elevate: int | None = None) -> Result | None:
        """An attempt that shows a way: its result. None where none was found within bounds.

        With ``elevate``, one that takes the way and then asks for that level, whatever comes of it.
        """
        key = (spot.via, spot.numbers, row, elevate)
        if key not in self._shown:
            self._shown[key] = self._show(spot, row, elevate)
        return self._shown[key]

    def _show(self, spot: Spot, row: Way, elevate: int | None) -> Result | None:
        knows = self.names_of(row)
        source = None if row.sources is None else self.ways.space.example(row.sources)
        down = next(state for index, state in enumerate(self.ways.states) if row.states >> index & 1)
        busy = frozenset(
            view.number for view in self.vtys() if view.number is not None and view.number not in spot.numbers
        )
        for name in self._names(knows):
            for texts in ((), ("anything",)):
                attempt = Attempt(
                    spot.via,
                    self.moment,
                    source,
                    name=name,
                    passwords=texts,
                    knows=knows,
                    elevate=elevate or (row.level if row.level > row.after_login else None),
                    elevate_passwords=texts,
                    ssh_versions=(1, 2),
                    busy=busy if spot.numbers else frozenset(),
                    down=down,
                    servers=self.project.servers,
                )
                result = decide(self.setting, attempt, most_runs=_MOST_RUNS).result
                if result.outcome == "admitted" and result.level == row.level:
                    return result
        return None

    def stranger(
        self,
        via: str,
        numbers: tuple[int, ...] = (),
        down: frozenset[str] = frozenset(),
        name: str = "somebody",
        knows: frozenset[str] = frozenset(),
        ssh_versions: tuple[int, ...] = (1, 2),
    ) -> Iterator[Result]:
        """How attempts of who knows nothing, or no more than ``knows``, end from each kind of source.

        The VTYs other than ``numbers`` are busy; the person types what opens nothing.
        """
        busy = frozenset(view.number for view in self.vtys() if view.number is not None and view.number not in numbers)
        sources = [None] if via in PORTS else self.setting.source_classes()
        for source in sources:
            attempt = Attempt(
                via,
                self.moment,
                source,
                name=name,
                passwords=("anything",),
                knows=knows,
                ssh_versions=ssh_versions,
                busy=busy if numbers else frozenset(),
                down=down,
            )
            yield decide(self.setting, attempt, most_runs=_MOST_RUNS).result

    def asked(self, name: str, knows: frozenset[str] = frozenset()) -> set[Because]:
        """The statements that logins under a name come by, at every place, with the servers up and down."""
        key = (name, knows)
        if key not in self._asked:
            down = {frozenset[str](), max(self.ways.states, key=len)}
            self._asked[key] = {
                step.origin
                for spot in self.spots()
                if spot.arrives
                for state in down
                for result in self.stranger(spot.via, spot.numbers, state, name, knows)
                for step in result.trace
                if step.stage == "checking"
            }
        return self._asked[key]

    def _names(self, knows: frozenset[str]) -> Iterator[str | None]:
        """Names worth giving by somebody with ``knows``: those of its items first, then none, anybody's, all others."""
        named: list[str | None] = []
        for item in sorted(knows):
            kind, _, name = item.partition(":")
            if kind in ("user", "key"):
                named.append(name)
            elif kind == "server":
                named.append(name.partition("/")[2])
        yield from named
        yield from (None, "somebody", ANYBODY)
        yield from (account.name for account in self.setting.accounts)

    def people(self) -> list[Person]:
        """The project's people."""
        return list(self.project.people.values())

    def used(self, via: str) -> bool:
        """Whether anybody of the project's people gets in by a way."""
        if self._levels is None:
            self._levels = {person.name: levels_of(self.ways, person, self.project) for person in self.people()}
        return any(via in levels for levels in self._levels.values())

    # -- looking at the device ---------------------------------------------------------------------------------------

    def vtys(self) -> list[EntryView]:
        """All VTYs, named or not; where their number is unknown, those that statements name."""
        count = self.setting.facts["vtys"].value
        return self.setting.vtys(count if isinstance(count, int) else 0)

    def passwords(self) -> list[Place]:
        """Every stored password of the device, in the order of the sheet."""
        if self._places is None:
            self._places = sorted(self._all_passwords(), key=lambda place: place.said.origin.line)
        return self._places

    def _all_passwords(self) -> Iterator[Place]:
        device = self.device
        for label, entry in (("console", device.console), ("auxiliary port", device.auxiliary)):
            if entry.password is not None:
                yield Place(entry.item, f"the {label}", entry.password)
        seen: set[Origin] = set()
        for entry in device.vtys.values():
            if entry.password is not None and entry.password.origin not in seen:
                seen.add(entry.password.origin)
                yield Place(entry.item, "VTY " + entry.item.removeprefix("entry:vty "), entry.password)
        for level, elevation in device.elevations.items():
            for said in (elevation.strong, elevation.plain):
                if said is not None:
                    dead = said is elevation.plain and elevation.strong is not None
                    yield Place(f"elevation:{level}" + "/dead" * dead, f"elevation to level {level}", said)
        for user in device.users.values():
            if user.password is not None:
                yield Place(f"user:{user.name}", f"account {user.name}", user.password)
        for number, community in enumerate(device.snmp.communities, 1):
            said = Said(community.value.password, community.origin)
            yield Place(f"community:{number}", f"SNMP community {number}", said)
        for group in device.groups.values():
            for server in group.servers:
                if server.value.secret is not None:
                    label = f"server {server.value.address} of group {group.name}"
                    yield Place(
                        f"secret:{group.name}/{server.value.address}", label, Said(server.value.secret, server.origin)
                    )


def vtys_label(numbers: Iterable[int]) -> str:
    """``VTY 7``, ``VTYs 0-3``, ``VTYs 0-3 and 8-15``."""
    ranges = [f"{first}-{last}" if first != last else str(first) for first, last in runs_of(numbers)]
    single = len(ranges) == 1 and "-" not in ranges[0]
    return f"VTY {ranges[0]}" if single else f"VTYs {listed(ranges)}"


def runs_of(numbers: Iterable[int]) -> list[tuple[int, int]]:
    """Numbers, in order, as runs of neighbours: first and last of each."""
    runs: list[tuple[int, int]] = []
    for number in numbers:
        if runs and number == runs[-1][1] + 1:
            runs[-1] = (runs[-1][0], number)
        else:
            runs.append((number, number))
    return runs


def listed(words: Iterable[str], most: int = 5) -> str:
    """``a``, ``a and b``, ``a, b and c``; of more than ``most``, the first and how many more; each once."""
    found = list(dict.fromkeys(words))
    if len(found) > most:
        return f"{', '.join(found[: most - 1])} and {len(found) - most + 1} more"
    return found[0] if len(found) == 1 else f"{', '.join(found[:-1])} and {found[-1]}"


def proof(origins: Iterable[Because]) -> tuple[tuple[Origin, ...], tuple[FromProfile, ...]]:
    """Origins parted into lines of the sheet, in order, and keys of the profile; each once."""
    found = list(dict.fromkeys(origins))
    lines = sorted((each for each in found if isinstance(each, Origin) and each.line), key=lambda each: each.line)
    return tuple(lines), tuple(each for each in found if isinstance(each, FromProfile))


def origins_of(steps: Iterable[Step], *stages: str) -> list[Because]:
    """What the steps of a trace come from, of some stages or of all; what followed from the attempt is left out."""
    return [
        step.origin
        for step in steps
        if not isinstance(step.origin, FromAttempt) and (not stages or step.stage in stages)
    ]
