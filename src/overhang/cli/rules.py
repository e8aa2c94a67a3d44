"""List the audit rules, or explain one: the risk, when it fires, the fix, examples."""

import argparse

from overhang.auditing import all_rules, rule_names
from overhang.auditing.rules.pages import base_sheet, page_of
from overhang.cli.errors import CLEAN, UserError
from overhang.cli.terminal import show, width, write_data
from overhang.report.rules_text import rule_lines, rules_lines
from overhang.text import did_you_mean


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of ``overhang rules``."""
    parser.add_argument("--base", action="store_true", help="print the base sheet that the samples are added to")
    parser.add_argument("rule", nargs="?", metavar="RULE", help="the rule to explain; without it, all are listed")


def run(options: argparse.Namespace) -> int:
    """Do it."""
    if options.base:
        write_data(base_sheet())
        return CLEAN
    if options.rule is None:
        show(rules_lines(all_rules(), [page_of(name) for name in rule_names()]))
        return CLEAN
    rule = next((rule for rule in all_rules() if rule.name == options.rule), None)
    if rule is None:
        near = did_you_mean(options.rule, rule_names())
        hint = f"did you mean {near}?" if near else "overhang rules lists them"
        raise UserError(f"no rule is called {options.rule}; {hint}")
    show(rule_lines(page_of(rule.name), width()))
    return CLEAN
