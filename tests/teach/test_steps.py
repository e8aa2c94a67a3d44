"""Steps in Python: the tree they change, what they say, what recurs, who may run them, and how they fail."""

import gc
import ipaddress
import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import overhang as api
from overhang.dialect import read_dialect
from overhang.dialect.interpreter import Helpers, read_dialect_text
from overhang.language import ParsedConfig
from overhang.loading import Loader, Projects
from overhang.profiles import BUILTIN, KEYS
from overhang.teach import (
    Places,
    Settings,
    StepProblem,
    fill_dittos,
    first_wins,
    inverse_mask,
    last_wins,
    members,
    numbers,
    prefixes,
    resolved,
    spans,
)
from overhang.teach.step import Step
from overhang.teach.trust import digest_of
from overhang.text import UnreadableInput
from tests.conftest import Ran
from tests.support.configs import said

Run = Callable[..., Ran]
Write = Callable[[str, str | bytes], Path]

DIALECT = """
name = "quay"
about = "the quay's language"
step = true
[recognise]
files = ["*.quay"]
[layout]
form = "%s"
%s
[blocks]
who = { head = "who {who}", means = "user {who}:" }
[[translate]]
inside = "who"
line = "rank {n:level}"
means = "user {who}: level {n}"
[[translate]]
inside = "who"
line = "word {w:rest}"
means = "user {who}: another-password readable {w}"
"""


def read(step: str, text: str, form: str = "indented", more: str = "") -> ParsedConfig:
    dialect = read_dialect((DIALECT % (form, more)).encode(), "quay.dialect.toml")
    made = Step(("from overhang.teach import *\ndef read(tree, device):\n" + step).encode(), "quay.dialect.py")
    return read_dialect_text(dialect, text, "x", Helpers({}, made))


CREW = "who lena\n  rank 3\n  word gull\nwho omar\n  like lena\n"
#: A step, the text, what comes of it, and the lines that are not understood.
STEPS: list[tuple[str, str, list[str], list[int]]] = [
    ("    return tree", "who lena\n  rank 3\n", ["user lena: level 3"], []),
    ("    return tree", CREW, ["user lena: level 3", "user lena: another-password readable gull"], [5]),
    (
        "    for each in tree.select('who'):\n        for like in each.select('like'):\n            other = tree.first('who', like.word(1))\n            each.add(*[one.copy() for one in other.children])\n            like.take()\n    return tree",
        CREW,
        [
            "user lena: level 3",
            "user lena: another-password readable gull",
            "user omar: level 3",
            "user omar: another-password readable gull",
        ],
        [],
    ),
    # what is neither left, said, taken, dropped nor doubted is not understood
    ("    tree.first('who').remove()\n    return tree", "who lena\n  rank 3\nwho omar\n", [], [1, 2]),
    (
        "    tree.first('who').drop()\n    return tree",
        "who lena\n  rank 3\nwho omar\n  rank 4\n",
        ["user omar: level 4"],
        [],
    ),
    ("    tree.first('who').doubt('why not')\n    return tree", "who lena\n  rank 3\n", [], [1, 2]),
    # statements said by the step, and both in one dialect
    (
        "    for each in tree.select('boss', '*'):\n        device.user(each.word(1), at=each).level('15').password('readable', each.rest(2))\n        each.take()\n    return tree",
        "boss ines low  tide\nwho lena\n  rank 3\n",
        ["user ines: level 15", 'user ines: password readable "low  tide"', "user lena: level 3"],
        [],
    ),
    # words that are no statement make their line not understood; the step goes on
    (
        "    for each in tree.select('boss'):\n        device.user(each.word(1), at=each).level(each.word(2))\n    tree.select('boss')[0].take()\n    return tree",
        "boss ines 99\nwho lena\n  rank 3\n",
        ["user lena: level 3"],
        [1],
    ),
    (
        "    block = tree.first('who')\n    block.reorder(lambda each: each.head)\n    block.insert(0, block.made('rank', '9'), tree.last('rank'))\n    return tree",
        "who lena\n  rank 3\nrank 5\n",
        ["user lena: level 3"],
        [],
    ),
    (
        "    first, second = tree.select('who')\n    first.merge(second)\n    second.children.clear()\n    return tree",
        "who lena\n  rank 3\nwho omar\n  word tern\n",
        ["user lena: level 3", "user lena: another-password readable tern"],
        [],
    ),
    (
        "    device.entry('vty', '0-3', at=tree.children[0]).accept('ssh').from_('yard').idle('5m')\n    device.banner('before-login', at=tree.children[0]).text('Crew only.')\n    device.sources('yard', at=tree.children[0]).exists()\n    device.block('elevation', '15', at=tree.children[0]).say('least', '3')\n    return tree",
        "who lena\n",
        [
            "banner before-login: | Crew only.",
            "elevation 15: least 3",
            "entry vty 0-3: accept ssh",
            "entry vty 0-3: from yard",
            "entry vty 0-3: idle 5m",
        ],
        [],
    ),
]


