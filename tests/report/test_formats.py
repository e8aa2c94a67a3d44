"""The formats of the audit and the pictures: valid, complete, without secrets, and the same of what has not changed."""

import csv
import io
import json
import re
import shutil
import subprocess
import xml.etree.ElementTree as ET
from collections.abc import Callable
from html.parser import HTMLParser
from pathlib import Path

import jsonschema
import pytest

import overhang
from overhang.auditing.registry import all_rules
from overhang.auditing.rules.pages import page_of
from overhang.demo import demo_files
from overhang.project import THRESHOLDS
from overhang.report.charts import by_exposure, cells_of, nobody, rows_of
from overhang.report.rules_text import rules_tables
from overhang.text.json_text import json_text
from tests.conftest import Ran

Run = Callable[..., Ran]
Write = Callable[[str, str | bytes], Path]
FORMATS = ("text", "json", "csv", "sarif", "junit", "markdown", "html")
HERE = Path(__file__).parent
NOW = ("--now", "2026-11-23")
SECRETS = ("three bells", "swzbqmcpmgaq", "y3uq6kscm4", "kelp", "$6$", "8c1f0e5d", "71b2c9aa", "nine fathoms")
SPECIAL = """\
device "=cmd|<b>&\\"'":
    site "long | pier"
entry console:
    check password
    password readable "nine fathoms"
entry vty 0-11: from nowhere
user lena: password opaque 8c1f0e5d
entri vty 0: closed
"""


@pytest.fixture
def network(write: Write) -> None:
    for path, data in demo_files().items():
        write(f"tw/{path}", data)
    write("tw/special.sheet", SPECIAL)
    write("tw/broken.sheet", b"\0")


#: What was written of the network before, by the options: it is the same network for each test.
WRITTEN: dict[tuple[str, ...], str] = {}


def report(overhang: Run, form: str, *more: str) -> str:
    if (form, *more) not in WRITTEN:
        WRITTEN[form, *more] = written(overhang, form, *more)
    return WRITTEN[form, *more]


def written(overhang: Run, form: str, *more: str) -> str:
    ran = overhang("audit", "tw", "--format", form, *NOW, *more)
    assert (ran.code, ran.err) == (2, "overhang: tw/broken.sheet: not a text file: a zero byte on line 1\n")
    return ran.out


@pytest.mark.usefixtures("network")
def test_every_format_says_what_was_not_examined_and_shows_no_secret(overhang: Run) -> None:
    for form in FORMATS:
        out = report(overhang, form, *(["--long"] if form == "text" else []))
        assert [secret for secret in SECRETS if secret in out] == [], form
        assert "the accounts of server group ashore" in out, form
        assert "no address is configured" in out, form
        assert ("broken.sheet" in out) == (form != "text"), form  # there it stands on standard error
        assert "password-on-many-devices" in out, form
        assert out.isprintable() or "\x1b" not in out
        if form == "html":  # the others are made from the same values
            assert written(overhang, form) == out


@pytest.mark.usefixtures("network")
def test_the_json_keeps_to_its_schema(overhang: Run) -> None:
    schema = json.loads((HERE.parents[1] / "docs" / "audit.schema.json").read_text())
    jsonschema.Draft202012Validator.check_schema(schema)
    value = json.loads(report(overhang, "json"))
    jsonschema.Draft202012Validator(schema).validate(value)
    waived = [(device["name"], each["rule"], each["until"]) for device in value["devices"] for each in device["waived"]]
    assert waived == [("heron-bridge", "ssh-no-limits", "2027-03-31"), ("heron-deck", "ssh-no-limits", "2027-03-31")]
    value["devices"][0]["findings"][0]["severity"] = "bad"
    with pytest.raises(jsonschema.ValidationError):
        jsonschema.Draft202012Validator(schema).validate(value)


