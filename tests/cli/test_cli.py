"""The built program, driven as a person drives it: files in a folder, exit code, whole standard output and error."""

import json
import os
import platform
import re
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

import pytest

from overhang.auditing.registry import all_rules
from overhang.cli.main import COMMANDS, main
from overhang.demo import demo_files
from overhang.version import VERSION
from tests.conftest import Ran

Run = Callable[..., Ran]
Write = Callable[[str, str | bytes], Path]

GATE = """\
device quay:
    kind router
    site "north quay"
    domain tidewater.example
    profile entry-first
entry console:
    check password
    password readable boat
    idle 5m
entry auxiliary:
    closed
entry vty 0-11:
    check users
    accept ssh
    from crew
elevation 15:
    password masked ~2hxrg
user lena:
    password readable gull
sources crew:
    allow 10.64.1.0/24
ssh:
    host-key ed25519
banner before-login:
    | Tidewater crew only.
"""

CHOSEN = ("--only", "enable-not-hashed,port-shared-password", "--now", "2026-06-01")
AUDIT = """\
No high or critical findings among those asked for; quay has 2 medium or lower

  console              W weak         2 passwords (the console and account lena) are stored in clea…
  auxiliary port       - not there    accepts no login
  VTYs                 W weak         2 passwords (the console and account lena) are stored in clea…
  elevation            W weak         the enable secret is stored reversibly, and masking reverses …
  authentication       W weak         local accounts and a shared password
  SSH only             G good         SSH only
  sources              G good         from 10.64.1.0/24
  web and other doors  - not there    accepts no login
  policy               W weak         no minimum password length is configured, 15 characters are r…
  keeping              G good         as the thresholds ask

quay  router, north quay  quay.sheet
  MEDIUM   enable-not-hashed
           the enable secret is stored reversibly, and masking reverses in an instant: any copy of
           the configuration discloses it
             17 │     password masked ***
           opens  SSH from 10.64.1.0/24, knowing lena's password (clear text in the configuration)
                  and the enable secret (reversible in the configuration): level 1, then 15
                  at the console, knowing the console password (clear text in the configuration) and
                  the enable secret (reversible in the configuration): level 1, then 15
           fix    Set a hashed one. The old one is exposed, so choose another.
                  elevation 15:
                      password withheld
                  drop elevation 15: password none
  MEDIUM   port-shared-password
           the console asks for one shared password: it gets passed around, logins cannot be told
           apart, and it leads to level 15
              7 │     check password
              8 │     password readable ***
           opens  at the console, knowing the console password (clear text in the configuration) and
                  the enable secret (reversible in the configuration): level 1, then 15
                  at the console, knowing the console password (clear text in the configuration):
                  level 1, then 14
           fix    Ask for local accounts, and remove the shared password.
                  entry console:
                      check users
                  drop entry console: password

not examined
  on which addresses the device answers: no address is configured

1 device audited: 2 findings (2 medium); 5 not asked for
"""

LOGIN = """\
Admitted at level 15: level 1 after login, and elevation to level 15 is granted
  because the password for level 15 is correct (line 17)

  quay: at the console, no name, knowing elevation:15

  what the person sees                 why
  ───────────────────────────────────┬──────────────────────────────────────────────────────────────
                                     │ anyone at the console can use it                       line 6
  Tidewater crew only.               │ banner before-login                                   line 24
                                     │ the console asks for a password                        line 7
  password: ········                 │ the password of the console is asked for               line 8
                                     │ the password of the console is wrong                   line 8
  password: ········                 │ the password of the console is asked for               line 8
                                     │ the password of the console is correct                 line 8
  logged in, at level 1              │ a login gets level 1 by default
                                     │                     profile entry-first: unsaid-level-console
  (wants level 15)                   │
  password for level 15: (known)     │ the password for level 15 is asked for                line 17
                                     │ the password for level 15 is correct                  line 17
  you have level 15                  │
"""

