"""Everything that the report of a run is made from, gathered file by file."""

import datetime
import os
from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import TYPE_CHECKING, NamedTuple

from overhang import loading
from overhang.auditing import DeviceAudit
from overhang.auditing.report import Unreadable
from overhang.fleet.across import Across, compare_devices
from overhang.fleet.answers import WORTH_KEEPING, own_folder
from overhang.fleet.examine import WORTH_LIKENING, Examined, Examiner, Known, Outcome, Terms
from overhang.loading import STANDARD, Found, Loader, Progress, nothing_in
from overhang.spread.world import NetworkPart

if TYPE_CHECKING:
    from overhang.fleet.cache import Cache
    from overhang.fleet.chunks import File
    from overhang.fleet.cluster import Cluster
    from overhang.fleet.keeping import Inputs

#: So many files are worth a second process: starting one takes as long as auditing some.
WORTH_IT = 40


def cores() -> int:
    """How many processors this process may use."""
    affinity = getattr(os, "sched_getaffinity", None)
    return len(affinity(0)) if affinity is not None else os.cpu_count() or 1


class Gathered(NamedTuple):
    """The devices of a run, each with its audit, what is wrong across them, and what could not be read."""

    audits: list[DeviceAudit]
    across: Across
    unreadable: list[Unreadable]
    left_out: list[str]
    #: how many devices a cache had
    known: int = 0


def _silently(told: object) -> None:
    del told


class Sharing(NamedTuple):
    """How the work of a run is shared: among ``jobs`` processes, and, where it ``keeps`` what it finds, with other runs
    through a ``cache``, a folder, or this user's. For a few devices that is not worth it, and done only with a folder.
    ``tell`` is given what is wrong with the cache, and ``note`` what the run has read, where the cache knows all of it.
    A ``cluster`` does the work in place of processes."""

    jobs: int = 1
    cache: str | None = None
    keeps: bool = False
    tell: Callable[[str], object] = _silently
    cluster: "Cluster | None" = None
    note: "Callable[[Inputs], object]" = _silently


ALONE = Sharing()


def gather(
    paths: Iterable[str],
    loader: Loader,
    moment: datetime.datetime,
    progress: Progress = lambda found: found,
    sharing: Sharing = ALONE,
) -> Gathered:
    """Audit the devices that ``paths`` name. Raises BadProject, ClusterProblem."""
    files = list(loading.find_files(paths))
    loader.count = len(files)
    cache = _cache(sharing, len(files))
    key = os.urandom(32) if cache is None else cache.key
    run = _Run(loader, Terms.of(loader, moment, key, len(files)), sharing, cache)
    gathered = Gathered([], Across(), [], [])
    taken: dict[str, bool] = {}
    told: set[Unreadable] = set()
    for (folder, found), outcome in zip(files, run.outcomes(files, progress), strict=True):
        fresh = [each for each in outcome.problems if each not in told]
        told.update(fresh)
        gathered.unreadable.extend(fresh)
        if isinstance(found, Unreadable):
            gathered.unreadable.append(found)
            continue
        taken[folder or ""] = taken.get(folder or "", False) or outcome.found is not None
        if isinstance(outcome.found, Unreadable):
            gathered.unreadable.append(outcome.found)
        elif outcome.found is None:
            gathered.left_out.append(found)
        else:
            gathered.audits.append(outcome.found.audit)
            run.parts[found] = outcome.found.part if isinstance(outcome.found, Examined) else None
    gathered.unreadable.extend(nothing_in(taken))
    return run.ended(gathered)


def _cache(sharing: Sharing, files: int) -> "Cache | None":
    """The cache of a run of so many files, if it has one."""
    if not sharing.keeps or (files < WORTH_KEEPING and sharing.cache is None):
        return None
    from overhang.fleet.cache import Cache, CacheProblem

    try:
        return Cache(own_folder() if sharing.cache is None else sharing.cache)
    except CacheProblem as problem:
        sharing.tell(f"{problem}; this run goes on without it")
        return None


