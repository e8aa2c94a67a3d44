"""Two states of a network compared, device by device: who can get in now who could not, and who can no longer."""

import datetime
import os
from collections.abc import Callable, Iterable, Sequence
from typing import NamedTuple

from overhang.auditing.folding import shown
from overhang.auditing.report import Unreadable
from overhang.auditing.results import ReportedFinding
from overhang.changes.judge import Judged, judge
from overhang.difference import Difference, StatementChange, difference
from overhang.exposure import ExpectationResult
from overhang.language import ParsedConfig
from overhang.model.hash_budget import PER_DEVICE, PER_RUN, HashBudget
from overhang.project import Project

#: What stands on one side: each configuration, or why there is none, by its path below the side.
Given = Sequence[tuple[str, ParsedConfig | Unreadable]]
ProjectOf = Callable[[ParsedConfig], Project]


class FindingChanges(NamedTuple):
    """The findings that only the new state has, those that only the old one has, and how many both have."""

    new: tuple[ReportedFinding, ...] = ()
    gone: tuple[ReportedFinding, ...] = ()
    kept: int = 0


class ExpectationChange(NamedTuple):
    """An expectation that holds on one side alone; None where it is not about the device there."""

    say: str
    before: bool | None
    after: bool | None
    why: str = ""

    @property
    def ceases(self) -> bool:
        """Whether it held, and no longer does."""
        return self.before is True and self.after is False


class DeviceComparison(NamedTuple):
    """One device, or one that is on one side only. ``old`` and ``new`` are the files, None where there is none.

    ``old_name`` is another name that it had. ``problem`` says why it cannot be compared; everything else is then empty.
    """

    name: str
    old: str | None
    new: str | None
    difference: Difference | None = None
    findings: FindingChanges = FindingChanges()
    expectations: tuple[ExpectationChange, ...] = ()
    old_name: str = ""
    problem: str = ""

    @property
    def same(self) -> bool:
        """Whether nothing at all differs."""
        return (
            self.difference is not None
            and self.difference.empty
            and not (self.findings.new or self.findings.gone or self.expectations or self.old_name)
            and self.old is not None
            and self.new is not None
        )


class Comparison(NamedTuple):
    """A whole comparison: the devices in the order of the new side, those that are gone after them.

    ``unreadable`` are files that could not be read and stand for no device known on the other side.
    """

    devices: tuple[DeviceComparison, ...]
    unreadable: tuple[Unreadable, ...]
    moment: datetime.datetime
    left_out: tuple[str, ...] = ()

    @property
    def comparable(self) -> bool:
        """Whether everything could be read and compared."""
        return not self.unreadable and not any(device.problem for device in self.devices)


class _Pair(NamedTuple):
    old: tuple[str, ParsedConfig | Unreadable] | None
    new: tuple[str, ParsedConfig | Unreadable] | None