REFUSED = """\
Refused
  because source list crew has no line for the source, so it is denied, for VTY 0 (line 20)

  quay: by SSH from 192.0.2.7, name lena

  what the person sees                 why
  ───────────────────────────────────┬──────────────────────────────────────────────────────────────
                                     │ SSH is on                     profile entry-first: unsaid-ssh
                                     │ client and device agree on SSH version 2
                                     │                          profile entry-first: unsaid-versions
                                     │ VTY 0 accepts the connection                          line 14
                                     │ source list crew has no line for the source, so it is denied,
                                     │ for VTY 0                                             line 20
  connection refused                 │
"""


def test_the_audit_as_people_read_it(overhang: Run, write: Write) -> None:
    write("quay.sheet", GATE)
    assert overhang("audit", "quay.sheet", *CHOSEN) == (1, AUDIT, "")


SHORT = """\
3 of 18 devices could not be fully judged; 2 of 18 devices need fixing now: north-quay lets anyone
in without a password; south-tickets locks everyone out

device         con  aux  vty  elev auth ssh  src  web  pol  keep crit high  med  low info
north-quay     O    O    L    O    O    L    W    W    W    W       .    1    .    .    .
south-tickets  L    -    L    -    L    L    -    -    G    G       .    1    .    .    .
"""


def test_the_audit_of_a_folder_is_short_worst_first_and_exact(overhang: Run, write: Write) -> None:
    for path, data in demo_files().items():
        write(path, data)
    ran = overhang("audit", ".", "--only", "never-configured,locked-out")
    assert ran.out.startswith(SHORT)
    assert "HIGH     locked-out        south-tickets\n" in ran.out
    whole = overhang("audit", ".", "--now", "2026-11-23")
    lines = whole.out.splitlines()
    assert any(
        line.startswith(
            "18 devices audited: 133 findings (17 high, 49 medium, 43 low, 24 info); 3 possible (2 critical,"
        )
        for line in lines
    )
    read = "12 as sheets, 1 as json, 1 as xml, 4 through the dialects brinewick, marram, sandlark, tarnhook"
    assert f"read: {read}" in whole.out.replace("\n", " ")
    assert (whole.code, whole.err) == (1, "")
    assert len(lines) < 120
    assert max(map(len, lines)) <= 100
    clean = overhang("audit", "harbour/harbour-gate.sheet", "--strict")
    assert (clean.code, clean.out.splitlines()[0], clean.err) == (0, "Nothing found", "")
    long = overhang("audit", ".", "--long", "--sort", "device").out
    names = re.findall(r"(?m)^(\S+)  (?:router|switch|appliance),", long)
    assert names == sorted(names)
    assert len(names) == 17
    assert max(map(len, long.splitlines())) <= 100


def test_many_devices_are_no_wall(overhang: Run, write: Write) -> None:
    for number in range(75):
        write(f"d{number}.sheet", f"device d{number}:" + ("\nentry console: closed" if number < 5 else ""))
    lines = overhang("audit", ".").out.splitlines()
    assert "and 15 more devices, 0 of them without findings; every other format lists all" in lines
    assert len(lines) < 90


def test_findings_are_chosen_by_rule_and_severity(overhang: Run, write: Write) -> None:
    write("quay.sheet", GATE)
    rules = [each["rule"] for each in audited(overhang, "--skip", "*password*,ssh-*", "--severity", "low")]
    assert rules == ["enable-not-hashed", "no-lockout"]
    assert overhang("audit", "quay.sheet", "--fail-on", "high").code == 0
    assert overhang("audit", "quay.sheet", "--fail-on", "medium").code == 1
    assert overhang("audit", "quay.sheet", "--only", "telnet-acepted") == (
        2,
        "",
        "overhang: --only telnet-acepted: did you mean telnet-accepted?\n",
    )
    wrong = "overhang: --guess soon: expected a whole number, about the milliseconds for the whole run\n"
    assert overhang("audit", "quay.sheet", "--guess", "soon") == (2, "", wrong)


def audited(overhang: Run, *options: str) -> list[dict[str, object]]:
    (device,) = json.loads(overhang("audit", "quay.sheet", "--format", "json", *options).out)["devices"]
    found: list[dict[str, object]] = device["findings"]
    return found


