"""A device with its profile: every value the decision may need, configured or not, each with its origin.

Made once for a device and then only read. Only here are three things combined: values that are not configured, blocks
in doubt for a line that was not understood, and unknown profiles.
"""

import datetime
from collections.abc import Hashable, Mapping
from functools import cached_property
from typing import Any

from overhang.model import (
    Address,
    BlockInfo,
    Check,
    Conditions,
    Configured,
    Device,
    Entry,
    OwnAddress,
    Policy,
    PublicKey,
    User,
)
from overhang.model.blocks import ANY_SOURCE, NO_BLOCK, Others
from overhang.model.hash_budget import HashBudget
from overhang.model.items import item
from overhang.model.stored_secret import Form, StoredSecret
from overhang.model.verification import plain_text
from overhang.model.vocabulary import way_label
from overhang.profiles import BUILTIN, KEYS, UNKNOWN, Profile
from overhang.profiles.builtin import DEFAULT
from overhang.simulation.result import FromAttempt, FromProfile, Provenance, Resolved, Step
from overhang.simulation.source_lists import ResolvedSourceList, pieces, resolve_lists
from overhang.simulation.views import Account, Credential, ResolvedAddress, ResolvedEntry, ResolvedService
from overhang.text import Origin

OFF = Resolved("off", FromAttempt("via"))