def compare(
    old: Given,
    new: Given,
    moment: datetime.datetime,
    project_then: ProjectOf,
    project_now: ProjectOf,
    left_out: Iterable[str] = (),
) -> Comparison:
    """Compare two sides at one moment, each under its project."""
    pairs = pair(old, new)
    judged: list[dict[int, Judged]] = []
    for side, project_of in ((0, project_then), (1, project_now)):
        configs: list[tuple[int, ParsedConfig]] = []
        for number, each in enumerate(pairs):
            given = each[side]
            if given is not None and isinstance(given[1], ParsedConfig):
                configs.append((number, given[1]))
        results = judge([(config, project_of(config)) for _, config in configs], moment)
        judged.append({number: result for (number, _), result in zip(configs, results, strict=True)})
    some_unreadable = [any(isinstance(config, Unreadable) for _, config in side) for side in (old, new)]
    share = max(PER_DEVICE, min(4 * PER_DEVICE, PER_RUN // max(1, len(pairs))))
    devices: list[DeviceComparison] = []
    loose: list[Unreadable] = []
    for number, each in enumerate(pairs):
        one, other = judged[0].get(number), judged[1].get(number)
        problems = [side[1] for side in each if side is not None and isinstance(side[1], Unreadable)]
        if problems and one is None and other is None:
            loose += problems
        elif problems:
            devices.append(_unable(one, other, f"{problems[0].file}: {problems[0].error}"))
        elif (one is None and some_unreadable[0]) or (other is None and some_unreadable[1]):
            which = "old" if one is None else "new"
            devices.append(_unable(one, other, f"it may be in a file of the {which} side that cannot be read"))
        else:
            devices.append(compare_two(one, other, HashBudget(share)))
    return Comparison(tuple(devices), tuple(loose), moment, tuple(left_out))


def compare_two(old: Judged | None, new: Judged | None, budget: HashBudget | None = None) -> DeviceComparison:
    """Compare one device in two states, either of which may be missing; ``budget`` is for comparing hashes."""
    sides = [None if each is None else each.side._replace(project=each.people) for each in (old, new)]
    found = difference(sides[0], sides[1], budget)
    name = (new or old).side.name  # type: ignore[union-attr]
    renamed = old is not None and new is not None and old.side.name != name
    return DeviceComparison(
        name,
        None if old is None else old.side.file,
        None if new is None else new.side.file,
        found,
        finding_changes(old, new),
        expectation_changes(
            () if old is None else old.expectations,
            () if new is None else new.expectations,
        ),
        old.side.name if renamed and old is not None else "",
    )


def _unable(old: Judged | None, new: Judged | None, why: str) -> DeviceComparison:
    there = old or new
    return DeviceComparison(
        there.side.name if there is not None else "",
        None if old is None else old.side.file,
        None if new is None else new.side.file,
        problem=why,
    )


def finding_changes(old: Judged | None, new: Judged | None) -> FindingChanges:
    """The findings that came and went; one that was folded into another before, and stands alone now, is not new."""
    seen = [set[str]() if each is None else {one.fingerprint for one in each.audit.findings} for each in (old, new)]
    spoken = [() if each is None else shown(each.audit).findings for each in (old, new)]
    came = [each for each in spoken[1] if each.fingerprint not in seen[0]]
    gone = [each for each in spoken[0] if each.fingerprint not in seen[1]]
    alike = {(each.rule, each.message) for each in came} & {(each.rule, each.message) for each in gone}
    came = [each for each in came if (each.rule, each.message) not in alike]  # the same, said by other lines
    gone = [each for each in gone if (each.rule, each.message) not in alike]
    return FindingChanges(tuple(came), tuple(gone), len(spoken[1]) - len(came))


def expectation_changes(
    old: Sequence[ExpectationResult], new: Sequence[ExpectationResult]
) -> tuple[ExpectationChange, ...]:
    """The expectations that begin or cease to hold."""
    before = {each.expectation.say: each for each in old}
    after = {each.expectation.say: each for each in new}
    found = []
    for say in dict.fromkeys((*before, *after)):
        one, other = before.get(say), after.get(say)
        held = [None if each is None else each.holds for each in (one, other)]
        if held[0] != held[1] and not (held[0] is None and held[1] is True):
            found.append(ExpectationChange(say, held[0], held[1], other.why if other is not None else ""))
    return tuple(found)


def longer_open(difference: Difference) -> list[StatementChange]:
    """The statements by which idle sessions stay open for longer than before."""
    found: list[StatementChange] = []
    for each in difference.statements if difference.old is not None and difference.new is not None else ():
        if each.field == "idle" and each.kind != "added":
            before, after = (float("inf") if value is None else value for value in each.values)
            if each.new is None or after > before:
                found.append(each)
    return found


# -- pairing -----------------------------------------------------------------------------------------------------------


def pair(old: Given, new: Given) -> list[_Pair]:
    """Which devices are one: where each side is one, those; else by name, by path, by path without its ending."""
    if len(old) == len(new) == 1:
        return [_Pair(old[0], new[0])]
    left, right = dict(enumerate(old)), dict(enumerate(new))
    pairs: dict[int, _Pair] = {}
    for key in (_named, _path, _stem):
        by_key: dict[object, list[int]] = {}
        for number, each in left.items():
            by_key.setdefault(key(each), []).append(number)
        for number, each in list(right.items()):
            wanted = key(each)
            held = by_key.get(wanted) if wanted is not None else None
            if held:
                same = [at for at in held if left[at][0] == each[0]]  # of several of a name, the one of the same path
                at = same[0] if same else held[0]
                held.remove(at)
                pairs[number] = _Pair(left.pop(at), right.pop(number))
    found = [pairs.get(number, _Pair(None, each)) for number, each in enumerate(new)]
    return [*found, *(_Pair(each, None) for each in left.values())]


def _named(given: tuple[str, ParsedConfig | Unreadable]) -> object:
    """The name that a device gives itself."""
    config = given[1]
    if isinstance(config, Unreadable) or config.device.facts.name is None:
        return None
    return config.device.facts.name.value


def _path(given: tuple[str, ParsedConfig | Unreadable]) -> object:
    return given[0] or None


def _stem(given: tuple[str, ParsedConfig | Unreadable]) -> object:
    return os.path.splitext(given[0])[0] or None