def test_the_audit_as_json(overhang: Run, write: Write) -> None:
    write("quay.sheet", GATE + "entry consle:\n    password readable hunter2\n")
    ran = overhang("audit", "quay.sheet", "--format", "json", "--only", "weak-hash,password-length")
    report = json.loads(ran.out)
    (device,) = report["devices"]
    assert (device["name"], device["file"], device["kind"]) == ("quay", "quay.sheet", "router")
    (finding,) = device["findings"]
    assert re.fullmatch("[0-9a-f]{32}", finding.pop("fingerprint"))
    assert finding == {
        "rule": "password-length",
        "severity": "low",
        "message": "no minimum password length is configured, 15 characters are required: short ones are quickly guessed",
        "lines": [{"file": "quay.sheet", "line": 1, "text": "device quay:"}],
        "unsaid": [],
        "opens": [],
        "fix": ["passwords:", "    length 15"],
        "phrased": None,
        "also": [],
        "possible": False,
    }
    assert report["schema"] == 2
    assert device["checklist"][0]["aspect"] == "console"
    assert device["not_understood"] == [
        {
            "file": "quay.sheet",
            "line": 26,
            "column": 7,
            "text": "entry ***",
            "message": "expected console, auxiliary or vty",
            "hint": "did you mean console?",
        }
    ]
    assert device["lines"] == {"understood": 25, "set_nothing": 0, "not_understood": 2}
    assert report["summary"]["findings"] == {"critical": 0, "high": 0, "medium": 0, "low": 1, "info": 0}
    assert (ran.code, ran.err, "hunter2" in ran.out) == (1, "", False)
    assert overhang("audit", "quay.sheet", "--strict").code == 3


def test_the_audit_into_a_file(overhang: Run, write: Write, tmp_path: Path) -> None:
    write("quay.sheet", GATE)
    assert overhang("audit", "quay.sheet", "--output", "report.txt", *CHOSEN) == (1, "", "")
    assert (tmp_path / "report.txt").read_text() == AUDIT
    ran = overhang("audit", "quay.sheet", "--output", "no/such/report.txt")
    assert ran == (74, "", "overhang: no/such/report.txt: cannot be written: No such file or directory\n")


def test_a_project_file_beside_the_sheets_holds(overhang: Run, write: Write) -> None:
    write("site/a.sheet", "entry console:\n    idle 7m\n    check nothing\nentry auxiliary: closed\n")
    write("overhang.toml", "[thresholds]\nidle = '6m'\n")
    assert "time out after 7 minutes, above 6 minutes" in overhang("audit", "site").out
    write("other.toml", "[thresholds]\nidle = '8m'\n")
    assert "time out after" not in overhang("audit", "site", "--project", "other.toml").out
    write("overhang.toml", "[thresholds]\nidel = '6m'\n")
    error = f"overhang: {os.path.join(os.path.realpath(write('x', '').parent), 'overhang.toml')}:2: thresholds.idel: "
    assert overhang("audit", "site") == (2, "", error + "unknown key; did you mean idle?\n")


BAD = [
    ("binary.sheet", b"\x7fELF\0\0", "not a text file: a zero byte on line 1"),
    ("latin.sheet", b'device a:\n    site "caf\xe9"\n', "not UTF-8 text: byte 0xe9 on line 2"),
]