def role_of(user: User) -> Origin:
    """The line that gives an account its role."""
    return user.role.origin if user.role is not None else user.block.origin or Origin("", 0)


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
        self._setting = profiles, all_read, assumed
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
        missing = {"allow": True, "deny": False}.get(self.facts["missing-list"].value)
        self.lists = resolve_lists(device.sources, missing)
        #: the conditions of policies and elevations, by what they stand for
        self.conditions: dict[object, Conditions] = {
            key: conditions
            for key, conditions in (
                *((("policy", name), each.conditions) for name, each in device.policies.items()),
                *((("elevation", level), each.conditions) for level, each in device.elevations.items()),
            )
            if key[0] == "policy" or conditions.parts
        }
        self.policies = list(device.policies.values())
        self._saying: dict[str, list[Policy]] = {}
        #: what has been found to be in doubt: each question, and the step that tells it, by where it comes from
        self.questions: dict[object, tuple[Hashable, Step]] = {}
        #: the policies that say something of a field in the order in which they count, by that order
        self.ordered: dict[tuple[str, object], list[Policy]] = {}
        #: the policies that may hold for a login under a name, by what that depends on
        self.candidates: dict[object, list[Policy]] = {}
        #: whether a policy that may refuse logins depends on who logs in
        self.refuses_names = any(
            (each.for_accounts is not None or each.for_roles is not None)
            and (each.refused is not None or each.sources != ANY_SOURCE or each.block.doubt is not None)
            for each in self.policies
        )
        #: whether elevation depends on who has logged in
        named = {said.value.where for each in device.elevations.values() for said in each.others}
        asking = [each.conditions for each in device.elevations.values()]
        asking += [each.conditions for name, each in device.policies.items() if name in named]
        self.asks_who = any(each.accounts is not None or each.roles is not None for each in asking)
        #: the times of day that something depends on
        self.hours = tuple(dict.fromkeys(each.hours.value for each in self.conditions.values() if each.hours))
        self.two_keys = any(
            each is not None and each.value == "two-keys"
            for each in (
                device.ssh.login,
                *(policy.login for policy in self.policies),
                *(user.login for user in device.users.values()),
            )
        )
        self.accounts = [self._account(user) for user in self.device.users.values()]
        self.unread_account = self._unread_account()
        self.named = {account.name: account for account in self.accounts}
        self.folded: dict[str, Account] = {}
        for account in self.accounts:
            self.folded.setdefault(account.name.casefold(), account)
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
        self._kinds: dict[int, int] = {}
        self._kind_numbers: dict[object, int] = {}
        self._classes: list[Address] | None = None
        self.services = self._services()
        self.addresses = [self._own(each) for each in device.addresses]
        self.learnt = [own for own in self.addresses if own.prefix is None]
        self._addresses_by: dict[tuple[int, int | None], list[ResolvedAddress]] = {}
        for each in self.addresses:
            if each.prefix is not None:
                self._addresses_by.setdefault((each.prefix.family, None), []).append(each)
                self._addresses_by.setdefault((each.prefix.family, each.prefix.host), []).append(each)
        self.elevations: dict[int, tuple[Credential, ...]] = {}
        for level, elevation in sorted(device.elevations.items()):
            held = (elevation.counting, elevation.others)
            found = self._credentials("elevation", str(level), held, f"for level {level}")
            if found:
                self.elevations[level] = found

    def with_device(self, device: Device) -> "ResolvedDevice":
        """Another device under the same profiles."""
        profiles, all_read, assumed = self._setting
        return ResolvedDevice(device, profiles, all_read=all_read, assumed=assumed, hashes=self.hashes)

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

    def _clipped(self, stored: StoredSecret) -> StoredSecret:
        """A stored password as far as its characters count."""
        letters = self.device.passwords.letters
        plain = plain_text(stored) if letters is not None else None
        return stored if letters is None or not plain else StoredSecret(Form.READABLE, plain[: letters.value])

    def typed(self, text: str) -> str:
        """What is typed, as far as its characters count."""
        letters = self.device.passwords.letters
        return text if letters is None else text[: letters.value]

    def _credentials(
        self, kind: str, name: str, held: tuple[Configured[StoredSecret] | None, Others], label: str
    ) -> tuple[Credential, ...]:
        """The passwords of a lock, each with its item."""
        first, others = held
        found = []
        if first is not None:
            found.append(Credential(item(kind, name), self._clipped(first.value), first.origin, label))
        for number, each in enumerate(others, 2):
            another = each.value
            key = f"entry:vty {another.under} {another.number + 1}" if another.under else item(kind, name, number)
            stored = self._clipped(another.password)
            found.append(Credential(key, stored, each.origin, label, another.level, another.where))
        return tuple(found)

    def _entry(self, entry: Entry, label: str, number: int | None) -> ResolvedEntry:
        key = {"console": "unsaid-console", "auxiliary port": "unsaid-auxiliary"}.get(label, "unsaid-vty")
        unsaid = self.unsaid(key, entry.block)
        guard = self.facts["accounts-guard"]
        if key != "unsaid-auxiliary" and self._unread_guard(guard) is not None and entry.block.doubt is None:
            unsaid = self._unread_guard(guard) or unsaid
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
        kind, _, name = entry.item.partition(":")
        held = self._credentials(kind, name, (entry.password, entry.others), whose)
        if entry.item:  # a range of VTYs is never quoted
            held = tuple(
                each._replace(item=entry.item) if place == 0 and entry.password else each
                for place, each in enumerate(held)
            )
        others = held
        if held:
            credential, others = held[0], held[1:]
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
            others,
            entry.users_last,
            entry.level,
            entry.cap,
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

    def _account(self, user: User) -> Account:
        """An account with what its role adds to it."""
        level, by_role = (Resolved(*user.level) if user.level else None), False
        role = self.device.roles.get(user.role.value) if user.role is not None else None
        if level is None and role is not None and (role.level is not None or role.block.doubt is not None):
            by_role = True
            level = Resolved(*role.level) if role.level else Resolved(UNKNOWN, role.block.doubt or role_of(user))
        if level is None and user.block.doubt is not None:
            level = Resolved(UNKNOWN, user.block.doubt)
        via = user.via or (role.via if role is not None else None)
        label = f"of account {user.name}"
        held = self._credentials("user", user.name, (user.password, user.others), label)
        first = held[0] if held and user.password is not None else None
        return Account(
            user.name,
            user.block.origin or Origin(self.device.file, 0),
            first,
            held[1:] if first is not None else held,
            level,
            by_role,
            Resolved(*via) if via is not None else None,
            user.sources or (role.sources if role is not None else None),
            user.elevates or (role.elevates if role is not None else None),
            user.block,
            user.block if role is None or user.block.doubt is not None else role.block,
            user,
            role,
        )

    def _unread_account(self) -> Account | None:
        """The account that a line which was not understood may be about; nothing of it is known."""
        line = self.device.unread_users
        if line is None:
            return None
        return self._account(User(name=f"unread account on line {line.line}", block=BlockInfo(line, line)))

    def key_items(self, account: Account) -> list[tuple[str, tuple[Configured[PublicKey], ...]]]:
        """The items of an account's public keys: one for all of them, or each its own where that makes a difference."""
        keys = account.keys
        limited = any(each.value.sources is not None or each.value.until is not None for each in keys)
        if not keys or not (limited or (self.two_keys and len(keys) > 1)):
            return [(item("key", account.name), keys)] if keys else []
        return [(item("key", account.name, number), (each,)) for number, each in enumerate(keys, 1)]

    def certificate_items(self, account: Account) -> list[tuple[str, tuple[Configured[PublicKey], ...]]]:
        """The items of certificates for an account, one for each authority."""
        authorities = enumerate(account.user.authorities, 1)
        return [(item("certificate", account.name, number), (each,)) for number, each in authorities]

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
        ways = Resolved(fact.value.ways, fact.origin)
        name = "(factory)"
        return Account(
            name, fact.origin, credential, (), level, False, ways, None, None, NO_BLOCK, NO_BLOCK, User(name)
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
            seat = None
            if service.own_seats is not None:
                place = Entry(password=service.password, others=service.others, item=f"service:{word}")
                seat = self._entry(place._replace(block=service.block), way_label(word), None)
                seat = seat._replace(spoken=way_label(word), origin=service.own_seats.origin)
            found[word] = ResolvedService(
                way_label(word),
                word,
                on,
                service.block,
                service.sources,
                check,
                service.level,
                service.elevation,
                service.cap,
                None,
                service.tries,
                seat=seat,
            )
        pages = self._credentials("service", "web", (web.password, web.others), "of the web pages")
        for word, said, key in (("http", web.http, "unsaid-http"), ("https", web.https, "unsaid-https")):
            on = self._on(said, self.unsaid(key, web.block))
            check = Resolved(*web.check) if web.check else None
            found[word] = ResolvedService(
                way_label(word),
                word,
                on,
                web.block,
                web.sources,
                check,
                web.level,
                None,
                web.cap,
                web.guest,
                web.tries,
                pages[0] if pages else None,
                pages[1:],
            )
        snmp = device.snmp
        found["snmp"] = ResolvedService(
            "SNMP", "snmp", self._on(snmp.on, self._off(snmp.block)), snmp.block, ANY_SOURCE, None, None, None
        )
        for name, door in device.doors.items():
            check = Resolved(*door.check) if door.check else None
            on = self._on(door.on, self._off(door.block))
            held = self._credentials("door", name, (door.password, door.others), f"of door {name}")
            found[f"door:{name}"] = ResolvedService(
                f"door {name}",
                name,
                on,
                door.block,
                door.sources,
                check,
                door.level,
                None,
                None,
                door.guest,
                None,
                held[0] if held else None,
                held[1:],
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

    @cached_property
    def asked_lists(self) -> list[ResolvedSourceList]:
        """The source lists that something asks itself: all but those that other lists alone refer to."""
        device = self.device
        named = {said.value.other for each in device.sources.values() for said in each.rules} - {None}
        if not named:
            return list(self.lists.values())
        families = [device.management.sources, *(each.sources for each in self.policies)]
        families += [each.sources for each in self.services.values()]
        families += [entry.sources for entry in device.vtys.values()]
        asked = {said.value for family in families for said in family if said is not None}
        limits = [each.sources for each in device.users.values()]
        limits += [each.sources for each in device.roles.values()]
        limits += [each.sources for each in self.conditions.values()]
        asked |= {said.value for said in limits if said is not None}
        keys = [said.value for user in device.users.values() for said in (*user.public_keys, *user.authorities)]
        more = [*(key.sources for key in keys), *(said.value.sources for said in device.snmp.communities)]
        pause = device.management.pause
        asked |= {name for name in (*more, pause.value.spared if pause is not None else None) if name is not None}
        return [each for name, each in self.lists.items() if name in asked or name not in named]

    def source_classes(self) -> list[Address]:
        """One address for each kind of source that some list of the device tells from the others, both families."""
        if self._classes is None:
            seen: dict[int, Address] = {}
            for piece in pieces(self.asked_lists):
                if piece.signature not in seen:
                    seen[piece.signature] = Address(piece.family, piece.low)
            self._classes = list(seen.values())
        return self._classes

    def web_check(self) -> Resolved:
        """What web management requires where nothing is configured and there is no default list."""
        guard = self.facts["accounts-guard"]
        unsaid = self.unsaid("unsaid-web", self.device.web.block)
        unread = self._unread_guard(guard)
        if unread is not None and self.device.web.block.doubt is None:
            return unread
        if self.guarded and self.device.web.block.doubt is None and guard.value is not False:
            return Resolved("users" if guard.value is True else UNKNOWN, guard.origin)
        return unsaid

    def _unread_guard(self, guard: Resolved) -> Resolved | None:
        """An account that was not understood may turn authentication on, where no other does."""
        if self.guarded or self.device.unread_users is None or guard.value is False:
            return None
        return Resolved(UNKNOWN, self.device.unread_users)

    def local_time(self, moment: datetime.datetime) -> datetime.datetime | None:
        """What the clock of the device shows at ``moment``; None where its time zone is not known."""
        zone = self.device.facts.zone
        if zone is None:
            return None
        import zoneinfo

        try:
            return moment.astimezone(zoneinfo.ZoneInfo(zone.value))
        except (zoneinfo.ZoneInfoNotFoundError, ValueError, OSError, OverflowError):
            return None

    def kind_of(self, vty: ResolvedEntry) -> object:
        """What makes VTYs alike: equal values, and the same conditions on VTYs met."""
        if vty.number is None:
            return self._kind_of(vty)
        found = self._kinds.get(vty.number)
        if found is None:
            kind = self._kind_of(vty)
            found = self._kinds[vty.number] = self._kind_numbers.setdefault(kind, len(self._kind_numbers))
        return found

    def _kind_of(self, vty: ResolvedEntry) -> object:
        named = (each.vtys.value for each in self.conditions.values() if each.vtys is not None)
        return vty.likeness, tuple(vty.number is not None and low <= vty.number <= high for low, high in named)

    def saying(self, field: str) -> list[Policy]:
        """The policies that say something of a field, and those of which nobody can tell."""
        found = self._saying.get(field)
        if found is None:
            unsaid = (None, ANY_SOURCE)
            found = [
                each for each in self.policies if getattr(each, field) not in unsaid or each.block.doubt is not None
            ]
            self._saying[field] = found
        return found

    def locks(self) -> list[Credential]:
        """Every stored password that a login may be asked for, but for communities."""
        count = self.facts["vtys"].value
        vtys = self.vtys(count if isinstance(count, int) else 0)
        seats = [service.seat for service in self.services.values() if service.seat is not None]
        held: list[Credential] = []
        for entry in (*self.ports.values(), *vtys, *seats):
            held += (entry.credential, *entry.others) if entry.credential is not None else ()
        for service in self.services.values():
            held += (service.credential, *service.others) if service.credential is not None else ()
        held += [each for credentials in self.elevations.values() for each in credentials]
        return held + [each for account in self.accounts for each in account.credentials]

    def list_checks(self, purpose: str) -> tuple[Check, ...]:
        """The checks by the method lists for a purpose, the default list first."""
        found = self._list_checks.get(purpose)
        if found is None:
            found = tuple(Check("methods", name) for kind, name in self.device.lists if kind == purpose)
            self._list_checks[purpose] = found
        return found
