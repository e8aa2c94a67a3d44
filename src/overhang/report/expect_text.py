"""Expectations for people and for build servers."""

from collections.abc import Iterator, Sequence

from overhang.exposure import ExpectationResult
from overhang.model.vocabulary import PORTS, way_label
from overhang.project import Expectation
from overhang.report.junit import Suites
from overhang.report.lines import Line, count, cut, safe, wrap
from overhang.simulation.wording import place_of
from overhang.text.printable import Printable


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
        yield [("Some expectations match no device", "high")]
    else:
        yield [("All expectations hold", "good")]
    yield []
    for verdict in failed:
        yield from _failure(verdict, width)
    for expectation in unmatched:
        yield [("ERROR  ", "high"), (cut(expectation.say, width - 8), "bold")]
        yield [("       no device matches this expectation, so it proves nothing", "")]
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
        place = place_of(step.origin)
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
    to = f" to {attempt.destination}" if attempt.destination is not None else ""
    time = f", during {', '.join(sorted(each.text for each in attempt.during))}" if attempt.during else ""
    level = f" at level {result.level}" if result.level is not None else ""
    return f"{way}{source}{to}{name}{knows}{busy}{down}{time}: {result.outcome}{level}, because {result.reason}"


def tally(verdicts: Sequence[ExpectationResult], unmatched: Sequence[Expectation]) -> str:
    """One line that a person can quote."""
    failed = [verdict for verdict in verdicts if not verdict.holds]
    expectations = len({verdict.expectation for verdict in verdicts}) + len(unmatched)
    holding = expectations - len({verdict.expectation for verdict in failed}) - len(unmatched)
    text = f"{holding} of {expectations:,} expectations hold"
    text += f", checked {count(len(verdicts), 'time')} on {count(len({each.file for each in verdicts}), 'device')}"
    return text + (f"; {len(unmatched)} matching no device" if unmatched else "")


def expect_junit(verdicts: Sequence[ExpectationResult], unmatched: Sequence[Expectation]) -> Printable:
    """JUnit XML: a suite for each expectation, a case for each device."""
    by_claim: dict[Expectation, list[ExpectationResult]] = {expectation: [] for expectation in unmatched}
    for verdict in verdicts:
        by_claim.setdefault(verdict.expectation, []).append(verdict)
    failures = sum(not verdict.holds for verdict in verdicts)
    tests = len(verdicts) + len(unmatched)
    suites = Suites("overhang expect", tests=tests, failures=failures, errors=len(unmatched))
    for expectation, cases in by_claim.items():
        failed = sum(not each.holds for each in cases)
        counts = {"tests": len(cases) or 1, "failures": failed, "errors": 0 if cases else 1}
        suite = suites.suite(expectation.say, counts)
        if not cases:
            suite.case("no device", expectation.say, "error", {"message": "no device matches this expectation"})
        for each in cases:
            if each.holds:
                suite.case(each.device, expectation.say, file=each.file)
                continue
            steps = each.result.trace if each.result else ()
            detail = "\n".join([how(each), *(f"{step.reason} ({place_of(step.origin)})" for step in steps)])
            suite.case(each.device, expectation.say, "failure", {"message": each.why}, detail, file=each.file)
    return suites.text()
