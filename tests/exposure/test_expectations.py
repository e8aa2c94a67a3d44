"""Expectations hold on an idle device, and paths say which VTYs must be in use."""

import pytest

from overhang.exposure import ExpectationChecker, find_paths
from overhang.exposure.phrases import busy_phrase, numbers_phrase
from overhang.language import read_sheet
from overhang.simulation import Attempt, ResolvedDevice, decide
from tests.support.rules import NOW, project_of

#: The first VTYs ask for accounts at level 1, the last ones let anyone in at level 15.
SPLIT = """\
telnet: on
user lena:
    password withheld
    level 1
entry vty 0-7:
    check users
    accept telnet
entry vty 8-11:
    check nothing
    level 15
    accept telnet
"""
PROJECT = '[people.lena]\naccount = "lena"\nknows = ["user:lena"]\n[[expect]]\nsay = "so"\nwho = "{who}"\nvia = "telnet"\n{key} = {level}\n'
CASES = [
    ("lena", "reaches", 1, True, ""),
    ("lena", "reaches", 15, False, "lena does not reach level 15"),
    ("lena", "below", 2, False, "lena reaches level 15"),
    ("anybody", "below", 15, False, "somebody reaches level 15"),
]


@pytest.mark.parametrize(("who", "key", "level", "holds", "why"), CASES)
def test_reaches_is_held_idle_and_below_over_busy_vtys(who: str, key: str, level: int, holds: bool, why: str) -> None:
    project = project_of(PROJECT.format(who=who, key=key, level=level))
    resolved = ResolvedDevice(read_sheet(SPLIT, "t").device)
    (expectation,) = project.expectations
    result = ExpectationChecker(resolved, find_paths(resolved, NOW), project, NOW).check(expectation)
    assert (result.holds, result.why) == (holds, why)
    if result.attempt is not None:
        assert result.attempt.busy == (frozenset(range(8)) if key == "below" else frozenset())
        assert decide(resolved, result.attempt).result == result.result


def test_a_path_says_which_vtys_must_be_in_use() -> None:
    resolved = ResolvedDevice(read_sheet(SPLIT, "t").device)
    found = [path for path in find_paths(resolved, NOW).paths if path.via == "telnet" and path.level == 15]
    assert {(path.vtys, path.needs_busy) for path in found if not path.needs} == {((8, 9, 10, 11), tuple(range(8)))}
    (free,) = (path for path in found if not path.needs)
    assert busy_phrase(free) == "VTY 8-11, once 0-7 are taken"
    for busy, outcome in ((range(8), "admitted"), (range(7), "denied"), ((), "denied")):
        result = decide(resolved, Attempt("telnet", NOW, name="x", passwords=("y",), busy=frozenset(busy))).result
        assert result.outcome == outcome
    assert numbers_phrase((0, 1, 2, 5, 7, 8)) == "0-2,5,7-8"


BY_NIGHT = """\
device quay:
    zone Europe/Berlin
telnet: on
entry vty 0-11: check nothing
policy night:
    for-hours 22:00-06:00 mon-fri
    refused
"""


@pytest.mark.parametrize(
    ("at", "holds"), [("", False), ("23:30", False), ("mon 23:30", True), ("sun 12:00", False), ("sun 03:00", False)]
)
def test_an_expectation_may_speak_of_a_time_of_day(at: str, holds: bool) -> None:
    line = f'at = "{at}"\n' if at else ""
    project = project_of(PROJECT.format(who="anybody", key="below", level=0) + line)
    resolved = ResolvedDevice(read_sheet(BY_NIGHT, "t").device)
    (expectation,) = project.expectations
    result = ExpectationChecker(resolved, find_paths(resolved, NOW), project, NOW).check(expectation)
    assert result.holds is holds
    if result.attempt is not None:
        assert result.attempt.during == frozenset()
        assert decide(resolved, result.attempt).result == result.result
