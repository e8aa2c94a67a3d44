"""The input and the result of the decision."""

import datetime
from collections.abc import Mapping
from typing import Any, NamedTuple

from overhang.model import Address, Hours, PublicKey
from overhang.simulation.reasons import Reason, Stage
from overhang.text import Origin


class FromProfile(NamedTuple):
    """A decision that came from a profile's default."""

    profile: str
    key: str

    def __str__(self) -> str:
        return f"profile {self.profile}, {self.key}"


class FromAttempt(NamedTuple):
    """A decision that came from the attempt alone."""

    field: str

    def __str__(self) -> str:
        return f"attempt, {self.field}"


Provenance = Origin | FromProfile | FromAttempt


class Resolved(NamedTuple):
    """A value, configured or not, and its origin. The value may be ``profiles.UNKNOWN``."""

    value: Any
    origin: Provenance


class Certificate(NamedTuple):
    """A key of the person that ``authority`` has certified for the accounts ``names``."""

    authority: PublicKey
    names: frozenset[str]


class Attempt(NamedTuple):
    """One login by one person.

    ``via`` is a way, ``snmp`` or ``door:NAME``. ``knows`` holds items of knowledge. ``servers`` tells what the AAA
    servers hold, {group: {account: {"password", "level"}}}, or is None where that is not known; ``down`` holds the
    addresses of servers that do not answer. ``moment`` is the time of the attempt, ``at`` the seconds since the
    sequence began. ``keys`` are offered in their order. ``algorithms`` are what the person's SSH client speaks, by
    exchanges, host-keys, ciphers, macs and keys; of a kind that is not there nothing is known. ``during`` says which
    times of day hold on the device, whatever its clock shows. ``wrong_before`` and ``elevate_wrong_before`` count the
    wrong answers that the same connection has taken already, before those of ``passwords`` and ``elevate_passwords``.
    """

    via: str
    moment: datetime.datetime
    source: Address | None = None
    destination: Address | None = None
    name: str | None = None
    passwords: tuple[str, ...] = ()
    keys: tuple[PublicKey, ...] = ()
    knows: frozenset[str] = frozenset()
    elevate: int | None = None
    elevate_name: str | None = None
    elevate_passwords: tuple[str, ...] = ()
    ssh_versions: tuple[int, ...] = (2,)
    busy: frozenset[int] = frozenset()
    down: frozenset[str] = frozenset()
    servers: Mapping[str, Mapping[str, Mapping[str, Any]]] | None = None
    at: float = 0
    certificates: tuple[Certificate, ...] = ()
    algorithms: Mapping[str, tuple[str, ...]] | None = None
    during: frozenset[Hours] | None = None
    wrong_before: int = 0
    elevate_wrong_before: int = 0

    def __repr__(self) -> str:
        return f"Attempt(via={self.via!r}, name={self.name!r})"


class Step(NamedTuple):
    """One step of a login: its stage, the reason with its arguments, and what it comes from.

    ``asked`` is set where the person was asked for something: "name" or "password".
    """

    stage: Stage
    code: Reason
    origin: Provenance
    arguments: tuple[Any, ...] = ()
    asked: str = ""

    @property
    def reason(self) -> str:
        """The sentence."""
        return self.code.format(*self.arguments)


#: How an attempt can end.
OUTCOMES = ("admitted", "denied", "dropped", "refused", "unknown")


class Result(NamedTuple):
    """How an attempt ends.

    ``outcome`` is refused, dropped, denied, admitted or unknown. ``level`` is the final level, ``after_login`` the one
    before elevation, each None where there is none or it cannot be told. ``elevation`` is None where none was asked
    for, else granted, denied or unknown. ``decided`` is the deciding step.
    """

    outcome: str
    level: int | None
    after_login: int | None
    elevation: str | None
    decided: Step
    understood: bool
    trace: tuple[Step, ...]

    @property
    def decided_by(self) -> Provenance:
        """What decided."""
        return self.decided.origin

    @property
    def reason(self) -> str:
        """Why it ends so, in one sentence."""
        return self.decided.reason
