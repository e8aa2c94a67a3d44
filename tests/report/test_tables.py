"""The audit for spreadsheets and for those who analyse many: workbooks, JSON Lines, Parquet, data frames."""

import datetime
import io
import json
from collections.abc import Callable
from pathlib import Path

import openpyxl
import pandas
import pytest

import overhang
from overhang.api import LoadedDevice, audit
from overhang.auditing.report import AuditReport
from overhang.language import read_sheet
from overhang.project import Project
from overhang.report.audit_json import audit_value
from overhang.report.audit_jsonl import audit_jsonl
from overhang.report.audit_xlsx import FINDINGS, GONE, NotAWorkbook, audit_xlsx, read_notes
from tests.conftest import Ran

NOW = datetime.datetime(2026, 11, 26, tzinfo=datetime.UTC)
SHEET = """\
device {0}:
    profile appliance
    site "{1}"
entry console:
    check password
    password readable boat
user lena:
    password readable boat
"""


QUAY = "device south-quay:\n    profile entry-first\nentry vty 0-11:\n    check nothing\n"


def audited(*names: str, site: str = "quay") -> AuditReport:
    sheets = [read_sheet(SHEET.format(name, site), f"{name}.sheet") for name in names]
    return audit([LoadedDevice(sheet, Project()) for sheet in sheets], moment=NOW)


def opened(data: bytes) -> dict[str, list[dict[str, object]]]:
    book = openpyxl.load_workbook(io.BytesIO(data))
    found = {}
    for sheet in book:
        heads, *rows = sheet.iter_rows(values_only=True)
        found[sheet.title] = [dict(zip(heads, row, strict=True)) for row in rows]
    return found


def filled_in(data: bytes, **cells: object) -> bytes:
    """A workbook in which somebody filled in columns of the first two findings of the first device."""
    book = openpyxl.load_workbook(io.BytesIO(data))
    for row in (2, 3):
        for name, value in cells.items():
            book["Findings"].cell(row, FINDINGS.index(name) + 1, value)
    made = io.BytesIO()
    book.save(made)
    return made.getvalue()


def test_a_workbook_holds_every_finding_device_and_path() -> None:
    report = audited("north", "south", "east", "west")
    book = opened(audit_xlsx(report))
    assert list(book) == ["Summary", "Devices", "Findings", "Access paths", "Not examined"]
    listed = {(row["device"], row["fingerprint"]) for row in book["Findings"] if row["device"] != "across devices"}
    assert listed == {(each.name, finding.fingerprint) for each in report.audits for finding in each.findings}
    assert sum(row["device"] == "across devices" for row in book["Findings"]) == len(report.network) == 1
    assert [row["device"] for row in book["Devices"]] == [each.name for each in report.audits]
    assert {row["device"] for row in book["Access paths"]} == {each.name for each in report.audits}
    assert all(row["one needs"] for row in book["Access paths"])


@pytest.mark.parametrize("name", ["=1+1", "+berth", "-berth", "@berth", "=cmd|' /C x'!A0", "ta\tb", "\x01\u202e"])
def test_no_cell_is_a_formula(name: str) -> None:
    report = audited("quay", site="x")
    audits = tuple(each._replace(name=name, site=name, file=name) for each in report.audits)
    book = openpyxl.load_workbook(io.BytesIO(audit_xlsx(report._replace(audits=audits))))
    cells = [cell for sheet in book for row in sheet.iter_rows() for cell in row]
    assert {cell.data_type for cell in cells} <= {"s", "n", "d", "inlineStr"}
    shown = book["Devices"]["A2"].value
    assert shown == name if name.isprintable() else "\\x" in shown or "\\u" in shown


def test_what_was_filled_in_is_taken_over() -> None:
    first = audit_xlsx(audited("north", "south"))
    due = datetime.datetime(2026, 12, 24)
    notes = read_notes(filled_in(first, owner="lena", ticket=4711, due=due), "then.xlsx")
    filled = [each for each in notes if any(each.filled)]
    assert [each.filled for each in filled] == [("lena", 4711, due, None)] * 2
    prints = [(each.device, each.fingerprint) for each in filled]
    again = opened(audit_xlsx(audited("north", "south"), notes))
    assert [(row["device"], row["fingerprint"]) for row in again["Findings"] if row["owner"]] == prints
    assert {row["due"] for row in again["Findings"]} == {due, None}
    renamed = opened(audit_xlsx(audited("pier", "south"), notes))
    held = [row for row in renamed["Findings"] if row["owner"]]
    assert [row["fingerprint"] for row in held] == [each for _, each in prints]
    assert {row["device"] for row in held} == {"pier"}
    gone = audit_xlsx(audited("south"), notes)
    assert [row["ticket"] for row in opened(gone)["No longer found"]] == [4711, 4711]
    kept = {(each.device, each.filled[0]) for each in read_notes(gone, "x") if any(each.filled)}
    assert kept == {("north", "lena")}, "and kept for good"


