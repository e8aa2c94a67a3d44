"""What has to be so at every step of a change that mends something, and whether it is.

Nobody reaches more with what was known before; what is new needs a credential that the change creates, or lets people
in again whom a lock-out kept out. Nobody of the project file falls below what they need; expectations go on to hold.
"""

import datetime
from collections.abc import Iterable, Mapping, Sequence
from typing import NamedTuple

from overhang.changes.change import SheetChange
from overhang.changes.judge import Judged, expectations_on, judge_one
from overhang.difference import Side, WayChange, compare_sides
from overhang.difference.people import reached
from overhang.difference.statements import statement_changes
from overhang.difference.ways import Ways
from overhang.exposure import AccessPaths, ExpectationResult, applies_to, find_paths, resolve
from overhang.language import ParsedConfig
from overhang.model.hash_budget import PER_RUN, HashBudget
from overhang.model.vocabulary import PORTS
from overhang.project import Person, Project

#: What all ways over the network are called where they are one.
_NETWORK = "network"
#: Kinds of items that belong to one person.
_PERSONAL = ("user:", "key:", "certificate:", "server:")


class Flaw(NamedTuple):
    """Something that must not be, after the statement of a line (0: after all): what kind of thing, and in words."""

    kind: str
    line: int
    what: str


class Needs(NamedTuple):
    """What must go on: the level that each person needs, at any place, or else over the network and at the ports.

    Without people: whether something personal leads to level 15 over the network, and whether it does at all; and
    whether somebody gets in at the console.
    """

    people: Mapping[str, tuple[int | None, int | None, int | None]]
    network: bool
    personal: bool
    console: bool


class Aim(NamedTuple):
    """What a remedy is for: it ``takes`` from people what they had too much, or ``restores`` those locked out."""

    takes: bool = False
    restores: bool = False


