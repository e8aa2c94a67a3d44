"""The commands ways, expect and profiles, driven from outside."""

import json
import xml.etree.ElementTree as ET
from collections.abc import Callable
from pathlib import Path

import pytest

from overhang.demo import demo_files
from overhang.profiles import BUILTIN, KEYS
from overhang.project import BadProject, read_project
from tests.conftest import Ran

Run = Callable[..., Ran]
Write = Callable[[str, str | bytes], Path]

SHEET = """\
device quay:
    domain tidewater.example
    kind switch
entry auxiliary: closed
entry console:
    check password
    password masked ~2p2q4icplwbq
entry vty 0-11:
    accept ssh
    check methods net
    from crew
methods net for login:
    servers ashore
    users
servers radius ashore: server 192.0.2.50
sources crew:
    allow 10.64.0.0/16
    allow 10.65.0.0/16
    deny 10.64.7.0/24
user lena:
    password opaque 8f2a
    level 15
elevation 15: password readable harbour
ssh: host-key ed25519
address 10.64.0.1/16: answers ssh
banner before-login:
    | Tidewater crew only.
"""

WAYS = """\
Nobody gets in without a credential

quay  quay.sheet
  way      from          least knowledge                                           level    servers
  console  at the port   the enable secret = the console password (clear text     1 → 15
                         in the configuration)
  SSH      10.64.0.0/15  lena's password and the enable secret = the console      1 → 15    all down
           to 10.64.0.1  password (clear text in the configuration)
  SSH      10.64.0.0/15  lena's password at ashore and the enable secret = the    1 → 15    any up
           to 10.64.0.1  console password (clear text in the configuration)
  SSH      10.64.0.0/15  some account's password at ashore and the enable         1 → 15    any up
           to 10.64.0.1  secret = the console password (clear text in the
                         configuration)
  SSH      10.64.0.0/15  lena's password                                               1    all down
           to 10.64.0.1
  SSH      10.64.0.0/15  lena's password at ashore                                     1    any up
           to 10.64.0.1
  SSH      10.64.0.0/15  some account's password at ashore                             1    any up
           to 10.64.0.1

1 device: 7 access paths, 4 to level 15, 0 without a credential
"""


def test_the_ways_as_people_read_them(overhang: Run, write: Write) -> None:
    write("quay.sheet", SHEET)
    assert overhang("ways", "quay.sheet") == (0, WAYS, "")


def test_the_ways_as_json(overhang: Run, write: Write) -> None:
    write("quay.sheet", SHEET)
    write("overhang.toml", "[servers.ashore.omar]\nlevel = 3\n[servers.ashore.lena]\n")
    (device,) = json.loads(overhang("ways", "quay.sheet", "--format", "json", "--to", "15").out)["devices"]
    assert (device["name"], device["file"], device["understood"]) == ("quay", "quay.sheet", True)
    assert device["written"] == {"elevation:15=entry:console": "readable"}
    secret = "elevation:15=entry:console"
    ssh = {
        "via": "ssh",
        "from": ["10.64.0.0/15"],
        "to": ["10.64.0.1"],
        "after_login": 1,
        "level": 15,
        "sure": True,
        "vtys": "0-11",
        "needs_busy": None,
    }
    assert sorted(device["ways"], key=lambda way: way["needs"]) == [
        {"via": "console", "from": None, "to": None, "needs": [secret], "after_login": 1, "level": 15,
         "servers_down": [[], ["192.0.2.50"]], "sure": True, "vtys": None, "needs_busy": None},
        {**ssh, "needs": [secret, "server:ashore/lena"], "servers_down": [[]]},
        {**ssh, "needs": [secret, "server:ashore/omar"], "servers_down": [[]]},
        {**ssh, "needs": [secret, "user:lena"], "servers_down": [["192.0.2.50"]]},
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("arguments", "tally"),
    [
        (["--to", "15"], "4 access paths, 4 to level 15, 0 without a credential"),
        (["--via", "console"], "1 access path, 1 to level 15, 0 without a credential"),
        (["--from", "10.65.3.1"], "6 access paths, 3 to level 15, 0 without a credential"),
        (["--from", "192.0.2.1"], "0 access paths, 0 to level 15, 0 without a credential"),
        (["--person", "reader-of-backups"], "1 access path, 1 to level 15, 0 without a credential"),
        (["--person", "lena"], "1 access path, 0 to level 15, 0 without a credential"),
        (["--person", "omar"], "0 access paths, 0 to level 15, 0 without a credential"),
    ],
)
def test_narrowed(overhang: Run, write: Write, arguments: list[str], tally: str) -> None:
    write("quay.sheet", SHEET)
    write("overhang.toml", '[networks]\nbow = ["10.65.0.0/24"]\nfar = ["192.0.2.0/24"]\n'
          '[people.lena]\nknows = ["user:lena", "entry:console"]\nsits = ["bow"]\n'
          '[people.omar]\nknows = ["user:lena"]\nsits = ["far"]\n')  # fmt: skip
    if arguments == ["--person", "lena"]:
        tally = (
            "2 access paths, 1 to level 15, 0 without a credential"  # whoever knows one name of an item knows it by all
        )
    ran = overhang("ways", "quay.sheet", *arguments)
    assert ran.out.splitlines()[-1] == f"1 device: {tally}"


