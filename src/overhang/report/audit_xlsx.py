"""The audit as a workbook for an auditor: sheets to filter, and columns to fill in that a later workbook takes over.

No cell is a formula, whatever a name or a message begins with.
"""

import copy
import datetime
import io
import itertools
import zipfile
from collections.abc import Iterable, Iterator, Sequence
from typing import TYPE_CHECKING, Any, NamedTuple

from overhang.auditing.aspects import Aspect
from overhang.auditing.findings import Severity
from overhang.auditing.report import AuditReport
from overhang.auditing.results import DeviceAudit, ReportedFinding
from overhang.auditing.rules.pages import page_of
from overhang.model.vocabulary import way_label
from overhang.report.audit_summary import (
    by_rule,
    change_phrases,
    not_examined,
    own_lines,
    severity_count,
    summary,
    verdict,
    worst_phrase,
)
from overhang.report.charts import MARK_COLOURS
from overhang.report.lines import count
from overhang.report.opened import opened_phrases
from overhang.text import OverhangError
from overhang.text.printable import safe_lines

if TYPE_CHECKING:
    from openpyxl.workbook import Workbook

#: The columns that people fill in.
TO_FILL = ("owner", "ticket", "due", "remark")
FINDINGS = (
    "severity",
    "certain",
    "rule",
    "device",
    "site",
    "message",
    "opens",
    "fix",
    "file",
    "line",
    "waived",
    *TO_FILL,
    "fingerprint",
)
DEVICES = (
    "device",
    "site",
    "kind",
    "file",
    "profile",
    *(each.title for each in Aspect),
    *(each.word for each in reversed(Severity)),
)
PATHS = (
    "device",
    "site",
    "way",
    "from",
    "one needs",
    "level after login",
    "level",
    "servers",
    "VTYs",
    "hours",
    "opened by",
)
LEFT = ("what", "why", "devices")
GONE = ("device", "rule", "severity", *TO_FILL, "fingerprint")
_WIDTHS = {
    "device": 18,
    "site": 18,
    "rule": 28,
    "way": 16,
    "message": 60,
    "opens": 44,
    "fix": 48,
    "file": 28,
    "what": 44,
    "why": 60,
    "devices": 40,
    "one needs": 44,
    "from": 30,
    "waived": 24,
    "opened by": 44,
    "remark": 30,
    "fingerprint": 36,
}
_LINE_HEIGHT, _MOST_LINES = 14, 9
_MARKS = {mark.word: colours for mark, colours in MARK_COLOURS.items()}
_ASPECTS = {each.title for each in Aspect}
_COUNTS = {each.word for each in Severity}
_SHADES = {"critical": "57204F", "high": "9B1C2E", "medium": "A8501F", "low": "1F6391", "info": "5B6067"}
_MOST_ROWS, _MOST_TEXT = 1_048_575, 32_000


class NotAWorkbook(OverhangError):
    """A file that columns cannot be taken over from; the message says why."""


class Note(NamedTuple):
    """What somebody filled in for a finding, or left empty, with what tells which it was."""

    device: str
    rule: str
    severity: str
    filled: tuple[object, ...]
    fingerprint: str


def read_notes(data: bytes, called: str) -> list[Note]:
    """What was filled in in an earlier workbook. Raises NotAWorkbook."""
    import openpyxl

    try:
        book = openpyxl.load_workbook(io.BytesIO(data), read_only=True, data_only=True)
    except (zipfile.BadZipFile, KeyError, ValueError, OSError, TypeError):
        raise NotAWorkbook(f"{called}: is not a workbook; --format xlsx writes one") from None
    notes: list[Note] = []
    for title in ("Findings", "No longer found"):
        if title not in book.sheetnames:
            continue
        rows = book[title].iter_rows(values_only=True)
        heads = [str(each) for each in next(rows, ())]
        if not {"device", "rule", "severity", "fingerprint", *TO_FILL} <= set(heads):
            raise NotAWorkbook(f"{called}: the sheet {title} lacks columns of an audit's workbook")
        at = {head: heads.index(head) for head in heads}
        for row in rows:
            filled = tuple(row[at[each]] for each in TO_FILL)
            told = [str(row[at[each]] or "") for each in ("device", "rule", "severity", "fingerprint")]
            notes.append(Note(told[0], told[1], told[2], filled, told[3]))
    if "Findings" not in book.sheetnames:
        raise NotAWorkbook(f"{called}: has no sheet Findings; --format xlsx writes one")
    return notes


def audit_xlsx(report: AuditReport, notes: Sequence[Note] = ()) -> bytes:
    """The report as the bytes of a workbook. Raises OverhangError where it has more rows than a sheet may have."""
    import openpyxl

    book = openpyxl.Workbook(write_only=True)
    book.properties.creator = "Overhang"
    book.properties.created = book.properties.modified = report.moment.replace(tzinfo=None)
    kept = _Notes(notes)
    findings = list(_findings(report, kept))
    _summary(book, report)
    _sheet(book, "Devices", DEVICES, map(_device, report.audits))
    _sheet(book, "Findings", FINDINGS, findings)
    _sheet(book, "Access paths", PATHS, _paths(report))
    left = ((what, why, ", ".join(names)) for what, why, names in not_examined(report))
    _sheet(book, "Not examined", LEFT, left)
    if kept.left:
        _sheet(
            book,
            "No longer found",
            GONE,
            ((each[0], each[1], each[2], *each.filled, each.fingerprint) for each in kept.left),
        )
    made = io.BytesIO()
    book.save(made)
    return made.getvalue()