def test_what_cannot_be_read_does_not_stop_the_others(overhang: Run, write: Write, tmp_path: Path) -> None:
    write("good.sheet", GATE)
    for name, data, _ in BAD:
        write(name, data)
    (tmp_path / "empty").mkdir()
    os.mkfifo(tmp_path / "pipe.sheet")
    (tmp_path / "folder.sheet").mkdir()
    ran = overhang("audit", "good.sheet", "missing.sheet", "empty", *(name for name, _, _ in BAD), *CHOSEN)
    whole = AUDIT.replace("quay.sheet", "good.sheet").replace("No high", "4 files could not be read; no high")
    expected = whole.replace("5 not asked for", "5 not asked for; 4 files unreadable")
    assert ran.out.split() == expected.split()
    assert ran.code == 2
    assert sorted(ran.err.splitlines()) == sorted(
        [
            "overhang: missing.sheet: cannot be opened: No such file or directory",
            "overhang: empty: no file in this folder that a reader recognises",
            *(f"overhang: {name}: {message}" for name, _, message in BAD),
        ]
    )
    nothing = overhang("audit", "empty")
    assert (nothing.code, nothing.out.splitlines()[0]) == (2, "Nothing could be audited")


def test_a_folder_that_may_not_be_opened(overhang: Run, write: Write, tmp_path: Path) -> None:
    write("a.sheet", GATE)
    loop = tmp_path / "loop.sheet"
    loop.symlink_to(loop)
    ran = overhang("audit", ".")
    assert (ran.code, ran.err) == (2, "overhang: ./loop.sheet: cannot be opened: Too many levels of symbolic links\n")
    assert "1 device audited" in ran.out


def test_a_file_named_twice_is_audited_once(overhang: Run, write: Write) -> None:
    write("a.sheet", GATE)
    assert overhang("audit", "a.sheet", ".", "./a.sheet").out == overhang("audit", "a.sheet").out


def test_names_that_would_steer_a_terminal_are_made_visible(overhang: Run, write: Write) -> None:
    write("a.sheet", 'device "\\u001b[2Jquay":\n    site "\\u202eab"\nbanner before-login:\n    | \x1b[31mhello\n')
    out = overhang("audit", "a.sheet").out
    out += overhang("login", "a.sheet", "--via", "console", "--name", "\x1b[2J").out
    assert "\x1b" not in out
    assert "\\x1b[2Jquay" in out


def test_output_closed_early_is_no_trouble(tmp_path: Path) -> None:
    for path, data in demo_files().items():
        target = tmp_path / path
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_bytes(data * 3 if path.endswith(".sheet") else data)
    command = f"{sys.executable} -m overhang audit {tmp_path} | head -1"
    done = subprocess.run(["bash", "-c", command], capture_output=True, text=True, check=True)
    assert (done.stdout.count("\n"), done.stderr) == (1, "")


def test_an_interrupted_run_says_so_in_one_line(tmp_path: Path) -> None:
    (tmp_path / "big.sheet").write_text("".join(f"user u{number}:\n    level 1\n" for number in range(400_000)))
    child = subprocess.Popen(
        [sys.executable, "-m", "overhang", "audit", "big.sheet"],
        cwd=tmp_path,
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
    )
    time.sleep(1.5)
    child.send_signal(2)
    out, err = child.communicate(timeout=60)
    assert (child.returncode, out, err) == (130, "", "overhang: interrupted; nothing was changed\n")


NORMAL = """\
device quay:
    kind router
    domain tidewater.example
    site "north quay"
    profile entry-first

entry console:
    password withheld
    check password
    idle 5m

entry auxiliary:
    closed

entry vty 0-11:
    check users
    accept ssh
    from crew

elevation 15:
    password withheld

user lena:
    password withheld

sources crew:
    allow 10.64.1.0/24

ssh:
    host-key ed25519

banner before-login:
    | Tidewater crew only.
"""


