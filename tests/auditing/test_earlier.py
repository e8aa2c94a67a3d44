"""What is new since an earlier report: lines that moved and devices that were renamed make nothing new."""

import datetime
import json
from collections.abc import Callable

import jsonschema
import pytest

from overhang.api import LoadedDevice, audit
from overhang.auditing.earlier import NotAReport, changed_since, earlier_of, only_new, read_earlier
from overhang.auditing.peers import peers_of
from overhang.auditing.report import AuditReport, Change
from overhang.language import read_sheet
from overhang.project import Project
from overhang.report.audit_json import audit_json, audit_value
from overhang.report.audit_text import audit_lines
from overhang.report.lines import plain
from tests.conftest import Ran

NOW = datetime.datetime(2026, 11, 26, tzinfo=datetime.UTC)
QUAY = """\
device quay:
    profile appliance
entry console:
    check password
    password readable boat
    idle 5m
web:
    http on
    check users
user lena:
    password opaque x
"""
GATE = QUAY.replace("quay", "gate").replace("    http on\n", "")


def audited(**sheets: str) -> AuditReport:
    devices = [LoadedDevice(read_sheet(text, f"{name}.sheet"), Project()) for name, text in sheets.items()]
    return audit(devices, moment=NOW)


def change(before: AuditReport, now: AuditReport) -> Change:
    earlier = read_earlier(audit_json(before).encode(), "then.json")
    assert earlier == earlier_of(before, "then.json")
    found = only_new(now, earlier)
    told = changed_since(now, earlier).change
    assert found.change is not None
    assert found.change == (told and told._replace(filtered=True))
    assert len(found.change.new) == sum(len(each.findings) for each in found.audits) + len(found.network)
    assert found.change.known == len(now.severities()) - len(found.change.new)
    assert [each.checklist for each in found.audits] == [each.checklist for each in now.audits]
    with open("docs/audit.schema.json") as schema:
        jsonschema.validate(audit_value(found), json.load(schema))
    return found.change


#: What was done to the devices quay and gate, with the rules that are new and gone, and devices added, missing, renamed.
CHANGES = [
    ({"quay": QUAY, "gate": GATE}, [], [], ((), (), ())),
    ({"quay": "# moved\n\n" + QUAY, "gate": GATE + "\n# a remark\n"}, [], [], ((), (), ())),
    ({"quay": QUAY.replace("device quay", "device pier"), "gate": GATE}, [], [], ((), (), (("quay", "pier"),))),
    ({"pier": QUAY.replace("device quay", "device pier"), "gate": GATE}, [], [], ((), (), (("quay", "pier"),))),
    ({"quay": GATE.replace("gate", "quay"), "gate": GATE}, [], ["http-enabled"], ((), (), ())),
    ({"quay": QUAY, "gate": GATE + "web: http on\n"}, ["http-enabled"], [], ((), (), ())),
    ({"quay": QUAY}, [], [], ((), ("gate",), ())),
    ({"quay": QUAY, "gate": GATE, "hut": "device hut:\n    profile appliance\n"}, None, [], (("hut",), (), ())),
]


@pytest.mark.parametrize(("now", "new", "gone", "devices"), CHANGES)
def test_what_is_new_and_what_has_gone(
    now: dict[str, str], new: list[str] | None, gone: list[str], devices: tuple[tuple[str, ...], ...]
) -> None:
    found = change(audited(quay=QUAY, gate=GATE), audited(**now))
    assert set(gone) <= {each.rule for each in found.gone}
    assert bool(gone) == bool({each.rule for each in found.gone} - {"web-alongside-ssh"}), (
        "which the other way round is"
    )
    if new is None:
        assert {each.device for each in found.new} == {"hut"}
    else:
        assert set(new) <= {each.rule for each in found.new}
        assert bool(new) == bool(found.new)
    assert (found.added, found.missing, found.renamed) == devices


def test_a_finding_that_got_worse_or_certain_is_new() -> None:
    now = audited(quay=QUAY)
    value = audit_value(now)
    first = value["devices"][0]["findings"][0]
    for worse in ({"severity": "info"}, {"possible": True}):
        held = {**value, "devices": [{**value["devices"][0], "findings": [{**first, **worse}]}]}
        rest = now._replace(audits=(now.audits[0]._replace(findings=now.audits[0].findings[:1]),))
        found = only_new(rest, read_earlier(json.dumps(held).encode(), "x")).change
        assert found is not None
        assert [each.rule for each in found.new] == [first["rule"]]


def test_what_was_folded_into_a_finding_that_has_gone_is_not_new() -> None:
    before, now = audited(quay=QUAY), audited(quay=QUAY)
    speaking = now.audits[0].findings[0]
    value = audit_value(before)
    held = value["devices"][0]["findings"]
    held[0] = {**held[0], "rule": "another", "fingerprint": "0", "also": [speaking.rule]}
    earlier = read_earlier(json.dumps(value).encode(), "x")
    found = only_new(now, earlier).change
    assert found is not None
    assert (found.new, [each.rule for each in found.gone]) == ((), ["another"])
    second = speaking._replace(fingerprint="1", lines=(), unsaid=())
    twice = now.audits[0]._replace(findings=(*now.audits[0].findings, second))
    found = only_new(now._replace(audits=(twice,)), earlier).change
    assert found is not None
    assert [each.rule for each in found.new] == [speaking.rule], "it stood for one of them"


