"""Devices together: one that differs from its peers, a password on many of them; and waivers that are of no use."""

from collections import Counter
from collections.abc import Iterator
from fnmatch import fnmatchcase
from typing import NamedTuple

from overhang.auditing.findings import Severity
from overhang.auditing.fleet import HABITS, FleetFinding, FleetRun
from overhang.auditing.registry import Topic
from overhang.auditing.results import DeviceAudit, PasswordFingerprint
from overhang.auditing.wording import counted, listed
from overhang.text import did_you_mean

rule = Topic("across devices", 14)


@rule.fleet("differs-from-peers")
def differs_from_peers(run: FleetRun) -> Iterator[FleetFinding]:
    """A device that alone does something, or alone does not, among those of its kind and site."""
    groups: dict[tuple[str, str], list[DeviceAudit]] = {}
    for audit in run.audits:
        print_of = audit.fleet_fingerprint
        if print_of.kind and print_of.site and not audit.unread:
            groups.setdefault((print_of.kind, print_of.site), []).append(audit)
    for (kind, site), group in sorted(groups.items()):
        for index, differs in sorted(_odd_ones(group, run.project.thresholds.peers).items()):
            audit = group[index]
            parts = "; ".join(part for part, _ in differs)
            others = counted(len(group) - 1, f"other {kind}")
            message = f"{audit.name} differs from {others} at {site}: {parts}"
            places = tuple((audit.file, line) for line in dict.fromkeys(line for _, line in differs))
            yield FleetFinding("", Severity.LOW, message, places, (audit.name,))


def _odd_ones(group: list[DeviceAudit], peers: int) -> dict[int, list[tuple[str, int]]]:
    """By its place in the group, in what each odd device differs, and the line for it."""
    odd: dict[int, list[tuple[str, int]]] = {}
    by_habit: dict[str, dict[int, tuple[bool, int]]] = {habit: {} for habit in HABITS}
    for index, audit in enumerate(group):
        for habit, does, line in audit.fleet_fingerprint.habits:
            by_habit[habit][index] = does, line
    for habit, (one, many, not_one) in HABITS.items():
        doing = by_habit[habit]
        counts = Counter(does for does, _ in doing.values())
        for index, (does, line) in doing.items():
            if counts[does] == 1 and counts[not does] >= peers:
                text = f"it alone {one}" if does else f"the others {many}, it {not_one}"
                odd.setdefault(index, []).append((text, line))
    return odd


class _Shared(NamedTuple):
    """One password on several devices."""

    held: list[tuple[DeviceAudit, PasswordFingerprint]]

    @property
    def devices(self) -> int:
        return len({audit.file for audit, _ in self.held})


def _shared(run: FleetRun) -> list[_Shared]:
    """The passwords of a run, each with all that hold it: equal by their digests, or by what opens what."""
    known = run.secrets.of if run.secrets is not None else {}
    numbers: dict[bytes, int] = {}
    for audit in run.audits:
        for password in audit.fleet_fingerprint.passwords:
            if (audit.file, password.item) in known:
                numbers.setdefault(password.digest, known[audit.file, password.item])
    holders: dict[object, list[tuple[DeviceAudit, PasswordFingerprint]]] = {}
    for audit in run.audits:
        for password in audit.fleet_fingerprint.passwords:
            holders.setdefault(numbers.get(password.digest, password.digest), []).append((audit, password))
    return [_Shared(held) for held in holders.values()]


def _hops(run: FleetRun, held: _Shared) -> tuple[int, int]:
    """How many devices a password opens with hops, and how many of them at level 15; 0 where that is not known."""
    known = run.secrets.of if run.secrets is not None else {}
    for audit, password in held.held:
        if run.secrets is not None and (audit.file, password.item) in known:
            return run.secrets.reach(known[audit.file, password.item])
    return 0, 0