@pytest.mark.usefixtures("network")
def test_the_sarif_keeps_to_the_schema_of_the_standard(overhang: Run) -> None:
    schema = json.loads((HERE / "schemas" / "sarif-2.1.0.json").read_text())
    value = json.loads(report(overhang, "sarif"))
    jsonschema.Draft202012Validator(schema).validate(value)
    (run,) = value["runs"]
    rules = {rule["id"]: rule for rule in run["tool"]["driver"]["rules"]}
    assert {result["ruleId"] for result in run["results"]} == set(rules)
    assert all(rule["help"]["text"] and rule["shortDescription"]["text"] for rule in rules.values())
    suppressed = [each for each in run["results"] if "suppressions" in each]
    assert [each["ruleId"] for each in suppressed] == ["ssh-no-limits"] * 2
    uri = {
        each["physicalLocation"]["artifactLocation"]["uri"] for result in run["results"] for each in result["locations"]
    }
    assert "tw/northquay/north-edge.sheet" in uri
    prints = [
        (each["message"]["text"].partition(":")[0], each["partialFingerprints"]["overhang/v2"])
        for each in run["results"]
        if "partialFingerprints" in each
    ]
    assert len(set(prints)) == len(prints) > 50


def test_fingerprints_stay_when_lines_move_and_names_or_secrets_change(overhang: Run, write: Write) -> None:
    def prints(text: str) -> dict[str, str]:
        write("a.sheet", text)
        (device,) = json.loads(overhang("audit", "a.sheet", "--format", "json").out)["devices"]
        return {each["rule"]: each["fingerprint"] for each in device["findings"]}

    text = "device a:\nentry console:\n    idle 30m\n    password readable gull\nuser lena: password readable tern\n"
    before = prints(text)
    assert prints("# a remark\n\n" + text.replace("    idle", "    # here\n    idle")) == before
    assert prints(text.replace("30m", "40m"))["idle-timeout"] != before["idle-timeout"]
    assert prints(text.replace("device a", "device b").replace("gull", '"two  gulls"')) == before
    assert prints(text.replace("entry console:\n    idle 30m", "entry  console:   idle 30m\nentry console:")) == before
    changed = prints(text.replace("user lena", "user omar"))
    assert changed["password-clear-text"] != before["password-clear-text"]
    assert changed["idle-timeout"] == before["idle-timeout"]


@pytest.mark.usefixtures("network")
def test_the_csv_reads_back_and_starts_no_formula(overhang: Run) -> None:
    rows = list(csv.DictReader(io.StringIO(report(overhang, "csv"))))
    value = json.loads(report(overhang, "json"))
    findings = [each for device in value["devices"] for each in device["findings"] + device["waived"]]
    assert len([row for row in rows if row["severity"] != "not examined"]) == len(findings) + len(
        value["network"] + value["network_waived"]
    )
    assert not any(cell.startswith(("=", "+", "-", "@")) for row in rows for cell in row.values())
    assert {row["device"] for row in rows if row["file"].endswith("special.sheet")} == {"'=cmd|<b>&\"'"}


@pytest.mark.usefixtures("network")
def test_the_junit_is_well_formed_and_counts(overhang: Run) -> None:
    root = ET.fromstring(report(overhang, "junit"))
    for suite in root:
        cases = suite.findall("testcase")
        assert int(suite.get("tests", "")) == len(cases)
        assert int(suite.get("failures", "")) == len(suite.findall("testcase/failure"))
    assert root.get("failures") == str(len(root.findall("testsuite/testcase/failure")))
    assert [each.get("name") for each in root.findall("testsuite[@name='harbour-gate']/testcase")][:1] == [
        "not examined: whether hashed passwords are among the thousand most common"
    ]


@pytest.mark.usefixtures("network")
def test_the_markdown_takes_no_name_for_markup(overhang: Run) -> None:
    out = report(overhang, "markdown")
    assert out.startswith("# Audit of management access\n\n**")
    assert "| =cmd\\|\\<b\\>&\"' |  | long \\| pier |" in out


class Page(HTMLParser):
    """What a page would fetch, and which elements it has open at the end."""

    def __init__(self) -> None:
        super().__init__()
        self.fetched: list[str] = []
        self.open: list[str] = []
        self.texts: list[str] = []

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.fetched += [
            str(value) for name, value in attrs if name in ("src", "href", "action") and value and value[0] != "#"
        ]
        if tag not in ("meta", "input", "br"):
            self.open.append(tag)

    def handle_endtag(self, tag: str) -> None:
        assert self.open.pop() == tag

    def handle_data(self, data: str) -> None:
        self.texts.append(data)


@pytest.mark.usefixtures("network")
def test_the_page_needs_nothing_else(overhang: Run) -> None:
    page = Page()
    out = report(overhang, "html")
    page.feed(out)
    assert (page.fetched, page.open) == ([], [])
    assert not re.search(r"https?:/|url\(|@import", out)
    assert "<b>&" not in out
    assert "=cmd|<b>&\"'" in page.texts
    assert set(re.findall(r'href="#r-([a-z0-9-]+)"', out)) | {"ssh-no-limits"} == set(
        re.findall(r'id="r-([a-z0-9-]+)"', out)
    )


