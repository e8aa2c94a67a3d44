"""Check the expectations of the project file: who must get in, who must not, and in which state of the servers."""

import argparse
import datetime
import sys

from overhang.cli.files import Skipped, add_inputs, inputs_of, read_moment
from overhang.cli.main import CLEAN, FAILED, FOUND, NOT_UNDERSTOOD, UserError
from overhang.cli.terminal import show, width, write_atomically
from overhang.login import setting_of
from overhang.project import Claim
from overhang.ways import Checker, Verdict, chooses, find_ways


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
    for claim in unmatched:
        print(f"overhang: no device is chosen by the expectation: {claim.say}", file=sys.stderr)
    if skipped or unmatched:
        return FAILED
    if options.strict and not understood:
        return NOT_UNDERSTOOD
    return CLEAN if all(verdict.holds for verdict in verdicts) else FOUND


def _check(
    options: argparse.Namespace, moment: datetime.datetime
) -> tuple[list[Verdict], list[Claim], list[Skipped], bool]:
    inputs = inputs_of(options)
    verdicts: list[Verdict] = []
    skipped: list[Skipped] = []
    claims: dict[Claim, bool] = {}
    understood = True
    for sheet in inputs.sheets(options.paths):
        if isinstance(sheet, Skipped):
            skipped.append(sheet)
            continue
        project = inputs.projects.of(sheet.device.file)
        chosen = [claim for claim in project.claims if chooses(claim, sheet.device)]
        for claim in project.claims:
            claims[claim] = claims.get(claim, False) or claim in chosen
        if chosen:
            setting = setting_of(sheet, project)
            understood = understood and setting.understood
            checker = Checker(setting, find_ways(setting, moment, project.servers), project, moment)
            verdicts += [checker.check(claim) for claim in chosen]
    inputs.tell_left_out()
    if not claims and not skipped:
        raise UserError("no expectations: a project file beside the devices says them, under [[expect]]")
    order = list(claims)
    verdicts.sort(key=lambda verdict: order.index(verdict.claim))
    return verdicts, [claim for claim, met in claims.items() if not met], skipped, understood
