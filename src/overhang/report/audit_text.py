"""The audit for people: the verdict first, then the devices worst first, then what is wrong.

One device is shown at length: its checklist, then the lines of each finding, what it opens, its fix. Of many a person
first wants to know where to begin: a line for each device, then a line for each rule.
"""

from collections.abc import Iterator, Sequence

from overhang.auditing.findings import Severity
from overhang.auditing.peers import peers_of
from overhang.auditing.report import AuditReport
from overhang.auditing.results import DeviceAudit, ReportedFinding
from overhang.auditing.rules.pages import page_of
from overhang.report.audit_summary import (
    by_rule,
    change_phrases,
    in_doubt,
    not_examined,
    nothing,
    only_new,
    read_by,
    severity_count,
    summary,
    verdict,
)
from overhang.report.checklist_text import checklist_of_one, legend, marks, marks_head
from overhang.report.lines import Line, count, cut, safe, wrap
from overhang.report.opened import opened_phrases
from overhang.text import Diagnostic

_MOST_ERRORS = 20
_MOST_LINES = 24
_MOST_OPENED = 3
_MOST_DEVICES = 60
_MOST_GROUPS, _MOST_ODD, _MOST_DIFFERENCES = 6, 4, 3
_ROOM_FOR_COUNTS = 96
_INDENT = 11
_LETTERS = {
    Severity.CRITICAL: "crit",
    Severity.HIGH: "high",
    Severity.MEDIUM: "med",
    Severity.LOW: "low",
    Severity.INFO: "info",
}


def audit_lines(report: AuditReport, width: int, *, long: bool) -> Iterator[Line]:
    """The whole report; ``long`` shows every finding with its proof, else one line a device and one a rule."""
    sentence, style = verdict(report)
    for piece in wrap(sentence, width):
        yield [(piece, style)]
    for text in change_phrases(report):
        for piece in wrap(text, width):
            yield [(piece, "")]
    yield []
    if long and len(report.audits) == 1:
        yield from checklist_of_one(report.audits[0], width)
    if long:
        for audit in report.audits:
            clean = not only_new(report) and not in_doubt(audit)
            yield from _device(audit, width, (nothing(report), "good" if clean else ""))
    elif report.audits:
        yield from _table(report, width)
        yield from _rules(report, width)
        yield from _peers(report, width)
    yield from _network(report, width)
    yield from _left_out(report, width, long=long)
    for piece in wrap(summary(report), width):
        yield [(piece, "")]
    for text in read_by(report):
        for piece in wrap(text, width):
            yield [(piece, "dim")]
    if not long and any(audit.findings for audit in report.audits):
        yield [("overhang audit FILE shows the lines, the access paths and the fix; --long shows them for all", "dim")]


# -- the short form ----------------------------------------------------------------------------------------------------


def _table(report: AuditReport, width: int) -> Iterator[Line]:
    """A line for each device: its checklist, and its findings by severity where there is room."""
    counted = width >= _ROOM_FOR_COUNTS
    name = min(22, max(6, *(len(safe(audit.name)) for audit in report.audits)))
    heads = " ".join(f"{word:>4}" for word in _LETTERS.values()) if counted else ""
    yield [(f"{'device':<{name}}  {marks_head()} {heads}".rstrip(), "bold")]
    for audit in report.audits[:_MOST_DEVICES]:
        line: Line = [(f"{cut(audit.name, name):<{name}}  ", ""), *marks(audit)]
        for severity in _LETTERS if counted else ():
            number = severity_count(audit, severity)
            line.append((f" {number if number != '0' else '.':>4}", severity.word if number != "0" else "dim"))
        yield line
    if len(report.audits) > _MOST_DEVICES:
        rest = report.audits[_MOST_DEVICES:]
        clean = sum(not audit.findings for audit in rest)
        without = "new findings" if only_new(report) else "findings"
        more = f"and {count(len(rest), 'more device', 'more devices')}, {clean:,} of them without {without}; "
        yield [(more + "every other format lists all", "dim")]
    yield from legend(width)
    yield []


def _rules(report: AuditReport, width: int) -> Iterator[Line]:
    groups = by_rule(report)
    if not groups:
        return
    widest = max(len(rule) for rule, _, _ in groups)
    for rule, severity, held in groups:
        names = list(dict.fromkeys(audit.name for audit, _ in held))
        devices = len({audit.file for audit, _ in held})
        where = f"{devices:,} devices: " if devices > 1 else ""
        if all(finding.possible for _, finding in held):
            where = f"possible: {where}"
        text = cut(where + ", ".join(names), max(20, width - widest - _INDENT - 2))
        yield [(f"{severity.word.upper():<9}", severity.word), (f"{rule:<{widest}}", "bold"), (f"  {text}", "")]
    yield []


