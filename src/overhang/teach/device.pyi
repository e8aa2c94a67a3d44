# Made by docs/make-reference from the schema of the sheet language.
from collections.abc import Sequence
from typing import NamedTuple, Protocol, Self

from overhang.dialect.emitter import Emitter
from overhang.dialect.instantiate import Instantiated
from overhang.dialect.tokenizer import Node as Source
from overhang.teach.tree import Statement

class _Says(Protocol):
    def __call__(self, *words: str, at: Statement | None = None) -> Block: ...

class Said(NamedTuple):
    source: Source
    statement: Instantiated
    owner: int

class Block:
    def __init__(self, device: Device, head: Sequence[str], at: Statement) -> None: ...
    def exists(self) -> Self: ...
    def text(self, text: str, *, at: Statement | None = None) -> Self: ...
    def say(self, *words: str, at: Statement | None = None) -> Self: ...
    accept: _Says
    allow: _Says
    another_password: _Says
    answers: _Says
    any_name: _Says
    ask: _Says
    at_end: _Says
    cap: _Says
    certificate: _Says
    certificate_key: _Says
    certificate_valid: _Says
    changed: _Says
    check: _Says
    ciphers: _Says
    classes: _Says
    closed: _Says
    community: _Says
    deny: _Says
    disabled: _Says
    domain: _Says
    elevates: _Says
    elevation: _Says
    elevation_password: _Says
    empty_passwords: _Says
    entry_password: _Says
    exchanges: _Says
    expires: _Says
    faces: _Says
    finish_within: _Says
    for_accounts: _Says
    for_addresses: _Says
    for_hours: _Says
    for_other_ways: _Says
    for_roles: _Says
    for_sources: _Says
    for_vtys: _Says
    for_ways: _Says
    from_: _Says
    guest: _Says
    host_key: _Says
    host_key_kinds: _Says
    http: _Says
    http_port: _Says
    https: _Says
    https_port: _Says
    idle: _Says
    incomplete: _Says
    interface: _Says
    key_authority: _Says
    key_kinds: _Says
    kind: _Says
    least: _Says
    leave: _Says
    length: _Says
    letters: _Says
    level: _Says
    level_from: _Says
    lock: _Says
    login: _Says
    macs: _Says
    mask: _Says
    must_change: _Says
    needs_user: _Says
    never_locked: _Says
    no_prompt: _Says
    not_via: _Says
    nothing: _Says
    off: _Says
    oldest: _Says
    on: _Says
    own_seats: _Says
    password: _Says
    pause: _Says
    port: _Says
    profile: _Says
    public_key: _Says
    rate: _Says
    record: _Says
    recovery: _Says
    refused: _Says
    reject: _Says
    remember: _Says
    role: _Says
    saved: _Says
    secret_wrong: _Says
    server: _Says
    servers: _Says
    sessions: _Says
    silent: _Says
    site: _Says
    timeout: _Says
    tls: _Says
    tries: _Says
    users: _Says
    users_last: _Says
    versions: _Says
    via: _Says
    vlan: _Says
    warn: _Says
    youngest: _Says
    zone: _Says

class Device:
    said: list[Said]
    misread: list[tuple[Source, str, frozenset[str]]]
    def __init__(self, emitter: Emitter) -> None: ...
    def block(self, *words: str, at: Statement) -> Block: ...
    def say(self, at: Statement, head: Sequence[str], inner: Sequence[str] | None, text: str | None = None) -> bool: ...
    def address(self, *words: str, at: Statement) -> Block: ...
    def banner(self, *words: str, at: Statement) -> Block: ...
    def device(self, *words: str, at: Statement) -> Block: ...
    def door(self, *words: str, at: Statement) -> Block: ...
    def elevation(self, *words: str, at: Statement) -> Block: ...
    def entry(self, *words: str, at: Statement) -> Block: ...
    def management(self, *words: str, at: Statement) -> Block: ...
    def methods(self, *words: str, at: Statement) -> Block: ...
    def passwords(self, *words: str, at: Statement) -> Block: ...
    def policy(self, *words: str, at: Statement) -> Block: ...
    def role(self, *words: str, at: Statement) -> Block: ...
    def servers(self, *words: str, at: Statement) -> Block: ...
    def snmp(self, *words: str, at: Statement) -> Block: ...
    def sources(self, *words: str, at: Statement) -> Block: ...
    def ssh(self, *words: str, at: Statement) -> Block: ...
    def telnet(self, *words: str, at: Statement) -> Block: ...
    def user(self, *words: str, at: Statement) -> Block: ...
    def web(self, *words: str, at: Statement) -> Block: ...

def shown_words(said: Said) -> tuple[set[str], set[str]]: ...
