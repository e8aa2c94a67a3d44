"""Changes applied statement by statement: what they come to, who is locked out on the way, and orders that are safe."""

import random

import pytest

from overhang.changes.bearing import accounts_alone, matters
from overhang.changes.change import NOT_THERE, Change, MakerChange, read_change
from overhang.changes.rehearse import DOES_NOTHING, Rehearsal, Rehearser
from overhang.changes.session import Session
from overhang.difference import statement_changes
from overhang.exposure import AccessPaths, explorer_of, find_paths, paths_of
from overhang.exposure.explore import Similar
from overhang.formats.dialect_format import DialectReader, load_dialect, shipped
from overhang.language import ParsedConfig, read_sheet
from overhang.language.builder import Builder
from overhang.model import parse_address, parse_prefix
from overhang.model.hash_budget import HashBudget
from overhang.profiles import BUILTIN
from overhang.project import Expectation, Person, Project
from overhang.simulation import ResolvedDevice
from tests.support.generator import NOW, Made

PROJECT = Project(
    networks={"office": (parse_prefix("10.64.1.0/24"),)},
    people={
        "lena": Person("lena", ("user:lena", "elevation:15"), "lena", ("office",)),
        "omar": Person("omar", ("user:omar", "entry:console"), "omar", ("console",)),
    },
    expectations=(
        Expectation("nobody by Telnet", (), ("telnet",), None, 0, None, True, "up", (), (), ()),
    ),
)  # fmt: skip
SWITCH = """\
device ramp: profile entry-first
entry console:
    check password
    password readable gangway-2
entry auxiliary: closed
entry vty 0-11:
    check users
    accept ssh
    from office
user lena:
    password readable lantern-15
    level 15
sources office: allow 10.64.1.0/24
ssh:
    on
    host-key ed25519
"""
METHODS = "methods for login:\n    users\n"


def change_of(text: str, base: str = SWITCH) -> Change:
    return read_change(read_sheet(base, "ramp.sheet"), text.encode(), "change.sheet", base.encode, None)


def rehearsed(text: str, base: str = SWITCH, session: Session | None = None, *, at_once: bool = False) -> Rehearsal:
    config = read_sheet(base, "ramp.sheet")
    return Rehearser(config, PROJECT, NOW, session).rehearse(change_of(text, base), at_once=at_once)


@pytest.mark.parametrize(
    ("text", "lock_outs", "openings", "order"),
    [
        # the list first and the people later: the list is empty for a moment
        ("sources office: deny any\nsources office: allow 10.64.0.0/16\n", [], [], (0, 1)),
        ("drop sources office\nsources office: allow 10.64.1.0/24\n", [], [(1, 2)], None),
        # an account made after the check that asks for it
        (
            "entry console: check users\nuser omar:\n    password readable winch-22\n    via console\n",
            [("omar", 1, 3)],
            [(1, None)],  # whoever knows lena's password can now stand at the console too
            (1, 0, 2),
        ),
        ("entry console: check users\n", [("omar", 1, None)], [(1, None)], None),
        ("drop user lena\n", [("lena", 1, None)], [], None),
        # Telnet on the VTYs before it is limited
        ("telnet: on\nentry vty 0-11: accept ssh telnet\n", [], [(2, None)], (0, 1)),
        ("entry console: check nothing\nentry console: check password\n", [], [(1, 2)], None),
        ("banner before-login:\n    | Crew only.\nssh: idle 5m\n", [], [], (0, 1)),
    ],
)
def test_who_is_locked_out_and_what_is_opened(
    text: str,
    lock_outs: list[tuple[str, int, int | None]],
    openings: list[tuple[int, int | None]],
    order: tuple[int, ...] | None,
) -> None:
    found = rehearsed(text)
    assert [(each.name, each.line, each.healed) for each in found.lock_outs] == lock_outs
    assert sorted({(each.line, each.closed) for each in found.openings}, key=str) == openings
    assert found.order == order, found.why_no_order
    if order is not None:
        again = rehearsed(change_of(text).text(order))
        assert not again.lock_outs
        assert not any(each.closed is not None for each in again.openings)
        assert statement_changes(found.final, again.final, HashBudget(0)) == ()


def test_a_change_from_its_own_session_that_cuts_its_branch() -> None:
    session = Session("ssh", parse_address("10.64.1.9"), "lena", frozenset({"user:lena"}))
    found = rehearsed(
        "sources office: allow 10.64.7.0/24\nsources crew: allow 10.64.7.0/24\nentry vty 0-11: from crew\n",
        session=session,
    )
    assert [step.comes_back for step in found.steps] == [True, True, False]
    assert found.stranded == (3,)
    assert (found.session, found.safe) == (15, False)
    nameless = Session("ssh", parse_address("10.64.1.9"), None, frozenset({"user:lena"}))
    assert rehearsed("user lena: level 1\n", session=nameless).steps[0].comes_back is False
    assert rehearsed("user lena: level 1\n", session=nameless).steps[0].level == 1


def test_at_once_there_is_no_moment_between() -> None:
    text = "entry console: check users\nuser omar:\n    password readable winch-22\n"
    assert rehearsed(text).lock_outs
    assert rehearsed(text, at_once=True).lock_outs == ()


def test_statements_in_doubt_are_told() -> None:
    found = rehearsed("user lena: level 15\ndrop user nobody\nfrobnicate 3\nssh: from office\n")
    assert [step.remark for step in found.steps] == [DOES_NOTHING, NOT_THERE, "not understood: unknown statement", ""]
    assert (found.doubts, found.understood) == (3, False)


