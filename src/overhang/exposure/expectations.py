"""Checks expectations against every access path, with a counterexample where one fails."""

import datetime
from fnmatch import fnmatchcase
from typing import NamedTuple

from overhang.exposure.address_classes import bits_of
from overhang.exposure.paths import AccessPaths
from overhang.exposure.witness import Witness
from overhang.model import Address, Device, Hours
from overhang.model.vocabulary import ALL_WAYS, PORTS, way_label
from overhang.project import Expectation, Person, Project
from overhang.simulation import Attempt, ResolvedDevice, Result, decide

#: Addresses that read well in an example, where any would do: 203.0.113.1 and 2001:db8::1 (RFC 5737, RFC 3849).
_EXAMPLES = ((4, 0xCB007101), (6, (0x20010DB8 << 96) + 1))


class ExpectationResult(NamedTuple):
    """Whether an expectation holds on a device. Where it does not: why, and an attempt that shows it, with its
    result."""

    expectation: Expectation
    device: str
    file: str
    holds: bool
    why: str = ""
    attempt: Attempt | None = None
    result: Result | None = None


def applies_to(expectation: Expectation, device: Device) -> bool:
    """Whether a claim is about a device."""
    kind = device.facts.kind.value if device.facts.kind else ""
    site = device.facts.site.value if device.facts.site else ""
    return all(
        not patterns or any(fnmatchcase(word, pattern) for pattern in patterns)
        for patterns, word in ((expectation.names, device.name), (expectation.kinds, kind), (expectation.sites, site))
    )


