"""The sentences and tables of an audit that every format shares: verdict, summary, findings by rule."""

from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence

from overhang.auditing.findings import Severity
from overhang.auditing.report import AuditReport
from overhang.auditing.results import DeviceAudit, Opened, Quoted, ReportedFinding
from overhang.report.lines import count, safe
from overhang.report.opened import opened_phrases

_MOST_NAMED = 6
SORTS: dict[str, Callable[[DeviceAudit], tuple[object, ...]]] = {
    "severity": lambda audit: audit.rank,
    "device": lambda audit: (audit.name, audit.file),
    "file": lambda audit: (audit.file,),
    "site": lambda audit: (audit.site or "", *audit.rank),
}


def in_order(report: AuditReport, sort: str) -> AuditReport:
    """The same with its devices in the order asked for."""
    return report._replace(audits=tuple(sorted(report.audits, key=SORTS[sort])))


def verdict(report: AuditReport) -> tuple[str, str]:
    """One sentence for who answers for the network, and the style that it is shown in.

    What could not be judged, and what may be open there, comes first; then what needs fixing.
    """
    audits = report.audits
    if not audits:
        return "Nothing could be audited", "medium"
    doubt = _doubt(report)
    found = _found(report, no="no" if doubt else "No")
    worst = max([audit.worst for audit in audits] + [each.severity for each in report.network])
    possible = max(audit.worst_possible for audit in audits)
    if doubt:
        style = Severity(max(worst, possible, Severity.MEDIUM)).word
        return f"{doubt}; {found}" if found else doubt, style
    if found:
        return found, Severity(worst).word
    change = report.change
    if change is not None and only_new(report):
        listed = f"; {count(change.known, 'known finding')} not listed" if change.known else ""
        return f"Nothing new since {safe(change.since)}{listed}", "medium" if change.known else "good"
    return ("Nothing found among what was asked for", "medium") if report.hidden else ("Nothing found", "good")


def only_new(report: AuditReport) -> bool:
    """Whether the findings that an earlier report had are left out, so that none here is not none at all."""
    return report.change is not None and report.change.filtered


def nothing(report: AuditReport) -> str:
    """What is said of a device without findings in the report."""
    return "nothing new found" if only_new(report) else "nothing found"


def _found(report: AuditReport, *, no: str) -> str:
    """What certainly is wrong; "" where nothing is. ``no`` is how a sentence that begins so does."""
    audits = report.audits
    urgent = [audit for audit in audits if audit.worst >= Severity.HIGH]
    across = [each for each in report.network if each.severity >= Severity.HIGH]
    if urgent:
        said = _reasons(urgent) if len(audits) > 1 else _reasons_of_one(urgent[0])
        reasons = f": {'; '.join(said)}" if said else ""
        return f"{_subject(audits, urgent)} fixing now{reasons}"
    if across:
        return f"{count(len(across), 'finding')} across devices {'needs' if len(across) == 1 else 'need'} fixing now"
    lesser = sum(report.counts.values())
    if not lesser:
        return ""
    own = sum(report.device_counts.values())
    having = sum(any(not each.possible for each in audit.findings) for audit in audits)
    where = f"{having} of {count(len(audits), 'device')}" if len(audits) > 1 else safe(audits[0].name)
    parts = [f"{where} {'has' if len(audits) == 1 or having == 1 else 'have'} {own}"] if own else []
    parts += [f"{lesser - own} across devices"] if lesser > own else []
    asked = " among those asked for" if report.hidden else ""
    new = "new " if only_new(report) else ""
    return f"{no} {new}high or critical findings{asked}; {' and '.join(parts)} medium or lower"


def in_doubt(audit: DeviceAudit) -> bool:
    """Whether something of a device was not understood or not decided, so that no finding is no good news."""
    return bool(audit.unread or audit.incomplete or audit.profile is None or not audit.decided)


def _doubt(report: AuditReport) -> str:
    """What could not be judged, and the worst that may be open there; "" where all could be."""
    doubtful = [audit for audit in report.audits if in_doubt(audit)]
    parts = []
    if report.unreadable:
        parts.append(f"{count(len(report.unreadable), 'file')} could not be read")
    if doubtful:
        total = len(report.audits)
        names = safe(doubtful[0].name) if len(doubtful) == 1 else f"{len(doubtful)} of {count(total, 'device')}"
        worst = min(doubtful, key=lambda audit: (-audit.worst_possible, audit.name, audit.file))
        found = [each for each in worst.findings if each.possible]
        may = ""
        if found and len(doubtful) == 1:
            may = f" ({safe(found[0].message)})"
        elif found and found[0].opens:
            may = f" ({safe(worst.name)}: possibly {safe(opened_phrases(found[0].opens[:1])[0])})"
        parts.append(f"{names} could not be fully judged{may}")
    return "; ".join(parts)


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
    """The rules that fired on one device, without those that open just what another does, and what they amount to."""
    rules: dict[str, None] = {}
    opened: set[frozenset[Opened]] = set()
    for each in audit.findings:
        if each.severity >= Severity.HIGH and not each.possible:
            opens = frozenset(each.opens)
            if not opens or opens not in opened:
                rules[each.rule] = None
            opened.add(opens)
    said = [", ".join(rules)]
    said += ["it lets anyone in without a password"] if _lets_anyone_in(audit) else []
    said += ["it locks everyone out"] if _locks_everyone_out(audit) else []
    return said