@pytest.mark.parametrize(("step", "text", "meant", "unread"), STEPS)
def test_what_a_step_makes_of_a_text(step: str, text: str, meant: list[str], unread: list[int]) -> None:
    found = read(step, text)
    stated = [each for each in said(found) if each and not each.endswith((":", "incomplete"))]
    assert sorted(stated) == sorted(meant)
    assert list(found.unread) == unread
    shown = "\n".join(found.quote(line) for line in range(1, len(found.lines) + 1))
    assert not any(word in shown for word in ("gull", "tern", "tide"))


POUR = """
    join(tree)
    for knot in tree.select('knot'):
        knot.take()
    for block in tree.select('who'):
        pour(knot, block, key=lambda each: 'rank' if each.head == 'grade' else each.head, also=('word',), closed=lambda into: into.first('shut') is not None)
        for each in block.select('shut'):
            each.take()
    return tree
"""
POURED: list[tuple[str, list[str]]] = [
    ("who lena { }", ["rank 5", "word tern"]),
    ("who lena { rank 3; }", ["rank 3", "word tern"]),
    ("who lena { word gull; }", ["rank 5", "word gull", "word tern"]),
    ("who lena { shut; }", []),
    ("who lena { } who lena { rank 4; }", ["rank 4", "word tern"]),
]


@pytest.mark.parametrize(("blocks", "meant"), POURED)
def test_templates_are_poured_where_a_block_does_not_say_it_itself(blocks: str, meant: list[str]) -> None:
    text = "knot a { rank 5; word tern; } " + blocks
    found = read(POUR, text, "braces", 'ends = ";"')
    level = {"user lena: level": "rank", "user lena: another-password readable": "word"}
    stated = [
        f"{level[head]} {value}" for each in said(found) for head, _, value in [each.rpartition(" ")] if head in level
    ]
    assert sorted(stated) == sorted(meant)
    assert found.unread == ()


def test_blocks_of_a_template_are_poured_into_blocks_and_made_where_there_is_none() -> None:
    step = """
    pour(tree.first('knot'), tree.first('box'))
    tree.first('knot').take()
    for each in tree.first('box').children:
        device.user(each.word(1), at=each).level(each.value('rank', otherwise='0'))
    tree.first('box').take()
    return tree
"""
    found = read(
        step, "knot { who a { rank 1; } who b { rank 2; } } box { who a { rank 7; } who c { } }", "braces", 'ends = ";"'
    )
    assert [each for each in said(found) if "level" in each] == [
        "user a: level 7",
        "user c: level 0",
        "user b: level 2",
    ]


