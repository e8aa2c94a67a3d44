"""Work is bounded: it grows straight, and what goes beyond the bound is told and never taken for an answer."""

from collections.abc import Callable

import pytest

from overhang.auditing.checklist import Mark
from overhang.auditing.results import DeviceAudit
from overhang.auditing.runner import audit_config
from overhang.demo import demo_files
from overhang.exposure import explorer_of, find_paths, paths_of, work
from overhang.exposure.devices import resolve
from overhang.language import read_sheet
from overhang.project import Project
from tests.support.rules import NOW

SHEETS = [data.decode() for path, data in demo_files().items() if path.endswith(".sheet")]


def net(number: int) -> str:
    return f"10.{64 + number // 65536}.{number // 256 % 256}.{number % 256}"


#: Devices of any size: what there is much of, and what each of it looks like.
LARGE = {
    "VTYs": "entry vty {0}:\n    check password\n    password readable p{0}x\n    from l{0}\nsources l{0}: allow {1}/24\n",
    "accounts": "user u{0}:\n    password readable p{0}x\n    from l{0}\nsources l{0}: allow {1}/24\n",
    "communities": "snmp: community readable c{0} read from l{0}\nsources l{0}: allow {1}/24\n",
    "roles": "role r{0}: level {2}\nuser u{0}:\n    password readable same\n    role r{0}\n",
    "doors": "door d{0}:\n    on\n    check users\n",
    "addresses": "address {1}/24: answers ssh\n",
    "lists": "sources l{0}:\n    allow {1}/24\n    deny {1}/16\n    allow any\n",
    "methods": "methods m{0} for login:\n    servers g{0}\n    users\nentry vty {0}: check methods m{0}\n",
}
HEAD = "entry console: check users\nentry auxiliary: check users\nsnmp: on\nuser lena: password readable boat\n"


@pytest.mark.parametrize("kind", LARGE)
def test_twice_the_device_takes_twice_the_steps(kind: str) -> None:
    def steps(size: int) -> int:
        text = HEAD + "".join(LARGE[kind].format(each, net(each * 256), each % 16) for each in range(size))
        explorer = explorer_of(resolve(read_sheet(text, "t"), Project()), NOW)
        assert paths_of(explorer).complete
        return explorer.work.steps - explorer.work.left

    assert steps(60) <= 2.3 * steps(30) + 50


@pytest.fixture
def few(monkeypatch: pytest.MonkeyPatch) -> Callable[[str, int], DeviceAudit]:
    def audit(text: str, steps: int) -> DeviceAudit:
        monkeypatch.setattr(work, "_LEAST", steps)
        monkeypatch.setattr(work, "_STEPS_A_PART", 0)
        return audit_config(read_sheet(text, "t"), Project(), NOW)

    return audit


@pytest.mark.parametrize("text", SHEETS)
def test_with_few_steps_less_is_found_and_nothing_else(text: str, few: Callable[[str, int], DeviceAudit]) -> None:
    def certain(audit: DeviceAudit) -> set[str]:
        return {each.rule for each in audit.findings if not each.possible}

    whole = few(text, 1_000_000)
    assert not any("steps" in each.why for each in whole.not_examined)
    for steps in (5, 60, 400):
        some = few(text, steps)
        assert certain(some) <= certain(whole)
        told = [each for each in some.not_examined if f"more than {steps:,} steps" in each.why]
        assert not (told and some.decided)
        good = {item.aspect for item in some.checklist if item.mark in (Mark.GOOD, Mark.NOT_THERE, Mark.LOCKED_OUT)}
        assert some.decided or not good - {item.aspect for item in whole.checklist if item.mark is Mark.LOCKED_OUT}
        assert told or some.findings == whole.findings


def test_paths_that_were_not_worked_out_are_told(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(work, "_LEAST", 5)
    monkeypatch.setattr(work, "_STEPS_A_PART", 0)
    found = find_paths(resolve(read_sheet(SHEETS[0], "t"), Project()), NOW)
    assert (found.complete, found.why_incomplete) == (False, "not worked out: they take more than 5 steps to find")
