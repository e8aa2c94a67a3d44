"""What the statements and the profile give of each part of a device: its entries, accounts, services and addresses.

Only here are three things combined: values that are not configured, blocks in doubt for a line that was not
understood, and unknown profiles.
"""

from collections.abc import Iterator, Mapping
from functools import cached_property
from typing import Any

from overhang.model import Address, BlockInfo, Configured, Device, Entry, OwnAddress, User
from overhang.model.blocks import ANY_SOURCE, NO_BLOCK, Others
from overhang.model.items import item
from overhang.model.stored_secret import Form, StoredSecret
from overhang.model.verification import plain_text
from overhang.model.vocabulary import way_label
from overhang.profiles import KEYS, UNKNOWN, Profile
from overhang.simulation.result import FromAttempt, FromProfile, Provenance, Resolved
from overhang.simulation.views import Account, Credential, ResolvedAddress, ResolvedEntry, ResolvedService
from overhang.text import Origin

OFF = Resolved("off", FromAttempt("via"))


def _role_line(user: User) -> Origin:
    """The line that gives an account its role."""
    return user.role.origin if user.role is not None else user.block.origin or Origin("", 0)


class DeviceParts:
    """See the module. ``facts`` are what the profile says, each under its key, "unknown" where nobody knows it."""

    def __init__(self, device: Device, profiles: Mapping[str, Profile], assumed: Profile) -> None:
        self.device = device
        self.profile_name, self.facts = self._profile(profiles, assumed)
        #: whether there are accounts, which may turn authentication on
        self.guarded = bool(device.users)

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

    def web_check(self) -> Resolved:
        """What web management requires where nothing is configured and there is no default list."""
        return self._unsaid_check("unsaid-web", self.device.web.block)

    def _unsaid_check(self, key: str, block: BlockInfo) -> Resolved:
        """What is required where a block sets nothing: accounts may turn authentication on."""
        guard, unread = self.facts["accounts-guard"], self.device.unread_users
        if block.doubt is not None or guard.value is False:
            return self.unsaid(key, block)
        if self.guarded:
            return Resolved("users" if guard.value is True else UNKNOWN, guard.origin)
        return self.facts[key] if unread is None else Resolved(UNKNOWN, unread)

    def _off(self, block: BlockInfo) -> Resolved:
        if block.doubt is not None:
            return Resolved(UNKNOWN, block.doubt)
        return Resolved("off", block.origin) if block.origin is not None else OFF

    @staticmethod
    def _on(said: Configured[bool] | None, unsaid: Resolved) -> Resolved:
        if said is not None:
            return Resolved("on" if said.value else "off", said.origin)
        return unsaid

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

    def resolved_entry(self, entry: Entry, label: str, number: int | None) -> ResolvedEntry:
        """The console, the auxiliary port, a seat or a VTY; ``number`` is that of a VTY."""
        key = {"console": "unsaid-console", "auxiliary port": "unsaid-auxiliary"}.get(label, "unsaid-vty")
        unsaid = self.unsaid(key, entry.block) if key == "unsaid-auxiliary" else self._unsaid_check(key, entry.block)
        origin: Provenance = entry.block.origin or (
            FromProfile(self.profile_name or "unknown", "vtys") if number is not None else unsaid.origin
        )
        spoken = label if number is not None else f"the {label}"
        held = self._entry_credentials(entry, f"of {spoken}")
        return ResolvedEntry(
            label,
            number,
            origin,
            entry.block,
            Resolved(*entry.check) if entry.check else None,
            unsaid,
            key,
            held[0] if held else None,
            held[1:],
            entry.users_last,
            entry.level,
            entry.cap,
            entry.elevation,
            self.said_or(entry.accept, "unsaid-accept", entry.block),
            entry.sources,
            entry.closed,
            self.said_or(entry.idle, "unsaid-idle", entry.block),
            spoken,
        )

    def _entry_credentials(self, entry: Entry, whose: str) -> tuple[Credential, ...]:
        """The passwords of an entry; in doubt, one of which nothing is known."""
        kind, _, name = entry.item.partition(":")
        held = self._credentials(kind, name, (entry.password, entry.others), whose)
        if held and entry.password is not None and entry.item:  # a range of VTYs is never quoted
            return (held[0]._replace(item=entry.item), *held[1:])
        if not held and entry.block.doubt is not None:
            return (Credential(entry.item, StoredSecret(Form.OPAQUE), entry.block.doubt, whose),)
        return held

    def resolved_account(self, user: User) -> Account:
        """An account with what its role adds to it."""
        level, by_role = (Resolved(*user.level) if user.level else None), False
        role = self.device.roles.get(user.role.value) if user.role is not None else None
        if level is None and role is not None and (role.level is not None or role.block.doubt is not None):
            by_role = True
            level = Resolved(*role.level) if role.level else Resolved(UNKNOWN, role.block.doubt or _role_line(user))
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

    @cached_property
    def unread_account(self) -> Account | None:
        """The account that a line which was not understood may be about; nothing of it is known."""
        line = self.device.unread_users
        if line is None:
            return None
        return self.resolved_account(User(name=f"unread account on line {line.line}", block=BlockInfo(line, line)))

    @cached_property
    def factory(self) -> Account | None:
        """The account that the device has as long as none is configured."""
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

    def resolved_services(self) -> dict[str, ResolvedService]:
        """The services by their words; a door's is "door:NAME"."""
        return dict([*self._lines(), *self._pages(), ("snmp", self._snmp()), *self._doors()])

    def _lines(self) -> Iterator[tuple[str, ResolvedService]]:
        """SSH and Telnet, which lead to a VTY or a seat of their own."""
        for word, service in (("ssh", self.device.ssh), ("telnet", self.device.telnet)):
            label, seat = way_label(word), None
            if service.own_seats is not None:
                place = Entry(service.block, password=service.password, others=service.others, item=f"service:{word}")
                seat = self.resolved_entry(place, label, None)
                seat = seat._replace(spoken=label, origin=service.own_seats.origin)
            yield (
                word,
                ResolvedService(
                    label,
                    word,
                    self._on(service.on, self.unsaid(f"unsaid-{word}", service.block)),
                    service.block,
                    service.sources,
                    Resolved(*service.check) if service.check else None,
                    service.level,
                    service.elevation,
                    service.cap,
                    tries=service.tries,
                    seat=seat,
                ),
            )

    def _pages(self) -> Iterator[tuple[str, ResolvedService]]:
        """The web pages, by both ways."""
        web = self.device.web
        held = self._credentials("service", "web", (web.password, web.others), "of the web pages")
        for word, said in (("http", web.http), ("https", web.https)):
            yield (
                word,
                ResolvedService(
                    way_label(word),
                    word,
                    self._on(said, self.unsaid(f"unsaid-{word}", web.block)),
                    web.block,
                    web.sources,
                    Resolved(*web.check) if web.check else None,
                    web.level,
                    None,
                    web.cap,
                    web.guest,
                    web.tries,
                    held[0] if held else None,
                    held[1:],
                ),
            )

    def _snmp(self) -> ResolvedService:
        snmp = self.device.snmp
        on = self._on(snmp.on, self._off(snmp.block))
        return ResolvedService("SNMP", "snmp", on, snmp.block, ANY_SOURCE, None, None, None)

    def _doors(self) -> Iterator[tuple[str, ResolvedService]]:
        for name, door in self.device.doors.items():
            held = self._credentials("door", name, (door.password, door.others), f"of door {name}")
            yield (
                f"door:{name}",
                ResolvedService(
                    f"door {name}",
                    name,
                    self._on(door.on, self._off(door.block)),
                    door.block,
                    door.sources,
                    Resolved(*door.check) if door.check else None,
                    door.level,
                    None,
                    guest=door.guest,
                    credential=held[0] if held else None,
                    others=held[1:],
                ),
            )

    def resolved_address(self, own: OwnAddress) -> ResolvedAddress:
        """An address of the device's own, with what it answers."""
        label = "learnt at run time"
        if own.prefix is not None:
            label = str(Address(own.prefix.family, own.prefix.host))
        answers = Resolved(*own.answers) if own.answers else self.unsaid("unsaid-answers", own.block)
        if own.answers is None and answers.value in ("all", "nothing"):
            answers = answers._replace(value=("all",) if answers.value == "all" else ())
        origin = own.block.origin or Origin(self.device.file, 0)
        return ResolvedAddress(own.prefix, label, origin, own.block, answers, own.vlan)
