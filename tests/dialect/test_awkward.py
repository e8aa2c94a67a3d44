"""Awkward languages: tables, prints, dormant lines, conditions of all kinds, rules in order, and what is in doubt."""

import datetime
import json
import re
from pathlib import Path
from typing import Any

import pytest

from overhang.dialect import BadDialect, Dialect, read_dialect, read_dialect_text
from overhang.dialect.interpreter import ALONE, Helpers
from overhang.dialect.layout_guess import guess_layout
from overhang.dialect.line_kinds import sort_lines
from overhang.dialect.meaning_guess import Guess
from overhang.dialect.preview import preview_dialect
from overhang.dialect.scaffold import scaffold_dialect, statement_of
from overhang.exposure import resolve
from overhang.formats.dialect_format import DialectReader, load_dialect, shipped
from overhang.language import read_sheet
from overhang.loading import Loader, Projects
from overhang.profiles.questions import QUESTIONS
from overhang.project import Project
from overhang.simulation import Attempt, ResolvedDevice, decide
from overhang.simulation.expected_logins import ExpectedLogin, Place, first_wrong, run_expected
from overhang.teach.stub import stub_text
from overhang.teach.trust import digest_of
from tests.support.configs import said
from tests.support.generator import NOW

ROOT = Path(__file__).parents[2]
LANGUAGES = sorted(path.name for path in (ROOT / "examples" / "languages").iterdir())


def dialect(body: str) -> Dialect:
    return read_dialect(('name = "trial"\n' + body).encode(), "trial.dialect.toml")


def rule(line: str, means: str, **more: str) -> str:
    keys = "".join(f"{key.replace('_', '-')} = {value}\n" for key, value in more.items())
    return f'[[translate]]\nline = "{line}"\nmeans = {means}\n{keys}'


def text(statement: str) -> str:
    return f'"{statement}"'


WHO = '[blocks]\nwho = { head = "who {who}", means = "user {who}:" }\n'
LEVEL = rule("rank {n:level}", text("user {who}: level {n}"), inside='"who"')
WORD = rule("word {w:rest}", text("user {who}: password readable {w}"), inside='"who"')
TABLE = '[layout]\nform = "sections"\nheadings = ["[*]"]\n[[layout.tables]]\nunder = "crew*"\n'
ROWS = '[blocks]\ncrew = "crew"\nwho = { head = "{who}", inside = "crew", means = "user {who}:" }\n' + LEVEL + WORD
PRINT = '[layout]\nform = "indented"\nleaders = "."\nlabel-ends = ":"\n'

HAIL = rule("hail {end:sign}", text("banner before-login: | {t}"), text=text("t"), until=text("{end}"))
MOTTO = rule("motto", text("banner before-login: | {t}"), text=text("t"), until=text("END"))
FRAME = rule("frame", text("banner before-login: | {t}"), text=text("t"), until=text("}"))
SAYS = '[blocks]\nwho = { head = "who {who}", means = "user {who}:" }\n' + HAIL + MOTTO + FRAME + LEVEL
BRACES = '[layout]\nform = "braces"\nends = ";"\ncomments = ["//"]\nblock-comments = ["/*", "*/"]\n' + SAYS
BARE = '[layout]\nform = "braces"\nends = ""\n' + SAYS
INDENTED = '[layout]\nform = "indented"\nbetween = ";"\nblock-comments = ["/*", "*/"]\n' + SAYS
LENA, OMAR = "who lena { rank 3; }\n", "who omar { rank 5; }\n"
#: Free text: the lines of the banner, behind a text that names an account, and before one that names another.
TEXTS: list[tuple[str, str, list[str]]] = [
    (BRACES, "hail @Keep out@; ", ["Keep out"]),
    (BRACES, "hail @Keep; who eve { rank 15; }@; ", ["Keep; who eve { rank 15; }"]),
    (BRACES, "hail @\nDon't; who eve {\n rank 15;\n\n}\n@;\n", ["Don't; who eve {", " rank 15;", "", "}"]),
    (BRACES, "hail\n @ Keep\nout } @ ", [" Keep", "out } "]),
    (BRACES, "hail @\nin /* no comment\n@; /* a comment */ ", ["in /* no comment"]),
    (BRACES, 'hail @\na "quote\n@; /* who eve { rank 15; } */ hail @\n" another\n@; ', ['" another']),
    (BRACES, "hail @// no comment\n@;\n", ["// no comment"]),
    (BRACES, "motto;\n  who eve { rank 15;\nEND\n", ["  who eve { rank 15;"]),
    (BRACES, "motto; another;\nEND;\n", []),
    (BRACES, 'frame {\n in /* "\n; { \n }\n', [' in /* "', "; { "]),
    (BARE, "hail @\nwho eve {\nrank 15\n@\n", ["who eve {", "rank 15"]),
    (BARE, "motto\n}}\nEND\n", ["}}"]),
    (INDENTED, "hail @Keep; who eve; out@;\n", ["Keep; who eve; out"]),
    (INDENTED, "hail @Keep; who eve;\nwho eve\n@;\n", ["Keep; who eve;", "who eve"]),
    (INDENTED, "motto;\nwho eve\nEND\n", ["who eve"]),
    (INDENTED, "motto; another\nEND\n", []),
    (INDENTED, "hail @\nin /* no comment\nwho eve\n@\n", ["in /* no comment", "who eve"]),
]

