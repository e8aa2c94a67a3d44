"""The one function that turns access paths into a severity; docs/severity.md states the scale."""

import enum
from collections.abc import Iterable

from overhang.auditing.findings import Severity
from overhang.exposure import AccessPath
from overhang.exposure.address_classes import AddressClasses


class AttackerEffort(enum.IntEnum):
    """What somebody needs who exploits a fault. Each step is one step of severity."""

    SECRET_NEEDED = 0  # a secret that the fault does not disclose: it only lets more people try, or try longer
    SECRET_EXPOSED = 1  # a secret that the fault discloses: overheard, read in a copy, passed around
    NOTHING = 2  # nothing at all, or what everybody knows


def of_paths(
    paths: Iterable[AccessPath], effort: AttackerEffort, classes: AddressClasses, *, locked_away: bool = False
) -> Severity:
    """How bad it is that a fault opens ``paths``: the worst of them; low where it opens none.

    From anywhere to level 15 without knowing anything is critical. It is one step less for each of: not from anywhere,
    below level 15, and each step of ``effort``; and one less at a port of a device that is locked away.
    """
    worst = Severity.LOW
    for path in paths:
        steps = int(effort)
        steps += path.level == 15
        steps += path.sources is not None and classes.wide(path.sources)
        steps -= path.sources is None and locked_away
        worst = max(worst, Severity(max(Severity.LOW, min(Severity.CRITICAL, steps))))
    return worst


def of_lock_out(*, everybody: bool, always: bool) -> Severity:
    """How bad it is that a fault keeps the right people out: everybody or some, always or while servers are down."""
    return Severity(1 + int(everybody) + int(everybody and always))
