"""A device with its profile: every value the decision may need, configured or not, each with its origin.

Made once for a device and then only read. Only here are three things combined: values that are not configured, blocks
in doubt for a line that was not understood, and unknown profiles.
"""

from collections.abc import Mapping
from typing import Any, NamedTuple

from overhang.model import Address, BlockInfo, Check, Configured, Device, Entry, Family, OwnAddress, Prefix, PublicKey
from overhang.model.device import ANY_SOURCE, NO_BLOCK
from overhang.model.hash_budget import HashBudget
from overhang.model.stored_secret import Form, StoredSecret
from overhang.model.vocabulary import way_label
from overhang.profiles import BUILTIN, KEYS, UNKNOWN, Profile
from overhang.profiles.builtin import DEFAULT
from overhang.simulation.result import FromAttempt, FromProfile, Provenance, Resolved
from overhang.simulation.source_lists import ResolvedSourceList, pieces
from overhang.text import Origin

OFF = Resolved("off", FromAttempt("via"))


class Credential(NamedTuple):
    """A stored password: its item of knowledge, its form, its line, and its label."""

    item: str
    stored: StoredSecret
    origin: Provenance
    label: str


class Account(NamedTuple):
    """A resolved local account: ``level`` is its own or its role's, None where neither is configured."""

    name: str
    origin: Provenance
    credential: Credential | None
    any_name: bool
    level: Resolved | None
    by_role: bool
    ways: tuple[str, ...] | None
    sources: Configured[str] | None
    keys: tuple[Configured[PublicKey], ...]
    disabled: Configured[bool] | None
    expires: Any
    block: BlockInfo


class Endpoint(NamedTuple):
    """What a login reaches: the entry (None for ways without one) and the service (None for the ports)."""

    via: str
    label: str
    entry: "ResolvedEntry | None" = None
    service: "ResolvedService | None" = None


class ResolvedEntry(NamedTuple):
    """A port or a VTY made ready."""

    label: str
    number: int | None
    origin: Provenance
    block: BlockInfo
    check: Resolved | None
    unsaid_check: Resolved
    unsaid_key: str
    credential: Credential | None
    level: Configured[int | str] | None
    elevation: Configured[str] | None
    accept: Resolved
    sources: Family
    closed: Configured[bool] | None
    idle: Resolved
    spoken: str

    @property
    def likeness(self) -> tuple[object, ...]:
        """Everything but the number: entries with equal values behave alike."""
        credential = self.credential._replace(label="") if self.credential is not None else None
        label = self.label if self.number is None else ""
        return (label, *self._replace(label="", number=None, credential=credential, spoken=""))


class ResolvedService(NamedTuple):
    """SSH, Telnet, HTTP, HTTPS, SNMP or another service, resolved."""

    label: str
    word: str
    on: Resolved
    block: BlockInfo
    sources: Family
    check: Resolved | None
    level: Configured[int] | None
    elevation: Configured[str] | None


class ResolvedAddress(NamedTuple):
    """A resolved address of the device; ``prefix`` None is one assigned at run time."""

    prefix: Prefix | None
    label: str
    origin: Provenance
    block: BlockInfo
    answers: Resolved
    vlan: Configured[int] | None


