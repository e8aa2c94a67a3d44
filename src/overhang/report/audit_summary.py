"""The sentences and tables of an audit that every format shares: verdict, summary, findings by rule."""

from collections.abc import Callable, Iterable, Sequence

from overhang.auditing.findings import Severity
from overhang.auditing.report import AuditReport
from overhang.auditing.results import DeviceAudit, Quoted, ReportedFinding
from overhang.report.lines import count, safe

SORTS: dict[str, Callable[[DeviceAudit], tuple[object, ...]]] = {
    "severity": lambda audit: audit.rank,
    "device": lambda audit: (audit.name, audit.file),
    "file": lambda audit: (audit.file,),
    "site": lambda audit: (audit.site or "", *audit.rank),
}


def chosen(report: AuditReport, wanted: Callable[[str, Severity], bool], sort: str) -> AuditReport:
    """The same with only the findings that are wanted, by rule and severity, and in the order asked for."""
    audits = [
        audit._replace(
            findings=tuple(each for each in audit.findings if wanted(each.rule, each.severity)),
            waived=tuple(each for each in audit.waived if wanted(each.finding.rule, each.finding.severity)),
        )
        for audit in report.audits
    ]
    network = tuple(each for each in report.network if wanted(each.rule, each.severity))
    return report._replace(audits=tuple(sorted(audits, key=SORTS[sort])), network=network)


def verdict(report: AuditReport) -> tuple[str, str]:
    """One sentence for who answers for the network, and the style that it is shown in."""
    audits = report.audits
    if not audits:
        return "Nothing could be audited", "medium"
    urgent = [audit for audit in audits if audit.worst >= Severity.HIGH]
    if urgent:
        worst = max(audit.worst for audit in urgent)
        said = _reasons(urgent) if len(audits) > 1 else _reasons_of_one(urgent[0])
        reasons = f": {'; '.join(said)}" if said else ""
        return f"{_subject(audits, urgent)} fixing now{reasons}", Severity(worst).word
    worst = max([audit.worst for audit in audits] + [each.severity for each in report.network])
    if worst >= 0:
        having = sum(bool(audit.findings) for audit in audits)
        where = f"{having} of {count(len(audits), 'device')}" if len(audits) > 1 else safe(audits[0].name)
        verb = "has" if len(audits) == 1 or having == 1 else "have"
        lesser = sum(report.counts.values())
        doubt = "; not everything was understood" if _in_doubt(report) else ""
        return f"No high or critical findings; {where} {verb} {lesser} medium or lower{doubt}", Severity(worst).word
    if _in_doubt(report):
        return "Nothing found, but not everything was understood", "medium"
    return "Nothing found", "good"


def _in_doubt(report: AuditReport) -> bool:
    """Whether something was not read, not understood or not decided, so that no finding is no good news."""
    return bool(report.unreadable) or any(
        audit.unread or audit.profile is None or not audit.decided for audit in report.audits
    )


def _subject(audits: Sequence[DeviceAudit], urgent: Sequence[DeviceAudit]) -> str:
    total = count(len(audits), "device")
    if len(audits) == 1:
        return f"{safe(urgent[0].name)} needs"
    if len(urgent) == 1:
        return f"{safe(urgent[0].name)}, 1 of {total}, needs"
    return f"{len(urgent)} of {total} need"


def _lets_anyone_in(audit: DeviceAudit) -> bool:
    return any(each.letter == "N" for each in audit.exposures)


def _locks_everyone_out(audit: DeviceAudit) -> bool:
    return any(each.rule == "locked-out" for each in audit.findings)


def _reasons(urgent: Sequence[DeviceAudit]) -> list[str]:
    """What most needs saying of several devices, each with the verb that fits how many there are."""
    said = []
    for holds, one, many in (
        (_lets_anyone_in, "lets anyone in without a password", "let anyone in without a password"),
        (_locks_everyone_out, "locks everyone out", "lock everyone out"),
    ):
        names = [audit.name for audit in urgent if holds(audit)]
        if names:
            said.append(f"{_named(names)} {one if len(names) == 1 else many}")
    return said