#: The dialect, the text, what comes of it, and the lines that are not understood.
LAYOUTS: list[tuple[str, str, list[str], list[int]]] = [
    (
        TABLE + 'apart = "|"\nditto = "="\nunsaid = ["-"]\nescape = "!"\n' + ROWS,
        "[crew]\nname | rank | word\n-----|----\nlena | 15 | a!|b\nomar | - | =\n| 3 |\nines|=|!=\n[crew]\nname | word\nlena | c\n",
        [
            "user ines: level 3",
            "user ines: password readable =",
            "user lena: level 15",
            "user lena: password readable c",
            "user omar: level 3",
            'user omar: password readable "a|b"',
        ],
        [],
    ),
    (
        '[layout]\nform = "indented"\ntrailing-comments = ["!!"]\n' + WHO + WORD,
        'who lena\n  word "a b" !! none\nwho omar\n  word a "b c" d !! none\n',
        ['user lena: password readable "a b"', 'user omar: password readable "a \\"b c\\" d"'],
        [],
    ),
    (
        '[layout]\nform = "flat"\ncomments = ["#"]\nblock-comments = ["/*", "*/"]\n[[layout.tables]]\nunder = "crew"\napart = "|"\n'
        + ROWS,
        "crew\nname | rank\n/* one\n*/\nlena | 3\n# two\n\nomar | 4\n",
        ["user lena: level 3"],
        [8],
    ),
    (
        TABLE + "edges = true\napart = '|'\n" + ROWS,
        "[crew]\n| name | rank |\n| lena | 4 |\n| omar | 5 | 6 |\n",
        ["user lena: level 4"],
        [4],
    ),
    (
        TABLE + 'key = "Who"\nunsaid = ["."]\n' + ROWS.replace("rank ", "Rank "),
        "[crew]\nRank  Who\n----  ---\n4     lena\n.     omar\nRank  Who\n99999999x\n",
        ["user lena: level 4"],
        [7],
    ),
    (
        '[layout]\nform = "flat"\n[[layout.tables]]\nunder = "Crew"\napart = ","\n'
        + ROWS.replace('"crew"\n', '"Crew"\n'),
        "Crew\nname,rank\nlena,4\n\nCrew\nname,rank\nlena,5\n",
        ["user lena: level 5"],
        [],
    ),
    (
        '[layout]\nform = "indented"\n[[layout.tables]]\nunder = "crew"\napart = ","\ndormant = ["#"]\n' + ROWS,
        "crew\n  name,rank\n  lena,4\n  #omar,9\nother\n",
        ["user lena: level 4"],
        [5],
    ),
    # prints
    (
        PRINT
        + 'continues = "&"\npage-breaks = ["Sheet *"]\n'
        + rule("Idle time: {m:minutes} min", text("entry console: idle {m}"))
        + rule("Hosts: {h:address...}", text("servers radius a: server {h}")),
        "Idle time ....: 5 min\nSheet 2 of 3\nHosts: 192.0.2.1\n  & 192.0.2.2\nIdle: 5\n",
        ["entry console: idle 5m", "servers radius a: server 192.0.2.1", "servers radius a: server 192.0.2.2"],
        [5],
    ),
    (
        '[layout]\nleaders = "."\n' + rule("Wire {s:on|off}", text("telnet: {s}")),
        "Wire ...... on\n",
        ["telnet: on"],
        [],
    ),
    # dormant lines and blocks; comments of several signs; several statements on a line; blocks that come again
    (
        '[layout]\ndormant = ["off:"]\n' + WHO + LEVEL,
        "who lena\n  rank 3\n  off: rank 9\noff: who omar\n  rank 4\n",
        ["user lena: level 3"],
        [],
    ),
    (
        '[layout]\nform = "braces"\nends = ";"\ndormant = ["asleep"]\nblock-comments = ["(*", "*)"]\njoin-blocks = true\n'
        + WHO
        + rule("rank {n:level}", text("user {who}: level {n}"), inside='"who"', when='"chief"')
        + rule("chief", text(""), inside='"who"'),
        'who lena { rank 3; } (* who "x { *) asleep who omar { rank 5; } who lena { chief; asleep rank 6; }',
        ["user lena: level 3"],
        [],
    ),
    (
        '[layout]\nform = "indented"\nblock-comments = ["<<", ">>"]\nbetween = ";"\n' + WHO + LEVEL + WORD,
        'who lena\n  rank 3; << rank\n 4 >> word "a;b"\n',
        ["user lena: level 3", "user lena: password readable a;b"],
        [],
    ),
    (
        '[layout]\nform = "sections"\nheadings = ["[*]"]\ndormant = ["~"]\n' + WHO + LEVEL,
        "[who lena]\nrank 3\n~[who omar]\nrank 4\n[who ines]\n~rank 5\n",
        ["user lena: level 3"],
        [],
    ),
]


