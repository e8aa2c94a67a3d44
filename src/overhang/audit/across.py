"""Across devices: one that stands out from its peers, a secret on many of them, and waivers that have had their day.

The audit of each device leaves a ``Mark``, which holds no secret: passwords are compared by a keyed digest of this run.
"""

import datetime
import hashlib
from collections import Counter
from collections.abc import Iterator, Sequence
from fnmatch import fnmatchcase
from typing import TYPE_CHECKING, Any, NamedTuple

from overhang.audit.context import RuleContext, listed
from overhang.audit.findings import Severity
from overhang.audit.rules.unauthenticated import rekeyed
from overhang.model.stored_secret import Form
from overhang.model.verification import plain_text
from overhang.project import Project, Waiver
from overhang.text import did_you_mean

if TYPE_CHECKING:
    from overhang.audit.device_audit import DeviceAudit


class Secret(NamedTuple):
    """A stored password's digest and label, its line, what knowing it reaches (-1: nothing), and how to set another."""

    digest: bytes
    label: str
    line: int
    level: int
    fix: tuple[str, ...]


class FleetFingerprint(NamedTuple):
    """What a device is compared with others by: its peers, how it does things, and its secrets."""

    kind: str
    site: str
    habits: tuple[tuple[str, bool, int], ...]
    secrets: tuple[Secret, ...]


class NetworkFinding(NamedTuple):
    """Something wrong that no single device shows: the places are (file, line, text)."""

    rule: str
    severity: Severity
    message: str
    places: tuple[tuple[str, int, str], ...]
    devices: tuple[str, ...]
    fix: tuple[str, ...] = ()


# -- marks -------------------------------------------------------------------------------------------------------------


def mark(context: RuleContext, key: bytes) -> FleetFingerprint:
    """The mark of a device; ``key`` is random and the same for all devices of a run."""
    facts = context.device.facts
    kind = facts.kind.value if facts.kind is not None else ""
    site = facts.site.value if facts.site is not None else ""
    return FleetFingerprint(kind, site, tuple(_habits(context)), tuple(_secrets(context, key)))


#: How a device may do things, for who is to be told that one does and the others do not.
HABITS = {
    "telnet": ("takes Telnet", "take no Telnet"),
    "ssh": ("takes SSH", "take no SSH"),
    "web": ("has web management", "have no web management"),
    "servers": ("asks AAA servers", "ask no AAA server"),
    "secret": ("has a password for level 15", "have no password for level 15"),
    "accounts": ("has local accounts", "have no local account"),
    "lists": ("limits where logins come from", "do not limit where logins come from"),
    "banner": ("shows a banner", "show no banner"),
    "record": ("records logins", "do not record logins"),
}


def _habits(context: RuleContext) -> Iterator[tuple[str, bool, int]]:
    device, paths = context.device, context.paths
    head = device.facts.block.origin.line if device.facts.block.origin is not None else 1
    vias = {path.via for path in paths}
    yield "telnet", "telnet" in vias, _line(device.telnet.on, head)
    yield "ssh", "ssh" in vias, _line(device.ssh.on, head)
    yield "web", bool({"http", "https"} & vias), _line(device.web.https or device.web.http, head)
    yield "servers", any(name.startswith("server:") for path in paths for name in context.names_of(path)), head
    yield "secret", 15 in device.elevations, head
    yield "accounts", bool(device.users), head
    remote = [path for path in paths if path.sources is not None]
    if remote:
        yield "lists", not context.wide(remote), head
    yield "banner", "before-login" in device.banners, head
    if device.management.record is not None:
        yield "record", device.management.record.value.on, device.management.record.origin.line


def _line(said: Any, head: int) -> int:
    return said.origin.line if said is not None else head


def _secrets(context: RuleContext, key: bytes) -> Iterator[Secret]:
    for place in context.passwords():
        stored = place.said.value
        plain = plain_text(stored)
        if stored.form in (Form.WITHHELD, Form.NONE, Form.FACTORY) or plain == "" or place.item.endswith("/dead"):
            continue
        text = f"plain {plain}" if plain else f"{stored.form.value} {stored.text}"
        digest = hashlib.blake2b(text.encode("utf-8", "surrogatepass"), key=key, digest_size=16).digest()
        level = max((path.level for path in context.opened_by({place.item})), default=-1)
        yield Secret(digest, place.label, place.said.origin.line, level, tuple(rekeyed(context, place.item)))


# -- across devices ----------------------------------------------------------------------------------------------------


def across(audits: Sequence["DeviceAudit"], projects: Sequence[Project]) -> list[NetworkFinding]:
    """What is wrong across the devices of a run; each is held against the project that holds for it."""
    found: list[NetworkFinding] = []
    for project in projects:
        own = [audit for audit in audits if audit.project == project.file]
        found += _standing_out(own, project)
        found += _shared(own, project)
    return sorted(found, key=lambda each: (-each.severity, each.rule, each.devices))