# -- the long form -----------------------------------------------------------------------------------------------------


def _device(audit: DeviceAudit, width: int, none: tuple[str, str]) -> Iterator[Line]:
    about = ", ".join(cut(part, 30) for part in (audit.kind, audit.site) if part)
    name = cut(audit.name, 40)
    room = max(20, width - len(name) - len(about) - 4)
    yield [(name, "bold"), (f"  {about}" if about else "", ""), (f"  {cut(audit.file, room)}", "dim")]
    if audit.reader != "sheet":
        yield [(f"  read through the {audit.reader}" if " " in audit.reader else f"  read as {audit.reader}", "dim")]
    if audit.profile is None:
        yield [("  what is not configured is unknown: no profile has this name", "medium")]
    elif not audit.profile_said:
        yield [(f"  no profile is configured; {audit.profile} is assumed", "dim")]
    if not audit.findings:
        yield [("  ", ""), none]
    fixed: set[object] = set()
    for finding in audit.findings:
        yield from _finding(finding, audit.file, width, fixed)
    for waived in audit.waived:
        text = f"waived until {waived.until}: {waived.finding.rule}, {waived.finding.severity.word}: {waived.reason}"
        for piece in wrap(text, width - 4):
            yield [("  " + piece, "dim")]
    yield from _unread(audit, width)
    yield []


def _finding(finding: ReportedFinding, file: str, width: int, fixed: set[object]) -> Iterator[Line]:
    """A finding at length; ``fixed`` are the rules and statements whose fixes were shown before."""
    word = finding.severity.word
    bar = [(" " * (_INDENT + 5), ""), ("│ ", "dim")]
    room = width - _INDENT - 7
    yield [
        (f"  {word.upper():<9}", word),
        (finding.rule, "bold"),
        ("  possible" if finding.possible else "", "medium"),
        (f"  also {cut(', '.join(finding.also), max(16, room - len(finding.rule)))}" if finding.also else "", "dim"),
    ]
    for line in wrap(finding.message, width - _INDENT):
        yield [(" " * _INDENT, ""), (line, "")]
    for quoted in finding.lines[:_MOST_LINES]:
        if quoted.file != file:  # something that a dialect says of all its devices
            name = quoted.file.replace("\\", "/").rsplit("/", 1)[-1]
            yield [*bar, (cut(f"{name}, line {quoted.line}: {quoted.text}", room), "dim")]
            continue
        yield [(f"{quoted.line:>{_INDENT + 4}} ", "dim"), ("│ ", "dim"), (cut(quoted.text, room), "code")]
    if len(finding.lines) > _MOST_LINES:
        text = f"and {len(finding.lines) - _MOST_LINES:,} more lines; --format json lists all"
        yield [*bar, (text, "dim")]
    for unsaid in finding.unsaid:
        yield [*bar, (cut(f"profile {unsaid.profile}: {unsaid.key} is {unsaid.value}", room), "dim")]
    opened = opened_phrases(finding.opens)
    for at, text in enumerate(opened[:_MOST_OPENED]):
        for index, piece in enumerate(wrap(text, width - _INDENT - 7)):
            yield [(" " * _INDENT, ""), ("opens  " if at == index == 0 else "       ", "dim"), (piece, "")]
    if len(opened) > _MOST_OPENED:
        more = len(opened) - _MOST_OPENED
        yield [(" " * (_INDENT + 7), ""), (f"and {count(more, 'more', 'more')}; overhang ways shows them", "dim")]
    advice = "as above" if finding.rule in fixed else page_of(finding.rule).fix
    for at, line in enumerate(wrap(advice, width - _INDENT - 7)):
        yield [(" " * _INDENT, ""), ("fix    " if at == 0 else "       ", "dim"), (line, "")]
    if finding.preferred_fix and finding.preferred_fix in fixed:
        yield [(" " * (_INDENT + 7), ""), ("the same statements as above", "dim")]
        return
    fixed.update((finding.rule, finding.preferred_fix))
    for line in finding.preferred_fix:
        yield [(" " * (_INDENT + 7), ""), (cut(line, room), "good")]
    if finding.phrased is not None and finding.phrased.lines is None:
        text = f"as sheet statements; the dialect {finding.phrased.language} cannot express all of it"
        yield [(" " * (_INDENT + 7), ""), (cut(text, room), "dim")]


def _unread(audit: DeviceAudit, width: int) -> Iterator[Line]:
    if audit.unread:
        total = audit.unread + audit.understood + audit.silent
        text = f"  not understood: {audit.unread:,} of {count(total, 'line')}; what they say is not in the audit"
        yield [(text, "medium")]
    if audit.silent:
        fit = f"{count(audit.silent, 'line')} {'fits' if audit.silent == 1 else 'fit'} the dialect and set nothing"
        yield [(f"  {fit}, since a condition does not hold; overhang dialect try shows why", "dim")]
    yield from _remarks(audit.errors, width)
    if audit.warnings:
        yield [("  remarked:", "dim")]
        yield from _remarks(audit.warnings, width)


