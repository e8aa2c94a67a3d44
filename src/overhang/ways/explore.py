"""Every way in: the decision asked with every answer, phase by phase, and the answers put together.

Arriving is explored for each way, destination and lowest free VTY; checking and landing for each place arrived at and
each name; elevating for each place and level that is landed on. What each phase needs is a set of sources, a set of
server states and a set of items, so that the phases multiply as sets.
"""

import datetime
from collections.abc import Iterator, Mapping
from itertools import combinations
from typing import Any, NamedTuple

from overhang.device import Address
from overhang.login import Attempt, Failures, Setting, words
from overhang.login.arriving import arrive
from overhang.login.checking import check
from overhang.login.elevating import elevate
from overhang.login.landing import land
from overhang.login.run import Run
from overhang.login.setting import VTY_WAYS, Place
from overhang.profiles import UNKNOWN
from overhang.ways.asker import NOBODY, Circumstances, ExploringAsker

ANYBODY = "*"
_MOST_VTYS = 256
_MOST_DOUBTFUL_RUNS = 20_000
_MOST_PARTS = 10


class Path(NamedTuple):
    """What one phase takes: sources and server states as sets, items, whether it is sure, and what it leads to."""

    sources: int
    states: int
    needs: frozenset[int]
    sure: bool
    result: Any


class Explorer:
    """Explores one device; the answers of each phase are kept, since many ways share them."""

    def __init__(self, setting: Setting, around: Circumstances, moment: datetime.datetime) -> None:
        self.setting = setting
        self.around = around
        self.moment = moment
        #: how many more runs may hang on doubts; at 0 exploring stops, and ``complete`` tells so
        self.patience = _MOST_DOUBTFUL_RUNS
        self._lowest: list[int] | None = None
        self._landings: dict[object, list[Path]] = {}
        self._elevations: dict[object, list[Path]] = {}

    @property
    def complete(self) -> bool:
        """Whether every way was found: not so where too much was in doubt."""
        return self.patience > 0

    def _count(self, asker: ExploringAsker) -> None:
        if not asker.sure:
            self.patience -= 1

    # -- arriving ----------------------------------------------------------------------------------------------------

    def arrivals(self, via: str, destination: Address | None) -> list[Path]:
        """The places that are arrived at by a way; alike ones are one."""
        attempt = Attempt(via, self.moment, destination=destination, ssh_versions=(1, 2))
        found: dict[tuple[object, int, bool], Path] = {}
        for first in self._lowest_free() if via in VTY_WAYS else (0,):
            asker = ExploringAsker(self.around, first)
            while True:
                asker.restart()
                run = Run(self.setting, attempt, asker, Failures())
                place = arrive(run)
                self._count(asker)
                if place is not None:
                    key = (_likeness(place), asker.states, asker.sure)
                    before = found[key].sources if key in found else 0
                    found[key] = Path(asker.sources | before, asker.states, frozenset(), asker.sure, place)
                if not self.complete or not asker.advance():
                    break
        return list(found.values())

    def _lowest_free(self) -> list[int]:
        """The places, in the row of VTYs, that a connection can meet first; of alike ones, one."""
        if self._lowest is None:
            count = self.setting.facts["vtys"].value
            first: dict[object, int] = {}
            for place, view in enumerate(self.setting.vtys(_MOST_VTYS if count is UNKNOWN else count)):
                first.setdefault(view.likeness, place)
            self._lowest = list(first.values())
        return self._lowest

    # -- checking and landing ----------------------------------------------------------------------------------------

    def names(self) -> list[str | None]:
        """The names worth giving: none, one that nobody has, each account's, each that the servers are said to hold."""
        names: dict[str | None, None] = {None: None, NOBODY: None}
        names.update(dict.fromkeys(account.name for account in self.setting.accounts))
        if self.setting.device.groups:
            held = self.around.held
            if held is None:
                names[ANYBODY] = None
            else:
                names.update(dict.fromkeys(name for accounts in held.values() for name in accounts))
        return list(names)

    def landings(self, place: Place) -> list[Path]:
        """The levels that a login at a place lands on, by whatever name."""
        key = _likeness(place)
        if key not in self._landings:
            self._landings[key] = _smallest(list(self._explore_landings(place)))
        return self._landings[key]

    def _explore_landings(self, place: Place) -> Iterator[Path]:
        for name in self.names():
            attempt = Attempt(place.via, self.moment, name=name, ssh_versions=(1, 2))
            asker = ExploringAsker(self.around, placed=place.service is not None)
            named = place.via == "ssh" or bool(self.setting.any_names)
            while True:
                asker.restart()
                run = Run(self.setting, attempt, asker, Failures())
                granted = check(run, place)
                self._count(asker)
                if granted is not None:
                    level = land(run, place, granted.answer, through_list=granted.through_list)
                    yield Path(asker.sources, asker.states, frozenset(asker.needs), asker.sure, level)
                named = named or any(step.asked == "name" for step in run.steps)
                if not self.complete or not asker.advance():
                    break
            if not named:
                return

    # -- elevating ---------------------------------------------------------------------------------------------------

    def elevated(self, place: Place, before: int) -> list[Path]:
        """The levels above ``before`` that the step after a login at a place leads to."""
        key = (_likeness(place), before)
        if key not in self._elevations:
            self._elevations[key] = _smallest(list(self._explore_elevations(place, before)))
        return self._elevations[key]

    def _explore_elevations(self, place: Place, before: int) -> Iterator[Path]:
        if place.entry is None or before == 15:
            return
        for wanted in self._levels_wanted(place, before):
            for name in self.names():
                attempt = Attempt(place.via, self.moment, name=name, elevate=wanted)
                asker = ExploringAsker(self.around, placed=place.service is not None)
                named = bool(self.setting.any_names)
                while True:
                    asker.restart()
                    run = Run(self.setting, attempt, asker, Failures())
                    level = elevate(run, place, before, wanted).level
                    self._count(asker)
                    if level > before:
                        yield Path(asker.sources, asker.states, frozenset(asker.needs), asker.sure, level)
                    named = named or any(step.words == words.ASKS_NAME for step in run.steps)
                    if not self.complete or not asker.advance():
                        break
                if not named:
                    break

    def _levels_wanted(self, place: Place, before: int) -> list[int]:
        """The levels that can end differently: those that something is said of, and the highest that nothing is."""
        setting = self.setting
        said = {15, *setting.elevations}
        if setting.facts["factory-account"].value is UNKNOWN:
            said |= set(range(16))
        for account in (*setting.accounts, *([setting.factory] if setting.factory is not None else [])):
            if account.level is not None:
                said |= set(range(16)) if account.level.value is UNKNOWN else {account.level.value}
        for part in (place.entry, place.service):
            if part is not None and part.level is not None and isinstance(part.level.value, int):
                said.add(part.level.value)
        for key in ("unsaid-account-level", "unsaid-level", "unsaid-level-console"):
            value = setting.facts[key].value
            said |= {value} if isinstance(value, int) else set(range(16)) if value is UNKNOWN else set()
        for accounts in (self.around.held or {}).values():
            said |= {account["level"] for account in accounts.values() if account.get("level") is not None}
        # Beside the levels that have a password, only the highest one without, up to each level said, can differ.
        bare = [level for level in range(1, 16) if level not in setting.device.elevations]
        wanted = set(setting.device.elevations)
        wanted |= {max((level for level in bare if level <= each), default=0) for each in said}
        return sorted((level for level in wanted if level > before), reverse=True)