def _standing_out(audits: list["DeviceAudit"], project: Project) -> Iterator[NetworkFinding]:
    groups: dict[tuple[str, str], list[DeviceAudit]] = {}
    for audit in audits:
        if audit.mark.kind and audit.mark.site and not audit.unread:
            groups.setdefault((audit.mark.kind, audit.mark.site), []).append(audit)
    for (kind, site), group in sorted(groups.items()):
        odd: dict[int, list[tuple[str, int]]] = {}
        for habit, (one, many) in HABITS.items():
            doing = {
                index: (does, line)
                for index, audit in enumerate(group)
                for name, does, line in audit.mark.habits
                if name == habit
            }
            counts = Counter(does for does, _ in doing.values())
            for index, (does, line) in doing.items():
                if counts[does] == 1 and counts[not does] >= project.thresholds.peers:
                    parts = f"it {one}, they {many}" if does else f"they {_many(one)}, it does not"
                    odd.setdefault(index, []).append((parts, line))
        for index, differs in sorted(odd.items()):
            audit = group[index]
            parts = "; ".join(part for part, _ in differs)
            message = f"{audit.name} stands out from {len(group) - 1} other {kind}s at {site}: {parts}"
            places = tuple((audit.file, line, "") for line in dict.fromkeys(line for _, line in differs))
            yield NetworkFinding("stands-out", Severity.LOW, message, places, (audit.name,))


def _many(one: str) -> str:
    """``takes Telnet`` of one is ``take Telnet`` of many."""
    first, _, rest = one.partition(" ")
    return f"{'have' if first == 'has' else first.removesuffix('s')} {rest}"


def _shared(audits: list["DeviceAudit"], project: Project) -> Iterator[NetworkFinding]:
    holders: dict[bytes, list[tuple[DeviceAudit, Secret]]] = {}
    for audit in audits:
        for secret in audit.mark.secrets:
            holders.setdefault(secret.digest, []).append((audit, secret))
    spread: dict[Severity, list[list[tuple[DeviceAudit, Secret]]]] = {}
    for held in holders.values():
        if len({audit.file for audit, _ in held}) > project.thresholds.shared_by:
            top = max(secret.level for _, secret in held) == 15
            spread.setdefault(Severity.MEDIUM if top else Severity.LOW, []).append(held)
    for severity, many in spread.items():
        many.sort(key=lambda held: -len(held))
        parts = [f"{listed((s.label for _, s in held), 2)} ({len({a.file for a, _ in held})})" for held in many]
        subject = "a password is" if len(many) == 1 else f"{len(many)} passwords are each"
        reach = ", to level 15" if severity is Severity.MEDIUM else ""
        limit = project.thresholds.shared_by
        message = f"{subject} kept on more than {limit} devices, {listed(parts)}: who learns one has it on all{reach}"
        places = tuple((audit.file, secret.line, "") for held in many for audit, secret in held)
        devices = tuple(sorted({audit.name for held in many for audit, _ in held}))
        fix = [line for held in many for audit, secret in held[1:] for line in (f"# {audit.file}", *secret.fix)]
        yield NetworkFinding("secret-on-many-devices", severity, message, places, devices, tuple(fix))


# -- waivers -----------------------------------------------------------------------------------------------------------


def waived_by(project: Project, rule: str, device: str, today: datetime.date) -> Waiver | None:
    """The waiver under which a finding is lived with today, if there is one."""
    for waiver in project.waivers:
        if waiver.rule == rule and waiver.until >= today and any(fnmatchcase(device, each) for each in waiver.devices):
            return waiver
    return None


def check_waivers(
    project: Project, audits: Sequence["DeviceAudit"], known: frozenset[str], today: datetime.date
) -> list[NetworkFinding]:
    """Waivers that have ended, that waive nothing, or whose rule does not exist.

    Of a waiver that is about none of the devices of this run nothing is said.
    """
    own = [audit for audit in audits if audit.project == project.file]
    return list(_wrong_waivers(project, own, known, today))


def _wrong_waivers(
    project: Project, audits: list["DeviceAudit"], known: frozenset[str], today: datetime.date
) -> Iterator[NetworkFinding]:
    for waiver in project.waivers:
        place = ((project.file, waiver.line, ""),)
        about = [audit for audit in audits if any(fnmatchcase(audit.name, each) for each in waiver.devices)]
        used = any(each.finding.rule == waiver.rule for audit in about for each in audit.waived)
        if waiver.rule not in known:
            near = did_you_mean(waiver.rule, sorted(known))
            hint = f"; did you mean {near}?" if near else ""
            message = f"a waiver names the rule {waiver.rule}, which does not exist{hint}"
            yield NetworkFinding("waiver-unused", Severity.LOW, message, place, ())
        elif about and waiver.until < today:
            message = f"the waiver of {waiver.rule} ended on {waiver.until}: mend what it was for, or decide anew"
            yield NetworkFinding("waiver-ended", Severity.LOW, message, place, ())
        elif about and not used:
            message = f"the waiver of {waiver.rule} on {listed(waiver.devices)} waives nothing: take it back"
            yield NetworkFinding("waiver-unused", Severity.LOW, message, place, ())
