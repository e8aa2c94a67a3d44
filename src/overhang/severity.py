"""How bad what an audit finds is: a scale that the options name too, so that it imports nothing else."""

import enum


class Severity(enum.IntEnum):
    """How bad a finding is, worst last, so that severities compare as numbers. docs/severity.md states the scale."""

    INFO = 0
    LOW = 1
    MEDIUM = 2
    HIGH = 3
    CRITICAL = 4

    @property
    def word(self) -> str:
        """The word that reports use."""
        return self.name.lower()
