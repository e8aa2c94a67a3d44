"""Finding the reader for a file: the one that is asked for, else what the project says, else by the content."""

import importlib
import os
from collections.abc import Callable, Collection, Iterator, Mapping
from fnmatch import fnmatchcase
from typing import Any

from overhang.formats.interface import Reader
from overhang.formats.sheet_format import ENDING, READER
from overhang.language import ParsedConfig
from overhang.profiles import Profile
from overhang.text import OverhangError, UnreadableInput, did_you_mean

TYPE_CHECKING = False
if TYPE_CHECKING:
    from overhang.formats.dialect_format import DialectReader

#: The readers of this package and the modules that hold them, in the order in which they are asked.
READERS = {
    "sheet": "overhang.formats.sheet_format",
    "json": "overhang.formats.json_format",
    "xml": "overhang.formats.xml_format",
}
GROUP = "overhang.formats"
#: The group of packages that open what a maker masks.
OPENERS = "overhang.openers"


class NoReader(OverhangError):
    """No reader is found, or the one that is asked for does not exist; the message says what to do."""


class _Foreign:
    """A reader of another package: whatever it raises is one line about the file that it could not read."""

    def __init__(self, name: str, reader: Any) -> None:
        self.name = name
        self.about = str(getattr(reader, "about", ""))
        self._reader = reader

    def __reduce__(self) -> tuple[object, ...]:
        """As its name: who gets it needs the same package."""
        return _named_again, (self.name,)

    def recognises(self, data: bytes, file: str) -> bool:
        """Ask it; one that fails does not recognise the file."""
        try:
            return bool(self._reader.recognises(data, file))
        except Exception:
            return False

    def read(self, data: bytes, file: str) -> ParsedConfig:
        """Have it read. Raises UnreadableInput."""
        try:
            config = self._reader.read(data, file)
        except UnreadableInput:
            raise
        except Exception as error:
            raise UnreadableInput(f"the reader {self.name} failed: {type(error).__name__}") from None
        if not isinstance(config, ParsedConfig):
            raise UnreadableInput(f"the reader {self.name} gave no device")
        return config


def _named_again(name: str) -> Reader:
    """The reader of a package, by its name. Raises NoReader."""
    found = FormatRegistry(name).given
    assert found is not None
    return found


