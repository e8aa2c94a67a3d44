"""Expectations for people and for build servers."""

from collections.abc import Iterator, Sequence
from xml.sax.saxutils import escape, quoteattr

from overhang.exposure import ExpectationResult
from overhang.model.vocabulary import PORTS, way_label
from overhang.project import Expectation
from overhang.report.lines import Line, count, cut, safe, wrap
from overhang.report.login_text import where


def expect_lines(verdicts: Sequence[ExpectationResult], unmatched: Sequence[Expectation], width: int) -> Iterator[Line]:
    """What fails and why, then a tally."""
    failed = [verdict for verdict in verdicts if not verdict.holds]
    if failed:
        yield [
            (
                count(len({verdict.expectation.say for verdict in failed}), "expectation does", "expectations do")
                + " not hold",
                "high",
            )
        ]
    elif unmatched:
        yield [("Some expectations are about no device", "high")]
    else:
        yield [("All expectations hold", "good")]
    yield []
    for verdict in failed:
        yield from _failure(verdict, width)
    for expectation in unmatched:
        yield [("ERROR  ", "high"), (cut(expectation.say, width - 8), "bold")]
        yield [("       no device is chosen by this claim, so it proves nothing", "")]
        yield []
    yield [(tally(verdicts, unmatched), "")]


def _failure(verdict: ExpectationResult, width: int) -> Iterator[Line]:
    lines = wrap(verdict.expectation.say, width - 7)
    yield [("FAILS  ", "high"), (lines[0], "bold")]
    for line in lines[1:]:
        yield [("       " + line, "bold")]
    yield [(f"       on {cut(verdict.device, 40)}", ""), (f"  {cut(verdict.file, 50)}", "dim")]
    for line in wrap(f"{verdict.why}: {how(verdict)}" if verdict.attempt else verdict.why, width - 7):
        yield [("       " + line, "")]
    for step in verdict.result.trace if verdict.result else ():
        place = where(step.origin)
        for number, line in enumerate(wrap(step.reason, width - 11 - len(place) - 2)):
            yield [("         ", ""), (line, "")] + ([("  " + place, "dim")] if number == 0 else [])
    yield []


def how(verdict: ExpectationResult) -> str:
    """The attempt that shows a failure, in words, and how it ends."""
    attempt, result = verdict.attempt, verdict.result
    if attempt is None or result is None:
        return verdict.why
    way = f"at the {attempt.via}" if attempt.via in PORTS else f"by {way_label(attempt.via)}"
    source = f" from {attempt.source}" if attempt.source is not None else ""
    name = f" as {safe(attempt.name)}" if attempt.name is not None else ""
    knows = f", knowing {safe(', '.join(sorted(attempt.knows)))}" if attempt.knows else ", knowing nothing"
    busy = f", VTYs {min(attempt.busy)}-{max(attempt.busy)} busy" if attempt.busy else ""
    down = f", with {', '.join(sorted(attempt.down))} down" if attempt.down else ""
    level = f" at level {result.level}" if result.level is not None else ""
    return f"{way}{source}{name}{knows}{busy}{down}: {result.outcome}{level}, because {result.reason}"


def tally(verdicts: Sequence[ExpectationResult], unmatched: Sequence[Expectation]) -> str:
    """One line that a person can quote."""
    failed = [verdict for verdict in verdicts if not verdict.holds]
    expectations = len({verdict.expectation for verdict in verdicts}) + len(unmatched)
    holding = expectations - len({verdict.expectation for verdict in failed}) - len(unmatched)
    text = f"{holding} of {expectations:,} expectations hold"
    text += f", checked {count(len(verdicts), 'time')} on {count(len({each.file for each in verdicts}), 'device')}"
    return text + (f"; {len(unmatched)} about no device" if unmatched else "")


def expect_junit(verdicts: Sequence[ExpectationResult], unmatched: Sequence[Expectation]) -> str:
    """JUnit XML: a suite for each claim, a case for each device."""
    suites: dict[Expectation, list[ExpectationResult]] = {expectation: [] for expectation in unmatched}
    for verdict in verdicts:
        suites.setdefault(verdict.expectation, []).append(verdict)
    failures = sum(not verdict.holds for verdict in verdicts)
    lines = [
        '<?xml version="1.0" encoding="UTF-8"?>',
        f'<testsuites name="overhang expect" tests="{len(verdicts) + len(unmatched)}" failures="{failures}" '
        f'errors="{len(unmatched)}">',
    ]
    for expectation, cases in suites.items():
        failed = sum(not each.holds for each in cases)
        errors = 0 if cases else 1
        lines.append(
            f'  <testsuite name={_attribute(expectation.say)} tests="{len(cases) + errors}" failures="{failed}" '
            f'errors="{errors}">'
        )
        if not cases:
            lines.append(f'    <testcase name="no device" classname={_attribute(expectation.say)}>')
            lines.append('      <error message="no device is chosen by this claim"/>')
            lines.append("    </testcase>")
        for each in cases:
            head = f"    <testcase name={_attribute(each.device)} classname={_attribute(expectation.say)}"
            head += f" file={_attribute(each.file)}"
            if each.holds:
                lines.append(head + "/>")
                continue
            trace = (
                "\n".join(f"{step.reason} ({where(step.origin)})" for step in each.result.trace) if each.result else ""
            )
            lines.append(head + ">")
            lines.append(
                f"      <failure message={_attribute(each.why)}>{escape(safe_lines(how(each), trace))}</failure>"
            )
            lines.append("    </testcase>")
        lines.append("  </testsuite>")
    return "\n".join([*lines, "</testsuites>", ""])


def safe_lines(*texts: str) -> str:
    """Texts, one under another, without what XML cannot hold."""
    return "\n".join(safe(line) for text in texts for line in text.split("\n"))


def _attribute(text: str) -> str:
    return quoteattr(safe(text))
