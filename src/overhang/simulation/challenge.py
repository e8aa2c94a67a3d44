"""A challenge and its answer: what checks, methods, authorization and elevation share."""

from typing import NamedTuple

from overhang.simulation.resolve import Account, Endpoint
from overhang.simulation.result import Provenance


class Challenge(NamedTuple):
    """Where a credential is asked for: the endpoint, the purpose (login or elevation), the username given, and the line
    that requires it.

    ``level`` is the level requested in an elevation; an account below it is rejected. With ``any_way`` an account's
    limits on ways are ignored.
    """

    endpoint: Endpoint
    purpose: str
    name: str | None
    origin: Provenance
    level: int
    any_way: bool = False


class Answer(NamedTuple):
    """The answer of a check or method.

    ``verdict`` is yes, no, drop (the connection ends without a prompt) or none (no answer: the next method is asked).
    ``asked``: a password was asked for. ``account``, or a server of ``group`` that gave ``server_level``, accepted the
    login. ``fixed`` is a level that overrides every other.
    """

    verdict: str
    origin: Provenance
    asked: bool = False
    account: Account | None = None
    group: str | None = None
    server_level: int | None = None
    fixed: int | None = None
    through_list: bool = False
