"""A change rehearsed: applied statement by statement, as a device would, and after each one who gains and who loses."""

import datetime
from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import NamedTuple

from overhang.changes.bearing import accounts_alone, matters
from overhang.changes.change import Applied, Change
from overhang.changes.compare import DeviceComparison, compare_two
from overhang.changes.judge import Judged, expectations_on, judge_one
from overhang.changes.session import Session
from overhang.difference import (
    Difference,
    PersonChange,
    Side,
    StatementChange,
    WayChange,
    compare_sides,
    difference,
)
from overhang.difference.people import reached
from overhang.difference.statements import statement_changes
from overhang.difference.ways import Ways
from overhang.exposure import explorer_of, paths_of, resolve
from overhang.exposure.explore import Explorer, Similar
from overhang.language import ParsedConfig
from overhang.model.hash_budget import PER_RUN, HashBudget
from overhang.project import Project

DOES_NOTHING = "does nothing"
#: Looking for a safe order stops after so many states of the device.
_MOST_STATES = 600
_MOST_REASONS = 3


class LockOut(NamedTuple):
    """Somebody who got in before the change and does not after the statement of a line.

    ``healed`` is the line of the one that lets them in again, None where none does. Not ``sure``: they may get in, by
    something unknown.
    """

    name: str
    line: int
    healed: int | None
    sure: bool = True


class Opening(NamedTuple):
    """Something that the statement of a line opens to what was known before the change.

    ``closed`` is the line of the statement that closes it, None where none does.
    """

    line: int
    closed: int | None
    change: WayChange
    ways: Ways


class Step(NamedTuple):
    """One statement, and what it does: who gains and loses since the statement before.

    ``difference`` is None where nothing that matters differs. ``locked_out`` are the people who got in before the
    change and do not now. ``comes_back`` tells whether the session could log in again, at its level: None where that
    cannot be told, or there is none. ``level`` is the level that it would reach.
    """

    file: str
    line: int
    statement: str
    difference: Difference | None
    locked_out: tuple[str, ...]
    comes_back: bool | None
    level: int | None
    remark: str = ""

    @property
    def gained(self) -> tuple[WayChange, ...]:
        """The rows gained."""
        return self.difference.gained if self.difference is not None else ()

    @property
    def lost(self) -> tuple[WayChange, ...]:
        """The rows lost."""
        return self.difference.lost if self.difference is not None else ()

    @property
    def people(self) -> tuple[PersonChange, ...]:
        """The people for whom something changes."""
        return tuple(each for each in self.difference.people if each.changed) if self.difference is not None else ()


class Rehearsal(NamedTuple):
    """A change rehearsed. ``end`` compares the device before and after all of it.

    ``order`` are the numbers of the change's units in an order in which nobody is locked out and nothing is opened for
    a moment, the written one where that is such; None where none was found, and ``why_no_order`` then says why.
    ``session`` is the level of the session before the change, None where there is no session. ``stranded`` are the
    lines after which it could not come back at its level. ``in_session``: there is a session to watch.
    """

    base: Judged
    final: ParsedConfig
    change: Change
    steps: tuple[Step, ...]
    end: DeviceComparison
    lock_outs: tuple[LockOut, ...]
    openings: tuple[Opening, ...]
    order: tuple[int, ...] | None
    why_no_order: str
    session: int | None
    stranded: tuple[int, ...] = ()
    at_once: bool = False
    in_session: bool = False

    @property
    def doubts(self) -> int:
        """How many statements do nothing, were not understood, or take back what is not there."""
        return sum(bool(step.remark) for step in self.steps)

    @property
    def ceased(self) -> list[str]:
        """The expectations that cease to hold."""
        return [each.say for each in self.end.expectations if each.ceases]

    @property
    def understood(self) -> bool:
        """Whether everything was understood."""
        found = self.end.difference
        return not (self.doubts or self.return_unknown) and found is not None and found.understood

    @property
    def return_unknown(self) -> bool:
        """Whether after some statement nobody can tell if the session could come back."""
        return self.in_session and any(step.comes_back is None for step in self.steps)

    @property
    def safe(self) -> bool:
        """Whether nobody is locked out, nothing is opened, and no expectation ceases to hold."""
        return not (self.lock_outs or self.openings or self.ceased or self.stranded)