class ExpectationChecker:
    """Checks expectations on one device, whose access paths are known."""

    def __init__(
        self, resolved: ResolvedDevice, found: AccessPaths, project: Project, moment: datetime.datetime
    ) -> None:
        self.resolved = resolved
        self.found = found
        self.project = project
        self.moment = moment
        self._witness = Witness(resolved, found, moment, project.servers)

    def check(self, expectation: Expectation) -> ExpectationResult:
        """Whether ``claim`` holds on the device."""
        if not self.found.complete:
            return self._verdict(expectation, False, "too much about this device is unknown to tell")
        people: list[Person | None] = [self.project.people[name] for name in expectation.who]
        for person in people or [None]:
            for failed in (self._too_little(expectation, person), self._too_much(expectation, person)):
                if failed is not None:
                    return failed
        return self._verdict(expectation, True)

    def _verdict(
        self,
        expectation: Expectation,
        holds: bool,
        why: str = "",
        attempt: Attempt | None = None,
        result: Result | None = None,
    ) -> ExpectationResult:
        device = self.resolved.device
        return ExpectationResult(expectation, device.name, device.file, holds, why, attempt, result)

    # -- what a claim is about -----------------------------------------------------------------------------------------

    def _states(self, expectation: Expectation) -> list[int]:
        """The numbers of the states of the servers that a claim speaks of."""
        found = self.found
        chosen = (1 << len(found.states)) - 1
        if expectation.servers in ("up", "down"):
            chosen = found.states_where(found.all_down if expectation.servers == "down" else frozenset())
        elif isinstance(expectation.servers, frozenset):
            chosen = found.states_where(expectation.servers & found.all_down)
        at = expectation.at
        every = frozenset[Hours]().union(*found.times)
        return [
            state
            for state in bits_of(chosen)
            if at is None or found.times[state] in {frozenset(h for h in every if h.hold(each)) for each in at}
        ]

    def _ways(self, expectation: Expectation, person: Person | None) -> list[str]:
        paths = list(expectation.via or (*ALL_WAYS, *(via for via in self.resolved.services if via not in ALL_WAYS)))
        if expectation.sources is None and not expectation.anywhere and person is not None and person.sits:
            networks = any(place in self.project.networks for place in person.sits)
            paths = [via for via in paths if (via in person.sits if via in PORTS else networks)]
        elif expectation.sources is not None and not expectation.via:
            paths = [via for via in paths if via not in PORTS]
        return paths

    def _sources(self, expectation: Expectation, person: Person | None) -> int:
        """The set of sources that a claim speaks of."""
        address_classes = self.found.address_classes
        prefixes = expectation.sources
        if prefixes is None and not expectation.anywhere and person is not None and person.sits:
            prefixes = tuple(each for place in person.sits for each in self.project.networks.get(place, ()))
        if prefixes is None:
            return address_classes.everything
        found = 0
        for each in prefixes:
            found |= address_classes.holding(each.family, each.low, each.high)
        return found

    # -- the two kinds of failure --------------------------------------------------------------------------------------

    def _too_little(self, expectation: Expectation, person: Person | None) -> ExpectationResult | None:
        """The person does not reach the level, from some source or in some state."""
        if expectation.reaches is None or person is None:
            return None
        knows = frozenset(person.knows)
        wanted = self._sources(expectation, person)
        paths = self._ways(expectation, person)
        missing: tuple[str, int, int] | None = None
        for via in paths:
            gap = self._gap(via, expectation, knows, wanted)
            if gap is None:
                return None
            missing = missing or (via, *gap)
        if missing is None:
            return self._verdict(expectation, False, f"{person.name} has no source from which this could be done")
        via, sources, state = missing
        attempt = Attempt(
            via,
            self.moment,
            self._address(sources, expectation, person) if via not in PORTS else None,
            name=person.account,
            knows=knows,
            elevate=expectation.reaches,
            elevate_name=person.account,
            down=self.found.states[state],
            servers=self.project.servers,
            ssh_versions=(1, 2),
            during=self.found.times[state] if len(set(self.found.times)) > 1 else None,
        )
        return self._failed(expectation, f"{person.name} does not reach level {expectation.reaches}", attempt)

    def _gap(self, via: str, expectation: Expectation, knows: frozenset[str], wanted: int) -> tuple[int, int] | None:
        """The sources and a state in which somebody with ``knows`` falls short by a way; None where there are none."""
        high = [
            path
            for path in self.found.paths
            if path.via == via
            and path.sure
            and not path.needs_busy
            and path.level >= (expectation.reaches or 0)
            and self.found.credentials.within(path.needs, knows)
        ]
        for state in self._states(expectation):
            left = 1 if via in PORTS else wanted
            for path in high:
                if path.states >> state & 1:
                    left = left & ~path.sources if path.sources is not None else 0
            if left or (via not in PORTS and not wanted):
                return left, state
        return None

    def _too_much(self, expectation: Expectation, person: Person | None) -> ExpectationResult | None:
        """Somebody reaches a level that they should stay below: the example that needs least."""
        if expectation.below is None:
            return None
        knows = None if person is None else frozenset(person.knows)
        wanted = self._sources(expectation, person)
        vias = self._ways(expectation, person)
        states = self._states(expectation)
        candidates = [
            path
            for path in self.found.paths
            if path.via in vias
            and path.level >= expectation.below
            and any(path.states >> state & 1 for state in states)
            and (path.sources is None or path.sources & wanted)
            and (knows is None or self.found.credentials.within(path.needs, knows))
        ]
        if not candidates:
            return None
        path = min(candidates, key=lambda each: (not each.sure, len(each.needs), -each.level))
        state = next(state for state in states if path.states >> state & 1)
        who = "somebody" if person is None else person.name
        what = "gets in" if expectation.below == 0 else f"reaches level {path.level}"
        doubt = ""
        if not path.sure:
            what, doubt = f"may get to level {path.level}", ", which hangs on something that is not known"
        source = None if path.sources is None else self._address(path.sources & wanted, expectation, person)
        below = expectation.below
        found = self._witness.find(
            path,
            source,
            self.found.states[state],
            [frozenset(path.needs_busy)],
            lambda result: result.level is not None and result.level >= below,
        )
        if found is None:
            return self._verdict(expectation, False, f"{who} {what} by {way_label(path.via)}{doubt}")
        return self._verdict(expectation, False, f"{who} {what}{doubt}", *found)

    def _failed(self, expectation: Expectation, why: str, attempt: Attempt) -> ExpectationResult:
        return self._verdict(expectation, False, why, attempt, decide(self.resolved, attempt).result)

    def _address(self, sources: int, expectation: Expectation, person: Person | None) -> Address | None:
        """One address of a set of sources, inside the networks that a claim speaks of."""
        prefixes = expectation.sources
        if prefixes is None and not expectation.anywhere and person is not None:
            prefixes = tuple(each for place in person.sits for each in self.project.networks.get(place, ()))
        if not prefixes:
            address_classes = self.found.address_classes
            for family, value in _EXAMPLES:
                if sources & address_classes.holding(family, value, value):
                    return Address(family, value)
        for family, low, high in self.found.address_classes.ranges(sources):
            if not prefixes:
                return Address(family, min(high, low + 1))
            for each in prefixes:
                if each.family == family and each.low <= high and low <= each.high:
                    return Address(family, min(max(low, each.low) + 1, high, each.high))
        return None
