"""The device: what a configuration says about who may manage it.

Every value that a statement gave is a ``Said`` (value and origin) or None where nothing was said; what that silence
means is the profile's business, not the model's. Levels are 0 to 15 (RFC 8907), durations are seconds and None stands
for "never" inside a ``Said``.
"""

import datetime
from collections.abc import Mapping
from typing import NamedTuple

from overhang.device.address import Prefix
from overhang.device.values import (
    Check,
    Community,
    HostKey,
    Lock,
    Method,
    Pause,
    PublicKey,
    Record,
    Said,
    Saved,
    Validity,
)
from overhang.secrets import Stored
from overhang.text import Origin

Ways = tuple[str, ...]
Names = tuple[str, ...]


class Block(NamedTuple):
    """Where a block begins, and the first statement in it that could not be read, if there is one.

    ``doubt`` puts in doubt what the block leaves unsaid. ``origin`` is None for a block that the sheet does not have.
    """

    origin: Origin | None = None
    doubt: Origin | None = None


class Family(NamedTuple):
    """The source lists asked about IPv4 and about IPv6 sources; None where that family passes unasked."""

    ipv4: Said[str] | None = None
    ipv6: Said[str] | None = None


NO_BLOCK = Block()
ANY_SOURCE = Family()


class DeviceFacts(NamedTuple):
    """The ``device:`` block. ``profile_unread`` is the line of a profile statement that could not be read."""

    block: Block = NO_BLOCK
    name: Said[str] | None = None
    kind: Said[str] | None = None
    domain: Said[str] | None = None
    site: Said[str] | None = None
    profile: Said[str] | None = None
    changed: Said[Saved] | None = None
    saved: tuple[Said[Saved], ...] = ()
    recovery: Said[str] | None = None
    profile_unread: Origin | None = None


class Entry(NamedTuple):
    """A console, auxiliary port or one VTY. ``item`` names its password as an item of knowledge: ``entry:vty 0-3``."""

    block: Block = NO_BLOCK
    check: Said[Check] | None = None
    password: Said[Stored] | None = None
    item: str = ""
    level: Said[int | str] | None = None
    elevation: Said[str] | None = None
    accept: Said[Ways] | None = None
    sources: Family = ANY_SOURCE
    idle: Said[int | None] | None = None
    closed: Said[bool] | None = None


class Elevation(NamedTuple):
    """How to get to a level: ``strong`` is the one-way password, ``plain`` the readable or masked one."""

    block: Block = NO_BLOCK
    strong: Said[Stored] | None = None
    plain: Said[Stored] | None = None

    @property
    def counting(self) -> Said[Stored] | None:
        """The password that counts: the one-way one wherever there is one."""
        return self.strong or self.plain


class User(NamedTuple):
    """A local account."""

    name: str
    block: Block = NO_BLOCK
    password: Said[Stored] | None = None
    any_name: Said[bool] | None = None
    level: Said[int] | None = None
    role: Said[str] | None = None
    via: Said[Ways] | None = None
    sources: Said[str] | None = None
    public_keys: tuple[Said[PublicKey], ...] = ()
    disabled: Said[bool] | None = None
    expires: Said[datetime.date] | None = None


class Role(NamedTuple):
    """A named level that accounts may share."""

    name: str
    block: Block = NO_BLOCK
    level: Said[int] | None = None


class MethodList(NamedTuple):
    """Places to ask, from the top down. ``purpose`` is login, elevation, web or level; ``name`` None is for all."""

    purpose: str
    name: str | None
    block: Block = NO_BLOCK
    methods: tuple[Said[Method], ...] = ()


class Server(NamedTuple):
    """One AAA server of a group."""

    address: str
    port: int | None = None
    secret: Stored | None = None


class ServerGroup(NamedTuple):
    """AAA servers that answer for one another, in order. ``protocol`` is radius or tacacs."""

    name: str
    protocol: str
    block: Block = NO_BLOCK
    servers: tuple[Said[Server], ...] = ()
    timeout: Said[int | None] | None = None
    tries: Said[int] | None = None


class SourceRule(NamedTuple):
    """One line of a source list; ``prefix`` None is any."""

    allow: bool
    prefix: Prefix | None