class Prover:
    """Proves changes of one device, at one moment and under its project."""

    def __init__(self, base: Judged, moment: datetime.datetime) -> None:
        self.base, self.moment = base, moment
        self.project: Project = base.side.project
        self.budget = HashBudget(PER_RUN)
        self.budget.learn(base.side.resolved.hashes)
        self._expected = {each.expectation.say for each in self._expectations(base.side) if each.holds}
        self.needs = self._needs()

    def _expectations(self, side: Side) -> Sequence[ExpectationResult]:
        return expectations_on(side, self.project, self.moment)

    def _needs(self) -> Needs:
        """The level that each person needs: that of the expectations about them, else the one that they had."""
        side = self.base.side
        people: dict[str, tuple[int | None, int | None, int | None]] = {}
        for name, person in self.project.people.items():
            network, port = levels_at(side, person)
            had = max((each for each in (network, port) if each is not None), default=None)
            wanted = [
                each.reaches
                for each in self.project.expectations
                if each.reaches is not None and name in each.who and applies_to(each, side.config.device)
            ]
            if wanted and had is not None:
                people[name] = (min(had, max(wanted)), None, None)
            else:
                people[name] = (None, network, port)
        alone = not self.project.people
        found = side.found
        return Needs(
            people, alone and personal(found, remote=True), alone and personal(found), alone and at_console(found)
        )

    # -- one state -----------------------------------------------------------------------------------------------------

    def side(self, config: ParsedConfig) -> Side:
        """A state of the device."""
        resolved = resolve(config, self.project, self.budget)
        return Side(config, self.project, resolved, find_paths(resolved, self.moment, self.project.servers))

    def flaws_of(self, side: Side, line: int, aim: "Aim") -> list[Flaw]:
        """What must not be in a state."""
        found = [Flaw("opens", line, what) for what in self.opened(side, restores=aim.restores)]
        for name, (anywhere, network, port) in () if aim.takes else self.needs.people.items():
            now = levels_at(side, self.project.people[name])
            best = max((each for each in now if each is not None), default=None)
            for needed, level, where in (
                (anywhere, best, ""),
                (network, now[0], " over the network"),
                (port, now[1], " at the ports"),
            ):
                if needed is not None and (level is None or level < needed):
                    low = f"{name} reaches level {level} in place of {needed}{where}"
                    found.append(Flaw("people", line, f"{name} can no longer get in{where}" if level is None else low))
        if self.needs.personal and not personal(side.found):
            found.append(Flaw("people", line, "nobody reaches level 15 by an account of their own"))
        elif self.needs.network and not personal(side.found, remote=True):
            found.append(Flaw("people", line, "nobody reaches level 15 over the network by an account of their own"))
        if self.needs.console and not at_console(side.found):
            found.append(Flaw("people", line, "nobody gets in at the console"))
        return found

    def opened(self, side: Side, *, restores: bool = False) -> list[str]:
        """What somebody may reach, with knowledge that existed before, beyond what they may have reached then.

        What counts is the level from a source, by whichever way; and at a port. A remedy that ``restores`` lets people
        in again whom a lock-out kept out, each by something of their own.
        """
        secrets, ways = compare_sides(_by_place(self.base.side), _by_place(side), self.budget)
        before = frozenset(secrets.of[0])
        return [
            _words(each, ways)
            for each in ways.gained
            if each.path.needs <= before and not (restores and _is_personal(ways.new.names_of(each.path)))
        ]

    # -- a change ------------------------------------------------------------------------------------------------------

    def prove(self, config: ParsedConfig, lines: Iterable[str], aim: "Aim") -> tuple[Side, list[Flaw]]:
        """The device after a change of a state of it, and what must not be at any step of it."""
        change = SheetChange(config, "\n".join(lines) + "\n", CHANGE)
        side, flaws = self.side(config), list[Flaw]()
        for applied in change.steps():
            if applied.remark:
                flaws.append(Flaw("doubt", applied.line, applied.remark))
            if not statement_changes(side.config, applied.config, self.budget):
                continue
            side = self.side(applied.config)
            flaws += self.flaws_of(side, applied.line, aim)
        ceased = self._expected - {each.expectation.say for each in self._expectations(side) if each.holds}
        flaws += [Flaw("expected", 0, f"ceases to hold: {say}") for say in sorted(ceased)]
        return side, flaws

    def judged(self, side: Side) -> Judged:
        """A state, audited."""
        return judge_one(side.config, self.project, self.moment)


#: What the file of a change is called while it is proved.
CHANGE = "change.sheet"


def levels_at(side: Side, person: Person) -> tuple[int | None, int | None]:
    """The highest level that a person surely reaches over the network, and at the ports."""
    surely, _ = reached(side.found, person, side.project)
    network = [level for via, level in surely.items() if via not in PORTS]
    port = [level for via, level in surely.items() if via in PORTS]
    return max(network, default=None), max(port, default=None)


def personal(found: AccessPaths, *, remote: bool = False) -> bool:
    """Whether somebody reaches level 15 by something of their own; with ``remote`` over the network."""
    return any(
        path.level == 15 and path.sure and _is_personal(found.names_of(path))
        for path in found.paths
        if not remote or path.via not in PORTS
    )


def _is_personal(names: Iterable[str]) -> bool:
    return any(name.startswith(_PERSONAL) for name in names)


def _by_place(side: Side) -> Side:
    """A device on which all ways over the network are one, and all ports; and what may be open is."""
    paths = [
        path._replace(via=PORTS[0] if path.via in PORTS else _NETWORK, sure=True, unknowns=frozenset())
        for path in side.found.paths
    ]
    return side._replace(found=side.found._replace(paths=paths))


def at_console(found: AccessPaths) -> bool:
    """Whether somebody surely gets in at the console."""
    return any(path.via == PORTS[0] and path.sure for path in found.paths)


def _words(change: WayChange, ways: Ways) -> str:
    path, found = change.path, ways.new
    needs = " and ".join(sorted(found.credentials.known_as(each) for each in path.needs)) or "nothing"
    return f"{path.via} to level {path.level}, knowing {needs}, before {change.before}"
