"""The decision: reachability, authentication, authorization, elevation; and the merged result of its runs."""

from collections.abc import Callable
from typing import NamedTuple

from overhang.simulation.authentication import check
from overhang.simulation.authorization import land
from overhang.simulation.challenge import Session
from overhang.simulation.elevation import elevate
from overhang.simulation.evaluation import Evaluation
from overhang.simulation.lockout import LockoutState, joined
from overhang.simulation.oracle import AttemptOracle, Doubt, Oracle
from overhang.simulation.reachability import arrive
from overhang.simulation.reasons import Reason, Stage
from overhang.simulation.resolve import ResolvedDevice
from overhang.simulation.result import Attempt, Result, Step
from overhang.simulation.views import Endpoint

#: So many combinations of answers are followed; what is in doubt beyond them stays in doubt.
_MOST_RUNS = 1_024

#: After so many, those that end differently are enough to say so.
_ENOUGH_RUNS = 128

#: And so many states of the failures are kept apart; beyond them what differs is unsure.
_MOST_STATES = 64


class End(NamedTuple):
    """How one run ends: what two runs must have in common to give one result."""

    outcome: str
    after_login: int | None
    level: int | None
    elevation: str | None


class Since(NamedTuple):
    """How far a login has come, so that it can go on from there: what it reached, the session once there is one, and
    the steps up to there, of which the first ``reached`` led to the prompt."""

    endpoint: Endpoint | None = None
    session: Session | None = None
    steps: tuple[Step, ...] = ()
    reached: int = 0

    def at_prompt(self) -> "Since":
        """How far it had come when it reached the prompt."""
        return Since(self.endpoint, None, self.steps[: self.reached], self.reached)


class Ended(NamedTuple):
    """A finished run, with the questions in doubt that it met. ``waits``: another answer would be taken."""

    end: End
    steps: list[Step]
    doubts: tuple[Doubt, ...]
    failures: LockoutState
    since: Since = Since()
    waits: bool = False


_NOWHERE = Since()


def run_once(
    resolved: ResolvedDevice, attempt: Attempt, oracle: Oracle, failures: LockoutState, since: Since = _NOWHERE
) -> Ended:
    """One run, with the oracle's answers as they stand, going on from ``since``. ``failures`` is changed."""
    run = Evaluation(resolved, attempt, oracle, failures)
    run.steps += since.steps
    endpoint, session = since.endpoint, since.session
    reached = since.reached
    if endpoint is None:
        endpoint = arrive(run)
        reached = len(run.steps)
    if endpoint is not None and session is None:
        granted = check(run, endpoint)
        if granted is None:
            end = End(run.outcome, None, None, None)
            here = Since(endpoint, None, tuple(run.steps[:reached]), reached)
            return Ended(end, run.steps, tuple(oracle.doubts), failures, here, run.waits)
        session = land(run, endpoint, granted.answer, through_list=granted.through_list)
    if endpoint is None or session is None:
        return Ended(End(run.outcome, None, None, None), run.steps, tuple(oracle.doubts), failures)
    after = session.level
    here = Since(endpoint, session, tuple(run.steps), reached)
    if attempt.elevate is None:
        return Ended(End("admitted", after, after, None), run.steps, tuple(oracle.doubts), failures, here)
    elevated = elevate(run, endpoint, session, attempt.elevate)
    if not elevated.granted and any(step.asked == "password" for step in run.steps if step.stage == Stage.ELEVATION):
        fact = resolved.facts["failed-elevation-closes"]
        if run.settle(fact, "failed-elevation-closes"):
            run.note(Stage.ELEVATION, Reason.CLOSED_BY_ELEVATION, fact.origin)
            end = End("dropped", after, None, "denied")
            return Ended(end, run.steps, tuple(oracle.doubts), failures, here, run.waits)
    end = End("admitted", after, elevated.level, "granted" if elevated.granted else "denied")
    return Ended(end, run.steps, tuple(oracle.doubts), failures, here, run.waits)


class Decided(NamedTuple):
    """A result, the failures as they may stand after it (more than one where they are in doubt), and how many runs it
    took.

    ``since`` is how far the login came, None where that is in doubt; ``waits``: another answer would be taken.
    """

    result: Result
    lockout_states: list[LockoutState]
    runs: int = 1
    since: Since | None = None
    waits: bool = False