class _Notes:
    """The notes of an earlier workbook, each given to the finding that it is about."""

    def __init__(self, notes: Sequence[Note]) -> None:
        self._by_finding = {(each.device, each.fingerprint): each for each in notes}
        self._devices = {each.device for each in notes}
        self._holders: dict[str, list[str]] = {}
        for each in notes:
            self._holders.setdefault(each.fingerprint, []).append(each.device)

    @property
    def left(self) -> list[Note]:
        """What was filled in for findings that are no longer there."""
        filled = [any(each not in (None, "") for each in note.filled) for note in self._by_finding.values()]
        return list(itertools.compress(self._by_finding.values(), filled))

    def of(self, device: str, fingerprint: str, devices: frozenset[str]) -> tuple[object, ...]:
        """What was filled in for a finding. A device that is new has the notes of the only one that had this finding
        and is no longer there: it was renamed."""
        found = self._by_finding.pop((device, fingerprint), None)
        holders = [each for each in self._holders.get(fingerprint, ()) if each not in devices]
        if found is None and device not in self._devices and len(holders) == 1:
            found = self._by_finding.pop((holders[0], fingerprint), None)
        return (None,) * len(TO_FILL) if found is None else found.filled


def _findings(report: AuditReport, notes: _Notes) -> Iterator[Sequence[object]]:
    devices = frozenset(audit.name for audit in report.audits)
    rows = [(finding, audit, "") for audit in report.audits for finding in audit.findings]
    rows += [
        (each.finding, audit, f"until {each.until}: {each.reason}") for audit in report.audits for each in audit.waived
    ]
    rows.sort(key=lambda each: (bool(each[2]), -each[0].severity, each[0].possible, each[1].name))
    for finding, audit, waived in rows:
        yield _finding(audit, finding, waived, notes.of(audit.name, finding.fingerprint, devices))
    across = [(each, "") for each in report.network]
    across += [(each.finding, f"until {each.until}: {each.reason}") for each in report.network_waived]
    for each, waived in across:
        file, line = each.places[0] if each.places else ("", "")
        key = f"{each.rule} {' '.join(each.devices)}"
        filled = notes.of("across devices", key, devices)
        cells = [each.severity.word, "certain", each.rule, "across devices", "", each.message, "", "\n".join(each.fix)]
        yield [*cells, file, line, waived, *filled, key]


def _finding(audit: DeviceAudit, finding: ReportedFinding, waived: str, filled: Sequence[object]) -> Sequence[object]:
    own = own_lines(audit, finding)
    return (
        finding.severity.word,
        "possible" if finding.possible else "certain",
        finding.rule,
        audit.name,
        audit.site or "",
        finding.message,
        "\n".join(opened_phrases(finding.opens)),
        "\n".join([page_of(finding.rule).fix, *finding.preferred_fix]),
        audit.file,
        own[0].line if own else "",
        waived,
        *filled,
        finding.fingerprint,
    )


def _device(audit: DeviceAudit) -> Sequence[object]:
    counts = [severity_count(audit, severity) for severity in reversed(Severity)]
    marks = [each.mark.word for each in audit.checklist]
    numbers = [int(each) if each.isdigit() else each for each in counts]
    return (audit.name, audit.site or "", audit.kind or "", audit.file, audit.profile or "not known", *marks, *numbers)


def _paths(report: AuditReport) -> Iterator[Sequence[object]]:
    """The access paths that findings open, and the easiest by each way, each once."""
    for audit in report.audits:
        opened: dict[Any, list[str]] = {}
        for finding in audit.findings:
            for each in finding.opens:
                opened.setdefault(each, []).append(finding.rule)
        for each, rules in sorted(opened.items(), key=lambda row: (-row[0].level, row[0].via, row[0].needs)):
            yield (
                *(audit.name, audit.site or "", way_label(each.via), ", ".join(each.sources), each.needs),
                *(each.after_login, each.level, each.servers, each.busy, each.hours, ", ".join(dict.fromkeys(rules))),
            )
        there = {(each.via, each.level, each.needs) for each in opened}
        for least in audit.exposures:
            if (least.via, least.level, least.needs) not in there:
                yield (
                    audit.name,
                    audit.site or "",
                    way_label(least.via),
                    "",
                    least.needs,
                    "",
                    least.level,
                    "",
                    "",
                    "",
                    "",
                )


