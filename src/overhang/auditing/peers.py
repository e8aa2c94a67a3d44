"""Devices of a kind and site beside one another: most are alike, and the others differ in a few things.

Two are alike where their checklists have the same marks, they have the same habits, and the same knowledge gets in by
the same ways, from as far away.
"""

from collections.abc import Iterator, Mapping, Sequence
from typing import NamedTuple

from overhang.auditing.fleet import HABITS
from overhang.auditing.report import AuditReport
from overhang.auditing.results import KNOWLEDGE, DeviceAudit
from overhang.model.vocabulary import way_label

#: Fewer devices are no group.
LEAST = 4
_NO_WAY = "no way in"


class Differs(NamedTuple):
    """One thing in which devices differ: what it is, how it is there, and how it is on the others."""

    what: str
    here: str
    others: str


class Odd(NamedTuple):
    """Devices that are alike and not like most of their peers, and in what."""

    devices: tuple[str, ...]
    differences: tuple[Differs, ...]


class Peers(NamedTuple):
    """The devices of a kind and site: how many, the largest group of them that are alike, and the others."""

    kind: str
    site: str
    number: int
    alike: tuple[str, ...]
    odd: tuple[Odd, ...]


def peers_of(report: AuditReport, least: int = LEAST) -> list[Peers]:
    """The peer groups of a report in which most devices are alike and some are not, the largest first."""
    groups: dict[tuple[str, str], list[DeviceAudit]] = {}
    for audit in report.audits:
        if audit.kind and audit.site:
            groups.setdefault((audit.kind, audit.site), []).append(audit)
    found = [_peers(kind, site, audits) for (kind, site), audits in groups.items() if len(audits) >= least]
    return sorted((each for each in found if each is not None), key=lambda each: (-each.number, each.site, each.kind))


def _peers(kind: str, site: str, audits: Sequence[DeviceAudit]) -> Peers | None:
    same: dict[object, tuple[DeviceAudit, list[str]]] = {}
    for audit in audits:
        same.setdefault(_compared(audit), (audit, []))[1].append(audit.name)
    alike = {tuple(_features(audit)): names for audit, names in same.values()}
    usual, most = max(alike.items(), key=lambda each: len(each[1]))
    if len(alike) == 1 or 2 * len(most) <= len(audits):
        return None
    odd = [
        Odd(tuple(sorted(names)), tuple(_differences(dict(usual), dict(features))))
        for features, names in alike.items()
        if features != usual
    ]
    odd.sort(key=lambda each: (-len(each.differences), each.devices))
    return Peers(kind, site, len(audits), tuple(sorted(most)), tuple(odd))


def _compared(audit: DeviceAudit) -> object:
    """What ``_features`` are made of: the same for devices that have the same."""
    marks = [(each.aspect, each.mark) for each in audit.checklist]
    habits = [(name, does) for name, does, _ in audit.fleet_fingerprint.habits]
    ways = [(each.via, each.letter, each.source == "anywhere", each.level) for each in audit.exposures]
    return tuple(marks), tuple(habits), tuple(ways)


def _features(audit: DeviceAudit) -> Iterator[tuple[str, str]]:
    """What is compared of a device: each thing by its name, and how it is there."""
    yield from ((each.aspect.title, each.mark.word) for each in audit.checklist)
    for name, does, _ in audit.fleet_fingerprint.habits:
        yield name, HABITS[name][0] if does else ""
    for each in audit.exposures:
        where = " from anywhere" if each.source == "anywhere" else ""
        yield f"{way_label(each.via)} needs", f"{KNOWLEDGE[each.letter]}{where}, for level {each.level}"


def _differences(usual: Mapping[str, str], here: Mapping[str, str]) -> Iterator[Differs]:
    for what in dict.fromkeys((*usual, *here)):
        one, other = here.get(what), usual.get(what)
        if one == other:
            continue
        if what in HABITS:
            yield Differs(HABITS[what][0], *("yes" if each else "no" for each in (one, other)))
        else:
            yield Differs(what, one or _NO_WAY, other or _NO_WAY)
