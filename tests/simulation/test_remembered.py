"""Decisions that were made before: an attempt that is told by another ends as it would by itself."""

import datetime
import random
from collections.abc import Iterator

import pytest

from overhang.model import parse_address
from overhang.simulation import Attempt, LockoutState, decide
from overhang.simulation.remembered import Remembered
from tests.support.generator import NAMES, NOW, OWN, PASSWORDS, SOURCES, STRANGER, WAYS, Made

CALLED = (None, *NAMES, "LENA", "Omar", STRANGER, "zoe", "pat", "boat", "group")
KNOWN = ("user:lena", "entry:console", "elevation:15", "key:lena", "community:1", "server:g/zoe", "server:g/lena")


def attempts(made: Made, chance: random.Random, number: int) -> Iterator[Attempt]:
    """Logins as many people make them: the same few ways over and over, from everywhere and with all sorts of texts."""
    texts = (*PASSWORDS, "", "lena", "Boat", *(f"z{each}" for each in range(9)))

    def typed(most: int) -> tuple[str, ...]:
        return tuple(chance.choice(texts) for _ in range(most))

    def once() -> Attempt:
        return Attempt(
            chance.choice(WAYS),
            NOW,
            destination=parse_address(chance.choice(OWN).split("/")[0]) if chance.random() < 0.3 else None,
            name=chance.choice(CALLED),
            passwords=typed(chance.choice((0, 1, 1, 2))),
            knows=frozenset(chance.sample(KNOWN, chance.choice((0, 0, 0, 1)))),
            elevate=chance.choice((None, None, 7, 15)),
            elevate_name=chance.choice((None, None, None, *CALLED)),
            elevate_passwords=typed(chance.choice((0, 1, 1, 2))),
            busy=frozenset(range(chance.choice((0, 0, 0, 2)))),
            servers=made.held,
        )

    kinds = [once() for _ in range(8)]
    for at in range(number):
        kind = chance.choice(kinds)
        yield kind._replace(
            moment=NOW + datetime.timedelta(hours=chance.randrange(48)) if chance.random() < 0.3 else NOW,
            source=parse_address(chance.choice(SOURCES)) if chance.random() < 0.95 else None,
            name=chance.choice(CALLED) if chance.random() < 0.3 else kind.name,
            passwords=typed(len(kind.passwords)),
            elevate_passwords=typed(len(kind.elevate_passwords)),
            at=at * 20,
        )


@pytest.mark.parametrize("start", range(0, 60, 20))
def test_what_is_told_by_another_is_what_is_decided(start: int) -> None:
    told = 0
    for seed in range(start, start + 20):
        made, chance = Made(seed), random.Random(seed)
        remembered = Remembered(made.resolved, made.held)
        states = [LockoutState()]
        for attempt in attempts(made, chance, 80):
            alone = decide(made.resolved, attempt, states)
            before = remembered.told
            found = remembered.decide(attempt, states)
            told += remembered.told - before
            assert found.result == alone.result, attempt
            assert [each.key() for each in found.lockout_states] == [each.key() for each in alone.lockout_states]
            states = alone.lockout_states if chance.random() < 0.7 else [LockoutState()]
    assert told > 200