class _State(NamedTuple):
    """The device at some moment of the change, and what it means compared with the device before it."""

    side: Side
    locked_out: Mapping[str, bool]
    opened: tuple[WayChange, ...]
    ways: Ways
    comes_back: bool | None
    level: int | None
    explorer: Explorer | None = None


class Rehearser:
    """Rehearses changes of one device at one moment. ``people`` are those who are watched, by default all."""

    def __init__(
        self,
        config: ParsedConfig,
        project: Project,
        moment: datetime.datetime,
        session: Session | None = None,
        people: Iterable[str] | None = None,
    ) -> None:
        self.moment, self.session = moment, session
        watched = set(project.people if people is None else people)
        self.project = project
        self._watched = project._replace(
            people={name: each for name, each in project.people.items() if name in watched}
        )
        self._budget = HashBudget(PER_RUN)
        self.base = judge_one(config, project, moment)
        self._budget.learn(self.base.side.resolved.hashes)
        self._side = self.base.side._replace(project=self._watched)
        self._levels = {
            name: max(reached(self._side.found, person, project)[0].values(), default=None)
            for name, person in self._watched.people.items()
        }
        self.level = None if session is None else session.level(self._side, moment)[1]
        self._items = {name for several in self._side.found.credentials.names for name in several}

    # -- the states of a device ----------------------------------------------------------------------------------------

    def state(
        self, config: ParsedConfig, before: _State | None = None, changes: Sequence[StatementChange] = ()
    ) -> tuple[_State, Difference | None]:
        """A state of the device, and what differs from the one ``before`` it by some changes of statements."""
        resolved = resolve(config, self.project, self._budget)
        similar = None
        if before is not None and before.explorer is not None:
            names = accounts_alone(changes)
            similar = Similar(before.explorer, names) if names is not None else None
        explorer = explorer_of(resolved, self.moment, self.project.servers, similar)
        paths = paths_of(explorer)
        explorer.forget_similar()
        side = Side(config, self._watched, resolved, paths)
        found = None if before is None else difference(before.side, side, self._budget)
        if before is not None and found is not None and not self._may_open(found, before):
            opened, ways = before.opened, before.ways
        else:
            secrets, ways = compare_sides(self._side, side, self._budget)
            known = frozenset(secrets.of[0])
            opened = tuple(each for each in ways.gained if each.path.needs <= known)
        out: dict[str, bool] = {}
        for name, person in self._watched.people.items():
            if self._levels[name] is None:
                continue
            surely, perhaps = reached(paths, person, self._watched)
            if not surely:
                out[name] = not perhaps
        comes_back, level = (None, None) if self.session is None else self.session.level(side, self.moment)
        if comes_back and self.level is not None and (level is None or level < self.level):
            comes_back = False
        return _State(side, out, opened, ways, comes_back, level, explorer), found

    def _may_open(self, found: Difference, before: _State) -> bool:
        """Whether what is open to knowledge from before the change can be another thing after a statement."""
        if found.lost and before.opened:
            return True
        names = found.ways.new.credentials.names
        return any(
            all(any(name in self._items for name in names[number]) for number in change.path.needs)
            for change in found.gained
        )

    def start(self) -> _State:
        """The state before the change."""
        comes_back, level = (None, None) if self.session is None else self.session.level(self._side, self.moment)
        _, ways = compare_sides(self._side, self._side, self._budget)
        return _State(self._side, {}, (), ways, comes_back, level)

    # -- the change ----------------------------------------------------------------------------------------------------

    def rehearse(self, change: Change, *, at_once: bool = False) -> Rehearsal:
        """Rehearse a change, each statement by itself, or all ``at_once``."""
        states = [self.start()]
        steps: list[Step] = []
        for applied in self._applied(change, at_once=at_once):
            before = states[-1]
            changes = statement_changes(before.side.config, applied.config, self._budget)
            remark = applied.remark or ("" if changes else DOES_NOTHING)
            state, found = before, None
            if changes and any(map(matters, changes)):
                state, found = self.state(applied.config, before, changes)
            elif changes or applied.remark:
                state = before._replace(side=before.side._replace(config=applied.config))
            if found is not None and found.empty and not applied.remark:
                found = None
            states.append(state)
            steps.append(
                Step(
                    change.file,
                    applied.line,
                    applied.shown,
                    found,
                    tuple(state.locked_out),
                    state.comes_back,
                    state.level,
                    remark,
                )
            )
        final = states[-1].side.config
        lock_outs = tuple(_lock_outs(steps, states[1:]))
        openings = tuple(_openings(steps, states[1:]))
        stranded = (
            tuple(step.line for step in steps if step.comes_back is False) if self._could_come_back(states) else ()
        )
        order: tuple[int, ...] | None = tuple(range(len(change.units)))
        why = ""
        if lock_outs or stranded or any(each.closed is not None for each in openings):
            order, why = self._order(change, states[-1], at_once=at_once)
        return Rehearsal(
            self.base,
            final,
            change,
            tuple(steps),
            self._end(final),
            lock_outs,
            openings,
            order,
            why,
            self.level,
            stranded,
            at_once,
            self.session is not None,
        )

    @staticmethod
    def _could_come_back(states: Sequence[_State]) -> bool:
        return bool(states) and states[0].comes_back is not False

    @staticmethod
    def _applied(change: Change, *, at_once: bool) -> Iterator[Applied]:
        if not at_once:
            yield from change.steps()
            return
        steps = list(change.steps())
        for each in steps[:-1]:
            if each.remark:
                yield each._replace(config=steps[-1].config)
        if steps:
            yield steps[-1]._replace(shown=f"all {len(steps)} lines at once" if len(steps) > 1 else steps[-1].shown)

    def _end(self, final: ParsedConfig) -> DeviceComparison:
        old = self.base._replace(
            people=self._watched,
            expectations=expectations_on(self.base.side, self.project, self.moment),
        )
        new = judge_one(final, self.project, self.moment)
        new = new._replace(people=self._watched, expectations=expectations_on(new.side, self.project, self.moment))
        return compare_two(old, new)

    # -- another order -------------------------------------------------------------------------------------------------

    def _order(self, change: Change, end: _State, *, at_once: bool) -> tuple[tuple[int, ...] | None, str]:
        """An order of the same statements that is safe, or why there is none."""
        why = self._unsafe(end, end)
        if why:
            return None, f"no order helps: after the whole change {why}"
        if at_once or len(change.units) < 2:
            return None, "there is only one step"
        finder = _OrderFinder(self, change, end)
        return finder.find()

    def _unsafe(self, state: _State, end: _State) -> str:
        """Why a state is none that may be passed through; "" where it may."""
        for name in state.locked_out:
            return f"{name} is locked out"
        if state.comes_back is False and self.level is not None:
            return "the session could not come back"
        lasting = {_row_key(each, end.ways) for each in end.opened}
        for each in state.opened:
            if _row_key(each, state.ways) not in lasting:
                return "something is opened for a moment"
        return ""


