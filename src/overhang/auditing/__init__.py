"""The audit: rules by topic, each with a page of its own, and what they find on a device and across devices."""

from overhang.auditing.context import RuleContext
from overhang.auditing.findings import Finding, Severity
from overhang.auditing.fleet import FleetFinding, run_fleet_rules
from overhang.auditing.registry import Rule, all_rules, all_topics, rule_names, run_rules
from overhang.auditing.results import DeviceAudit, ReportedFinding
from overhang.auditing.runner import audit_config

__all__ = [
    "DeviceAudit",
    "Finding",
    "FleetFinding",
    "ReportedFinding",
    "Rule",
    "RuleContext",
    "Severity",
    "all_rules",
    "all_topics",
    "audit_config",
    "rule_names",
    "run_fleet_rules",
    "run_rules",
]