def _remarks(remarks: Sequence[Diagnostic], width: int) -> Iterator[Line]:
    """What a reader had to say, each with its line and a caret."""
    for remark in remarks[:_MOST_ERRORS]:
        hint = f"; {remark.hint}" if remark.hint else ""
        line, marks = remark.caret(width - _INDENT - 7)
        yield [(f"{remark.span.line:>{_INDENT + 4}} ", "dim"), ("│ ", "dim"), (safe(line), "code")]
        yield [(" " * (_INDENT + 5), ""), ("│ ", "dim"), (marks, "medium")]
        for piece in wrap(remark.message + hint, width - _INDENT - 7):
            yield [(" " * (_INDENT + 7), ""), (piece, "")]
    if len(remarks) > _MOST_ERRORS:
        more = f"and {len(remarks) - _MOST_ERRORS:,} more; --format json lists all"
        yield [(" " * (_INDENT + 5) + more, "dim")]


def _plural(word: str) -> str:
    return word + ("es" if word.endswith(("s", "x", "ch", "sh")) else "s")


def _peers(report: AuditReport, width: int) -> Iterator[Line]:
    """What differs from the most that are alike of each kind and site."""
    groups = peers_of(report)
    for group in groups[:_MOST_GROUPS]:
        text = (
            f"{len(group.alike):,} of {count(group.number, group.kind, _plural(group.kind))} at {group.site} are alike"
        )
        yield [(cut(text, width), "bold")]
        for odd in group.odd[:_MOST_ODD]:
            name = odd.devices[0] if len(odd.devices) == 1 else f"{odd.devices[0]} and {len(odd.devices) - 1} more"
            differences = [f"{each.what}: {each.here}, the others {each.others}" for each in odd.differences]
            more = len(differences) - _MOST_DIFFERENCES
            told = "; ".join(differences[:_MOST_DIFFERENCES]) + (f"; and {more} more" if more > 0 else "")
            for at, piece in enumerate(wrap(f"{name}: {told}", width - 4)):
                yield [("  " + ("  " if at else ""), ""), (piece, "")]
        if len(group.odd) > _MOST_ODD:
            yield [(f"  and {sum(len(each.devices) for each in group.odd[_MOST_ODD:]):,} more that differ", "dim")]
    if len(groups) > _MOST_GROUPS:
        yield [(f"and {len(groups) - _MOST_GROUPS} more sites or kinds; --format json lists all", "dim")]
    if groups:
        yield []


# -- what is not of one device -----------------------------------------------------------------------------------------


def _network(report: AuditReport, width: int) -> Iterator[Line]:
    findings = report.network
    if not findings and not report.network_waived:
        return
    yield [("across devices", "bold")]
    for finding in findings:
        word = finding.severity.word
        yield [(f"  {word.upper():<9}", word), (finding.rule, "bold")]
        for line in wrap(finding.message, width - _INDENT):
            yield [(" " * _INDENT, ""), (line, "")]
        for at, line in enumerate(wrap(page_of(finding.rule).fix, width - _INDENT - 7)):
            yield [(" " * _INDENT, ""), ("fix    " if at == 0 else "       ", "dim"), (line, "")]
        for file, number in finding.places[:_MOST_OPENED]:
            yield [(" " * (_INDENT + 5), ""), ("│ ", "dim"), (cut(f"{file}:{number}", width - _INDENT - 7), "dim")]
        if len(finding.places) > _MOST_OPENED:
            yield [(" " * (_INDENT + 5), ""), ("│ ", "dim"), (f"and {len(finding.places) - _MOST_OPENED} more", "dim")]
    for waived in report.network_waived:
        text = f"waived until {waived.until}: {waived.finding.rule}, {waived.finding.severity.word}: {waived.reason}"
        for piece in wrap(text, width - 4):
            yield [("  " + piece, "dim")]
    yield []


def _left_out(report: AuditReport, width: int, *, long: bool) -> Iterator[Line]:
    found = [each for each in not_examined(report) if each[2]]
    if not found:
        return
    yield [("not examined", "bold")]
    for what, why, names in found[: None if long else 8]:
        where = "" if len(report.audits) == 1 else f" on {names[0]}" if len(names) == 1 else f" on {len(names)} devices"
        for index, piece in enumerate(wrap(f"{what}{where}: {why}", width - 4)):
            yield [("  " + ("  " if index else "") + piece, "dim")]
    if not long and len(found) > 8:
        yield [(f"  and {len(found) - 8} more; --long lists all", "dim")]
    yield []