FAILURES: list[tuple[str, str]] = [
    ("    return None", "the step quay.dialect.py: read has to return the tree that it was given"),
    ("    raise ValueError(tree.children[0].words)", "the step quay.dialect.py:3: failed: ValueError"),
    ("    x = {}\n    return x[tree.children[0].word(1)]", "the step quay.dialect.py:4: failed: KeyError"),
    ("    device.usr('lena', at=tree)", "the step quay.dialect.py:3: there is no block usr; did you mean user?"),
    (
        "    device.user('lena', at=tree.children[0]).lvel('3')",
        "the step quay.dialect.py:3: there is no statement user: lvel; did you mean level?",
    ),
    ("    a = tree.children[0]\n    a.add(a)", "the step quay.dialect.py:4: a block cannot be put into itself"),
    (
        "    a = tree.children[0]\n    while True:\n        a.made('x')",
        "the step quay.dialect.py:5: it makes more than 300,000 statements of one text, which no device has",
    ),
    ("    return read(tree, device)", "the step quay.dialect.py:3: failed: RecursionError"),
]


@pytest.mark.parametrize(("step", "message"), FAILURES)
def test_a_step_that_fails_is_one_line_without_a_value(step: str, message: str) -> None:
    with pytest.raises(UnreadableInput) as caught:
        read(step, "who lena\n  word gull\n")
    assert str(caught.value) == message


@pytest.mark.parametrize(
    ("code", "message"),
    [
        (b"def read(tree, device:\n", "the step s.py:1: is not Python: '(' was never closed"),
        (b"x = 1\n", "the step s.py has no function read(tree, device)"),
        (b"import nothing_of_this_name\n", "the step s.py:1: failed: ModuleNotFoundError"),
        (b"\xff\xfe", "the step s.py:1: is not Python: "),
        (b"a\0b", "the step s.py"),
    ],
)
def test_a_file_that_is_no_step(code: bytes, message: str) -> None:
    with pytest.raises(UnreadableInput) as caught:
        Step(code, "s.py")
    assert str(caught.value).startswith(message)


# -- what recurs -------------------------------------------------------------------------------------------------------

ORDERS = st.lists(
    st.tuples(st.sampled_from(["add", "insert", "strike", "replace"]), st.integers(-2, 8), st.integers(0, 99))
)


@settings(max_examples=200, deadline=None, derandomize=True, database=None)
@given(ORDERS)
def test_places_stay_numbered_without_gaps(orders: list[tuple[str, int, int]]) -> None:
    places, model = Places[int](), list[int]()
    for order, at, item in orders:
        inside = 1 <= at <= len(model)
        if order == "add":
            places.add(item)
            model.append(item)
        elif order == "insert":
            places.insert(at, item)
            model[:] = [*model[: max(at - 1, 0)], item, *model[max(at - 1, 0) :]]
        elif order == "strike":
            assert places.strike(at) == (model.pop(at - 1) if inside else None)
        else:
            assert places.replace(at, item) == inside
            model[:] = [item if inside and n == at else old for n, old in enumerate(model, 1)]
    assert list(places) == model
    assert [places.at(n) for n in range(len(model) + 2)] == [None, *model, None]
    assert len(places) == len(model)


@settings(max_examples=100, deadline=None, derandomize=True, database=None)
@given(st.integers(0, 2**32 - 1), st.lists(st.integers(0, 31), max_size=8), st.integers(0, 2**32 - 1))
def test_scattered_masks_hold_just_the_addresses_that_agree(base: int, loose: list[int], other: int) -> None:
    wild = sum(1 << bit for bit in set(loose))
    address, mask = str(ipaddress.IPv4Address(base)), str(ipaddress.IPv4Address(wild ^ 0xFFFFFFFF))
    networks = [ipaddress.IPv4Network(each) for each in prefixes(address, mask)]
    assert inverse_mask(mask) == str(ipaddress.IPv4Address(wild))
    assert prefixes(address, inverse_mask(mask), wild=True) == [str(each) for each in networks]
    for tried in (base, other, base ^ wild):
        inside = any(ipaddress.IPv4Address(tried) in each for each in networks)
        assert inside == ((tried ^ base) & ~wild & 0xFFFFFFFF == 0)
    assert sum(each.num_addresses for each in networks) == 1 << len(set(loose))


@settings(max_examples=100, deadline=None, derandomize=True, database=None)
@given(st.sets(st.integers(0, 300)))
def test_ranges_go_both_ways(found: set[int]) -> None:
    text = spans(found)
    assert (numbers(",".join(text)) if text else []) == sorted(found)