@pytest.mark.parametrize(("body", "source", "lines"), TEXTS)
def test_free_text_is_no_statement_and_ends_where_it_does(body: str, source: str, lines: list[str]) -> None:
    around = [LENA, OMAR + "/* a comment */\n" * (body != BARE)]
    if body == INDENTED:
        around = [re.sub(r" {|; }", "", each).replace(" rank", "\n rank") for each in around]
    elif body == BARE:
        around = [each.replace(";", "") for each in around]
    found = read_dialect_text(dialect(body), source.join(around), "x")
    assert [user.name for user in found.device.users.values()] == ["lena", "omar"]
    banners = [each for banner in found.device.banners.values() for each in banner.lines]
    begins = around[0].count("\n") + 1
    assert (banners, sorted(found.unread)) == (lines, [] if lines else [begins, begins + 1])
    assert found.understood + len(found.unread) <= len(source.join(around).splitlines())


@pytest.mark.parametrize(
    ("source", "items"),
    [
        ("idle 0 2 5\nidle 0 4 5\nword 0 4 a\nword 0 2 b\n", {"0-2": "b", "0-4": "a"}),
        ("word 0 4 a\nword 0 2 b\nword 0 4 c\n", {"0-4": "c"}),
        ("also 0 4 a\nalso 0 2 b\nalso 0 4 c\n", {"0-4 2": "a", "0-2 2": "b", "0-4 3": "c"}),
    ],
)
def test_a_password_of_vtys_is_named_by_the_range_that_it_was_given_for(source: str, items: dict[str, str]) -> None:
    vtys = "entry vty {a}-{b}"
    body = '[layout]\nform = "flat"\n'
    for word, hole, means in (
        ("idle", "{m:minutes}", "idle {m}"),
        ("word", "{w}", "password readable {w}"),
        ("also", "{w}", "another-password readable {w}"),
    ):
        body += rule(f"{word} {{a:number}} {{b:number}} {hole}", text(f"{vtys}: {means}"))
    resolved = ResolvedDevice(read_dialect_text(dialect(body), source, "x").device)
    assert {each.item: each.stored.text for each in resolved.locks()} == {
        f"entry:vty {item}": password for item, password in items.items()
    }


@pytest.mark.parametrize(("vtys", "doubted"), [("", [0]), ("  seats 3 4\n", [3, 4])])
def test_a_line_that_may_be_about_ports_and_vtys_puts_them_in_doubt(vtys: str, doubted: list[int]) -> None:
    body = '[layout]\nform = "indented"\n[blocks]\ndoors = "doors"\n'
    body += rule("desk {w}", text("entry console: password readable {w}"), inside='"doors"')
    body += rule("seats {a:number} {b:number}", text("entry vty {a}-{b}: check users"), inside='"doors"')
    body += rule("gate", text("ssh: on"), inside='"doors"')
    device = read_dialect_text(dialect(body), f"doors\n{vtys}doors\n  zorp quux\n", "x").device
    assert [entry.block.doubt is not None for entry in (device.console, device.auxiliary)] == [True, False]
    assert [number for number, entry in device.vtys.items() if entry.block.doubt is not None] == doubted
    assert device.ssh.block.doubt is not None


def test_a_block_of_a_flat_text_is_there_whatever_is_read_of_it() -> None:
    body = (
        '[layout]\nform = "flat"\ntake-back = "no"\ndormant = ["~"]\n'
        + WHO
        + LEVEL
        + rule("kept {k}", '""', inside='"who"')
    )
    source = "who lena rank 3\nwho ines kept open\nno who omar kept open\n~who eve kept open\nwho zoe chief\n"
    found = read_dialect_text(dialect(body), source, "x")
    users = {user.name: (user.block.origin and user.block.origin.line) for user in found.device.users.values()}
    assert (users, list(found.unread)) == ({"lena": 1, "ines": 2}, [5])


