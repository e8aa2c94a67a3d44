"""What a rule may look at: the sheet, the setting, the project, and every way in, place by place.

A rule that speaks of getting in asks the ways and the decision behind them; it does not guess from the words.
"""

import datetime
from collections.abc import Hashable, Iterable, Iterator
from typing import Any, NamedTuple

from overhang.audit.findings import Finding, Severity
from overhang.audit.fixes import Fixes
from overhang.audit.severity import AttackerEffort, of_lock_out, of_ways
from overhang.exposure import AccessPath, AccessPaths, explorer_of, levels_of, paths_at, paths_of
from overhang.exposure.explore import ANYBODY
from overhang.exposure.paths import rank
from overhang.model import Configured, Device
from overhang.model.stored_secret import StoredSecret
from overhang.model.vocabulary import PORTS, VTY_WAYS, way_label
from overhang.project import Person, Project, Thresholds
from overhang.simulate import Attempt, FromAttempt, FromProfile, ResolvedDevice, Result, Step, decide
from overhang.simulate.reasons import Stage
from overhang.simulate.resolve import Account, ResolvedEntry, ResolvedService
from overhang.simulate.result import Provenance
from overhang.text import Origin

#: A rule speaks only of what is sure: what needs more runs than this to tell is in doubt to it.
_MOST_RUNS = 64


class AccessPoint(NamedTuple):
    """A place where logins arrive by one way, and all that leads in there.

    ``numbers`` are the VTYs, alike and not necessarily neighbours. ``sources`` is the set that arrives (None at a
    port). ``rows`` are the ways in that are sure, worst first; ``arrives`` tells whether any login surely gets so far.
    """

    via: str
    label: str
    numbers: tuple[int, ...]
    view: ResolvedEntry | None
    service: ResolvedService | None
    sources: int | None
    arrives: bool
    paths: tuple[AccessPath, ...]

    @property
    def way_label(self) -> str:
        """SSH, Telnet, ...: what messages call the way."""
        return way_label(self.via)

    @property
    def free(self) -> list[AccessPath]:
        """The ways in for who knows nothing."""
        return [path for path in self.paths if not path.needs]


class SecretLocation(NamedTuple):
    """A stored password: its item of knowledge or other name, what people call it, and the form it is kept in."""

    item: str
    label: str
    said: Configured[StoredSecret]