class _Run:
    """One run: what is kept of its files, who works out the others, and what their devices are to their network."""

    def __init__(self, loader: Loader, terms: Terms, sharing: Sharing, cache: "Cache | None") -> None:
        self._loader, self._terms, self._sharing = loader, terms, sharing
        self._here = Examiner(terms, loader)
        self._keeper = None
        if cache is not None:
            from overhang.fleet.keeping import Keeper

            self._keeper = Keeper(cache, loader, terms, sharing.tell)
        self._problems = False
        #: by file, None where it is kept
        self.parts: dict[str, NetworkPart | None] = {}

    def outcomes(self, files: list[Found], progress: Progress) -> Iterator[Outcome]:
        """What becomes of each file, in order. Standard input is read by this process."""
        done = iter(progress(files))
        next(done, None)  # from now on one more for each file that is done
        known: dict[int, Outcome] = {}
        away: list[int] = []
        paths: list[tuple[str | None, str]] = []
        for place, (folder, each) in enumerate(files):
            if isinstance(each, Unreadable):
                known[place] = Outcome(each)
            elif each != STANDARD:
                kept = self._keeper.look(each) if self._keeper is not None else None
                if kept is None:
                    away.append(place)
                    paths.append((folder, each))
                    continue
                known[place] = Outcome(Known(kept))
                next(done, None)
        work = self._looked_at(paths)
        for number, outcome in self._by_others(work):
            known[away[number]] = self._kept(work[number].path, outcome)
            next(done, None)
        here = dict(zip(away, work, strict=True))
        for place, (folder, each) in enumerate(files):
            if place in known:
                yield known.pop(place)
            else:
                assert isinstance(each, str), "what is no file is known"
                alike = here[place].alike if place in here else None
                yield self._kept(each, self._here.examine(folder, each, alike=alike))
                next(done, None)

    def _looked_at(self, paths: Sequence[tuple[str | None, str]]) -> "list[File]":
        """The files that are to be examined, with what they look like where that is worth it."""
        from overhang.fleet.chunks import File, looked_at

        if len(paths) < WORTH_LIKENING:
            return [File(*each) for each in paths]
        return looked_at(paths, self._loader.bytes_of)

    def _by_others(self, work: "Sequence[File]") -> Iterator[tuple[int, Outcome]]:
        """The outcome of each file with its place, where it is worth it that others work them out."""
        jobs = self._sharing.jobs
        if not work or (self._sharing.cluster is None and (jobs < 2 or len(work) < WORTH_IT)):
            return iter(())
        for each in work:
            self._loader.projects.of(each.path)  # that of the first file which has none that can be used is told
        if self._sharing.cluster is not None:
            from overhang.fleet.cluster import examine_by_cluster

            return examine_by_cluster(self._sharing.cluster, self._here, work)
        from overhang.fleet.chunks import chunks_of
        from overhang.fleet.pool import examine_by_many  # what it imports takes longer than a few devices

        return examine_by_many(self._terms, work, chunks_of(work, jobs), jobs)

    def _kept(self, path: str, outcome: Outcome) -> Outcome:
        # Whoever meets it first tells what is wrong with a dialect: what others made of it is not kept either.
        self._problems = self._problems or bool(outcome.problems)
        if isinstance(outcome.found, Examined):
            self._loader.projects.of(path)  # whoever examined it, its project is known here too
            if self._keeper is not None and path != STANDARD and not self._problems:
                self._keeper.keep(path, outcome.found)
        return outcome

    def _part(self, path: str) -> NetworkPart:
        """The part of a device whose audit was kept: kept too, with the secrets of its file; else worked out."""
        kept = self._keeper.part(path) if self._keeper is not None else None
        if kept is not None:
            return self._here.secrets_again(path, kept) if kept.bare else kept
        found = self._here.examine(None, path).found
        assert isinstance(found, Examined), "it was read before"
        return found.part

    def ended(self, gathered: Gathered) -> Gathered:
        """The same with what is wrong across the devices."""
        projects = self._loader.projects.all()

        def across() -> Across:
            parts = [part or self._part(path) for path, part in self.parts.items()]
            return compare_devices(gathered.audits, parts, projects, self._terms.moment.date())

        if self._keeper is None:
            return gathered._replace(across=across())
        found = self._keeper.across(self.parts, projects, across)
        inputs = self._keeper.inputs(projects)
        if inputs is not None and not gathered.unreadable:
            self._sharing.note(inputs)
        self._keeper.close()
        return gathered._replace(across=found, known=self._keeper.hits)