class _OrderFinder:
    """Looks for a safe order, the written one as far as it goes; the same statements are never tried in the same state
    twice."""

    def __init__(self, rehearser: Rehearser, change: Change, end: _State) -> None:
        self._rehearser, self._change, self._end = rehearser, change, end
        self._dead: dict[frozenset[int], str] = {}
        self._left = _MOST_STATES
        #: of each statement, why it could not come next where it was tried; "" once it could
        self._whys: dict[int, str] = {}
        self._states: dict[frozenset[int], _State] = {}

    def find(self) -> tuple[tuple[int, ...] | None, str]:
        """The order, or why there is none."""
        every = frozenset(range(len(self._change.units)))
        path: list[int] = []
        done: frozenset[int] = frozenset()
        options = [self._next(done, every)]
        while options:
            number = next(options[-1], None)
            if number is None:
                options.pop()
                if path:
                    done -= {path.pop()}
                continue
            path.append(number)
            done |= {number}
            if done == every:
                final = self._change.after(path)
                if not statement_changes(self._end.side.config, final, HashBudget(0)):
                    return tuple(path), ""
                done -= {path.pop()}
                continue
            options.append(self._next(done, every))
        if self._left <= 0:
            return None, f"no safe order was found among {_MOST_STATES} states of the device that were tried"
        never = [(number, why) for number, why in sorted(self._whys.items()) if why]
        if not never:
            return None, "in every order somebody is locked out or something is opened at some moment"
        units = self._change.units
        told = "; ".join(f"after line {units[number].line} {why}" for number, why in never[:_MOST_REASONS])
        return None, f"whatever comes before: {told}"

    def _next(self, done: frozenset[int], every: frozenset[int]) -> Iterator[int]:
        """The statements that may come next, in the order in which they are written."""
        path = sorted(done)
        for number in sorted(every - done):
            if not self._change.units[number].after <= done:
                continue
            reached_now = done | {number}
            if reached_now not in self._dead:
                self._dead[reached_now] = self._why([*path, number]) if self._left > 0 else "not tried"
                if self._whys.get(number) != "":
                    self._whys[number] = self._dead[reached_now]
                if not self._dead[reached_now]:
                    self._dead[reached_now] = "tried already"
                    yield number

    def _why(self, order: Sequence[int]) -> str:
        self._left -= 1
        config = self._change.after(order)
        before = self._states.get(frozenset(order[:-1]))
        if before is not None:
            changes = statement_changes(before.side.config, config, HashBudget(0))
            if not any(map(matters, changes)):
                self._states[frozenset(order)] = before._replace(side=before.side._replace(config=config))
                return ""
        state, _ = self._rehearser.state(config)
        self._states[frozenset(order)] = state
        return self._rehearser._unsafe(state, self._end)


