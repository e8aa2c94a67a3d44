"""Dialects: what a file may say, what lines come to mean, what is not understood, and the way back."""

import json
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from overhang.auditing.runner import audit_config
from overhang.dialect import BadDialect, Dialect, read_dialect, read_dialect_text
from overhang.dialect.hole_types import TYPES, date_type
from overhang.dialect.instantiate import MOST_STATEMENTS
from overhang.dialect.interpreter import ALONE, Interpreter
from overhang.dialect.layout_guess import guess_layout
from overhang.dialect.line_shapes import TRADE, shape_of
from overhang.dialect.loader import _TRANSLATE
from overhang.dialect.pattern import BadPattern, Mismatch, Notation, compile_patterns
from overhang.dialect.preview import check_samples, preview_dialect
from overhang.dialect.scaffold import scaffold_dialect
from overhang.dialect.settings import LAYOUT_KEYS, TOP_KEYS
from overhang.dialect.unparser import phrase
from overhang.formats.dialect_format import load_dialect, shipped
from overhang.formats.registry import FormatRegistry
from overhang.language import ParsedConfig, read_sheet, unparse
from overhang.project import Project
from tests.support.configs import CONFIGURATIONS, said
from tests.support.generator import NOW

ROOT = Path(__file__).parents[2]
CALM: dict[str, Any] = {
    "deadline": None,
    "derandomize": True,
    "suppress_health_check": list(HealthCheck),
    "database": None,
}


def dialect(body: str, head: str = 'name = "trial"\n') -> Dialect:
    return read_dialect((head + body).encode(), "trial.dialect.toml")


# -- the shipped ones --------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("name", CONFIGURATIONS)
def test_demo_configurations_mean_the_sheets_written_before_their_dialects(name: str) -> None:
    reader = FormatRegistry().choose(CONFIGURATIONS[name], name)
    assert reader is not None
    sheet = reader.read(CONFIGURATIONS[name], name)
    wanted = read_sheet((ROOT / "tests" / "dialect" / "sheets" / f"{Path(name).stem}.sheet").read_text(), "wanted")
    assert wanted.unread == ()
    assert unparse(sheet.device, secrets=True) == unparse(wanted.device, secrets=True)
    left = ["***"] if name.endswith(".thk") else []
    assert [sheet.quote(line) for line in sheet.unread] == left
    text = CONFIGURATIONS[name].decode()
    stored = {each.text for each in secrets_of(sheet) if each.text}
    quoted = "\n".join(sheet.quote(line) for line in range(1, len(sheet.lines) + 1))
    assert stored
    assert all(each in text and each not in quoted for each in stored)


def secrets_of(sheet: ParsedConfig) -> list[Any]:
    device = sheet.device
    entries = [device.console, device.auxiliary, *device.vtys.values(), *device.users.values()]
    found = [each.password for each in entries if each.password is not None]
    found += [each.strong or each.plain for each in device.elevations.values()]
    stored = [each.value for each in found]
    stored += [server.value.secret for group in device.groups.values() for server in group.servers]
    return [*stored, *(each.value.password for each in device.snmp.communities)]


@pytest.mark.parametrize("path", [*shipped().values(), *map(str, sorted((ROOT / "examples" / "dialects").iterdir()))])
def test_shipped_and_example_dialects_are_right(path: str) -> None:
    found = load_dialect(path)
    assert list(check_samples(found)) == []
    assert found.about
    assert found.samples or path in shipped().values()


def test_each_shipped_dialect_has_what_makes_a_language_its_own() -> None:
    forms = set()
    for path in shipped().values():
        found = load_dialect(path)
        forms.add(found.layout.form)
        each = found.translations
        assert any(one.partners for one in each)
        assert any(one.needs for one in each)
        assert any(hole.many for one in each for hole in one.holes.values()) or any(one.parts for one in each)
        assert any(hole.type.verbatim for one in each for hole in one.holes.values())
    assert len(forms) == 4


@pytest.mark.parametrize("name", CONFIGURATIONS)
def test_remedies_in_the_makers_words_mean_the_remedies(name: str) -> None:
    reader: Any = FormatRegistry().choose(CONFIGURATIONS[name], name)
    bare = reader.dialect._replace(profile=None, never=(), always=())
    sheet = reader.read(CONFIGURATIONS[name], name)
    phrased = 0
    for finding in audit_config(sheet, Project(), NOW).findings:
        if finding.phrased is None or finding.phrased.lines is None or "drop" in " ".join(finding.fix):
            continue
        phrased += 1
        back = read_dialect_text(bare, "\n".join(finding.phrased.lines) + "\n", "x")
        wanted = read_sheet("\n".join(finding.fix) + "\n", "x")
        assert back.diagnostics == ()
        assert unparse(back.device, secrets=False) == unparse(wanted.device, secrets=False)
    assert phrased > 0 or not name.endswith((".mrm", ".brw"))