def _summary(book: "Workbook", report: AuditReport) -> None:
    from openpyxl.cell import WriteOnlyCell
    from openpyxl.styles import Font

    sheet = book.create_sheet("Summary")
    sheet.column_dimensions["A"].width = 34
    sheet.column_dimensions["B"].width = 18
    sheet.column_dimensions["C"].width = 60
    title = WriteOnlyCell(sheet, _text(verdict(report)[0]))
    title.font = Font(name="Calibri", bold=True, size=14)
    rows: list[Sequence[object]] = [(title,), (summary(report),)]
    rows += [(each,) for each in change_phrases(report)]
    rows += [(f"as of {report.moment:%Y-%m-%d %H:%M} UTC",), (), ("findings", "certain", "possible")]
    rows += [(severity.word, report.counts[severity], report.possible_counts[severity]) for severity in report.counts]
    rows += [(), ("the rules that found something", "worst", "on")]
    for rule, severity, held in by_rule(report):
        rows.append((rule, worst_phrase(severity, held), count(len({audit.file for audit, _ in held}), "device")))
    for row in rows:
        sheet.append([_cell(sheet, each) for each in row])


def _sheet(book: "Workbook", title: str, heads: Sequence[str], rows: Iterable[Sequence[object]]) -> None:
    from openpyxl.styles import Font, PatternFill
    from openpyxl.utils import get_column_letter

    sheet = book.create_sheet(title)
    sheet.freeze_panes = "A2"
    made = list(rows)
    if len(made) > _MOST_ROWS:
        raise OverhangError(
            f"{len(made):,} rows are more than a workbook's sheet may have; --format csv has no such end"
        )
    for place, head in enumerate(heads, 1):
        sheet.column_dimensions[get_column_letter(place)].width = _WIDTHS.get(head, max(11, len(head) + 3))
    sheet.auto_filter.ref = f"A1:{get_column_letter(len(heads))}{len(made) + 1}"
    tops = [_cell(sheet, head) for head in heads]
    for top, head in zip(tops, heads, strict=True):
        top.font = Font(name="Calibri", bold=True, color="FFFFFF")
        top.fill = PatternFill("solid", fgColor="2F6B4F" if head in TO_FILL else "30363D")
    sheet.append(tops)
    styles = _Styles(sheet)
    for number, row in enumerate(made, 2):
        cells = [_cell(sheet, each) for each in row]
        for cell, value, head in zip(cells, row, heads, strict=True):
            styles.give(cell, head, value)
        sheet.row_dimensions[number].height = _LINE_HEIGHT * _lines(row, heads)
        sheet.append(cells)


class _Styles:
    """How cells look. A style is made once and shared, since making one takes longer than writing the cell."""

    def __init__(self, sheet: Any) -> None:
        self._sheet = sheet
        self._made: dict[tuple[str, object], Any] = {}

    def give(self, cell: Any, head: str, value: object) -> None:
        """Make a cell of a column look as it should."""
        key = (head, value if head == "severity" or head in _ASPECTS else None)
        style = self._made.get(key)
        if style is None:
            style = self._made[key] = self._style(head, value)
        own = cell.has_style  # a date, or a text that is not to be taken for a formula
        if own:
            number_format, quoted = cell.number_format, cell.quotePrefix
            cell._style = copy.copy(style)
            cell.number_format, cell.quotePrefix = number_format, quoted
        else:
            cell._style = style

    def _style(self, head: str, value: object) -> Any:
        from openpyxl.cell import WriteOnlyCell
        from openpyxl.styles import Alignment, Font, PatternFill

        cell = WriteOnlyCell(self._sheet)
        wrapped, right = head in _WIDTHS, head in _COUNTS
        cell.alignment = Alignment(vertical="top", wrap_text=wrapped, horizontal="right" if right else None)
        if head == "severity" and value in _SHADES:
            cell.font = Font(name="Calibri", bold=True, color=_SHADES[str(value)])
        elif head in _ASPECTS and value in _MARKS:
            behind, ink = _MARKS[str(value)]
            shade = "FFFFFF" if ink == "white" else "111111"
            cell.fill = PatternFill("solid", fgColor=behind.lstrip("#"))
            cell.font = Font(name="Calibri", color=shade)
        return cell._style


def _lines(row: Sequence[object], heads: Sequence[str]) -> int:
    """How many lines a row takes, within bounds; a program that opens the file may not reckon it itself."""
    most = 1
    for value, head in zip(row, heads, strict=True):
        if isinstance(value, str) and head in _WIDTHS:
            most = max(most, sum(1 + len(each) // _WIDTHS[head] for each in value.split("\n")))
    return min(most, _MOST_LINES)


def _cell(sheet: Any, value: Any) -> Any:
    """A cell that holds a text or a number, and never a formula."""
    from openpyxl.cell import Cell, WriteOnlyCell

    if isinstance(value, Cell):
        return value
    if not isinstance(value, str):
        cell = WriteOnlyCell(sheet, value)
        if isinstance(value, datetime.date):
            cell.number_format = "yyyy-mm-dd"
        return cell
    cell = WriteOnlyCell(sheet)
    cell.value = _text(value)
    if cell.data_type == "f":
        cell.data_type = "s"
        cell.quotePrefix = True
    return cell


def _text(value: str) -> str:
    text = safe_lines(value)
    return text if len(text) <= _MOST_TEXT else text[:_MOST_TEXT] + "…"
