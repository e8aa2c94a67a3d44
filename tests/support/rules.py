"""What tests of the rules share: the clock, the audit of a text, and the samples of the rules' pages."""

import datetime
import tempfile
from functools import cache
from pathlib import Path

from overhang.auditing import DeviceAudit, Finding, FleetFinding, RuleContext, audit_config, run_fleet_rules, run_rules
from overhang.auditing.folding import fold, shown
from overhang.auditing.rules.pages import Page, base_sheet
from overhang.language import read_sheet
from overhang.model.hash_budget import share_of
from overhang.profiles import BUILTIN, KEYS, derive
from overhang.profiles.builtin import DEFAULT
from overhang.project import Project, read_project
from overhang.simulation import ResolvedDevice

NOW = datetime.datetime(2026, 6, 1, tzinfo=datetime.UTC)
SEVERITIES = ("info", "low", "medium", "high", "critical")


@cache
def project_of(text: str) -> Project:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "overhang.toml"
        path.write_text(text, encoding="utf-8")
        return read_project(str(path))._replace(file="overhang.toml")


@cache
def case_of(text: str, project: str = "", **changes: str) -> tuple[RuleContext, list[Finding]]:
    """A sheet before the rules, and what they find; ``changes`` are of the default profile."""
    sheet = read_sheet(text, "t")
    assert not sheet.unread, [str(each) for each in sheet.diagnostics]
    profiles = dict(BUILTIN)
    profiles[DEFAULT] = derive(DEFAULT, BUILTIN[DEFAULT], {k.replace("_", "-"): v for k, v in changes.items()}, KEYS)
    held = project_of(project)
    hashes = share_of(held.thresholds.guess, 1)
    case = RuleContext(ResolvedDevice(sheet.device, profiles, hashes=hashes), held, NOW)
    return case, fold(run_rules(case))


def of(rule: str, text: str, **changes: str) -> list[Finding]:
    return [finding for finding in case_of(text, "", **changes)[1] if finding.rule == rule]


def run_of(page: Page, sample: str, project: str) -> tuple[list[DeviceAudit], list[FleetFinding]]:
    """The audit of a page's sample with the devices that stand beside it."""
    held = project_of(project)
    texts = [page.sheet(sample)] + [base_sheet().replace("pier-gate", f"pier-{number}") for number in range(page.fleet)]
    audits = [audit_config(read_sheet(text, f"t{number}"), held, NOW) for number, text in enumerate(texts)]
    network, _ = run_fleet_rules(audits, [held], NOW.date())
    return [shown(audit) for audit in audits], network


def told(audits: list[DeviceAudit], network: list[FleetFinding]) -> list[str]:
    return [each.rule for one in audits for each in one.findings] + [each.rule for each in network]
