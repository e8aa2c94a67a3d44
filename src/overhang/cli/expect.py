"""Check the expectations of the project file: who must get in, who must not, and in which state of the servers."""

import argparse

from overhang.api import LoadedDevice, check_expectations
from overhang.auditing.report import Unreadable
from overhang.cli.errors import CLEAN, FAILED, FOUND, NOT_UNDERSTOOD, UserError
from overhang.cli.inputs import add_inputs
from overhang.cli.main import add_choice
from overhang.cli.output import check_target, tell, write_file, write_out
from overhang.cli.reading import loader_of, progress, read_moment, warn_left_out, warn_unreadable
from overhang.cli.terminal import show, width
from overhang.exposure import ExpectationResult
from overhang.exposure.knowledge import untried_words
from overhang.project import Expectation


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of ``overhang expect``."""
    add = parser.add_argument
    add_inputs(parser)
    add_choice(parser, "--format", ("text", "junit"), default="text", help="plain text (default), or JUnit XML")
    add("--output", metavar="FILE", help="write the report to a file instead of standard output")
    add("--now", metavar="DATE", help="the time that account expiry is judged by (default: the clock's)")
    add("--strict", action="store_true", help="exit 3 where a device was not fully understood")


def run(options: argparse.Namespace) -> int:
    """Do it."""
    if options.output:
        check_target(options.output, options)
    loader = loader_of(options)
    devices: list[LoadedDevice] = []
    unreadable: list[Unreadable] = []
    for config in loader.configs(options.paths, progress):
        if isinstance(config, Unreadable):
            unreadable.append(config)
        else:
            devices.append(LoadedDevice(config, loader.projects.of(config.device.file)))
    found, untried = check_expectations(devices, read_moment(options.now))
    warn_left_out(loader)
    if not found and not unreadable:
        raise UserError("no expectations found: list them under [[expect]] in the project file of the devices")
    results = [each for of_one in found.values() for each in of_one]
    unmatched = [expectation for expectation, of_one in found.items() if not of_one]
    _report(options, results, unmatched)
    warn_unreadable(unreadable)
    if untried:
        tell(untried_words(untried))
    for expectation in unmatched:
        tell(f"no device matches the expectation: {expectation.say}")
    if unreadable or unmatched:
        return FAILED
    if options.strict and not all(each.understood for each in devices if _is_checked(each, found)):
        return NOT_UNDERSTOOD
    return CLEAN if all(each.holds for each in results) else FOUND


def _is_checked(device: LoadedDevice, found: dict[Expectation, list[ExpectationResult]]) -> bool:
    return any(each.file == device.file for of_one in found.values() for each in of_one)


def _report(options: argparse.Namespace, results: list[ExpectationResult], unmatched: list[Expectation]) -> None:
    from overhang.report.expect_text import expect_junit, expect_lines
    from overhang.report.lines import WIDEST, plain

    if options.format == "text" and not options.output:
        show(expect_lines(results, unmatched, width()))
        return
    junit = options.format == "junit"
    text = expect_junit(results, unmatched) if junit else plain(expect_lines(results, unmatched, WIDEST))
    if options.output:
        write_file(options.output, text, options)
    else:
        write_out(text)