class RuleContext:
    """One device before the rules. ``moment`` is the time that the audit goes by."""

    def __init__(self, resolved: ResolvedDevice, project: Project, moment: datetime.datetime) -> None:
        self.resolved = resolved
        self.project = project
        self.moment = moment
        self.explorer = explorer_of(resolved, moment, project.servers)
        self.exposure: AccessPaths = paths_of(self.explorer)
        self.paths = [path for path in self.exposure.paths if path.sure]
        self.fixes = Fixes(self)
        #: what could not be examined, and why; rules add to it
        self.not_examined: list[tuple[str, str, tuple[Origin, ...]]] = []
        #: the ways in for nothing, with what lets people in; the rules about strangers keep them here
        self.unauthenticated: list[Any] | None = None
        #: the accounts that can be used; the rules about accounts keep them here
        self.usable: list[Account] | None = None
        self._by_needs: dict[frozenset[int], list[AccessPath]] | None = None
        self._asked: dict[object, set[Provenance]] = {}
        self._shown: dict[object, Result | None] = {}
        self._access_points: list[AccessPoint] | None = None
        self._places: list[SecretLocation] | None = None
        self._levels: dict[str, dict[str, int]] | None = None

    @property
    def device(self) -> Device:
        """The device."""
        return self.resolved.device

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
        because: Iterable[Provenance],
        paths: Iterable[AccessPath],
        effort: AttackerEffort,
        fix: Iterable[str],
        *dedup_keys: Hashable,
        also: Iterable[AccessPath] = (),
    ) -> Finding:
        """A finding about getting in: the ways that it opens give its severity.

        ``also`` are ways that it makes easier, and that still need something else.
        """
        exposure = tuple(sorted(set(paths), key=rank))
        easier = tuple(sorted(set(also).difference(exposure), key=rank))
        address_classes, away = self.exposure.address_classes, self.locked_away
        severity = of_ways(exposure, effort, address_classes, locked_away=away)
        severity = max(severity, of_ways(easier, AttackerEffort.EFFORT, address_classes, locked_away=away))
        lines, unsaid = proof(because)
        return Finding(rule, severity, message, lines, unsaid, exposure + easier, tuple(fix), dedup_keys)

    def shut(
        self,
        rule: str,
        message: str,
        because: Iterable[Provenance],
        fix: Iterable[str],
        *dedup_keys: Hashable,
        everybody: bool = False,
        always: bool = False,
    ) -> Finding:
        """A finding about the right people being kept out."""
        lines, unsaid = proof(because)
        severity = of_lock_out(everybody=everybody, always=always)
        return Finding(rule, severity, message, lines, unsaid, (), tuple(fix), dedup_keys)

    def stated(
        self,
        rule: str,
        severity: Severity,
        message: str,
        because: Iterable[Provenance],
        fix: Iterable[str],
        *dedup_keys: Hashable,
    ) -> Finding:
        """A finding about something else than getting in, whose severity is the rule's own."""
        lines, unsaid = proof(because)
        return Finding(rule, severity, message, lines, unsaid, (), tuple(fix), dedup_keys)

    # -- ways in -----------------------------------------------------------------------------------------------------

    def access_points(self) -> list[AccessPoint]:
        """Every place that logins arrive at, by each way: ports, groups of alike VTYs, web, SNMP, other doors."""
        if self._access_points is None:
            self._access_points = [point for via in (*PORTS, *self.resolved.services) for point in self._points_of(via)]
        return self._access_points

    def _points_of(self, via: str) -> Iterator[AccessPoint]:
        arrivals = self.explorer.arrivals(via, None)
        by_view: dict[object, list[int]] = {}
        for view in self.vtys() if via in VTY_WAYS else ():
            by_view.setdefault(view.likeness, []).append(view.number or 0)
        groups: dict[object, list[int]] = {}
        for index, path in enumerate(arrivals):
            view = path.result.entry
            groups.setdefault(view.likeness if view is not None else via, []).append(index)
        for likeness, indices in groups.items():
            here = [arrivals[index] for index in indices]
            place = here[0].result
            numbers = tuple(by_view.get(likeness, ()))
            sources = 0
            for arrival in here:
                sources |= arrival.sources
            label = vtys_label(numbers) if numbers else place.entry.spoken if place.entry is not None else place.label
            paths = tuple(path for path in paths_at(self.explorer, via, here) if path.sure)
            arrives = any(arrival.sure for arrival in here)
            yield AccessPoint(
                via, label, numbers, place.entry, place.service, None if via in PORTS else sources, arrives, paths
            )

    def vty_groups(self) -> list[list[AccessPoint]]:
        """The spots of each group of alike VTYs together: by SSH, by Telnet, or both."""
        groups: dict[tuple[int, ...], list[AccessPoint]] = {}
        for point in self.access_points():
            if point.numbers:
                groups.setdefault(point.numbers, []).append(point)
        return [groups[numbers] for numbers in sorted(groups)]

    def names_of(self, path: AccessPath) -> frozenset[str]:
        """The names of all items that a way needs."""
        return frozenset(name for number in path.needs for name in self.exposure.credentials.names[number])

    def opened_by(self, credentials: Iterable[str], paths: Iterable[AccessPath] | None = None) -> list[AccessPath]:
        """The ways in for who knows no more than ``items``, those that need none of them left out."""
        known = frozenset(
            self.exposure.credentials.number(item) for item in credentials if self.exposure.credentials.has(item)
        )
        if paths is None and len(known) <= 1:
            if self._by_needs is None:
                self._by_needs = {}
                for path in self.paths:
                    self._by_needs.setdefault(path.needs, []).append(path)
            return list(self._by_needs.get(known, ())) if known else []
        return [path for path in (self.paths if paths is None else paths) if path.needs and path.needs <= known]

    def needing(self, item: str, paths: Iterable[AccessPath] | None = None) -> list[AccessPath]:
        """The ways in that need an item, perhaps with others."""
        return [path for path in (self.paths if paths is None else paths) if item in self.names_of(path)]

    def wide(self, paths: Iterable[AccessPath]) -> list[AccessPath]:
        """Those of the ways that can be taken from anywhere."""
        return [path for path in paths if path.sources is not None and self.exposure.address_classes.wide(path.sources)]

    def shown(self, point: AccessPoint, path: AccessPath, elevate: int | None = None) -> Result | None:
        """An attempt that shows a way: its result. None where none was found within bounds.

        With ``elevate``, one that takes the way and then asks for that level, whatever comes of it.
        """
        key = (point.via, point.numbers, path, elevate)
        if key not in self._shown:
            self._shown[key] = self._show(point, path, elevate)
        return self._shown[key]

    def _show(self, point: AccessPoint, path: AccessPath, elevate: int | None) -> Result | None:
        knows = self.names_of(path)
        source = None if path.sources is None else self.exposure.address_classes.example(path.sources)
        down = next(state for index, state in enumerate(self.exposure.states) if path.states >> index & 1)
        busy = frozenset(
            view.number for view in self.vtys() if view.number is not None and view.number not in point.numbers
        )
        for name in self._names(knows):
            for texts in ((), ("anything",)):
                attempt = Attempt(
                    point.via,
                    self.moment,
                    source,
                    name=name,
                    passwords=texts,
                    knows=knows,
                    elevate=elevate or (path.level if path.level > path.after_login else None),
                    elevate_passwords=texts,
                    ssh_versions=(1, 2),
                    busy=busy if point.numbers else frozenset(),
                    down=down,
                    servers=self.project.servers,
                )
                result = decide(self.resolved, attempt, most_runs=_MOST_RUNS).result
                if result.outcome == "admitted" and result.level == path.level:
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
        sources = [None] if via in PORTS else self.resolved.source_classes()
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
            yield decide(self.resolved, attempt, most_runs=_MOST_RUNS).result

    def asked(self, name: str, knows: frozenset[str] = frozenset()) -> set[Provenance]:
        """The statements that logins under a name come by, at every place, with the servers up and down."""
        key = (name, knows)
        if key not in self._asked:
            down = {frozenset[str](), max(self.exposure.states, key=len)}
            self._asked[key] = {
                step.origin
                for point in self.access_points()
                if point.arrives
                for state in down
                for result in self.stranger(point.via, point.numbers, state, name, knows)
                for step in result.trace
                if step.stage == Stage.AUTHENTICATION
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
        yield from (account.name for account in self.resolved.accounts)

    def people(self) -> list[Person]:
        """The project's people."""
        return list(self.project.people.values())

    def used(self, via: str) -> bool:
        """Whether anybody of the project's people gets in by a way."""
        if self._levels is None:
            self._levels = {person.name: levels_of(self.exposure, person, self.project) for person in self.people()}
        return any(via in levels for levels in self._levels.values())

    # -- looking at the device ---------------------------------------------------------------------------------------

    def vtys(self) -> list[ResolvedEntry]:
        """All VTYs, named or not; where their number is unknown, those that statements name."""
        count = self.resolved.facts["vtys"].value
        return self.resolved.vtys(count if isinstance(count, int) else 0)

    def passwords(self) -> list[SecretLocation]:
        """Every stored password of the device, in the order of the sheet."""
        if self._places is None:
            self._places = sorted(self._all_passwords(), key=lambda place: place.said.origin.line)
        return self._places

    def _all_passwords(self) -> Iterator[SecretLocation]:
        device = self.device
        for label, entry in (("console", device.console), ("auxiliary port", device.auxiliary)):
            if entry.password is not None:
                yield SecretLocation(entry.item, f"the {label}", entry.password)
        seen: set[Origin] = set()
        for entry in device.vtys.values():
            if entry.password is not None and entry.password.origin not in seen:
                seen.add(entry.password.origin)
                yield SecretLocation(entry.item, "VTY " + entry.item.removeprefix("entry:vty "), entry.password)
        for level, elevation in device.elevations.items():
            for said in (elevation.strong, elevation.plain):
                if said is not None:
                    dead = said is elevation.plain and elevation.strong is not None
                    yield SecretLocation(f"elevation:{level}" + "/dead" * dead, f"elevation to level {level}", said)
        for user in device.users.values():
            if user.password is not None:
                yield SecretLocation(f"user:{user.name}", f"account {user.name}", user.password)
        for number, community in enumerate(device.snmp.communities, 1):
            said = Configured(community.value.password, community.origin)
            yield SecretLocation(f"community:{number}", f"SNMP community {number}", said)
        for group in device.groups.values():
            for server in group.servers:
                if server.value.secret is not None:
                    label = f"server {server.value.address} of group {group.name}"
                    yield SecretLocation(
                        f"secret:{group.name}/{server.value.address}",
                        label,
                        Configured(server.value.secret, server.origin),
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


def proof(origins: Iterable[Provenance]) -> tuple[tuple[Origin, ...], tuple[FromProfile, ...]]:
    """Origins parted into lines of the sheet, in order, and keys of the profile; each once."""
    found = list(dict.fromkeys(origins))
    lines = sorted((each for each in found if isinstance(each, Origin) and each.line), key=lambda each: each.line)
    return tuple(lines), tuple(each for each in found if isinstance(each, FromProfile))


def origins_of(steps: Iterable[Step], *stages: str) -> list[Provenance]:
    """What the steps of a trace come from, of some stages or of all; what followed from the attempt is left out."""
    return [
        step.origin
        for step in steps
        if not isinstance(step.origin, FromAttempt) and (not stages or step.stage in stages)
    ]
