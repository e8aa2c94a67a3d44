"""Where a question is put and what comes back: what checks, methods, landing and elevating have in common."""

from typing import NamedTuple

from overhang.simulation.resolve import Account, Endpoint
from overhang.simulation.result import Provenance


class Challenge(NamedTuple):
    """Where a question is put: the place, what for (login or elevation), the name given, and the line that asks.

    ``level`` is the level wanted in an elevation; an account below it will not do. ``any_way`` says that an account's
    limits on ways do not count.
    """

    endpoint: Endpoint
    purpose: str
    name: str | None
    origin: Provenance
    level: int
    any_way: bool = False


class Answer(NamedTuple):
    """What a check or method says.

    ``verdict`` is yes, no, drop (the connection ends unasked) or none (no answer: ask the next). ``asked`` tells
    whether the person was asked for a password. Who let the person in: ``account``, or a server of ``group`` that
    gave ``server_level``. ``fixed`` is a level that holds whatever else is said.
    """

    verdict: str
    origin: Provenance
    asked: bool = False
    account: Account | None = None
    group: str | None = None
    server_level: int | None = None
    fixed: int | None = None
    through_list: bool = False