BACK = """
[layout]
form = "%s"
take-back = "un"
%s
[tables.asks]
people = "users"
list = "methods crew"
[blocks]
seats = { head = "seats {a:number} {b:number}", means = "entry vty {a}-{b}:" }
[[translate]]
inside = "seats"
line = "ask {what:asks}"
means = "entry vty {a}-{b}: check {what}"
[[translate]]
inside = "seats"
line = "rest {m:minutes} {s:seconds}"
means = "entry vty {a}-{b}: idle {m}{s}"
[[translate]]
inside = "seats"
line = "take {ways:ssh|telnet...}"
means = "entry vty {a}-{b}: accept {ways...}"
[[translate]]
line = "%sperson {who} word {text:text}"
means = "user {who}: password hashed {text}"
[[translate]]
line = "%sperson {who} level {n:level} [or {x}]"
means = "user {who}: level {n}"
[[translate]]
line = "%swire"
means = "telnet: on"
taken-back = "telnet: off"
[[translate]]
line = "%snet {ip:address} {wild:wildcard-mask}"
means = "sources a: allow {ip}/{wild}"
[[translate]]
line = "%sgrumpy"
means = \"\"\"
ssh: off
telnet: off
\"\"\"
"""
INDENTED = dialect(BACK % ("indented", "", *[""] * 5))
SAY = dialect(BACK % ("flat", 'say = "do"', *["do "] * 5))
BRACES = dialect(BACK % ("braces", 'ends = ";"', *[""] * 5))
SECTIONS = dialect(BACK % ("sections", 'headings = ["[*]"]', *[""] * 5))
SEATS = ["entry vty 0-3:", "    check users", "    idle 2m30s"]
PHRASES: list[tuple[Dialect, list[str], tuple[str, ...] | None]] = [
    (INDENTED, SEATS, ("seats 0 3", "    ask people", "    rest 2 30")),
    (SAY, SEATS, ("do seats 0 3 ask people", "do seats 0 3 rest 2 30")),
    (BRACES, SEATS, ("seats 0 3 {", "    ask people;", "    rest 2 30;", "}")),
    (SECTIONS, SEATS, ("[seats 0 3]", "ask people", "rest 2 30")),
    (INDENTED, ["entry vty 7: check methods crew"], ("seats 7 7", "    ask list")),
    (INDENTED, ["entry vty 7: accept ssh telnet"], ("seats 7 7", "    take ssh telnet")),
    (INDENTED, ["entry vty 7: accept nothing"], None),
    (INDENTED, ["entry vty 7: check methods other"], None),
    (INDENTED, ["entry vty 7:"], ("seats 7 7",)),
    (INDENTED, ["user lena:", "    password withheld"], ("person lena word withheld",)),
    (INDENTED, ['user "a b":', "    level 3"], ('person "a b" level 3',)),
    (INDENTED, ["user lena:", "    role x"], None),
    (INDENTED, ["sources a:", "    allow 10.64.0.0/24"], ("net 10.64.0.0 0.0.0.255",)),
    (INDENTED, ["ssh: off"], None),
    (INDENTED, ["drop user lena: password"], None),
    (SAY, ["telnet: on"], ("do wire",)),
    (INDENTED, ["drop telnet: on"], None),
    (INDENTED, ["banner before-login:", "    | x"], None),
    (INDENTED, ["no statement"], None),
]


@pytest.mark.parametrize(("using", "lines", "expected"), PHRASES)
def test_statements_in_a_makers_words(using: Dialect, lines: list[str], expected: tuple[str, ...] | None) -> None:
    assert phrase(using, lines).lines == expected


# -- what a file may say -----------------------------------------------------------------------------------------------