@pytest.mark.parametrize(
    ("arguments", "error"),
    [
        (["--to", "16"], "--to 16: a level is a number from 0 to 15"),
        (["--via", "shs"], "--via shs: did you mean ssh?"),
        (["--from", "x"], "--from x: neither an IPv4 nor an IPv6 address"),
        (["--now", "x"], "--now x: a date and time is written like 2031-05-17T09:30:00Z; a date alone will do"),
        (
            ["--person", "lina"],
            "--person lina: no person in the project file of quay.sheet has this name; known here: reader-of-backups",
        ),
    ],
)
def test_wrong_use(overhang: Run, write: Write, arguments: list[str], error: str) -> None:
    write("quay.sheet", SHEET)
    assert overhang("ways", "quay.sheet", *arguments) == (2, "", f"overhang: {error}\n")


def test_what_is_in_doubt_is_said(overhang: Run, write: Write) -> None:
    write(
        "a.sheet",
        "entry console:\n    check nothing\n    idel 5m\nentry auxiliary: closed\nelevation 15: password opaque 9\n",
    )
    ran = overhang("ways", "a.sheet", "--strict")
    assert ran.code == 3
    assert "(not certain)" in ran.out
    assert "not fully understood" in ran.out


# -- expectations ------------------------------------------------------------------------------------------------------

PROJECT = """\
[networks]
bow = ["10.65.0.0/24"]
stern = ["10.64.7.0/24", "192.0.2.0/24"]
[people.lena]
account = "lena"
knows = ["user:lena", "elevation:15"]
sits = ["bow"]
[states]
storm = ["192.0.2.50"]
"""


def expectation(**keys: object) -> str:
    lines = [f"{key.rstrip('_')} = {json.dumps(value)}" for key, value in keys.items()]
    return "[[expect]]\n" + "\n".join(lines) + "\n"


HOLDS = [
    expectation(say="a", who="lena", via="ssh", reaches=15, servers="storm"),
    expectation(say="b", who="lena", via="ssh", reaches=15, servers="down", from_="10.64.7.0/24"),
    expectation(say="c", who="lena", via="ssh", below=1, servers="up"),
    expectation(say="d", who="anybody", via="telnet", below=0, servers="any"),
    expectation(say="e", who="anybody", via="ssh", from_="192.0.2.0/24", below=0, servers="any"),
    expectation(say="f", who="lena", reaches=15, via=["telnet", "console"], from_="anywhere"),
    expectation(say="g", who="anybody", below=15, from_="2001:db8::/32", devices="q*", kinds=["router", "switch"]),
]
FAILS = [
    (expectation(say="a", who="lena", via="ssh", reaches=1), "lena does not reach level 1",
     "by SSH from 10.65.0.1 as lena, knowing elevation:15, user:lena: denied, because a password is asked for and nothing is typed"),
    (expectation(say="b", who="lena", via="ssh", reaches=1, servers="storm", from_="stern"), "lena does not reach level 1",
     "by SSH from 192.0.2.1 as lena, knowing elevation:15, user:lena, with 192.0.2.50 down: refused"),
    (expectation(say="c", who="anybody", via="ssh", below=0), "somebody gets in", "by SSH from 10.64.0.1"),
    (expectation(say="d", who="anybody", below=15, via="console"), "somebody reaches level 15",
     "at the console, knowing elevation:15, entry:console: admitted at level 15, because the password for level 15"),
    (expectation(say="e", who="lena", below=15, servers="any"), "lena reaches level 15",
     "by SSH from 10.65.0.1 as lena, knowing elevation:15, entry:console, user:lena, with 192.0.2.50 down: admitted at level 15"),
    (expectation(say="f", who="lena", reaches=1, via="console"), "lena has no source from which this could be done", ""),
]  # fmt: skip


@pytest.mark.parametrize("text", HOLDS)
def test_expectations_that_hold(overhang: Run, write: Write, text: str) -> None:
    write("quay.sheet", SHEET)
    write("overhang.toml", PROJECT + text)
    ran = overhang("expect", ".")
    assert (ran.code, ran.out, ran.err) == (
        0,
        "All expectations hold\n\n1 of 1 expectations hold, checked 1 time on 1 device\n",
        "",
    ), ran.out


