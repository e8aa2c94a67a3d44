"""A run that uses a cache: what is kept of each device is looked up, and what was found out anew is kept."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import NamedTuple

from overhang.auditing import DeviceAudit
from overhang.fleet.across import Across
from overhang.fleet.cache import Cache, CacheProblem, Valid
from overhang.fleet.digests import content_digest, digest
from overhang.fleet.examine import Examined, Terms
from overhang.fleet.keys import Surroundings
from overhang.loading import Loader
from overhang.model.hash_budget import HashBudget, share_of
from overhang.project import Project
from overhang.spread.world import NetworkPart
from overhang.text import UnreadableInput

_AT_ONCE = 200


class _Kept(NamedTuple):
    """What is kept of a device beside its audit: its part of the network without secrets, and digests of what was
    tried."""

    part: NetworkPart
    tried: Mapping[bytes, bool | None]


class Keeper:
    """Looks into a cache for a run, and adds to it. Where it fails, the run goes on without, and ``tell`` says so.

    Standard input is never kept.
    """

    def __init__(self, cache: Cache, loader: Loader, terms: Terms, tell: Callable[[str], object]) -> None:
        self._cache: Cache | None = cache
        self._loader, self._terms, self._tell = loader, terms, tell
        self._surroundings = Surroundings(loader, terms)
        self._keys: dict[str, bytes] = {}
        self._waiting: list[tuple[bytes, Valid, DeviceAudit, _Kept]] = []
        self._secret = cache.key
        self._moments = ("", terms.moment.date().isoformat(), terms.moment.isoformat())
        #: how many devices were found
        self.hits = 0

    def look(self, path: str) -> DeviceAudit | None:
        """The audit that is kept of a file's device. Raises BadProject."""
        if self._cache is None:
            return None
        try:
            content = self._loader.bytes_of(path)
        except UnreadableInput:
            return None  # whoever examines it says why
        key = self._keys[path] = self._surroundings.device(path, content_digest(content))
        kept = self._safely(lambda cache: cache.device(key, self._moments, self._budget(path)))
        if not isinstance(kept, DeviceAudit):
            return None
        self.hits += 1
        return kept

    def part(self, path: str) -> NetworkPart | None:
        """The part of the network that is kept of a file's device, without its secrets; None where it has gone."""
        key = self._keys[path]
        kept = self._safely(lambda cache: cache.device(key, self._moments, self._budget(path), more=True))
        if not isinstance(kept, _Kept):
            return None
        return kept.part._replace(hashes=HashBudget.remembering(self._secret, kept.tried))

    def _budget(self, path: str) -> int:
        return share_of(self._loader.projects.of(path).thresholds.guess, self._terms.files).units

    def keep(self, path: str, examined: Examined) -> None:
        """Keep what was found out of a file's device, where the file was the same as when it was looked for."""
        key = self._surroundings.device(path, examined.content)
        if self._cache is None or self._keys.get(path) != key:
            self._keys.pop(path, None)
            return
        hashes = examined.part.hashes
        at = {"day": self._moments[1], "moment": self._moments[2]}.get(examined.depends, "")
        kept = _Kept(examined.part.without_secrets(), hashes.digests(self._secret))
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
