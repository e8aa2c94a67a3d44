"""What is not known is never good news: possible findings, and devices that are rewritten with their doubt."""

import random
from collections.abc import Callable
from pathlib import Path

import pytest

from overhang.api import report_of
from overhang.auditing import RuleContext, audit_config, run_rules
from overhang.auditing.folding import shown
from overhang.auditing.rules.pages import base_sheet
from overhang.cli.main import main
from overhang.demo import demo_files
from overhang.exposure import resolve
from overhang.fleet.across import Across, compare_devices
from overhang.formats import FormatRegistry
from overhang.formats.data_writer import to_json, to_xml
from overhang.language import ParsedConfig, unparse
from overhang.project import Project
from overhang.report.audit_summary import verdict
from tests.support.generator import Made
from tests.support.rules import NOW, project_of

PROJECT = demo_files()["overhang.toml"].decode()
WRITERS: dict[str, Callable[[ParsedConfig], str]] = {
    "sheet": lambda config: unparse(config.stated, secrets=True),
    "json": lambda config: to_json(config.stated, secrets=True),
    "xml": lambda config: to_xml(config.stated, secrets=True),
}
DEMO = {path: data.decode() for path, data in demo_files().items() if not path.endswith((".toml", ".md"))}


def read(text: str, file: str) -> ParsedConfig:
    data = text.encode()
    reader = FormatRegistry().choose(data, file)
    assert reader is not None, file
    return reader.read(data, file)


def said(config: ParsedConfig) -> set[tuple[str, str, bool]]:
    """What the audit finds that follows from the device, and not from how the text of it was kept."""
    audit = shown(audit_config(config, project_of(PROJECT), NOW))
    return {(each.rule, each.severity.word, each.possible) for each in audit.findings}


def with_junk(text: str, seed: int) -> str:
    """A text with lines put in that nobody understands, or with words of its lines misspelt."""
    rng = random.Random(seed)
    lines = text.split("\n")
    for _ in range(rng.randint(1, 3)):
        at = rng.randrange(len(lines))
        indent = lines[at][: len(lines[at]) - len(lines[at].lstrip())]
        if rng.random() < 0.5:
            lines.insert(at, f"{indent}zorp quux")
        elif lines[at].strip():
            lines[at] = indent + "z" + lines[at].lstrip()
    return "\n".join(lines)


def with_odd_leaf(text: str, seed: int) -> str:
    """JSON or XML with a leaf of our module that does not exist."""
    rng = random.Random(seed)
    if text.lstrip().startswith("{"):
        places = [at + 1 for at, mark in enumerate(text) if mark == "{" and at > text.find("overhang-access")]
        at = rng.choice(places) if places else text.index("{") + 1
        return text[:at] + f'"overhang-access:zorp-{seed}": 1, ' + text[at:]
    ends = [
        at
        for at in range(len(text))
        if (text.startswith("</", at) and text[at - 1] == "\n")
        or (text[at - 1 : at] == " " and text.startswith("</", at))
    ]
    at = rng.choice(ends) if ends else text.rindex("</")
    return text[:at] + '<zorp xmlns="urn:x">1</zorp>' + text[at:]


@pytest.mark.slow
def test_a_rewritten_doubtful_device_gives_the_same_findings() -> None:
    doubtful = possible = 0
    for seed in range(5):
        config = read(with_junk(Made(seed).text, seed), "t.sheet")
        before = said(config)
        for form, write in WRITERS.items():
            written = read(write(config), f"t.{form}")
            assert said(written) == before, (seed, form)
            assert written.fully_understood == config.fully_understood
        doubtful += not config.fully_understood
        possible += any(each[2] for each in before)
    assert doubtful >= 4
    assert possible >= 2


@pytest.mark.slow
@pytest.mark.parametrize("path", [path for path in DEMO if path.startswith("gannet")])
def test_a_doubtful_device_of_any_reader_is_rewritten_with_its_doubt(path: str) -> None:
    change = with_odd_leaf if path.endswith((".json", ".xml")) else with_junk
    unread = 0
    for seed in range(2):
        config = read(change(DEMO[path], seed + 1), path)
        unread += len(config.unread)
        for form, write in WRITERS.items():
            written = read(write(config), f"t.{form}")
            written = written._replace(profiles={**config.profiles, **written.profiles})
            assert said(written) == said(config), (path, seed, form)
    assert unread


