"""An earlier report of the same devices: which findings it knew, which have gone, and which are new since.

Devices are paired by name and file, then by either alone, then by what was found on them: so one that was renamed is
still the same. A finding is known where its device had one of the same fingerprint, no less severe and no less certain;
or one of the same rule that was proved by the same lines and more.
"""

import json
from collections import Counter, defaultdict
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from typing import Any, NamedTuple

from overhang.auditing.findings import Severity
from overhang.auditing.fleet import FleetFinding
from overhang.auditing.report import AuditReport, Change, Changed
from overhang.auditing.results import DeviceAudit, ReportedFinding
from overhang.text import OverhangError

_SCHEMA = 2
_LARGEST_FIRST = 8


class NotAReport(OverhangError):
    """A file that is no earlier report of an audit; the message says what it is instead."""


class EarlierFinding(NamedTuple):
    """A finding as an earlier report had it; ``also`` are the rules that it stood for, ``proof`` the texts of its lines
    and the keys of the profile that prove it."""

    rule: str
    severity: Severity
    fingerprint: str
    possible: bool
    also: tuple[str, ...]
    proof: frozenset[str]

    def covers(self, finding: ReportedFinding) -> bool:
        """Whether a finding is no more severe and no more certain."""
        return self.severity >= finding.severity and (finding.possible or not self.possible)


class EarlierDevice(NamedTuple):
    """A device of an earlier report."""

    name: str
    file: str
    findings: tuple[EarlierFinding, ...]


class Earlier(NamedTuple):
    """An earlier report: what it is called, its devices, and its findings across them, each a rule, its severity and
    the names of devices."""

    called: str
    devices: tuple[EarlierDevice, ...]
    network: tuple[tuple[str, Severity, tuple[str, ...]], ...]


def earlier_of(report: AuditReport, called: str) -> Earlier:
    """A report that was just made, as an earlier one."""
    devices = tuple(
        EarlierDevice(
            audit.name,
            audit.file,
            tuple(
                EarlierFinding(each.rule, each.severity, each.fingerprint, each.possible, each.also, _proof(each))
                for each in audit.findings
            ),
        )
        for audit in report.audits
    )
    return Earlier(called, devices, tuple((each.rule, each.severity, each.devices) for each in report.network))


def read_earlier(data: bytes, called: str) -> Earlier:
    """An earlier report in JSON. Raises NotAReport."""
    try:
        value = json.loads(data)
    except (ValueError, RecursionError):
        raise NotAReport(f"{called}: is not JSON; --format json writes a report that can be used here") from None
    if not isinstance(value, dict) or "overhang" not in value or "devices" not in value:
        raise NotAReport(f"{called}: is not the report of an audit; --format json writes one")
    if value.get("schema") != _SCHEMA:
        raise NotAReport(f"{called}: is a report of another form (schema {value.get('schema')!r}); make it anew")
    try:
        devices = tuple(
            EarlierDevice(str(each["name"]), str(each["file"]), tuple(map(_finding, each["findings"])))
            for each in value["devices"]
        )
        network = tuple(
            (str(each["rule"]), Severity[each["severity"].upper()], tuple(map(str, each["devices"])))
            for each in value["network"]
        )
    except (KeyError, TypeError, AttributeError):
        raise NotAReport(f"{called}: is a report of an audit with parts missing or wrong; make it anew") from None
    return Earlier(called, devices, network)


def _finding(value: Mapping[str, Any]) -> EarlierFinding:
    return EarlierFinding(
        str(value["rule"]),
        Severity[value["severity"].upper()],
        str(value["fingerprint"]),
        bool(value["possible"]),
        tuple(map(str, value["also"])),
        frozenset((*(each["text"].strip() for each in value["lines"]), *(each["key"] for each in value["unsaid"]))),
    )


def _proof(finding: ReportedFinding) -> frozenset[str]:
    return frozenset((*(each.text.strip() for each in finding.lines), *(each.key for each in finding.unsaid)))


def changed_since(report: AuditReport, earlier: Earlier) -> AuditReport:
    """The report with what changed since an earlier one."""
    return report._replace(change=_Comparison(report, earlier).change())


def only_new(report: AuditReport, earlier: Earlier) -> AuditReport:
    """The report without the findings that an earlier one knew, which are only counted."""
    compared = _Comparison(report, earlier)
    audits = tuple(
        audit._replace(findings=tuple(compared.new_on(place, audit))) for place, audit in enumerate(report.audits)
    )
    network = tuple(each for each in report.network if compared.is_new(each))
    return report._replace(audits=audits, network=network, change=compared.change()._replace(filtered=True))


