"""No secret shows: dozens of them, of every kind and in every place, through every reader, command, format and error."""

import ast
import itertools
import json
import os
import re
from pathlib import Path
from typing import get_type_hints

import pytest

import overhang
from overhang.auditing.results import Quoted
from overhang.cli.output import write_out
from overhang.dialect.preview import PreviewLine
from overhang.model.masking import mask
from overhang.text import Diagnostic, Shown
from tests.fuzz import encodings, run

#: Where a secret stands, in files by their names: each @ is another one. The second half of a file is broken.
PLACES = {
    "quay.sheet": r"""
device quay: profile gate
user piet:
    password readable @
user lena: password masked-elsewhere @
user omar: password hashed $6$quay$@
user ines: password opaque @
user mara: password masked ~
entry console: check own password
entry console: password readable @ # was @
entry vty 0-3: check own password
entry vty 0-3: password readable "@ @"
user nils:
    password hashed $0$@
    another-password readable @ level 3
    another-password masked ~
entry vty 0-3: another-password readable @
elevation 15: another-password readable @
web:
    check password
    password readable @
    another-password opaque @
telnet:
    own-seats
    password readable @
door copy: password readable @
policy odd: pasword readable @
elevation 15: password readable @
elevation 7: password plain-and-hashed @
snmp: community readable @ write
servers radius harbour: server 192.0.2.9 shared-secret readable @
user wrapped: password readable
    @
pasword @
password=@
snmp comunity @
user lena secret @
site "x # real one is @
    password\u00a0readable @
\tpassword readable @
drop user @: password readable @ @
banner before-login: @
@
""",
    "ramp.mrm": """marram 4.2
unit isle-ramp
crew
  hand lena
    oath plain @
    oath veiled @
    oath ground @ @
    oaht plain @
    lamp @
  @
helms
  island-helms speaks radius
    whisper veiled @
    whisper @
@ plain
""",
    "edge.brw": """!! brinewick 11
hold box label isle-edge
hold gate 4 asks word
hold gate 4 word clear @
hold gate 4 wrod clear @
hold step 15 word stirred @
hold berth 1 note "@
hold @
""",
    "clock.snd": """box "isle-clock" {
    make appliance;
}
bearer "pilot" { phrase bare "@"; phrase long "@"; power look; @ "@"; }
bearer "x { phrase bare @
""",
    "tickets.thk": """(( box ))
label -> isle-tickets
duty -> passing
(( slot front ))
wants -> word
word -> clear "@"
word -> @
(( @ ))
""",
    "mast.json": """{"ietf-system:system": {"hostname": "isle-mast", "contact": "@", "@": 1, "location": "x",
 "authentication": {"user": [{"name": "lena", "password": "@", "overhang-access:level": "@"},
 {"name": "omar", "overhang-access:password": {"form": "readable", "text": "@"}, "x:@": "@"}]}},
 "overhang-access:access": {"snmp": {"community": [{"form": "readable", "text": "\\u0040@", "@": {"a": "@"}}]}}}""",
    "lamp.xml": """<config xmlns="urn:ietf:params:xml:ns:netconf:base:1.0"><!-- @ -->
<system xmlns="urn:ietf:params:xml:ns:yang:ietf-system"><hostname>isle-lamp</hostname>
<authentication><user x="@"><name>lena</name><password>@</password></user></authentication>
<radius><server><udp><address>192.0.2.9</address><shared-secret><![CDATA[@]]></shared-secret></udp></server></radius>
<@/><contact>@</contact></system>
<access xmlns="tag:overhang.example,2026:yang:overhang-access">
<elevation><level>15</level><one-way><form>readable</form><text>
@</text></one-way></elevation><snmp>@</snmp></access></config>""",
    "broken.json": """{"ietf-system:system": {"hostname": "q", "password": "@", "@": 1, "@": 2 @""",
    "broken.xml": """<config xmlns="urn:ietf:params:xml:ns:yang:ietf-system"><system password="@"><@>@</system>""",
    "own.dialect.toml": """name = "own"
always = "elevation 15: password readable @"
[recognise]
files = ["*.own"]
[[translate]]
line = "word {s}"
means = "user lena: password readable {s}"
""",
    "quay.own": "word @\nwrod @\nword @ @\n",
}
AUDITS = [f"audit {{}} {each}" for each in (
    "--short", "--long", "--checklist", "--strict", "--format json", "--format csv", "--format sarif", "--format junit",
    "--format jsonl", "--format markdown", "--format html", "--guess 30")]  # fmt: skip
