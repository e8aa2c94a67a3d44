"""Remedies alone and all together: what they may not do, on samples of all rules, the demo and generated devices."""

import datetime
import random
from collections.abc import Callable
from pathlib import Path

import pytest

from overhang.api import load
from overhang.auditing.folding import shown
from overhang.auditing.registry import all_rules
from overhang.auditing.rules.pages import page_of
from overhang.changes.change import SheetChange
from overhang.changes.judge import judge_one
from overhang.changes.mend import Choices, Mender, roll_back, single_lines
from overhang.changes.proof import Aim, Flaw, Prover
from overhang.difference import statement_changes
from overhang.difference.secrets import KEPT, JointSecrets
from overhang.exposure import find_paths
from overhang.language import ParsedConfig, read_sheet
from overhang.model import parse_address
from overhang.model.hash_budget import HashBudget
from overhang.model.vocabulary import PORTS
from overhang.profiles import BUILTIN
from overhang.project import Project
from overhang.simulation import ResolvedDevice
from tests.conftest import Ran
from tests.support.generator import NOW, SOURCES, WAYS, BruteForce, Made
from tests.support.rules import NOW as SAMPLE_NOW
from tests.support.rules import project_of

Run = Callable[..., Ran]
Write = Callable[[str, str | bytes], Path]

# the samples whose remedy cannot be proved by itself, each with what stands against it
EXCEPTIONS = {
    "port-shared-password": "opens",  # whoever knows an account's password gets in at the port too
    "vty-shared-password": "opens",
    "vty-sources-differ": "opens",  # the lists have nothing in common
    "level-lost-in-list": "opens",  # accounts reach the level that is theirs
    "fallback-shared-password": "opens",
    "web-bypasses-servers": "opens",  # accounts of the servers reach the pages
    "list-end-allows-anyone": "opens",
    "web-shared-secret": "opens",
    "locked-out-servers-down": "people",  # the factory account ends with the first account
    "management-vlan-1": "people",  # the person in question sits in the old VLAN
}


def flaws_of(
    config: ParsedConfig, project: Project, moment: datetime.datetime, rule: str = ""
) -> dict[str, list[Flaw]]:
    """What stands against the remedy of each finding, applied alone and in the order in which it is written."""
    base = judge_one(config, project, moment)
    prover = Prover(base, moment)
    found: dict[str, list[Flaw]] = {}
    for number, finding in enumerate(shown(base.audit).findings):
        if not finding.fix or (rule and finding.rule != rule):
            continue
        aim = Aim(bool(page_of(finding.rule).takes), finding.restores)
        side, flaws = prover.prove(config, finding.fix, aim)
        if not flaws and finding.fingerprint in {each.fingerprint for each in prover.judged(side).audit.findings}:
            flaws = [Flaw("stays", 0, "the finding is still there")]
        found[f"{finding.rule} {number}"] = flaws
    return found


@pytest.mark.parametrize("name", [rule.name for rule in all_rules() if rule.check is not None])
def test_the_remedy_of_each_failing_sample_alone(name: str) -> None:
    page = page_of(name)
    found = flaws_of(read_sheet(page.sheet(page.fails), "t"), project_of(page.project_text()), SAMPLE_NOW, name)
    kinds = {each.kind for flaws in found.values() for each in flaws}
    assert kinds == ({EXCEPTIONS[name]} if name in EXCEPTIONS else set()), found


