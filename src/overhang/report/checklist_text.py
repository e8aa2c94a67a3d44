"""The checklist for people: a row of marks for each device, each with its letter; of one device with the reasons."""

from collections.abc import Iterator

from overhang.auditing.aspects import Aspect
from overhang.auditing.checklist import Mark
from overhang.auditing.report import AuditReport
from overhang.auditing.results import DeviceAudit
from overhang.report.audit_summary import verdict
from overhang.report.lines import Line, Piece, cut, safe, wrap

MARK_STYLES = {
    Mark.OPEN: "critical",
    Mark.LOCKED_OUT: "high",
    Mark.WEAK: "medium",
    Mark.CANNOT_TELL: "info",
    Mark.GOOD: "good",
    Mark.NOT_THERE: "dim",
}
_CELL = 4


def checklist_lines(report: AuditReport, width: int) -> Iterator[Line]:
    """The table alone, one line a device; of one device a line for each mark, with its reason."""
    sentence, style = verdict(report)
    for piece in wrap(sentence, width):
        yield [(piece, style)]
    yield []
    if len(report.audits) == 1:
        yield from checklist_of_one(report.audits[0], width)
    elif report.audits:
        name = min(24, max(6, *(len(safe(audit.name)) for audit in report.audits)))
        yield [(f"{'device':<{name}}  {marks_head()}  kind, site", "bold")]
        room = width - name - len(marks_head()) - 4
        for audit in report.audits:
            about = ", ".join(part for part in (audit.kind, audit.site) if part)
            yield [(f"{cut(audit.name, name):<{name}}  ", ""), *marks(audit), ("  " + cut(about, max(8, room)), "dim")]
    yield from legend(width)


def marks_head() -> str:
    """The headings above the marks."""
    return " ".join(f"{aspect.short:<{_CELL}}" for aspect in Aspect)


def marks(audit: DeviceAudit) -> list[Piece]:
    """The marks of a device, below their headings."""
    pieces: list[Piece] = []
    for index, item in enumerate(audit.checklist):
        last = index + 1 == len(audit.checklist)
        pieces += [(item.mark.value, MARK_STYLES[item.mark]), (" " * (_CELL - 1 if last else _CELL), "")]
    return pieces


def legend(width: int) -> Iterator[Line]:
    """What the letters mean."""
    text = ", ".join(f"{mark.value} {mark.word}" for mark in Mark)
    yield from ([(piece, "dim")] for piece in wrap(text, width))


def checklist_of_one(audit: DeviceAudit, width: int) -> Iterator[Line]:
    """A line for each mark of a device, with the reason."""
    title = max(len(aspect.title) for aspect in Aspect)
    word = max(len(mark.word) for mark in Mark)
    for item in audit.checklist:
        reason = cut(item.reason, max(20, width - title - word - 8))
        mark = f"{item.mark.value} {item.mark.word}"
        gap = " " * (word + 4 - len(mark))
        yield [(f"  {item.aspect.title:<{title}}  ", ""), (mark, MARK_STYLES[item.mark]), (f"{gap}{reason}", "")]
    yield []
