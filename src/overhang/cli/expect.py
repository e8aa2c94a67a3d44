"""Check the expectations of the project file: who must get in, who must not, and in which state of the servers."""

import argparse
import datetime
import sys

from overhang.cli.files import Skipped, add_inputs, inputs_of, read_moment
from overhang.cli.main import CLEAN, FAILED, FOUND, NOT_UNDERSTOOD, UserError
from overhang.cli.terminal import show, width, write_atomically
from overhang.exposure import ExpectationChecker, ExpectationResult, applies_to, find_paths, resolve
from overhang.project import Expectation


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of ``overhang expect``."""
    add = parser.add_argument
    add_inputs(parser)
    add("--format", choices=("text", "junit"), default="text", help="text for people (default), or JUnit XML")
    add("--output", metavar="FILE", help="write the report to a file instead of standard output")
    add("--now", metavar="DATE", help="the moment that accounts' ends are judged by (default: the clock's)")
    add("--strict", action="store_true", help="exit 3 where a device was not fully understood")


def run(options: argparse.Namespace) -> int:
    """Do it."""
    verdicts, unmatched, skipped, understood = _check(options, read_moment(options.now))
    if options.format == "junit" or options.output:
        from overhang.report.expect_text import expect_junit, expect_lines
        from overhang.report.lines import WIDEST, plain

        junit = options.format == "junit"
        text = expect_junit(verdicts, unmatched) if junit else plain(expect_lines(verdicts, unmatched, WIDEST))
        if options.output:
            write_atomically(options.output, text)
        else:
            sys.stdout.write(text)
    else:
        from overhang.report.expect_text import expect_lines

        show(expect_lines(verdicts, unmatched, width()))
    for each in skipped:
        print(f"overhang: {each.path}: {each}", file=sys.stderr)
    for expectation in unmatched:
        print(f"overhang: no device is chosen by the expectation: {expectation.say}", file=sys.stderr)
    if skipped or unmatched:
        return FAILED
    if options.strict and not understood:
        return NOT_UNDERSTOOD
    return CLEAN if all(verdict.holds for verdict in verdicts) else FOUND


def _check(
    options: argparse.Namespace, moment: datetime.datetime
) -> tuple[list[ExpectationResult], list[Expectation], list[Skipped], bool]:
    inputs = inputs_of(options)
    verdicts: list[ExpectationResult] = []
    skipped: list[Skipped] = []
    expectations: dict[Expectation, bool] = {}
    understood = True
    for config in inputs.configs(options.paths):
        if isinstance(config, Skipped):
            skipped.append(config)
            continue
        project = inputs.projects.of(config.device.file)
        chosen = [expectation for expectation in project.expectations if applies_to(expectation, config.device)]
        for expectation in project.expectations:
            expectations[expectation] = expectations.get(expectation, False) or expectation in chosen
        if chosen:
            resolved = resolve(config, project)
            understood = understood and resolved.understood
            checker = ExpectationChecker(resolved, find_paths(resolved, moment, project.servers), project, moment)
            verdicts += [checker.check(expectation) for expectation in chosen]
    inputs.tell_left_out()
    if not expectations and not skipped:
        raise UserError("no expectations: a project file beside the devices says them, under [[expect]]")
    order = list(expectations)
    verdicts.sort(key=lambda verdict: order.index(verdict.expectation))
    return verdicts, [expectation for expectation, met in expectations.items() if not met], skipped, understood
