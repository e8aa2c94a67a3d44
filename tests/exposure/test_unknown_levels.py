"""Levels that nobody knows, and what lines that were not understood may say: what is followed leads to as much as all
of it."""

import random

import pytest

from overhang.exposure import AccessPath, AccessPaths, find_paths, resolve
from overhang.exposure.explore import Explorer
from overhang.exposure.exploring_oracle import ExploringOracle
from overhang.language import read_sheet
from overhang.model.hash_budget import HashBudget
from overhang.profiles import UNKNOWN
from overhang.project import Project
from overhang.simulation.evaluation import LEVELS, WIDEST
from tests.support.generator import NOW, Made

#: What decides together with them.
BESIDE = ("bare-tier", "elevates", "factory-account", "bare-elevation-console", "lists-carry-level")
CAPPED = """
device a: profile made
role deck: cap 10
user lena:
    password readable boat
    role deck
entry console: check users
"""


def paths(text: str, seed: int) -> tuple[bool, list[AccessPath]]:
    """The access paths of a device under a profile of which some levels, and perhaps more, are unknown."""
    chance, made = random.Random(seed), Made(seed)
    unknown = {*chance.sample(sorted(LEVELS), chance.choice((1, 2, 4))), *chance.sample(BESIDE, chance.choice((0, 1)))}
    values = {**made.profile.values, **dict.fromkeys(unknown, UNKNOWN)}
    if chance.random() < 0.5:
        values["bare-tier"] = "admit"
    config = read_sheet(text or made.text, "t")._replace(profiles={"made": made.profile._replace(values=values)})
    found = find_paths(resolve(config, Project(), HashBudget(0)), NOW, made.held)
    return found.complete, found.paths


@pytest.mark.parametrize("start", range(0, 30, 10))
def test_few_levels_lead_to_as_much_as_all(start: int, monkeypatch: pytest.MonkeyPatch) -> None:
    for seed in range(start, start + 10):
        for text in ("", CAPPED):
            complete, found = paths(text, seed)
            with monkeypatch.context() as patch:
                patch.setattr(ExploringOracle, "levels", lambda _, options, compared: options)
                patch.setattr(Explorer, "_levels_wanted", lambda _, endpoint, before: range(15, before, -1))
                entirely, every = paths(text, seed)
            assert complete or not entirely
            if entirely:
                assert found == every, (seed, text)


def reaches(found: AccessPaths) -> list[tuple[str, list[frozenset[str]], int, int | None]]:
    """Of each path the way, the items that it needs one each of, the level, and the sources."""
    names = found.credentials.names
    return [
        (path.via, [frozenset(names[each]) for each in path.needs], path.level, path.sources) for path in found.paths
    ]


def test_what_is_certain_stays_possible_where_a_line_is_not_understood() -> None:
    compared = 0
    for seed in (*range(50), 136, 161, 1404, 1522, 1697, 1758):  # the last ones have another door
        chance = random.Random(seed)
        profile = chance.choice(("entry-first", "role-based", "appliance", "bound-entry", "list-wide", "two-tier"))
        lines = Made(seed).text.replace("profile made", f"profile {profile}").split("\n")
        place = chance.randrange(1, len(lines))
        indent = lines[place][: len(lines[place]) - len(lines[place].lstrip())]
        junk = chance.choice(("zorp quux", "zorp:", "user", "level seven", "check something else", "via x", "policy"))
        doubtful = "\n".join([*lines[:place], indent + junk, *lines[place:]])
        known, doubted = (
            find_paths(resolve(read_sheet(text, "t"), Project(), HashBudget(0)), NOW)
            for text in ("\n".join(lines), doubtful)
        )
        alike = known.address_classes.pieces == doubted.address_classes.pieces
        if not (known.complete and doubted.complete and alike):
            continue
        compared += 1
        possible = reaches(doubted)
        for path, (via, needs, level, sources) in zip(known.paths, reaches(known), strict=True):
            left = -1 if sources is None else sources
            for other, wanted, higher, reached in possible if path.sure else ():
                if other == via and higher >= level and all(any(one & each for one in needs) for each in wanted):
                    left &= 0 if reached is None else ~reached
            assert not (path.sure and left), (seed, via, needs)
    assert compared > 45


def in_doubt(seed: int) -> tuple[bool, list[AccessPath]]:
    """The access paths of a device in which a line of a policy, or of what SSH does, was not understood, and of whose
    profile something is unknown about where logins arrive."""
    chance, made = random.Random(seed), Made(seed)
    lines = made.text.splitlines()
    heads = [at for at, line in enumerate(lines) if line.startswith(("policy ", "ssh:"))]
    for at in sorted(chance.sample(heads, min(len(heads), chance.choice((1, 1, 2)))), reverse=True):
        lines.insert(at + 1, "    swell")
    keys = chance.sample([*sorted(WIDEST), "unsaid-key", "unsaid-answers"], chance.choice((0, 1, 3)))
    profile = made.profile._replace(values={**made.profile.values, **dict.fromkeys(keys, UNKNOWN)})
    config = read_sheet("\n".join(lines), "t")._replace(profiles={"made": profile})
    found = find_paths(resolve(config, Project(), HashBudget(0)), NOW, made.held)
    return found.complete, found.paths


def test_what_lets_in_most_leads_to_as_much_as_all_that_may_be_said(monkeypatch: pytest.MonkeyPatch) -> None:
    compared = further = 0
    for seed in range(24):
        complete, found = in_doubt(seed)
        with monkeypatch.context() as patch:
            patch.setattr(ExploringOracle, "widest", False)
            entirely, every = in_doubt(seed)
        assert complete or not entirely
        further += complete and not entirely
        if entirely:
            compared += any(not path.sure for path in found)
            assert found == every, seed
    assert compared > 3
    assert further > 0