PROBE = """<script>addEventListener("load", () => {
  const words = document.getElementById("words"), shown = () => document.getElementById("shown").textContent;
  const said = [shown()];
  words.value = "north-edge telnet"; words.dispatchEvent(new Event("input")); said.push(shown());
  words.value = ""; const high = document.querySelector("input[value=high]");
  for (const box of document.querySelectorAll(".tools label:not(.print) input")) if (box !== high) { box.checked = false; }
  high.dispatchEvent(new Event("change")); said.push(shown());
  document.title = said.join("; ");
});</script></body>"""


@pytest.mark.skipif(shutil.which("chromium") is None, reason="needs Chromium")
@pytest.mark.usefixtures("network")
def test_the_page_filters_in_a_browser(overhang: Run, write: Write) -> None:
    out = report(overhang, "html")
    path = write("page.html", out.replace("</body>", PROBE))

    command = "chromium --headless --no-sandbox --disable-gpu --virtual-time-budget=5000 --dump-dom".split()
    dom = subprocess.run([*command, path.as_uri()], capture_output=True, text=True, timeout=120, check=True).stdout
    total = len(re.findall(r'class="finding', out))
    high = len(re.findall(r'class="finding high"', out))
    found = re.search(r"<title>(.*?)</title>", dom)
    assert found is not None
    everything, searched, worst = found.group(1).split("; ")
    assert (everything, worst) == (f"{total} of {total} shown", f"{high} of {total} shown")
    assert 0 < int(searched.split()[0]) < total
    # without script nothing is hidden but the tools, which the script alone shows
    style = out[out.index("<style>") : out.index("</style>")]
    rules = [rule.rpartition("{") for rule in style.split("}")]
    assert [head.rpartition("{")[2].strip() for head, _, body in rules if "display: none" in body] == [
        ".tools",
        "[hidden]",
        ".scripted:not(.annex) .annexed",
        ".tools",
    ]
    assert out.count("<article") == total + len(set(re.findall(r'id="r-([a-z0-9-]+)"', out)))


# -- pictures ----------------------------------------------------------------------------------------------------------

START = {"png": b"\x89PNG\r\n", "svg": b"<?xml", "pdf": b"%PDF-"}


@pytest.mark.usefixtures("network")
@pytest.mark.parametrize("subject", ["exposure", "checklist", "login"])
def test_pictures_of_every_kind(overhang: Run, tmp_path: Path, subject: str) -> None:
    shown = "tw/northquay tw/harbour tw/southpier tw/special.sheet".split()
    for kind, start in START.items() if subject == "exposure" else [("svg", START["svg"])]:
        ran = overhang("picture", *shown, "--show", subject, "--output", f"p.{kind}", *NOW)
        assert ran == (0, "", ""), kind
        data = (tmp_path / f"p.{kind}").read_bytes()
        assert data.startswith(start)
        if kind == "svg":
            texts = " ".join(
                "".join(each.itertext()) for each in ET.fromstring(data).iter("{http://www.w3.org/2000/svg}text")
            )
            wanted = {
                "exposure": ("north-quay", "console", "nothing", "N", "only what the configuration shows"),
                "checklist": ("north-quay", "authentication", "O  open", "cannot tell", "W", "G"),
                "login": ("One login at north-quay", "the console asks for no password", "admitted, at level 15"),
            }[subject]
            assert [text for text in wanted if text not in texts] == []
        if kind == "pdf":
            overhang("picture", *shown, "--show", subject, "--output", "again.pdf", *NOW)
            assert (tmp_path / "again.pdf").read_bytes() == data


@pytest.mark.usefixtures("network")
def test_the_picture_of_a_login_that_is_simulated(overhang: Run, tmp_path: Path) -> None:
    gate = ("login", "tw/harbour/harbour-gate.sheet", "--via", "ssh", "--from", "192.0.2.9", "--name", "lena")
    ran = overhang(*gate, "--picture", "p.svg")
    assert (ran.code, ran.out.splitlines()[0]) == (0, "Refused")
    drawn = ET.fromstring((tmp_path / "p.svg").read_bytes())
    texts = ["".join(each.itertext()) for each in drawn.iter("{http://www.w3.org/2000/svg}text")]
    assert texts[:2] == ["One login at harbour-gate", "by SSH from 192.0.2.9, name lena"]
    assert texts[-1] == "refused"
    error = "overhang: p.gif: the name of a picture ends in .png, .svg or .pdf\n"
    assert overhang(*gate, "--picture", "p.gif") == (2, "", error)