@pytest.mark.parametrize(("body", "source", "meant", "unread"), LAYOUTS)
def test_layouts(body: str, source: str, meant: list[str], unread: list[int]) -> None:
    found = read_dialect_text(dialect(body), source, "x")
    stated = [each for each in said(found) if each and not each.endswith((":", "incomplete"))]
    assert sorted(stated) == sorted(meant)
    assert list(found.unread) == unread
    assert found.understood + len(found.unread) + len(found.silent) <= len(source.splitlines())


FLAGS = WHO + rule("{f:red|blue|green} [{n:number}]", text(""), inside='"who"')


def conditional(key: str, condition: str) -> str:
    return FLAGS + rule("rank {r:level}", text("user {who}: level {r}"), inside='"who"', **{key: condition})


#: A condition on `rank`, lines beside it, and whether it applies.
CONDITIONS: list[tuple[str, str, str, bool]] = [
    ("when", '"red"', "red", True),
    ("when", '"red"', "blue", False),
    ("when", '["red", "blue"]', "red", False),
    ("when", '["red", "blue"]', "red,blue", True),
    ("when", '{ any = ["red", "blue"] }', "blue", True),
    ("when", '{ any = ["red", "blue"] }', "green", False),
    ("when", '{ none = ["red", "blue"] }', "green", True),
    ("when", '{ none = ["red", "blue"] }', "green,red", False),
    ("when", '{ all = ["red", { none = "blue" }] }', "red", True),
    ("when", '{ all = ["red", { none = "blue" }] }', "red,blue", False),
    ("unless", '["red", "blue"]', "blue", False),
    ("unless", '{ all = ["red", "blue"] }', "blue", True),
    ("unless", '{ any = ["red", "blue"] }', "red", False),
    ("when", '{ contains = "7" }', "red 7", True),
    ("when", '{ contains = "7" }', "red 8", False),
    ("when", '[{ line = "red {n:number}" }, { hole = "n", least = 5, most = 7 }]', "red 7", True),
    ("when", '[{ line = "red {n:number}" }, { hole = "n", least = 5, most = 7 }]', "red 8", False),
    ("when", '[{ line = "red {n:number}" }, { hole = "n", least = 5 }]', "red 4", False),
    ("when", '{ hole = "r", is = ["3", "4"] }', "", True),
    ("when", '{ hole = "r", is = "4" }', "", False),
    ("unless", '{ hole = "r", most = 3 }', "", False),
    ("when", '{ line = "who omar", inside = "" }', "", False),
]


@pytest.mark.parametrize(("key", "condition", "beside", "holds"), CONDITIONS)
def test_conditions(key: str, condition: str, beside: str, holds: bool) -> None:
    source = "who lena\n  rank 3\n" + "".join(f"  {each}\n" for each in beside.split(",") if each)
    found = read_dialect_text(dialect(conditional(key, condition)), source, "x")
    assert ("user lena: level 3" in said(found)) == holds
    assert found.unread == ()
    assert found.silent == (() if holds else (2,))
    assert found.understood == len(source.splitlines()) - (not holds)
    # the same condition on one meaning of several
    both = FLAGS + rule(
        "rank {r:level}",
        f'["user {{who}}: expires 2031-05-17", {{ say = "user {{who}}: level {{r}}", {key} = {condition} }}]',
        inside='"who"',
    )
    found = read_dialect_text(dialect(both), source, "x")
    assert ("user lena: level 3" in said(found)) == holds
    assert "user lena: expires 2031-05-17" in said(found)
    assert found.silent == ()


