"""What a rule is, what it finds, and the scale of severities."""

import enum
from collections.abc import Callable, Iterator
from typing import TYPE_CHECKING, NamedTuple

from overhang.login import FromProfile
from overhang.text import Origin

if TYPE_CHECKING:
    from overhang.rules.case import Case


class Severity(enum.IntEnum):
    """How bad it is, worst last, so that severities compare as numbers."""

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
    """One thing that is wrong: a sentence with its consequence, and what proves it.

    ``lines`` are statements of the sheet; ``unsaid`` are the profile's keys that decide where the sheet is silent.
    """

    rule: str
    severity: Severity
    message: str
    lines: tuple[Origin, ...] = ()
    unsaid: tuple[FromProfile, ...] = ()


class Rule(NamedTuple):
    """One rule: what a person can read about it, and the function that yields its findings.

    ``fails`` and ``passes`` are whole sheets; in ``fails`` this rule finds something, in ``passes`` it does not.
    ``asks`` tells whether the rule asks the decision (it is about getting in) or reads what is stored.
    """

    name: str
    title: str
    why: str
    looks_for: str
    remedy: str
    references: tuple[str, ...]
    fails: str
    passes: str
    check: Callable[["Case"], Iterator[Finding]]
    asks: bool = False
