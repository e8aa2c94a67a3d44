"""The device: what a configuration says about who may manage it.

Every value that a statement gave is a ``Said`` (value and origin) or None where nothing was said; what that silence
means is the profile's business, not the model's. Levels are 0 to 15 (RFC 8907), durations are seconds and None stands
for "never" inside a ``Said``.
"""

import datetime
from collections.abc import Mapping
from typing import Any, NamedTuple

from overhang.model.address import Prefix
from overhang.model.blocks import ANY_SOURCE, NO_BLOCK, BlockInfo, Family, Names, Others, Ways
from overhang.model.policy import Elevation, Policy
from overhang.model.stored_secret import StoredSecret
from overhang.model.values import (
    Check,
    Community,
    Configured,
    HostKey,
    ListEnd,
    Lock,
    Method,
    Pause,
    PublicKey,
    Record,
    Saved,
    Validity,
)
from overhang.text import Origin


class DeviceFacts(NamedTuple):
    """The ``device:`` block. ``profile_unread`` is the line of a profile statement that could not be read."""

    block: BlockInfo = NO_BLOCK
    name: Configured[str] | None = None
    kind: Configured[str] | None = None
    domain: Configured[str] | None = None
    site: Configured[str] | None = None
    profile: Configured[str] | None = None
    changed: Configured[Saved] | None = None
    saved: tuple[Configured[Saved], ...] = ()
    recovery: Configured[str] | None = None
    zone: Configured[str] | None = None
    profile_unread: Origin | None = None


class Entry(NamedTuple):
    """A console, auxiliary port or one VTY. ``item`` names its password as an item of knowledge: ``entry:vty 0-3``."""

    block: BlockInfo = NO_BLOCK
    check: Configured[Check] | None = None
    password: Configured[StoredSecret] | None = None
    others: Others = ()
    item: str = ""
    users_last: Configured[bool] | None = None
    level: Configured[int | str] | None = None
    cap: Configured[int] | None = None
    elevation: Configured[str] | None = None
    accept: Configured[Ways] | None = None
    sources: Family = ANY_SOURCE
    idle: Configured[int | None] | None = None
    closed: Configured[bool] | None = None


class User(NamedTuple):
    """A local account."""

    name: str
    block: BlockInfo = NO_BLOCK
    password: Configured[StoredSecret] | None = None
    others: Others = ()
    any_name: Configured[bool] | None = None
    level: Configured[int] | None = None
    role: Configured[str] | None = None
    elevates: Configured[bool] | None = None
    via: Configured[Ways] | None = None
    not_via: Configured[Ways] | None = None
    sources: Configured[str] | None = None
    login: Configured[str] | None = None
    public_keys: tuple[Configured[PublicKey], ...] = ()
    authorities: tuple[Configured[PublicKey], ...] = ()
    disabled: Configured[bool] | None = None
    expires: Configured[datetime.date] | None = None
    must_change: Configured[bool] | None = None
    no_prompt: Configured[bool] | None = None
    never_locked: Configured[bool] | None = None


class Role(NamedTuple):
    """A named level that accounts may share, with what limits whoever has it."""

    name: str
    block: BlockInfo = NO_BLOCK
    level: Configured[int] | None = None
    cap: Configured[int] | None = None
    elevates: Configured[bool] | None = None
    via: Configured[Ways] | None = None
    not_via: Configured[Ways] | None = None
    sources: Configured[str] | None = None


class MethodList(NamedTuple):
    """Methods to ask, in order. ``purpose`` is login, elevation, web or level; ``name`` None is the default list."""

    purpose: str
    name: str | None
    block: BlockInfo = NO_BLOCK
    methods: tuple[Configured[Method], ...] = ()
    at_end: Configured[ListEnd] | None = None
    cap: Configured[int] | None = None


class Server(NamedTuple):
    """One AAA server of a group."""

    address: str
    port: int | None = None
    secret: StoredSecret | None = None


class ServerGroup(NamedTuple):
    """AAA servers that answer for one another, in order. ``protocol`` is radius or tacacs."""

    name: str
    protocol: str
    block: BlockInfo = NO_BLOCK
    servers: tuple[Configured[Server], ...] = ()
    timeout: Configured[int | None] | None = None
    tries: Configured[int] | None = None
    secret_wrong: Configured[bool] | None = None
    needs_user: Configured[bool] | None = None
    level_from: Configured[str] | None = None


class SourceRule(NamedTuple):
    """One line of a source list: what it does, allow, deny, leave (the list decides no more) or ask (another list).

    It matches ``prefix`` (None: any), or the addresses up to ``last``, or those that differ from it only in the bits of
    ``mask``, or those that the list ``other`` allows; ``ask`` hands over to ``other``.
    """

    act: str
    prefix: Prefix | None = None
    last: Prefix | None = None
    mask: Prefix | None = None
    other: str | None = None

    @property
    def allow(self) -> bool:
        """Whether it allows what it matches."""
        return self.act == "allow"

    @property
    def plain(self) -> bool:
        """Whether it allows or denies a prefix, or any."""
        return self.act in ("allow", "deny") and (self.last, self.mask, self.other) == (None, None, None)


class SourceList(NamedTuple):
    """Rules of which the first that matches decides; what none matches is denied, unless ``at_end`` says otherwise."""

    name: str
    block: BlockInfo = NO_BLOCK
    rules: tuple[Configured[SourceRule], ...] = ()
    at_end: Configured[bool] | None = None
    silent: Configured[bool] | None = None


