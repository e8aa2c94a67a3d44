"""The command spread, driven from outside."""

import json
import os
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pytest

from overhang.demo import demo_files
from tests.conftest import Ran

Run = Callable[..., Ran]
Write = Callable[[str, str | bytes], Path]

WORD = "gannet-Over-9"
BOOTH = """\
device booth: profile role-based
user desk:
    level 15
    password readable kelp-7
user spare:
    level 1
    password readable gannet-Over-9
    disabled
entry vty 0-3:
    accept ssh
    check users
ssh:
    on
    host-key ed25519
address 10.64.2.5/24: answers ssh
"""
STORE = """\
device store: profile role-based
user lena:
    level 15
    password hashed $5$rounds=1000$tern$MpPzVtR5/QFRDQEMPbTQ0uzLnvQfmMhx3r3bcXzU1v2
entry vty 0-3:
    accept ssh
    check users
    from booths
sources booths: allow 10.64.2.0/24
ssh:
    on
    host-key ed25519
"""
SHEETS = ("booth.sheet", "store.sheet")
FROM = ("--from", "203.0.113.7", "--no-cut")
REACHED = """\
whoever knows booth/user:desk, from 203.0.113.7: opens 1 of 2 devices, 1 at level 15; in up to 2
hops 2, 2 at level 15

  hop  device  level  way             how
    1  booth      15  SSH             from 203.0.113.7, with desk's password
    2  store      15  SSH             from booth (10.64.2.5), with spare's password, read on booth

"""
CHAIN = """\
store is reached at level 15 in 2 hops

1. booth, by SSH, to level 15: from 203.0.113.7, with desk's password
        13 │ on
        15 │ address 10.64.2.5/24: answers ssh
        10 │ accept ssh
        11 │ check users
         4 │ password readable ***
         3 │ level 15

2. store, by SSH, to level 15: from booth (10.64.2.5), with spare's password, read on booth
        11 │ on
         6 │ accept ssh
         9 │ sources booths: allow 10.64.2.0/24
         7 │ check users
         4 │ password hashed ***
         3 │ level 15
"""


@pytest.fixture
def network(write: Write) -> None:
    from passlib.hash import sha256_crypt

    stored = sha256_crypt.using(rounds=1000, salt="tern").hash(WORD)
    write("booth.sheet", BOOTH)
    write("store.sheet", STORE.replace(STORE.split("hashed ")[1].split("\n")[0], stored))


@pytest.mark.usefixtures("network")
def test_what_is_reached_and_by_which_lines(overhang: Run, tmp_path: Path) -> None:
    assert overhang("spread", ".", "--knows", "booth/user:desk", *FROM) == (1, REACHED, "")
    assert overhang("spread", ".", "--knows", "booth/user:desk", *FROM, "--chain", "store") == (1, CHAIN, "")
    asked = overhang("spread", ".", "--knows", "booth/user:desk", "--from", "203.0.113.7", "--picture", "p.svg")
    assert (asked.code, asked.err) == (1, "")
    assert "1 change (no fewer do; run again with them: nothing is reached)" in asked.out
    assert "booth" in (tmp_path / "p.svg").read_text()
    told = overhang("spread", ".", "--knows", "booth/user:desk", *FROM, "--guess", "0")
    left = "not examined: 2 pairs of a clear text and a hash not compared (1 hash of kind $5$); --guess allows\nmore\n"
    assert left in told.out
    assert (told.code, " store " in told.out) == (0, False)
    every = json.loads(overhang("spread", ".", "--knows", "booth/user:desk", *FROM, "--format", "json").out)
    assert every["chains"] == {"booth": ["booth"], "store": ["booth", "store"]}
    assert [{lock["device"] for lock in each["locks"]} for each in every["reached"][1]["needs"]] == [{"booth", "store"}]
    chain = json.loads(
        overhang("spread", *SHEETS, "--knows", "booth/user:desk", *FROM, "--chain", "store", "--format", "json").out
    )
    assert [each["line"] for each in chain["chain"][1]["lines"]] == [11, 6, 9, 7, 4, 3]
    rows = overhang("spread", ".", "--knows", "booth/user:desk", *FROM, "--format", "csv").out.splitlines()
    assert rows[2] == "2,store,./store.sheet,15,ssh,booth,10.64.2.5,spare's password on booth,booth"
    page = overhang("spread", ".", "--knows", "booth/user:desk", *FROM, "--format", "markdown").out
    assert "| 2 | store | ./store.sheet | 15 |" in page


@pytest.mark.usefixtures("network")
def test_a_typed_password_shows_nowhere(overhang: Run, write: Write) -> None:
    write("typed.txt", f"{WORD}\nunknown\n")
    forms = ("text", "json", "csv", "markdown")
    for more, form in (*(("--typed", form) for form in forms), ("--typed-file=typed.txt", "json")):
        ran = overhang(
            "spread", "booth.sheet", "store.sheet", more, "--from", "10.64.2.9", "--format", form, stdin=WORD + "\n"
        )
        assert (ran.code, ran.err, WORD in ran.out) == (1, "", False)
        assert "store" in ran.out
    assert overhang("spread", ".", "--typed", "--no-cut", stdin="another\n").code == 0
    assert overhang("spread", ".", "--all", "--format", "json", stdin=WORD).out.count(WORD) == 0