@rule.fleet("password-on-many-devices")
def password_on_many_devices(run: FleetRun) -> Iterator[FleetFinding]:
    """Passwords that are provably the same on more devices than the project allows."""
    most = run.project.thresholds.shared_by
    spread: dict[Severity, list[_Shared]] = {}
    for held in _shared(run):
        if held.devices > most:
            top = max(password.level for _, password in held.held) == 15 or _hops(run, held)[1] > 0
            spread.setdefault(Severity.HIGH if top else Severity.LOW, []).append(held)
    for severity, many in spread.items():
        many.sort(key=lambda each: -len(each.held))
        reach = " up to level 15" if severity is Severity.HIGH else ""
        parts = [f"{listed((password.label for _, password in each.held), 2)} on {each.devices}" for each in many]
        if len(many) == 1:
            labels = listed((password.label for _, password in many[0].held), 2)
            message = (
                f"the same password ({labels}) is used on {many[0].devices} devices: one leak opens all of them{reach}"
            )
        else:
            message = (
                f"{len(many)} passwords are each used on more than {most} devices ({listed(parts)}): "
                f"one leak opens all of "
                f"them{reach}"
            )
        devices_reached, at_15 = _hops(run, many[0])
        if devices_reached > many[0].devices:
            message += (
                f"; with hops {'it' if len(many) == 1 else 'the first'} reaches {counted(devices_reached, 'device')}, "
                f"{at_15} at level 15 (overhang spread)"
            )
        places = tuple((audit.file, password.line) for each in many for audit, password in each.held)
        devices = tuple(sorted({audit.name for each in many for audit, _ in each.held}))
        own: dict[str, dict[tuple[str, ...], None]] = {}
        for each in many:
            for audit, password in each.held[1:]:
                own.setdefault(audit.file, {})[password.fix] = None
        fix = [
            line for file, parts in own.items() for line in (f"# {file}", *(line for part in parts for line in part))
        ]
        yield FleetFinding("", severity, message, places, devices, tuple(fix))


# -- waivers -----------------------------------------------------------------------------------------------------------


def _place(run: FleetRun, line: int) -> tuple[tuple[str, int], ...]:
    return ((run.project.file, line),)


@rule.fleet("waiver-expired", after="differs-from-peers password-on-many-devices")
def waiver_expired(run: FleetRun) -> Iterator[FleetFinding]:
    """Waivers whose last day is past, of rules that exist and devices of this run."""
    for waiver in run.project.waivers:
        about = any(fnmatchcase(audit.name, each) for audit in run.audits for each in waiver.devices)
        if waiver.rule in run.rules and about and waiver.until < run.today:
            message = f"the waiver of {waiver.rule} expired on {waiver.until}: fix what it was for, or renew it"
            yield FleetFinding("", Severity.LOW, message, _place(run, waiver.line), ())


@rule.fleet("waiver-unused", after="differs-from-peers password-on-many-devices")
def waiver_unused(run: FleetRun) -> Iterator[FleetFinding]:
    """Waivers that apply to no finding, or whose rule does not exist."""
    for waiver in run.project.waivers:
        if waiver.rule not in run.rules:
            near = did_you_mean(waiver.rule, sorted(run.rules))
            hint = f"; did you mean {near}?" if near else ""
            message = f"a waiver names the rule {waiver.rule}, which does not exist{hint}"
            yield FleetFinding("", Severity.LOW, message, _place(run, waiver.line), ())
            continue
        about = [audit for audit in run.audits if any(fnmatchcase(audit.name, each) for each in waiver.devices)]
        used = any(each.finding.rule == waiver.rule for audit in about for each in audit.waived)
        used = used or any(each.finding.rule == waiver.rule for each in run.waived)
        if about and waiver.until >= run.today and not used:
            message = f"the waiver of {waiver.rule} on {listed(waiver.devices)} applies to no finding: remove it"
            yield FleetFinding("", Severity.LOW, message, _place(run, waiver.line), ())