ONE = '[[translate]]\nline = "a {x}"\n'
MISTAKES: list[tuple[str, list[str]]] = [
    (
        "colour = 1",
        [
            "2: ***: unknown key; known here: name, about, recognise, layout, profile, never-carries, blanked, always, tables, dates, blocks, translate, pass-over, pass-over-everywhere, step, sample"
        ],
    ),
    (
        '[layout]\nform = "flat"\ntake-back = "not"\n[[translate]]\nline = "desk on"\nmeans = "ssh: on"\nwhen = "not closed {x}"',
        [
            "5: translation 1: when: a line that not takes back is never there; under unless the line itself says that it must not be there"
        ],
    ),
    ("x = ", ["2: not TOML: Invalid value (at line 2, column 5)"]),
    ('[layout]\nform = "round"', ["3: layout.form: expected one of indented, braces, flat, sections"]),
    ('[layout]\nform = "sections"', ["3: layout.headings: the form sections needs headings"]),
    ('[layout]\nheadings = ["x"]', ["3: layout.headings: write a heading with * for its words, as in [*]"]),
    ('[layout]\nends = ";"', ["3: layout.ends: only the form braces has it"]),
    ("[layout]\nignore-case = 1", ["3: layout.ignore-case: expected true or false"]),
    ('[layout]\nblock-comments = ["x"]', ["3: layout.block-comments: expected what begins one and what ends it"]),
    (
        '[profile]\nbase = "two-tier"\npass-over = ["x"]',
        ["4: profile.pass-over: unknown key; it stands at the top of the file, before the first [table]"],
    ),
    (
        '[layout]\npass-over = ["x"]',
        ["3: layout.pass-over: unknown key; it stands at the top of the file, before the first [table]"],
    ),
    ('[profile]\nbase = "two-teir"', ["3: profile.base: did you mean two-tier?"]),
    ('[profile]\nbase = "two-tier"\nvtys = "many"', ["4: profile.vtys: expected a number from 0 to 256, or unknown"]),
    ('never-carries = ["keys"]', ["2: never-carries: keys: expected one of host-keys, certificate"]),
    ('[tables.word]\na = "b"', ["2: tables.word: a type of this name exists already"]),
    ("[tables.t]\na = 1", ["2: tables.t: expected a table of the maker's words and the sheet's"]),
    ('[dates]\nd = "day"', ["3: dates.d: expected a new name and a date format, as in '%d.%m.%Y'"]),
    (
        '[blocks]\na = "a {x}"\nb = "a {y}"',
        ["4: block b: this can never match: every such line is taken by block a on line 3"],
    ),
    ('[blocks]\na = { head = "a", inside = "b" }', ["3: block a: inside: there is no block b"]),
    ('[blocks]\na = { head = "a", inside = "a" }', ["3: block a: inside: it is inside itself"]),
    ("[blocks.a]\nmeans = 'ssh:'", ["2: block a: head: expected the line that begins the block"]),
    ("[[translate]]\nmeans = 'ssh:'", ["2: translation 1: line: expected a line of the maker's language, with holes"]),
    (ONE + 'inside = "b"', ["2: translation 1: inside: there is no block b"]),
    (
        ONE + 'means = "ssh: port {y}"',
        ["2: translation 1: means: the hole {y} is neither in the line nor in the blocks around it"],
    ),
    (ONE + 'means = "ssh: prot {x}"', ["2: translation 1: means: unknown statement; did you mean port?"]),
    (
        ONE + 'means = "ssh port {x}"',
        [
            "2: translation 1: means: a statement needs its block: write it as `ssh: port 22`, or under a line with a colon"
        ],
    ),
    (
        ONE + 'means = "drop ssh: port"',
        ["2: translation 1: means: write drop before the statement: `ssh: drop port`"],
    ),
    (
        '[[translate]]\nline = "a {x:date}"\nmeans = "ssh: port {x}"',
        ["2: translation 1: means: a port is a number from 1 to 65535"],
    ),
    ('[[translate]]\nline = "a {x:numbre}"', ["2: translation 1: {x:numbre}: unknown type; did you mean number?"]),
    ('[[translate]]\nline = "a {x}{y}"', ["2: translation 1: nothing separates {x} ends and {y} begins"]),
    (
        '[[translate]]\nline = "a {x...} {y...}"',
        ["2: translation 1: only one hole may take many words; two would be ambiguous"],
    ),
    (
        '[[translate]]\nline = "a {x:rest} b"',
        ["2: translation 1: {x:rest} takes the rest of the line; nothing can follow it"],
    ),
    ('[[translate]]\nline = "a [b"', ["2: translation 1: a [ is never closed"]),
    (
        '[[translate]]\nline = "a {b"',
        ['2: translation 1: a hole is written {name} or {name:type}; a brace itself is written {"{"}'],
    ),
    (
        '[[translate]]\nline = "[a]"',
        [
            '2: translation 1: all of the line is in [ ], which means words that may be left out; a bracket itself is written {"["}'
        ],
    ),
    (
        '[[translate]]\nline = "[a][b][c][d][e][f][g] h"',
        ["2: translation 1: at most 6 optional parts; this has 7"],
    ),
    (
        '[layout]\ncomments = ["#"]\n' + '[[translate]]\nline = "# a"',
        ["4: translation 1: this can never match: it begins like a comment"],
    ),
    ('[layout]\nform = "flat"\nsay = "do"\n' + ONE, ["5: translation 1: this can never match: a line begins with do"]),
    (
        ONE + '[[translate]]\nline = "a {y}"',
        ["4: translation 2: this can never match: every such line is taken by translation 1 on line 2"],
    ),
    (
        '[[translate]]\nline = "a {x:minutes}"\n[[translate]]\nline = "a {y:number}"',
        ["4: translation 2: ambiguous with translation 1 on line 2: some lines match both equally well"],
    ),
    (
        ONE + 'taken-back = "ssh: off"',
        ["2: translation 1: taken-back: the layout has no take-back"],
    ),
    (ONE + 'text = "t"', ["2: translation 1: text and until are given together: the text's name, and what ends it"]),
    (ONE + 'text = "t"\nuntil = "{x}"', ["2: translation 1: until: {x} is not a hole of type sign in the line"]),
    (
        '[[translate]]\nline = "a ..."',
        ["2: translation 1: each: needs a line that ends in ..., and such a line needs each"],
    ),
    (
        '[[translate]]\nline = "a ..."\neach = [{ part = "{x...} y", means = "" }]',
        [
            "2: translation 1: each: needs a line that ends in ..., and such a line needs each",
            "2: translation 1: each: part: a part has a fixed number of words, or ends in a list",
        ],
    ),
    ('pass-over = ["*"]', ["2: pass-over: name at least one word; a pattern of holes alone would hide unknown lines"]),
    ('[[sample]]\ntext = "a"', ["2: sample 1: expected a text and the sheet that it means"]),
]


@pytest.mark.parametrize(("body", "expected"), MISTAKES)
def test_a_mistake_in_a_dialect_is_told_with_its_line(body: str, expected: list[str]) -> None:
    with pytest.raises(BadDialect) as caught:
        dialect(body + "\n")
    assert [f"{each.line}: {each.message}" for each in caught.value.problems] == expected


# -- what lines come to mean -------------------------------------------------------------------------------------------

