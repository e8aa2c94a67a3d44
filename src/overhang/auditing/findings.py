"""What a rule finds, the scale of severities, and the three ways to make a finding."""

import enum
from collections.abc import Hashable, Iterable
from typing import NamedTuple

from overhang.exposure import AccessPath
from overhang.severity import Severity as Severity
from overhang.simulation import FromAttempt, FromProfile, Provenance, Stage, Step
from overhang.text import Origin


class Fault(enum.Enum):
    """The kinds of fault that more than one rule may report; what reports the same is folded (folding.py)."""

    CHECK = "who passes the check at an access point"
    TELNET = "Telnet at an access point"
    ANYWHERE = "logins from anywhere at an access point"
    STORED = "how a password is stored"
    METHOD = "a line of a method list"
    WEB = "web management"
    FACING = "which side management faces"
    UNCONFIGURED = "a device without configuration"
    LINE = "a line that some finding shows"

    def at(self, subject: Hashable = None) -> "DedupKey":
        """The fault at one place."""
        return DedupKey(self, subject)


class DedupKey(NamedTuple):
    """A fault at one place: what stands for it when rules tell each other what they reported."""

    fault: Fault
    subject: Hashable


class Finding(NamedTuple):
    """One thing that is wrong: a sentence with its consequence, what proves it, what it opens, and what fixes it.

    ``lines`` are statements of the configuration; ``unsaid`` are the profile's keys that decide where nothing is
    configured. ``opens`` are the access paths that it opens, or makes easier. ``fix`` are lines of the sheet language
    that change the device; ``withheld`` stands where somebody has to choose a secret. ``dedup_keys`` are the faults
    that it reports: a finding whose faults an earlier rule reported is folded into that one, which names it in
    ``also``. A finding that is ``possible`` depends on something that is not known. One that ``restores`` is about the
    right people being kept out, and its fix lets them in again.
    """

    rule: str
    severity: Severity
    message: str
    lines: tuple[Origin, ...] = ()
    unsaid: tuple[FromProfile, ...] = ()
    opens: tuple[AccessPath, ...] = ()
    fix: tuple[str, ...] = ()
    dedup_keys: tuple[DedupKey, ...] = ()
    also: tuple[str, ...] = ()
    possible: bool = False
    restores: bool = False


def proof(origins: Iterable[Provenance]) -> tuple[tuple[Origin, ...], tuple[FromProfile, ...]]:
    """Provenances parted into lines of the configuration, in order, and keys of the profile; each once."""
    found = list(dict.fromkeys(origins))
    lines = sorted((each for each in found if isinstance(each, Origin) and each.line), key=lambda each: each.line)
    return tuple(lines), tuple(each for each in found if isinstance(each, FromProfile))


def origins_of(steps: Iterable[Step], *stages: Stage) -> list[Provenance]:
    """What the steps of a trace come from, of some stages or of all; what followed from the attempt is left out."""
    return [
        step.origin
        for step in steps
        if not isinstance(step.origin, FromAttempt) and (not stages or step.stage in stages)
    ]


def stated(
    severity: Severity, message: str, because: Iterable[Provenance], fix: Iterable[str], *dedup_keys: DedupKey
) -> Finding:
    """A finding that is not about access paths, with a severity of its own."""
    lines, unsaid = proof(because)
    return Finding("", severity, message, lines, unsaid, (), tuple(fix), dedup_keys)
