"""Conditions, and what they make hold for some logins: policies, and the passwords of levels."""

from typing import NamedTuple

from overhang.model.blocks import ANY_SOURCE, NO_BLOCK, BlockInfo, Family, Names, Others, Ways
from overhang.model.stored_secret import StoredSecret
from overhang.model.values import Check, Configured, Hours


class Conditions(NamedTuple):
    """What has to hold for something else to: every part that is set, and of each part one of its values."""

    ways: Configured[Ways] | None = None
    not_ways: Configured[Ways] | None = None
    sources: Configured[str] | None = None
    addresses: Configured[Names] | None = None
    accounts: Configured[Names] | None = None
    roles: Configured[Names] | None = None
    vtys: Configured[tuple[int, int]] | None = None
    hours: Configured[Hours] | None = None

    @property
    def parts(self) -> int:
        """How many of them are set."""
        return sum(each is not None for each in self)


def _conditions_of(holder: NamedTuple) -> Conditions:
    """The conditions of what has a field ``for_...`` for each of them."""
    return Conditions(*(getattr(holder, f"for_{name}") for name in Conditions._fields))


class Elevation(NamedTuple):
    """How to get to a level: ``strong`` is the one-way password, ``plain`` the readable or masked one.

    ``least`` is the lowest level to come from; the ``for_`` fields limit who may do so, and where.
    """

    block: BlockInfo = NO_BLOCK
    strong: Configured[StoredSecret] | None = None
    plain: Configured[StoredSecret] | None = None
    others: Others = ()
    least: Configured[int] | None = None
    for_ways: Configured[Ways] | None = None
    for_not_ways: Configured[Ways] | None = None
    for_sources: Configured[str] | None = None
    for_addresses: Configured[Names] | None = None
    for_accounts: Configured[Names] | None = None
    for_roles: Configured[Names] | None = None
    for_vtys: Configured[tuple[int, int]] | None = None
    for_hours: Configured[Hours] | None = None

    @property
    def conditions(self) -> Conditions:
        """When it can be used."""
        return _conditions_of(self)

    @property
    def counting(self) -> Configured[StoredSecret] | None:
        """The password that counts: the one-way one wherever there is one."""
        return self.strong or self.plain


class Policy(NamedTuple):
    """What holds for some logins in place of what is said elsewhere; the ``for_`` fields say for which."""

    name: str
    block: BlockInfo = NO_BLOCK
    for_ways: Configured[Ways] | None = None
    for_not_ways: Configured[Ways] | None = None
    for_sources: Configured[str] | None = None
    for_addresses: Configured[Names] | None = None
    for_accounts: Configured[Names] | None = None
    for_roles: Configured[Names] | None = None
    for_vtys: Configured[tuple[int, int]] | None = None
    for_hours: Configured[Hours] | None = None
    refused: Configured[bool] | None = None
    sources: Family = ANY_SOURCE
    check: Configured[Check] | None = None
    login: Configured[str] | None = None
    tries: Configured[int] | None = None
    empty_passwords: Configured[bool] | None = None
    guest: Configured[int] | None = None
    level: Configured[int] | None = None
    cap: Configured[int] | None = None
    elevates: Configured[bool] | None = None
    idle: Configured[int | None] | None = None

    @property
    def conditions(self) -> Conditions:
        """When it holds."""
        return _conditions_of(self)