def test_what_is_mended_together_is_proved_and_taken_back() -> None:
    """Over the demo and generated devices: every part holds after the others, and the roll-back undoes them."""
    parts = left = 0
    for config, project, moment in (*demo(), *generated(0, 5)):
        mender = Mender(config, project, moment)
        mend = mender.mend()
        parts, left = parts + len(mend.parts), left + len(mend.left_out)
        lines = [line for part in mend.ready for line in part.lines]
        change = SheetChange(config, "\n".join(lines) + "\n", "mend.sheet")
        assert [each.remark for each in change.steps() if each.remark] == []
        final = change.after(range(len(change.units)))
        assert statement_changes(final, mend.after, HashBudget(0)) == ()
        back = [line for line in mend.back if " withheld" not in line]
        again = SheetChange(mend.after, "\n".join(back) + "\n", "back.sheet")
        other = again.after(range(len(again.units)))
        rest = [
            each for each in statement_changes(config, other, HashBudget(0)) if "***" not in f"{each.old}{each.new}"
        ]
        assert rest == [], mend.back
    assert parts > 8 * left


def demo() -> list[tuple[ParsedConfig, Project, datetime.datetime]]:
    return [(each.config, each.project, NOW) for each in load("src/overhang/demo/network") if each.name != "isle-mast"]


def generated(first: int, last: int) -> list[tuple[ParsedConfig, Project, datetime.datetime]]:
    found = []
    for seed in range(first, last):
        made = Made(seed)
        project = Project(servers=made.held, profiles={**BUILTIN, "made": made.profile})
        found.append((read_sheet(made.text, "t"), project, NOW))
    return found


def check_by_trying(first: int, last: int, probes: int) -> int:
    """Nobody reaches more with what they knew: tried by logins before and after, apart from the proof; the comparisons."""
    done = 0
    for seed in range(first, last):
        made = Made(seed)
        project = Project(servers=made.held, profiles={**BUILTIN, "made": made.profile})
        config = read_sheet(made.text, "t")
        mend = Mender(config, project, NOW, lambda rule, severity: "lock-out" not in page_of(rule).severity).mend()
        after = Made(seed)
        after.resolved = ResolvedDevice(mend.after.device, {**BUILTIN, "made": made.profile})
        explored = [(each.resolved, find_paths(each.resolved, NOW, made.held)) for each in (made, after)]
        items = JointSecrets((explored[0], explored[1]), HashBudget(100_000)).items
        brutes = [BruteForce(each, lambda attempt, result: None) for each in (made, after)]
        chance = random.Random(seed)
        kept = sorted(item for item, told in items.items() if told == KEPT)
        for _ in range(probes):
            knows = frozenset(chance.sample(kept, min(len(kept), chance.choice((0, 1, 2)))))
            source = chance.choice((None, parse_address(chance.choice(SOURCES))))
            ways = PORTS if source is None else [via for via in WAYS if via not in PORTS]
            down = chance.choice(explored[0][1].states)
            levels = [max(brute.best(via, source, None, down, knows) for via in ways) for brute in brutes]
            done += 1
            lines = [line for part in mend.ready for line in part.lines]
            assert levels[1] <= levels[0], f"{seed=} {knows=} {source=} {down=} {levels}\n{made.text}\n{lines}"
    return done


def test_nobody_reaches_more_by_trying() -> None:
    assert check_by_trying(100, 106, 6) == 36


def test_lines_that_stand_alone() -> None:
    lines = [
        "drop user a: via",
        "user b:",
        "    password withheld",
        "    level 1",
        "banner before-login:",
        "    | Crew.",
        "    | Go.",
    ]
    assert single_lines(lines) == [
        "drop user a: via", "user b: password withheld", "user b: level 1", "banner before-login:", "    | Crew.", "    | Go.",
    ]  # fmt: skip


OPEN = """\
device quay: profile entry-first
entry auxiliary: closed
entry console:
    check users
    idle 5m
entry vty 0-11:
    check users
    accept ssh telnet
    from office
    idle 5m
user lena:
    password readable lantern-Ebb-15-gull
    level 15
sources office: allow 10.64.1.0/24
ssh:
    on
    versions 2
    host-key ed25519
telnet: on
"""


