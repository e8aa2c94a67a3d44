"""The values that statements give: small, frozen, and without a place of their own (``Said`` gives them one)."""

import datetime
from typing import Generic, NamedTuple, TypeVar

from overhang.model.stored_secret import StoredSecret
from overhang.text import Origin

T = TypeVar("T")


class Configured(NamedTuple, Generic[T]):
    """A value and the statement that gave it."""

    value: T
    origin: Origin


class Check(NamedTuple):
    """What an entry or service requires: nothing, password, users, methods, elevation-password. ``name`` is the method
    list's, for ``methods NAME``; None stands for the default list.
    """

    kind: str
    name: str | None = None


class Method(NamedTuple):
    """One line of a method list; ``group`` is the server group's name for ``servers GROUP``."""

    kind: str
    group: str | None = None


class HostKey(NamedTuple):
    """An SSH host key: rsa, dsa, ecdsa (with bits), ed25519 (256 bits), or unknown (no bits)."""

    kind: str
    bits: int | None = None


class PublicKey(NamedTuple):
    """An account's public key: its type in the SSH registry and its bytes. The comment has no meaning."""

    kind: str
    data: bytes
    comment: str = ""


class Community(NamedTuple):
    """One SNMP community; ``sources`` is the list that limits it, if any."""

    password: StoredSecret
    write: bool
    sources: str | None = None


class Lock(NamedTuple):
    """Accounts lock for ``seconds`` (None: for ever) after ``failures``, counted within ``window`` seconds if said."""

    seconds: int | None
    failures: int
    window: int | None = None


class Pause(NamedTuple):
    """New remote logins stop for ``seconds`` after ``failures`` of anybody, except from the list ``spared``."""

    seconds: int | None
    failures: int
    window: int | None = None
    spared: str | None = None


class Saved(NamedTuple):
    """When and by whom the configuration was saved or changed; ``when`` None is never."""

    when: datetime.datetime | None = None
    by: str | None = None
    note: str | None = None


class Validity(NamedTuple):
    """The days from which and to which a certificate is valid, both included."""

    start: datetime.date
    end: datetime.date


class Record(NamedTuple):
    """Whether logins are recorded, and at which server group."""

    on: bool
    group: str | None = None
