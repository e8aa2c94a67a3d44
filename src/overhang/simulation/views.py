"""What a login meets, made ready by ``resolve``: passwords, accounts, entries, services and addresses of a device."""

from typing import Any, NamedTuple

from overhang.model import BlockInfo, Configured, Family, Prefix, PublicKey, Role, User
from overhang.model.stored_secret import StoredSecret
from overhang.simulation.result import Provenance, Resolved


class Credential(NamedTuple):
    """A stored password: its item of knowledge, its form, its line, its label, a level of its own if it has one, and
    the policy that has to hold for it to open.
    """

    item: str
    stored: StoredSecret
    origin: Provenance
    label: str
    level: int | None = None
    where: str | None = None


class Account(NamedTuple):
    """A resolved local account: ``level`` is its own or its role's, None where neither is configured.

    ``credential`` is its password, ``others`` are further ones. ``user`` holds what the account itself says; ``ways``,
    ``sources`` and ``elevates`` are its own or its role's. ``limits`` is the block that puts these in doubt.
    """

    name: str
    origin: Provenance
    credential: Credential | None
    others: tuple[Credential, ...]
    level: Resolved | None
    by_role: bool
    ways: Resolved | None
    sources: Configured[str] | None
    elevates: Configured[bool] | None
    block: BlockInfo
    limits: BlockInfo
    user: User
    role: Role | None = None

    @property
    def any_name(self) -> bool:
        """Whether its password alone selects it."""
        return self.user.any_name is not None

    @property
    def keys(self) -> tuple[Configured[PublicKey], ...]:
        """Its public keys."""
        return self.user.public_keys

    @property
    def disabled(self) -> Configured[bool] | None:
        """Whether it cannot be used."""
        return self.user.disabled

    @property
    def expires(self) -> Any:
        """Its last day."""
        return self.user.expires

    @property
    def cap(self) -> Configured[int] | None:
        """The level that nobody with its role gets above."""
        return self.role.cap if self.role is not None else None

    @property
    def credentials(self) -> tuple[Credential, ...]:
        """All its passwords, in their order."""
        return (self.credential, *self.others) if self.credential is not None else self.others


class Endpoint(NamedTuple):
    """What a login reaches: the entry (None for ways without one) and the service (None for the ports).

    ``met`` are the policies and elevations, by their keys, whose conditions on the place are met here.
    """

    via: str
    label: str
    entry: "ResolvedEntry | None" = None
    service: "ResolvedService | None" = None
    met: frozenset[object] = frozenset()


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
    others: tuple[Credential, ...]
    users_last: Configured[bool] | None
    level: Configured[int | str] | None
    cap: Configured[int] | None
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
        others = tuple(each._replace(label="") for each in self.others)
        label = self.label if self.number is None else ""
        return (label, *self._replace(label="", number=None, credential=credential, others=others, spoken=""))


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
    cap: Configured[int] | None = None
    guest: Configured[int] | None = None
    tries: Configured[int] | None = None
    credential: Credential | None = None
    others: tuple[Credential, ...] = ()
    #: the place that logins take which take no VTY
    seat: ResolvedEntry | None = None


class ResolvedAddress(NamedTuple):
    """A resolved address of the device; ``prefix`` None is one assigned at run time."""

    prefix: Prefix | None
    label: str
    origin: Provenance
    block: BlockInfo
    answers: Resolved
    vlan: Configured[int] | None
