"""A challenge and its answer: what checks, methods, authorization and elevation share."""

from typing import NamedTuple

from overhang.model import Configured
from overhang.simulation.result import Provenance, Resolved
from overhang.simulation.views import Account, Endpoint


class Session(NamedTuple):
    """A session after login: its level, the level that it never gets above and what says so, what keeps it from
    elevating, and the account that logged in, where that may matter.
    """

    level: int
    cap: Resolved | None = None
    stuck: Provenance | None = None
    who: str | None = None


class Challenge(NamedTuple):
    """Where a credential is asked for: the endpoint, the purpose (login or elevation), the username given, and the line
    that requires it.

    ``level`` is the level requested in an elevation; an account below it is rejected. With ``any_way`` an account's
    limits on ways are ignored. ``session`` is the one that is to be elevated.
    """

    endpoint: Endpoint
    purpose: str
    name: str | None
    origin: Provenance
    level: int
    any_way: bool = False
    session: Session | None = None


class Answer(NamedTuple):
    """The answer of a check or method.

    ``verdict`` is yes, no, drop (the connection ends without a prompt) or none (no answer: the next method is asked).
    ``asked``: a password was asked for. ``account``, or a server of ``group`` that gave ``server_level``, accepted the
    login. ``fixed`` is a level that overrides every other, ``caps`` are levels that nobody gets above who comes so.
    ``own_level`` is what the password that opened gives in place of the account's level, ``local`` tells that the local
    account had a say in a server's level.
    """

    verdict: str
    origin: Provenance
    asked: bool = False
    account: Account | None = None
    group: str | None = None
    server_level: int | None = None
    fixed: int | None = None
    through_list: bool = False
    own_level: int | None = None
    caps: tuple[Configured[int], ...] = ()
    local: bool = False
    guest: bool = False