RULES = '[layout]\ntake-back = "un"\n' + rule(
    "list {l} {n:number} let {p:prefix}", text("sources {l}: allow {p}"), sort_by='"n"', again='"%s"'
)
MEANINGS: list[tuple[str, str, list[str]]] = [
    (
        RULES % "first",
        "list a 20 let 192.0.2.0/24\nlist b 1 let 192.0.2.9/32\nlist a 9 let 198.51.100.0/24\nlist a 20 let 203.0.113.0/24\n",
        ["sources a: allow 198.51.100.0/24", "sources a: allow 192.0.2.0/24", "sources b: allow 192.0.2.9/32"],
    ),
    (
        RULES % "last",
        "list a 20 let 192.0.2.0/24\nlist a 9 let 198.51.100.0/24\nlist a 20 let 203.0.113.0/24\n",
        ["sources a: allow 198.51.100.0/24", "sources a: allow 203.0.113.0/24"],
    ),
    (
        rule("ways {w:ssh|telnet...}", text("entry vty 0-3: accept {w...}"))
        + rule("no ways", '["entry vty 0-3: drop accept", "telnet: off"]'),
        "ways ssh telnet\nno ways\n",
        ["telnet: off"],
    ),
    (
        WHO + rule("gone {who}", text("drop user {who}")),
        "who lena\nwho omar\ngone lena\ngone ines\n",
        ["user omar:"],
    ),
    (
        '[layout]\nsigns = ","\n'
        + rule("host {n} ...", text("servers radius {n}:"))
        + 'each = [{ part = "at {a:address...}", means = "servers radius {n}: server {a}" }, { part = "wait {s:seconds}", means = "servers radius {n}: timeout {s}" }]\n',
        "host a at 192.0.2.1, 192.0.2.2 wait 5 at 192.0.2.3\n",
        [
            "servers radius a: server 192.0.2.1",
            "servers radius a: server 192.0.2.2",
            "servers radius a: server 192.0.2.3",
            "servers radius a: timeout 5s",
        ],
    ),
    (
        '[blocks]\na = { head = "port a", values = { at = "entry console" } }\nb = { head = "seats {f:number} {l:number}", values = { at = "entry vty {f}-{l}" } }\n'
        + rule("rest {m:minutes}", text("{at}: idle {m}"), inside='["a", "b"]'),
        "port a\n  rest 5\nseats 0 4\n  rest 6\n",
        ["entry console: idle 5m", "entry vty 0-4: idle 6m"],
    ),
    (
        'pass-over-everywhere = ["note"]\n' + WHO + LEVEL,
        "note x\nwho lena\n  note y\n  rank 3\n",
        ["user lena: level 3"],
    ),
    (rule("who {n:any-case}", text("user {n}: level 3")), "who Lena\n", ["user lena: level 3"]),
]


@pytest.mark.parametrize(("body", "source", "meant"), MEANINGS)
def test_meanings(body: str, source: str, meant: list[str]) -> None:
    found = read_dialect_text(dialect(body), source, "x")
    assert found.unread == ()
    stated = [each for each in said(found) if each]
    heads = tuple(each for each in meant if each.endswith(":"))
    assert [each for each in stated if not each.endswith(":") or each in heads] == sorted(
        meant, key=lambda each: stated.index(each) if each in stated else -1
    )
    lists = [each for each in stated if each.startswith("sources a: ")]
    assert lists == [each for each in meant if each.startswith("sources a: ")]  # rules count in their order


WRONG: list[tuple[str, str]] = [
    ('[layout]\nform = "braces"\ncontinues = "+"\n', "4: layout.continues: the form braces knows no lines"),
    ("[layout]\ntables = 3\n", "3: layout.tables: expected [[layout.tables]], once for each form of table"),
    (
        "[[layout.tables]]\napart = ','\n",
        "2: layout.tables: under: expected the line that begins the table, * for what varies in it",
    ),
    (
        conditional("when", "3"),
        "8: translation 2: when: expected a line, a list of them, or a table with one of line, contains, any, all, none, hole",
    ),
    (conditional("when", '{ hole = "q", least = 1 }'), "8: translation 2: when: hole: q is not a hole of the line"),
    (
        conditional("unless", '{ hole = "r" }'),
        "8: translation 2: unless: hole: expected least and most, which are numbers, or is, which are words",
    ),
    (rule("a {x}", text("user {x}: level 3"), sort_by='"q"'), "2: translation 1: sort-by: q is not a hole of the line"),
    (rule("a {x}", text(""), again='"all"'), "2: translation 1: again: expected first or last, whichever counts"),
    (rule("a {x}", text(""), inside='["b"]'), "2: translation 1: inside: there is no block b"),
    (
        rule("a {x}", '[{ say = "user {x}: level 3" }]'),
        "2: translation 1: means: say without when and unless; write it as a text",
    ),
    (
        '[blocks]\na = { head = "a {x}", values = { x = "y" } }\n',
        "3: block a: values: x is a hole of the line already",
    ),
    (
        rule("a {x} ...", text("")) + 'each = [{ part = "w {n}", means = "ssh: prt {n}" }]\n',
        "2: translation 1: each: part w {n}: means: did you mean",
    ),
]


@pytest.mark.parametrize(("body", "expected"), WRONG)
def test_mistakes(body: str, expected: str) -> None:
    with pytest.raises(BadDialect) as caught:
        dialect(body)
    found = [f"{each.line}: {each.message}" for each in caught.value.problems]
    stem = expected.removesuffix("did you mean")
    assert any(each.startswith(stem) for each in found), found


