"""What a rule may look at: the sheet, the setting, the project, and the decision itself.

``Case`` asks the decision on behalf of the rules: it tries the sources that the device's lists tell apart and the names
that could matter, so that a rule can say "with nothing but this, from anywhere" and need not guess from the words.
"""

import datetime
from collections.abc import Iterable, Iterator
from typing import NamedTuple

from overhang.device import Address, Device, Said
from overhang.login import Attempt, FromAttempt, FromProfile, Result, Setting, Step, decide
from overhang.login.result import Because
from overhang.login.setting import Account, EntryView
from overhang.project import Project, Thresholds
from overhang.secrets import Form, Stored, plain_text
from overhang.text import Origin

NOTHING: frozenset[str] = frozenset()
#: A rule asks often, and speaks only of what is sure: what needs more runs than this to tell is in doubt to it.
_MOST_RUNS = 64
REMOTE_WAYS = ("ssh", "telnet", "http", "https")
PORTS = ("console", "auxiliary")


class Reach(NamedTuple):
    """An attempt and its result: the source (None at a port), the name, and what the person knew."""

    result: Result
    source: Address | None
    name: str | None
    knows: frozenset[str]

    @property
    def level(self) -> int:
        """The level in the end; -1 where it cannot be told."""
        return -1 if self.result.level is None else self.result.level


