"""Explores every access path: the decision with every answer, stage by stage, and the answers put together.

Reachability is explored for each way, destination and lowest free VTY; authentication and authorization for each access
point and name; elevation for each access point and level after login. What a stage needs is a set of sources, a set of
server states and a set of credentials, so that the stages multiply as sets.
"""

import datetime
from collections.abc import Iterator, Mapping
from functools import cached_property
from typing import Any, NamedTuple

from overhang.exposure.exploring_oracle import NOBODY, ExplorationContext, ExploringOracle
from overhang.exposure.phases import PhaseResult, phase_of, smallest
from overhang.exposure.work import Work
from overhang.model import Address
from overhang.model.items import named_in
from overhang.model.vocabulary import VTY_WAYS
from overhang.profiles import KEYS, UNKNOWN
from overhang.simulation import Attempt, LockoutState, ResolvedDevice
from overhang.simulation.authentication import check
from overhang.simulation.authorization import land
from overhang.simulation.challenge import Session
from overhang.simulation.elevation import elevate
from overhang.simulation.evaluation import Evaluation
from overhang.simulation.reachability import answers_in_doubt, arrive
from overhang.simulation.reasons import Reason
from overhang.simulation.views import Endpoint

ANYBODY = "*"
_MOST_VTYS = 256
_MOST_DOUBTFUL_RUNS = 20_000


class Landed(NamedTuple):
    """What logins at one place under one name lead to: the phases, whether a name is asked for, and what it cost."""

    phases: tuple[PhaseResult, ...]
    named: bool
    steps: int
    doubtful: int


class Similar(NamedTuple):
    """A device that was explored, from which another one differs in what some accounts say alone.

    Logins under other names end there as here: their accounts are found by their names, and nothing else asks those.
    """

    explorer: "Explorer"
    accounts: frozenset[str]