PEOPLE = """
[[translate]]
line = "person {who} level {n:level}"
means = "user {who}: level {n}"
"""
LIST = '[[translate]]\nline = "%s"\nmeans = "%s"\n'
FLAT = '[layout]\nform = "flat"\n'
MEANT: list[tuple[str, str, list[str], list[str]]] = [
    # specific lines win, wherever they stand in the file
    (
        LIST % ("idle {m:minutes}", "entry console: idle {m}") + LIST % ("idle 0", "entry console: idle never"),
        "idle 0",
        ["entry console: idle never"],
        [],
    ),
    (PEOPLE, "person lena level 99", [], ["1: a level is a number from 0 to 15"]),
    (PEOPLE, "person lena", [], ["1: no translation fits this line"]),
    # a value of a list in each statement, or all in one
    (
        LIST % ("hosts {h:address...}", "servers radius a: server {h}"),
        "hosts 192.0.2.1 192.0.2.2",
        ["servers radius a: server 192.0.2.1", "servers radius a: server 192.0.2.2"],
        [],
    ),
    (
        LIST % ("by {w:ssh|telnet...}", "entry vty 0: accept {w...}"),
        "by telnet ssh",
        ["entry vty 0: accept telnet ssh"],
        [],
    ),
    # what is left out
    (LIST % ("web {on:on|off}", "web: http {on}") + LIST % ("web", "web: http on"), "web", ["web: http on"], []),
    (
        LIST % ("kept {d:date} [by {who}]", "device: saved {d} by {who}"),
        "kept 2031-05-17",
        ["device: incomplete"],
        [
            "1: it leaves out {who}, without which it means nothing; translate the line without it too; see translation 1, line 5 of trial.dialect.toml"
        ],
    ),
    # a condition on another line, and one that goes with another line
    (
        LIST % ("page", "web: http on") + 'unless = "seal"\n' + LIST % ("page", "web: https on") + 'when = "seal"\n',
        "page\nseal",
        ["web: https on"],
        [],
    ),
    (LIST % ("page", "web: http on") + 'unless = "seal"\n', "seal\npage", [], []),
    (
        LIST % ("ip {a:address}", "address {a}/{m}:") + 'with = "mask {m:mask}"\n',
        "ip 192.0.2.1\nmask 255.255.255.0",
        ["address 192.0.2.1/24:"],
        [],
    ),
    (
        LIST % ("ip {a:address}", "address {a}/{m}:") + 'with = "mask {m:mask}"\n',
        "ip 192.0.2.1",
        [],
        ["1: mask {m:mask} is missing from its block"],
    ),
    (
        LIST % ("ip {a:address}", "address {a}/{m}:") + 'with = "mask {m:mask}"\n',
        "mask 255.255.255.0",
        [],
        ["1: it needs another line in the same block, which is missing"],
    ),
    (
        LIST % ("p{n:number} ip {a:address}", "address {a}/{m}:") + 'with = "p{n:number} mask {m:mask}"\n',
        "p1 ip 192.0.2.1\np2 mask 255.255.0.0\np1 mask 255.255.255.0\np2 ip 192.0.2.9",
        ["address 192.0.2.1/24:", "address 192.0.2.9/16:"],
        [],
    ),
    # taking back
    ('take-back = "un"\n' + PEOPLE, "person lena level 3\nun person lena level 3", ["user lena:"], []),
    (
        'take-back = "un"\n' + PEOPLE,
        "un person lena level 3",
        [],
        ["1: it takes back something that was not set; taken-back in the translation can state what it means"],
    ),
    (
        'take-back = "un"\n' + LIST % ("wire", "telnet: on") + 'taken-back = "telnet: off"\n',
        "un wire",
        ["telnet: off"],
        [],
    ),
    (
        'say = "do"\ntake-back = "un"\n' + LIST % ("do wire", "telnet: on"),
        "wire",
        ["telnet: incomplete"],
        ["1: a line begins with do"],
    ),
    # words
    (
        'signs = "=,"\n' + LIST % ("a={n:number},{m:number}", "ssh: port {n}\\nssh: tries {m}"),
        "a = 22 ,3",
        ["ssh: port 22", "ssh: tries 3"],
        [],
    ),
    ('quotes = "\'"\n' + LIST % ("site {x:text}", "device: site {x}"), "site 'a \\' b'", ['device: site "a \' b"'], []),
    (LIST % ("site {x:rest}", "device: site {x}"), "site a   b # c", ['device: site "a   b # c"'], []),
    (
        'trailing-comments = ["--"]\n' + LIST % ("site {x}", "device: site {x}"),
        "site a--b -- c",
        ["device: site a--b"],
        [],
    ),
    ("ignore-case = true\n" + LIST % ("SITE {x:A|b}", "device: site {x}"), "Site B", ["device: site b"], []),
    (LIST % ("a[{'['} {x} {']'}]", "device: site {x}"), "a [ b ]", ["device: site b"], []),
    (
        '[dates]\nday = "%d %b %Y"\n' + LIST % ("kept {d:day}", "device: saved {d}"),
        "kept 17 May 2031",
        ["device: saved 2031-05-17T00:00:00Z"],
        [],
    ),
    # free text
    (
        LIST % ("hail {s:sign}", "banner before-login:\\n    | {t}") + 'text = "t"\nuntil = "{s}"\n',
        "hail @a\nb # c\n@\nx",
        ["banner before-login: | a", "banner before-login: | b # c"],
        ["4: no translation fits this line"],
    ),
    (
        LIST % ("hail {s:sign}", "banner before-login:\\n    | {t}") + 'text = "t"\nuntil = "{s}"\n',
        "hail @one@",
        ["banner before-login: | one"],
        [],
    ),
    (
        LIST % ("hail {s:sign}", "banner before-login:\\n    | {t}") + 'text = "t"\nuntil = "{s}"\n',
        "hail @one",
        [],
        ["1: the text that begins here never ends"],
    ),
    ('[[translate]]\nline = "key"\ntext = "t"\nuntil = "end"\n', "key\nab cd\n  end", [], []),
    # parts in any order
    (
        '[[translate]]\nline = "p {who} ..."\neach = [{ part = "l {n:level}", means = "user {who}: level {n}" }, { part = "off", means = "user {who}: disabled" }]\n',
        "p lena off l 3\np omar x",
        ["user lena: disabled", "user lena: level 3"],
        ["2: no part of the translation fits what follows"],
    ),
    # what passes knowingly takes along what stands under it in a flat text nothing
    (
        'pass-over = ["route"]\n',
        "route 1\n  x\nrouter",
        [],
        ["2: no translation fits this line", "3: no translation fits this line"],
    ),
    # blanked on export, and what is never carried
    (
        'blanked = ["***"]\n' + LIST % ("word {x}", "elevation 15: password hashed {x}"),
        "word ***",
        ["elevation 15: password withheld"],
        [],
    ),
    (
        'never-carries = ["host-keys", "certificate"]\nalways = "device: kind switch"\n',
        "",
        ["device: kind switch", "ssh: host-key unknown", "web: certificate unknown"],
        [],
    ),
    # what is always so gives way to what the text says, also where statements add
    (
        'always = "sources l: allow any"\n' + LIST % ("from {p:prefix}", "sources l: allow {p}"),
        "from 10.64.0.0/16\nfrom 192.0.2.0/24",
        ["sources l: allow 10.64.0.0/16", "sources l: allow 192.0.2.0/24"],
        [],
    ),
    # a word of several holes is split in whatever way fits
    (
        LIST % ("member {g}.{n:number}", "user {g}: level {n}"),
        "member quay.east.3",
        ["user quay.east: level 3"],
        [],
    ),
    # a sign that stands for nothing known is not passed over
    (
        LIST % ("person {who} ...", "user {who}:")
        + 'each = [{ part = "level {n:level}", means = "user {who}: level {n}" }]\n',
        "person lena level 3 *",
        [],
        ["1: no part of the translation fits what follows"],
    ),
]


