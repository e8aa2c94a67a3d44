"""The difference between two devices as one value."""

import datetime
from typing import NamedTuple

from overhang.difference.people import PersonChange, compare_people
from overhang.difference.secrets import JointSecrets
from overhang.difference.statements import StatementChange, statement_changes
from overhang.difference.ways import FactKey, WayChange, Ways, compare_ways
from overhang.exposure import AccessPaths, find_paths, resolve
from overhang.exposure.exploring_oracle import UnknownFact
from overhang.language import ParsedConfig
from overhang.model.hash_budget import HashBudget, share_of
from overhang.model.values import Saved
from overhang.profiles import UNKNOWN
from overhang.project import Project
from overhang.simulation import Reason, ResolvedDevice
from overhang.text import Origin

#: Reasons that say that a profile leaves something open.
_UNSAID = (Reason.UNSURE_UNSAID, Reason.UNSURE_PROFILE)


class Side(NamedTuple):
    """One of two devices: its configuration, the project that holds for it, and every access path at some moment."""

    config: ParsedConfig
    project: Project
    resolved: ResolvedDevice
    found: AccessPaths

    @property
    def name(self) -> str:
        """The device's name."""
        return self.config.device.name

    @property
    def file(self) -> str:
        """The file that it was read from."""
        return self.config.device.file

    @property
    def understood(self) -> bool:
        """Whether every line and the profile were understood, and every access path was found."""
        return self.resolved.understood and self.found.complete


class Difference(NamedTuple):
    """What ``new`` is that ``old`` is not; one of them may be None, and stands for no device at all.

    ``ways`` holds rows gained and lost, ``secrets`` says of each item that both have whether its password was kept,
    changed, or may be either. ``records`` are when and by whom the new one was changed or saved, as far as the old one
    does not say the same. ``why_incomplete``: what may be missing here, "" for nothing.
    """

    old: Side | None
    new: Side | None
    statements: tuple[StatementChange, ...]
    ways: Ways
    people: tuple[PersonChange, ...]
    secrets: JointSecrets
    records: tuple[tuple[str, Saved], ...] = ()
    why_incomplete: str = ""

    @property
    def gained(self) -> tuple[WayChange, ...]:
        """The rows gained, worst first."""
        return self.ways.gained

    @property
    def lost(self) -> tuple[WayChange, ...]:
        """The rows lost, worst first."""
        return self.ways.lost

    @property
    def empty(self) -> bool:
        """Whether nothing differs."""
        return not (self.statements or self.gained or self.lost or any(each.changed for each in self.people))

    @property
    def understood(self) -> bool:
        """Whether both sides were fully understood, and the difference is complete."""
        return all(side is None or side.understood for side in (self.old, self.new)) and not self.why_incomplete


def examine(
    config: ParsedConfig, project: Project, moment: datetime.datetime, hashes: HashBudget | None = None
) -> Side:
    """A device with its access paths; ``hashes`` is what trying its hashes may cost."""
    resolved = resolve(config, project, hashes or share_of(project.thresholds.guess, 1))
    return Side(config, project, resolved, find_paths(resolved, moment, project.servers))


def difference(old: Side | None, new: Side | None, budget: HashBudget | None = None) -> Difference:
    """The difference between two devices. ``budget`` is what comparing their hashes with their clear texts may cost."""
    secrets, ways = compare_sides(old, new, budget)
    people = [None if side is None else (side.found, side.project) for side in (old, new)]
    return Difference(
        old,
        new,
        statement_changes(None if old is None else old.config, None if new is None else new.config, secrets.budget),
        ways,
        compare_people(people[0], people[1], secrets),
        secrets,
        _records(old, new),
        _why_incomplete(old, new, ways),
    )


def compare_sides(old: Side | None, new: Side | None, budget: HashBudget | None = None) -> tuple[JointSecrets, Ways]:
    """The ways gained and lost alone, and the secrets that both are told by."""
    explored = [None if side is None else (side.resolved, side.found) for side in (old, new)]
    secrets = JointSecrets((explored[0], explored[1]), budget)
    return secrets, compare_ways(explored[0], explored[1], secrets, (_keys_of(old), _keys_of(new)))


def _why_incomplete(old: Side | None, new: Side | None, ways: Ways) -> str:
    for side in (old, new):
        if side is not None and not side.found.complete:
            return f"some access paths of {side.file} may be missing: {side.found.why_incomplete}"
    if ways.cut:
        return "of the combinations of servers that are down, only some were compared"
    return ""


def _records(old: Side | None, new: Side | None) -> tuple[tuple[str, Saved], ...]:
    """Who saved or changed the new one, as it says itself."""
    told = [set(_told(side)) if side is not None else set() for side in (old, new)]
    return tuple(each for each in _told(new) if each not in told[0]) if new is not None else ()


def _told(side: Side) -> list[tuple[str, Saved]]:
    facts = side.config.device.facts
    changed = [("changed", facts.changed.value)] if facts.changed is not None else []
    return [*changed, *(("saved", said.value) for said in facts.saved)]


def _keys_of(side: Side | None) -> FactKey:
    """What tells unknown facts of a device apart, wherever they stand: what they are about; the text of a line that was
    not understood; and the profile, where some is known that leaves a key open."""
    if side is None:
        return lambda fact: fact
    config, resolved = side.config, side.resolved
    nothing_known = all(fact.value is UNKNOWN for fact in resolved.facts.values())
    profile = None if nothing_known else resolved.profile_name
    unread = set(config.unread)

    def key(fact: UnknownFact) -> object:
        origin = fact.origin
        if fact.code in _UNSAID:
            return profile, fact.about
        if isinstance(origin, Origin) and origin.file == config.device.file and origin.line in unread:
            return config.lines.digest(origin.line), fact.about
        return fact.code, fact.about

    return key
