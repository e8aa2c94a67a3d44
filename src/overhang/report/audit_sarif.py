"""The audit as SARIF 2.1.0 (OASIS), for code hosting and build servers."""

import os
from typing import Any
from urllib.parse import quote

from overhang import __version__
from overhang.auditing import all_rules
from overhang.auditing.findings import Severity
from overhang.auditing.fleet import FleetFinding
from overhang.auditing.report import AuditReport
from overhang.auditing.results import DeviceAudit, ReportedFinding
from overhang.auditing.rules.pages import Page, page_of
from overhang.report.audit_summary import not_examined, own_lines
from overhang.report.opened import opened_phrases
from overhang.text.json_text import json_text
from overhang.text.printable import Printable

_LEVELS = {
    Severity.CRITICAL: "error",
    Severity.HIGH: "error",
    Severity.MEDIUM: "warning",
    Severity.LOW: "note",
    Severity.INFO: "note",
}
#: Ranks from 0 to 100 (SARIF 2.1.0 section 3.27.25).
_RANKS = {Severity.CRITICAL: 95.0, Severity.HIGH: 80.0, Severity.MEDIUM: 55.0, Severity.LOW: 30.0, Severity.INFO: 10.0}


def audit_sarif(report: AuditReport) -> Printable:
    """The report as SARIF; every rule that fired is described."""
    results = [_result(audit, finding, None) for audit in report.audits for finding in audit.findings] + [
        _result(audit, each.finding, f"until {each.until}: {each.reason}")
        for audit in report.audits
        for each in audit.waived
    ]
    results += [_across(each, None) for each in report.network]
    results += [_across(each.finding, f"until {each.until}: {each.reason}") for each in report.network_waived]
    fired = {result["ruleId"] for result in results}
    topics = {rule.name: rule.topic for rule in all_rules()}
    notes = [
        {
            "level": "warning",
            "message": {"text": f"not examined: {what}: {why}" + (f" ({', '.join(names)})" if names else "")},
        }
        for what, why, names in not_examined(report)
    ]
    run = {
        "tool": {
            "driver": {
                "name": "Overhang",
                "semanticVersion": __version__,
                "rules": [_rule(page_of(name), topics[name]) for name in sorted(fired)],
            }
        },
        "columnKind": "unicodeCodePoints",
        "invocations": [{"executionSuccessful": not report.unreadable, "toolExecutionNotifications": notes}],
        "results": results,
    }
    return json_text({"version": "2.1.0", "runs": [run]}, long="results")


def _rule(page: Page, topic: str) -> dict[str, Any]:
    return {
        "id": page.name,
        "shortDescription": {"text": page.title},
        "fullDescription": {"text": page.why},
        "help": {
            "text": f"{page.why}\n\nFires when: {page.looks_for}\n\nFix: {page.fix}\n\n{'; '.join(page.references)}"
        },
        "properties": {"tags": ["security", topic, *page.references]},
    }


def _result(audit: DeviceAudit, finding: ReportedFinding, waived: str | None) -> dict[str, Any]:
    opened = opened_phrases(finding.opens)
    own = own_lines(audit, finding)
    lines = [(each.file, each.line) for each in own] or [(audit.file, 1)]
    result: dict[str, Any] = {
        "ruleId": finding.rule,
        "level": _LEVELS[finding.severity],
        "rank": _RANKS[finding.severity],
        "message": {"text": f"{audit.name}: {finding.message}"},
        "locations": [_location(*lines[0], own[0].text if own else None)],
        "relatedLocations": [
            {**_location(*line), "id": number, "message": {"text": "this line is part of it"}}
            for number, line in enumerate(lines[1:], 1)
        ],
        "partialFingerprints": {"overhang/v2": finding.fingerprint},
        "properties": {
            "severity": finding.severity.word,
            "possible": finding.possible,
            "also": list(finding.also),
            "opens": opened,
            "fix": list(finding.preferred_fix),
        },
    }
    return _suppressed(result, waived)


def _across(finding: FleetFinding, waived: str | None) -> dict[str, Any]:
    result: dict[str, Any] = {
        "ruleId": finding.rule,
        "level": _LEVELS[finding.severity],
        "rank": _RANKS[finding.severity],
        "message": {"text": finding.message},
        "locations": [_location(file, line) for file, line in finding.places],
    }
    return _suppressed(result, waived)


def _suppressed(result: dict[str, Any], waived: str | None) -> dict[str, Any]:
    if waived is not None:
        result["suppressions"] = [{"kind": "external", "status": "accepted", "justification": waived}]
    return result


def _location(file: str, line: int, text: str | None = None) -> dict[str, Any]:
    region: dict[str, Any] = {"startLine": max(1, line)}
    if text is not None:
        region["snippet"] = {"text": text}
    return {"physicalLocation": {"artifactLocation": {"uri": _uri(file)}, "region": region}}


def _uri(file: str) -> str:
    path = file.replace(os.sep, "/")
    return ("file://" if path.startswith("/") else "") + quote(os.fsencode(path))