def _likeness(place: Place) -> object:
    """What makes two places the same for everything after arriving."""
    return (place.via, place.entry.likeness if place.entry is not None else None)


def _smallest(paths: list[Path]) -> list[Path]:
    """The paths without those that take more, or as much, and lead no higher; alike ones joined."""
    joined: dict[tuple[frozenset[int], int, int, bool], int] = {}
    for path in paths:
        key = (path.needs, path.result, path.states, path.sure)
        joined[key] = joined.get(key, 0) | path.sources
    found = [Path(sources, states, needs, sure, level) for (needs, level, states, sure), sources in joined.items()]
    found.sort(key=lambda path: (len(path.needs), -path.result, not path.sure))
    kept: dict[frozenset[int], list[Path]] = {}
    for path in found:
        if not any(_covers(other, path) for part in parts_of(path.needs, kept) for other in kept[part]):
            kept.setdefault(path.needs, []).append(path)
    return [path for paths in kept.values() for path in paths]


def parts_of(needs: frozenset[int], known: Mapping[frozenset[int], Any]) -> list[frozenset[int]]:
    """Those of the sets in ``known`` that are parts of ``needs``, or all of it; few are looked at, however many are."""
    if len(needs) > _MOST_PARTS or 1 << len(needs) > len(known):
        return [part for part in known if part <= needs]
    sizes = range(len(needs) + 1)
    return [part for size in sizes for chosen in combinations(needs, size) if (part := frozenset(chosen)) in known]


def _covers(one: Path, other: Path) -> bool:
    return (
        one.needs <= other.needs
        and one.result >= other.result
        and (one.sure or not other.sure)
        and not other.sources & ~one.sources
        and not other.states & ~one.states
    )
