"""A login lived answer by answer ends as one that is decided at once, and counts the same failures."""

import random

import pytest

from overhang.model import parse_address
from overhang.simulation import Attempt, LockoutState, ResolvedDevice, Result, decide
from overhang.simulation.visit import NAME, Moment, Visit
from tests.simulation.test_semantics import ALL, DOUBTFUL
from tests.support.generator import NAMES, NOW, OWN, PASSWORDS, SOURCES, WAYS, Made
from tests.support.semantics import parse_attempt, resolve


class Still:
    """A device whose clock stands still."""

    def __init__(self, resolved: ResolvedDevice, attempt: Attempt, states: list[LockoutState]) -> None:
        self.resolved, self.states, self._moment = resolved, states, Moment(attempt.moment, attempt.at)

    def now(self) -> Moment:
        return self._moment


def answer(visit: Visit, name: str | None, texts: tuple[str, ...]) -> tuple[str | None, tuple[str, ...]]:
    """A person who types these texts, and then no more; the name and the texts that were asked for."""
    given, typed = None, 0
    while visit.question:
        if visit.question == NAME:
            given = name
            visit.give_name(name)
        elif typed < len(texts):
            typed += 1
            visit.give_password(texts[typed - 1])
        elif visit.tried:
            visit.give_up()
        else:
            visit.give_password(None)
    return given, texts[:typed]


def lived(resolved: ResolvedDevice, attempt: Attempt, states: list[LockoutState]) -> tuple[Result, Attempt, Still]:
    """How it ends where the device is asked, what it asked for, and how it stands then."""
    live = Still(resolved, attempt, states)
    bare = attempt._replace(passwords=(), elevate=None, elevate_name=None, elevate_passwords=())
    visit = Visit(live, bare if attempt.via == "ssh" else bare._replace(name=None))
    visit.arrive()
    name, texts = answer(visit, attempt.name, attempt.passwords)
    asked = bare._replace(name=attempt.name if attempt.via == "ssh" else name, passwords=texts)
    if visit.outcome == "admitted" and attempt.elevate is not None:
        visit.elevate(attempt.elevate, attempt.elevate_name)
        name, texts = answer(visit, None, attempt.elevate_passwords)
        asked = asked._replace(elevate=attempt.elevate, elevate_name=attempt.elevate_name, elevate_passwords=texts)
    assert visit.result is not None
    return visit.result, asked, live


def ends(result: Result) -> tuple[object, ...]:
    return result.outcome, result.level, result.elevation, result.decided


def check(resolved: ResolvedDevice, attempt: Attempt, states: list[LockoutState]) -> list[LockoutState]:
    result, asked, live = lived(resolved, attempt, states)
    decided = decide(resolved, asked, states)
    told = (attempt, asked.passwords, asked.elevate_passwords, decided.result.trace, result.trace)
    assert ends(result) == ends(decided.result), told
    assert [each.key() for each in live.states] == [each.key() for each in decided.lockout_states], told
    if decided.since is not None and asked == attempt:
        EXACT.append(attempt)
    return live.states


#: the attempts of which everything was asked
EXACT: list[Attempt] = []


@pytest.mark.parametrize("case", [*ALL, *DOUBTFUL], ids=[case.title for case in [*ALL, *DOUBTFUL]])
def test_every_case_is_lived_as_it_is_decided(case) -> None:
    resolved = resolve(case)
    states = [LockoutState()]
    for row in case.rows:
        attempt, reset = parse_attempt(row.attempt)
        states = check(resolved, attempt, [LockoutState()] if reset else states)


@pytest.mark.parametrize("seed", range(40))
def test_random_logins_on_random_devices(seed: int) -> None:
    made, chance = Made(seed), random.Random(seed)
    states = [LockoutState()]
    for at in range(40):
        texts = tuple(chance.choice((*PASSWORDS, "", "zz")) for _ in range(chance.choice((0, 1, 1, 2, 4))))
        attempt = Attempt(
            chance.choice(WAYS[:6]),
            NOW,
            parse_address(chance.choice(SOURCES)),
            parse_address(chance.choice(OWN).split("/")[0]) if chance.random() < 0.5 else None,
            chance.choice((None, *NAMES, "nobody")),
            texts,
            knows=frozenset(chance.sample(["user:lena", "entry:console", "elevation:15", "key:lena"], 1)),
            elevate=chance.choice((None, 1, 7, 15)),
            elevate_passwords=tuple(chance.choice((*PASSWORDS, "")) for _ in range(chance.choice((0, 1, 2, 3)))),
            busy=frozenset(range(chance.choice((0, 0, 1, 3)))),
            servers=made.held or {},
            at=at,
        )  # fmt: skip
        states = check(made.resolved, attempt, states)


def test_a_third_of_these_logins_are_asked_for_everything() -> None:
    EXACT.clear()
    for seed in range(40):
        made = Made(seed)
        for via in WAYS[:6]:
            check(made.resolved, Attempt(via, NOW, parse_address(SOURCES[0]), name="lena"), [LockoutState()])
    assert len(EXACT) >= 80