def decide(
    resolved: ResolvedDevice,
    attempt: Attempt,
    lockout_states: list[LockoutState] | None = None,
    *,
    most_runs: int = _MOST_RUNS,
    since: Since = _NOWHERE,
    oracle_of: Callable[[Attempt, ResolvedDevice], Oracle] = AttemptOracle,
) -> Decided:
    """How ``attempt`` ends on a device, after the failures that ``worlds`` tell of.

    Where things are in doubt, at most ``most_runs`` combinations of answers are followed; more make it "can't tell".
    ``since``: how far the login has come already. ``oracle_of`` makes what answers the questions of the decision.
    """
    if lockout_states is None:
        lockout_states = [LockoutState()]
    if len(lockout_states) == 1:  # nearly always: nothing is in doubt
        oracle = oracle_of(attempt, resolved)
        before = lockout_states[0].copy() if resolved.counts else lockout_states[0]
        ended = run_once(resolved, attempt, oracle, before, since)
        if not oracle.doubts:
            told = _told(resolved, ended.end, ended.steps)
            return Decided(told, [ended.failures], 1, ended.since, ended.waits)
    runs: list[Ended] = []
    for failures in lockout_states:
        oracle = oracle_of(attempt, resolved)
        while True:
            oracle.restart()
            runs.append(run_once(resolved, attempt, oracle, failures.copy(), since))
            if not oracle.doubts or len(runs) >= most_runs or not oracle.advance():
                break
            if len(runs) % _ENOUGH_RUNS == 0 and len({ended.end.outcome for ended in runs}) > 1:
                break  # the end cannot be told any more, whatever the other answers lead to
    after = list({ended.failures.key(): ended.failures for ended in runs}.values())
    whole = len(runs) < most_runs
    result = _result(resolved, runs, whole=whole)
    waits = all(ended.waits for ended in runs)
    return Decided(result, after if len(after) <= _MOST_STATES else [joined(after)], len(runs), None, waits)


def _result(resolved: ResolvedDevice, runs: list[Ended], *, whole: bool) -> Result:
    first = runs[0]
    if len(runs) == 1 or all(ended.end == first.end for ended in runs):
        if not whole:
            step = first.doubts[0].step if first.doubts else first.steps[-1]
            too_many = Step(step.stage, Reason.TOO_MANY_DOUBTS, step.origin)
            return _told(resolved, End("unknown", None, None, None), [*first.steps, too_many])
        return _told(resolved, first.end, first.steps)
    doubt = _deciding_doubt(runs)
    ends = {ended.end for ended in runs}
    end = End("unknown", None, None, None)
    if whole and all(each.outcome == "admitted" for each in ends):
        afters = {each.after_login for each in ends}
        levels = {each.level for each in ends}
        elevations = {each.elevation for each in ends}
        after = afters.pop() if len(afters) == 1 else None
        level = levels.pop() if len(levels) == 1 else None
        if after is not None or level is not None:
            elevation = elevations.pop() if len(elevations) == 1 else "unknown"
            end = End("admitted", after, level, elevation)
    elif whole and len({each.outcome for each in ends}) == 1:
        end = next(iter(ends))
    return _told(resolved, end, [*_common(runs), doubt])


def _told(resolved: ResolvedDevice, end: End, steps: list[Step]) -> Result:
    last = steps[-1]
    if end.outcome == "admitted" and end.elevation is None:
        last = next((step for step in reversed(steps) if step.stage != Stage.AUTHORIZATION), last)
    return Result(
        end.outcome,
        end.level,
        end.after_login,
        end.elevation,
        last,
        resolved.understood,
        tuple(steps),
    )


def _common(runs: list[Ended]) -> list[Step]:
    """The steps that all runs share from the start."""
    shared = runs[0].steps
    for ended in runs[1:]:
        size = min(len(shared), len(ended.steps))
        same = next((index for index in range(size) if shared[index] != ended.steps[index]), size)
        shared = shared[:same]
    return shared


def _lock_in_doubt(runs: list[Ended]) -> Step:
    """The lock or pause that some runs meet and others do not: earlier answers in doubt are why."""
    steps = [step for ended in runs for step in ended.steps]
    shut = next((step for step in steps if step.code in (Reason.LOCKED, Reason.PAUSED)), None)
    if shut is None:
        return Step(steps[-1].stage, Reason.TOO_MANY_DOUBTS, steps[-1].origin)
    what = f"account {shut.arguments[0]} is locked" if shut.code == Reason.LOCKED else "remote logins are paused"
    return Step(shut.stage, Reason.UNSURE_LOCK, shut.origin, (what,))


def _deciding_doubt(runs: list[Ended]) -> Step:
    """The first question on whose answer the end hangs."""
    depth = 0
    while True:
        doubts = [ended.doubts[depth] for ended in runs if len(ended.doubts) > depth]
        if not doubts:
            return _lock_in_doubt(runs)
        by_choice: dict[int, set[End]] = {}
        for ended in runs:
            if len(ended.doubts) > depth:
                by_choice.setdefault(ended.doubts[depth].choice, set()).add(ended.end)
        ends = list(by_choice.values())
        if any(each != ends[0] for each in ends[1:]):
            return doubts[0].step
        depth += 1
