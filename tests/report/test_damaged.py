"""Damaged and hostile sheets: nothing raises, and every report keeps its width and has its sentences filled in."""

import csv
import io
import json
import random
import re

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from overhang.auditing.report import AuditReport
from overhang.auditing.runner import audit_config
from overhang.exposure import find_paths
from overhang.language import read_sheet
from overhang.model import parse_address
from overhang.profiles import BUILTIN
from overhang.project import Project
from overhang.report.audit_html import audit_html
from overhang.report.audit_json import audit_json
from overhang.report.audit_sarif import audit_sarif
from overhang.report.audit_tables import audit_csv, audit_junit, audit_markdown
from overhang.report.audit_text import audit_lines
from overhang.report.lines import plain
from overhang.report.login_text import login_lines
from overhang.report.ways_text import DeviceWays, ways_lines
from overhang.simulation import Attempt, ResolvedDevice, decide
from overhang.text.json_text import escape_json
from tests.support.generator import NOW, SOURCES, WAYS, Made


def damaged(text: str, chance: random.Random) -> str:
    lines = text.split("\n")
    for _ in range(chance.choice((0, 1, 3, 8))):
        place = chance.randrange(len(lines))
        line = lines[place]
        if line.strip():
            at = chance.randrange(len(line))
            lines[place] = (
                line[:at] + chance.choice(("x", "", "'", '"', ":", "#", "  ")) + line[at + chance.choice((0, 1)) :]
            )
    return "\n".join(lines)


@pytest.mark.slow
@given(st.integers(0, 10**9))
@settings(max_examples=22, deadline=None, derandomize=True, suppress_health_check=list(HealthCheck), database=None)
def test_damaged_sheets_are_answered(seed: int) -> None:
    made = Made(seed)
    chance = random.Random(seed)
    sheet = read_sheet(damaged(made.text, chance), "t.sheet")
    profiles = {**BUILTIN, "made": made.profile}
    resolved = ResolvedDevice(sheet.device, profiles, all_read=sheet.fully_understood)
    audited = audit_config(sheet, Project(profiles=profiles), NOW)
    report = AuditReport((audited,), (), (), NOW)
    reports = [plain(audit_lines(report, 100, long=long)) for long in (True, False)]
    for written in (audit_json, audit_csv, audit_junit, audit_markdown, audit_sarif, audit_html):
        assert "password readable boat" not in written(report)
    found = find_paths(resolved, NOW, made.held)
    device = DeviceWays("t", "t.sheet", found, found.paths, resolved.understood)
    reports.append(plain(ways_lines([device], 0, 100)))
    for _ in range(6):
        attempt = Attempt(
            chance.choice(WAYS),
            NOW,
            chance.choice((None, parse_address(chance.choice(SOURCES)))),
            name=chance.choice((None, "lena", "nobody")),
            passwords=chance.choice(((), ("boat",), ("a", "b", "c", "d"))),
            elevate=chance.choice((None, 3, 15)),
        )
        reports.append(plain(login_lines(sheet, resolved, attempt, decide(resolved, attempt).result, 100)))
    for text in reports:
        assert max(map(len, text.splitlines())) <= 100, text
        assert "{" not in text.replace(sheet.device.name, "")


@pytest.mark.parametrize(
    ("name", "cell", "markdown"),
    [
        ("quay", "quay", "quay"),
        ("=a", "'=a", "=a"),
        (" \u00a0+a", "' \u00a0+a", " \u00a0+a"),
        ("\uff1da", "'\uff1da", "\uff1da"),
        ("a\x85b\u202e", "a\\x85b\\u202e", "a\\\\x85b\\\\u202e"),
        ("https://a.example", "https://a.example", "https\\://a.example"),
        ("www.a.example", "www.a.example", "www\\.a.example"),
        ("a\x7f\U000e0041b", "a\\x7f\\ue0041b", "a\\\\x7f\\\\ue0041b"),
        ("a@b.example", "a@b.example", "a\\@b.example"),
    ],
)
def test_foreign_text_is_safe_where_it_is_shown(name: str, cell: str, markdown: str) -> None:
    config = read_sheet(f'device "{name}":\nentry console: check nothing\n', "a.sheet")
    report = AuditReport((audit_config(config, Project(), NOW),), (), (), NOW)
    assert config.device.name == name
    assert cell in [row[2] for row in csv.reader(io.StringIO(audit_csv(report)))]
    assert f"| {markdown} |" in audit_markdown(report)
    for written in (audit_json(report), audit_sarif(report)):
        assert not re.search("[\x7f-\x9f\u202e]", written)
    assert json.loads(audit_json(report))["devices"][0]["name"] == name
    assert json.loads(escape_json(json.dumps(name, ensure_ascii=False))) == name
