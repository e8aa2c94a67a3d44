"""A filter hides, it never un-says: folding, waivers, and rules asked for alone."""

import datetime
from collections.abc import Iterable

import pytest

from overhang.api import report_of
from overhang.auditing import DeviceAudit, RuleContext, Severity, audit_config, rule_names, run_rules
from overhang.auditing.folding import Wanted, every, fold
from overhang.auditing.report import AuditReport
from overhang.auditing.rules.pages import base_sheet
from overhang.demo import demo_files
from overhang.fleet.across import compare_devices
from overhang.language import read_sheet
from overhang.project import Project
from tests.support.generator import NOW as MADE_NOW
from tests.support.generator import Made
from tests.support.rules import NOW, project_of

SHEETS = {path: data.decode() for path, data in demo_files().items() if path.endswith(".sheet")}
OPEN = "entry vty 0-11:\n    check nothing\n    level 15\n    accept telnet\nentry console: check nothing\n"


def audited(texts: Iterable[str], project: Project, wanted: Wanted = every) -> AuditReport:
    audits = [_audit(text, f"t{number}", project) for number, text in enumerate(texts)]
    return report_of(audits, compare_devices(audits, (), [project], NOW.date()), NOW, wanted=wanted)


_AUDITS: dict[tuple[str, str], tuple[Project, DeviceAudit]] = {}


def _audit(text: str, file: str, project: Project) -> DeviceAudit:
    """The audit of a text, made once however often it is reported on."""
    kept = _AUDITS.get((text, file))
    if kept is None or kept[0] is not project:
        kept = _AUDITS[text, file] = project, audit_config(read_sheet(text, file), project, NOW)
    return kept[1]


def fired(report: AuditReport) -> set[str]:
    return {each.rule for audit in report.audits for each in audit.findings} | {each.rule for each in report.network}


def test_a_rule_asked_for_alone_fires_wherever_it_does_among_others() -> None:
    """On the demo: all rules together name, as findings or folded into them, just what each finds alone."""
    project = project_of(demo_files()["overhang.toml"].decode())
    for path, text in SHEETS.items():
        report = audited([text], project)
        (audit,) = report.audits
        named = {rule for each in audit.findings for rule in (each.rule, *each.also)}
        alone = set()
        for rule in rule_names():
            found = fired(audited([text], project, lambda name, _, rule=rule: name == rule))  # type: ignore[misc]
            assert found <= {rule}
            alone |= found
        assert alone == named | {each.rule for each in report.network}, path


@pytest.mark.slow
def test_what_is_folded_is_named_and_never_worse_than_what_is_shown() -> None:
    for seed in range(120):
        raw = run_rules(RuleContext(Made(seed).resolved, project_of(""), MADE_NOW))
        folded = fold(raw)
        assert {rule for each in folded for rule in (each.rule, *each.also)} == {each.rule for each in raw}
        assert max((each.severity for each in folded), default=-1) == max((each.severity for each in raw), default=-1)
        for rule in {each.rule for each in raw}:
            own = [each for each in raw if each.rule == rule]
            assert max(each.severity for each in fold(own)) == max(each.severity for each in own)


def test_when_the_first_is_left_out_or_waived_the_next_speaks() -> None:
    def worst(report: AuditReport) -> list[tuple[str, int]]:
        return [(each.rule, each.severity) for audit in report.audits for each in audit.findings if each.severity > 3]

    free = Project()
    first = worst(audited([OPEN], free))
    assert first == [("vty-no-authentication", Severity.CRITICAL)]
    left = audited([OPEN], free, lambda rule, _: rule != "vty-no-authentication")
    assert {each.rule for audit in left.audits for each in audit.findings} >= {"telnet-accepted", "vty-from-anywhere"}
    waived = project_of('[[waivers]]\nrule = "vty-no-authentication"\nreason = "a test"\nuntil = 2031-01-01\n')
    report = audited([OPEN], waived)
    assert [each.finding.rule for audit in report.audits for each in audit.waived] == ["vty-no-authentication"]
    assert "telnet-accepted" in fired(report)


def test_findings_across_devices_can_be_waived() -> None:
    texts = [base_sheet().replace("pier-gate", f"pier-{number}") for number in range(5)]
    waiver = '[[waivers]]\nrule = "password-on-many-devices"\nreason = "one shift"\nuntil = 2031-01-01\n'
    assert "password-on-many-devices" in fired(audited(texts, project_of("")))
    report = audited(texts, project_of(waiver))
    assert fired(report) == set()
    assert {(each.finding.rule, each.reason, each.until) for each in report.network_waived} == {
        ("password-on-many-devices", "one shift", datetime.date(2031, 1, 1))
    }
    narrow = project_of(waiver.replace("reason", 'devices = "pier-1"\nreason'))
    assert fired(audited(texts, narrow)) == {"password-on-many-devices", "waiver-unused"}
