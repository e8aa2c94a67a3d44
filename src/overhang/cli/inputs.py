"""The options that every command about devices shares: which, how they are read, the project, the moment."""

import argparse
import contextlib
import datetime
import os
import sys
from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import Any, TypeVar

from overhang.auditing.report import Unreadable
from overhang.cli.errors import UserError
from overhang.cli.output import tell
from overhang.language import ParsedConfig
from overhang.language.terminals import decode_moment
from overhang.loading import Found, Loader, Projects
from overhang.project import Project

T = TypeVar("T")

#: From so many files, or so many bytes, a person wants to see that something happens.
_MANY, _MUCH = 100, 2_000_000
_MOST_NAMED = 4


def add_inputs(parser: argparse.ArgumentParser, *, several: bool = True) -> None:
    """The arguments that name devices and how they are read."""
    if several:
        about = "a device's configuration, or a folder of them; - is standard input"
        parser.add_argument("paths", nargs="*", metavar="PATH", help=about)
        about = "also the paths that a file lists, one on a line; - is standard input"
        parser.add_argument("--files-from", metavar="FILE", help=about)
        about = "what standard input is called: its ending helps to find the reader"
        parser.add_argument("--name", dest="called", metavar="NAME", help=about)
    parser.add_argument(
        "--reader",
        metavar="NAME",
        help="read every file as sheet, json, xml, or a format that a package adds (default: by content)",
    )
    parser.add_argument(
        "--dialect", metavar="FILE", help="read every file through a dialect: a file, or the name of a shipped one"
    )
    add_trust(parser)
    parser.add_argument("--project", metavar="FILE", help="the project file, in place of the nearest overhang.toml")


def settle_paths(options: argparse.Namespace) -> None:
    """Complete the paths of a command by those that a file lists. Raises UserError where there is none."""
    if options.files_from is not None:
        options.paths = [*options.paths, *_listed(options.files_from, options.paths)]
        if not options.paths:
            raise UserError(f"{options.files_from}: lists no path")
    if not options.paths:
        raise UserError(f"the following arguments are required: PATH (see {options.parser.prog} --help)")
    if options.called is not None and "-" not in options.paths:
        raise UserError("--name is for standard input; name it as - among the paths")


def _listed(file: str, paths: Sequence[str]) -> list[str]:
    if file == "-" and "-" in paths:
        raise UserError("--files-from -: standard input cannot be both a list and a configuration")
    try:
        with open(
            0 if file == "-" else file, encoding="utf-8", errors="surrogateescape", closefd=file != "-"
        ) as stream:
            return [line.rstrip("\r\n") for line in stream if line.strip()]
    except OSError as error:
        raise UserError(f"{file}: cannot be read: {error.strerror}") from None


def add_trust(parser: argparse.ArgumentParser) -> None:
    """The option that lets steps of dialects run."""
    parser.add_argument(
        "--trust",
        action="append",
        default=[],
        metavar="FILE",
        help="let a dialect's step in Python run, this once; overhang trust does for good",
    )


def loader_of(options: argparse.Namespace, guess: int | None = None) -> Loader:
    """What reads the devices of a command, as its options say."""
    projects, called = Projects(options.project, guess), getattr(options, "called", None)
    return Loader(projects, options.reader, options.dialect, trusted_of(options), called)


def trusted_of(options: argparse.Namespace) -> frozenset[str]:
    """The digests of the steps that an option trusts. Raises UserError."""
    paths: list[str] = options.trust
    if not paths:
        return frozenset()
    from overhang.teach.trust import NotAStep, digest_of, read_step

    try:
        return frozenset(digest_of(read_step(path)) for path in paths)
    except NotAStep as problem:
        raise UserError(f"--trust {problem}") from None


def read_devices(options: argparse.Namespace, purpose: str) -> tuple[list[tuple[ParsedConfig, Project]], bool]:
    """Every device that the paths name, with its project, and whether one could not be read, which is told. Raises
    UserError where there is none to do this for: ``purpose`` ends "there is no device to ..."."""
    loader = loader_of(options)
    found: list[tuple[ParsedConfig, Project]] = []
    unreadable: list[Unreadable] = []
    for config in loader.configs(options.paths, progress):
        if isinstance(config, Unreadable):
            unreadable.append(config)
        else:
            found.append((config, loader.projects.of(config.device.file)))
    warn_unreadable(unreadable)
    warn_left_out(loader)
    if not found:
        raise UserError(f"there is no device to {purpose}")
    return found, bool(unreadable)


def read_moment(text: str | None, option: str = "--now") -> datetime.datetime:
    """A moment that an option gives, else the clock's. Raises UserError."""
    if text is None:
        return datetime.datetime.now(datetime.UTC)
    try:
        return decode_moment(text)
    except ValueError as wrong:
        raise UserError(f"{option} {text}: {wrong}") from None


def warn_unreadable(unreadable: Iterable[Unreadable]) -> None:
    """Report on standard error what could not be read."""
    for each in unreadable:
        tell(f"{each.file}: {each.error}")


def warn_left_out(loader: Loader) -> None:
    """Report on standard error which files were left out."""
    left = loader.left_out
    if left:
        more = f" and {len(left) - _MOST_NAMED:,} more" if len(left) > _MOST_NAMED else ""
        number = f"{len(left):,} file{'s' if len(left) != 1 else ''}"
        shown = ", ".join(left[:_MOST_NAMED])
        tell(f"left out {number} that no reader recognises: {shown}{more}")


def progress(found: list[Found]) -> Iterator[Found]:
    """The same, with a bar on standard error where that is a terminal and there is much to do."""
    if not sys.stderr.isatty():
        yield from found
        return
    names = [name for _, name in found if isinstance(name, str)]
    sizes = [os.path.getsize(name) for name in names if os.path.isfile(name)]
    if len(found) < _MANY and sum(sizes) < _MUCH:
        yield from found
        return
    yield from _with_bar(found, "reading devices")


def along(things: Sequence[T], what: str) -> Iterable[T]:
    """Things one after another, with a bar that says what is done with them where there are many and a terminal."""
    return _with_bar(things, what) if sys.stderr.isatty() and len(things) >= _MANY else things


@contextlib.contextmanager
def counted(total: int, what: str) -> Iterator[Callable[[], None]]:
    """Gives what is to be called after each of so many things; with a bar on a terminal where there are many."""
    if not sys.stderr.isatty() or total < _MANY:
        yield lambda: None
        return
    with _bar(what) as bar:
        task = bar.add_task("", total=total)
        yield lambda: bar.advance(task)


def _with_bar(things: Sequence[T], what: str) -> Iterator[T]:
    with _bar(what) as bar:
        task = bar.add_task("", total=len(things))
        for each in things:
            yield each
            bar.advance(task)


def _bar(what: str) -> Any:
    from rich.console import Console
    from rich.progress import (
        BarColumn,
        MofNCompleteColumn,
        Progress,
        SpinnerColumn,
        TextColumn,
        TimeElapsedColumn,
        TimeRemainingColumn,
    )

    left = (TextColumn("left"), TimeRemainingColumn())
    columns = (SpinnerColumn(), TextColumn(what), BarColumn(), MofNCompleteColumn(), TimeElapsedColumn())
    return Progress(*columns, *left, console=Console(stderr=True), transient=True)
