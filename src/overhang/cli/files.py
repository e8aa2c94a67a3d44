"""Finding and reading the devices that a command is given, and the project file beside them."""

import argparse
import datetime
import os
import stat
import sys
from collections.abc import Iterable, Iterator

from overhang.cli.main import UserError
from overhang.formats import FormatRegistry, NoReader, Reader
from overhang.formats.registry import DIALECT
from overhang.language import ParsedConfig
from overhang.language.terminals import decode_moment
from overhang.project import NAME as PROJECT
from overhang.project import BadProject, Project, find_project, read_project
from overhang.text import UnreadableInput

_LARGEST = 256 * 1024 * 1024
#: From so many files, or so many bytes, a person wants to see that something happens.
_MANY, _MUCH = 100, 2_000_000
_MOST_NAMED = 4
_UNKNOWN = (
    "no reader recognises it; --reader or --dialect says how to read it, and overhang dialect start begins a dialect"
)


class Skipped(Exception):
    """A file or folder that cannot be read; the message says why."""

    def __init__(self, path: str, message: str) -> None:
        super().__init__(message)
        self.path = path


class Unrecognised(Skipped):
    """A file that no reader recognises."""


class Inputs:
    """The devices that a command is given, each read by the reader that is right for it.

    Afterwards ``left_out`` holds the files of folders that no reader recognised.
    """

    def __init__(self, projects: "Projects", reader: str | None = None, dialect: str | None = None) -> None:
        self.projects = projects
        self.left_out: list[str] = []
        try:
            self.registry = FormatRegistry(reader, dialect)
        except NoReader as problem:
            raise UserError(str(problem)) from None

    def configs(self, paths: Iterable[str]) -> Iterator[ParsedConfig | Skipped]:
        """Every device that ``paths`` name: files as they are, folders searched; or why there is none."""
        taken: dict[str, int] = {}
        for folder, found in progress(list(_find(paths))):
            if isinstance(found, Skipped):
                yield found
                continue
            result: ParsedConfig | Skipped
            try:
                result = self.load(found)
            except Skipped as problem:
                result = problem
            while self.registry.problems:
                yield Skipped(*self.registry.problems.pop(0))
            if isinstance(result, Unrecognised) and folder is not None:
                self.left_out.append(found)
                taken.setdefault(folder, 0)
                continue
            taken[folder or ""] = 1
            yield result
        for folder, some in taken.items():
            if not some:
                yield Skipped(folder, "no file in this folder that a reader recognises")

    def load(self, path: str) -> ParsedConfig:
        """Read one device. Raises Skipped, and Unrecognised where there is no reader for it."""
        data = read_file(path)
        try:
            config = self._choose(path, data).read(data, path)
        except UnreadableInput as problem:
            raise Skipped(path, str(problem)) from None
        named = config.device.facts.profile
        if named is None or named.value in config.profiles or named.value in self.projects.of(path).profiles:
            return config
        profile = self.registry.profile(named.value)
        return config if profile is None else config._replace(profiles={profile.name: profile})

    def reader(self, path: str) -> Reader:
        """The reader for a file. Raises Skipped."""
        return self._choose(path, read_file(path))

    def _choose(self, path: str, data: bytes) -> Reader:
        project = self.projects.of(path)
        root = os.path.dirname(os.path.relpath(project.file)) if project.file else ""
        try:
            reader = self.registry.choose(data, path, project.dialects, root)
        except NoReader as problem:
            raise Skipped(path, str(problem)) from None
        if reader is None:
            raise Unrecognised(path, _UNKNOWN)
        return reader

    def tell_left_out(self) -> None:
        """Say on standard error which files were left out."""
        if self.left_out:
            shown = ", ".join(self.left_out[:_MOST_NAMED])
            more = f" and {len(self.left_out) - _MOST_NAMED:,} more" if len(self.left_out) > _MOST_NAMED else ""
            number = f"{len(self.left_out):,} file{'s' if len(self.left_out) != 1 else ''}"
            print(f"overhang: left out {number} that no reader recognises: {shown}{more}", file=sys.stderr)


def inputs_of(options: argparse.Namespace, guess: int | None = None) -> Inputs:
    """What the options of a command name, read as they say."""
    return Inputs(Projects(options.project, guess), options.reader, options.dialect)


def add_inputs(parser: argparse.ArgumentParser, *, several: bool = True) -> None:
    """The arguments that name devices and how they are read."""
    if several:
        about = "a device's configuration, or a folder of them"
        parser.add_argument("paths", nargs="+", metavar="PATH", help=about)
    parser.add_argument(
        "--reader",
        metavar="NAME",
        help="read every file so: sheet, json, xml, or what a package adds (default: by content)",
    )
    parser.add_argument(
        "--dialect", metavar="FILE", help="read every file through a dialect: its file, or a shipped name"
    )
    parser.add_argument("--project", metavar="FILE", help="the project file, in place of the nearest overhang.toml")


def _find(paths: Iterable[str]) -> Iterator[tuple[str | None, str | Skipped]]:
    """The files that ``paths`` name, each once, with the folder that was searched for it."""
    seen: set[str] = set()
    for path in paths:
        folder = path if os.path.isdir(path) else None
        found: list[str | Skipped] = list(_in_folder(path)) if folder is not None else [path]
        if not found:
            found = [Skipped(path, "no file in this folder that a reader recognises")]
        for each in found:
            real = each if isinstance(each, Skipped) else os.path.realpath(each)
            if isinstance(real, str):
                if real in seen:
                    continue
                seen.add(real)
            yield folder, each


def _in_folder(folder: str) -> Iterator[str | Skipped]:
    problems: list[OSError] = []
    for here, folders, files in os.walk(folder, onerror=problems.append):
        folders[:] = sorted(name for name in folders if not name.startswith("."))
        for name in sorted(files):
            if not name.startswith(".") and name != PROJECT and not name.endswith(DIALECT):
                yield os.path.join(here, name)
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
            raise Skipped(path, "not a file that can be read")
        chunks, size = [], 0
        while chunk := os.read(handle, max(65536, min(facts.st_size + 1, 1 << 24))):
            chunks.append(chunk)
            size += len(chunk)
            if size > _LARGEST:
                raise Skipped(path, f"larger than {_LARGEST >> 20} MB, which is no configuration")
        return b"".join(chunks)
    except OSError as error:
        raise Skipped(path, f"cannot be read: {error.strerror}") from None
    finally:
        os.close(handle)


Found = tuple[str | None, str | Skipped]


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
    from rich.console import Console
    from rich.progress import BarColumn, MofNCompleteColumn, Progress, SpinnerColumn, TextColumn, TimeElapsedColumn

    columns = (SpinnerColumn(), TextColumn("reading devices"), BarColumn(), MofNCompleteColumn(), TimeElapsedColumn())
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
        found: datetime.datetime = decode_moment(text)
    except ValueError as wrong:
        raise UserError(f"--now {text}: {wrong}") from None
    return found