# -- doubt -------------------------------------------------------------------------------------------------------------

DOUBTFUL = (
    WHO
    + LEVEL
    + WORD
    + '[blocks.web]\nhead = "web"\n'
    + rule("plain {s:on|off}", text("web: http {s}"), inside='"web"')
    + rule("step {n:level} word {w}", text("elevation {n}: password readable {w}"))
    + '[profile]\nbase = "entry-first"\nunsaid-console = "users"\nunsaid-vty = "users"\nunknown-account = "reject"\n'
)
GOOD = "who lena\n  rank 1\n  word gull\nweb\n  plain off\n"


@pytest.mark.parametrize(
    ("unread", "attempt", "sure"),
    [
        ("", {"via": "console", "name": "omar"}, "denied"),
        ("who omar x\n", {"via": "console", "name": "omar"}, ""),
        ("who omar x\n", {"via": "console", "name": "lena", "passwords": ("gull",)}, "admitted"),
        ("", {"via": "http"}, "refused"),
        ("web\n  plain maybe\n", {"via": "http"}, ""),
        ("something else\n", {"via": "http"}, "refused"),
        (
            "step 15 word x only for some\n",
            {"via": "console", "name": "lena", "passwords": ("gull",), "elevate": 15},
            "",
        ),
    ],
)
def test_an_unread_line_makes_nothing_certain_that_it_may_be_about(
    unread: str, attempt: dict[str, Any], sure: str
) -> None:
    source = unread + GOOD if not unread.startswith("web") else "who lena\n  rank 1\n  word gull\n" + unread
    config = read_dialect_text(dialect(DOUBTFUL), source, "x")
    fields = {"passwords": ("tern",), "elevate_passwords": ("tern",), **attempt}
    result = decide(resolve(config, Project()), Attempt(moment=NOW, **fields)).result
    certain = result.outcome if result.elevation is None else ("" if result.elevation == "unknown" else result.outcome)
    assert certain == (sure or ("unknown" if "elevate" not in attempt else ""))


# -- whole languages ---------------------------------------------------------------------------------------------------


def reader_of(name: str) -> DialectReader:
    folder = ROOT / "examples" / "languages" / name
    step = folder / f"{name}.dialect.py"
    trusted = {digest_of(step.read_bytes())} if step.exists() else ()
    return DialectReader(load_dialect(str(folder / f"{name}.dialect.toml")), trusted=trusted)


def logins_of(name: str) -> list[ExpectedLogin]:
    folder, reader = ROOT / "examples" / "languages" / name, reader_of(name)
    places: dict[str, Place] = {}

    def find(file: str) -> Place:
        if file not in places:
            config = reader.read((folder / file).read_bytes(), file)
            assert config.unread == ()
            places[file] = Place(resolve(config, Project()))
        return places[file]

    lines = (folder / "logins.jsonl").read_text().splitlines()
    return list(run_expected(lines, find, datetime.datetime(2026, 11, 25, tzinfo=datetime.UTC)))


@pytest.mark.parametrize("name", LANGUAGES)
def test_every_login_of_the_example_languages_ends_as_their_manuals_say(name: str) -> None:
    logins = logins_of(name)
    assert len(logins) >= 20
    assert [each.line for each in logins if not each.right] == []
    ends = {outcome for each in logins for outcome in each.expected.outcomes}
    assert {"admitted", "denied", "refused"} <= ends  # no language is all one answer


@pytest.mark.parametrize("name", LANGUAGES)
def test_no_password_is_shown_of_what_a_dialect_and_its_step_read(name: str) -> None:
    folder, reader = ROOT / "examples" / "languages" / name, reader_of(name)
    logins = [json.loads(line) for line in (folder / "logins.jsonl").read_text().splitlines()]
    words = {each[key] for each in logins for key in ("password", "elevate_password") if len(each.get(key, "")) > 3}
    shown = ""
    for path in folder.glob("[ab].*"):
        source = path.read_text()
        trial = preview_dialect(reader.dialect, source, path.name, why=range(1, 80), helpers=reader.helpers)
        config = reader.read(source.encode(), path.name)
        shown += "\n".join(
            [each.text for each in trial.lines] + [s for each in trial.lines for s in each.outcome.statements]
        )
        shown += "\n".join(config.quote(line) for line in range(1, len(config.lines) + 1))
        shown += str([each.near for each in trial.lines]) + str(trial.shapes)
    assert words
    assert [each for each in words if re.search(rf"(?<![\w-]){re.escape(each)}(?![\w-])", shown)] == []


