"""What a rule may look at: the device, its profile, the project, and every access path, access point by access point.

A rule about who can log in asks the access paths and the decision behind them; it does not guess from the words.
"""

import datetime
import itertools
from collections.abc import Callable, Collection, Hashable, Iterable, Iterator
from fnmatch import fnmatchcase
from functools import cached_property
from typing import NamedTuple, TypeVar

from overhang.auditing.findings import DedupKey, Fault, Finding, Severity, proof
from overhang.auditing.severity import AttackerEffort, of_lock_out, of_paths, outside_of
from overhang.auditing.stored_passwords import PasswordPlace, stored_passwords
from overhang.auditing.wording import vtys_label
from overhang.exposure import AccessPath, AccessPaths, explorer_of, levels_of, paths_at, paths_of
from overhang.exposure.address_classes import bits_of
from overhang.exposure.paths import destinations_of, rank
from overhang.exposure.witness import Witness
from overhang.exposure.work import TooMuchWork, Work
from overhang.model import Address, Device, Prefix
from overhang.model.vocabulary import PORTS, VTY_WAYS, way_label
from overhang.project import Person, Project, Thresholds
from overhang.simulation import Attempt, Provenance, ResolvedDevice, Result, Stage, decide
from overhang.simulation.views import Account, ResolvedEntry, ResolvedService
from overhang.text import did_you_mean

T = TypeVar("T")
#: A rule reports only what is certain: what needs more runs than this to tell is in doubt to it.
_MOST_RUNS = 64


class AccessPoint(NamedTuple):
    """Where logins arrive by one way, and all that leads in there.

    ``numbers`` are the VTYs, alike and not necessarily neighbours. ``sources`` is the set that arrives (None at a
    port). ``paths`` are the access paths that are certain, worst first; ``arrives`` tells whether any login surely gets
    so far.
    """

    via: str
    label: str
    numbers: tuple[int, ...]
    view: ResolvedEntry | None
    service: ResolvedService | None
    sources: int | None
    arrives: bool
    paths: tuple[AccessPath, ...]
    #: the policies and elevations whose conditions on the place are met here
    met: frozenset[object] = frozenset()

    @property
    def way_label(self) -> str:
        """SSH, Telnet, ...: what messages call the way."""
        return way_label(self.via) if self.via not in PORTS else self.label

    @property
    def place(self) -> str:
        """The port, or the way: what a message names where VTYs do not matter."""
        return self.label if self.via in PORTS else self.way_label

    @property
    def unauthenticated(self) -> list[AccessPath]:
        """The access paths that need no credential."""
        return [path for path in self.paths if not path.needs]

    @property
    def check_key(self) -> DedupKey:
        """What stands for "who passes the check here"."""
        return Fault.CHECK.at(self.numbers or self.via)


