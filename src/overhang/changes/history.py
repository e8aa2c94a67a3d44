"""The history of a folder or file in a git repository: for each commit, what changed in who gets in.

All commits are judged at one moment and by one project, so that what differs is what was changed. Each distinct content
is read and judged once.
"""

import datetime
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from typing import NamedTuple

from overhang.auditing.report import Unreadable
from overhang.auditing.results import KNOWLEDGE, Exposure
from overhang.changes.compare import Comparison, DeviceComparison, Given, compare_two, pair
from overhang.changes.judge import Judged, expectations_on, judge_one
from overhang.language import ParsedConfig
from overhang.project import Project
from overhang.repository import Blob, Commit, Repository

#: The letters of the exposure map, worst first.
_WORST_FIRST = list(KNOWLEDGE)
#: Reads a file's content: its path below the top of the repository, and its hash; None where no reader recognises it.
Read = Callable[[str, Blob], ParsedConfig | Unreadable | None]


class Worst(NamedTuple):
    """The worst exposure of some devices: the least knowledge that gets in anywhere."""

    device: str
    exposure: Exposure


class Moment(NamedTuple):
    """One commit: what it changed on the devices, and the worst exposure after it; ``exposures`` tells that of each
    device that was there then, None where nobody gets in, by file."""

    commit: Commit
    comparison: Comparison
    worst: Worst | None
    exposures: Mapping[str, tuple[str, Exposure | None]]


class History(NamedTuple):
    """The commits, newest first. ``cut``: the repository holds only the newest part of the history."""

    moments: tuple[Moment, ...]
    cut: bool
    left_out: tuple[str, ...] = ()
    read: int = 0


class _State(NamedTuple):
    """A file at some commit: what it was judged to be, or why not; and the last state that could be judged."""

    now: Judged | Unreadable
    last: Judged | None


class _Reader:
    """Reads and judges contents, each once."""

    def __init__(self, read: Read, project_of: Callable[[ParsedConfig], Project], moment: datetime.datetime) -> None:
        self._read, self._project_of, self._moment = read, project_of, moment
        self._known: dict[tuple[str, str], Judged | Unreadable | None] = {}
        self.left_out: dict[str, None] = {}

    def judged(self, path: str, blob: Blob) -> Judged | Unreadable | None:
        """What a content was judged to be; None where it is no device's."""
        key = (blob.hash, path)
        if key not in self._known:
            self._known[key] = self._judge(path, blob)
        found = self._known[key]
        if found is None:
            self.left_out[path] = None
        return found

    @property
    def count(self) -> int:
        """How many contents were read."""
        return len(self._known)

    def _judge(self, path: str, blob: Blob) -> Judged | Unreadable | None:
        config = self._read(path, blob)
        if config is None or isinstance(config, Unreadable):
            return config
        project = self._project_of(config)
        judged = judge_one(config, project, self._moment)
        return judged._replace(expectations=expectations_on(judged.side, project, self._moment))


def history_of(
    repository: Repository,
    commits: Sequence[Commit],
    read: Read,
    project_of: Callable[[ParsedConfig], Project],
    moment: datetime.datetime,
    wanted: Callable[[str], bool],
    along: Callable[[Sequence[Commit]], Iterable[Commit]] = lambda commits: commits,
) -> History:
    """The history that ``commits``, newest first, make. ``wanted`` tells which paths are looked at; ``along`` may show
    how far it is."""
    reader = _Reader(read, project_of, moment)
    states: dict[str, _State] = {}
    before = repository.before(commits[-1].hash) if commits else None
    for blob in repository.files(before) if before is not None else ():
        if wanted(blob.path):
            judged = reader.judged(blob.path, blob)
            if judged is not None:
                states[blob.path] = _State(judged, judged if isinstance(judged, Judged) else None)
    moments: list[Moment] = []
    for commit in along(list(reversed(commits))):
        devices = list(_changed(commit, states, reader, wanted))
        comparison = Comparison(tuple(devices), (), moment)
        exposures = {path: (_name(state), _exposure(state)) for path, state in states.items()}
        moments.append(Moment(commit, comparison, _worst(exposures.values()), exposures))
    moments.reverse()
    return History(tuple(moments), bool(commits) and repository.shallow, tuple(reader.left_out), reader.count)


def _changed(
    commit: Commit, states: dict[str, _State], reader: _Reader, wanted: Callable[[str], bool]
) -> Iterator[DeviceComparison]:
    """The devices that a commit changed."""
    files = [(path, digest) for path, digest in commit.files if wanted(path)]
    old = {path: states.pop(path) for path, _ in files if path in states}
    new: dict[str, _State] = {}
    for path, digest in files:
        judged = reader.judged(path, Blob(path, digest)) if digest is not None else None
        if judged is not None:
            last = judged if isinstance(judged, Judged) else old[path].last if path in old else None
            new[path] = _State(judged, last)
    states.update(new)
    for one, other in pair(_given(old), _given(new)):
        before = old[one[0]] if one is not None else None
        after = new[other[0]] if other is not None else None
        yield _comparison(before, after)


def _given(states: Mapping[str, _State]) -> Given:
    """What ``pair`` asks for; a state that cannot be read is known by the last that could."""
    found: list[tuple[str, ParsedConfig | Unreadable]] = []
    for path, state in states.items():
        if state.last is not None:
            found.append((path, state.last.side.config))
        elif isinstance(state.now, Unreadable):
            found.append((path, state.now))
    return found


def _comparison(before: _State | None, after: _State | None) -> DeviceComparison:
    """One device before and after a commit; what cannot be read is compared with nothing."""
    if after is not None and isinstance(after.now, Unreadable):
        name = after.last.side.name if after.last is not None else after.now.file
        return DeviceComparison(name, None, after.now.file, problem=f"{after.now.file}: {after.now.error}")
    old = before.last if before is not None else None
    if before is not None and old is None:
        unreadable = before.now
        error = unreadable.error if isinstance(unreadable, Unreadable) else ""
        name = after.now.side.name if after is not None and isinstance(after.now, Judged) else ""
        return DeviceComparison(name, None, None, problem=f"the state before cannot be read: {error}")
    new = after.now if after is not None and isinstance(after.now, Judged) else None
    return compare_two(old, new)


def _name(state: _State) -> str:
    there = state.now if isinstance(state.now, Judged) else state.last
    return there.side.name if there is not None else ""


def _exposure(state: _State) -> Exposure | None:
    return worst_of(state.now) if isinstance(state.now, Judged) else None


def worst_of(judged: Judged) -> Exposure | None:
    """The worst exposure of a device: the one that takes the least, and of those the one that reaches highest."""
    free = [path for path in judged.side.found.paths if path.sure and not path.needs]
    if free:  # also where more knowledge reaches a higher level by the same way
        path = max(free, key=lambda each: (each.level, each.sources is not None))
        return Exposure(path.via, "N", path.level, "nothing")
    return min(judged.audit.exposures, key=rank_of, default=None)


def rank_of(exposure: Exposure) -> tuple[int, int]:
    """Sorts exposures worst first."""
    return _WORST_FIRST.index(exposure.letter), -exposure.level


def _worst(exposures: Iterable[tuple[str, Exposure | None]]) -> Worst | None:
    found = [Worst(name, exposure) for name, exposure in exposures if exposure is not None]
    return min(found, key=lambda each: (*rank_of(each.exposure), each.device), default=None)