class _Comparison:
    """A report beside an earlier one, device by device."""

    def __init__(self, report: AuditReport, earlier: Earlier) -> None:
        self.report, self.earlier = report, earlier
        self.pairs = _paired(report.audits, earlier.devices)
        self._new: dict[int, list[ReportedFinding]] = {}
        self._gone: list[Changed] = []
        self._known = 0
        for place, audit in enumerate(report.audits):
            before = self.pairs.get(place)
            self._new[place] = list(self._compare(audit, None if before is None else earlier.devices[before]))
        names = {earlier.devices[old].name: report.audits[new].name for new, old in self.pairs.items()}
        self._across = [
            (rule, severity, frozenset(names.get(each, each) for each in held))
            for rule, severity, held in earlier.network
        ]

    def new_on(self, place: int, audit: DeviceAudit) -> Iterator[ReportedFinding]:
        """The findings of a device that are new, in the order of the report."""
        new = Counter(map(id, self._new[place]))
        return (each for each in audit.findings if new[id(each)])

    def is_new(self, finding: FleetFinding) -> bool:
        """Whether a finding across devices is new: another rule, on more devices, or worse."""
        held = set(finding.devices)
        return not any(
            rule == finding.rule and severity >= finding.severity and held <= devices
            for rule, severity, devices in self._across
        )

    def change(self) -> Change:
        """What changed."""
        audits = self.report.audits
        new = [Changed(audits[at].name, each.rule, each.severity) for at, found in self._new.items() for each in found]
        new += [Changed("", each.rule, each.severity) for each in self.report.network if self.is_new(each)]
        now = [(each.rule, set(each.devices)) for each in self.report.network]
        gone = self._gone + [
            Changed("", rule, severity)
            for rule, severity, devices in self._across
            if not any(rule == each and held & devices for each, held in now)
        ]
        known = self._known + sum(not self.is_new(each) for each in self.report.network)
        paired = set(self.pairs.values())
        names = [(self.earlier.devices[old].name, audits[at].name) for at, old in self.pairs.items()]
        return Change(
            self.earlier.called,
            tuple(sorted(new, key=lambda each: (-each.severity, each.device, each.rule))),
            tuple(sorted(gone, key=lambda each: (-each.severity, each.device, each.rule))),
            known,
            tuple(audit.name for at, audit in enumerate(audits) if at not in self.pairs),
            tuple(each.name for old, each in enumerate(self.earlier.devices) if old not in paired),
            tuple(each for each in names if each[0] != each[1]),
        )

    def _compare(self, audit: DeviceAudit, before: EarlierDevice | None) -> Iterator[ReportedFinding]:
        left = defaultdict[str, list[EarlierFinding]](list)
        for each in before.findings if before is not None else ():
            left[each.fingerprint].append(each)
        unmatched = []
        for finding in audit.findings:
            held = left.get(finding.fingerprint)
            if held and held[0].covers(finding):
                held.pop(0)
                self._known += 1
            else:
                unmatched.append(finding)
        gone = [each for several in left.values() for each in several]
        # what spoke for a finding has gone, and the finding speaks for itself now
        spoken = [(rule, each) for each in gone for rule in each.also]
        for finding in unmatched:
            same = next(
                (
                    each
                    for each in gone
                    if each.rule == finding.rule and each.covers(finding) and each.proof >= _proof(finding)
                ),
                None,
            )
            if same is not None:
                gone.remove(same)
            stood_for = next((each for each in spoken if each[0] == finding.rule and each[1].covers(finding)), None)
            if same is None and stood_for is not None:
                spoken.remove(stood_for)  # it stood for one of that rule, and not for whatever comes later
            if same is not None or stood_for is not None:
                self._known += 1
            else:
                yield finding
        here = {each.rule for each in unmatched}
        self._gone += [Changed(audit.name, each.rule, each.severity) for each in gone if each.rule not in here]


def _paired(now: Sequence[DeviceAudit], then: Sequence[EarlierDevice]) -> dict[int, int]:
    """By its place now, the place that each device had then."""
    found: dict[int, int] = {}
    for key in _KEYS:
        taken = set(found.values())
        places = _only((key(each), at) for at, each in enumerate(then) if at not in taken)
        for value, at in _only((key(each), at) for at, each in enumerate(now) if at not in found).items():
            if value in places:
                found[at] = places[value]
    taken = set(found.values())
    return found | _alike(
        [(at, _prints(each)) for at, each in enumerate(now) if at not in found],
        [(at, _prints(each)) for at, each in enumerate(then) if at not in taken],
    )


def _only(keys: Iterable[tuple[object, int]]) -> dict[object, int]:
    """The places of keys that stand for one place alone."""
    found: dict[object, list[int]] = {}
    for key, at in keys:
        found.setdefault(key, []).append(at)
    return {key: several[0] for key, several in found.items() if len(several) == 1}


_KEYS: tuple[Callable[[Any], object], ...] = (
    lambda each: (each.name, each.file),
    lambda each: each.name,
    lambda each: each.file,
)


def _prints(each: DeviceAudit | EarlierDevice) -> frozenset[str]:
    return frozenset(finding.fingerprint for finding in each.findings)


def _alike(now: Sequence[tuple[int, frozenset[str]]], then: Sequence[tuple[int, frozenset[str]]]) -> dict[int, int]:
    """The pairs of devices that have most in common of what was found on them, at least half of it."""
    holders: dict[str, list[int]] = defaultdict(list)
    for at, prints in then:
        for each in prints:
            holders[each].append(at)
    sizes = dict(then)
    ranked = []
    for at, prints in now:
        shared = Counter(old for each in prints for old in holders.get(each, ())[:_LARGEST_FIRST])
        for old, number in shared.items():
            whole = len(prints | sizes[old])
            if 2 * number >= whole:
                ranked.append((-number / whole, at, old))
    found: dict[int, int] = {}
    for _, at, old in sorted(ranked):
        if at not in found and old not in found.values():
            found[at] = old
    return found
