"""Devices together: the fingerprint that the audit of each leaves, and the rules that compare them.

A fingerprint holds no secret: passwords are compared by a keyed digest of this run.
"""

import datetime
import hashlib
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from typing import Any, NamedTuple

from overhang.auditing import fixes
from overhang.auditing.context import RuleContext
from overhang.auditing.findings import Severity
from overhang.auditing.results import DeviceAudit, FleetFingerprint, PasswordFingerprint
from overhang.auditing.stored_passwords import PasswordPlace, stored_passwords
from overhang.auditing.waivers import waived_on_all
from overhang.model import Device
from overhang.model.stored_secret import Form, StoredSecret
from overhang.model.verification import plain_text
from overhang.project import Project


class FleetFinding(NamedTuple):
    """Something wrong that no single device shows; ``places`` are files and lines."""

    rule: str
    severity: Severity
    message: str
    places: tuple[tuple[str, int], ...]
    devices: tuple[str, ...]
    fix: tuple[str, ...] = ()


class WaivedFleetFinding(NamedTuple):
    """A finding across devices that somebody accepted: why, and until when."""

    finding: FleetFinding
    reason: str
    until: datetime.date


class NetworkSecrets(NamedTuple):
    """The secrets of all devices of a run. ``of`` has the number of the secret behind each item of each file; ``reach``
    gives how many devices a secret opens with hops, and how many of them at level 15."""

    of: Mapping[tuple[str, str], int]
    reach: Callable[[int], tuple[int, int]]


class FleetRun(NamedTuple):
    """What a rule across devices may look at: audits under one project, the day, and the names of all rules.

    ``waived`` are the findings across devices that are waived already, ``secrets`` what is known of their passwords
    together.
    """

    audits: Sequence[DeviceAudit]
    project: Project
    today: datetime.date
    rules: frozenset[str]
    waived: Sequence[WaivedFleetFinding] = ()
    secrets: NetworkSecrets | None = None


#: What a device may do: said of one, of several, and of one that does not.
HABITS = {
    "telnet": ("accepts Telnet", "accept Telnet", "does not"),
    "ssh": ("accepts SSH", "accept SSH", "does not"),
    "web": ("has web management", "have web management", "does not"),
    "servers": ("asks AAA servers", "ask AAA servers", "does not"),
    "secret": ("has an enable secret", "have an enable secret", "does not"),
    "accounts": ("has local accounts", "have local accounts", "does not"),
    "lists": ("limits source addresses", "limit source addresses", "does not"),
    "banner": ("shows a banner", "show a banner", "does not"),
    "record": ("logs logins", "log logins", "does not"),
    "auxiliary": ("lets logins in at the auxiliary port", "let logins in at the auxiliary port", "does not"),
    "snmp": ("answers SNMP", "answer SNMP", "does not"),
    "lock": ("locks accounts after wrong passwords", "lock accounts after wrong passwords", "does not"),
    "ssh-1": ("accepts SSH version 1", "accept SSH version 1", "does not"),
    "idle": ("ends idle sessions at the console", "end idle sessions at the console", "does not"),
}


def fleet_fingerprint(context: RuleContext) -> FleetFingerprint:
    """The fingerprint of a device, the digests of its passwords left out."""
    facts = context.device.facts
    kind = facts.kind.value if facts.kind is not None else ""
    site = facts.site.value if facts.site is not None else ""
    habits = tuple(_habits(context)) if context.exposure.complete else ()  # a way not found is no habit
    return FleetFingerprint(kind, site, habits, tuple(_passwords(context)))


def compared_secrets(device: Device) -> list[StoredSecret]:
    """The stored passwords of a device that are compared with those of others, in the order of its fingerprint."""
    return [place.said.value for place in stored_passwords(device) if _counts(place)]


def with_digests(found: FleetFingerprint, secrets: Iterable[StoredSecret], key: bytes) -> FleetFingerprint:
    """The fingerprint of a device with the digests of its passwords; ``key`` is random and the same for all devices of
    a run."""
    passwords = (
        each._replace(digest=_digest(stored, key)) for each, stored in zip(found.passwords, secrets, strict=True)
    )
    return found._replace(passwords=tuple(passwords))


