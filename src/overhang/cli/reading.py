"""Reading the devices of a command as its options say: the project, the moment, what could not be read, progress."""

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