@pytest.mark.parametrize(
    ("arguments", "message"),
    [
        (("--knows", "both/user:desk"), "no device is called both; did you mean booth?"),
        (("--knows", "booth/user:dest"), "booth has no item user:dest; did you mean user:desk?"),
        (("--chain", "stores"), "no device is called stores; did you mean store?"),
        (("--person", "lena"), "no person of the project file is called lena"),
        (("--outsider", "--backup", "booth"), "--outsider knows nothing; it cannot be used with what somebody knows"),
        (("--from", "10.64.2"), "--from 10.64.2: "),
        (("--typed",), "no password was typed"),
        (("--typed-file", "no.txt"), "no.txt: cannot be read: No such file or directory"),
        (("--all", "--format", "csv"), "--all is written as text or json"),
        (("--all", "--chain", "store"), "--all ranks every secret; --chain and --picture are about one start"),
        (("--chain", "store", "--format", "csv"), "--chain is written as text or json"),
        (("--picture", "booth.sheet"), ""),
    ],
)
@pytest.mark.usefixtures("network")
def test_what_cannot_be_done_says_why(overhang: Run, arguments: tuple[str, ...], message: str) -> None:
    ran = overhang("spread", ".", *arguments)
    assert (ran.code, ran.out, ran.err.count("\n")) == (2, "", 1)
    assert message in ran.err


@pytest.mark.usefixtures("network")
def test_no_device_at_all_and_one_that_is_broken(overhang: Run, write: Write, tmp_path: Path) -> None:
    (tmp_path / "empty").mkdir()
    assert overhang("spread", "empty").code == 2
    write("broken.sheet", b"\xff\xfe\x00\x01")
    ran = overhang("spread", ".", "--knows", "booth/user:desk", *FROM)
    assert (ran.code, ran.out) == (2, REACHED)
    assert "broken.sheet" in ran.err


@pytest.mark.usefixtures("network")
def test_without_scipy_all_but_the_cut_is_told(tmp_path: Path) -> None:
    (tmp_path / "hidden").mkdir()
    for name in ("scipy", "networkx"):
        (tmp_path / "hidden" / f"{name}.py").write_text("raise ImportError('not here')\n")

    def run(*more: str) -> subprocess.CompletedProcess[str]:
        command = [sys.executable, "-m", "overhang", "spread", *SHEETS, "--knows", "booth/user:desk", *more]
        kept = {key: value for key, value in os.environ.items() if key not in ("COLUMNS", "NO_COLOR")}
        variables = {**kept, "PYTHONPATH": str(tmp_path / "hidden")}
        return subprocess.run(command, cwd=tmp_path, env=variables, capture_output=True, text=True, check=False)

    plain, drawn = run("--from", "203.0.113.7"), run("--picture", "p.png")
    needs = "overhang: what cuts it needs the package scipy, and a picture networkx: pip install 'overhang[spread]'\n"
    assert (plain.returncode, plain.stdout, plain.stderr) == (1, REACHED, needs)
    assert (drawn.returncode, drawn.stderr.splitlines(keepends=True)[-1]) == (2, needs)


@pytest.mark.usefixtures("network")
def test_people_know_a_secret_wherever_it_is_one(overhang: Run, write: Write) -> None:
    project = '[people.lena]\nknows = ["user:spare"]\n'
    write("overhang.toml", project + '[[expect]]\nsay = "not lena"\ndevices = "store"\nwho = "lena"\nbelow = 15\n')
    assert "SSH" in overhang("ways", ".", "--person", "lena", "--to", "15", "--via", "ssh").out
    assert "SSH" not in overhang("ways", "store.sheet", "--person", "lena", "--to", "15", "--via", "ssh").out
    assert (overhang("expect", ".").code, overhang("expect", "store.sheet").code) == (1, 0)
    shown = overhang("spread", *SHEETS, "--person", "lena", "--no-cut").out
    assert shown.startswith("lena, from anywhere: opens 1 of 2 devices, 1 at level 15\n")
    write("overhang.toml", project + 'sits = ["console"]\n')
    shown = overhang("spread", *SHEETS, "--person", "lena", "--no-cut").out
    assert shown.startswith("lena, at ports alone: opens ")
    assert "SSH" not in shown
    both = json.loads(overhang("ways", ".", "--format", "json").out)["devices"]
    secrets = {each["name"]: each["secrets"] for each in both}
    assert secrets["booth"]["user:spare"] == secrets["store"]["user:lena"] != secrets["booth"]["user:desk"]


def test_the_demo_holds_a_chain_of_three_hops(overhang: Run, write: Write) -> None:
    for path, data in demo_files().items():
        write(path, data)
    ran = overhang(
        "spread", ".", "--knows", "harbour-core/entry:vty 8-11", "--from", "198.51.100.9", "--format", "json"
    )
    assert json.loads(ran.out)["chains"]["south-quay"] == ["harbour-core", "harbour-desk", "south-quay"]