def test_the_file_that_is_written(overhang: Run, write: Write, tmp_path: Path) -> None:
    write("quay.sheet", OPEN)
    ran = overhang("mend", "quay.sheet", "--only", "telnet-accepted,password-clear-text,no-lockout")
    assert (ran.code, ran.err, ran.out) == (1, "", WRITTEN)
    ran = overhang("mend", "quay.sheet", "--only", "telnet-accepted", "--output", "out")
    assert (ran.code, ran.err) == (0, "")
    assert sorted(path.name for path in (tmp_path / "out").iterdir()) == ["quay.back.change", "quay.mend.change"]
    assert (tmp_path / "out" / "quay.back.change").read_text().splitlines()[1:] == [
        "entry vty 0-11: accept ssh telnet",
        "telnet: on",
    ]
    again = overhang("mend", "quay.sheet", "--only", "telnet-accepted", "--output", "out")
    assert (again.code, "overwritten" in again.err) == (2, True)
    whole = overhang("mend", "quay.sheet", "--only", "telnet-accepted", "--to", "sheet").out
    assert "    accept ssh\n" in whole
    assert "lantern" not in whole + ran.out


def test_what_is_chosen_is_filled_in(overhang: Run, write: Write) -> None:
    write("quay.sheet", OPEN)
    write("new.txt", "Winch-over-the-Side-22\n")
    write("choose.toml", '[passwords]\n"quay/user:lena" = { file = "new.txt" }\n')
    ran = overhang("mend", "quay.sheet", "--only", "password-clear-text", "--choose", "choose.toml")
    assert (ran.code, ran.err) == (0, "")
    assert "\nuser lena: password hashed $6$" in ran.out
    assert "Winch" not in ran.out
    write("ask.toml", '[passwords]\n"user:lena" = "ask"\n')
    asked = overhang(
        "mend", "quay.sheet", "--only", "password-clear-text", "--choose", "ask.toml", stdin="Winch-22-side-over\n"
    )
    assert (asked.code, "\nuser lena: password hashed $6$" in asked.out) == (0, True)
    for text, message in (
        ("acount = 1\n", "acount: did you mean account?"),
        ('networks = ["10.64.0.0/99"]\n', "networks: 10.64.0.0/99: a prefix length for IPv4 is a number from 0 to 32"),
        ('[passwords]\n"user:lena" = "typed-here"\n', 'passwords: user:lena: expected "ask", or file = "..." with the password on its first line'),
        ("[[", "not a TOML file"),
    ):  # fmt: skip
        write("bad.toml", text)
        bad = overhang("mend", "quay.sheet", "--choose", "bad.toml")
        assert (bad.code, bad.err) == (2, f"overhang: bad.toml: {message}\n")


def test_a_factory_device_gets_its_account_before_it_is_closed() -> None:
    config = read_sheet("device quay: kind switch\n", "quay.sheet")
    choices = Choices("lena", ("10.64.1.0/24",), {"user:lena": "Winch-22", "elevation:15": "Tide-over-7"})
    mend = Mender(config, Project(), NOW, choices=choices).mend()
    assert mend.choices == []
    assert [part.rule for part in mend.ready][:1] == ["never-configured"]
    lines = [line for part in mend.ready for line in part.lines]
    assert min(n for n, line in enumerate(lines) if line.startswith("user lena: password")) < min(
        n for n, line in enumerate(lines) if line.endswith("check users")
    )
    assert roll_back(config, mend.after)[-1].startswith("drop ")


WRITTEN = """\
# quay: 2 remedies, each proved in this order; 1 more waits and is commented out
# to choose: a new password for user:lena

# telnet-accepted (medium): Telnet is accepted on VTY 0-11 alongside SSH: usernames and passwords cross the network in clear text
entry vty 0-11: accept ssh
telnet: off

# no-lockout (low): there is no lockout and no pause after wrong passwords: guessing is unlimited
passwords: lock 5m after 10 in 15m

# password-clear-text (medium): 1 password (account lena) is stored in clear text: any copy of the configuration discloses it
# waits for a new password for user:lena
# user lena: password withheld
# passwords: mask yes
"""