def test_small_helpers() -> None:
    assert list(fill_dittos([["a", "b"], ['"', "-"], ['"', '"']], '"', ("-", ""))) == [["a", "b"], ["a", ""], ["a", ""]]
    groups = {"all": ["crew", "lena"], "crew": ["omar", "lena", "all"], "empty": []}
    assert members("all", groups) == ["omar", "lena"]
    assert (members("ines", groups), members("empty", groups)) == (["ines"], [])
    assert resolved("a", {"a": "b", "b": "c"}) == ["a", "b", "c"]
    with pytest.raises(StepProblem):
        resolved("a", {"a": "b", "b": "a"})
    for wrong in ("3-1", "x", "5000", ""):
        with pytest.raises(ValueError):
            numbers(wrong)
    for address, mask in (("192.0.2.1", "2001:db8::"), ("192.0.2.1", "0.170.170.170"), ("x", "255.0.0.0")):
        with pytest.raises(ValueError):
            prefixes(address, mask)


def test_settings_are_keys_and_values() -> None:
    step = """
    view = Settings(*tree.select('box'), fold=True)
    first = Settings(*tree.select('box'), fold=True, last=False)
    told = [view.text('name'), view.word('NAME'), str(view.words('name')), str(view.yes('On', True)), str(view.number('n', 7, 0, 9)),
            str(view.number('name', 7)), str(view.yes('name', False)), first.text('name'), str('zip' in view), str(view.at('on').line),
            str([each.word(1) for each in last_wins(tree.first('box').children)]), str([each.word(1) for each in first_wins(tree.first('box').children)])]
    for at, each in enumerate(told):
        device.user(f'u{at}', at=tree.children[0]).password('readable', each)
    for each in tree.select('box'):
        each.take()
    return tree
"""
    found = read(step, "box\n  name a\n  Name b  c\n  n 12\nbox\n  on off\n  name d\n")
    words = [each.partition("readable ")[2].strip('"') for each in said(found) if "readable" in each]
    assert words[:9] == ["d", "d", "['d']", "False", "7", "7", "False", "a", "False"]
    assert words[9:] == ["6", "['a', 'b', '12']", "['a', 'b', '12']"]
    assert Settings(None).text("x", "y") == "y"
    assert (last_wins([]), first_wins([])) == ([], [])
    with pytest.raises(KeyError):
        Settings(None).at("x")


# -- who may run -------------------------------------------------------------------------------------------------------

STEP = "def read(tree, device):\n    return tree\n"