class ResolvedDevice:
    """See the module. ``understood`` is false where a statement was not read or the profile is not known."""

    def __init__(
        self,
        device: Device,
        profiles: Mapping[str, Profile] | None = None,
        *,
        all_read: bool = True,
        assumed: Profile | None = None,
        hashes: HashBudget | None = None,
    ) -> None:
        self.device = device
        self._list_checks: dict[str, tuple[Check, ...]] = {}
        #: what trying its hashes may still cost
        self.hashes = HashBudget() if hashes is None else hashes
        self.profile_said = device.facts.profile is not None
        profiles = profiles or BUILTIN
        self.profile_names = tuple(profiles)
        self.profile_name, self.facts = self._profile(profiles, assumed or profiles[DEFAULT])
        self.understood = all_read and self.profile_name is not None
        said = device.facts.profile
        #: the line that names a profile nobody knows
        self.unknown_profile = said.origin if said is not None and self.profile_name is None else None
        self.lists = {name: ResolvedSourceList(each) for name, each in device.sources.items()}
        self.accounts = self._accounts()
        self.named = {account.name: account for account in self.accounts}
        self.any_names = [account for account in self.accounts if account.any_name]
        self.factory = self._factory()
        self.guarded = bool(device.users)
        #: whether failures may matter: some rule, known or not, locks accounts or pauses logins
        self.counts = (
            device.passwords.lock is not None
            or device.management.pause is not None
            or device.passwords.block.doubt is not None
            or self.facts["unsaid-lock"].value is not None
        )
        self.ports = {
            "console": self._entry(device.console, "console", None),
            "auxiliary": self._entry(device.auxiliary, "auxiliary port", None),
        }
        self._vtys: dict[int, list[ResolvedEntry]] = {}
        self._classes: list[Address] | None = None
        self.services = self._services()
        self.addresses = [self._own(each) for each in device.addresses]
        self.learnt = [own for own in self.addresses if own.prefix is None]
        self._addresses_by: dict[tuple[int, int | None], list[ResolvedAddress]] = {}
        for each in self.addresses:
            if each.prefix is not None:
                self._addresses_by.setdefault((each.prefix.family, None), []).append(each)
                self._addresses_by.setdefault((each.prefix.family, each.prefix.host), []).append(each)
        self.elevations = {
            level: Credential(f"elevation:{level}", each.counting.value, each.counting.origin, f"for level {level}")
            for level, each in sorted(device.elevations.items())
            if each.counting is not None
        }

    # -- what is unsaid ----------------------------------------------------------------------------------------------

    def _profile(self, profiles: Mapping[str, Profile], assumed: Profile) -> tuple[str | None, dict[str, Resolved]]:
        facts = self.device.facts
        if facts.profile is not None:
            name = facts.profile.value
            profile = profiles.get(name)
            if profile is None:
                return None, {key: Resolved(UNKNOWN, facts.profile.origin) for key in KEYS}
        elif facts.profile_unread is not None:
            return None, {key: Resolved(UNKNOWN, facts.profile_unread) for key in KEYS}
        else:
            name, profile = assumed.name, assumed
        return name, {key: Resolved(value, FromProfile(name, key)) for key, value in profile.values.items()}

    def unsaid(self, key: str, block: BlockInfo = NO_BLOCK) -> Resolved:
        """What ``key`` gives where ``block`` sets nothing."""
        return self.facts[key] if block.doubt is None else Resolved(UNKNOWN, block.doubt)

    def said_or(self, said: Configured[Any] | None, key: str, block: BlockInfo) -> Resolved:
        """The configured value, else what ``key`` gives."""
        return Resolved(*said) if said is not None else self.unsaid(key, block)

    # -- making ready ------------------------------------------------------------------------------------------------

    def _entry(self, entry: Entry, label: str, number: int | None) -> ResolvedEntry:
        key = {"console": "unsaid-console", "auxiliary port": "unsaid-auxiliary"}.get(label, "unsaid-vty")
        unsaid = self.unsaid(key, entry.block)
        guard = self.facts["accounts-guard"]
        if key != "unsaid-auxiliary" and self.guarded and entry.block.doubt is None:
            if guard.value is True:
                unsaid = Resolved("users", guard.origin)
            elif guard.value is UNKNOWN:
                unsaid = Resolved(UNKNOWN, guard.origin)
        origin: Provenance = entry.block.origin or (
            FromProfile(self.profile_name or "unknown", "vtys") if number is not None else unsaid.origin
        )
        credential = None
        whose = f"of {label}" if number is not None else f"of the {label}"
        if entry.password is not None:
            credential = Credential(entry.item, entry.password.value, entry.password.origin, whose)
        elif entry.block.doubt is not None:
            credential = Credential(entry.item, StoredSecret(Form.OPAQUE), entry.block.doubt, whose)
        return ResolvedEntry(
            label,
            number,
            origin,
            entry.block,
            Resolved(*entry.check) if entry.check else None,
            unsaid,
            key,
            credential,
            entry.level,
            entry.elevation,
            self.said_or(entry.accept, "unsaid-accept", entry.block),
            entry.sources,
            entry.closed,
            self.said_or(entry.idle, "unsaid-idle", entry.block),
            label if number is not None else f"the {label}",
        )

    def vtys(self, count: int) -> list[ResolvedEntry]:
        """The VTYs in order: those that statements name, and the first ``count`` numbers."""
        found = self._vtys.get(count)
        if found is None:
            named = self.device.vtys
            numbers = sorted({*named, *range(count)})
            found = [self._entry(named.get(number, Entry()), f"VTY {number}", number) for number in numbers]
            self._vtys[count] = found
        return found

    def _accounts(self) -> list[Account]:
        accounts = []
        for user in self.device.users.values():
            level, by_role = (Resolved(*user.level) if user.level else None), False
            if level is None and user.role is not None:
                role = self.device.roles.get(user.role.value)
                if role is not None and (role.level is not None or role.block.doubt is not None):
                    by_role = True
                    level = (
                        Resolved(*role.level) if role.level else Resolved(UNKNOWN, role.block.doubt or user.role.origin)
                    )
            if level is None and user.block.doubt is not None:
                level = Resolved(UNKNOWN, user.block.doubt)
            credential = None
            if user.password is not None:
                label = f"of account {user.name}"
                credential = Credential(f"user:{user.name}", user.password.value, user.password.origin, label)
            origin = user.block.origin or Origin(self.device.file, 0)
            accounts.append(
                Account(
                    user.name,
                    origin,
                    credential,
                    user.any_name is not None,
                    level,
                    by_role,
                    user.via.value if user.via else None,
                    user.sources,
                    user.public_keys,
                    user.disabled,
                    user.expires,
                    user.block,
                )
            )
        return accounts

    def _factory(self) -> Account | None:
        fact = self.facts["factory-account"]
        if self.device.users or fact.value is None or fact.value is UNKNOWN:
            return None
        return self.factory_account(fact)

    def factory_account(self, fact: Resolved) -> Account:
        """The account that exists before any is configured."""
        stored = StoredSecret(Form.FACTORY if fact.value.known else Form.NONE)
        credential = Credential("", stored, fact.origin, "of the factory account")
        level = Resolved(fact.value.level, fact.origin)
        return Account(
            "(factory)",
            fact.origin,
            credential,
            False,
            level,
            False,
            fact.value.ways,
            None,
            (),
            None,
            None,
            NO_BLOCK,
        )

    def _services(self) -> dict[str, ResolvedService]:
        device = self.device
        web = device.web
        found = {}
        for word, service, key in (
            ("ssh", device.ssh, "unsaid-ssh"),
            ("telnet", device.telnet, "unsaid-telnet"),
        ):
            on = self._on(service.on, self.unsaid(key, service.block))
            check = Resolved(*service.check) if service.check else None
            found[word] = ResolvedService(
                way_label(word),
                word,
                on,
                service.block,
                service.sources,
                check,
                service.level,
                service.elevation,
            )
        for word, said, key in (("http", web.http, "unsaid-http"), ("https", web.https, "unsaid-https")):
            on = self._on(said, self.unsaid(key, web.block))
            check = Resolved(*web.check) if web.check else None
            found[word] = ResolvedService(way_label(word), word, on, web.block, web.sources, check, None, None)
        snmp = device.snmp
        found["snmp"] = ResolvedService(
            "SNMP", "snmp", self._on(snmp.on, self._off(snmp.block)), snmp.block, ANY_SOURCE, None, None, None
        )
        for name, door in device.doors.items():
            check = Resolved(*door.check) if door.check else None
            on = self._on(door.on, self._off(door.block))
            found[f"door:{name}"] = ResolvedService(
                f"door {name}", name, on, door.block, door.sources, check, door.level, None
            )
        return found

    def _off(self, block: BlockInfo) -> Resolved:
        if block.doubt is not None:
            return Resolved(UNKNOWN, block.doubt)
        return Resolved("off", block.origin) if block.origin is not None else OFF

    @staticmethod
    def _on(said: Configured[bool] | None, unsaid: Resolved) -> Resolved:
        if said is not None:
            return Resolved("on" if said.value else "off", said.origin)
        return unsaid

    def _own(self, own: OwnAddress) -> ResolvedAddress:
        label = "learnt at run time"
        if own.prefix is not None:
            label = str(Address(own.prefix.family, own.prefix.host))
        answers = Resolved(*own.answers) if own.answers else self.unsaid("unsaid-answers", own.block)
        if own.answers is None and answers.value in ("all", "nothing"):
            answers = answers._replace(value=("all",) if answers.value == "all" else ())
        origin = own.block.origin or Origin(self.device.file, 0)
        return ResolvedAddress(own.prefix, label, origin, own.block, answers, own.vlan)

    def addresses_by(self, family: int, wanted: Address | None) -> list[ResolvedAddress]:
        """The stated addresses of a family, or those that are one address."""
        return self._addresses_by.get((family, None if wanted is None else wanted.value), [])

    def source_classes(self) -> list[Address]:
        """One address for each kind of source that some list of the device tells from the others, both families."""
        if self._classes is None:
            seen: dict[int, Address] = {}
            for piece in pieces(list(self.lists.values())):
                if piece.signature not in seen:
                    seen[piece.signature] = Address(piece.family, piece.low)
            self._classes = list(seen.values())
        return self._classes

    def web_check(self) -> Resolved:
        """What web management requires where nothing is configured and there is no default list."""
        guard = self.facts["accounts-guard"]
        unsaid = self.unsaid("unsaid-web", self.device.web.block)
        if self.guarded and self.device.web.block.doubt is None and guard.value is not False:
            return Resolved("users" if guard.value is True else UNKNOWN, guard.origin)
        return unsaid

    def list_checks(self, purpose: str) -> tuple[Check, ...]:
        """The checks by the method lists for a purpose, the default list first."""
        found = self._list_checks.get(purpose)
        if found is None:
            found = tuple(Check("methods", name) for kind, name in self.device.lists if kind == purpose)
            self._list_checks[purpose] = found
        return found
