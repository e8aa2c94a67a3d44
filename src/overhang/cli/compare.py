"""Compare two states of devices: who can get in now who could not, who can no longer, and what else differs."""

import argparse
import importlib

from overhang.changes.compare import Comparison, compare
from overhang.cli.errors import CLEAN, FAILED, FOUND, NOT_UNDERSTOOD
from overhang.cli.inputs import add_inputs
from overhang.cli.main import add_choice
from overhang.cli.output import check_target, tell, write_file, write_out
from overhang.cli.reading import loader_of, progress, read_moment, warn_left_out, warn_unreadable
from overhang.cli.terminal import show, width
from overhang.language import ParsedConfig
from overhang.loading import Projects
from overhang.project import Project
from overhang.text.printable import Printable

_MODULES = {"json": "compare_data", "markdown": "compare_data", "html": "compare_html"}


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of ``overhang compare``."""
    add = parser.add_argument
    about = "a configuration, a folder of them, or REVISION:PATH in the git repository that PATH is in"
    add("old", metavar="OLD", help=about)
    add("new", metavar="NEW", help="the same, of the state to compare with")
    add_inputs(parser, several=False)
    add(
        "--project-then",
        metavar="FILE",
        help="the project file that OLD is judged by (default: the one that NEW is judged by)",
    )
    add(
        "--restart",
        action="store_true",
        help="OLD is in effect and NEW is stored: tell what a power cut does",
    )
    about = "plain text (default), json, markdown or html"
    add_choice(parser, "--format", ("text", "json", "markdown", "html"), default="text", help=about)
    add("--output", metavar="FILE", help="write the report to a file instead of standard output")
    add_choice(
        parser,
        "--fail-if",
        ("gained", "lost", "findings"),
        help="exit 1 where access is gained, or lost, or where there are new findings; perhaps counts",
    )
    add("--now", metavar="DATE", help="the time that both states are judged by (default: the clock's)")
    add("--strict", action="store_true", help="exit 3 where something was not understood")


def run(options: argparse.Namespace) -> int:
    """Do it."""
    options.paths = [options.old, options.new]
    if options.output:
        check_target(options.output, options)
    loader = loader_of(options)
    then = Projects(options.project_then) if options.project_then else loader.projects
    left, right = (list(loader.side(target, progress)) for target in (options.old, options.new))

    def project_of(projects: Projects, config: ParsedConfig) -> Project:
        return projects.of(place_of(config.device.file))

    found = compare(
        left,
        right,
        read_moment(options.now),
        lambda config: project_of(then, config),
        lambda config: project_of(loader.projects, config),
        loader.left_out,
    )
    _report(options, found)
    warn_unreadable(found.unreadable)
    for device in found.devices:
        if device.problem:
            tell(f"cannot compare {device.name}: {device.problem}")
    warn_left_out(loader)
    return _exit(options, found)


def place_of(file: str) -> str:
    """Where a file is, or would be, in the work tree: the path of ``REVISION:PATH``."""
    from overhang.repository import split_revision

    at = split_revision(file)
    return file if at is None else at[1]


def _report(options: argparse.Namespace, found: Comparison) -> None:
    from overhang.report.compare_text import compare_lines

    if options.format == "text" and not options.output:
        show(compare_lines(found, width(), restart=options.restart))
        return
    if options.format == "text":
        from overhang.report.lines import WIDEST, plain

        text = plain(compare_lines(found, WIDEST, restart=options.restart))
    else:
        module = importlib.import_module(f"overhang.report.{_MODULES[options.format]}")
        made: Printable = getattr(module, f"compare_{options.format}")(found, restart=options.restart)
        text = made
    if options.output:
        write_file(options.output, text, options)
    else:
        write_out(text)


def _exit(options: argparse.Namespace, found: Comparison) -> int:
    if not found.comparable:
        return FAILED
    differences = [device.difference for device in found.devices if device.difference is not None]
    if options.strict and not all(each.understood for each in differences):
        return NOT_UNDERSTOOD
    failed = {
        "gained": any(each.gained for each in differences),
        "lost": any(each.lost for each in differences),
        "findings": any(device.findings.new for device in found.devices),
    }
    return FOUND if options.fail_if is not None and failed[options.fail_if] else CLEAN