EACH = [
    *AUDITS,
    "ways {}",
    "ways {} --format json",
    "expect {}",
    "spread {} --typed-file typed.txt --picture {}.svg",
    "spread {} --typed-file typed.txt --format json",
    "--debug spread {} --typed-file missing.txt --all --format json",
    "spread {} --backup quay --chain quay",
    "sheet {}",
    "sheet {} --to json",
    "sheet {} --to xml",
    "dialect try {}",
    "dialect try {} --unknown",
    "dialect start {}",
    "picture {} --output {}.svg",
    "login {} --via console",
    "login {} --via ssh --from 192.0.2.5 --name piet --password-file typed.txt --elevate 15",
    "login {} --via ssh --from 192.0.2.5 --name piet --password-file typed.txt --format json",
    "login {} --attempts attempts.jsonl --format jsonl",
    "--debug login {} --via ssh --from 192.0.2.5 --name piet --password-file missing.txt",
    "--debug audit {} --project broken.toml",
    "audit {} --dialect broken.dialect.toml",
    "compare quay.sheet {} --format json",
    "compare {} quay.sheet --format html",
    "rehearse quay.sheet {} --long",
    "mend {}",
    "stand-in {} --with-secrets --for 1s",
    "prove {} --attempts attempts.jsonl",
    "prove {} --generate 6 --format json",
]


def planted(folder: Path) -> tuple[list[str], list[str]]:
    """The files with a canary in every place, and all canaries."""
    numbers = itertools.count(10)
    canaries: list[str] = []

    def canary(_: re.Match[str]) -> str:
        canaries.append(f"Zq{next(numbers)}canaryVx")
        return canaries[-1]

    for name, text in PLACES.items():
        text = text.replace("\\u00a0", "\u00a0").replace("\\t", "\t") if name.endswith(".sheet") else text
        (folder / name).write_text(re.sub("@", canary, text), encoding="utf-8")
    masked = f"Zq{next(numbers)}canaryVx"
    sheet = folder / "quay.sheet"
    sheet.write_text(sheet.read_text().replace("masked ~", f"masked {mask(masked)}"))
    typed = [f"Zq{next(numbers)}canaryVx" for _ in range(4)]
    (folder / "typed.txt").write_text("\n".join(typed[:2]) + "\n")
    tries = [
        {"via": "ssh", "name": "piet", "password": typed[2]},
        {"via": typed[3]},
        {typed[3]: 1},
        {"password": {"a": typed[3]}, "via": "ssh"},
    ]
    (folder / "attempts.jsonl").write_text(
        "".join(map("{}\n".format, [*map(json.dumps, tries), typed[3], f'{{"via": "{typed[3]}']))
    )
    (folder / "broken.toml").write_text(f'[people.lena]\n{typed[0]} = "{typed[1]}"\nknows = ["{typed[2]}"]\n')
    (folder / "broken.dialect.toml").write_text(
        f'name = "x"\nalways = ["user q: password readible {typed[0]}"]\n{typed[1]} = 3\n'
    )
    return [name for name in PLACES if not name.endswith(".toml")], [*canaries, masked, *typed]


@pytest.mark.slow
def test_no_canary_shows(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    files, canaries = planted(tmp_path)
    assert len(canaries) > 70
    looked_for = {each: encodings(each) for each in canaries}
    leaks = []
    step = 1 if "WHOLE_MATRIX" in os.environ else 5  # each file through a fifth of the commands; by hand through all
    runs = [(name, words) for number, name in enumerate(files) for words in (EACH[1], *EACH[number % step :: step])]
    for name, words in runs:
        done = run(words.replace("{}", name).split())
        assert done.code in (0, 1, 2, 3), (name, words, done)
        drawn = Path(f"{name}.svg")
        shown = (done.shown + (drawn.read_text() if drawn.exists() else "")).lower()
        leaks += [
            (name, words, each) for each, forms in looked_for.items() if any(form.lower() in shown for form in forms)
        ]
        drawn.unlink(missing_ok=True)
    assert not leaks, leaks
    done = run(["audit", ".", "--format", "json"])
    assert done.code == 2, "the broken ones"
    assert not [each for each in canaries if each in done.shown]


def test_source_lines_are_shown_by_one_type_alone() -> None:
    made, revealed, printable = set[str](), set[str](), set[str]()
    for path in Path(overhang.__file__).parent.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id == "Shown":
                made.add(path.name)
            if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id == "Printable":
                printable.add(path.parent.name)
            if getattr(node, "attr", getattr(node, "id", "")) in ("reveal", "revealed"):
                revealed.add(path.name)
    assert (made, revealed) == ({"quoting.py"}, {"preview.py"})
    assert printable == {"text", "report", "cli"}
    assert write_out.__annotations__["text"] == "Printable"
    assert {hint for each in (Diagnostic, Quoted, PreviewLine) for hint in [get_type_hints(each)["text"]]} == {Shown}