def test_an_expectation_that_ceases_to_hold() -> None:
    found = rehearsed("telnet: on\nentry vty 0-11: accept ssh telnet\n")
    assert found.ceased == ["nobody by Telnet"]


def test_a_sheet_change_comes_to_what_both_texts_mean_together() -> None:
    """Over generated devices and changes: the device at the end is that of both texts read as one."""
    chance = random.Random(5)
    for seed in range(60):
        base, lines = Made(seed).text, Made(seed + 500).text.split("\n")
        blocks = [[]]
        for line in lines[2:]:
            if line and not line.startswith(" "):
                blocks.append([])
            blocks[-1].append(line)
        text = "\n".join(line for block in chance.sample(blocks[1:], min(4, len(blocks) - 1)) for line in block) + "\n"
        whole = read_sheet(base + text, "whole.sheet")
        change = change_of(text, base)
        last = read_sheet(base, "base.sheet")
        for applied in change.steps():
            last = applied.config
        assert statement_changes(whole, last, HashBudget(0)) == (), text
        assert statement_changes(whole, change.after(range(len(change.units))), HashBudget(0)) == (), text
        again = Builder.over(whole.device, "whole.sheet").device()
        assert sorted(again.overrides, key=repr) == sorted(whole.device.overrides, key=repr)
        assert again._replace(overrides=()) == whole.device._replace(overrides=())


def test_what_does_not_matter_leaves_every_access_path() -> None:
    lines = (
        "device: kind switch", "banner after-login:\n    | Crew.", "passwords: length 12", "ssh: rate 3", "web: tls 1.3",
        "entry vty 0-3: idle 1m", "ssh: idle 1m", "address 10.64.0.1/24: faces users", "ssh: port 2222",
    )  # fmt: skip
    for seed in range(25):
        made = Made(seed)
        profiles = {**BUILTIN, "made": made.profile}
        before = read_sheet(made.text, "t")
        for line in lines:
            after = read_sheet(made.text + line + "\n", "t")
            changes = statement_changes(before, after, HashBudget(0))
            if not any(map(matters, changes)):
                paths = [
                    find_paths(ResolvedDevice(each.device, profiles), NOW, made.held).paths for each in (before, after)
                ]
                assert _bare(paths[0]) == _bare(paths[1]), f"{made.text}{line}"


def _bare(paths: list) -> list[object]:  # type: ignore[type-arg]
    return [each._replace(unknowns=len(each.unknowns)) for each in paths]


def maker_change(base: str, text: str) -> MakerChange:
    reader = DialectReader(load_dialect(shipped()["brinewick"]))
    config = reader.read(base.encode(), "edge.brw")
    change = read_change(config, text.encode(), "change.brw", base.encode, reader)
    assert isinstance(change, MakerChange)
    return change


def states(change: MakerChange) -> list[tuple[int, str, str, ParsedConfig]]:
    return [(each.line, each.shown, each.remark, each.config) for each in change.steps()]


def test_a_makers_text_read_once_is_as_one_read_again_after_each_line(monkeypatch: pytest.MonkeyPatch) -> None:
    with open("src/overhang/demo/network/gannet/isle-edge.brw", encoding="utf-8") as stream:
        base = stream.read()
    words = ["hold gate 3 mouths ssh wire", "hold gate 3 mouths ssh", "loose gate 3 sifts", "hold gate 3 idles 60",
             "hold tongue ssh grace 30", "hold nonsense 4", "loose gate 4 asks", "hold gate 2 asks people"]  # fmt: skip
    chance = random.Random(3)
    for _ in range(4):
        text = "\n".join(chance.choices(words, k=6)) + "\n"
        fast = maker_change(base, text)
        assert fast._independent() is not None
        once = states(fast)
        monkeypatch.setattr(MakerChange, "_independent", lambda self: None)
        again = states(maker_change(base, text))
        monkeypatch.undo()
        for one, other in zip(once, again, strict=True):
            assert one[:3] == other[:3]
            assert statement_changes(one[3], other[3], HashBudget(0)) == (), text


def test_what_a_similar_device_gave_is_used_again_and_changes_nothing() -> None:
    """An account altered, added or removed: every access path is the same as when explored afresh."""
    used = 0
    for seed in range(140):
        made, chance = Made(seed), random.Random(seed)
        lines = made.text.split("\n")
        users = [number for number, line in enumerate(lines) if line.startswith("user ")]
        if len(users) < 2:
            continue
        at = chance.choice(users) + 1
        more = (
            "    level 15",
            "    via console",
            "    from office",
            "    disabled",
            "    password readable gull",
            "    elevates no",
        )
        lines[at:at] = [chance.choice((*more, "user nora:\n    password readable boat\n    level 7"))]
        one, other = read_sheet(made.text, "t"), read_sheet("\n".join(lines), "t")
        names = accounts_alone(statement_changes(one, other, HashBudget(0)))
        if not names:
            continue
        profiles = {**BUILTIN, "made": made.profile}
        first = explorer_of(ResolvedDevice(one.device, profiles), NOW, made.held)
        paths_of(first)
        again = explorer_of(ResolvedDevice(other.device, profiles), NOW, made.held, Similar(first, names))
        used += again._similar is not None
        afresh = find_paths(ResolvedDevice(other.device, profiles), NOW, made.held)
        assert _named(paths_of(again)) == _named(afresh), f"{seed}\n{other}"
    assert used > 20


def _named(found: AccessPaths) -> list[str]:
    """Access paths without the numbers of items, which differ by what is asked first."""
    return sorted(
        repr(
            (
                sorted(map(found.credentials.known_as, each.needs)),
                each._replace(needs=frozenset(), unknowns=frozenset()),
            )
        )
        for each in found.paths
    )
