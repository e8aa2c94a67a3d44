"""The audit: rules by topic, each with a page of its own, and the list of them."""

from overhang.rules.case import Case
from overhang.rules.model import Finding, Severity
from overhang.rules.registry import CHECKS, RULES, TOPICS, Rule, audit

__all__ = ["CHECKS", "RULES", "TOPICS", "Case", "Finding", "Rule", "Severity", "audit"]
