"""The one function that turns access paths into a severity; docs/severity.md states the scale."""

import enum
from collections.abc import Callable, Iterable, Sequence

from overhang.auditing.findings import Severity
from overhang.exposure import AccessPath
from overhang.exposure.address_classes import AddressClasses
from overhang.model import Prefix
from overhang.model.vocabulary import PORTS
from overhang.simulation.source_lists import covers

#: Without management networks in the project, a source set that fits in one of these is taken for one.
_NETWORK_BITS = {4: 32 - 24, 6: 128 - 64}


class AttackerEffort(enum.IntEnum):
    """What somebody needs who exploits a fault. Each step is one step of severity."""

    SECRET_NEEDED = 0  # a secret that the fault does not disclose: it only lets more people try, or try longer
    SECRET_EXPOSED = 1  # a secret that the fault discloses: overheard, read in a copy, passed around
    NOTHING = 2  # nothing at all, or what everybody knows


def outside_of(
    management: Sequence[Prefix], classes: AddressClasses, kept: dict[int, bool] | None = None
) -> Callable[[int], bool]:
    """What tells whether a set of sources reaches beyond the management networks; the answers are ``kept``.

    Where no network is named, a set is beyond them that does not fit in one IPv4 /24 and one IPv6 /64.
    """
    kept = {} if kept is None else kept

    def outside(sources: int) -> bool:
        if sources not in kept:
            ranges = list(classes.ranges(sources))
            if management:
                kept[sources] = not all(covers(management, *each) for each in ranges)
            else:
                networks = {(family, end >> _NETWORK_BITS[family]) for family, *ends in ranges for end in ends}
                kept[sources] = len(networks) > len({family for family, _ in networks})
        return kept[sources]

    return outside


def of_paths(
    paths: Iterable[AccessPath],
    effort: AttackerEffort,
    outside: Callable[[int], bool],
    *,
    locked_away: bool = False,
) -> Severity:
    """How bad it is that a fault opens ``paths``: the worst of them; low where it opens none.

    From beyond the management networks to level 15 without knowing anything is critical. It is one step less for each
    of: not from beyond them, below level 15, and each step of ``effort``; and one less at a port of a device that is
    locked away. One exposed password that opens a port and Telnet up to level 15 is high at least.
    """
    found = list(paths)
    worst = Severity.LOW
    for path in found:
        steps = int(effort)
        steps += path.level == 15
        steps += path.sources is not None and outside(path.sources)
        steps -= path.sources is None and locked_away
        worst = max(worst, Severity(max(Severity.LOW, min(Severity.CRITICAL, steps))))
    if effort is AttackerEffort.SECRET_EXPOSED and _one_for_all(found):
        worst = max(worst, Severity.HIGH)
    return worst


def _one_for_all(paths: Iterable[AccessPath]) -> bool:
    """Whether a single password opens a port, and Telnet too, up to level 15."""
    ways: dict[frozenset[int], set[str]] = {}
    for path in paths:
        if path.level == 15 and len(path.needs) == 1:
            ways.setdefault(path.needs, set()).add(path.via)
    return any("telnet" in vias and vias.intersection(PORTS) for vias in ways.values())


def of_lock_out(*, everybody: bool, always: bool) -> Severity:
    """How bad it is that a fault keeps the right people out: everybody or some, always or while servers are down."""
    return Severity(1 + int(everybody) + int(everybody and always))