def test_a_sheet_is_shown_normalised_and_without_its_secrets(overhang: Run, write: Write, tmp_path: Path) -> None:
    write("quay.sheet", GATE)
    assert overhang("sheet", "quay.sheet") == (0, NORMAL, "")
    known = overhang("sheet", "quay.sheet", "--with-secrets").out
    assert "password readable boat" in known
    write("again.sheet", known)
    assert overhang("sheet", "again.sheet", "--with-secrets").out == known
    write("sub/quay.sheet", GATE + "entri vty 0: closed\n")
    ran = overhang("sheet", "sub", "quay.sheet", "--strict")
    unread = "# not understood: sub/quay.sheet:26: ***\n\n"
    doubtful = unread + NORMAL.replace("profile entry-first\n", "profile entry-first\n    incomplete\n")
    assert ran.out == f"# sub/quay.sheet\n{doubtful}\n# quay.sheet\n{NORMAL}"
    note = "overhang: sub/quay.sheet: 1 line not understood; what is written says that there may be more\n"
    assert (ran.code, ran.err) == (3, note)
    assert overhang("sheet", "quay.sheet", "--output", "out") == (0, "", "")
    assert (tmp_path / "out" / "quay.sheet").read_text() == NORMAL
    twice = os.path.join("out", "quay.sheet")
    error = f"overhang: {twice}: both quay.sheet and sub/quay.sheet would be written there; convert them one by one\n"
    assert overhang("sheet", "quay.sheet", "sub", "--output", "out") == (2, "", note + error)
    assert overhang("sheet", "no.sheet") == (2, "", "overhang: no.sheet: cannot be opened: No such file or directory\n")


# -- login -------------------------------------------------------------------------------------------------------------


def test_a_login_as_people_read_it(overhang: Run, write: Write) -> None:
    write("quay.sheet", GATE)
    write("tries", "ship\nboat\n")
    ran = overhang(
        "login",
        "quay.sheet",
        "--via",
        "console",
        "--password-file",
        "tries",
        "--knows",
        "elevation:15",
        "--elevate",
        "15",
    )
    assert ran == (0, LOGIN, "")
    ran = overhang("login", "quay.sheet", "--via", "ssh", "--from", "192.0.2.7", "--name", "lena")
    assert ran == (0, REFUSED, "")


def test_a_login_as_json(overhang: Run, write: Write) -> None:
    write("quay.sheet", GATE)
    arguments = ["login", "quay.sheet", "--via", "console", "--password-env", "PIER", "--format", "json"]
    ran = overhang(*arguments, env={"PIER": "boat"})
    assert json.loads(ran.out) == {
        "outcome": "admitted",
        "level": 1,
        "after_login": 1,
        "elevation": None,
        "decided_by": {"file": "quay.sheet", "line": 8},
        "reason": "the password of the console is correct",
        "understood": True,
        "trace": [
            {
                "stage": "reachability",
                "reason": "anyone at the console can use it",
                "file": "quay.sheet",
                "line": 6,
            },
            {"stage": "authentication", "reason": "the console asks for a password", "file": "quay.sheet", "line": 7},
            {
                "stage": "authentication",
                "reason": "the password of the console is asked for",
                "file": "quay.sheet",
                "line": 8,
            },
            {
                "stage": "authentication",
                "reason": "the password of the console is correct",
                "file": "quay.sheet",
                "line": 8,
            },
            {
                "stage": "authorization",
                "reason": "a login gets level 1 by default",
                "profile": "entry-first",
                "key": "unsaid-level-console",
            },
        ],
    }
    assert (ran.code, ran.err) == (0, "")


@pytest.mark.parametrize(
    ("expect", "code", "err"),
    [
        ("denied", 0, ""),
        ("admitted", 1, "overhang: expected admitted, but the outcome is denied\n"),
        ("admitted:15", 1, "overhang: expected admitted:15, but the outcome is denied\n"),
        (
            "admited",
            2,
            "overhang: --expect admited: expected admitted, admitted:N, denied, dropped, refused or unknown\n",
        ),
        (
            "denied:3",
            2,
            "overhang: --expect denied:3: expected admitted, admitted:N, denied, dropped, refused or unknown\n",
        ),
    ],
)
def test_what_is_expected(overhang: Run, write: Write, expect: str, code: int, err: str) -> None:
    write("quay.sheet", GATE)
    ran = overhang("login", "quay.sheet", "--via", "console", "--expect", expect)
    assert (ran.code, ran.err) == (code, err)


