"""The findings of many devices as data for the page's own script: each text once, and all of it compressed.

A page of thousands of devices shows the findings of one when it is asked for; until then they take no room.
"""

import base64
import json
import zlib
from typing import Any

from overhang.auditing.report import AuditReport
from overhang.auditing.results import DeviceAudit, ReportedFinding
from overhang.report.opened import opened_phrases
from overhang.text.printable import safe


class _Texts:
    """Texts by their number, each made safe and kept once."""

    def __init__(self) -> None:
        self._numbers: dict[str, int] = {}
        self.all: list[str] = []

    def __call__(self, text: str) -> int:
        number = self._numbers.get(text)
        if number is None:
            number = self._numbers[text] = len(self.all)
            self.all.append(safe(text))
        return number


def details(report: AuditReport) -> str:
    """The devices' findings: zlib-compressed JSON in base64, an object of ``texts`` and ``devices``."""
    texts = _Texts()
    devices = [_device(audit, texts) for audit in report.audits]
    value = json.dumps({"texts": texts.all, "devices": devices}, ensure_ascii=False, separators=(",", ":"))
    # the next two levels make it a fiftieth smaller, and take twice the time each
    return base64.b64encode(zlib.compress(value.encode("utf-8", "backslashreplace"), 7)).decode()


def _device(audit: DeviceAudit, texts: _Texts) -> list[Any]:
    about = ", ".join(filter(None, (audit.kind, audit.site)))
    notes = [f"waived until {each.until}: {each.finding.rule}: {each.reason}" for each in audit.waived]
    notes += [f"not examined: {each.what}: {each.why}" for each in audit.not_examined]
    notes += [f"line {each.span.line} was not understood: {each.message}" for each in audit.errors]
    reasons = [texts(f"{each.aspect.title}: {each.mark.word}, {each.reason}") for each in audit.checklist]
    findings = [_finding(audit, each, texts) for each in audit.findings]
    return [texts(audit.name), texts(f"{about} · {audit.file}"), reasons, findings, [texts(each) for each in notes]]


def _finding(audit: DeviceAudit, finding: ReportedFinding, texts: _Texts) -> list[Any]:
    lines = [f"{each.line:>5}  {each.text}" if each.file == audit.file else str(each.text) for each in finding.lines]
    lines += [f"profile {each.profile}: {each.key} is {each.value}" for each in finding.unsaid]
    return [
        texts(finding.rule),
        int(finding.severity),
        int(finding.possible),
        texts(finding.message),
        [texts(each) for each in opened_phrases(finding.opens)[:3]],
        [texts(each) for each in lines],
        [texts(each) for each in finding.preferred_fix],
    ]
