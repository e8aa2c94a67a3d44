"""The checklist: marks follow from access paths and findings, and from nothing else."""

import random

import pytest

from overhang.auditing import RuleContext, Severity, audit_config, run_rules
from overhang.auditing.aspects import Aspect, aspects_of
from overhang.auditing.checklist import Mark, checklist
from overhang.auditing.rules.pages import base_sheet
from overhang.language import read_sheet
from overhang.project import Project
from tests.support.generator import NOW as MADE_NOW
from tests.support.generator import Made
from tests.support.rules import case_of, project_of


def marks(text: str) -> str:
    context, _ = case_of(text)
    found = checklist(context, run_rules(context), loose_doubt=False)
    assert [each.aspect for each in found] == list(Aspect)
    return "".join(each.mark.value for each in found)


#: Statements over the base sheet, and its marks: console, auxiliary, VTYs, elevation, authentication, SSH only, sources,
#: web and other doors, policy, keeping.
MARKS = [
    ("", "G-GGGGG-GG"),
    ("entry console: check nothing", "O-GGOGG-GG"),
    ("entry console: closed", "--GGGGG-GG"),
    ("entry auxiliary:\n    check users\ndrop entry auxiliary: closed", "GWGGGGG-GG"),
    ("telnet: on\nentry vty 0-11:\n    check nothing\n    accept ssh telnet", "G-OGOWG-GW"),
    ("drop entry vty 0-11: from", "G-GGGGO-GG"),
    ("telnet: on\nentry vty 0-11: accept ssh telnet", "G-GGGWG-GW"),
    ("drop elevation 15", "G-GOGGG-GG"),
    ("drop elevation 15\nuser lena: level 15\nuser omar: level 15\nentry console: closed", "--G-WGG-GG"),
    ("drop user lena\ndrop user omar", "L-L-LL--GG"),
    ("ssh: off", "G-LGGL--GG"),
    ("web:\n    http on\n    check users\n    from office", "G-GGGGGWGG"),
    ("web:\n    https on\n    check nothing\n    from office", "G-GGGGGOGG"),
    ("drop passwords: lock", "G-GGGGG-WG"),
    ("management: record logins no", "G-GGGGG-GW"),
    ("entry console: incomplete", "?-GGGGG-GG"),
    ("passwords: incomplete", "G-GGGGG-?G"),
    ("entry console:\n    incomplete\n    drop idle", "?-GGGGG-?G"),
    ("ssh:\n    incomplete\n    drop on", "G-?GG??-GG"),
    ("web:\n    incomplete\n    drop http", "G-GGGG??GG"),
    ("sources office: incomplete\nssh: off", "G-LGGL?-GG"),
    ("drop elevation 15\nuser lena:\n    level 15\n    incomplete\nentry console: closed\nssh: off", "--L?WL--GG"),
    (
        "device pier-gate: profile entri-first",
        "?-?????-?G",
    ),  # VTYs may be more than are stated, and how long their sessions last is not known
    ("device pier-gate: profile entri-first\ndrop banner before-login", "?-?????-?W"),
]


@pytest.mark.parametrize(("statements", "expected"), MARKS)
def test_marks(statements: str, expected: str) -> None:
    assert marks(f"{base_sheet()}\n{statements}\n") == expected


@pytest.mark.slow
def test_a_good_mark_has_no_finding_and_an_open_one_a_path() -> None:
    met: set[Mark] = set()
    for seed in range(150, 300):
        context = RuleContext(Made(seed).resolved, project_of(""), MADE_NOW)
        findings = run_rules(context)
        for aspect, mark, reason in checklist(context, findings, loose_doubt=False):
            met.add(mark)
            behind = [each for each in findings if aspect in aspects_of(each) and each.severity > Severity.INFO]
            free = [path for path in context.paths if not path.needs]
            wide = context.wide(path for path in context.paths if path.sources is not None)
            if mark is Mark.GOOD:
                assert behind == [], (seed, aspect, reason)
            if mark is Mark.OPEN:
                assert free or (aspect is Aspect.SOURCES and wide) or any(each.opens for each in behind), (seed, aspect)
            if mark is Mark.LOCKED_OUT and aspect is Aspect.CONSOLE:
                assert not any(path.via == "console" for path in context.paths)
    assert met == set(Mark)


def test_a_line_that_is_not_understood_makes_no_aspect_good() -> None:
    def marked(text: str) -> dict[Aspect, Mark]:
        return {each.aspect: each.mark for each in audit_config(read_sheet(text, "t"), Project(), MADE_NOW).checklist}

    for seed in (*range(20), 148, 227, 292, 429, 639, 753, 1191, 1208, 1447, 1522, 1600, 1758, 1795, 1821, 1978):
        chance = random.Random(seed)
        profile = chance.choice(("entry-first", "role-based", "appliance", "bound-entry", "list-wide", "two-tier"))
        lines = Made(seed).text.replace("profile made", f"profile {profile}").split("\n")
        place = chance.randrange(1, len(lines))
        indent = lines[place][: len(lines[place]) - len(lines[place].lstrip())]
        junk = indent + chance.choice(("zorp quux", "zorp:", "user", "level seven", "check something else"))
        before = marked("\n".join(lines))
        after = marked("\n".join([*lines[:place], junk, *lines[place:]]))
        for aspect, mark in before.items():
            if mark not in (Mark.GOOD, Mark.NOT_THERE):
                assert after[aspect] not in (Mark.GOOD, Mark.NOT_THERE), (seed, aspect)