@pytest.mark.parametrize(
    ("arguments", "error"),
    [
        (["--via", "shs"], "--via shs: did you mean ssh?"),
        (["--via", "ssh", "--from", "10.64.0"], "--from 10.64.0: neither an IPv4 nor an IPv6 address"),
        (["--via", "console", "--from", "192.0.2.1"],
         "--from and --to do not apply to the console: its user is at the device"),
        (["--via", "ssh", "--elevate", "16"], "--elevate 16: a level is a number from 0 to 15"),
        (["--via", "ssh", "--knows", "lena"],
         "--knows lena: expected user:..., key:..., certificate:..., entry:..., service:..., door:..., elevation:..., server:..., community:..."),
        (["--via", "ssh", "--busy", "9-3"], "--busy 9-3: the range runs backwards; write 3-9"),
        (["--via", "ssh", "--ssh-versions", "3"], "--ssh-versions 3: expected 1, 2 or 1,2"),
        (["--via", "ssh", "--now", "June"], "--now June: a date and time is written like 2031-05-17T09:30:00Z; a date alone will do"),
        (["--via", "ssh", "--password-file", "none"], "none: cannot be read: No such file or directory"),
        (["--via", "ssh", "--password-env", "NONE"], "the environment has no variable NONE"),
        (["--via", "ssh", "--key", "quay.sheet"],
         "quay.sheet: expected a public key: TYPE BASE64 [COMMENT]"),
        ([], "the following arguments are required: --via (see overhang login --help)"),
    ],
)  # fmt: skip
def test_wrong_use_is_one_line(overhang: Run, write: Write, arguments: list[str], error: str) -> None:
    write("quay.sheet", GATE)
    assert overhang("login", "quay.sheet", *arguments) == (2, "", f"overhang: {error}\n")


def test_knowledge_that_opens_nothing_is_remarked(overhang: Run, write: Write) -> None:
    write("quay.sheet", GATE)
    ran = overhang("login", "quay.sheet", "--via", "console", "--knows", "user:lina")
    assert ran.err == (
        "overhang: warning: --knows user:lina is not a credential of this device; did you mean user:lena?\n"
    )


def test_no_typed_or_stored_password_ever_shows(overhang: Run, write: Write) -> None:
    write("quay.sheet", GATE.replace("boat", "Zq-stored"))
    write("tries", "Zq-typed\nZq-stored\n")
    for extra in (["--format", "json"], [], ["--elevate", "15", "--elevate-password-file", "tries"]):
        ran = overhang("login", "quay.sheet", "--via", "console", "--password-file", "tries", *extra)
        assert (ran.code, "Zq" in ran.out + ran.err) == (0, False)
    for extra in (["--format", "json"], ["--short"], ["--long"], []):
        ran = overhang("audit", "quay.sheet", *extra)
        assert (ran.code, "Zq" in ran.out + ran.err) == (1, False)


# -- the other commands ------------------------------------------------------------------------------------------------


def test_demo_lays_out_and_never_overwrites_what_it_did_not_write(overhang: Run, tmp_path: Path) -> None:
    first = overhang("demo")
    assert (first.code, first.err) == (0, "")
    assert "Admitted at level 15" in first.out
    assert "Admitted at level 1: elevation to level 15 is denied" in first.out
    assert max(map(len, first.out.splitlines())) <= 100
    assert overhang("demo") == first
    changed = tmp_path / "tidewater" / "northquay" / "north-quay.sheet"
    changed.write_text("mine\n")
    message = "exists already and differs from what the demo wrote; choose another folder or move it away"
    assert overhang("demo") == (2, "", f"overhang: tidewater/northquay/north-quay.sheet: {message}\n")
    assert changed.read_text() == "mine\n"
    (tmp_path / "file").write_text("")
    assert overhang("demo", "file") == (74, "", "overhang: file/changes: cannot be made: Not a directory\n")


def test_the_commands_that_the_demo_shows_can_be_typed(overhang: Run, tmp_path: Path) -> None:
    out = overhang("demo").out.replace("\\\n", "")
    commands = re.findall(r"(?m)^(?:\$ |  )overhang (.*?)(?:  .*)?$", out)
    assert len(commands) == 8
    for command in commands:
        done = subprocess.run(
            ["bash", "-c", f"{sys.executable} -m overhang {command}"],
            cwd=tmp_path,
            capture_output=True,
            text=True,
            check=False,
        )
        assert (done.returncode in (0, 1), done.stderr) == (True, ""), command