class Explorer:
    """Explores one device; the answers of each phase are kept, since many ways share them.

    What a ``similar`` device gave is used again.
    """

    def __init__(
        self,
        resolved: ResolvedDevice,
        around: ExplorationContext,
        moment: datetime.datetime,
        similar: Similar | None = None,
    ) -> None:
        self.resolved = resolved
        self.around = around
        self.moment = moment
        self._similar = similar if similar is not None and self._fits(*similar) else None
        self._by_name: dict[tuple[object, str], Landed] = {}
        #: how many more runs may hang on unknowns, and steps be spent; at 0 exploring stops, and ``complete`` tells so
        self.patience = _MOST_DOUBTFUL_RUNS
        self.work = Work(resolved)
        self._lowest: list[int] | None = None
        #: what arrivals lead to, kept for those who ask of them
        self.rows: dict[tuple[int, ...], tuple[list[PhaseResult], list[Any]]] = {}
        #: the endpoints by each way at each address, and at the first of those that are alike
        self._arrivals: dict[tuple[str, Address | None], list[PhaseResult]] = {}
        self._arrived: dict[object, tuple[Address | None, list[PhaseResult]]] = {}
        #: whether something asks which of the device's addresses a login goes to
        self._told_apart = any(each.addresses is not None for each in resolved.conditions.values())
        self._landings: dict[object, list[PhaseResult]] = {}
        self._elevations: dict[object, list[PhaseResult]] = {}
        self._elevations_to: dict[object, list[PhaseResult]] = {}

    @property
    def complete(self) -> bool:
        """Whether every path was found; false where too much was in doubt."""
        return self.patience > 0 and not self.work.done

    @property
    def why_incomplete(self) -> str:
        """Why not every path was found, for people; "" where every one was."""
        if self.work.done:
            return f"not worked out: they take more than {self.work.steps:,} steps to find"
        return "" if self.patience > 0 else "too many facts are unknown to follow all of it"

    def _count(self, oracle: ExploringOracle) -> None:
        self.work.spend(self.work.a_run + oracle.asked // 2)
        if not oracle.sure:
            self.patience -= 1

    # -- arriving ----------------------------------------------------------------------------------------------------

    def arrivals(self, via: str, destination: Address | None) -> list[PhaseResult]:
        """The endpoints that a way reaches; alike ones are one. Addresses that answer alike have the same."""
        asked = via, destination
        if asked in self._arrivals:
            self.work.spend(1)
            return self._arrivals[asked]
        alike = via, self._kind_of(via, destination)
        if alike in self._arrived:
            self.work.spend(1)
            first, phases = self._arrived[alike]
            phases = self._arrivals[asked] = self._as_at(destination, first, phases)
            return phases
        phases = self._explore_arrivals(via, destination)
        if self.complete:
            self._arrivals[asked] = phases
            self._arrived[alike] = destination, phases
        return phases

    def _as_at(
        self, destination: Address | None, first: Address | None, phases: list[PhaseResult]
    ) -> list[PhaseResult]:
        """What an address leads to, by what the first one like it does: what is not known is about itself there."""
        if destination is None or first is None or not any(phase.unknowns for phase in phases):
            return phases
        labels = (self.resolved.addresses_by(each.family, each)[0].label for each in (first, destination))
        before, after = map(answers_in_doubt, labels)
        return [
            phase._replace(
                unknowns=frozenset(
                    each._replace(about=after) if each.about == before else each for each in phase.unknowns
                )
            )
            for phase in phases
        ]

    def _kind_of(self, via: str, destination: Address | None) -> object:
        """What logins to an address depend on; the address itself where something asks for it."""
        if destination is None or self._told_apart:
            return destination
        known, service = self.resolved.addresses_by(destination.family, destination), self.resolved.services.get(via)
        if len(known) != 1 or service is None or known[0].block.doubt is not None:
            return destination
        answers, vlan, managed = known[0].answers.value, known[0].vlan, self.resolved.device.management.vlan
        inside = managed is None or (vlan is not None and vlan.value == managed.value)
        if not isinstance(answers, tuple):
            return destination.family, inside, known[0].answers.origin
        return destination.family, inside and ("all" in answers or service.word in answers)

    def _explore_arrivals(self, via: str, destination: Address | None) -> list[PhaseResult]:
        attempt = Attempt(via, self.moment, destination=destination, ssh_versions=(1, 2))
        found: dict[tuple[object, int, bool, int], PhaseResult] = {}
        for first in self._lowest_free() if via in VTY_WAYS else (0,):
            if not self.complete:
                break
            oracle = ExploringOracle(self.around, first, elsewhere=not self.resolved.addresses)
            while True:
                oracle.restart()
                run = Evaluation(self.resolved, attempt, oracle, LockoutState())
                endpoint = arrive(run)
                self._count(oracle)
                if endpoint is not None:
                    key = (_likeness(endpoint), oracle.states, oracle.sure, first)
                    before = found[key] if key in found else PhaseResult(0, 0, frozenset(), True, None)
                    found[key] = PhaseResult(
                        oracle.sources | before.sources,
                        oracle.states,
                        frozenset(),
                        oracle.sure,
                        endpoint,
                        before.unknowns | oracle.unknowns,
                        first,
                    )
                if not self.complete or not oracle.advance():
                    break
        return [phase for key, phase in found.items() if not self._sooner(found, key, phase)]

    @staticmethod
    def _sooner(
        found: Mapping[tuple[object, int, bool, int], PhaseResult],
        key: tuple[object, int, bool, int],
        phase: PhaseResult,
    ) -> bool:
        """Whether the same is arrived at with fewer VTYs in use."""
        likeness, states, sure, first = key
        sooner = [found[other] for each in range(first) if (other := (likeness, states, sure, each)) in found]
        return any(not phase.sources & ~each.sources for each in sooner)

    @cached_property
    def vty_numbers(self) -> list[int]:
        """The numbers of the VTYs in the order in which connections meet them."""
        count = self.resolved.facts["vtys"].value
        return [view.number or 0 for view in self.resolved.vtys(_MOST_VTYS if count is UNKNOWN else count)]

    @cached_property
    def _alike(self) -> dict[object, frozenset[int]]:
        groups: dict[object, set[int]] = {}
        count = self.resolved.facts["vtys"].value
        for view in self.resolved.vtys(_MOST_VTYS if count is UNKNOWN else count):
            groups.setdefault(self.resolved.kind_of(view), set()).add(view.number or 0)
        return {likeness: frozenset(numbers) for likeness, numbers in groups.items()}

    def vtys_of(self, phase: PhaseResult) -> frozenset[int]:
        """The VTYs that logins meet which arrive so; none for other ways."""
        entry = phase.result.entry
        if entry is None or entry.number is None:
            return frozenset()
        return frozenset(
            number for number in self._alike.get(self.resolved.kind_of(entry), ()) if number >= entry.number
        )

    def _lowest_free(self) -> list[int]:
        """The places, in the row of VTYs, that a connection can meet first; of alike ones, one."""
        if self._lowest is None:
            count = self.resolved.facts["vtys"].value
            first: dict[object, int] = {}
            for endpoint, view in enumerate(self.resolved.vtys(_MOST_VTYS if count is UNKNOWN else count)):
                first.setdefault(self.resolved.kind_of(view), endpoint)
            self._lowest = list(first.values())
        return self._lowest

    # -- checking and landing ----------------------------------------------------------------------------------------

    def names(self) -> list[str | None]:
        """The usernames to try: none, one that no account has, each account's, and each that the servers hold."""
        names: dict[str | None, None] = {None: None, NOBODY: None}
        names.update(dict.fromkeys(account.name for account in self.resolved.accounts))
        for conditions in self.resolved.conditions.values():
            names.update(dict.fromkeys(conditions.accounts.value if conditions.accounts is not None else ()))
        if self.resolved.device.groups:
            held = self.around.held
            if held is None:
                names[ANYBODY] = None
            else:
                names.update(dict.fromkeys(name for accounts in held.values() for name in accounts))
        return list(names)

    def landings(self, endpoint: Endpoint) -> list[PhaseResult]:
        """The levels after login at an endpoint, under any username."""
        key = _likeness(endpoint)
        if key not in self._landings:
            self._landings[key] = smallest(list(self._explore_landings(endpoint)))
        return self._landings[key]

    def _fits(self, other: "Explorer", changed: frozenset[str]) -> bool:
        """Whether sets of sources and states, and whatever is asked of all accounts together, are the same on another
        device."""
        folded = {name.casefold() for name in changed}
        stay = [
            each.level for each in self.resolved.accounts if each.name.casefold() not in folded and each.cap is None
        ]
        levels = [level.value for level in stay if level is not None]
        tiers = any(isinstance(level, int) and 1 <= level <= 14 for level in levels)
        one, two = self.resolved, other.resolved
        return (
            (tiers or one.facts["bare-tier"].value == "deny")
            and self.around.address_classes.pieces == other.around.address_classes.pieces
            and (self.around.states, self.around.times) == (other.around.states, other.around.times)
            and not (one.any_names or two.any_names)
            and min(len(one.accounts), len(two.accounts)) > 1  # that there are any is asked under every name
            and one.two_keys == two.two_keys
            and (one.factory is None) == (two.factory is None)
            and one.device.unread_users == two.device.unread_users
        )

    def forget_similar(self) -> None:
        """Let go of the device whose answers were used again."""
        self._similar = None

    def _known(self, key: tuple[object, str]) -> Landed | None:
        """What the similar device gave under a name, in the numbers of this one's items."""
        similar = self._similar
        if similar is None or key[1] in (NOBODY, ANYBODY):
            return None
        folded = {each.casefold() for each in similar.accounts}
        found = similar.explorer._by_name.get(key)
        if found is None or key[1].casefold() in folded:
            return None
        theirs, ours = similar.explorer.around.credentials, self.around.credentials
        phases = []
        for phase in found.phases:
            needs = set[int]()
            for number in phase.needs:
                own = next((name for name in theirs.names[number] if named_in(name)[1].casefold() not in folded), None)
                if own is None:
                    return None
                needs.add(ours.number(own))
            phases.append(phase._replace(needs=frozenset(needs)))
        return found._replace(phases=tuple(phases))

    def _explore_landings(self, endpoint: Endpoint) -> Iterator[PhaseResult]:
        likeness = _likeness(endpoint)
        for name in self.names():
            known = self._known((likeness, name)) if name is not None else None
            if known is None:
                left, patience = self.work.left, self.patience
                phases: list[PhaseResult] = []
                named = self._explore_name(endpoint, name, phases)
                known = Landed(tuple(phases), named, left - self.work.left, patience - self.patience)
            else:
                self.work.spend(known.steps)
                self.patience -= known.doubtful
            if name is not None and self.complete:
                self._by_name[likeness, name] = known
            yield from known.phases
            if not known.named or not self.complete:
                return

    def _explore_name(self, endpoint: Endpoint, name: str | None, phases: list[PhaseResult]) -> bool:
        """Explore logins at an endpoint under one name; whether a name is asked for at all."""
        attempt = Attempt(endpoint.via, self.moment, name=name, ssh_versions=(1, 2))
        oracle = ExploringOracle(self.around, placed=endpoint.service is not None)
        named = endpoint.via == "ssh" or bool(self.resolved.any_names)
        while True:
            oracle.restart()
            run = Evaluation(self.resolved, attempt, oracle, LockoutState())
            granted = check(run, endpoint)
            self._count(oracle)
            if granted is not None:
                session = land(run, endpoint, granted.answer, through_list=granted.through_list)
                phases.append(phase_of(oracle, session.level, session))
            named = named or any(step.asked == "name" or step.code is Reason.GUEST for step in run.steps)
            if not self.complete or not oracle.advance():
                break
        return named

    # -- elevating ---------------------------------------------------------------------------------------------------

    def elevated(self, endpoint: Endpoint, session: Session) -> list[PhaseResult]:
        """The levels above its own that the elevation of a session at an endpoint leads to."""
        key = (_likeness(endpoint), session)
        if key not in self._elevations:
            self._elevations[key] = smallest(list(self._explore_elevations(endpoint, session)))
        return self._elevations[key]

    def _explore_elevations(self, endpoint: Endpoint, session: Session) -> Iterator[PhaseResult]:
        before = session.level
        if endpoint.entry is None or before == 15 or session.stuck is not None:
            return
        for wanted in self._levels_wanted(endpoint, before):
            for phase in self._elevated_to(wanted, endpoint, session):
                if phase.result > before:
                    yield phase
            if not self.complete:
                return

    def _elevated_to(self, wanted: int, endpoint: Endpoint, session: Session) -> list[PhaseResult]:
        """What asking for one level leads to. A session's own level matters only to the least that elevations ask for:
        those that differ in nothing else are one, at the lowest of their levels."""
        needed = [each.least.value for each in self.resolved.device.elevations.values() if each.least is not None]
        lowest = session._replace(level=max((level for level in needed if level <= session.level), default=0))
        key = (_likeness(endpoint), lowest, wanted)
        known = self._elevations_to.get(key)
        if known is None:
            known = list(self._explore_elevation(wanted, endpoint, lowest))
            if self.complete:
                self._elevations_to[key] = known
        return known

    def _explore_elevation(self, wanted: int, endpoint: Endpoint, session: Session) -> Iterator[PhaseResult]:
        for name in self.names():
            attempt = Attempt(endpoint.via, self.moment, name=name, elevate=wanted)
            oracle = ExploringOracle(self.around, placed=endpoint.service is not None, wanted=wanted)
            named = bool(self.resolved.any_names)
            while True:
                oracle.restart()
                run = Evaluation(self.resolved, attempt, oracle, LockoutState())
                level = elevate(run, endpoint, session, wanted).level
                self._count(oracle)
                if level > session.level:
                    yield phase_of(oracle, level)
                named = named or any(step.code == Reason.ASKS_NAME for step in run.steps)
                if not self.complete or not oracle.advance():
                    break
            if not named or not self.complete:
                break

    def _levels_wanted(self, endpoint: Endpoint, before: int) -> list[int]:
        """The levels that can end differently: those that something is said of, and the highest that nothing is."""
        resolved = self.resolved
        said = {15, *resolved.elevations}  # a level that is not known may be 15 as well
        if resolved.facts["factory-account"].value is UNKNOWN:
            said |= {each.level for each in KEYS["factory-account"].options if each is not None}
        for account in (*resolved.accounts, *([resolved.factory] if resolved.factory is not None else [])):
            if account.level is not None:
                said |= {account.level.value} if account.level.value is not UNKNOWN else set()
        for part in (endpoint.entry, endpoint.service):
            if part is not None and part.level is not None and isinstance(part.level.value, int):
                said.add(part.level.value)
        for key in ("unsaid-account-level", "unsaid-level", "unsaid-level-console"):
            value = resolved.facts[key].value
            said |= {value} if isinstance(value, int) else set()
        for accounts in (self.around.held or {}).values():
            said |= {account["level"] for account in accounts.values() if account.get("level") is not None}
        caps = [endpoint.entry, endpoint.service, *resolved.device.roles.values(), *resolved.policies]
        said |= {part.cap.value for part in (*caps, *resolved.device.lists.values()) if part is not None and part.cap}
        bare_level = resolved.facts["bare-elevation-level"].value
        said |= {bare_level} if isinstance(bare_level, int) else set()
        for policy in resolved.policies:
            said |= {each.value for each in (policy.level, policy.guest) if each is not None}
            said |= set(range(16)) if policy.block.doubt is not None else set()
        said |= {each.level for account in resolved.accounts for each in account.credentials if each.level is not None}
        # Beside the levels that have a password, only the highest one without, up to each level said, can differ.
        bare = [level for level in range(1, 16) if level not in resolved.device.elevations]
        wanted = set(resolved.device.elevations)
        wanted |= {max((level for level in bare if level <= each), default=0) for each in said}
        return sorted((level for level in wanted if level > before), reverse=True)


def _likeness(endpoint: Endpoint) -> object:
    """What makes two places the same for everything after arriving."""
    return (endpoint.via, endpoint.entry.likeness if endpoint.entry is not None else None, endpoint.met)
