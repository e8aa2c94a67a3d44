"""The audit for programs, as JSON; docs/audit.schema.json describes it."""

from typing import Any

from overhang import __version__
from overhang.auditing.fleet import FleetFinding
from overhang.auditing.peers import Peers, peers_of
from overhang.auditing.report import AuditReport, Change, Changed
from overhang.auditing.results import DeviceAudit, ReportedFinding
from overhang.auditing.rules.pages import Page, page_of
from overhang.report.audit_summary import not_examined, verdict
from overhang.text import Diagnostic
from overhang.text.json_text import json_text
from overhang.text.printable import Printable

#: The version of docs/audit.schema.json that a report follows. docs/output.md says what a later one may change.
SCHEMA_VERSION = 2


def audit_json(report: AuditReport) -> Printable:
    """The report as JSON."""
    return json_text(audit_value(report), long="devices")


def audit_value(report: AuditReport) -> dict[str, Any]:
    """The report as plain values."""
    value = {
        "overhang": __version__,
        "schema": SCHEMA_VERSION,
        "moment": report.moment.isoformat(),
        "verdict": verdict(report)[0],
        "devices": [_device(audit) for audit in report.audits],
        "network": [_network(each) for each in report.network],
        "network_waived": [
            {**_network(each.finding), "reason": each.reason, "until": each.until.isoformat()}
            for each in report.network_waived
        ],
        "rules": {name: _rule(page_of(name)) for name in sorted(fired(report))},
        "unreadable": [each._asdict() for each in report.unreadable],
        "not_examined": [{"what": what, "why": why, "devices": names} for what, why, names in not_examined(report)],
        "left_out": list(report.left_out),
        "summary": {
            "devices": len(report.audits),
            "findings": {severity.word: number for severity, number in report.counts.items()},
            "possible": {severity.word: number for severity, number in report.possible_counts.items()},
            "not_asked_for": report.hidden,
            "waived": sum(len(audit.waived) for audit in report.audits) + len(report.network_waived),
            "not_understood": sum(audit.unread for audit in report.audits),
            "unreadable": len(report.unreadable),
        },
    }
    peers = peers_of(report)
    if peers:
        value["peers"] = [_peers(each) for each in peers]
    if report.change is not None:
        value["change"] = _change(report.change)
    return value


def _peers(group: Peers) -> dict[str, Any]:
    return {
        "kind": group.kind,
        "site": group.site,
        "devices": group.number,
        "alike": list(group.alike),
        "others": [
            {"devices": list(odd.devices), "differences": [each._asdict() for each in odd.differences]}
            for odd in group.odd
        ],
    }


def _change(change: Change) -> dict[str, Any]:
    def listed(found: tuple[Changed, ...]) -> list[dict[str, str]]:
        return [{"device": each.device, "rule": each.rule, "severity": each.severity.word} for each in found]

    return {
        "since": change.since,
        "new": listed(change.new),
        "gone": listed(change.gone),
        "known": change.known,
        "known_left_out": change.filtered,
        "devices_added": list(change.added),
        "devices_missing": list(change.missing),
        "devices_renamed": [{"before": before, "now": now} for before, now in change.renamed],
    }


def fired(report: AuditReport) -> set[str]:
    """The rules that found something, waived or not."""
    own = {rule for audit in report.audits for each in audit.findings for rule in (each.rule, *each.also)}
    waived = {each.finding.rule for audit in report.audits for each in audit.waived}
    waived |= {each.finding.rule for each in report.network_waived}
    return own | waived | {each.rule for each in report.network}


def _rule(page: Page) -> dict[str, Any]:
    return {"title": page.title, "why": page.why, "fix": page.fix, "references": list(page.references)}


def _device(audit: DeviceAudit) -> dict[str, Any]:
    return {
        "name": audit.name,
        "file": audit.file,
        "reader": audit.reader,
        "kind": audit.kind,
        "site": audit.site,
        "profile": audit.profile,
        "profile_said": audit.profile_said,
        "checklist": [
            {"aspect": each.aspect.name.lower(), "mark": each.mark.word, "reason": each.reason}
            for each in audit.checklist
        ],
        "findings": [finding_value(finding) for finding in audit.findings],
        "waived": [
            {**finding_value(each.finding), "reason": each.reason, "until": each.until.isoformat()}
            for each in audit.waived
        ],
        "exposures": [each._asdict() for each in audit.exposures],
        "not_examined": [each._asdict() for each in audit.not_examined],
        "not_understood": [diagnostic_value(each) for each in audit.errors],
        "warnings": [diagnostic_value(each) for each in audit.warnings],
        "lines": {"understood": audit.understood, "set_nothing": audit.silent, "not_understood": audit.unread},
        "incomplete": audit.incomplete,
    }


def finding_value(finding: ReportedFinding) -> dict[str, Any]:
    """A finding as plain values."""
    return {
        "rule": finding.rule,
        "severity": finding.severity.word,
        "message": finding.message,
        "lines": [line._asdict() for line in finding.lines],
        "unsaid": [each._asdict() for each in finding.unsaid],
        "opens": [
            {
                "via": each.via,
                "from": list(each.sources),
                "anywhere": each.anywhere,
                "needs": each.needs,
                "after_login": each.after_login,
                "level": each.level,
                "servers": each.servers,
                "busy": each.busy,
                "hours": each.hours,
            }
            for each in finding.opens
        ],
        "fix": list(finding.fix),
        "phrased": finding.phrased and {"dialect": finding.phrased.language, "lines": finding.phrased.lines},
        "also": list(finding.also),
        "possible": finding.possible,
        "fingerprint": finding.fingerprint,
    }


def _network(finding: FleetFinding) -> dict[str, Any]:
    return {
        "rule": finding.rule,
        "severity": finding.severity.word,
        "message": finding.message,
        "devices": list(finding.devices),
        "lines": [{"file": file, "line": line} for file, line in finding.places],
        "fix": list(finding.fix),
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