@pytest.mark.usefixtures("network")
@pytest.mark.parametrize(
    ("arguments", "error"),
    [
        (("tw", "--output", "p.bmp"), "p.bmp: the name of a picture ends in .png, .svg or .pdf"),
        (("tw/broken.sheet", "--output", "p.png"), "there is nothing to draw"),
        (("tw/heron", "--output", "p.png", "--device", "x"), "--device is for --show login"),
        (("tw/heron", "--output", "p.png", "--show", "login", "--device", "heron-dek"), "--device heron-dek: no such device here; did you mean heron-deck?"),
        (("tw/southpier/south-tickets.sheet", "--output", "p.png", "--show", "login"), "no login succeeds, so there is nothing to draw"),
    ],
)  # fmt: skip
def test_what_cannot_be_drawn_is_said(overhang: Run, tmp_path: Path, arguments: tuple[str, ...], error: str) -> None:
    ran = overhang("picture", *arguments)
    assert (ran.code, ran.out, ran.err.splitlines()[-1]) == (2, "", f"overhang: {error}")
    assert not (tmp_path / "p.png").exists()


@pytest.mark.parametrize(
    ("device", "letters", "drawn"), [("isle-mast", "????", "can't tell"), ("south-tickets", "", "nobody gets in")]
)
def test_a_device_without_certain_paths_is_not_called_shut(device: str, letters: str, drawn: str) -> None:
    loaded = overhang.load(HERE.parents[1] / "src" / "overhang" / "demo" / "network")
    (audit,) = (each for each in overhang.audit(loaded).audits if each.name == device)
    assert ("".join(each.letter for each in cells_of(audit).values()), nobody(audit)) == (letters, drawn)


def test_devices_with_the_same_cells_are_one_row_where_there_are_many() -> None:
    report = overhang.audit(overhang.load(HERE.parents[1] / "src" / "overhang" / "demo" / "network", guess=0))
    apart, joined = rows_of(report), rows_of(report, 3)
    assert [row.audit for row in apart] == by_exposure(report)
    assert sum(row.alike + 1 for row in joined) == len(report.audits) > len(joined)
    assert {row.label for row in apart} == {audit.name for audit in report.audits}
    shown = {
        row.audit.name: tuple((via, each[1:3], each.source) for via, each in cells_of(row.audit).items())
        for row in joined
    }
    assert len(set(shown.values())) >= len(shown) - 1, "those without cells may be shut, or not be known"
    sources = {(audit.name, each.via): each.source for audit in report.audits for each in audit.exposures}
    assert (sources["north-quay", "console"], sources["north-edge", "ssh"]) == ("port", "anywhere")
    assert sources["harbour-gate", "ssh"] == "limited"


# -- documents ---------------------------------------------------------------------------------------------------------


def test_the_pages_name_every_threshold_and_rule() -> None:
    docs = HERE.parents[1] / "docs"
    project = (docs / "project.md").read_text()
    assert [each.key for each in THRESHOLDS if f"| `{each.key}` |" not in project] == []
    tables = rules_tables(all_rules(), [page_of(rule.name) for rule in all_rules()])
    assert (docs / "rules.md").read_text().endswith(f"-->\n\n{tables}")


@pytest.mark.parametrize("number", [0, 1, 200, 201])
def test_a_long_list_has_a_line_for_each_and_means_the_same(number: int) -> None:
    each = [{"name": f"quay-{place}\n", "site": "Överhamn", "ways": [place]} for place in range(number)]
    for value in ({"devices": each, "summary": {"devices": number}}, {"runs": [{"tool": {}, "devices": each}]}):
        text = json_text(value, "devices")
        assert json.loads(text) == value
        lines = [json.loads(line.strip().rstrip(",")) for line in text.splitlines() if line.strip()[:8] == '{"name":']
        assert lines == (each if number > 200 else [])
        if number <= 200:
            assert text == json.dumps(value, indent=2, ensure_ascii=False) + "\n"
