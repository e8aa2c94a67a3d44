"""Checking claims: what should be so, held against every way in, with an example where it is not."""

import datetime
from collections.abc import Iterator
from fnmatch import fnmatchcase
from typing import NamedTuple

from overhang.device import Address, Device
from overhang.login import Attempt, Result, Setting, decide
from overhang.login.setting import PORTS, VTY_WAYS
from overhang.project import Claim, Person, Project
from overhang.ways.rows import Way, WaysIn

#: Addresses that read well in an example, where any would do: 203.0.113.1 and 2001:db8::1 (RFC 5737, RFC 3849).
_EXAMPLES = ((4, 0xCB007101), (6, (0x20010DB8 << 96) + 1))
ALL_WAYS = ("console", "auxiliary", "ssh", "telnet", "http", "https", "snmp")


class Verdict(NamedTuple):
    """Whether a claim holds on a device. Where it does not: why, and an attempt that shows it with its result."""

    claim: Claim
    device: str
    file: str
    holds: bool
    why: str = ""
    attempt: Attempt | None = None
    result: Result | None = None


def chooses(claim: Claim, device: Device) -> bool:
    """Whether a claim is about a device."""
    kind = device.facts.kind.value if device.facts.kind else ""
    site = device.facts.site.value if device.facts.site else ""
    return all(
        not patterns or any(fnmatchcase(word, pattern) for pattern in patterns)
        for patterns, word in ((claim.names, device.name), (claim.kinds, kind), (claim.sites, site))
    )