def test_a_step_runs_only_where_the_user_says_so(overhang: Run, write: Write, tmp_path: Path) -> None:
    own = {"XDG_CONFIG_HOME": str(tmp_path / "own")}

    def run(*arguments: str, **more: Any) -> Ran:
        return overhang(*arguments, env=own, **more)

    write("net/quay.dialect.toml", DIALECT % ("indented", ""))
    step = write("net/quay.dialect.py", "open('ran', 'w').close()\n" + STEP)
    write("net/a.quay", CREW)
    write("net/b.sheet", "user ines: level 3\n")
    write("net/overhang.toml", 'dialects = { "*.quay" = "quay.dialect.toml" }\n')
    why = "the step net/quay.dialect.py is not trusted; read it, then run: overhang trust net/quay.dialect.py"
    for command in (["sheet", "net/a.quay"], ["audit", "net"], ["login", "net/a.quay", "--via", "console"]):
        ran = run(*command)
        assert (ran.code, why in ran.err, (tmp_path / "ran").exists()) == (2, True, False)
        assert ran.err.count("\n") == 1
    assert run("dialect", "try", "net/a.quay") == (2, "", f"overhang: net/a.quay: {why}\n")
    assert run("dialect", "check", "net/quay.dialect.toml").code == 2
    assert not (tmp_path / "ran").exists()
    once = run("sheet", "net/a.quay", "--trust", "net/quay.dialect.py")
    assert (once.code, (tmp_path / "ran").exists()) == (0, True)
    assert run("sheet", "net/a.quay").code == 2
    # for good, by what it is
    assert run("trust", "net/quay.dialect.py").code == 0
    assert run("sheet", "net/a.quay").code == 0
    listed = run("trust")
    assert (listed.code, "quay.dialect.py" in listed.out) == (0, True)
    assert (tmp_path / "own" / "overhang" / "trusted-steps.txt").exists()
    step.write_text(STEP + "# changed\n")
    assert run("sheet", "net/a.quay").code == 2
    assert run("trust", "net/quay.dialect.py").code == 0
    assert run("trust").out.count("quay.dialect.py") == 1
    assert run("trust", "--forget", "net/quay.dialect.py").code == 0
    assert run("sheet", "net/a.quay").code == 2
    assert run("trust").out == "no step is trusted\n"
    # wrong usage
    for wrong in (["trust", "net/a.quay"], ["trust", "gone.dialect.py"], ["trust", "--forget"]):
        ran = run(*wrong)
        assert (ran.code, ran.err.count("\n")) == (2, 1)
    assert run("sheet", "net/a.quay", "--trust", "gone.dialect.py").code == 2
    step.unlink()
    assert "cannot be read" in run("sheet", "net/a.quay").err
    (tmp_path / "own" / "overhang" / "trusted-steps.txt").write_bytes(b"\xff")
    write("net/quay.dialect.py", STEP)
    assert "not UTF-8" in run("sheet", "net/a.quay").err
    with pytest.raises(api.OverhangError):
        api.load(str(tmp_path / "net"), trust=["gone.dialect.py"])
    loaded = api.load(str(tmp_path / "net" / "a.quay"), trust=[tmp_path / "net" / "quay.dialect.py"])
    assert (len(loaded), loaded.unreadable) == (1, ())


ASKED = ("unsaid-console", "unsaid-auxiliary", "must-change")


def test_interview_and_logins(overhang: Run, write: Write, tmp_path: Path) -> None:
    told = "".join(
        f'{key} = "{KEYS[key].show(value)}"\n'
        for key, value in BUILTIN["entry-first"].values.items()
        if key not in ASKED
    )
    plain = (DIALECT % ("indented", "")).replace("step = true\n", "")
    write("other/b.dialect.toml", plain)
    write("other/b.dialect.py", "x = 1\n")
    ran = overhang("dialect", "check", "other/b.dialect.toml")
    assert (ran.code, "b.dialect.py is not used; write step = true" in ran.out) == (1, True)
    write("quay.dialect.toml", f'{plain}[profile]\nbase = "entry-first"\n{told}')
    write("a.quay", "who lena\n  rank 3\n  word gull\n")
    ran = overhang("dialect", "interview", "a.quay", stdin="bogus\nusers\n")
    assert ran.code == 0
    assert ran.out.startswith('[profile]\nbase = "entry-first"\n')
    assert 'unsaid-telnet = "on"' in ran.out
    asked = re.findall(r"(?m)^   (\S+): 1 device, (\d+) access paths?, ", ran.err)
    assert {key for key, _ in asked} <= set(ASKED)  # what the dialect states is not asked
    assert [key for key, _ in asked] == ["unsaid-auxiliary", "unsaid-console"]
    assert "expected nothing, password, users or refuse, or unknown" in ran.err
    assert 'unsaid-auxiliary = "users"' in ran.out
    assert 'unsaid-console = "unknown"' in ran.out
    assert "must-change" not in ran.out  # nothing here hangs on it
    assert overhang("dialect", "interview", "a.quay", "--output", "new.toml", stdin="").code == 0
    assert (tmp_path / "new.toml").read_text().count('= "unknown"') == 2
    ran = overhang("dialect", "interview", "a.quay", "--output", "new.toml")
    assert ran == (2, "", "overhang: new.toml: exists already; choose another name or move it away\n")
    write("b.sheet", "user lena: level 3\n")
    assert "not through a dialect" in overhang("dialect", "interview", "b.sheet").err
    # logins
    good = '{"device": "a.quay", "via": "console", "name": "lena", "password": "gull", "expect": "admitted"}\n'
    write("l.jsonl", good)
    ran = overhang("dialect", "check", "quay.dialect.toml", "--logins", "l.jsonl", "--now", "2026-11-25")
    assert ran.code == 0
    assert "1 of 1 login in l.jsonl end as they should" in ran.out
    write("l.jsonl", good.replace("admitted", "denied") + good.replace("a.quay", "gone.quay") + "x\n")
    ran = overhang("dialect", "check", "quay.dialect.toml", "--logins", "l.jsonl")
    assert (ran.code, "gull" in ran.out) == (2, False)
    assert "0 of 3 logins in l.jsonl end as they should; 1 wrong; 2 not tried" in ran.out
    assert "l.jsonl:1: a.quay: at the console, name lena\n    should be denied, and is admitted at level" in ran.out
    assert "l.jsonl:3: not JSON" in ran.out
    write("l.jsonl", good.replace("admitted", "denied"))
    assert overhang("dialect", "check", "quay.dialect.toml", "--logins", "l.jsonl").code == 1
    assert overhang("dialect", "check", "quay.dialect.toml", "--logins", "gone.jsonl").code == 2
    assert overhang("dialect", "check", "quay.dialect.toml", "marram", "--logins", "l.jsonl").code == 2
    write("l.jsonl", "\n")
    assert "holds no login" in overhang("dialect", "check", "quay.dialect.toml", "--logins", "l.jsonl").err
    # the same lines with overhang login
    write("l.jsonl", good + good.replace("admitted", "denied"))
    ran = overhang("login", "a.quay", "--attempts", "l.jsonl", "--format", "jsonl")
    assert (ran.code, ran.out.count('"as_expected": true'), ran.out.count('"as_expected": false')) == (1, 1, 1)