class Group(NamedTuple):
    """VTYs next to each other that are configured alike."""

    first: int
    last: int
    view: EntryView

    @property
    def label(self) -> str:
        """What messages call the group."""
        return f"VTY {self.first}" if self.first == self.last else f"VTYs {self.first}-{self.last}"


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
        self._results: dict[Attempt, Result] = {}
        self._alike: list[tuple[Account, tuple[object, ...]]] | None = None
        self._places: list[Place] | None = None
        self._known_names: dict[frozenset[str], list[str | None]] = {}
        self._items: frozenset[str] | None = None
        self._any_factory: bool | None = None

    @property
    def device(self) -> Device:
        """The device."""
        return self.setting.device

    @property
    def thresholds(self) -> Thresholds:
        """The project's measures."""
        return self.project.thresholds

    # -- asking the decision -----------------------------------------------------------------------------------------

    def ask(self, attempt: Attempt) -> Result:
        """How an attempt ends; each is decided once."""
        found = self._results.get(attempt)
        if found is None:
            found = self._results[attempt] = decide(self.setting, attempt, most_runs=_MOST_RUNS).result
        return found

    def sources(self, via: str) -> list[Address] | list[None]:
        """One source of each kind that the device tells apart; a port has none."""
        return [None] if via in PORTS else self.setting.source_classes()

    def reaches(
        self,
        via: str,
        knows: frozenset[str] = NOTHING,
        busy: frozenset[int] = frozenset(),
        elevate: int | None = 15,
        ssh_versions: tuple[int, ...] = (1, 2),
        down: frozenset[str] = frozenset(),
    ) -> Iterator[Reach]:
        """Every way that a person who knows ``knows`` can go about it, with how it ends."""
        texts: tuple[tuple[str, ...], ...] = ((),)
        if self._factory_somewhere():
            texts = ((), ("anything",))
        for source in self.sources(via):
            for name in self._names(knows):
                for text in texts:
                    attempt = Attempt(
                        via,
                        self.moment,
                        source,
                        name=name,
                        passwords=text,
                        knows=knows,
                        elevate=elevate,
                        elevate_passwords=text,
                        ssh_versions=ssh_versions,
                        busy=busy,
                        down=down,
                    )
                    yield Reach(self.ask(attempt), source, name, knows)

    def best(self, via: str, knows: frozenset[str] = NOTHING, busy: frozenset[int] = frozenset()) -> Reach | None:
        """The highest level that ``knows`` reaches by a way, or None where it leads nowhere for sure."""
        inside = [reach for reach in self.reaches(via, knows, busy) if reach.result.outcome == "admitted"]
        return max(inside, key=lambda reach: (reach.level, reach.name is None), default=None)

    def meets(self, via: str, busy: frozenset[int] = frozenset()) -> list[Reach]:
        """The stranger's attempts by a way that end, for sure, at a question or inside."""
        reaches = self.reaches(via, busy=busy, elevate=None)
        return [reach for reach in reaches if reach.result.outcome in ("denied", "admitted")]

    def takes_anyone(self, via: str, busy: frozenset[int] = frozenset()) -> list[Reach]:
        """What ``meets`` gives, where in one family of addresses no source at all is turned away; else nothing."""
        met = self.meets(via, busy)
        for family in (4, 6):
            sources = {source for source in self.sources(via) if source is not None and source.family == family}
            if sources <= {reach.source for reach in met}:
                return met
        return []

    def _names(self, knows: frozenset[str]) -> list[str | None]:
        """Names worth giving: none, somebody else's, and those whose account opens for ``knows`` or for nothing."""
        found = self._known_names.get(knows)
        if found is None:
            found = self._known_names[knows] = self._find_names(knows)
        return found

    def _find_names(self, knows: frozenset[str]) -> list[str | None]:
        names: list[str | None] = [None]
        seen = set()
        for account, likeness in self._likenesses():
            by_key = f"key:{account.name}" in knows
            if likeness not in seen and (likeness[0] or by_key or f"user:{account.name}" in knows):
                seen.add(likeness)
                names.append(account.name)
        held = {item.rpartition("/")[2] for item in knows if item.startswith("server:")}
        names += sorted(held - set(filter(None, names)))
        return names if len(names) > 1 else [None, "somebody"]

    def _likenesses(self) -> list[tuple[Account, tuple[object, ...]]]:
        """The accounts, each with all that tells it from others in a login; first, whether it opens for nothing."""
        if self._alike is None:
            self._alike = []
            for account in self.setting.accounts:
                stored = account.keyhole.stored if account.keyhole is not None else None
                free = stored is not None and (plain_text(stored) == "" or stored.form is Form.FACTORY)
                likeness = (
                    free,
                    stored is None,
                    bool(account.keys),
                    account.level.value if account.level is not None else None,
                    account.ways,
                    account.sources.value if account.sources is not None else None,
                    account.disabled is not None,
                    account.expires.value if account.expires is not None else None,
                    account.any_name,
                    account.block.doubt,
                )
                self._alike.append((account, likeness))
        return self._alike

    def _factory_somewhere(self) -> bool:
        if self._any_factory is None:
            stated = any(place.said.value.form is Form.FACTORY for place in self.passwords())
            self._any_factory = stated or self.setting.factory is not None
        return self._any_factory

    # -- looking at the device ---------------------------------------------------------------------------------------

    def vtys(self) -> list[EntryView]:
        """All VTYs, named or not; where their number is unknown, those that statements name."""
        count = self.setting.facts["vtys"].value
        return self.setting.vtys(count if isinstance(count, int) else 0)

    def groups(self) -> list[Group]:
        """The VTYs in groups of alike neighbours."""
        groups: list[Group] = []
        for view in self.vtys():
            number = view.number or 0
            if groups and number == groups[-1].last + 1 and groups[-1].view.likeness == view.likeness:
                groups[-1] = groups[-1]._replace(last=number)
            else:
                groups.append(Group(number, number, view))
        return groups

    def only(self, group: Group) -> frozenset[int]:
        """The VTYs to keep busy so that a connection meets this group."""
        return frozenset(
            view.number
            for view in self.vtys()
            if view.number is not None and not group.first <= view.number <= group.last
        )

    def passwords(self) -> list[Place]:
        """Every stored password of the device, in the order of the sheet."""
        if self._places is None:
            self._places = self._all_passwords()
        return self._places

    def _all_passwords(self) -> list[Place]:
        device = self.device
        places = []
        for label, entry in (("console", device.console), ("auxiliary port", device.auxiliary)):
            if entry.password is not None:
                places.append(Place(entry.item, f"the {label}", entry.password))
        seen: set[Origin] = set()
        for entry in device.vtys.values():
            if entry.password is not None and entry.password.origin not in seen:
                seen.add(entry.password.origin)
                places.append(Place(entry.item, "VTY " + entry.item.removeprefix("entry:vty "), entry.password))
        for level, elevation in device.elevations.items():
            places += [
                Place(f"elevation:{level}", f"elevation to level {level}", said)
                for said in (elevation.strong, elevation.plain)
                if said is not None
            ]
        for user in device.users.values():
            if user.password is not None:
                places.append(Place(f"user:{user.name}", f"account {user.name}", user.password))
        for number, community in enumerate(device.snmp.communities, 1):
            said = Said(community.value.password, community.origin)
            places.append(Place(f"community:{number}", f"SNMP community {number}", said))
        for group in device.groups.values():
            for server in group.servers:
                if server.value.secret is not None:
                    label = f"server {server.value.address} of group {group.name}"
                    places.append(Place(f"secret:{label}", label, Said(server.value.secret, server.origin)))
        return sorted(places, key=lambda place: place.said.origin.line)

    def server_states(self) -> list[frozenset[str]]:
        """No server down, and all of them down: the states between lead nowhere that these two do not."""
        every = frozenset(each.value.address for group in self.device.groups.values() for each in group.servers)
        return [frozenset(), every] if every else [frozenset()]

    def login_items(self) -> frozenset[str]:
        """All knowledge that opens a login, elevation left out."""
        if self._items is None:
            self._items = self._all_items()
        return self._items

    def _all_items(self) -> frozenset[str]:
        items = {place.item for place in self.passwords() if place.item.startswith(("entry:", "user:", "community:"))}
        items |= {f"key:{user.name}" for user in self.device.users.values() if user.public_keys}
        held = self.project.servers or {}
        for group in self.device.groups:
            items |= {f"server:{group}/{name}" for name in held.get(group, {"somebody": {}})}
        return frozenset(items)


def listed(words: list[str]) -> str:
    """``a``, ``a and b``, ``a, b and c``."""
    return words[0] if len(words) == 1 else f"{', '.join(words[:-1])} and {words[-1]}"


def proof(origins: Iterable[Because]) -> tuple[tuple[Origin, ...], tuple[FromProfile, ...]]:
    """Origins parted into lines of the sheet, in order, and keys of the profile; each once."""
    found = list(dict.fromkeys(origins))
    lines = sorted((each for each in found if isinstance(each, Origin) and each.line), key=lambda each: each.line)
    return tuple(lines), tuple(each for each in found if isinstance(each, FromProfile))


def proof_of(steps: Iterable[Step]) -> tuple[tuple[Origin, ...], tuple[FromProfile, ...]]:
    """The proof that steps of a trace give; what followed from the attempt alone is left out."""
    return proof(step.origin for step in steps if not isinstance(step.origin, FromAttempt))