@pytest.mark.parametrize(("text", "why", "example"), FAILS)
def test_expectations_that_fail(overhang: Run, write: Write, text: str, why: str, example: str) -> None:
    write("quay.sheet", SHEET)
    write("overhang.toml", PROJECT + text)
    ran = overhang("expect", ".")
    assert (ran.code, ran.err) == (1, "")
    said = " ".join(ran.out.split())
    assert "1 expectation does not hold" in said
    assert (f"{why}: {example}" if example else why) in said
    assert said.endswith("0 of 1 expectations hold, checked 1 time on 1 device")
    assert max(map(len, ran.out.splitlines())) <= 100


def test_an_expectation_about_no_device_is_an_error(overhang: Run, write: Write) -> None:
    write("quay.sheet", SHEET)
    write("overhang.toml", PROJECT + expectation(say="about nothing", who="anybody", below=0, sites="nowhere"))
    ran = overhang("expect", ".")
    assert (ran.code, ran.err) == (2, "overhang: no device matches the expectation: about nothing\n")
    assert "ERROR  about nothing" in ran.out
    write("overhang.toml", PROJECT)
    message = "overhang: no expectations found: list them under [[expect]] in the project file of the devices\n"
    assert overhang("expect", ".") == (2, "", message)


def test_junit(overhang: Run, write: Write, tmp_path: Path) -> None:
    for path, data in demo_files().items():
        write(path, data)
    ran = overhang("expect", ".", "--format", "junit", "--output", "report.xml")
    assert (ran.code, ran.out, ran.err) == (1, "", "")
    root = ET.fromstring((tmp_path / "report.xml").read_text())
    assert (root.tag, root.get("tests"), root.get("failures"), root.get("errors")) == ("testsuites", "37", "10", "0")
    assert [(suite.get("tests"), suite.get("failures")) for suite in root] == [
        ("3", "0"), ("1", "0"), ("18", "5"), ("1", "0"), ("14", "5"),
    ]  # fmt: skip
    failure = root.find(".//testcase[@name='harbour-core']/failure")
    assert failure is not None
    assert (failure.get("message"), str(failure.text).splitlines()[0]) == (
        "somebody gets in",
        "by Telnet from 203.0.113.1, knowing entry:vty 8-11: admitted at level 1, because the password of VTY 8 is correct",
    )


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("expect = 3", "expect: expected [[expect]], once for each"),
        (expectation(who="lena", reaches=1), "expect 1: say: expected a sentence that names the expectation"),
        (expectation(say="a", reaches=1), "expect 1: who: expected people, or anybody alone"),
        (expectation(say="a", who="lina", reaches=1), "expect 1: who: nothing is called lina; did you mean lena?"),
        (expectation(say="a", who="anybody", reaches=1), "expect 1: reaches: for anybody only below can be given"),
        (expectation(say="a", who="lena"), "expect 1: expected a level under reaches or below"),
        (expectation(say="a", who="lena", below=16), "expect 1: below: a level is a number from 0 to 15"),
        (expectation(say="a", who="lena", below=1, via="shs"), "expect 1: via: nothing is called shs; did you mean ssh?"),
        (expectation(say="a", who="lena", below=1, servers="strom"), "expect 1: servers: nothing is called strom; did you mean storm?"),
        (expectation(say="a", who="lena", below=1, from_="bwo"), "expect 1: from: bwo is neither a network of this file nor a prefix; did you mean bow?"),
        (expectation(say="a", who="lena", belo=1), "expect 1: unknown key belo; did you mean below?"),
        (expectation(say="a", who="lena", below=1, kinds=3), "expect 1: kinds: expected a text or a list of texts"),
        ('[states]\nx = ["y"]', "states.x: neither an IPv4 nor an IPv6 address"),
    ],
)  # fmt: skip
def test_expectations_that_are_wrong(write: Write, text: str, message: str) -> None:
    path = str(
        write(
            "overhang.toml",
            text
            if "expect =" in text
            else PROJECT.replace("[states]", text + "[states]")
            if "[states]" in text
            else PROJECT + text,
        )
    )
    if "[states]" in text:
        path = str(write("overhang.toml", text))
    with pytest.raises(BadProject) as caught:
        read_project(path)
    assert str(caught.value).removeprefix(path).split(": ", 1)[1] == message


def test_profiles_are_listed_and_shown(overhang: Run, write: Write) -> None:
    listed = overhang("profiles")
    assert [line.split()[0] for line in listed.out.splitlines() if line[0] != " "] == list(BUILTIN)
    assert max(map(len, listed.out.splitlines())) <= 100
    write("overhang.toml", '[profiles.tide]\nbase = "list-wide"\nvtys = 2\n')
    shown = overhang("profiles", "tide").out.splitlines()
    assert shown[0] == "tide: list-wide with 1 changed"
    assert [line.split()[0] for line in shown[2:]] == list(KEYS)
    assert ["vtys", "2", "how", "many", "VTYs", "there", "are"] in [line.split() for line in shown]
    assert overhang("profiles", "tied").err == "overhang: no profile is called tied; did you mean tide?\n"
