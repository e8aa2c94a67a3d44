"""Finding and reading sheets, and the project file beside them."""

import datetime
import os
import stat
import sys
from collections.abc import Iterable, Iterator

from overhang.cli.main import UserError
from overhang.project import BadProject, Project, find_project, read_project
from overhang.sheet import Sheet, Unreadable, read_bytes
from overhang.sheet.kinds import moment

ENDING = ".sheet"
_LARGEST = 256 * 1024 * 1024
#: From so many files, or so many bytes, a person wants to see that something happens.
_MANY, _MUCH = 100, 2_000_000


class Skipped(Exception):
    """A file or folder that cannot be read; the message says why."""

    def __init__(self, path: str, message: str) -> None:
        super().__init__(message)
        self.path = path


def find_sheets(paths: Iterable[str]) -> Iterator[str | Skipped]:
    """The sheets that ``paths`` name: files as they are, folders searched for ``*.sheet``; each file once."""
    seen: set[str] = set()
    for path in paths:
        if os.path.isdir(path):
            found = list(_in_folder(path))
            if not found:
                yield Skipped(path, f"no *{ENDING} file in this folder")
        else:
            found = [path]
        for each in found:
            real = each if isinstance(each, Skipped) else os.path.realpath(each)
            if isinstance(real, str):
                if real in seen:
                    continue
                seen.add(real)
            yield each


def _in_folder(folder: str) -> Iterator[str | Skipped]:
    problems: list[OSError] = []
    for here, folders, files in os.walk(folder, onerror=problems.append):
        folders.sort()
        for name in sorted(files):
            path = os.path.join(here, name)
            if name.endswith(ENDING) and name != ENDING:
                yield path
    for problem in problems:
        yield Skipped(str(problem.filename), f"cannot be opened: {problem.strerror}")


def read_file(path: str) -> bytes:
    """The bytes of a file. Raises Skipped."""
    try:
        handle = os.open(path, os.O_RDONLY | getattr(os, "O_NONBLOCK", 0))
    except OSError as error:
        raise Skipped(path, f"cannot be opened: {error.strerror}") from None
    try:
        facts = os.fstat(handle)
        if stat.S_ISFIFO(facts.st_mode):
            os.set_blocking(handle, True)
        elif not stat.S_ISREG(facts.st_mode):
            raise Skipped(path, "not a file that can be read as a sheet")
        chunks, size = [], 0
        while chunk := os.read(handle, max(65536, min(facts.st_size + 1, 1 << 24))):
            chunks.append(chunk)
            size += len(chunk)
            if size > _LARGEST:
                raise Skipped(path, f"larger than {_LARGEST >> 20} MB, which is no sheet")
        return b"".join(chunks)
    except OSError as error:
        raise Skipped(path, f"cannot be read: {error.strerror}") from None
    finally:
        os.close(handle)


def load_sheet(path: str) -> Sheet:
    """Read one sheet. Raises Skipped."""
    try:
        return read_bytes(read_file(path), path)
    except Unreadable as problem:
        raise Skipped(path, str(problem)) from None


def progress(paths: Iterable[str | Skipped]) -> Iterator[str | Skipped]:
    """The same, with a bar on standard error where that is a terminal and there is much to do."""
    if not sys.stderr.isatty():
        yield from paths
        return
    found = list(paths)
    sizes = [os.path.getsize(each) for each in found if isinstance(each, str) and os.path.isfile(each)]
    if len(found) < _MANY and sum(sizes) < _MUCH:
        yield from found
        return
    from rich.console import Console
    from rich.progress import BarColumn, MofNCompleteColumn, Progress, SpinnerColumn, TextColumn, TimeElapsedColumn

    columns = (SpinnerColumn(), TextColumn("reading sheets"), BarColumn(), MofNCompleteColumn(), TimeElapsedColumn())
    with Progress(*columns, console=Console(stderr=True), transient=True) as bar:
        task = bar.add_task("", total=len(found))
        for each in found:
            yield each
            bar.advance(task)


class Projects:
    """The project file that holds for each sheet: the one given, else the nearest above it; each is read once."""

    def __init__(self, given: str | None, guess: int | None = None) -> None:
        self._given = given
        self._guess = guess
        self._by_folder: dict[str, Project] = {}
        self._by_file: dict[str, Project] = {}

    def of(self, path: str) -> Project:
        """The project of a sheet. Raises UserError where its file cannot be used."""
        folder = os.path.dirname(path) or "."
        if folder not in self._by_folder:
            found = self._given or find_project(folder)
            project = Project() if found is None else self._read(found)
            if self._guess is not None:
                project = project._replace(thresholds=project.thresholds._replace(guess=self._guess))
            self._by_folder[folder] = project
        return self._by_folder[folder]

    def all(self) -> list[Project]:
        """The projects asked for so far, each once, by file."""
        return [found for _, found in sorted({each.file: each for each in self._by_folder.values()}.items())]

    def _read(self, path: str) -> Project:
        if path not in self._by_file:
            try:
                self._by_file[path] = read_project(path)
            except BadProject as problem:
                raise UserError(str(problem)) from None
        return self._by_file[path]


def read_moment(text: str | None) -> datetime.datetime:
    """A moment that an option gives, else the clock's. Raises UserError."""
    if text is None:
        return datetime.datetime.now(datetime.UTC)
    try:
        found: datetime.datetime = moment(text)
    except ValueError as wrong:
        raise UserError(f"--now {text}: {wrong}") from None
    return found
