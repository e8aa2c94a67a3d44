"""Predicted logins made by real clients: hundreds, of every case of the decision, by every way, and with ``ssh`` itself."""

import asyncio
import random
import shutil
import socket
from collections.abc import Sequence

import pytest

from overhang.language import read_sheet
from overhang.model import parse_address
from overhang.project import Project
from overhang.simulation import Attempt
from overhang.stand_in.clients import Errand, Seen, by_program, log_in
from overhang.stand_in.prove import Proof, Prover, Subject, Trial, tally
from tests.simulation.test_semantics import ALL, DOUBTFUL
from tests.support.generator import NAMES, NOW, OWN, PASSWORDS, SOURCES, Made
from tests.support.semantics import Case, parse_attempt, resolve

#: Host keys and certificates are made once: they say nothing here.
KEYS: dict[object, object] = {}
CASES = [*ALL, *DOUBTFUL]
SHARE = 3


async def by_ssh(errand: Errand, connection: socket.socket | None) -> Seen:
    return await by_program(errand) if errand.via == "ssh" else await log_in(errand, connection)


def subject(case: Case) -> Subject:
    trials = [Trial(at, *parse_attempt(row.attempt)) for at, row in enumerate(case.rows)]
    return Subject(read_sheet(case.sheet, "t.sheet"), resolve(case), Project(), trials)


def disagreeing(proofs: Sequence[Proof]) -> list[object]:
    return [
        (each.trial.number, each.predicted.outcome, each.predicted.level, each.seen)
        for each in proofs
        if each.seen is not None and not each.agrees
    ]


@pytest.mark.parametrize("share", range(SHARE))
def test_every_case_of_the_decision(share: int) -> None:
    async def prove() -> list[Proof]:
        found = []
        for case in CASES[share::SHARE]:
            proofs = await Prover(subject(case), host_keys=KEYS).run()
            assert disagreeing(proofs) == [], case.title
            found += proofs
        return found

    counted = tally(asyncio.run(prove()))
    assert sum(counted.agree.values()) > 200
    assert {via for via, _ in counted.agree} == {"console", "auxiliary", "ssh", "telnet", "http", "https"}
    assert sum(counted.left_out.values()) < 40


@pytest.mark.parametrize("seed", range(4))
def test_random_devices(seed: int) -> None:
    made, chance = Made(seed), random.Random(seed)
    items = ["user:lena", "user:omar", "entry:console", "elevation:15", "key:lena"]
    trials = []
    for at in range(20):
        attempt = Attempt(
            chance.choice(("console", "auxiliary", "telnet", "telnet", "http", "https")),
            NOW,
            parse_address(chance.choice(SOURCES)),
            parse_address(chance.choice(OWN).split("/")[0]) if chance.random() < 0.5 else None,
            chance.choice((None, *NAMES, "nobody")),
            tuple(chance.choice((*PASSWORDS, "zz", "")) for _ in range(chance.choice((0, 1, 1, 2, 4)))),
            knows=frozenset(chance.sample(items, chance.choice((0, 0, 1, 2)))),
            elevate=chance.choice((None, 1, 7, 15)),
            elevate_passwords=tuple(chance.choice((*PASSWORDS, "")) for _ in range(chance.choice((0, 1, 2, 3)))),
            servers=made.held or {},
            at=at,
        )
        trials.append(Trial(at, attempt, chance.random() < 0.6))
    proofs = asyncio.run(
        Prover(Subject(read_sheet(made.text, "t"), made.resolved, Project(), trials), host_keys=KEYS).run()
    )
    assert disagreeing(proofs) == []


@pytest.mark.skipif(shutil.which("ssh") is None, reason="there is no ssh program on this machine")
def test_the_ssh_program_of_the_system() -> None:
    async def prove() -> list[Proof]:
        found = []
        for case in [each for each in CASES if any(row.attempt.startswith("via ssh") for row in each.rows)][::SHARE]:
            whole = subject(case)
            proofs = await Prover(whole, by_ssh, KEYS).run()
            assert disagreeing(proofs) == [], case.title
            found += [each for each in proofs if each.trial.attempt.via == "ssh"]
        return found

    counted = tally(asyncio.run(prove()))
    assert sum(counted.agree.values()) > 20
    assert {outcome for _, outcome in counted.agree} >= {"admitted", "denied"}


def test_a_wrong_prediction_is_found() -> None:
    """Against a device that is another one than it was predicted for."""
    text = "entry console:\n    check password\n    password readable gull\n"
    other = read_sheet(text.replace("check password", "check nothing"), "t")
    right = resolve(Case("", "", text, ()))
    trial = Trial(1, Attempt("console", NOW, passwords=("tern",)))

    async def prove() -> list[Proof]:
        prover = Prover(Subject(other, right, Project(), [trial]))
        return await prover.run()

    (proof,) = asyncio.run(prove())
    assert (proof.predicted.outcome, proof.agrees) == ("denied", False)
    assert proof.seen is not None
    assert proof.seen.outcome == "admitted"
    assert "tern" not in proof.seen.transcript