HEADLINES = [
    ("device quay: profile entri-first\nentry console: check users\nuser lena: password withheld",
     "quay could not be fully judged (no profile is called entri-first (did you mean entry-first?), "
     "so whatever is not configured is unknown: possibly "),
    ("device quay: profile entry-first\nweb:\n    http on\n    chek users\nentry console: closed\nentry auxiliary: closed\n"
     "entry vty 0-11: closed\n", "quay could not be fully judged (a line was not understood, so it is unknown what HTTP asks"),
    ("device quay: profile entry-first\nentry console: check users\nuser lena:\n    password withheld\n    level 15\nusr omar:",
     "quay could not be fully judged; "),
]  # fmt: skip


@pytest.mark.parametrize(("text", "begins"), HEADLINES)
def test_the_headline_begins_with_what_could_not_be_judged(text: str, begins: str) -> None:
    config = read(text, "quay.sheet")
    report = report_of([audit_config(config, Project(), NOW)], Across(), NOW)
    assert verdict(report)[0].startswith(begins)
    assert "nothing found" not in verdict(report)[0].lower()


def test_one_fact_is_one_possible_finding_and_counts_unless_certain_ones_are_asked_for(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    sheet = tmp_path / "quay.sheet"
    sheet.write_text(DEMO["harbour/harbour-gate.sheet"].replace("profile entry-first", "profile entri-first"))
    assert "entri-first" in sheet.read_text()
    run = ["audit", str(sheet), "--now", "2026-06-01", "--fail-on", "medium"]
    assert main(run) == 1
    assert capsys.readouterr().out.count("possible\n") == 1
    assert main([*run, "--certain"]) == 0
    text = capsys.readouterr().out
    assert "profile-unknown  possible" in text
    assert "profile entry-first" in text
    assert "; 1 possible (1 " in text.replace("\n", " ")


@pytest.mark.slow
def test_possible_findings_hang_on_paths_that_are_not_certain() -> None:
    found = 0
    for seed in range(14):
        config = read(with_junk(Made(seed).text, seed), "t.sheet")
        context = RuleContext(resolve(config, Project()), Project(), NOW)
        for finding in run_rules(context):
            assert all(not path.sure and path.unknowns for path in finding.opens) or not finding.possible
            assert finding.possible or all(path.sure for path in finding.opens)
            found += finding.possible
        assert all(path.sure != bool(path.unknowns) for path in context.exposure.paths)
    assert found > 10


def test_what_opens_the_same_adds_nothing_to_the_headline() -> None:
    text = "entry vty 0-11:\n    check nothing\n    level 15\n    accept telnet\nentry console: closed\nentry auxiliary: closed\n"
    report = report_of([audit_config(read(text, "quay.sheet"), Project(), NOW)], Across(), NOW)
    rules = verdict(report)[0].partition(": ")[2].partition(";")[0].split(", ")
    (audit,) = report.audits
    opens = [frozenset(each.opens) for each in audit.findings if each.rule in rules]
    assert len(set(opens)) == len(opens)
    assert "it lets anyone in without a password" in verdict(report)[0]


def test_findings_across_devices_alone_are_said_to_be_across_devices() -> None:
    texts = [base_sheet().replace("pier-gate", f"pier-{number}").replace("level 15", "level 1") for number in range(5)]
    project = project_of('[networks]\noffice = ["10.64.1.0/24"]\n')
    audits = [audit_config(read(text, f"t{at}.sheet"), project, NOW) for at, text in enumerate(texts)]
    report = report_of(audits, compare_devices(audits, (), [project], NOW.date()), NOW)
    assert [each.rule for audit in report.audits for each in audit.findings] == []
    assert report.network
    assert "across devices" in verdict(report)[0]
    assert "of 5 devices have" not in verdict(report)[0]