@pytest.mark.parametrize(
    ("arguments", "typed", "code", "out", "err"),
    [
        (["--form", "masked"], "harbour\n", 0, "password masked ~2p2q4icplwbq\n", ""),
        (["--form", "readable"], "a b\n", 0, 'password readable "a b"\n', ""),
        (["--form", "readable"], "boat\n", 0, "password readable boat\n", ""),
        (["--open"], "masked ~2p2q4icplwbq\n", 0, "harbour\n", ""),
        (["--open"], "password masked ~2p2q4icplwbq\n", 0, "harbour\n", ""),
        (["--open"], "~2p2q4icplwbq", 0, "harbour\n", ""),
        (["--open"], "~x\n", 2, "", "overhang: the text behind ~ is not base32 of a masked password\n"),
        (["--open"], "hashed $1$a$b\n", 2, "",
         "overhang: the form hashed cannot be decoded; overhang login can try passwords against it\n"),
        (["--open"], "a b c\n", 2, "",
         "overhang: not a stored form; write it as a sheet does, like masked ~2p2q4icplwbq\n"),
        ([], "\n", 2, "", "overhang: no password was typed; an empty password is written: password none\n"),
    ],
)  # fmt: skip
def test_password(overhang: Run, arguments: list[str], typed: str, code: int, out: str, err: str) -> None:
    assert overhang("password", *arguments, stdin=typed) == (code, out, err)


def test_a_made_hash_can_be_used(overhang: Run, write: Write) -> None:
    made = overhang("password", stdin="boat\n").out
    write("a.sheet", f"entry console:\n    check password\n    {made}")
    write("typed", "boat\n")
    ran = overhang("login", "a.sheet", "--via", "console", "--password-file", "typed", "--expect", "admitted:1")
    assert (ran.code, ran.err) == (0, "")


def test_rules_are_listed_and_explained(overhang: Run) -> None:
    listed = overhang("rules")
    assert listed.code == 0
    lines = [line.split()[0] for line in listed.out.splitlines() if line.startswith("  ")]
    assert lines == [rule.name for rule in all_rules()]
    assert max(map(len, listed.out.splitlines())) <= 100
    for rule in all_rules()[::9]:
        page = overhang("rules", rule.name).out
        heads = (
            "severity: ",
            "The risk",
            "When it fires",
            "Fix",
            "Example that fires",
            "References",
        )
        assert [head for head in heads if head not in page] == []
        assert page.startswith(f"{rule.name}: ")
        assert max(map(len, page.splitlines())) <= 100
    assert overhang("rules", "--base").out.startswith("# A device as it should be.")
    assert overhang("rules", "telnet") == (2, "", "overhang: no rule is called telnet; overhang rules lists them\n")
    assert overhang("rules", "no-baner") == (2, "", "overhang: no rule is called no-baner; did you mean no-banner?\n")


def test_help_names_every_command_and_wrong_ones_are_one_line(overhang: Run) -> None:
    text = overhang("--help").out
    assert all(f"    {name} " in text for name in COMMANDS)
    for name in COMMANDS:
        ran = overhang(name, "--help")
        assert (ran.code, ran.err) == (0, "")
        assert "exit codes: 0 clean" in ran.out
    shown = overhang("--version")
    python = f"{platform.python_implementation()} {platform.python_version()}"
    assert shown == Ran(0, f"overhang {VERSION} ({python}, {platform.system()} {platform.machine()})\n", "")


