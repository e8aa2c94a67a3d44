"""Finding and reading devices' configurations, and the project file that holds for each."""

import os
import sys
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping
from typing import TypeVar

from overhang.auditing.report import Unreadable
from overhang.files import CHANGE, DIALECT, STEP, files_below, open_regular, read_whole
from overhang.formats import FormatRegistry, NoReader, Reader
from overhang.formats.sheet_format import SheetReader
from overhang.language import ParsedConfig
from overhang.language.parsed_config import Outline, decode
from overhang.profiles import Profile
from overhang.project import NAME as PROJECT
from overhang.project import Project, find_project, read_project
from overhang.repository import Blob, GitProblem, Repository, split_revision, wanted_files
from overhang.text import UnreadableInput

_LARGEST = 256 * 1024 * 1024
#: What files in a folder that is searched end in that are no devices: dialects, their steps, and changes to devices.
_NO_DEVICES = (DIALECT, STEP, CHANGE)
_TOO_LARGE = f"larger than {_LARGEST >> 20} MB; configurations are smaller"
_NOTHING_HERE = "no file in this folder that a reader recognises"
_NO_FILE = "not a regular file; to read from a pipe, name it - and send it to standard input"
_UNKNOWN = (
    "no reader recognises it; choose one with --reader or --dialect, or begin a dialect with overhang dialect start"
)
Found = tuple[str | None, str | Unreadable]
Progress = Callable[[list[Found]], Iterable[Found]]
Config = ParsedConfig | Unreadable
Taken = TypeVar("Taken")


#: The path that names standard input, and what it is called where it is shown.
STANDARD, _STANDARD_NAME = "-", "standard input"


class Unrecognised(UnreadableInput):
    """A file that no reader recognises, or something else than a file: left out where it was found in a folder."""


class Projects:
    """The project file that holds for each configuration: the one given, else the nearest above it; each is read once.

    ``guess`` replaces the project's budget for trying hashes.
    """

    def __init__(self, given: str | None = None, guess: int | None = None) -> None:
        self.given = given
        self.guess = guess
        self._by_folder: dict[str, Project] = {}
        self._by_file: dict[str, Project] = {}

    def of(self, path: str) -> Project:
        """The project of a configuration. Raises BadProject where its file cannot be used."""
        folder = os.path.dirname(path) or "."
        if folder not in self._by_folder:
            found = self.given or find_project(folder)
            project = Project() if found is None else self._read(found)
            if self.guess is not None:
                project = project._replace(thresholds=project.thresholds._replace(guess=self.guess))
            self._by_folder[folder] = project
        return self._by_folder[folder]

    def hold(self, path: str, project: Project) -> None:
        """Use a project for the configurations of a folder, whatever lies there."""
        self._by_folder[os.path.dirname(path) or "."] = project

    def all(self) -> list[Project]:
        """The projects asked for so far, each once, by file."""
        return [found for _, found in sorted({each.file: each for each in self._by_folder.values()}.items())]

    def _read(self, path: str) -> Project:
        if path not in self._by_file:
            self._by_file[path] = read_project(path)
        return self._by_file[path]