def laid_out(body: str) -> Dialect:
    """The options of a layout stand at the head of a body, and other keys of the file too."""
    layout, rest, tops = [], [], []
    for line in body.split("\n"):
        key = line.partition(" =")[0]
        if not rest and key in ("take-back", "say", "signs", "quotes", "trailing-comments", "ignore-case"):
            layout.append(line)
        elif not rest and key in ("pass-over", "blanked", "never-carries", "always"):
            tops.append(line)
        else:
            rest.append(line)
    return dialect("\n".join([*tops, FLAT + "\n".join(layout), *rest]))


@pytest.mark.parametrize(("body", "text", "meant", "unread"), MEANT)
def test_what_lines_come_to_mean(body: str, text: str, meant: list[str], unread: list[str]) -> None:
    sheet = read_dialect_text(laid_out(body), text, "x")
    found = [each for each in said(sheet) if each]
    assert sorted(each for each in found if not each.endswith(":")) == sorted(
        each for each in meant if not each.endswith(":")
    )
    assert [each for each in meant if each not in found] == []
    assert [f"{each.span.line}: {each.message}" for each in sheet.diagnostics] == unread


TAKEN = [
    # a line that takes back is not there for others, nor is the one that it takes back
    (
        "take-back = 'no'\npass-over = ['closed shop']\n"
        + LIST % ("person {who}", "user {who}: level 1")
        + LIST % ("desk on", "entry console: check users")
        + 'unless = "closed shop"\n'
        + LIST % ("keep {x}", "device: domain {x}")
        + 'when = "person {x}"\n',
        "person lena\nperson omar\nno person lena\ndesk on\nclosed shop\nno closed shop\nkeep omar\nkeep lena",
        "device:\n    domain omar\n\nentry console:\n    check users\n\nuser lena:\n\nuser omar:\n    level 1\n",
    ),
    # taking back some parts leaves the rest
    (
        "take-back = 'no'\n"
        + LIST % ("person {who} ...", "user {who}:")
        + "each = [{ part = 'level {n:level}', means = 'user {who}: level {n}' }, { part = 'shut', means = 'user {who}: disabled' }]\n",
        "person lena level 3 , shut\nno person lena shut",
        "user lena:\n    level 3\n",
    ),
    # a text that is given again takes the place of the earlier one
    (
        LIST % ("hail {t:rest}", "banner before-login:\\n    | {t}") + LIST % ("on", "ssh: on"),
        "hail one\nhail two\non\nhail three\nhail four",
        "ssh:\n    on\n\nbanner before-login:\n    | three\n    | four\n",
    ),
]


@pytest.mark.parametrize(("body", "text", "sheet"), TAKEN)
def test_what_is_left_of_what_was_said(body: str, text: str, sheet: str) -> None:
    read = read_dialect_text(laid_out(body), text, "x")
    assert [str(each) for each in read.diagnostics] == []
    assert unparse(read.device, secrets=True) == sheet


def test_blocks_on_one_line_do_not_see_each_others_lines() -> None:
    body = '[layout]\nform = "braces"\nends = ";"\n[blocks]\nbox = "box {b}"\n'
    using = dialect(body + LIST % ("seat {n:level}", "user {b}: level {n}") + 'inside = "box"\nwhen = "open"\n')
    read = read_dialect_text(using, "box lena { open; seat 3; } box omar { seat 4; }", "x")
    assert {name: user.level is not None for name, user in read.device.users.items()} == {"lena": True}