class FormatRegistry:
    """All readers there are for a run. ``problems`` is what is wrong with dialects that were found, not asked for.

    ``trusted`` are digests of steps that may run, beside those on the user's list.
    """

    def __init__(self, reader: str | None = None, dialect: str | None = None, trusted: Collection[str] = ()) -> None:
        self._trusted = trusted
        self.problems: list[tuple[str, str]] = []
        self._dialects: dict[str, DialectReader | None] = {}
        self._folders: dict[str, list[DialectReader]] = {}
        self._heads: dict[str, DialectReader] = {}
        self._others: list[Reader] | None = None
        #: the reader that was asked for
        self.given: Reader | None = None
        if reader is not None and dialect is not None:
            raise NoReader("--reader and --dialect cannot be used together")
        if reader is not None:
            self.given = self._named(reader)
        elif dialect is not None:
            self.given = self._dialect_asked(dialect, "--dialect")

    # -- choosing ------------------------------------------------------------------------------------------------------

    def choose(
        self, data: bytes, file: str, patterns: Mapping[str, str] | None = None, root: str = ""
    ) -> Reader | None:
        """The reader for a file; None where there is none. Raises NoReader where it cannot be told which.

        ``patterns`` are those of the project file for the names of files, each with a dialect; ``root`` is its folder.
        """
        if self.given is not None:
            return self.given
        for pattern, dialect in (patterns or {}).items():
            inside = os.path.relpath(file, root or ".").replace(os.sep, "/")
            if fnmatchcase(inside, pattern) or fnmatchcase(os.path.basename(file), pattern):
                return self._dialect_asked(dialect, "the project file", root)
        if file.endswith(ENDING):
            return READER
        near = self._beside(os.path.dirname(file), root)
        return (
            _only([each for each in near if each.by_name(file)])
            or _only([each for each in near if each.by_content(data)])
            or self._by_content(data, file)
        )

    def _by_content(self, data: bytes, file: str) -> Reader | None:
        for name in READERS:
            if name != "sheet":
                reader = self._own(name)
                if reader.recognises(data, file):
                    return reader
        shipped = _only(list(self._shipped(data)))
        if shipped is not None:
            return shipped
        if READER.recognises(data, file):
            return READER
        return next((each for each in self._foreign() if each.recognises(data, file)), None)

    def profile(self, name: str) -> Profile | None:
        """The profile of a shipped dialect; a sheet that was made from such a maker's text names it."""
        from overhang.formats.dialect_format import shipped

        path = shipped().get(name)
        found = self._dialect(path) if path is not None else None
        return None if found is None else found.dialect.profile

    # -- the readers there are -----------------------------------------------------------------------------------------

    def _own(self, name: str) -> Reader:
        reader: Reader = importlib.import_module(READERS[name]).READER
        return reader

    def _named(self, name: str) -> Reader:
        if name in READERS:
            return self._own(name)
        for each in self._foreign():
            if each.name == name:
                return each
        known = [*READERS, *(each.name for each in self._foreign())]
        near = did_you_mean(name, known)
        hint = (
            f"did you mean {near}?"
            if near
            else f"known readers: {', '.join(known)}; a maker's language needs --dialect"
        )
        raise NoReader(f"--reader {name}: {hint}")

    def _foreign(self) -> list[Reader]:
        if self._others is None:
            self._others = []
            for name, found in _entry_points(GROUP, self.problems):
                self._others.append(_Foreign(name, found))
        return self._others

    def openers(self) -> dict[str, Callable[[str], str]]:
        """What packages open the masking of makers with, by name."""
        return dict(_entry_points(OPENERS, self.problems))

    def _shipped(self, data: bytes) -> "Iterator[DialectReader]":
        """Those of the dialects that come with the product which recognise a text; only they are read whole."""
        from overhang.formats.dialect_format import DialectReader, load_dialect, shipped

        if not self._heads:
            self._heads = {path: DialectReader(load_dialect(path, recognising=True)) for path in shipped().values()}
        for path, head in self._heads.items():
            if head.by_content(data):
                found = self._dialect(path)
                if found is not None:
                    yield found

    def _beside(self, folder: str, root: str) -> "list[DialectReader]":
        """The dialects in the file's folder, and in the project file's."""
        found = []
        for each in dict.fromkeys((folder, root) if root else (folder,)):
            if each not in self._folders:
                from overhang.formats.dialect_format import beside

                readers = [self._dialect(path) for path in beside(each)]
                self._folders[each] = [reader for reader in readers if reader is not None]
            found += [reader for reader in self._folders[each] if reader not in found]
        return found

    def _dialect(self, path: str) -> "DialectReader | None":
        """The reader for a dialect's file; None, and a problem kept, where it cannot be used."""
        from overhang.dialect.model import BadDialect

        if path not in self._dialects:
            self._dialects[path] = None
            try:
                self._dialects[path] = self._loaded(path)
            except BadDialect as problem:
                place = f"{path}:{problem.problems[0].line}"
                self.problems.append((place, str(problem).removeprefix(f"{place}: ")))
        return self._dialects[path]

    def _loaded(self, path: str) -> "DialectReader":
        from overhang.formats.dialect_format import DialectReader, load_dialect, shipped

        # where those that come with the product are installed is of no use to anybody
        shown = os.path.basename(path) if path in shipped().values() else None
        return DialectReader(load_dialect(path, shown), self.openers, self._trusted)

    def _dialect_asked(self, name: str, who: str, root: str = "") -> "DialectReader":
        """A dialect by its file, or by its name among those that come with the product. Raises NoReader."""
        from overhang.dialect.model import BadDialect
        from overhang.formats.dialect_format import shipped

        path = shipped().get(name) or os.path.join(root, name)
        found = self._dialects.get(path)
        if found is not None:
            return found
        if not os.path.exists(path):
            known = ", ".join(shipped())
            raise NoReader(f"{who} {name}: neither a file nor one of {known}")
        try:
            found = self._dialects[path] = self._loaded(path)
        except BadDialect as problem:
            raise NoReader(str(problem)) from None
        return found


def _only(found: "list[DialectReader]") -> "DialectReader | None":
    """The one that is found; None for none. Raises NoReader for several."""
    if len(found) > 1:
        names = " and ".join(each.dialect.name for each in found[:3])
        raise NoReader(f"the dialects {names} both recognise it; choose one with --dialect or in the project file")
    return found[0] if found else None


def _entry_points(group: str, problems: list[tuple[str, str]]) -> Iterator[tuple[str, Any]]:
    """What installed packages register in a group; one that cannot be loaded is a problem, and the others go on."""
    from importlib.metadata import entry_points

    for each in sorted(entry_points(group=group), key=lambda point: point.name):
        try:
            yield each.name, each.load()
        except Exception as error:
            problems.append((f"{group} {each.name}", f"cannot be loaded: {type(error).__name__}: {error}"))
