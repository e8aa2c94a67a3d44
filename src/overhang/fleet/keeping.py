"""A run that uses a cache: what is kept of each device is looked up, and what was found out anew is kept."""

import os
from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import NamedTuple

from overhang.auditing import DeviceAudit
from overhang.fleet.across import Across
from overhang.fleet.answers import Reading, content
from overhang.fleet.cache import Cache, CacheProblem, Kept, Valid
from overhang.fleet.digests import content_digest, digest
from overhang.fleet.examine import Examined, Terms
from overhang.fleet.keys import Surroundings
from overhang.fleet.whereabouts import Whereabouts
from overhang.loading import Loader, searched
from overhang.model.hash_budget import HashBudget, share_of
from overhang.project import Project
from overhang.spread.world import NetworkPart
from overhang.text import UnreadableInput

_AT_ONCE = 200
#: On what an audit depends, less before more.
_DEPENDS = ("", "day", "moment")


class _More(NamedTuple):
    """What is kept of a device beside its audit: its part of the network without secrets, digests of what was tried,
    and where its secrets stand in its file."""

    part: NetworkPart
    tried: Mapping[bytes, bool | None]
    secrets: Whereabouts | None


class Inputs(NamedTuple):
    """What a run has read: the digests of the devices' files and of further files by their paths, the folders in which
    it looked for dialects, and whether its answer depends on the "day", on the "moment" of the day too, or on neither:
    ""."""

    devices: Mapping[str, bytes]
    further: Mapping[str, bytes]
    folders: tuple[str, ...]
    depends: str

    def with_further(self, files: Iterable[str]) -> "Inputs":
        """The same with further files that have been read, as they are now."""
        return self._replace(further={**self.further, **{path: content(path) for path in files}})

    def unchanged(self, paths: Iterable[str]) -> tuple[Reading, bytes] | None:
        """What was read for ``paths``, and its state, where that is still the same as when it was read."""
        reading = Reading(paths, self.further, self.folders)
        known, seen = {**self.further, **self.devices}, dict[str, bytes]()

        def look(path: str) -> bytes:
            seen[path] = content(path)
            return seen[path]

        state = reading.state(look)
        came = [path for path in seen if path not in known and os.path.isfile(path) and searched(path)]
        same = not came and all(seen.get(path) == found for path, found in known.items())
        return (reading, state) if same else None


class Keeper:
    """Looks into a cache for a run, and adds to it. Where it fails, the run goes on without, and ``tell`` says so.

    Standard input is never kept.
    """

    def __init__(self, cache: Cache, loader: Loader, terms: Terms, tell: Callable[[str], object]) -> None:
        self._cache: Cache | None = cache
        self._loader, self._terms, self._tell = loader, terms, tell
        self._surroundings = Surroundings(loader, terms)
        self._keys: dict[str, bytes] = {}
        self._contents: dict[str, bytes] = {}
        self._moments = ("", terms.moment.date().isoformat(), terms.moment.isoformat())
        self._depends = {""}
        self._by_moment = dict(zip(self._moments, _DEPENDS, strict=True))
        #: what is kept of each file's device beside its audit, as it is kept
        self._more: dict[str, bytes] = {}
        self._waiting: list[tuple[bytes, Valid, DeviceAudit, _More]] = []
        self._secret = cache.key
        #: how many devices were found
        self.hits = 0

    def look(self, path: str) -> DeviceAudit | None:
        """The audit that is kept of a file's device. Raises BadProject."""
        if self._cache is None:
            return None
        try:
            data = self._loader.bytes_of(path)
        except UnreadableInput:
            return None  # whoever examines it says why
        found = self._contents[path] = content_digest(data)
        key = self._keys[path] = self._surroundings.device(path, found)
        kept = self._safely(lambda cache: cache.device(key, self._moments, self._budget(path)))
        if not isinstance(kept, Kept) or not isinstance(kept.value, DeviceAudit):
            return None
        self._depends.add(self._by_moment[kept.moment])
        self._more[path] = kept.more
        self.hits += 1
        return kept.value

    def part(self, path: str) -> NetworkPart | None:
        """The part of the network that is kept of a file's device, with the secrets of its file, or bare where they do
        not stand there as they are; None where it has gone."""
        key = self._keys[path]
        kept = self._safely(lambda cache: cache.more_of(key, self._more[path])) if path in self._more else None
        if not isinstance(kept, _More):
            return None
        part, tried, secrets = kept
        part = part._replace(hashes=HashBudget.remembering(self._secret, tried))
        data = self._same(path, self._contents[path]) if secrets is not None else None
        return part if secrets is None or data is None else part.holding(secrets.again(part.locks, data))

    def _same(self, path: str, found: bytes) -> bytes | None:
        """What a file holds, where that has the digest that it had; None otherwise."""
        try:
            data = self._loader.bytes_of(path)
        except UnreadableInput:
            return None
        return data if content_digest(data) == found else None

    def _budget(self, path: str) -> int:
        return share_of(self._loader.projects.of(path).thresholds.guess, self._terms.files).units

    def keep(self, path: str, examined: Examined) -> None:
        """Keep what was found out of a file's device, where the file was the same as when it was looked for."""
        key = self._surroundings.device(path, examined.content)
        if self._cache is None or self._keys.get(path) != key:
            self._keys.pop(path, None)
            return
        hashes = examined.part.hashes
        at = dict(zip(_DEPENDS, self._moments, strict=True))[examined.depends]
        self._depends.add(examined.depends)
        data = self._same(path, examined.content)
        secrets = None if data is None else Whereabouts.of(examined.part.locks, data)
        kept = _More(examined.part.without_secrets(), hashes.digests(self._secret), secrets)
        self._waiting.append((key, Valid(at, hashes.least, hashes.most), examined.audit, kept))
        if len(self._waiting) >= _AT_ONCE:
            self._flush()

    def across(self, paths: Iterable[str], projects: Sequence[Project], make: Callable[[], Across]) -> Across:
        """What is wrong across the devices of some files: as it is kept, or else made."""
        keys = [self._keys.get(path) for path in paths]
        if self._cache is None or None in keys:
            return make()
        share = [share_of(each.thresholds.guess, self._terms.files).units for each in projects]
        dated = self._moments[1] if any(each.waivers for each in projects) else ""
        key = digest([*(each for each in keys if each is not None), repr((share, dated)).encode()])
        kept = self._safely(lambda cache: cache.network(key))
        if isinstance(kept, Across):
            return kept
        made = make()
        self._safely(lambda cache: cache.keep_network(key, made))
        return made

    def inputs(self, projects: Sequence[Project]) -> Inputs | None:
        """What the run has read, where all of it is known; the files of devices that were read as they are kept."""
        if self._cache is None or self._keys.keys() != self._contents.keys():
            return None
        dated = {"day"} if any(each.waivers for each in projects) else set()
        depends = max(self._depends | dated, key=_DEPENDS.index)
        return Inputs(self._contents, self._surroundings.read, tuple(self._surroundings.folders), depends)

    def close(self) -> None:
        """Keep what still waits, and let go of the cache."""
        self._flush()
        self._safely(lambda cache: cache.close())

    def _flush(self) -> None:
        rows, self._waiting = self._waiting, []
        if rows:
            self._safely(lambda cache: cache.keep_devices(rows))

    def _safely(self, work: Callable[[Cache], object]) -> object:
        if self._cache is None:
            return None
        try:
            return work(self._cache)
        except CacheProblem as problem:
            self._cache = None
            self._tell(f"{problem}; this run goes on without it")
            return None
