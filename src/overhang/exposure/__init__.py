"""Every access path of a device: the decision, explored with every answer."""

from overhang.exposure.devices import resolve
from overhang.exposure.expectations import ExpectationChecker, ExpectationResult, applies_to
from overhang.exposure.paths import AccessPath, AccessPaths, backup_reader, explorer_of, find_paths, paths_at, paths_of
from overhang.exposure.people import can_take, levels_of

__all__ = [
    "AccessPath",
    "AccessPaths",
    "ExpectationChecker",
    "ExpectationResult",
    "applies_to",
    "backup_reader",
    "can_take",
    "explorer_of",
    "find_paths",
    "levels_of",
    "paths_at",
    "paths_of",
    "resolve",
]
