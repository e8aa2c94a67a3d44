"""What an audit depends on beside the device's own text: the surroundings that a cache's keys are made of."""

import os
from collections.abc import Iterator

from overhang.fleet.digests import content_digest, digest
from overhang.fleet.examine import Terms
from overhang.formats.registry import DIALECT, GROUP, OPENERS, STEP
from overhang.loading import Loader
from overhang.version import VERSION


class Surroundings:
    """Digests of everything that holds for the files of a folder: the program, options, project, dialects and steps."""

    def __init__(self, loader: Loader, terms: Terms) -> None:
        self._loader = loader
        self._whole = digest([_program(), *_packages(), repr((terms.reader, sorted(terms.trusted))).encode()])
        self._whole += digest(_file(path) for path in (_trusted(), *_dialect(terms.dialect)))
        self._by_folder: dict[str, bytes] = {}

    def device(self, path: str, content: bytes) -> bytes:
        """The key of a file's device; ``content`` is the digest of its bytes. Raises BadProject."""
        return digest([self.of(os.path.dirname(path)), os.fsencode(self._loader.shown(path)), content])

    def of(self, folder: str) -> bytes:
        """The digest of what holds in a folder. Raises BadProject."""
        if folder not in self._by_folder:
            self._by_folder[folder] = digest([self._whole, *self._parts(folder)])
        return self._by_folder[folder]

    def _parts(self, folder: str) -> Iterator[bytes]:
        project = self._loader.projects.of(os.path.join(folder, "x"))
        yield repr(project.thresholds.guess is not None).encode()
        root = ""
        if project.file:
            root = os.path.dirname(os.path.relpath(project.file))
            yield os.fsencode(project.file) + _file(project.file)
        for name in project.dialects.values():
            for path in _dialect(os.path.join(root, name)):
                yield os.fsencode(path) + _file(path)
        for each in dict.fromkeys((folder or ".", root or ".")):
            for path in _beside(each):
                yield os.fsencode(path) + _file(path)


def _file(path: str) -> bytes:
    """The digest of a file's bytes; nothing where there is none, or none that can be read."""
    try:
        with open(path, "rb") as stream:
            return content_digest(stream.read())
    except OSError:
        return b""


def _dialect(path: str | None) -> list[str]:
    """The files of a dialect: itself and its step."""
    return [] if path is None else [path, path.removesuffix(DIALECT) + STEP]


def _beside(folder: str) -> list[str]:
    try:
        return sorted(os.path.join(folder, name) for name in os.listdir(folder) if name.endswith((DIALECT, STEP)))
    except OSError:
        return []


def _trusted() -> str:
    from overhang.teach.trust import list_file

    return str(list_file())


def _program() -> bytes:
    """The program itself: its version, and when its files were written last, for those who work on it."""
    here = os.path.dirname(os.path.dirname(__file__))
    newest, count = 0, 0
    for folder, _, names in os.walk(here):
        for name in names:
            if name.endswith((".py", ".toml", ".txt")):
                newest, count = max(newest, os.stat(os.path.join(folder, name)).st_mtime_ns), count + 1
    return f"{VERSION} {newest} {count}".encode()


def _packages() -> list[bytes]:
    """The packages that add readers, or open the masking of a maker."""
    from importlib.metadata import entry_points

    found = [each for group in (GROUP, OPENERS) for each in entry_points(group=group)]
    named = [f"{each.group} {each.name} {each.value} {each.dist.version if each.dist else ''}" for each in found]
    return [each.encode() for each in sorted(named)]