class Loader:
    """Reads configurations, each by the reader that is right for it.

    ``reader`` or ``dialect`` name one for every file; ``trusted`` are digests of dialects' steps that may run;
    ``called`` is the name of standard input. While ``configs`` runs, ``count`` tells of how many files; afterwards
    ``left_out`` holds those of folders that no reader recognised. Raises NoReader for a reader or dialect that does not
    exist.
    """

    def __init__(
        self,
        projects: Projects,
        reader: str | None = None,
        dialect: str | None = None,
        trusted: Collection[str] = (),
        called: str | None = None,
    ) -> None:
        #: the reader and the dialect that were asked for, and the steps that are trusted
        self.asked = (reader, dialect, frozenset(trusted))
        self._called = called or _STANDARD_NAME
        self.projects = projects
        self.left_out: list[str] = []
        self.count = 0
        self._piped: bytes | None = None
        self.registry = FormatRegistry(reader, dialect, trusted)

    def configs(
        self, paths: Iterable[str], progress: Progress = lambda found: found
    ) -> Iterator[ParsedConfig | Unreadable]:
        """Every configuration that ``paths`` name: files as they are, folders searched; or why there is none."""
        taken: dict[str, bool] = {}
        files = list(find_files(paths))
        self.count = len(files)
        for folder, found in progress(files):
            if isinstance(found, Unreadable):
                yield found
                continue
            result = self.take(folder, found)
            yield from self.problems()
            if result is None:
                self.left_out.append(found)
                taken.setdefault(folder or "", False)
                continue
            taken[folder or ""] = True
            yield result
        yield from nothing_in(taken)

    def take(
        self, folder: str | None, path: str, load: "Callable[[str], Taken] | None" = None
    ) -> "ParsedConfig | Taken | Unreadable | None":
        """One of the files found: read, or why it cannot be. None for one of a searched ``folder`` that no reader
        recognises. ``load`` reads it in another way than ``self.load``."""
        try:
            return self.load(path) if load is None else load(path)
        except Unrecognised as problem:
            return None if folder is not None else Unreadable(self.shown(path), str(problem))
        except UnreadableInput as problem:
            return Unreadable(self.shown(path), str(problem))

    def side(self, target: str, progress: Progress = lambda found: found) -> Iterator[tuple[str, Config]]:
        """Every configuration of one side of a comparison, each with its path below it: a file, a folder, or what
        ``REVISION:PATH`` names in the repository that PATH is in. Raises GitProblem.
        """
        at = split_revision(target)
        if at is not None:
            yield from self._at_revision(*at)
            return
        folder = os.path.isdir(target)
        for each in self.configs([target], progress):
            file = each.file if isinstance(each, Unreadable) else each.device.file
            yield os.path.relpath(file, target) if folder and file != target else os.path.basename(file), each

    def _at_revision(self, revision: str, path: str) -> Iterator[tuple[str, Config]]:
        with Repository(path) as repository:
            files = repository.files(repository.commit(revision))
            inside = repository.inside
            single = [each.path for each in files] == [inside]
            for each in files if single else wanted_files(files, (PROJECT,), _NO_DEVICES):
                below = each.path if not inside else each.path[len(inside) + 1 :]
                name = path if single else os.path.join(path, below)
                shown = f"{revision}:{name if '/' in name else './' + name}"
                result = self.blob(repository, each, name, shown)
                yield from (("", problem) for problem in self.problems())
                if result is None and not single:
                    self.left_out.append(shown)
                    continue
                yield os.path.basename(path) if single else below, result or Unreadable(shown, _UNKNOWN)
            if not files:
                yield "", Unreadable(f"{revision}:{path}", "there is no such file or folder at this revision")

    def at(self, repository: Repository, blob: Blob, path: str) -> Config | None:
        """A configuration out of a repository's history, of a ``path`` below its top. None where no reader recognises
        it."""
        return self.blob(repository, blob, os.path.join(repository.top, path), path)

    def blob(self, repository: Repository, blob: Blob, path: str, shown: str) -> Config | None:
        """A configuration out of a repository; ``path`` says which project and dialects hold for it. None where no
        reader recognises it."""
        if blob.size > _LARGEST:
            return Unreadable(shown, _TOO_LARGE)
        try:
            return self.read(repository.content(blob.hash), path, shown)
        except Unrecognised:
            return None
        except (UnreadableInput, GitProblem) as problem:
            return Unreadable(shown, str(problem))

    def problems(self) -> Iterator[Unreadable]:
        """What is wrong with dialects and packages that were found on the way, each once."""
        while self.registry.problems:
            yield Unreadable(*self.registry.problems.pop(0))

    def load(self, path: str) -> ParsedConfig:
        """Read one configuration; ``-`` is standard input.

        Raises UnreadableInput, and Unrecognised where there is no reader for it.
        """
        return self.read(self.bytes_of(path), self.shown(path))

    def read(self, data: bytes, path: str, shown: str | None = None, reader: Reader | None = None) -> ParsedConfig:
        """Read one configuration from its bytes. ``path`` says which project and dialects hold for it, unless its
        ``reader`` is known; ``shown`` is what it is called, where that is not its path.

        Raises UnreadableInput, and Unrecognised where there is no reader for it.
        """
        return self._completed((reader or self._choose(path, data)).read(data, shown or path), path)

    def outline(
        self, data: bytes, path: str, shown: str | None = None, reader: Reader | None = None
    ) -> ParsedConfig | Outline:
        """As ``read`` does, but of a plain sheet its statements alone."""
        reader = reader or self._choose(path, data)
        if not isinstance(reader, SheetReader):
            return self.read(data, path, shown, reader)
        outline = Outline.of(decode(data), shown or path)
        if not outline.plain:
            return self._completed(outline.built()[0], path)
        profile = None if outline.profile is None else self._profile(outline.profile, path)
        return outline if profile is None else outline._replace(profiles={profile.name: profile})

    def _completed(self, config: ParsedConfig, path: str) -> ParsedConfig:
        """A configuration with the profile that its device names."""
        named = config.device.facts.profile
        profile = None if named is None or named.value in config.profiles else self._profile(named.value, path)
        return config if profile is None else config._replace(profiles={profile.name: profile})

    def _profile(self, name: str, path: str) -> Profile | None:
        """The profile of a shipped dialect, unless a project knows one of this name."""
        return None if name in self.projects.of(path).profiles else self.registry.profile(name)

    def reader(self, path: str) -> Reader:
        """The reader for a file. Raises UnreadableInput."""
        return self.reader_of(path, self.bytes_of(path))

    def reader_of(self, path: str, data: bytes) -> Reader:
        """The reader for a file of which the bytes are known. Raises UnreadableInput."""
        return self._choose(self.shown(path), data)

    def shown(self, path: str) -> str:
        """What a path is called; standard input as it was named."""
        return self._called if path == STANDARD else path

    def bytes_of(self, path: str) -> bytes:
        """The bytes of a file; standard input can be read only once, and is kept. Raises UnreadableInput."""
        if path != STANDARD:
            return read_file(path)
        if self._piped is None:
            self._piped = read_file(path)
        return self._piped

    def _choose(self, path: str, data: bytes) -> Reader:
        project = self.projects.of(path)
        root = os.path.dirname(os.path.relpath(project.file)) if project.file else ""
        try:
            reader = self.registry.choose(data, path, project.dialects, root)
        except NoReader as problem:
            raise UnreadableInput(str(problem)) from None
        if reader is None:
            raise Unrecognised(_UNKNOWN)
        return reader