def _named(names: Sequence[str]) -> str:
    return safe(" and ".join(names)) if len(names) <= 2 else count(len(names), "device")


def _tally(counts: Mapping[Severity, int]) -> str:
    return " (" + ", ".join(f"{number} {each.word}" for each, number in counts.items() if number) + ")"


def summary(report: AuditReport) -> str:
    """One line that a person can quote; what is certain and what is possible are counted apart."""
    counts, possible = report.counts, report.possible_counts
    total, maybe = sum(counts.values()), sum(possible.values())
    findings = count(total, "new finding" if only_new(report) else "finding")
    parts = [f"{count(len(report.audits), 'device')} audited: {findings}"]
    parts[0] += _tally(counts) if total else ""
    if maybe:
        parts.append(f"{maybe} possible{_tally(possible)}")
    clean = sum(not audit.findings for audit in report.audits)
    if clean and not only_new(report):
        parts.append(f"{clean} without findings")
    if report.hidden:
        parts.append(f"{report.hidden} not asked for")
    waived = sum(len(audit.waived) for audit in report.audits) + len(report.network_waived)
    if waived:
        parts.append(f"{waived} waived")
    unread = sum(audit.unread for audit in report.audits)
    if unread:
        parts.append(f"{count(unread, 'line')} not understood")
    if report.unreadable:
        parts.append(f"{count(len(report.unreadable), 'file')} unreadable")
    return "; ".join(parts)


def change_phrases(report: AuditReport) -> list[str]:
    """What changed since an earlier report, in a few sentences; none where there was none."""
    change = report.change
    if change is None:
        return []
    new = Counter(each.severity for each in change.new)
    parts = [f"{count(len(change.new), 'new finding')}{_tally(_worst_first(new)) if new else ''}"]
    parts.append(f"{len(change.gone):,} gone")
    parts.append(f"{change.known:,} known before" + (", which are not listed" if change.filtered else ""))
    said = [f"since {safe(change.since)}: {', '.join(parts)}"]
    if change.added:
        said.append(f"new devices: {_some(change.added)}")
    if change.missing:
        said.append(f"no longer there: {_some(change.missing)}")
    if change.renamed:
        said.append(f"renamed: {_some([f'{old} to {new}' for old, new in change.renamed])}")
    return said


def _worst_first(counts: Mapping[Severity, int]) -> Mapping[Severity, int]:
    return dict(sorted(counts.items(), reverse=True))


def _some(names: Sequence[str]) -> str:
    more = f" and {len(names) - _MOST_NAMED:,} more" if len(names) > _MOST_NAMED else ""
    return safe(", ".join(names[:_MOST_NAMED])) + more


def severity_phrase(finding: ReportedFinding) -> str:
    """A finding's severity in words: ``high``, or ``possible high``."""
    return f"possible {finding.severity.word}" if finding.possible else finding.severity.word


def severity_count(audit: DeviceAudit, severity: Severity) -> str:
    """How many findings of a severity a device has; those that are only possible after a plus: ``2+1``."""
    certain = sum(each.severity == severity and not each.possible for each in audit.findings)
    possible = sum(each.severity == severity and each.possible for each in audit.findings)
    return f"{certain}+{possible}" if possible else str(certain)


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


def worst_phrase(severity: Severity, held: Iterable[tuple[DeviceAudit, ReportedFinding]]) -> str:
    """How severe the worst of some findings is, in words: where each of these is only possible, that is said."""
    possible = all(each.possible for _, each in held if each.severity is severity)
    return f"possibly {severity.word}" if possible else severity.word


def not_examined(report: AuditReport) -> Iterable[tuple[str, str, list[str]]]:
    """What was not looked at, why, and on which devices; unreadable files too. Alike ones are one."""
    found: dict[tuple[str, str], list[str]] = {}
    for each in report.unreadable:
        found.setdefault((each.file, each.error), [])
    for audit in report.audits:
        for thing in audit.not_examined:
            found.setdefault((thing.what, thing.why), []).append(audit.name)
    return [(what, why, names) for (what, why), names in found.items()]