def test_the_first_step_that_went_wrong() -> None:
    sheet = "entry console: check users\nentry vty 0-3:\n    accept ssh\n    check users\n    from yard\nssh:\n    on\n    host-key ed25519\nsources yard: allow 192.0.2.0/24\nuser lena:\n    level 7\n    password readable gull\nuser omar:\n    password readable tern\n    disabled\n"
    place = Place(resolve(read_sheet("device: profile role-based\n" + sheet, "x"), Project()))
    base = {"device": "x", "via": "console", "name": "lena", "password": "gull"}
    cases: list[tuple[dict[str, Any], str]] = [
        ({"expect": "admitted", "expect_level": 7}, ""),
        ({"expect": ["denied", "admitted"]}, ""),
        ({"expect": "admitted", "expect_level": 8}, "account lena has level 7"),
        ({"expect": "denied"}, "the password of account lena is correct"),
        ({"password": "x", "expect": "admitted"}, "the password of account lena is wrong"),
        ({"name": "omar", "expect": "admitted"}, "account omar is disabled"),
        ({"via": "ssh", "from": "203.0.113.9", "expect": "admitted"}, "source list yard"),
    ]
    lines = [json.dumps({**base, **case}) for case, _ in cases]
    for login, (_, step) in zip(run_expected(lines, lambda _: place, NOW), cases, strict=True):
        found = first_wrong(login)
        assert (found.reason if found is not None else "")[: len(step)] == step
        assert login.right == (not step)
    wrong = [{**base}, {**base, "expect": "in"}, {**base, "expect": "denied", "device": ""}, {**base, "expekt": 1}]
    problems = [each.problem for each in run_expected([json.dumps(each) for each in wrong], lambda _: place, NOW)]
    assert problems[0] == "expect: is missing"
    assert problems[1].startswith("expect: expected admitted, denied")
    assert problems[2:] == ["device: is missing", "an unknown key; did you mean expect?"]


# -- beginning a dialect -----------------------------------------------------------------------------------------------


def texts_known() -> list[tuple[str, Dialect, str, Helpers]]:
    gannet = ROOT / "src" / "overhang" / "demo" / "network" / "gannet"
    files = {"marram": "isle-ramp.mrm", "sandlark": "isle-clock.snd", "tarnhook": "isle-tickets.thk"}
    files["brinewick"] = "isle-edge.brw"
    found = [(name, load_dialect(shipped()[name]), (gannet / file).read_text(), ALONE) for name, file in files.items()]
    for path in sorted((ROOT / "examples" / "dialects").iterdir()):
        each = load_dialect(str(path))
        found.append((path.name, each, each.samples[0].text, ALONE))
    for name in LANGUAGES:
        reader = reader_of(name)
        for path in sorted((ROOT / "examples" / "languages" / name).glob("[ab].*")):
            found.append((name, reader.dialect, path.read_text(), reader.helpers))
    return found


def kinds_meant(trial: Any) -> dict[int, set[tuple[str, str]]]:
    """For each line the kinds of statement that it means: the block, and the field."""
    meant: dict[int, set[tuple[str, str]]] = {}
    for each in trial.lines:
        for one in each.outcome.ready:
            words = one.filled.head
            block = " ".join(words[:2]) if words[0] == "entry" else words[0]
            field = one.inner.spec.field if one.inner is not None else ""
            meant.setdefault(each.line, set()).add((block, "password" if field == "others" else field))
    return meant


def kind_guessed(each: Guess) -> tuple[str, str]:
    if each.statement == "head" or (each.kind, each.statement[:4]) == ("device", "name"):
        return each.kind, ""
    values = (
        "users",
        "word",
        "8",
        "5m",
        "192.0.2.0/24",
        "192.0.2.1",
        "ssh",
        "2031-05-17",
        "1024",
        "key",
        "yes",
        "router",
    )
    for value in values:
        for other in values:
            filled = each.statement.replace("{}", value, 1).replace("{}", other)
            stated = each._replace(statement=filled, at=())
            sheet = read_sheet(statement_of(stated, {}, (), ("x",)).replace("{x}", "x").replace("NAME", "x"), "x")
            if not sheet.unread and sheet.program is not None and sheet.program.statements:
                return each.kind, sheet.program.statements[-1].statement.spec.field
            if "{}" not in each.statement:
                break
    return each.kind, "?"


def test_at_least_half_of_the_access_lines_are_guessed_right() -> None:
    lines = first = among = 0
    for _, each, source, helpers in texts_known():
        guesses = sort_lines(guess_layout([source]), [source]).meant
        meant = kinds_meant(preview_dialect(each, source, "x", helpers=helpers))
        assert meant
        for line, wanted in meant.items():
            found = [[kind_guessed(guess) for guess in several] for several in guesses.get((0, line), [])]
            lines += 1
            first += any(several[:1] and several[0] in wanted for several in found)
            among += any(guess in wanted for several in found for guess in several)
    assert first / lines > 0.5, (first, lines)
    assert among / lines > 0.6, (among, lines)