def test_braces_hold_what_stands_between_their_signs() -> None:
    body = '[layout]\nform = "braces"\nends = ";"\nblock-comments = ["/*", "*/"]\n[blocks]\nbox = "box"\n'
    using = dialect(
        body
        + LIST % ("in {x:rest}", "device: site {x}")
        + 'inside = "box"\n'
        + LIST % ("say {t:text}", "banner before-login:\\n    | {t}")
        + LIST % ("on", "ssh: on")
    )
    text = 'box { on2; in a  b "c d"; } /* on;\n*/ on;\nsay "one /* two\nthree";\n}\nbox {\n'
    sheet = read_dialect_text(using, text, "x")
    assert unparse(sheet.device, secrets=True) == (
        'device:\n    site "a  b \\"c d\\""\n    incomplete\n\nssh:\n    on\n\nbanner before-login:\n    | one /* two\n    | three\n'
    )
    assert [(each.span.line, each.message) for each in sheet.diagnostics] == [
        (1, "no translation fits this line"),
        (5, "this } closes nothing"),
        (6, "this block is never closed with }"),
    ]
    assert (sheet.understood, sheet.unread) == (3, (1, 5, 6))


SCATTERED = """
[layout]
form = "indented"
[blocks]
seats = { head = "seats {a:number} {b:number}", means = "entry vty {a}-{b}:" }
people = "people"
[[translate]]
inside = "seats"
line = "rest {m:minutes}"
means = "entry vty {a}-{b}: idle {m}"
[[translate]]
inside = "people"
line = "{who} {n:level}"
means = "user {who}: level {n}"
[[translate]]
line = "shell"
means = "ssh: on"
[[translate]]
line = "account {who} {n:level}"
means = "user {who}: level {n}"
"""


def test_a_line_not_understood_puts_in_doubt_what_it_may_be_about() -> None:
    text = "seats 0 4\n  rest 10\n  colour blue\nseats 5 9\n  rest 5\npeople\n  lena 3\n  omar 4 x\nshell\nshell loud\naccount ines 1\naccount ilse 1\nwatch ines\n"
    device = read_dialect_text(dialect(SCATTERED), text, "x").device
    assert device.vtys[0].block.doubt == ("x", 3)
    assert device.vtys[5].block.doubt is None
    assert device.users["lena"].block.doubt == ("x", 8)
    assert device.ssh.block.doubt == ("x", 10)
    assert device.users["ines"].block.doubt == ("x", 13)
    assert device.users["ilse"].block.doubt is None


def test_lines_are_counted_and_none_is_lost() -> None:
    sheet = read_dialect_text(dialect(SCATTERED), "seats 0 4\n  rest 10\n    deep 1\n\nbad\n  below\nshell\n", "x")
    assert (sheet.unread, sheet.understood) == ((3, 5, 6), 3)
    run = Interpreter(dialect(SCATTERED), "seats 0 4\n  rest 10\n", "x", ALONE, tracing=True)
    run.parsed()
    assert [each.how for _, each in run.scan.outcomes.values()] == ["said", "said"]


# -- what nobody should be able to break -------------------------------------------------------------------------------


def test_a_dialect_that_makes_a_thousand_of_each_line_is_stopped() -> None:
    many = LIST % ("{w...}", "user {w}:")
    sheet = read_dialect_text(laid_out(many), "\n".join(" ".join(f"n{i}" for i in range(9000)) for _ in range(3)), "x")
    assert len(sheet.unread) == 3
    why = f"the dialect makes more than {MOST_STATEMENTS:,} statements of it; see translation 1, line 5 of trial.dialect.toml"
    assert {each.message for each in sheet.diagnostics} == {why}


def test_long_lines_and_repeated_words_take_no_time() -> None:
    body = LIST % ("{a}-{b}-{c}={d} x", "ssh: tries 3") + LIST % ("y {n:number...} z", "ssh: tries 4")
    sheet = read_dialect_text(laid_out(body), "-" * 200_000 + " w\ny " + "1 " * 100_000 + "q\n", "x")
    assert len(sheet.unread) == 2


@given(
    st.text(alphabet='ab{}[];"\\ \n\t:@=-', max_size=120),
    st.sampled_from(("indented", "parted", "braces", "flat", "sections")),
)
@settings(max_examples=150, **CALM)
def test_no_text_breaks_a_layout_and_every_line_is_counted(text: str, form: str) -> None:
    more = {"sections": 'headings = ["[*]"]\n', "parted": 'between = ";"\n'}.get(form, "")
    form = "indented" if form == "parted" else form
    hail = LIST % ("b {s:sign}", "banner before-login:\\n    | {t}") + 'text = "t"\nuntil = "{s}"\n'
    using = dialect(
        f'[layout]\nform = "{form}"\nsigns = "="\ntake-back = "a"\nblock-comments = ["@@", "@-"]\n{more}{hail}'
    )
    sheet = read_dialect_text(using, text, "x")
    assert len(sheet.unread) + sheet.understood <= text.count("\n") + 1
    assert len({each.span.line for each in sheet.diagnostics}) == len(sheet.unread)


@given(
    st.text(alphabet=" {}[]ab:.'\"-", max_size=30),
    st.lists(st.text(alphabet="ab-.", min_size=1, max_size=5), max_size=6),
)
@settings(max_examples=200, **CALM)
def test_no_pattern_breaks_matching(pattern: str, words: list[str]) -> None:
    try:
        patterns = compile_patterns(pattern, Notation(TYPES, "", False))
    except BadPattern:
        return
    for each in patterns:
        result = each.match(words)
        if not isinstance(result, Mismatch):
            assert 0 < result[1] <= len(words)


@pytest.mark.parametrize("name", [name for name in TYPES if name not in ("any-case", "text", "word", "rest")])
def test_types_go_both_ways(name: str) -> None:
    kind = TYPES[name]
    for sample in kind.samples:
        value = kind.read(sample)
        back = kind.write(value)
        assert back is not None
        assert kind.read(back) == value
    with pytest.raises(ValueError):
        kind.read("no such thing")


