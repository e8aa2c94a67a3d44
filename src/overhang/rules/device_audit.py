"""The audit of one sheet, as a value that no longer needs the sheet: what reports are made from."""

import datetime
from typing import NamedTuple

from overhang.login import Setting
from overhang.profiles import KEYS
from overhang.project import Project
from overhang.rules import Case, audit
from overhang.rules.model import Severity
from overhang.sheet import Sheet
from overhang.text import Diagnostic, Level


class Quoted(NamedTuple):
    """A line of a sheet, its secrets struck out."""

    file: str
    line: int
    text: str


class Unsaid(NamedTuple):
    """What a profile means by silence."""

    profile: str
    key: str
    value: str


class Shown(NamedTuple):
    """A finding with its proof quoted."""

    rule: str
    severity: Severity
    message: str
    lines: tuple[Quoted, ...]
    unsaid: tuple[Unsaid, ...]


class DeviceAudit(NamedTuple):
    """What the audit says of one device. ``profile`` is None where it is not known; ``profile_said``: it is said.

    ``errors`` are the located reasons why lines were not understood; ``unread`` counts those lines, ``understood`` the
    others. ``warnings`` are remarks on lines that were understood.
    """

    name: str
    file: str
    kind: str | None
    site: str | None
    profile: str | None
    profile_said: bool
    findings: tuple[Shown, ...]
    errors: tuple[Diagnostic, ...]
    warnings: tuple[Diagnostic, ...]
    understood: int
    unread: int

    @property
    def worst(self) -> int:
        """The worst severity, -1 without findings."""
        return max((finding.severity for finding in self.findings), default=-1)

    @property
    def rank(self) -> tuple[object, ...]:
        """Sorts devices worst first."""
        counts = [-sum(each.severity == severity for each in self.findings) for severity in reversed(Severity)]
        return (*counts, -self.unread, self.name, self.file)


def audit_sheet(
    sheet: Sheet, project: Project, moment: datetime.datetime, at_least: Severity = Severity.INFO
) -> DeviceAudit:
    """Audit a sheet under a project file, by the clock of ``moment``; findings below ``at_least`` are left out."""
    device = sheet.device
    setting = Setting(device, project.profiles, all_read=sheet.fully_understood)
    shown = []
    for finding in audit(Case(setting, project, moment)):
        if finding.severity < at_least:
            continue
        lines = tuple(Quoted(origin.file, origin.line, sheet.quote(origin.line)) for origin in finding.lines)
        unsaid = tuple(
            Unsaid(each.profile, each.key, KEYS[each.key].show(setting.facts[each.key].value))
            for each in finding.unsaid
        )
        shown.append(Shown(finding.rule, finding.severity, finding.message, lines, unsaid))
    facts = device.facts
    return DeviceAudit(
        device.name,
        device.file,
        facts.kind.value if facts.kind else None,
        facts.site.value if facts.site else None,
        setting.profile_name,
        facts.profile is not None,
        tuple(shown),
        tuple(each for each in sheet.diagnostics if each.level is Level.ERROR),
        tuple(each for each in sheet.diagnostics if each.level is Level.WARNING),
        sheet.understood,
        len(sheet.unread),
    )