class SourceList(NamedTuple):
    """Rules of which the first that matches decides; what none matches is denied."""

    name: str
    block: Block = NO_BLOCK
    rules: tuple[Said[SourceRule], ...] = ()


class Service(NamedTuple):
    """``ssh:`` or ``telnet:``; the second half stays empty for Telnet."""

    block: Block = NO_BLOCK
    on: Said[bool] | None = None
    port: Said[int] | None = None
    sources: Family = ANY_SOURCE
    check: Said[Check] | None = None
    level: Said[int] | None = None
    elevation: Said[str] | None = None
    sessions: Said[int] | None = None
    rate: Said[int] | None = None
    idle: Said[int | None] | None = None
    versions: Said[tuple[int, ...]] | None = None
    host_keys: tuple[Said[HostKey], ...] = ()
    tries: Said[int] | None = None
    finish_within: Said[int | None] | None = None
    login: Said[str] | None = None
    empty_passwords: Said[bool] | None = None
    ciphers: Said[Names] | None = None
    macs: Said[Names] | None = None
    exchanges: Said[Names] | None = None


class Web(NamedTuple):
    """``web:``, management over HTTP and HTTPS."""

    block: Block = NO_BLOCK
    http: Said[bool] | None = None
    https: Said[bool] | None = None
    http_port: Said[int] | None = None
    https_port: Said[int] | None = None
    certificate: Said[str] | None = None
    certificate_key: Said[HostKey] | None = None
    certificate_valid: Said[Validity] | None = None
    tls: Said[Names] | None = None
    check: Said[Check] | None = None
    sources: Family = ANY_SOURCE
    idle: Said[int | None] | None = None


class Snmp(NamedTuple):
    """``snmp:``."""

    block: Block = NO_BLOCK
    on: Said[bool] | None = None
    versions: Said[tuple[int, ...]] | None = None
    communities: tuple[Said[Community], ...] = ()


class Door(NamedTuple):
    """Any other way in."""

    name: str
    block: Block = NO_BLOCK
    on: Said[bool] | None = None
    port: Said[int] | None = None
    check: Said[Check] | None = None
    level: Said[int] | None = None
    sources: Family = ANY_SOURCE


class Passwords(NamedTuple):
    """``passwords:``, the password policy. Durations in seconds."""

    block: Block = NO_BLOCK
    mask: Said[bool] | None = None
    length: Said[int] | None = None
    classes: Said[int] | None = None
    remember: Said[int] | None = None
    youngest: Said[int | None] | None = None
    oldest: Said[int | None] | None = None
    warn: Said[int | None] | None = None
    lock: Said[Lock] | None = None


class Management(NamedTuple):
    """``management:``, what holds for every remote way."""

    block: Block = NO_BLOCK
    sources: Family = ANY_SOURCE
    vlan: Said[int] | None = None
    pause: Said[Pause] | None = None
    record: Said[Record] | None = None


class OwnAddress(NamedTuple):
    """An address of the device itself; ``prefix`` None is one learnt at run time."""

    prefix: Prefix | None
    block: Block = NO_BLOCK
    interface: Said[str] | None = None
    vlan: Said[int] | None = None
    faces: Said[str] | None = None
    answers: Said[Ways] | None = None


class Banner(NamedTuple):
    """A text shown before or after login, line by line."""

    block: Block
    lines: Names


class Device(NamedTuple):
    """One device. ``vtys`` holds the VTYs that statements name, by number."""

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
    ssh: Service = Service()
    telnet: Service = Service()
    web: Web = Web()
    snmp: Snmp = Snmp()
    doors: Mapping[str, Door] = {}
    passwords: Passwords = Passwords()
    management: Management = Management()
    addresses: tuple[OwnAddress, ...] = ()
    banners: Mapping[str, Banner] = {}

    @property
    def name(self) -> str:
        """The device's name, or its file's where it has none."""
        if self.facts.name is not None:
            return self.facts.name.value
        stem = self.file.replace("\\", "/").rsplit("/", 1)[-1]
        return stem.removesuffix(".sheet") or stem
