"""What an audit depends on beside the device's own text: the surroundings that a cache's keys are made of."""

import os
from collections.abc import Iterator

from overhang.files import DIALECT, STEP, beside
from overhang.fleet.answers import content, program
from overhang.fleet.digests import digest
from overhang.fleet.examine import Terms
from overhang.formats.registry import GROUP, OPENERS
from overhang.loading import Loader
from overhang.project.loader import candidates


class Surroundings:
    """Digests of everything that holds for the files of a folder: the program, options, project, dialects and steps."""

    def __init__(self, loader: Loader, terms: Terms) -> None:
        self._loader = loader
        #: the digest of each file that was read or looked for, by its path; the folders in which dialects were
        self.read: dict[str, bytes] = {}
        self.folders: set[str] = set()
        self._whole = digest([program().encode(), *_packages(), repr((terms.reader, sorted(terms.trusted))).encode()])
        self._whole += digest(self._file(path) for path in (_trusted(), *_dialect(terms.dialect)))
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
        if self._loader.projects.given is None:
            for path in candidates(folder):
                self._file(path)
        root = ""
        if project.file:
            root = os.path.dirname(os.path.relpath(project.file))
            yield os.fsencode(project.file) + self._file(project.file)
        for name in project.dialects.values():
            for path in _dialect(os.path.join(root, name)):
                yield os.fsencode(path) + self._file(path)
        for each in dict.fromkeys((folder or ".", root or ".")):
            self.folders.add(each)
            for path in beside(each):
                yield os.fsencode(path) + self._file(path)

    def _file(self, path: str) -> bytes:
        """The digest of a file's bytes."""
        self.read[path] = found = content(path)
        return found


def _dialect(path: str | None) -> list[str]:
    """The files of a dialect: itself and its step."""
    return [] if path is None else [path, path.removesuffix(DIALECT) + STEP]


def _trusted() -> str:
    from overhang.teach.trust import list_file

    return str(list_file())


def _packages() -> list[bytes]:
    """The packages that add readers, or open the masking of a maker."""
    from importlib.metadata import entry_points

    found = [each for group in (GROUP, OPENERS) for each in entry_points(group=group)]
    named = [f"{each.group} {each.name} {each.value} {each.dist.version if each.dist else ''}" for each in found]
    return [each.encode() for each in sorted(named)]