def nothing_in(taken: Mapping[str, bool]) -> Iterator[Unreadable]:
    """The folders in which no file was recognised; ``taken`` tells of each whether one was."""
    return (Unreadable(folder, _NOTHING_HERE) for folder, some in taken.items() if not some)


def searched(path: str) -> bool:
    """Whether a folder that is searched would be searched for a file of this path below it."""
    return bool(wanted_files([Blob(path, "")], (PROJECT,), _NO_DEVICES))


def find_files(paths: Iterable[str]) -> Iterator[Found]:
    """The files that ``paths`` name, each once, with the folder that was searched for it."""
    seen: set[str] = set()
    for path in paths:
        folder = path if os.path.isdir(path) else None
        found: list[str | Unreadable] = list(_in_folder(path)) if folder is not None else [path]
        for each in found or [Unreadable(path, _NOTHING_HERE)]:
            if isinstance(each, str):
                real = os.path.realpath(each)
                if real in seen:
                    continue
                seen.add(real)
            yield folder, each


def _in_folder(folder: str) -> Iterator[str | Unreadable]:
    problems: list[OSError] = []
    for path in files_below(folder, problems.append):
        if not path.endswith(_NO_DEVICES) and os.path.basename(path) != PROJECT:
            yield path
    for problem in problems:
        yield Unreadable(str(problem.filename), f"cannot be opened: {problem.strerror}")


def read_file(path: str) -> bytes:
    """The bytes of a file, or of standard input where ``path`` is ``-``.

    Raises UnreadableInput, and Unrecognised for a pipe, a socket or a device, which is never waited for.
    """
    if path == STANDARD:
        return _piped()
    try:
        handle = open_regular(path)
    except OSError as error:
        raise UnreadableInput(f"cannot be opened: {error.strerror}") from None
    if handle is None:
        raise Unrecognised(_NO_FILE)
    try:
        return _bounded(lambda: read_whole(handle, _LARGEST))
    finally:
        os.close(handle)


def _piped() -> bytes:
    if sys.stdin is None:
        raise UnreadableInput("is closed")
    return _bounded(lambda: sys.stdin.buffer.read(_LARGEST + 1))


def _bounded(read: Callable[[], bytes]) -> bytes:
    try:
        data = read()
    except OSError as error:
        raise UnreadableInput(f"cannot be read: {error.strerror}") from None
    if len(data) > _LARGEST:
        raise UnreadableInput(_TOO_LARGE)
    return data
