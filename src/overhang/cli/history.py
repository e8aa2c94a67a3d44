"""Look back on the history of configurations in a git repository: what each commit did to who gets in."""

import argparse
import os

from overhang.auditing.report import Unreadable
from overhang.changes.history import History, history_of
from overhang.cli.errors import CLEAN, FOUND, UserError
from overhang.cli.inputs import add_inputs
from overhang.cli.main import add_choice
from overhang.cli.output import check_target, tell, write_file, write_out
from overhang.cli.reading import along, loader_of, read_moment
from overhang.cli.terminal import picture_kind, show, width
from overhang.language import ParsedConfig
from overhang.loading import Loader, searched
from overhang.repository import Blob, Repository


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of ``overhang history``."""
    add = parser.add_argument
    add("path", metavar="PATH", help="a configuration, or a folder of them, in a git repository")
    add_inputs(parser, several=False)
    add("--since", metavar="DATE", help="only commits from this time on")
    add("--most", type=int, metavar="N", help="only the newest N commits that changed something there")
    add("--picture", metavar="FILE", help="also draw the exposure of each device over time: FILE.png, .svg or .pdf")
    about = "plain text (default), json, or csv with a row for each device of each commit"
    add_choice(parser, "--format", ("text", "json", "csv"), default="text", help=about)
    add("--output", metavar="FILE", help="write the report to a file instead of standard output")
    add("--now", metavar="DATE", help="the time that every commit is judged by (default: the clock's)")


def run(options: argparse.Namespace) -> int:
    """Do it."""
    if options.most is not None and options.most < 1:
        raise UserError(f"--most {options.most}: expected a number from 1 on")
    since = read_moment(options.since, "--since").isoformat() if options.since is not None else None
    options.paths = [options.path]
    kind = picture_kind(options.picture) if options.picture else ""
    for target in filter(None, (options.output, options.picture)):
        check_target(target, options)
    loader = loader_of(options)
    with Repository(options.path) as repository:
        if repository.empty:
            raise UserError(f"{options.path}: the repository has no commit yet")
        commits = repository.commits(options.most, since)
        found = history_of(
            repository,
            commits,
            lambda path, blob: _read(loader, repository, path, blob),
            lambda config: loader.projects.of(os.path.join(repository.top, config.device.file)),
            read_moment(options.now),
            lambda path: path == repository.inside or searched(path),
            lambda listed: along(listed, "following the history"),
        )
    _report(options, found)
    if kind:
        from overhang.report import charts
        from overhang.report.history_chart import history_chart

        if not found.moments:
            raise UserError("there is nothing to draw")
        write_file(options.picture, charts.written(history_chart(found), kind), options)
    if found.left_out:
        tell(f"left out {len(found.left_out)} files that no reader recognises: {', '.join(found.left_out[:4])}")
    if not found.moments and not os.path.exists(options.path):
        raise UserError(f"{options.path}: neither there nor in the history of the repository")
    return (
        FOUND if any(device.problem for moment in found.moments[:1] for device in moment.comparison.devices) else CLEAN
    )


def _read(loader: Loader, repository: Repository, path: str, blob: Blob) -> ParsedConfig | Unreadable | None:
    found = loader.at(repository, blob, path)
    while loader.registry.problems:
        file, error = loader.registry.problems.pop(0)
        tell(f"{file}: {error}")
    return found


def _report(options: argparse.Namespace, found: History) -> None:
    from overhang.report import history_text

    if options.format == "text":
        if not options.output:
            show(history_text.history_lines(found, width()))
            return
        from overhang.report.lines import WIDEST, plain

        text = plain(history_text.history_lines(found, WIDEST))
    else:
        text = history_text.history_json(found) if options.format == "json" else history_text.history_csv(found)
    if options.output:
        write_file(options.output, text, options)
    else:
        write_out(text)