def test_masks_and_dates() -> None:
    read = {name: kind.read for name, kind in TYPES.items()}
    assert [read["mask"](each) for each in ("0.0.0.0", "255.255.255.255", "255.254.0.0")] == ["0", "32", "15"]
    assert [read["wildcard-mask"](each) for each in ("255.255.255.255", "0.0.0.0")] == ["0", "32"]
    for kind, text in (("mask", "255.0.255.0"), ("wildcard-mask", "0.255.0.255"), ("clock", "1:2:3:4")):
        with pytest.raises(ValueError):
            read[kind](text)
    assert date_type("d", "%d/%m/%y").read("17/05/31") == "2031-05-17"


# -- for authors -------------------------------------------------------------------------------------------------------


def test_shapes_show_no_word_that_may_be_a_secret() -> None:
    assert shape_of("account lena password tide42 expires".split()) == (
        "account",
        "<word>",
        "<word>",
        "<word>",
        "<word>",
    )
    assert shape_of("port 22 from 10.64.0.0/24 192.0.2.1 0-4 2031-05-17 'x".split()) == (
        "port",
        "<number>",
        "from",
        "<prefix>",
        "<address>",
        "<range>",
        "<date>",
        "<word>",
    )
    assert not TRADE & {"password1", "tide", "gangway", "letmein"}


@pytest.mark.slow
@given(st.lists(st.from_regex(r"[a-z]{4,8}", fullmatch=True), min_size=2, max_size=5))
@settings(max_examples=80, **CALM)
def test_what_was_not_understood_shows_its_first_word_at_most(words: list[str]) -> None:
    line = " ".join(words)
    sheet = read_dialect_text(laid_out(PEOPLE), line, "x")
    known = words[0] in TRADE or words[0] in ("person", "level")
    assert sheet.quote(1) == (f"{words[0]} ***" if known else "***")
    trial = preview_dialect(laid_out(PEOPLE), line, "x")
    shown = str(trial.shapes[0]).split()
    assert all(word in TRADE or word.startswith("<") or word in ("person", "level") for word in shown)


DETECTED = {
    "isle-ramp.mrm": "indented",
    "isle-clock.snd": "braces",
    "isle-edge.brw": "flat",
    "isle-tickets.thk": "sections",
}


@pytest.mark.parametrize("name", DETECTED)
def test_a_first_dialect_has_the_layout_and_no_secret(name: str) -> None:
    data = CONFIGURATIONS[f"gannet/{name}"]
    text = scaffold_dialect([(name, data.decode())], "mine")
    begun = read_dialect(text.encode(), "mine.dialect.toml")
    assert begun.layout.form == DETECTED[name]
    sheet = FormatRegistry().choose(data, name).read(data, name)  # type: ignore[union-attr]
    assert not any(each.text and each.text in text for each in secrets_of(sheet))
    live = "\n".join(
        line.removeprefix("# ") if line.startswith(("# [", "# line", "# head", "# inside")) else line
        for line in text.split("\n")
    )
    assert read_dialect(live.encode(), "x").translations


def test_layouts_are_found_out() -> None:
    assert guess_layout(["do a b\ndo a c\ndo b\nun c\n" * 3]).layout.say == "do"
    assert guess_layout(["a {\n  b\n}\nc {\n  d\n}\n"]).layout.ends == ""
    assert guess_layout([""]).layout.form == "flat"


def test_a_sample_that_fails_says_where() -> None:
    body = PEOPLE + '[[sample]]\ntext = "person lena level 3"\nsheet = "user lena:\\n    level 4\\n"\n'
    assert [each.message for each in check_samples(laid_out(body))] == [
        "sample 1: it lacks `user lena: level 4` but `user lena: level 3`"
    ]
    body = PEOPLE + '[[sample]]\ntext = "person lena"\nsheet = ""\n'
    assert [each.message for each in check_samples(laid_out(body))] == [
        "sample 1: its text, line 1: no translation fits this line"
    ]


def test_the_worked_example_of_the_page_reads_its_configuration() -> None:
    page = (ROOT / "docs" / "dialects.md").read_text().partition("## An hour")[2].partition("## Reference")[0]
    blocks: list[list[str]] = [[]]
    for line in page.split("\n"):
        if line.startswith("    ") or (not line and blocks[-1]):
            blocks[-1].append(line[4:])
        elif blocks[-1]:
            blocks.append([])
    configuration, *rest = [block for block in blocks if block and not block[0].startswith("{")]
    lines = [line for block in rest for line in block]
    tops = [line for line in lines if line.startswith(("name =", "about =", "pass-over =", "never-carries ="))]
    using = read_dialect(
        "\n".join([*tops, *(line for line in lines if line not in tops)]).encode(), "lantern.dialect.toml"
    )
    assert list(check_samples(using)) == []
    sheet = read_dialect_text(using, "\n".join(configuration), "ramp.lan")
    assert [str(each) for each in sheet.diagnostics] == []
    assert unparse(sheet.device, secrets=False) == LANTERN


LANTERN = """\
device ramp-switch:
    profile lantern

entry console:
    check users
    idle 5m

entry vty 0-7:
    check users
    accept ssh telnet
    idle never

user lena:
    password withheld
    level 15

user omar:
    password withheld
    level 1

ssh:
    on
    host-key unknown

address 10.64.16.9/24:

banner before-login:
    | Crew only.
"""


