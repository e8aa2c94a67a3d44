"""The audit for programs."""

import json
from collections.abc import Sequence
from typing import Any

from overhang import __version__
from overhang.report.audit_text import Unreadable
from overhang.rules.device_audit import DeviceAudit, Shown
from overhang.rules.model import Severity
from overhang.text import Diagnostic


def audit_json(audits: Sequence[DeviceAudit], unreadable: Sequence[Unreadable]) -> str:
    """The report as JSON; docs/output.md describes it."""
    findings = [finding for audit in audits for finding in audit.findings]
    value = {
        "overhang": __version__,
        "devices": [_device(audit) for audit in audits],
        "unreadable": [each._asdict() for each in unreadable],
        "summary": {
            "devices": len(audits),
            "findings": {
                severity.word: sum(each.severity == severity for each in findings) for severity in reversed(Severity)
            },
            "not_understood": sum(audit.unread for audit in audits),
            "unreadable": len(unreadable),
        },
    }
    return json.dumps(value, indent=2, ensure_ascii=False) + "\n"


def _device(audit: DeviceAudit) -> dict[str, Any]:
    return {
        "name": audit.name,
        "file": audit.file,
        "kind": audit.kind,
        "site": audit.site,
        "profile": audit.profile,
        "profile_said": audit.profile_said,
        "findings": [_finding(finding) for finding in audit.findings],
        "not_understood": [diagnostic_value(each) for each in audit.errors],
        "warnings": [diagnostic_value(each) for each in audit.warnings],
        "lines": {"understood": audit.understood, "not_understood": audit.unread},
    }


def _finding(finding: Shown) -> dict[str, Any]:
    return {
        "rule": finding.rule,
        "severity": finding.severity.word,
        "message": finding.message,
        "lines": [line._asdict() for line in finding.lines],
        "unsaid": [each._asdict() for each in finding.unsaid],
    }


def diagnostic_value(each: Diagnostic) -> dict[str, Any]:
    """A diagnostic as JSON shows it."""
    return {
        "file": each.span.file,
        "line": each.span.line,
        "column": each.span.column,
        "text": each.text,
        "message": each.message,
        "hint": each.hint or None,
    }