BEGUN: list[tuple[str, dict[str, Any]]] = [
    (
        "%zz who lena\nwho omar\n  rank 3\n%zz who ines\n  rank 4\nwho nora\n  rank 3\n",
        {"dormant": ("%zz",), "comments": ()},
    ),
    ("! the crew of the ramp, as of spring\nwho omar\n  rank 3\n! who else?\n", {"comments": ("!",)}),
    ("(* x *)\nbox { name a; }\nwho lena { rank 3; rank 4; }\n", {"form": "braces", "block_comments": ("(*", "*)")}),
    (
        "Net\n  Wire ....: on\n  Shell ...: off\n  Hosts ...: 192.0.2.1\n  + 192.0.2.2\n  + 192.0.2.3\n",
        {"leaders": ".", "label_ends": ":", "continues": "+"},
    ),
    ('[a]\nx=1\n[b]\nname | rank\nlena | 1\nomar | "\nines | "\n', {"form": "sections"}),
    ("Page 1\nwho a\nPage 2\nwho b\nno who a\nwho c\nno who b\n", {"page_breaks": ("Page *",), "take_back": "no"}),
    ("banner @\nwho is this?\n  rank and file\n@\nwho lena\n  rank 3\n", {"form": "indented"}),
]


@pytest.mark.parametrize(("source", "wanted"), BEGUN)
def test_layouts_are_detected(source: str, wanted: dict[str, Any]) -> None:
    found = guess_layout([source])
    assert {key: getattr(found.layout, key) for key in wanted} == wanted
    begun = scaffold_dialect([("a.x", source)], "begun")
    assert read_dialect(begun.encode(), "x").layout == found.layout._replace(dormant=found.layout.dormant)
    assert "rank and file" not in begun
    if found.layout.form == "sections":
        assert [each.ditto for each in found.layout.tables] == ['"']


@pytest.mark.parametrize("name", ["isle-ramp.mrm", "isle-clock.snd", "isle-tickets.thk", "isle-edge.brw"])
def test_what_is_begun_is_a_dialect_whose_guesses_can_be_taken(name: str) -> None:
    """Without the # the file is read; what its guesses lack are the values of tables, each told with its line."""
    source = (ROOT / "src" / "overhang" / "demo" / "network" / "gannet" / name).read_text()
    begun = scaffold_dialect([(name, source)], "begun")
    head, _, rest = begun.partition("[profile]")
    taken = re.sub(r"(?m)^# (\[|[a-z-]+ = )", r"\1", rest)
    try:
        found = read_dialect(f"{head}[profile]{taken}".encode(), "x")
    except BadDialect as problem:
        told = [each.message for each in problem.problems]
        assert all("means: " in each or "can never match" in each for each in told)
        assert len(told) * 3 < taken.count("[[translate]]")
    else:
        assert found.translations


# -- pages -------------------------------------------------------------------------------------------------------------


def test_what_is_made_from_the_code_is_as_the_code_has_it() -> None:
    assert (ROOT / "src" / "overhang" / "teach" / "device.pyi").read_text() == stub_text()
    page = (ROOT / "docs" / "profiles.md").read_text()
    for key, question in QUESTIONS.items():
        assert f"| `{key}` | {question.text} | {question.values} | {question.how} |" in page


def test_the_pages_show_what_the_examples_say() -> None:
    known = "".join(path.read_text() for path in (ROOT / "examples" / "languages").rglob("*.*") if path.is_file())
    flat = re.sub(r"\s+", "", known)
    page = (ROOT / "docs" / "dialects-awkward.md").read_text()
    lines = [line.strip().split("  #")[0].strip() for line in page.splitlines() if line.startswith("    ")]
    shown = [line for line in lines if re.match(r"[\[{a-z-]", line) and not line.startswith(("omar", "Kept", "Word"))]
    assert len(shown) > 30
    assert [line for line in shown if re.sub(r"\s+", "", line.split("...")[0]) not in flat] == []


def test_a_dialect_finds_its_files_and_leaves_steps_alone(tmp_path: Path) -> None:
    (tmp_path / "a.dialect.py").write_text("raise SystemExit\n")
    (tmp_path / "a.sheet").write_text("user lena: level 3\n")
    found = list(Loader(Projects()).configs([str(tmp_path)]))
    assert len(found) == 1