def test_why_and_as_table(overhang: Run, write: Write) -> None:
    write("quay.dialect.toml", (DIALECT % ("indented", "")).replace("step = true\n", ""))
    write("a.quay", "who lena\n  rank 33\n  rank 4\n  word gull\nrank 5\n")
    ran = overhang("dialect", "try", "a.quay", "--why", "2")
    assert ran.out.startswith(
        "a.quay:2: a level is a number from 0 to 15\n  rank 33\n" if "rank 33" in ran.out else "a.quay:2: "
    )
    assert "translation, line 11: rank {n:level}: word 2 differs: a level is a number from 0 to 15" in ran.out
    assert "* translation, line 11: rank {n:level}: taken" in overhang("dialect", "try", "a.quay", "--why", "3").out
    assert (
        "it would fit inside who, and this stands at the top level"
        in overhang("dialect", "try", "a.quay", "--why", "5").out
    )
    assert "says nothing" in overhang("dialect", "try", "a.quay", "--why", "9").out
    table = overhang("dialect", "try", "a.quay", "--as-table").out.splitlines()
    assert table[0] == "line\tstate\tblock\tstatement\tmeaning\tdialect_line\twhy"
    assert [line.split("\t")[1] for line in table[1:]] == ["said", "unread", "said", "said", "unread"]
    assert "gull" not in "".join(table)


@pytest.mark.parametrize("name", ["bracken", "cordage"])
def test_nothing_of_a_text_is_held_when_it_was_read(name: str) -> None:
    folder = Path(__file__).parents[2] / "examples" / "languages" / name
    trusted = frozenset([digest_of((folder / f"{name}.dialect.py").read_bytes())])
    loader = Loader(Projects(), None, str(folder / f"{name}.dialect.toml"), trusted)
    path = next(
        str(each) for each in sorted(folder.iterdir()) if each.name.startswith("b.") and each.suffix != ".sheet"
    )
    assert loader.load(path).device.users
    gc.collect()
    gc.disable()
    try:
        loader.load(path)
        assert gc.collect() == 0
    finally:
        gc.enable()
