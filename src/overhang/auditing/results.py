"""The audit of one device, as values that no longer need the device: what reports are made from."""

import datetime
from collections import Counter
from typing import NamedTuple

from overhang.auditing.checklist import ChecklistItem
from overhang.auditing.findings import DedupKey, Severity
from overhang.language import Phrased
from overhang.text import Diagnostic, Shown


class Quoted(NamedTuple):
    """A line of a configuration without its secrets."""

    file: str
    line: int
    text: Shown


class Unsaid(NamedTuple):
    """What a profile says that the device does where nothing is configured."""

    profile: str
    key: str
    value: str


class Opened(NamedTuple):
    """An access path that a finding opens: the way, from where, knowing what, which level after login and at the end.

    ``anywhere`` tells that it can be taken from at least half of all addresses of a family; ``servers`` tells in which
    state of the AAA servers it holds, "" for all. ``busy`` tells which VTYs it leads through, and which must be in use
    for that; "" where none need be. ``hours`` tells at which times of day it is open, "" for always.
    """

    via: str
    sources: tuple[str, ...]
    anywhere: bool
    needs: str
    after_login: int
    level: int
    servers: str
    busy: str = ""
    hours: str = ""


class ReportedFinding(NamedTuple):
    """A finding with its proof quoted.

    ``fingerprint`` stays the same when lines move, or the device is renamed. ``fix`` are statements of the sheet
    language, ``phrased`` the same in the device's own language where it is another one. ``also`` are the rules of the
    findings that were folded into it. One that is ``possible`` depends on something that is not known; the fix of one
    that ``restores`` lets people in again who were kept out.
    """

    rule: str
    severity: Severity
    message: str
    lines: tuple[Quoted, ...]
    unsaid: tuple[Unsaid, ...]
    opens: tuple[Opened, ...]
    fix: tuple[str, ...]
    fingerprint: str
    phrased: Phrased | None = None
    dedup_keys: tuple[DedupKey, ...] = ()
    also: tuple[str, ...] = ()
    possible: bool = False
    restores: bool = False

    @property
    def preferred_fix(self) -> tuple[str, ...]:
        """The fix for a person: in their device's own language where that has words for all of it."""
        return self.fix if self.phrased is None or self.phrased.lines is None else self.phrased.lines


class Waived(NamedTuple):
    """A finding that somebody accepted: why, and until when."""

    finding: ReportedFinding
    reason: str
    until: datetime.date


class NotExamined(NamedTuple):
    """Something that the audit did not look at, and why."""

    what: str
    why: str


#: The letters of the exposure map, worst first, and how little each of them stands for.
KNOWLEDGE = {
    "N": "nothing",
    "R": "only what the configuration shows",
    "?": "cannot tell",
    "S": "one shared secret",
    "A": "one account",
    "T": "two or more credentials",
}


class Exposure(NamedTuple):
    """The least knowledge that reaches the highest level by a way: a letter of the exposure map.

    N: nothing; R: what can be read in the configuration; S: one shared password; A: an account's; T: two or more
    credentials; ?: nobody can tell whether anybody gets in. ``level`` is the highest that is reached so, ``needs`` says
    it in words. ``source`` tells from where: "anywhere" (at least half of all addresses of a family), "limited", or
    "port".
    """

    via: str
    letter: str
    level: int
    needs: str
    source: str = "limited"


class TraceStep(NamedTuple):
    """One step of a login: its stage, what happened in one sentence, and the line or profile key that decided."""

    stage: str
    reason: str
    because: str


class LoginTrace(NamedTuple):
    """One login from the first step to where it ends: what it tries, its steps, its outcome and level."""

    device: str
    caption: str
    steps: tuple[TraceStep, ...]
    outcome: str
    level: int | None


class PasswordFingerprint(NamedTuple):
    """A stored password's digest and label, its line, the level it reaches alone (-1: none), how to set another, and
    the item that it belongs to."""

    digest: bytes
    label: str
    line: int
    level: int
    fix: tuple[str, ...]
    item: str = ""


class FleetFingerprint(NamedTuple):
    """What a device is compared with others by: kind, site, habits (name, whether it has it, line), and passwords."""

    kind: str
    site: str
    habits: tuple[tuple[str, bool, int], ...]
    passwords: tuple[PasswordFingerprint, ...]


#: The kinds of findings, the worst first: how severe, and whether only possible.
_KINDS = tuple((severity, possible) for severity in reversed(Severity) for possible in (False, True))


class DeviceAudit(NamedTuple):
    """What the audit says of one device.

    ``profile`` is None where it is not known; ``profile_said``: it is configured. ``errors`` are the located reasons
    why lines were not understood; ``unread`` counts those lines, ``understood`` the others. ``warnings`` are remarks on
    lines that were understood. ``project`` is the project file that held, ``reader`` what read the configuration.
    """

    name: str
    file: str
    kind: str | None
    site: str | None
    profile: str | None
    profile_said: bool
    findings: tuple[ReportedFinding, ...]
    errors: tuple[Diagnostic, ...]
    warnings: tuple[Diagnostic, ...]
    understood: int
    unread: int
    waived: tuple[Waived, ...]
    not_examined: tuple[NotExamined, ...]
    exposures: tuple[Exposure, ...]
    easiest: LoginTrace | None
    fleet_fingerprint: FleetFingerprint
    project: str
    reader: str
    #: whether every access path was decided, and every rule could be
    decided: bool = True
    #: whether the configuration says itself that it may hold more than it states
    incomplete: bool = False
    #: how many lines a dialect's translation fits without a meaning here, since a condition does not hold
    silent: int = 0
    checklist: tuple[ChecklistItem, ...] = ()

    @property
    def worst(self) -> int:
        """The worst severity of what is certain, -1 without such findings."""
        return max((finding.severity for finding in self.findings if not finding.possible), default=-1)

    @property
    def worst_possible(self) -> int:
        """The worst severity of what is possible, -1 without such findings."""
        return max((finding.severity for finding in self.findings if finding.possible), default=-1)

    @property
    def rank(self) -> tuple[object, ...]:
        """Sorts devices worst first."""
        counts = Counter((each.severity, each.possible) for each in self.findings)
        return (*(-counts[kind] for kind in _KINDS), -self.unread, self.name, self.file)