@pytest.mark.parametrize("data", [b"", b"PK\x03\x04", b"device quay:\n"])
def test_what_is_no_workbook(data: bytes) -> None:
    with pytest.raises(NotAWorkbook, match=r"^x: is not a workbook; --format xlsx writes one$"):
        read_notes(data, "x")
    book = openpyxl.Workbook()
    for title, why in (
        ("Berths", r"^x: has no sheet Findings; --format xlsx writes one$"),
        ("Findings", "lacks columns"),
    ):
        book.active.title = title
        made = io.BytesIO()
        book.save(made)
        with pytest.raises(NotAWorkbook, match=why):
            read_notes(made.getvalue(), "x")
    assert set(GONE) > {"owner", "ticket"}


def test_lines_hold_what_the_json_report_holds() -> None:
    report = audited("north", "south", "east", "west")
    lines = [json.loads(line) for line in audit_jsonl(report).splitlines()]
    value = audit_value(report)
    by_type = {kind: [each for each in lines if each["type"] == kind] for kind in {each["type"] for each in lines}}
    assert [{**each, "type": "device"} for each in value["devices"]] == by_type["device"]
    assert [{**each, "type": "network"} for each in value["network"]] == by_type["network"]
    assert {each.pop("rule"): each for each in by_type["rule"] if each.pop("type")} == value["rules"]
    assert lines[0] == {"type": "audit", **{key: value[key] for key in ("overhang", "schema", "moment", "verdict")}}
    assert lines[-1] == {"type": "summary", **value["summary"]}


def test_every_result_makes_a_table() -> None:
    network = overhang.load("src/overhang/demo/network", guess=0)
    report = overhang.audit(network, moment=NOW)
    gate, tickets = network["harbour-gate"], network["isle-tickets"]
    then = overhang.load("src/overhang/demo/network/southpier/south-quay.sheet")
    now = [LoadedDevice(read_sheet(QUAY, then.devices[0].file), then.devices[0].project)]
    change = "src/overhang/demo/network/changes/new-account.change"
    tables = {
        "findings": (overhang.to_frame(report), sum(len(each.findings) for each in report.audits)),
        "devices": (overhang.to_frame(report, "devices"), len(network)),
        "exposure": (overhang.to_frame(report, "exposure"), sum(len(each.exposures) for each in report.audits)),
        "network": (overhang.to_frame(report, "network"), len(report.network)),
        "loaded": (overhang.to_frame(network), len(network)),
        "paths": (overhang.to_frame(overhang.access_paths(tickets, moment=NOW)), None),
        "expectations": (overhang.to_frame(overhang.expect(network, moment=NOW)), None),
        "login": (overhang.to_frame(overhang.simulate(gate, via="telnet", source="10.64.1.7", moment=NOW)), 1),
        "comparison": (overhang.to_frame(overhang.compare(then, now, moment=NOW)), None),
        "rehearsal": (overhang.to_frame(overhang.rehearse(then.devices[0], change, moment=NOW)), None),
        "mends": (overhang.to_frame([overhang.mend(each, moment=NOW) for each in then]), None),
    }
    for name, (frame, number) in tables.items():
        assert len(frame) == (number or len(frame)) > 0, name
        assert all(isinstance(each, str) for each in frame.columns)
    assert set(tables["comparison"][0]["what"]) >= {"gained", "finding gone"}
    assert tables["findings"][0]["severity"].isin(["info", "low", "medium", "high", "critical"]).all()
    for results, of in ((report, "berths"), (network, "devices")):
        with pytest.raises(ValueError, match="rows"):
            overhang.to_frame(results, of)


def test_the_program_writes_them(overhang: Callable[..., Ran], write: Callable[..., Path], tmp_path: Path) -> None:
    for name in ("north", "south"):
        write(f"net/{name}.sheet", SHEET.format(name, "quay"))
    for form in ("xlsx", "parquet"):
        ran = overhang("audit", "net", "--format", form)
        assert ran == Ran(2, "", f"overhang: --format {form} is not for a screen; name a file with --output\n")
        assert overhang("audit", "net", "--format", form, "--output", f"now.{form}") == Ran(1, "", "")
    frame = pandas.read_parquet(tmp_path / "now.parquet")
    assert set(frame.device) == {"north", "south"}
    assert frame.severity.isin(["info", "low", "medium", "high", "critical"]).all()
    (tmp_path / "then.xlsx").write_bytes(filled_in((tmp_path / "now.xlsx").read_bytes(), owner="omar"))
    words = ("audit", "net", "--format", "xlsx", "--notes-from", "then.xlsx", "--output")
    assert overhang(*words, "then.xlsx").err == (
        "overhang: then.xlsx: is an input of this run and is not overwritten; choose another name\n"
    )
    assert overhang(*words, "now.xlsx").code == 1
    notes = read_notes((tmp_path / "now.xlsx").read_bytes(), "x")
    assert sum(each.filled[0] == "omar" for each in notes) == 2
    wrong = overhang("audit", "net", "--notes-from", "then.xlsx")
    assert (wrong.code, wrong.err) == (2, "overhang: --notes-from is for --format xlsx\n")