class Service(NamedTuple):
    """``ssh:`` or ``telnet:``; the second half stays empty for Telnet."""

    block: BlockInfo = NO_BLOCK
    on: Configured[bool] | None = None
    port: Configured[int] | None = None
    sources: Family = ANY_SOURCE
    check: Configured[Check] | None = None
    level: Configured[int] | None = None
    cap: Configured[int] | None = None
    password: Configured[StoredSecret] | None = None
    others: Others = ()
    own_seats: Configured[bool] | None = None
    elevation: Configured[str] | None = None
    sessions: Configured[int] | None = None
    rate: Configured[int] | None = None
    idle: Configured[int | None] | None = None
    versions: Configured[tuple[int, ...]] | None = None
    host_keys: tuple[Configured[HostKey], ...] = ()
    tries: Configured[int] | None = None
    finish_within: Configured[int | None] | None = None
    login: Configured[str] | None = None
    empty_passwords: Configured[bool] | None = None
    ciphers: Configured[Names] | None = None
    macs: Configured[Names] | None = None
    exchanges: Configured[Names] | None = None
    host_key_kinds: Configured[Names] | None = None
    key_kinds: Configured[Names] | None = None


class Web(NamedTuple):
    """``web:``, management over HTTP and HTTPS."""

    block: BlockInfo = NO_BLOCK
    http: Configured[bool] | None = None
    https: Configured[bool] | None = None
    http_port: Configured[int] | None = None
    https_port: Configured[int] | None = None
    certificate: Configured[str] | None = None
    certificate_key: Configured[HostKey] | None = None
    certificate_valid: Configured[Validity] | None = None
    tls: Configured[Names] | None = None
    check: Configured[Check] | None = None
    password: Configured[StoredSecret] | None = None
    others: Others = ()
    tries: Configured[int] | None = None
    guest: Configured[int] | None = None
    level: Configured[int] | None = None
    cap: Configured[int] | None = None
    sources: Family = ANY_SOURCE
    idle: Configured[int | None] | None = None


class Snmp(NamedTuple):
    """``snmp:``."""

    block: BlockInfo = NO_BLOCK
    on: Configured[bool] | None = None
    versions: Configured[tuple[int, ...]] | None = None
    communities: tuple[Configured[Community], ...] = ()


class Door(NamedTuple):
    """Any other way in."""

    name: str
    block: BlockInfo = NO_BLOCK
    on: Configured[bool] | None = None
    port: Configured[int] | None = None
    check: Configured[Check] | None = None
    password: Configured[StoredSecret] | None = None
    others: Others = ()
    guest: Configured[int] | None = None
    level: Configured[int] | None = None
    sources: Family = ANY_SOURCE


class Passwords(NamedTuple):
    """``passwords:``, the password policy. Durations in seconds."""

    block: BlockInfo = NO_BLOCK
    mask: Configured[bool] | None = None
    length: Configured[int] | None = None
    classes: Configured[int] | None = None
    letters: Configured[int] | None = None
    remember: Configured[int] | None = None
    youngest: Configured[int | None] | None = None
    oldest: Configured[int | None] | None = None
    warn: Configured[int | None] | None = None
    lock: Configured[Lock] | None = None


class Management(NamedTuple):
    """``management:``, what holds for every remote way."""

    block: BlockInfo = NO_BLOCK
    sources: Family = ANY_SOURCE
    vlan: Configured[int] | None = None
    pause: Configured[Pause] | None = None
    record: Configured[Record] | None = None


class OwnAddress(NamedTuple):
    """An address of the device itself; ``prefix`` None is one learnt at run time."""

    prefix: Prefix | None
    block: BlockInfo = NO_BLOCK
    interface: Configured[str] | None = None
    vlan: Configured[int] | None = None
    faces: Configured[str] | None = None
    answers: Configured[Ways] | None = None


class Banner(NamedTuple):
    """A text shown before or after login, line by line."""

    block: BlockInfo = NO_BLOCK
    lines: Names = ()
    #: where each line stands
    origins: tuple[Origin, ...] = ()


class Override(NamedTuple):
    """A value, no secret, that a later statement of the same block replaced by another: the block's head, the statement
    as a sheet has it, and both values."""

    head: str
    statement: str
    earlier: Configured[Any]
    later: Configured[Any]


class Device(NamedTuple):
    """One device. ``vtys`` holds the VTYs that statements name, by number. ``unread_users`` is a line that was not
    understood and may be about an account of its own."""

    file: str
    facts: DeviceFacts = DeviceFacts()
    console: Entry = Entry()
    auxiliary: Entry = Entry()
    vtys: Mapping[int, Entry] = {}
    elevations: Mapping[int, Elevation] = {}
    users: Mapping[str, User] = {}
    roles: Mapping[str, Role] = {}
    lists: Mapping[tuple[str, str | None], MethodList] = {}
    groups: Mapping[str, ServerGroup] = {}
    sources: Mapping[str, SourceList] = {}
    policies: Mapping[str, Policy] = {}
    ssh: Service = Service()
    telnet: Service = Service()
    web: Web = Web()
    snmp: Snmp = Snmp()
    doors: Mapping[str, Door] = {}
    passwords: Passwords = Passwords()
    management: Management = Management()
    addresses: tuple[OwnAddress, ...] = ()
    banners: Mapping[str, Banner] = {}
    overrides: tuple[Override, ...] = ()
    unread_users: Origin | None = None

    @property
    def name(self) -> str:
        """The device's name, or its file's where it has none."""
        if self.facts.name is not None:
            return self.facts.name.value
        stem = self.file.replace("\\", "/").rsplit("/", 1)[-1]
        return stem.removesuffix(".sheet") or stem
