"""A device with its profile: every value the decision may need, configured or not, each with its origin.

Made once for a device and then only read; see ``parts`` for how each part of it comes about.
"""

import datetime
from collections.abc import Hashable, Mapping
from functools import cached_property

from overhang.model import (
    Address,
    Check,
    Conditions,
    Configured,
    Device,
    Entry,
    Policy,
    PublicKey,
)
from overhang.model.blocks import ANY_SOURCE
from overhang.model.hash_budget import HashBudget
from overhang.model.items import item
from overhang.profiles import BUILTIN, Profile
from overhang.profiles.builtin import DEFAULT
from overhang.simulation.parts import DeviceParts
from overhang.simulation.result import Step
from overhang.simulation.source_lists import ResolvedSourceList, pieces, resolve_lists
from overhang.simulation.views import Account, Credential, ResolvedAddress, ResolvedEntry


class ResolvedDevice(DeviceParts):
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
        self._setting = profiles, all_read, assumed
        #: what trying its hashes may still cost
        self.hashes = HashBudget() if hashes is None else hashes
        profiles = profiles or BUILTIN
        super().__init__(device, profiles, assumed or profiles[DEFAULT])
        self.profile_said = device.facts.profile is not None
        self.profile_names = tuple(profiles)
        self.understood = all_read and self.profile_name is not None
        said = device.facts.profile
        #: the line that names a profile nobody knows
        self.unknown_profile = said.origin if said is not None and self.profile_name is None else None
        missing = {"allow": True, "deny": False}.get(self.facts["missing-list"].value)
        self.lists = resolve_lists(device.sources, missing)
        self._list_checks: dict[str, tuple[Check, ...]] = {}
        #: what has been found to be in doubt: each question, and the step that tells it, by where it comes from
        self.questions: dict[object, tuple[Hashable, Step]] = {}
        self._vtys: dict[int, list[ResolvedEntry]] = {}
        self._kinds: dict[int, int] = {}
        self._kind_numbers: dict[object, int] = {}
        self._classes: list[Address] | None = None
        self._take_policies(device)
        self._take_accounts(device)
        self._take_places(device)

    def _take_policies(self, device: Device) -> None:
        """Learn on what policies and elevations depend."""
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

    def _take_accounts(self, device: Device) -> None:
        """Make the accounts ready, and what holds for logins with them."""
        self.two_keys = any(
            each is not None and each.value == "two-keys"
            for each in (
                device.ssh.login,
                *(policy.login for policy in self.policies),
                *(user.login for user in device.users.values()),
            )
        )
        self.accounts = [self.resolved_account(user) for user in device.users.values()]
        self.named = {account.name: account for account in self.accounts}
        self.folded: dict[str, Account] = {}
        for account in self.accounts:
            self.folded.setdefault(account.name.casefold(), account)
        self.any_names = [account for account in self.accounts if account.any_name]
        #: whether failures may matter: some rule, known or not, locks accounts or pauses logins
        self.counts = (
            device.passwords.lock is not None
            or device.management.pause is not None
            or device.passwords.block.doubt is not None
            or self.facts["unsaid-lock"].value is not None
        )

    def _take_places(self, device: Device) -> None:
        """Make ready where logins arrive, and where they may go from there."""
        self.ports = {
            "console": self.resolved_entry(device.console, "console", None),
            "auxiliary": self.resolved_entry(device.auxiliary, "auxiliary port", None),
        }
        self.services = self.resolved_services()
        self.addresses = [self.resolved_address(each) for each in device.addresses]
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

    def vtys(self, count: int) -> list[ResolvedEntry]:
        """The VTYs in order: those that statements name, and the first ``count`` numbers."""
        found = self._vtys.get(count)
        if found is None:
            named = self.device.vtys
            numbers = sorted({*named, *range(count)})
            found = [self.resolved_entry(named.get(number, Entry()), f"VTY {number}", number) for number in numbers]
            self._vtys[count] = found
        return found

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