class RuleContext:
    """One device before the rules. ``moment`` is the time that the audit goes by."""

    def __init__(self, resolved: ResolvedDevice, project: Project, moment: datetime.datetime) -> None:
        self.resolved = resolved
        self.project = project
        self.moment = moment
        self._explorer = explorer_of(resolved, moment, project.servers)
        #: every access path, and those of them that are certain
        self.exposure: AccessPaths = paths_of(self._explorer)
        self.paths = [path for path in self.exposure.paths if path.sure]
        #: what could not be examined, and why; rules add to it
        self.not_examined: list[tuple[str, str]] = []
        #: whether some rule took more steps than there are
        self.given_up = False
        #: what was asked that hangs on more than what is equal and in which order: sets of sources that may reach
        #: beyond the management networks, and words that were held against others that look like them
        self.asked_outside: dict[int, bool] = {}
        self.likened: list[tuple[str, Collection[str]]] = []
        self._work = Work(resolved)
        self._witness = Witness(resolved, self.exposure, moment, project.servers, _MOST_RUNS, self._work)
        self._kept: dict[Hashable, object] = {}
        self._busy: dict[tuple[int, ...], frozenset[int]] = {}

    @property
    def steps(self) -> int:
        """How many steps the rules may take."""
        return self._work.steps

    @property
    def device(self) -> Device:
        """The device."""
        return self.resolved.device

    @property
    def thresholds(self) -> Thresholds:
        """The project's thresholds."""
        return self.project.thresholds

    @property
    def people(self) -> list[Person]:
        """The project's people."""
        return list(self.project.people.values())

    @property
    def all_found(self) -> bool:
        """Whether every access path was found, and every rule could be followed to its end."""
        return self.exposure.complete and not self.given_up

    @property
    def nobody(self) -> bool:
        """Whether nobody at all can log in; false where not every access path was found."""
        return not self.paths and self.exposure.complete

    @cached_property
    def locked_away(self) -> bool:
        """Whether the project says that only trusted people reach this device's ports."""
        site = self.device.facts.site.value if self.device.facts.site else ""
        return any(fnmatchcase(word, each) for word in (self.device.name, site) for each in self.project.locked_away)

    def keep(self, key: Hashable, make: Callable[[], T]) -> T:
        """What ``make`` gives, worked out once for a device."""
        if key not in self._kept:
            self._kept[key] = make()
        return self._kept[key]  # type: ignore[return-value]

    @cached_property
    def management_prefixes(self) -> list[Prefix]:
        """The project's management networks."""
        return [prefix for name in self.project.management for prefix in self.project.networks[name]]

    @cached_property
    def outside(self) -> Callable[[int], bool]:
        """What tells whether a set of sources reaches beyond the management networks."""
        return outside_of(self.management_prefixes, self.exposure.address_classes, self.asked_outside)

    def severity(self, paths: Iterable[AccessPath], effort: AttackerEffort) -> Severity:
        """How bad it is that a fault opens some access paths."""
        return of_paths(paths, effort, self.outside, locked_away=self.locked_away)

    # -- findings ------------------------------------------------------------------------------------------------------

    def opened(
        self,
        message: str,
        because: Iterable[Provenance],
        paths: Iterable[AccessPath],
        effort: AttackerEffort,
        fix: Iterable[str],
        *dedup_keys: DedupKey,
        also: Iterable[AccessPath] = (),
    ) -> Finding:
        """A finding about who can log in: the access paths that it opens give its severity.

        ``also`` are paths that it makes easier, and that still need something else.
        """
        opens = tuple(sorted(set(paths), key=rank))
        easier = tuple(sorted(set(also).difference(opens), key=rank))
        severity = max(self.severity(opens, effort), self.severity(easier, AttackerEffort.SECRET_NEEDED))
        lines, unsaid = proof(because)
        return Finding("", severity, message, lines, unsaid, opens + easier, tuple(fix), dedup_keys)

    def locked_out(
        self,
        message: str,
        because: Iterable[Provenance],
        fix: Iterable[str],
        *dedup_keys: DedupKey,
        everybody: bool = False,
        always: bool = False,
    ) -> Finding:
        """A finding about the right people being kept out."""
        lines, unsaid = proof(because)
        severity = of_lock_out(everybody=everybody, always=always)
        return Finding("", severity, message, lines, unsaid, (), tuple(fix), dedup_keys, restores=True)

    # -- access points -------------------------------------------------------------------------------------------------

    @cached_property
    def access_points(self) -> list[AccessPoint]:
        """Every access point, by each way: ports, groups of alike VTYs, web, SNMP, other doors."""
        return [point for via in (*PORTS, *self.resolved.services) for point in self._points_of(via)]

    def _points_of(self, via: str) -> Iterator[AccessPoint]:
        by_address = any(each.addresses is not None for each in self.resolved.conditions.values())
        for label, address in destinations_of(self.resolved, via) if by_address else [(None, None)]:
            yield from self._points_at(via, None if label is None else (label,), address)

    def _points_at(self, via: str, to: tuple[str, ...] | None, address: Address | None) -> Iterator[AccessPoint]:
        arrivals = self._explorer.arrivals(via, address)
        by_view: dict[object, list[int]] = {}
        for view in self.vtys if via in VTY_WAYS else ():
            by_view.setdefault(self.resolved.kind_of(view), []).append(view.number or 0)
        groups: dict[tuple[object, frozenset[object]], list[int]] = {}
        for index, phase in enumerate(arrivals):
            entry = phase.result.entry
            groups.setdefault(
                (self.resolved.kind_of(entry) if entry is not None else via, phase.result.met), []
            ).append(index)
        for (likeness, _), indices in groups.items():
            here = [arrivals[index] for index in indices]
            endpoint = here[0].result
            numbers = tuple(by_view.get(likeness, ()))
            sources = 0
            for arrival in here:
                sources |= arrival.sources
            label = vtys_label(numbers) if numbers else endpoint.label
            if not numbers and endpoint.entry is not None:
                label = endpoint.entry.spoken
            yield AccessPoint(
                via,
                label,
                numbers,
                endpoint.entry,
                endpoint.service,
                None if via in PORTS else sources,
                any(arrival.sure for arrival in here),
                tuple(path for path in paths_at(self._explorer, via, here, to) if path.sure),
                endpoint.met,
            )

    @cached_property
    def vty_groups(self) -> list[list[AccessPoint]]:
        """The access points of each group of alike VTYs together: by SSH, by Telnet, or both."""
        groups: dict[tuple[int, ...], list[AccessPoint]] = {}
        for point in self.access_points:
            if point.numbers:
                groups.setdefault(point.numbers, []).append(point)
        return [groups[numbers] for numbers in sorted(groups)]

    @cached_property
    def vtys(self) -> list[ResolvedEntry]:
        """All VTYs, configured or not; where their number is unknown, those that statements name."""
        count = self.resolved.facts["vtys"].value
        return self.resolved.vtys(count if isinstance(count, int) else 0)

    # -- access paths --------------------------------------------------------------------------------------------------

    def names_of(self, path: AccessPath) -> frozenset[str]:
        """The names of all items that a path needs."""
        return self.exposure.names_of(path)

    @cached_property
    def _by_needs(self) -> dict[frozenset[int], list[AccessPath]]:
        found: dict[frozenset[int], list[AccessPath]] = {}
        for path in self.paths:
            found.setdefault(path.needs, []).append(path)
        return found

    def opened_by(self, items: Iterable[str], paths: Iterable[AccessPath] | None = None) -> list[AccessPath]:
        """The paths of somebody who knows no more than ``items``, those that need none of them left out."""
        index = self.exposure.credentials
        known = frozenset(index.number(item) for item in items if index.has(item))
        if paths is None and len(known) <= 1:
            return list(self._by_needs.get(known, ())) if known else []
        return [path for path in (self.paths if paths is None else paths) if path.needs and path.needs <= known]

    def needing(self, item: str, paths: Iterable[AccessPath] | None = None) -> list[AccessPath]:
        """The paths that need an item, perhaps with others."""
        if paths is None:
            return self._by_item.get(item, [])
        return [path for path in paths if item in self.names_of(path)]

    @cached_property
    def _by_item(self) -> dict[str, list[AccessPath]]:
        found: dict[str, list[AccessPath]] = {}
        for path in self.paths:
            for name in self.names_of(path):
                found.setdefault(name, []).append(path)
        return found

    def wide(self, paths: Iterable[AccessPath]) -> list[AccessPath]:
        """Those of the paths that can be taken from anywhere."""
        classes = self.exposure.address_classes
        return [path for path in paths if path.sources is not None and classes.wide(path.sources)]

    def by_ways(self, *vias: str) -> list[AccessPath]:
        """The certain paths by some ways."""
        return [path for path in self.paths if path.via in vias]

    @cached_property
    def levels(self) -> dict[str, dict[str, int]]:
        """What each of the project's people reaches by each way."""
        return {person.name: levels_of(self.exposure, person, self.project) for person in self.people}

    def used(self, via: str) -> bool:
        """Whether any of the project's people can log in by a way, or might by a path that was not found."""
        return not self.exposure.complete or any(via in levels for levels in self.levels.values())

    # -- logins --------------------------------------------------------------------------------------------------------

    def busy_but(self, numbers: tuple[int, ...]) -> frozenset[int]:
        """The VTYs that are busy where a login is to meet one of ``numbers``; none for other ways."""
        if not numbers:
            return frozenset()
        if numbers not in self._busy:
            self._busy[numbers] = self._every_vty.difference(numbers)
        return self._busy[numbers]

    @cached_property
    def _every_vty(self) -> frozenset[int]:
        return frozenset(view.number for view in self.vtys if view.number is not None)

    @cached_property
    def _sources(self) -> dict[int, Address]:
        """One address for each kind of source that the lists tell apart, by the number of its class."""
        found = {}
        for each in self.resolved.source_classes():
            classes = self.exposure.address_classes.holding(each.family, each.value, each.value)
            found[classes.bit_length() - 1] = each
        return found

    def _sources_within(self, within: int | None) -> Iterable[Address]:
        if within is None or within == self.exposure.address_classes.everything:
            return self._sources.values()
        return (self._sources[number] for number in bits_of(within))

    def shown(self, point: AccessPoint, path: AccessPath, elevate: int | None = None) -> Result | None:
        """A login that shows a path: its result. None where none was found within bounds.

        With ``elevate``, one that takes the path and then asks for that level, whatever comes of it.
        """
        key = ("shown", point.via, point.numbers, path, elevate)
        return self.keep(key, lambda: self._shown(point, path, elevate))

    def _shown(self, point: AccessPoint, path: AccessPath, elevate: int | None) -> Result | None:
        if self._work.done:
            return None
        source = None if path.sources is None else self.exposure.address_classes.example(path.sources)
        down = next(state for index, state in enumerate(self.exposure.states) if path.states >> index & 1)
        found = self._witness.find(
            path,
            source,
            down,
            [self.busy_but(point.numbers)],
            lambda result: result.outcome == "admitted" and result.level == path.level,
            elevate,
        )
        return None if found is None else found[1]

    def unauthenticated(
        self,
        via: str,
        numbers: tuple[int, ...] = (),
        down: frozenset[str] = frozenset(),
        name: str = "somebody",
        knows: frozenset[str] = frozenset(),
        ssh_versions: tuple[int, ...] = (1, 2),
        within: int | None = None,
    ) -> Iterator[Result]:
        """How logins without a credential, or with no more than ``knows``, end from each kind of source.

        With ``within`` only sources of that set are looked at. The VTYs other than ``numbers`` are busy; what is typed
        opens nothing.
        """
        for source in [None] if via in PORTS else self._sources_within(within):
            attempt = Attempt(
                via,
                self.moment,
                source,
                name=name,
                passwords=("anything",),
                knows=knows,
                ssh_versions=ssh_versions,
                busy=self.busy_but(numbers),
                down=down,
            )
            yield self._decided(attempt)

    def spend(self, steps: int) -> None:
        """Take steps of the rules. Raises TooMuchWork where none are left."""
        self._work.spend(steps)
        if self._work.done:
            raise TooMuchWork

    def near(self, word: str, known: Collection[str]) -> str | None:
        """The word that may have been meant. Raises TooMuchWork."""
        self.spend(1 + len(known) // 2)
        self.likened.append((word, known))
        return did_you_mean(word, known)

    def _decided(self, attempt: Attempt) -> Result:
        """How a login ends. Raises TooMuchWork where the rules took as many steps as there are for them."""
        if self._work.done:
            raise TooMuchWork
        decided = decide(self.resolved, attempt, most_runs=_MOST_RUNS)
        communities = len(self.device.snmp.communities) // 2 if attempt.via == "snmp" else 0
        self._work.spend(decided.runs * (self._work.a_login + communities))
        return decided.result

    def asked(self, name: str) -> set[Provenance]:
        """The statements that logins under a name come by, at every access point, with the servers up and down."""
        return self.keep(("asked", name), lambda: set(self._comes_by(name, frozenset(), 0)))

    def asks(self, account: Account) -> bool:
        """Whether some login under the account's name comes by its password or one of its keys."""
        own: set[Provenance] = {said.origin for said in (*account.keys, *account.user.authorities)}
        own.update(each.origin for each in account.credentials)
        own.update([account.user.no_prompt.origin] if account.user.no_prompt is not None else [])
        if not own:
            return False
        held = (*self.resolved.key_items(account), *self.resolved.certificate_items(account))
        knows = frozenset({*(each.item for each in account.credentials), *(name for name, _ in held)})
        return any(origin in own for origin in self._comes_by(account.name, knows, self._admitted_by(account)))

    def _admitted_by(self, account: Account) -> int:
        """The set of sources that the account's own list admits: where it is asked at all, most likely."""
        rules = None if account.sources is None else self.resolved.lists.get(account.sources.value)
        return 0 if rules is None else self.exposure.address_classes.allowed(rules)

    def _comes_by(self, name: str, knows: frozenset[str], first: int) -> Iterator[Provenance]:
        """What logins under a name come by, once or more; those from the sources of ``first`` before others."""
        if self._explorer.work.done:
            raise TooMuchWork  # nobody knows what logins at the places that were not found come by
        for point in self.access_points:
            if point.via == "snmp":
                continue  # nobody is asked for a name there, nor for an entry's password
            sources, downs = point.sources, {frozenset[str](), self.exposure.all_down}
            parts = [sources] if sources is None or not first else [sources & first, sources & ~first]
            for within, down in itertools.product(parts, downs if point.arrives else ()):
                for result in self.unauthenticated(point.via, point.numbers, down, name, knows, within=within):
                    yield from (step.origin for step in result.trace if step.stage is Stage.AUTHENTICATION)

    # -- stored passwords ----------------------------------------------------------------------------------------------

    @cached_property
    def passwords(self) -> list[PasswordPlace]:
        """Every stored password of the device, in the order of its lines."""
        return stored_passwords(self.device)