def _row_key(change: WayChange, ways: Ways) -> object:
    """What makes a row of two comparisons with the same device the same one."""
    path, found = change.path, ways.new
    sources = None if path.sources is None else tuple(found.address_classes.prefixes(path.sources))
    needs = tuple(sorted(found.credentials.known_as(each) for each in path.needs))
    return path.via, sources, path.to, needs, path.level, tuple(map(tuple, found.down(path)))


def _lock_outs(steps: Sequence[Step], states: Sequence[_State]) -> Iterator[LockOut]:
    since: dict[str, tuple[int, bool]] = {}
    for step, state in zip(steps, states, strict=True):
        for name in [name for name in since if name not in state.locked_out]:
            line, sure = since.pop(name)
            yield LockOut(name, line, step.line, sure)
        for name, sure in state.locked_out.items():
            since.setdefault(name, (step.line, sure))
    for name, (line, sure) in since.items():
        yield LockOut(name, line, None, sure)


def _openings(steps: Sequence[Step], states: Sequence[_State]) -> Iterator[Opening]:
    since: dict[object, tuple[int, WayChange, Ways]] = {}
    for step, state in zip(steps, states, strict=True):
        now = {_row_key(each, state.ways): each for each in state.opened}
        for key in [key for key in since if key not in now]:
            line, change, ways = since.pop(key)
            yield Opening(line, step.line, change, ways)
        for key, change in now.items():
            since.setdefault(key, (step.line, change, state.ways))
    for line, change, ways in since.values():
        yield Opening(line, None, change, ways)