def _reasons_of_one(audit: DeviceAudit) -> list[str]:
    """The rules that fired on one device, and what they amount to."""
    rules = dict.fromkeys(each.rule for each in audit.findings if each.severity >= Severity.HIGH)
    said = [", ".join(rules)]
    said += ["it lets anyone in without a password"] if _lets_anyone_in(audit) else []
    said += ["it locks everyone out"] if _locks_everyone_out(audit) else []
    return said


def _named(names: Sequence[str]) -> str:
    return safe(" and ".join(names)) if len(names) <= 2 else count(len(names), "device")


def summary(report: AuditReport) -> str:
    """One line that a person can quote."""
    counts = report.counts
    total = sum(counts.values())
    parts = [f"{count(len(report.audits), 'device')} audited: {count(total, 'finding')}"]
    if total:
        parts[0] += " (" + ", ".join(f"{number} {each.word}" for each, number in counts.items() if number) + ")"
    clean = sum(not audit.findings for audit in report.audits)
    if clean:
        parts.append(f"{clean} without findings")
    waived = sum(len(audit.waived) for audit in report.audits)
    if waived:
        parts.append(f"{waived} waived")
    unread = sum(audit.unread for audit in report.audits)
    if unread:
        parts.append(f"{count(unread, 'line')} not understood")
    if report.unreadable:
        parts.append(f"{count(len(report.unreadable), 'file')} unreadable")
    return "; ".join(parts)


def own_lines(audit: DeviceAudit, finding: ReportedFinding) -> list[Quoted]:
    """The lines that prove a finding, without those of a dialect, which speaks of all its devices."""
    return [each for each in finding.lines if each.file == audit.file]


def read_by(report: AuditReport) -> list[str]:
    """Which reader took how many files, where they are not all sheets; and the files that none of them took."""
    counts: dict[str, int] = {}
    for audit in report.audits:
        counts[audit.reader] = counts.get(audit.reader, 0) + 1
    said = []
    if set(counts) - {"sheet"} and len(report.audits) > 1:
        names = {"sheet": "as sheets"}
        dialects = [reader.removeprefix("dialect ") for reader in counts if reader.startswith("dialect ")]
        parts = [
            f"{number:,} {names.get(reader, f'as {reader}')}"
            for reader, number in sorted(counts.items(), key=lambda each: (-each[1], each[0]))
            if not reader.startswith("dialect ")
        ]
        if dialects:
            through = sum(counts[f"dialect {name}"] for name in dialects)
            word = "dialect" if len(dialects) == 1 else "dialects"
            parts.append(f"{through:,} through the {word} {', '.join(sorted(dialects))}")
        said.append("read: " + ", ".join(parts))
    if report.left_out:
        number = count(len(report.left_out), "file")
        said.append(f"left out: {number} that no reader recognises: {safe(', '.join(report.left_out))}")
    return said


def by_rule(report: AuditReport) -> list[tuple[str, Severity, list[tuple[DeviceAudit, ReportedFinding]]]]:
    """The findings together by rule: its worst severity, and where it fires; worst first, then the most frequent."""
    groups: dict[str, list[tuple[DeviceAudit, ReportedFinding]]] = {}
    for audit in report.audits:
        for finding in audit.findings:
            groups.setdefault(finding.rule, []).append((audit, finding))
    found = [(rule, max(each.severity for _, each in held), held) for rule, held in groups.items()]
    return sorted(found, key=lambda each: (-each[1], -len(each[2]), each[0]))


def not_examined(report: AuditReport) -> Iterable[tuple[str, str, list[str]]]:
    """What was not looked at, why, and on which devices; unreadable files too. Alike ones are one."""
    found: dict[tuple[str, str], list[str]] = {}
    for each in report.unreadable:
        found.setdefault((each.file, each.error), [])
    for audit in report.audits:
        for thing in audit.not_examined:
            found.setdefault((thing.what, thing.why), []).append(audit.name)
    return [(what, why, names) for (what, why), names in found.items()]
