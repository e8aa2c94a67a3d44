"""The rules for people: a list, and a page for each."""

from collections.abc import Iterator, Sequence

from overhang.report.lines import Line, count, cut, wrap
from overhang.rules.model import Rule


def rules_lines(rules: Sequence[Rule]) -> Iterator[Line]:
    """A line for each rule."""
    widest = max(len(rule.name) for rule in rules)
    yield [(count(len(rules), "rule"), "bold"), ("; overhang rules RULE explains one", "")]
    yield []
    for rule in rules:
        yield [(f"{rule.name:<{widest}}", "bold"), (f"  {rule.title}", "")]


def rule_lines(rule: Rule, width: int) -> Iterator[Line]:
    """The page of a rule."""
    yield [(rule.name, "bold"), (f": {rule.title}", "")]
    for head, text in (
        ("Why it matters", rule.why),
        ("What it looks for", rule.looks_for),
        ("How to fix it", rule.remedy),
    ):
        yield []
        yield [(head, "bold")]
        for line in wrap(text, width - 2):
            yield [("  " + line, "")]
    for head, style, sample in (
        ("A sheet that fails", "high", rule.fails),
        ("A sheet that passes", "good", rule.passes),
    ):
        yield []
        yield [(head, style)]
        for line in sample.splitlines():
            yield [("  " + cut(line, width - 2), "code")]
    yield []
    yield [("References", "bold")]
    yield [("  " + "; ".join(rule.references), "")]