def test_paths_from_a_list_and_from_standard_input(overhang: Run, write: Write, tmp_path: Path) -> None:
    write("a.sheet", "device quay: kind router\n")
    write("b.sheet", "device ramp: kind switch\n")
    write("list", "b.sheet\n\na.sheet\r\n")
    both = overhang("sheet", "b.sheet", "a.sheet")
    assert overhang("sheet", "--files-from", "list") == both
    assert overhang("sheet", "b.sheet", "--files-from", "-", stdin="a.sheet\n") == both
    text = (tmp_path / "a.sheet").read_text()
    named = overhang("audit", "-", "--name", "backups/a.sheet", "--format", "json", stdin=text)
    assert [each["file"] for each in json.loads(named.out)["devices"]] == ["backups/a.sheet"]
    for words, message in (
        (["audit"], "the following arguments are required: PATH (see overhang audit --help)"),
        (["audit", "--files-from", "none"], "none: cannot be read: No such file or directory"),
        (["audit", "--files-from", "empty"], "empty: lists no path"),
        (["audit", "--files-from", "nul"], "nul:2: a path cannot hold a NUL; list one path on a line"),
        (
            ["audit", "-", "--files-from", "-"],
            "--files-from -: standard input cannot be both a list and a configuration",
        ),
        (["audit", "a.sheet", "--name", "x"], "--name is for standard input; name it as - among the paths"),
        (["audit", "a.sheet", "--only", "shh-*"], "--only shh-*: did you mean ssh-needs-account?"),
        (["login", "a.sheet", "--knows", "entry:vty", "6-11"], "quotes are missing: 'entry:vty 6-11'"),
    ):
        write("empty", "\n")
        write("nul", b"a.sheet\nb\0.sheet\n")
        assert overhang(*words) == Ran(2, "", f"overhang: {message}\n")
    ran = overhang("adit")
    assert (ran.code, ran.out, ran.err.count("\n")) == (2, "", 1)
    assert overhang().code == 2


def test_light_commands_import_nothing_heavy() -> None:
    heavy = [
        "rich",
        "passlib",
        "tomllib",
        "matplotlib",
        "jinja2",
        "zxcvbn",
        "dataclasses",
        "difflib",
        "tempfile",
        "asyncio",
    ]
    program = f"""
import sys, io
from overhang.cli.main import main
sys.stdout = io.StringIO()
try: main(sys.argv[1:])
except SystemExit: pass
print([name for name in {heavy!r} if name in sys.modules], file=sys.stderr)
"""
    for arguments in (["--help"], ["audit", "no-such.sheet"]):
        done = subprocess.run([sys.executable, "-c", program, *arguments], capture_output=True, text=True, check=True)
        assert done.stderr.splitlines()[-1] == "[]", arguments


def test_the_reference_page_is_made_from_the_table() -> None:
    from overhang.language.reference import reference_tables

    page = (Path(__file__).parents[2] / "docs" / "sheet.md").read_text()
    assert reference_tables() in page


@pytest.mark.parametrize(
    ("words", "error"),
    [
        ("audit --format jsn quay.sheet", "argument --format: jsn: did you mean json? (see overhang audit --help)"),
        ("audit --formt json quay.sheet", "unknown option --formt; did you mean --format?"),
        ("audit quay.sheet --zzz", "unknown option --zzz (see overhang audit --help)"),
        ("adit quay.sheet", "no command is called adit; did you mean audit?"),
        ("dialect tri quay.sheet", "no action is called tri; did you mean try?"),
        ("sheet --to jon quay.sheet", "argument --to: jon: did you mean json? (see overhang sheet --help)"),
        ("audit --checklist --format json quay.sheet", "--checklist is text; --format json holds the checklist too"),
    ],
)
def test_a_mistyped_word_is_told_which_was_meant(words: str, error: str, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(words.split()) == 2
    said = capsys.readouterr()
    assert (said.out, said.err) == ("", f"overhang: {error}\n")


def test_lines_are_drawn_in_ascii_where_the_locale_has_no_more(overhang: Run, write: Write) -> None:
    write("quay.sheet", GATE)
    for command in (("audit", "quay.sheet"), ("login", "quay.sheet", "--via", "console"), ("ways", "quay.sheet")):
        ran = overhang(*command, env={"PYTHONIOENCODING": "ascii"})
        assert ran.out.isascii()
        assert "\\u" not in ran.out
