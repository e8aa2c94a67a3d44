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


class Another(NamedTuple):
    """A further password of a lock. ``level`` is what it gives in place of the account's. It opens only to logins that
    the policy ``where`` holds for, if one is named.

    Where its lock is a VTY, ``under`` is the range that it was given for, and ``number`` its place among that range's.
    """

    password: StoredSecret
    level: int | None = None
    where: str | None = None
    under: str = ""
    number: int = 0


class Check(NamedTuple):
    """What an entry or service requires: nothing, password, users, methods, elevation-password. ``name`` is the method
    list's, for ``methods NAME``; None stands for the default list.
    """

    kind: str
    name: str | None = None


class Method(NamedTuple):
    """One line of a method list; ``group`` is the server group's name for ``servers GROUP``.

    ``no`` says where its rejection leads: it ends the list, goes-on to the next method, or asks the list ``next``.
    """

    kind: str
    group: str | None = None
    no: str = "ends"
    next: str | None = None


class ListEnd(NamedTuple):
    """What the end of a method list means: deny, admit, users, or the list ``next``."""

    kind: str
    next: str | None = None


class HostKey(NamedTuple):
    """An SSH host key: rsa, dsa, ecdsa (with bits), ed25519 (256 bits), or unknown (no bits)."""

    kind: str
    bits: int | None = None


class PublicKey(NamedTuple):
    """A public key: its type in the SSH registry and its bytes. The comment has no meaning.

    An account's may be limited to a source list and a last day.
    """

    kind: str
    data: bytes
    comment: str = ""
    sources: str | None = None
    until: datetime.date | None = None


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
    """New remote logins stop for ``seconds`` after ``failures`` of anybody, except from the list ``spared``.

    ``everywhere``: those at the ports stop too, and count.
    """

    seconds: int | None
    failures: int
    window: int | None = None
    spared: str | None = None
    everywhere: bool = False


#: The days of the week, as they are written.
DAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")


class Hours(NamedTuple):
    """A time of day, in minutes from midnight, on some days of the week (0 is Monday; none: every day).

    ``last`` is not part of it; where it is not after ``first``, the time goes past midnight, into the next day.
    """

    first: int
    last: int
    days: tuple[int, ...] = ()

    @property
    def text(self) -> str:
        """As a sheet writes it, ``22:00-06:00 mon-fri``."""
        clock = "-".join(f"{each // 60:02}:{each % 60:02}" for each in (self.first, self.last))
        run = len(self.days) > 2 and self.days[-1] - self.days[0] == len(self.days) - 1
        days = (self.days[0], self.days[-1]) if run else self.days
        return " ".join(filter(None, (clock, ("-" if run else ",").join(DAYS[day] for day in days))))

    def hold(self, moment: datetime.datetime) -> bool:
        """Whether ``moment``, as the device's own clock shows it, is within."""
        minute = moment.hour * 60 + moment.minute
        today = moment.weekday()
        if self.first < self.last:
            return self.first <= minute < self.last and self._on(today)
        return (minute >= self.first and self._on(today)) or (minute < self.last and self._on((today - 1) % 7))

    def _on(self, day: int) -> bool:
        return not self.days or day in self.days


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