class Checker:
    """Checks claims on one device, whose ways in are known."""

    def __init__(self, setting: Setting, found: WaysIn, project: Project, moment: datetime.datetime) -> None:
        self.setting = setting
        self.found = found
        self.project = project
        self.moment = moment

    def check(self, claim: Claim) -> Verdict:
        """Whether ``claim`` holds on the device."""
        if not self.found.complete:
            return self._verdict(claim, False, "too much is in doubt on this device to tell")
        people: list[Person | None] = [self.project.people[name] for name in claim.who]
        for person in people or [None]:
            for failed in (self._too_little(claim, person), self._too_much(claim, person)):
                if failed is not None:
                    return failed
        return self._verdict(claim, True)

    def _verdict(
        self, claim: Claim, holds: bool, why: str = "", attempt: Attempt | None = None, result: Result | None = None
    ) -> Verdict:
        device = self.setting.device
        return Verdict(claim, device.name, device.file, holds, why, attempt, result)

    # -- what a claim is about -----------------------------------------------------------------------------------------

    def _states(self, claim: Claim) -> list[int]:
        """The numbers of the states of the servers that a claim speaks of."""
        states = self.found.states
        if claim.servers == "any":
            return list(range(len(states)))
        if isinstance(claim.servers, str):
            return [states.index(max(states, key=len) if claim.servers == "down" else frozenset())]
        every = max(states, key=len)
        return [states.index(claim.servers & every)]

    def _ways(self, claim: Claim, person: Person | None) -> list[str]:
        ways = list(claim.via or (*ALL_WAYS, *(via for via in self.setting.services if via not in ALL_WAYS)))
        if claim.sources is None and not claim.anywhere and person is not None and person.sits:
            networks = any(place in self.project.networks for place in person.sits)
            ways = [via for via in ways if (via in person.sits if via in PORTS else networks)]
        elif claim.sources is not None and not claim.via:
            ways = [via for via in ways if via not in PORTS]
        return ways

    def _sources(self, claim: Claim, person: Person | None) -> int:
        """The set of sources that a claim speaks of."""
        space = self.found.space
        prefixes = claim.sources
        if prefixes is None and not claim.anywhere and person is not None and person.sits:
            prefixes = tuple(each for place in person.sits for each in self.project.networks.get(place, ()))
        if prefixes is None:
            return space.everything
        found = 0
        for each in prefixes:
            found |= space.holding(each.family, each.low, each.high)
        return found

    # -- the two kinds of failure --------------------------------------------------------------------------------------

    def _too_little(self, claim: Claim, person: Person | None) -> Verdict | None:
        """The person does not reach the level, from some source or in some state."""
        if claim.reaches is None or person is None:
            return None
        knows = frozenset(person.knows)
        wanted = self._sources(claim, person)
        ways = self._ways(claim, person)
        missing: tuple[str, int, int] | None = None
        for via in ways:
            gap = self._gap(via, claim, knows, wanted)
            if gap is None:
                return None
            missing = missing or (via, *gap)
        if missing is None:
            return self._verdict(claim, False, f"{person.name} sits nowhere from where this could be done")
        via, sources, state = missing
        attempt = Attempt(
            via,
            self.moment,
            self._address(sources, claim, person) if via not in PORTS else None,
            name=person.account,
            knows=knows,
            elevate=claim.reaches,
            elevate_name=person.account,
            down=self.found.states[state],
            servers=self.project.servers,
            ssh_versions=(1, 2),
        )
        return self._failed(claim, f"{person.name} does not reach level {claim.reaches}", attempt)

    def _gap(self, via: str, claim: Claim, knows: frozenset[str], wanted: int) -> tuple[int, int] | None:
        """The sources and a state in which somebody with ``knows`` falls short by a way; None where there are none."""
        high = [
            way
            for way in self.found.ways
            if way.via == via
            and way.sure
            and way.level >= (claim.reaches or 0)
            and self.found.items.within(way.needs, knows)
        ]
        for state in self._states(claim):
            left = 1 if via in PORTS else wanted
            for way in high:
                if way.states >> state & 1:
                    left = left & ~way.sources if way.sources is not None else 0
            if left or (via not in PORTS and not wanted):
                return left, state
        return None

    def _too_much(self, claim: Claim, person: Person | None) -> Verdict | None:
        """Somebody reaches a level that they should stay below: the example that needs least."""
        if claim.below is None:
            return None
        knows = None if person is None else frozenset(person.knows)
        wanted = self._sources(claim, person)
        vias = self._ways(claim, person)
        states = self._states(claim)
        candidates = [
            way
            for way in self.found.ways
            if way.via in vias
            and way.level >= claim.below
            and any(way.states >> state & 1 for state in states)
            and (way.sources is None or way.sources & wanted)
            and (knows is None or self.found.items.within(way.needs, knows))
        ]
        if not candidates:
            return None
        way = min(candidates, key=lambda each: (not each.sure, len(each.needs), -each.level))
        state = next(state for state in states if way.states >> state & 1)
        who = "somebody" if person is None else person.name
        what = "gets in" if claim.below == 0 else f"reaches level {way.level}"
        if not way.sure:
            what = f"may get to level {way.level}, which nobody can tell for sure"
        source = None if way.sources is None else self._address(way.sources & wanted, claim, person)
        for attempt in self._examples(way, source, self.found.states[state]):
            result = decide(self.setting, attempt).result
            if result.level is not None and result.level >= claim.below:
                return self._verdict(claim, False, f"{who} {what}", attempt, result)
        return self._verdict(claim, False, f"{who} {what} by {way.via}")

    def _examples(self, way: Way, source: Address | None, down: frozenset[str]) -> Iterator[Attempt]:
        """Attempts that may show a way: who knows its items tries the names and VTYs that could matter."""
        knows = frozenset(name for number in way.needs for name in self.found.items.names[number])
        names: list[str | None] = [None, *(account.name for account in self.setting.accounts), "somebody"]
        names += [name for accounts in (self.project.servers or {}).values() for name in accounts]
        names += [item.rpartition("/")[2] for item in sorted(knows) if item.startswith("server:")]
        busy: list[frozenset[int]] = [frozenset()]
        if way.via in VTY_WAYS:
            count = self.setting.facts["vtys"].value
            numbers = [vty.number or 0 for vty in self.setting.vtys(count if isinstance(count, int) else 0)]
            busy = [frozenset(number for number in numbers if number < first) for first in numbers]
        for taken in busy:
            for name in dict.fromkeys(names):
                for texts in ((), ("something",)):
                    yield Attempt(
                        way.via,
                        self.moment,
                        source,
                        name=name,
                        passwords=texts,
                        knows=knows,
                        elevate=way.level if way.level > way.after_login else None,
                        elevate_passwords=texts,
                        ssh_versions=(1, 2),
                        busy=taken,
                        down=down,
                        servers=self.project.servers,
                    )

    def _failed(self, claim: Claim, why: str, attempt: Attempt) -> Verdict:
        return self._verdict(claim, False, why, attempt, decide(self.setting, attempt).result)

    def _address(self, sources: int, claim: Claim, person: Person | None) -> Address | None:
        """One address of a set of sources, inside the networks that a claim speaks of."""
        prefixes = claim.sources
        if prefixes is None and not claim.anywhere and person is not None:
            prefixes = tuple(each for place in person.sits for each in self.project.networks.get(place, ()))
        if not prefixes:
            space = self.found.space
            for family, value in _EXAMPLES:
                if sources & space.holding(family, value, value):
                    return Address(family, value)
        for family, low, high in self.found.space.ranges(sources):
            if not prefixes:
                return Address(family, min(high, low + 1))
            for each in prefixes:
                if each.family == family and each.low <= high and low <= each.high:
                    return Address(family, min(max(low, each.low) + 1, high, each.high))
        return None
