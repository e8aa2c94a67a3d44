"""The audit: rules by topic, each with a page of its own, and the list of them."""

from overhang.audit.context import RuleContext
from overhang.audit.findings import Finding, Severity
from overhang.audit.registry import CHECKS, RULES, TOPICS, Rule, audit

__all__ = ["CHECKS", "RULES", "TOPICS", "RuleContext", "Finding", "Rule", "Severity", "audit"]
