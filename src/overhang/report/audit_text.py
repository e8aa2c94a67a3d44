"""The audit for people: the verdict first, then each device, worst first, then a line to quote."""

from collections.abc import Iterator, Sequence
from typing import NamedTuple

from overhang.report.lines import Line, count, cut, safe, wrap
from overhang.rules.device_audit import DeviceAudit, Shown
from overhang.rules.model import Severity
from overhang.text import Diagnostic

_MOST_ERRORS = 20
_MOST_LINES = 24
_INDENT = 11


class Unreadable(NamedTuple):
    """A file that could not be read, and why."""

    file: str
    error: str


def audit_lines(
    audits: Sequence[DeviceAudit], unreadable: Sequence[Unreadable], width: int, *, brief: bool = False
) -> Iterator[Line]:
    """The whole report; ``audits`` come worst first; what is unreadable is only counted. ``brief``: without proofs."""
    yield _verdict(audits, unreadable)
    yield []
    for audit in audits:
        yield from _device(audit, width, brief)
    yield [(summary(audits, unreadable), "")]


def _verdict(audits: Sequence[DeviceAudit], unreadable: Sequence[Unreadable]) -> Line:
    worst = max((audit.worst for audit in audits), default=-1)
    if worst >= 0:
        severity = Severity(worst)
        having = [audit for audit in audits if audit.worst == worst]
        on = f"on {having[0].name}" if len(having) == 1 else f"on {len(having)} of {count(len(audits), 'device')}"
        number = sum(finding.severity == severity for audit in audits for finding in audit.findings)
        end = ", worst first" if len(audits) > 1 else ""
        return [(count(number, f"{severity.word} finding"), severity.word), (f" {safe(on)}{end}", "bold")]
    if not audits:
        return [("Nothing could be audited", "medium")]
    if unreadable or any(audit.unread for audit in audits):
        return [("Nothing found, but not everything was understood", "medium")]
    return [("Nothing found", "good")]


def _device(audit: DeviceAudit, width: int, brief: bool) -> Iterator[Line]:
    about = ", ".join(cut(part, 30) for part in (audit.kind, audit.site) if part)
    name = cut(audit.name, 40)
    room = max(20, width - len(name) - len(about) - 4)
    yield [(name, "bold"), (f"  {about}" if about else "", ""), (f"  {cut(audit.file, room)}", "dim")]
    if audit.profile is None:
        yield [("  what is unsaid is unknown: no profile of this name", "medium")]
    elif not audit.profile_said:
        yield [(f"  no profile is said; what is unsaid is taken as {audit.profile} means it", "dim")]
    if not audit.findings:
        yield [("  nothing found", "good")]
    for finding in audit.findings:
        yield from _finding(finding, width, brief)
    yield from _unread(audit, width, brief)
    yield []


def _finding(finding: Shown, width: int, brief: bool) -> Iterator[Line]:
    word = finding.severity.word
    if brief:
        first, *rest = wrap(finding.rule + ": " + finding.message, width - _INDENT)
        after_rule = first.removeprefix(finding.rule)
        yield [(f"  {word.upper():<9}", word), (finding.rule, "bold"), (after_rule, "")]
        for line in rest:
            yield [(" " * _INDENT, ""), (line, "")]
        return
    yield [(f"  {word.upper():<9}", word), (finding.rule, "bold")]
    for line in wrap(finding.message, width - _INDENT):
        yield [(" " * _INDENT, ""), (line, "")]
    for quoted in finding.lines[:_MOST_LINES]:
        yield [
            (f"{quoted.line:>{_INDENT + 4}} ", "dim"),
            ("│ ", "dim"),
            (cut(quoted.text, width - _INDENT - 7), "code"),
        ]
    if len(finding.lines) > _MOST_LINES:
        more = f"and {len(finding.lines) - _MOST_LINES:,} more lines; --format json lists all"
        yield [(" " * (_INDENT + 5), ""), ("│ ", "dim"), (more, "dim")]
    for unsaid in finding.unsaid:
        text = f"profile {safe(unsaid.profile)}: {unsaid.key} is {unsaid.value}"
        yield [(" " * (_INDENT + 5), ""), ("│ ", "dim"), (cut(text, width - _INDENT - 7), "dim")]


def _unread(audit: DeviceAudit, width: int, brief: bool) -> Iterator[Line]:
    if audit.unread:
        total = audit.unread + audit.understood
        text = f"  not understood: {audit.unread:,} of {count(total, 'line')}; what they say is not in the audit"
        yield [(text, "medium")]
    if not brief:
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


def summary(audits: Sequence[DeviceAudit], unreadable: Sequence[Unreadable]) -> str:
    """One line that a person can quote."""
    counts = dict.fromkeys(reversed(Severity), 0)
    for audit in audits:
        for finding in audit.findings:
            counts[finding.severity] += 1
    total = sum(counts.values())
    clean = sum(not audit.findings for audit in audits)
    parts = [f"{count(len(audits), 'device')} audited: {count(total, 'finding')}"]
    if total:
        parts[0] += " (" + ", ".join(f"{number} {each.word}" for each, number in counts.items() if number) + ")"
    parts.append(f"{clean} without findings")
    unread = sum(audit.unread for audit in audits)
    if unread:
        parts.append(f"{count(unread, 'line')} not understood")
    if unreadable:
        parts.append(f"{count(len(unreadable), 'file')} unreadable")
    return "; ".join(parts)
