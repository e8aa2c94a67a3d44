"""What hangs on each key of a profile, on given devices: the questions that are worth asking about their maker.

A configuration leaves things unsaid; which of them matter depends on what it says. So each value that a key may have is
tried on the devices at hand, and what people act on is compared: access paths, and findings.
"""

import datetime
from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any, NamedTuple

from overhang.auditing.runner import audit_config
from overhang.exposure import find_paths, resolve
from overhang.language import ParsedConfig
from overhang.profiles import KEYS, Profile
from overhang.project import Project

Told = frozenset[tuple[object, ...]]
#: Of keys with many values only these are tried: more of the same tell nothing new.
_TRIED: Mapping[str, tuple[Any, ...]] = {
    "unsaid-account-level": (None, 0, 1, 15),
    "unsaid-level": (0, 1, 15),
    "unsaid-level-console": (0, 1, 15),
    "bare-elevation-level": (None, 15),
    "vtys": (0, 1, 16),
    "unsaid-tries": (1, 3),
    "elevation-tries": (1, 3),
}


class Answered(NamedTuple):
    """What values of a key make of the devices, where they all make the same: how many access paths and findings there
    are beyond those that every value has."""

    values: tuple[str, ...]
    paths: int
    findings: int


class KeyEffect(NamedTuple):
    """What hangs on a key: on how many devices anything does, and how many access paths and findings differ."""

    key: str
    devices: int
    paths: int
    findings: int
    answers: tuple[Answered, ...]

    @property
    def weight(self) -> int:
        """How much hangs on it; a way in is more than a finding."""
        return self.paths * 4 + self.findings


class Interview:
    """The devices that a maker's profile is asked about. ``profile`` is what is known so far."""

    def __init__(
        self, configs: Sequence[tuple[ParsedConfig, Project]], profile: Profile, moment: datetime.datetime
    ) -> None:
        self._configs = [(config, _without_guessing(project)) for config, project in configs]
        self._moment = moment
        self.profile = profile

    def answer(self, key: str, value: Any) -> None:
        """Take in what a key's value is, or UNKNOWN."""
        self.profile = self.profile._replace(values={**self.profile.values, key: value})

    def effects(self, keys: Iterable[str]) -> Iterator[KeyEffect]:
        """What hangs on each of some keys, as things are known now."""
        for key in keys:
            yield self.effect(key)

    def effect(self, key: str) -> KeyEffect:
        """What hangs on a key."""
        values = dict.fromkeys(_TRIED.get(key, KEYS[key].options))
        if self.profile.values[key] is not None and isinstance(self.profile.values[key], int | tuple | str):
            values = dict.fromkeys((*values, self.profile.values[key]))
        told = {value: self._told(key, value) for value in values}
        devices = sum(len({each[at] for each in told.values()}) > 1 for at in range(len(self._configs)))
        common = [frozenset.intersection(*(each[at] for each in told.values())) for at in range(len(self._configs))]
        every = {item for each in told.values() for at, found in enumerate(each) for item in found - common[at]}
        alike: dict[tuple[Told, ...], list[str]] = {}
        for value, each in told.items():
            alike.setdefault(tuple(each), []).append(KEYS[key].show(value))
        answers = []
        for found, shown in alike.items():
            more = [item for at, held in enumerate(found) for item in held - common[at]]
            paths = sum(item[0] == "path" for item in more)
            answers.append(Answered(tuple(shown), paths, len(more) - paths))
        paths = sum(item[0] == "path" for item in every)
        return KeyEffect(key, devices, paths, len(every) - paths, tuple(answers))

    def _told(self, key: str, value: Any) -> list[Told]:
        """What people are told of each device where a key has a value."""
        profile = self.profile._replace(values={**self.profile.values, key: value})
        return [self._of_device(config, project, profile) for config, project in self._configs]

    def _of_device(self, config: ParsedConfig, project: Project, profile: Profile) -> Told:
        config = config._replace(profiles={profile.name: profile}, assumed=profile)
        found = find_paths(resolve(config, project), self._moment)
        name = config.device.file
        told: set[tuple[object, ...]] = {
            ("path", name, path.via, path.level, path.sources, tuple(sorted(found.names_of(path))), path.sure)
            for path in found.paths
        }
        audit = audit_config(config, project, self._moment)
        told |= {("finding", name, each.rule, each.possible, each.message) for each in audit.findings}
        return frozenset(told)


def _without_guessing(project: Project) -> Project:
    """The project without trying passwords against hashes, on which no key has a bearing."""
    return project._replace(thresholds=project.thresholds._replace(guess=0))
