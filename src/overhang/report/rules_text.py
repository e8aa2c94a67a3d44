"""The rules for people: a list by topic, and a page for each."""

from collections.abc import Iterator, Sequence

from overhang.auditing import Rule, all_topics
from overhang.auditing.rules.pages import Page
from overhang.report.lines import Line, count, cut, wrap


def rules_lines(rules: Sequence[Rule], pages: Sequence[Page]) -> Iterator[Line]:
    """A line for each rule, under its topic."""
    widest = max(len(rule.name) for rule in rules)
    titles = {page.name: page.title for page in pages}
    yield [(count(len(rules), "rule"), "bold"), ("; overhang rules RULE explains one", "")]
    for topic in (each.title for each in all_topics()):
        yield []
        yield [(topic, "said")]
        for rule in rules:
            if rule.topic == topic:
                yield [(f"  {rule.name:<{widest}}", "bold"), (f"  {titles[rule.name]}", "")]


def rule_lines(rule: Page, width: int) -> Iterator[Line]:
    """The page of a rule."""
    yield [(rule.name, "bold"), (f": {rule.title}", "")]
    source = {"ways in": "from the access paths that it opens", "lock-out": "from who is locked out, and when"}
    words = " or ".join(source.get(each, each) for each in rule.severity.split(" or "))
    yield [("severity: ", "dim"), (words, "")]
    for head, text in (
        ("The risk", rule.why),
        ("When it fires", rule.looks_for),
        ("Fix", rule.fix),
        ("Who loses access", rule.takes),
    ):
        if not text:
            continue
        yield []
        yield [(head, "bold")]
        for line in wrap(text, width - 2):
            yield [("  " + line, "")]
    over = "" if rule.whole else ", added to the base sheet"
    for head, style, sample in (
        (f"Example that fires{over}", "high", rule.fails),
        (f"Example that does not{over}", "good", rule.passes),
        ("With this in the project file", "bold", rule.project),
    ):
        if not sample:
            continue
        yield []
        yield [(head, style)]
        for line in sample.splitlines():
            yield [("  " + cut(line, width - 2), "code")]
    yield []
    yield [("References", "bold")]
    for line in wrap("; ".join(rule.references), width - 2):
        yield [("  " + line, "")]


def rules_tables(rules: Sequence[Rule], pages: Sequence[Page]) -> str:
    """A Markdown table for each topic: docs/rules.md holds them, and a test compares."""
    by_name = {page.name: page for page in pages}
    parts = []
    for topic in (each.title for each in all_topics()):
        rows = [by_name[rule.name] for rule in rules if rule.topic == topic]
        lines = [f"| `{page.name}` | {page.title} | {page.looks_for} | {page.severity} |" for page in rows]
        heading = topic if topic[:2].isupper() else topic.capitalize()
        parts.append(
            "\n".join(
                [
                    f"## {heading}",
                    "",
                    "| rule | what it says | what it looks for | severity |",
                    "|---|---|---|---|",
                    *lines,
                ]
            )
        )
    return "\n\n".join(parts) + "\n"