def _counts(place: PasswordPlace) -> bool:
    """Whether a password may be another one's equal."""
    stored = place.said.value
    alone = (Form.WITHHELD, Form.NONE, Form.FACTORY, Form.UNOPENABLE)
    return not (stored.form in alone or place.unused or plain_text(stored) == "")


def _digest(stored: StoredSecret, key: bytes) -> bytes:
    plain = plain_text(stored)
    text = f"plain {plain}" if plain else f"{stored.form.value} {stored.text}"
    return hashlib.blake2b(text.encode("utf-8", "surrogatepass"), key=key, digest_size=16).digest()


def _habits(context: RuleContext) -> Iterator[tuple[str, bool, int]]:
    device, paths = context.device, context.paths
    head = device.facts.block.origin.line if device.facts.block.origin is not None else 1
    vias = {path.via for path in paths}
    yield "telnet", "telnet" in vias, _line(device.telnet.on, head)
    yield "ssh", "ssh" in vias, _line(device.ssh.on, head)
    yield "web", bool({"http", "https"} & vias), _line(device.web.https or device.web.http, head)
    yield "servers", any(item.startswith("server:") for path in paths for item in context.names_of(path)), head
    yield "secret", 15 in device.elevations, head
    yield "accounts", bool(device.users), head
    remote = [path for path in paths if path.sources is not None]
    if remote:
        yield "lists", not context.wide(remote), head
    yield "auxiliary", "auxiliary" in vias, _line(device.auxiliary.check, head)
    yield "snmp", "snmp" in vias, _line(device.snmp.on, head)
    yield "lock", device.passwords.lock is not None, _line(device.passwords.lock, head)
    versions = device.ssh.versions
    if versions is not None:
        yield "ssh-1", 1 in versions.value, versions.origin.line
    if device.console.idle is not None:
        yield "idle", device.console.idle.value is not None, device.console.idle.origin.line
    yield "banner", "before-login" in device.banners, head
    if device.management.record is not None:
        yield "record", device.management.record.value.on, device.management.record.origin.line


def _line(said: Any, head: int) -> int:
    return said.origin.line if said is not None else head


def _passwords(context: RuleContext) -> Iterator[PasswordFingerprint]:
    for place in filter(_counts, context.passwords):
        level = max((path.level for path in context.opened_by({place.item})), default=-1)
        fix = _fix(context, place.item)
        yield PasswordFingerprint(b"", place.label, place.said.origin.line, level, fix, place.item)


def _fix(context: RuleContext, item: str) -> tuple[str, ...]:
    """What replaces a password; all communities, and all servers of a group, are written anew together."""
    kind, _, name = item.partition(":")
    together = kind if kind == "community" else f"{kind} {name.partition('/')[0]}" if kind == "secret" else ""
    if not together:
        return tuple(fixes.new_password(context, item))
    return context.keep(("fix of", together), lambda: tuple(fixes.new_password(context, item)))


def run_fleet_rules(
    audits: Sequence[DeviceAudit],
    projects: Sequence[Project],
    today: datetime.date,
    secrets: NetworkSecrets | None = None,
) -> tuple[list[FleetFinding], list[WaivedFleetFinding]]:
    """What is wrong across the devices of a run, and what of it is waived; each is held against the project that holds
    for it. Rules about waivers come last, since they ask what was waived.
    """
    from overhang.auditing.registry import all_rules, rule_names  # the rules import what stands above

    names = frozenset(rule_names())
    found: list[FleetFinding] = []
    waived: list[WaivedFleetFinding] = []
    rules = sorted((rule for rule in all_rules() if rule.fleet is not None), key=lambda rule: bool(rule.after))
    for project in projects:
        own = [audit for audit in audits if audit.project == project.file]
        accepted: list[WaivedFleetFinding] = []
        for rule in rules:
            run = FleetRun(own, project, today, names, accepted, secrets)
            for each in rule.fleet(run) if rule.fleet is not None else ():
                finding = each._replace(rule=rule.name)
                waiver = waived_on_all(project, finding.rule, finding.devices, today)
                if waiver is None:
                    found.append(finding)
                else:
                    accepted.append(WaivedFleetFinding(finding, waiver.reason, waiver.until))
        waived += accepted
    return sorted(found, key=lambda each: (-each.severity, each.rule, each.devices)), waived