SHEET = """\
device {0}:
    kind switch
    site "north quay"
    profile appliance
web:
    https on
    check users
user lena:
    password opaque x
"""


def test_devices_unlike_their_peers_are_told_with_what_differs() -> None:
    sheets = {f"q{number}": SHEET.format(f"q{number}") for number in range(1, 9)}
    assert peers_of(audited(**sheets)) == []
    sheets["q3"] += "snmp:\n    on\n    community readable public write\n"
    sheets["q7"] = sheets["q7"].replace("check users", "check nothing")
    sheets["q8"] = sheets["q8"].replace("switch", "router")
    sheets["gate"] = SHEET.format("gate").replace("north", "south")
    report = audited(**sheets)
    (group,) = peers_of(report)
    assert (group.kind, group.site, group.number, group.alike) == (
        "switch",
        "north quay",
        7,
        ("q1", "q2", "q4", "q5", "q6"),
    )
    assert {odd.devices for odd in group.odd} == {("q3",), ("q7",)}
    told = {(odd.devices[0], *each) for odd in group.odd for each in odd.differences}
    assert ("q3", "answers SNMP", "yes", "no") in told
    assert (
        "q7",
        "HTTPS needs",
        "nothing from anywhere, for level 1",
        "one account from anywhere, for level 4",
    ) in told
    value = audit_value(report)
    with open("docs/audit.schema.json") as schema:
        jsonschema.validate(value, json.load(schema))
    assert value["peers"][0]["others"][0]["differences"]
    assert any(
        "5 of 7 switches at north quay are alike" in plain([line]) for line in audit_lines(report, 100, long=False)
    )
    two = {name: sheets[name] for name in ("q1", "q2", "q3", "q7")}
    assert peers_of(audited(**two)) == [], "half of them are no usual way"


@pytest.mark.parametrize(
    ("data", "why"),
    [
        (b"\0", "is not JSON"),
        (b"[1]", "is not the report of an audit"),
        (b'{"overhang": "1", "devices": [], "schema": 1}', "another form (schema 1)"),
        (b'{"overhang": "1", "devices": [1], "network": [], "schema": 2}', "parts missing or wrong"),
        (b'{"overhang": "1", "devices": [{"name": "a", "file": "a", "findings": [{}]}], "schema": 2}', "parts missing"),
        (b"[" * 100_000, "is not JSON"),
    ],
)
def test_what_is_no_report(data: bytes, why: str) -> None:
    with pytest.raises(NotAReport, match=r"^x: ") as problem:
        read_earlier(data, "x")
    assert why in str(problem.value)


def test_the_program_lists_only_what_is_new(overhang: Callable[..., Ran], write: Callable[..., object]) -> None:
    write("net/quay.sheet", QUAY)
    moment = ("--now", "2026-11-26T00:00Z")
    before = overhang("audit", "net", *moment, "--format", "json")
    write("then.json", before.out)
    again = overhang("audit", "net", *moment, "--baseline", "then.json", "--short")
    known = len(json.loads(before.out)["devices"][0]["findings"])
    assert (before.code, again.code, again.err) == (1, 0, "")
    assert again.out.startswith(
        f"Nothing new since then.json; {known} known findings not listed\nsince then.json: 0 new "
    )
    write("net/quay.sheet", QUAY + "snmp:\n    on\n    community readable public write\n")
    for form in ("text", "markdown", "junit", "html"):
        said = overhang("audit", "net", *moment, "--baseline", "then.json", "--long", "--format", form).out
        assert "nothing found" not in said.lower(), form
        assert "without findings" not in said, form
    assert "0 new findings" in again.out
    worse = overhang("audit", "net", *moment, "--baseline", "then.json", "--format", "sarif")
    assert (worse.code, "community" in worse.out, "http-enabled" in worse.out) == (1, True, False)
    wrong = overhang("audit", "net", "--since", "nowhere")
    assert (wrong.code, wrong.err.startswith("overhang: --since nowhere: neither a file nor a revision in git")) == (
        2,
        True,
    )
    assert overhang("audit", "net", "--baseline", "net/quay.sheet").err.endswith(
        "is not JSON; --format json writes a report that can be used here\n"
    )


def test_a_revision_is_held_against_what_is_there_now(overhang: Callable[..., Ran]) -> None:
    overhang("demo", "--history", "net")
    found = json.loads(overhang("audit", "net", "--since", "HEAD~4", "--format", "json").out)["change"]
    assert (found["since"], found["devices_missing"], found["known_left_out"]) == ("HEAD~4", [], False)
    assert found["gone"]
    same = json.loads(overhang("audit", "net", "--since", "HEAD", "--format", "json").out)["change"]
    assert (same["new"], same["gone"], same["devices_added"]) == ([], [], [])