def test_the_page_lists_all_keys_and_types() -> None:
    page = (ROOT / "docs" / "dialects.md").read_text()
    for key in (*LAYOUT_KEYS, *_TRANSLATE, *TOP_KEYS, *TYPES):
        assert (
            f"`{key}`" in page
            or f"`[{key}]`" in page
            or f"`[[{key}]]`" in page
            or f"[{key}]" in page
            or f"[{key}." in page
        ), key


SECRETS: list[tuple[str, str, str]] = [
    (
        '[[translate]]\nline = "p {who} ..."\neach = [{ part = "w {s}", means = "user {who}: password readable {s}" }, { part = "pin {s:number}", means = "user {who}: password readable {s}" }]\n',
        "p lena w Kelp7",
        "p lena w ***",
    ),
    (
        '[[translate]]\nline = "p {who} ..."\neach = [{ part = "pin {s:number}", means = "user {who}: password readable {s}" }]\n',
        "p lena pin 0071",
        "p lena pin ***",
    ),
    (
        'take-back = "un"\n' + LIST % ("w {s}", "ssh: on") + 'taken-back = "elevation 15: password readable {s}"\n',
        "un w Kelp7",
        "un w ***",
    ),
    ('quotes = "\'"\n' + LIST % ("w {x:text}", "elevation 15: password readable {x}"), "w 'Kelp\\'7'", "w ***"),
    (LIST % ("pin {x:number}", "elevation 15: password readable {x}"), "pin 0071", "pin ***"),
    (LIST % ("page", "web: http on") + 'unless = "seal {x}"\n', "seal Kelp7\npage", "seal ***"),
    (
        LIST % ("ip {a:address}", "servers radius g: server {a} shared-secret readable {s}") + 'with = "word {s}"\n',
        "word Kelp7\nip 192.0.2.1",
        "word ***",
    ),
    ('[[translate]]\nline = "old {_}"\n', "old Kelp7", "old ***"),
    ('pass-over = ["chain"]\n', "chain Kelp7", "chain ***"),
]


@pytest.mark.parametrize(("body", "text", "shown"), SECRETS)
def test_no_secret_of_a_text_shows_in_a_line(body: str, text: str, shown: str) -> None:
    assert read_dialect_text(laid_out(body), text, "x").quote(1) == shown


_ANY = st.recursive(
    st.booleans()
    | st.integers(-3, 3)
    | st.sampled_from(("a", "a {x}", "ssh: port {x}", "{", "b ...", "", "user {x}:", "*")),
    lambda inner: (
        st.lists(inner, max_size=3)
        | st.dictionaries(
            st.sampled_from((*_TRANSLATE, *TOP_KEYS, *LAYOUT_KEYS, "head", "part", "files", "base", "sheet")),
            inner,
            max_size=4,
        )
    ),
    max_leaves=12,
)


def toml(value: Any) -> str:
    if isinstance(value, dict):
        return "{" + ", ".join(f'"{key}" = {toml(each)}' for key, each in value.items()) + "}"
    if isinstance(value, list):
        return "[" + ", ".join(map(toml, value)) + "]"
    return json.dumps(value)


_LINES = st.lists(st.dictionaries(st.sampled_from(["line", *_TRANSLATE]), _ANY, max_size=5), min_size=1, max_size=3)


@pytest.mark.slow
@given(st.dictionaries(st.sampled_from(TOP_KEYS), _ANY, max_size=4), _LINES)
@settings(max_examples=300, **CALM)
def test_no_file_breaks_the_reading_of_a_dialect(table: dict[str, Any], lines: list[dict[str, Any]]) -> None:
    table = {**table, "name": "x", "translate": [{"line": "a {x}", **each} for each in lines]}
    text = "\n".join(f'"{key}" = {toml(value)}' for key, value in table.items())
    try:
        found, problems = read_dialect(text.encode(), "x"), []
    except BadDialect as wrong:
        found, problems = None, wrong.problems
    assert found is not None or problems
    if found is not None:
        read_dialect_text(found, "a b\n  a c\nb\n", "x")


def test_a_block_is_known_by_the_line_of_the_text_that_says_it() -> None:
    using = laid_out(
        'never-carries = ["host-keys"]\nalways = "device: kind switch"\n'
        + LIST % ("name {x}", "device {x}:")
        + LIST % ("on", "ssh: on")
    )
    device = read_dialect_text(using, "name quay\non\n", "x").device
    assert (device.facts.block.origin, device.ssh.block.origin) == (("x", 1), ("x", 2))
    assert device.facts.kind is not None
    assert device.facts.kind.origin.file == "trial.dialect.toml"
    assert read_dialect_text(using, "", "x").device.facts.block.origin == ("trial.dialect.toml", 3)


def test_a_word_that_may_take_lines_back_is_told() -> None:
    using = dialect('[layout]\nform = "indented"\n' + PEOPLE)
    (told,) = read_dialect_text(using, "undo person lena level 3", "x").diagnostics
    assert told.message == (
        "no translation fits this line; one would without its first word: if that takes lines back, name it in the layout as take-back"
    )


def test_every_wrong_key_of_a_profile_is_told_at_once() -> None:
    body = '[profile]\nbase = "two-tier"\nvtys = "many"\nunsaid-ssh = "perhaps"\n'
    with pytest.raises(BadDialect) as caught:
        dialect(body)
    assert [each.message for each in caught.value.problems] == [
        "profile.vtys: expected a number from 0 to 256, or unknown",
        "profile.unsaid-ssh: expected on or off, or unknown",
    ]
