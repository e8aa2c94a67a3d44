"""The audit: rules, each in a file of its own, and the list of them.

The list is explicit and sorted by name; a test holds it against the files and the pages.
"""

from overhang.rules import (
    any_source,
    asks_unset,
    banner,
    dead_readable,
    idle,
    never_asked,
    no_secret,
    port_open,
    same_password,
    ssh_key,
    ssh_version,
    stored_readable,
    telnet,
    vty_weaker,
)
from overhang.rules.case import Case
from overhang.rules.model import Finding, Rule, Severity

RULES: tuple[Rule, ...] = tuple(
    sorted(
        (
            any_source.RULE,
            asks_unset.RULE,
            banner.RULE,
            dead_readable.RULE,
            idle.RULE,
            never_asked.RULE,
            no_secret.RULE,
            port_open.RULE,
            same_password.RULE,
            ssh_key.RULE,
            ssh_version.RULE,
            stored_readable.RULE,
            telnet.RULE,
            vty_weaker.RULE,
        ),
        key=lambda rule: rule.name,
    )
)


def audit(case: Case) -> list[Finding]:
    """All findings of all rules about a device, worst first, then by rule and line."""
    findings = [finding for rule in RULES for finding in rule.check(case)]
    return sorted(findings, key=lambda each: (-each.severity, each.rule, each.lines))


__all__ = ["RULES", "Case", "Finding", "Rule", "Severity", "audit"]
