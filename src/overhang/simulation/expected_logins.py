"""Logins that should end in a certain way: the attempts of a file, each with its device and how it should end.

docs/attempts.md is the contract. What a person knows of a device is held against what is made of its configuration.
"""

import datetime
from collections.abc import Callable, Iterable, Iterator, Mapping
from typing import Any, NamedTuple

from overhang.simulation.attempts import BadAttempt, Expected, decode_line, read_fields, split_expected
from overhang.simulation.decide import decide
from overhang.simulation.lockout import LockoutState
from overhang.simulation.reasons import Reason, Stage
from overhang.simulation.resolve import ResolvedDevice
from overhang.simulation.result import Attempt, Result, Step

#: Steps that only close a list or a connection after the one that turned a person down.
_ENDS = (Reason.LIST_ENDS_REJECTED, Reason.NO_GOES_ON, Reason.OUT_OF_TRIES, Reason.NO_MORE_TRIES)
_BEFORE_ASKING = ("refused", "dropped")


class Place(NamedTuple):
    """The device that a login is for, and what its AAA servers hold, where that is known."""

    resolved: ResolvedDevice
    servers: Mapping[str, Any] | None = None


class ExpectedLogin(NamedTuple):
    """One login of a file: its line there, the device, how it should end, and how it does.

    ``problem`` says why it could not be tried; ``result`` is then None.
    """

    line: int
    device: str
    expected: Expected
    attempt: Attempt | None = None
    result: Result | None = None
    place: Place | None = None
    problem: str = ""

    @property
    def right(self) -> bool:
        """Whether it ends as it should."""
        return self.result is not None and self.expected.met_by(self.result)

    @property
    def surely_wrong(self) -> bool:
        """Whether it ends in another way, and that is not in doubt."""
        return self.result is not None and not self.right and self.result.outcome != "unknown"


def run_expected(
    lines: Iterable[str], find: Callable[[str], Place], moment: datetime.datetime
) -> Iterator[ExpectedLogin]:
    """Each login of a file, tried. ``find`` gives the device of a name; it raises OverhangError where there is none.

    A login stands alone; one that says ``at`` goes on with the one before it of the same device.
    """
    states: dict[str, list[LockoutState]] = {}
    for number, line in enumerate(lines, 1):
        if not line.strip():
            continue
        name, expected = "", Expected(())
        try:
            fields = read_fields(decode_line(line))
            name, expected = split_expected(fields)
            if not expected.outcomes:
                raise BadAttempt("expect: is missing")
            if not name:
                raise BadAttempt("device: is missing")
            place = find(name)
            attempt, carried = _attempt(fields, place, moment)
            before = states.get(name, [LockoutState()]) if carried else [LockoutState()]
            decided = decide(place.resolved, attempt, before)
        except BadAttempt as problem:
            yield ExpectedLogin(number, name, expected, problem=str(problem))
            continue
        states[name] = decided.lockout_states
        yield ExpectedLogin(number, name, expected, attempt, decided.result, place)


def _attempt(fields: dict[str, Any], place: Place, moment: datetime.datetime) -> tuple[Attempt, bool]:
    """An attempt, and whether it goes on with the one before it."""
    reset = fields.pop("reset", False)
    carried = "at" in fields and not reset
    at = fields.pop("at", 0)
    start = fields.pop("now", moment)
    fields.setdefault("servers", place.servers)
    try:
        when = start + datetime.timedelta(seconds=at)
    except OverflowError:
        raise BadAttempt("at: beyond the calendar") from None
    return Attempt(moment=when, at=at, **fields), carried


def first_wrong(login: ExpectedLogin) -> Step | None:
    """The first step of a login that should have gone another way, as far as how it should end tells.

    Where it should have been let in, the step that turned it down; where it should not, the one that let it pass; where
    only the level is another, the one that gave it.
    """
    result, expected = login.result, login.expected
    if result is None or login.right:
        return None
    trace = result.trace
    if result.outcome != "admitted":
        turned = [step for step in trace if not step.asked and step.code not in _ENDS]
        return turned[-1] if result.outcome == "denied" and turned else result.decided
    if "admitted" in expected.outcomes:
        of = Stage.ELEVATION if result.elevation is not None else Stage.AUTHORIZATION
        return next((step for step in reversed(trace) if step.stage == of), result.decided)
    of = Stage.REACHABILITY if set(expected.outcomes) <= set(_BEFORE_ASKING) else Stage.AUTHENTICATION
    return next((step for step in reversed(trace) if step.stage == of), result.decided)
