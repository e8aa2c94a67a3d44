"""What a rule is, what it finds, and the scale of severities."""

import enum
from collections.abc import Hashable
from typing import NamedTuple

from overhang.exposure import AccessPath
from overhang.simulate import FromProfile
from overhang.text import Origin


class Severity(enum.IntEnum):
    """How bad it is, worst last, so that severities compare as numbers. docs/severity.md states the scale."""

    INFO = 0
    LOW = 1
    MEDIUM = 2
    HIGH = 3
    CRITICAL = 4

    @property
    def word(self) -> str:
        """The word that reports use."""
        return self.name.lower()


class Finding(NamedTuple):
    """One thing that is wrong: a sentence with its consequence, what proves it, what it opens, and what mends it.

    ``lines`` are statements of the sheet; ``unsaid`` are the profile's keys that decide where the sheet is silent.
    ``opens`` are the ways in that it opens, or makes easier. ``remedy`` are lines of the sheet language that change the
    device; ``withheld`` stands where somebody has to choose a secret. ``causes`` are the faults that it tells of: what
    another rule tells of already is not told again.
    """

    rule: str
    severity: Severity
    message: str
    lines: tuple[Origin, ...] = ()
    unsaid: tuple[FromProfile, ...] = ()
    opens: tuple[AccessPath, ...] = ()
    fix: tuple[str, ...] = ()
    dedup_keys: tuple[Hashable, ...] = ()
