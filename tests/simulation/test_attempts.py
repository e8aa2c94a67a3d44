"""Many attempts as JSON Lines: the contract of docs/attempts.md, line by line."""

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from overhang.simulation.attempts import BadAttempt, read_fields
from tests.conftest import Ran

Run = Callable[..., Ran]
Write = Callable[[str, str | bytes], Path]

SHEET = """\
device quay:
    domain tidewater.example
entry console:
    check users
entry vty 0-3:
    check password
    password readable boat
servers radius g:
    server 192.0.2.50
methods net for login:
    servers g
telnet: check methods net
passwords: lock 60s after 2
user lena:
    password readable gull
    expires 2026-06-02
    public-key ssh-ed25519 AAAA
ssh: host-key ed25519
snmp:
    on
    community readable terns read
door copy:
    on
    check users
elevation 15: password readable top
"""


def results(
    overhang: Run, write: Write, *attempts: Any, code: int = 0, extra: tuple[str, ...] = ()
) -> list[dict[str, Any]]:
    write("quay.sheet", SHEET)
    write("a.jsonl", "".join(each if isinstance(each, str) else json.dumps(each) + "\n" for each in attempts))
    ran = overhang("login", "quay.sheet", "--attempts", "a.jsonl", "--format", "jsonl", "--now", "2026-06-01", *extra)
    assert ran.code == code, ran.err
    assert (ran.err == "") == (code == 0)
    return [json.loads(line) for line in ran.out.splitlines()]


def short(result: dict[str, Any]) -> Any:
    return result.get("error") or (result["outcome"], result["level"])


def test_a_result_is_what_one_login_gives(overhang: Run, write: Write) -> None:
    (many,) = results(
        overhang,
        write,
        {"via": "console", "name": "lena", "password": "gull", "elevate": 15, "elevate_password": "top"},
    )
    write("typed", "gull\n")
    write("top", "top\n")
    one = overhang(
        "login", "quay.sheet", "--via", "console", "--name", "lena", "--password-file", "typed", "--elevate", "15",
        "--elevate-password-file", "top", "--now", "2026-06-01", "--format", "json",
    )  # fmt: skip
    assert json.loads(one.out) == many
    assert list(many) == ["outcome", "level", "after_login", "elevation", "decided_by", "reason", "understood", "trace"]
    assert (many["outcome"], many["level"], many["after_login"], many["elevation"]) == ("admitted", 15, 1, "granted")
    assert many["decided_by"] == {"file": "quay.sheet", "line": 25}


TELNET = {"via": "telnet", "from": "192.0.2.9"}
FIELDS = [
    ({"via": "console", "name": "lena", "password": ["x", "gull"]}, ("admitted", 1)),
    ({"via": "console", "name": "lena", "knows": ["user:lena"]}, ("admitted", 1)),
    ({"via": "ssh", "from": "2001:db8::1", "name": "lena", "key": "ssh-ed25519 AAAA me"}, ("admitted", 1)),
    ({"via": "ssh", "from": "192.0.2.9", "ssh_versions": [1]}, ("refused", None)),
    ({"via": "ssh", "from": "192.0.2.9", "busy": "0-11"}, ("refused", None)),
    ({"via": "ssh", "from": "192.0.2.9", "busy": [0, "1-3", 4, "5-11"]}, ("refused", None)),
    ({**TELNET, "name": "omar", "password": "x", "servers": {"g": {"omar": {"password": "x", "level": 7}}}}, ("admitted", 1)),
    ({**TELNET, "name": "omar", "password": "x", "servers": {"g": {}}}, ("denied", None)),
    ({**TELNET, "name": "omar", "password": "x", "servers": {}}, ("denied", None)),
    ({**TELNET, "name": "omar", "password": "x"}, ("unknown", None)),
    ({**TELNET, "name": "omar", "password": "x", "down": ["192.0.2.50"]}, ("denied", None)),
    ({"via": "snmp", "from": "192.0.2.9", "password": "terns"}, ("admitted", 1)),
    ({"via": "door:copy", "from": "192.0.2.9", "name": "lena", "password": "gull"}, ("admitted", 1)),
    ({"via": "door:none", "from": "192.0.2.9"}, ("refused", None)),
    ({"via": "console", "name": "lena", "password": "gull", "elevate": 3, "elevate_name": None}, ("admitted", 3)),
]  # fmt: skip


@pytest.mark.parametrize(("attempt", "ends"), FIELDS)
def test_each_field(overhang: Run, write: Write, attempt: dict[str, Any], ends: Any) -> None:
    assert [short(each) for each in results(overhang, write, attempt)] == [ends]


def test_the_lines_of_a_file_are_one_sequence(overhang: Run, write: Write) -> None:
    lena = {"via": "console", "name": "lena"}
    got = results(
        overhang,
        write,
        {**lena, "password": "x", "at": 10},
        {**lena, "password": "y"},
        {**lena, "password": "gull", "at": 69},
        {**lena, "password": "gull", "at": 60},
        {**lena, "password": "gull", "at": 69.5, "reset": True},
        {**lena, "password": ["x", "y"], "at": 69.5},
        {**lena, "password": "gull", "at": 129.4},
        {**lena, "password": "gull", "at": 129.5},
        code=2,
    )
    denied, admitted = ("denied", None), ("admitted", 1)
    assert [short(each) for each in got] == [
        denied,
        denied,
        denied,
        "at: runs backwards",
        admitted,
        denied,
        denied,
        admitted,
    ]
    assert got[2]["decided_by"] == {"file": "quay.sheet", "line": 13}


def test_the_date_is_kept_and_moved_on(overhang: Run, write: Write) -> None:
    lena = {"via": "console", "name": "lena", "password": "gull"}
    day = 86400
    got = results(
        overhang, write, lena, {**lena, "at": 2 * day - 1}, {**lena, "at": 2 * day}, {**lena, "now": "2026-05-31"},
        lena, {**lena, "at": 3 * day}, {**lena, "now": "2026-06-03T00:00:00", "at": 3 * day},
    )  # fmt: skip
    assert [short(each)[0] for each in got] == [
        "admitted",
        "admitted",
        "denied",
        "admitted",
        "admitted",
        "denied",
        "denied",
    ]


BAD = [
    ("{\n", "not JSON"),
    ("[1]\n", "not an object"),
    ("\n", "not JSON"),
    ("{}\n", "via: is missing"),
    ('{"via": "shs"}\n', "via: expected console, auxiliary, ssh, telnet, http, https, snmp or door:NAME"),
    ('{"via": "ssh", "form": "x"}\n', "an unknown key; did you mean from?"),
    ('{"via": "ssh", "from": "10.64.0"}\n', "from: expected an address"),
    ('{"via": "ssh", "password": 3}\n', "password: expected text, or a list of texts"),
    ('{"via": "ssh", "password": [["x"]]}\n', "password: expected text, or a list of texts"),
    ('{"via": "ssh", "key": "AAAA"}\n', "key: expected a public key, TYPE BASE64, or a list"),
    ('{"via": "ssh", "knows": "user:lena"}\n', "knows: expected a list of items of knowledge"),
    ('{"via": "ssh", "elevate": 16}\n', "elevate: expected a level from 0 to 15"),
    ('{"via": "ssh", "elevate": true}\n', "elevate: expected a level from 0 to 15"),
    ('{"via": "ssh", "ssh_versions": [3]}\n', "ssh_versions: expected a list of 1 and 2"),
    ('{"via": "ssh", "busy": ["9-3"]}\n', "busy: expected VTY numbers, or ranges like 0-3"),
    ('{"via": "ssh", "busy": [256]}\n', "busy: expected VTY numbers, or ranges like 0-3"),
    ('{"via": "ssh", "down": ["x"]}\n', "down: expected a list of addresses"),
    ('{"via": "ssh", "servers": {"g": {"lena": "x"}}}\n', "servers: expected {group: {account: {password, level}}}"),
    ('{"via": "ssh", "at": -1}\n', "at: expected seconds since the start, 0 or more"),
    ('{"via": "ssh", "at": NaN}\n', "at: expected seconds since the start, 0 or more"),
    ('{"via": "ssh", "at": 999999999999}\n', "at: beyond the calendar"),
    ('{"via": "ssh", "now": "June"}\n', "now: expected an ISO 8601 date"),
    ('{"via": "ssh", "reset": 1}\n', "reset: expected true or false"),
    ("[" * 100_000 + "\n", "not JSON"),
]


def test_a_line_that_is_no_attempt_gives_an_error_and_the_others_are_done(overhang: Run, write: Write) -> None:
    good = {"via": "console", "name": "lena", "password": "gull"}
    got = results(overhang, write, good, *(line for line, _ in BAD), good, code=2)
    assert [short(each) for each in got] == [("admitted", 1), *(error for _, error in BAD), ("admitted", 1)]
    assert all(list(each) == ["error"] for each in got[1:-1])


def test_an_error_never_quotes_what_was_given() -> None:
    for value in (
        {"via": "ssh", "Zq1": 1},
        {"via": "Zq1"},
        {"via": "ssh", "password": {"Zq1": 2}},
        {"via": "ssh", "key": "Zq1"},
    ):
        with pytest.raises(BadAttempt) as caught:
            read_fields(value)
        assert "Zq1" not in str(caught.value)


def test_standard_input_and_wrong_use(overhang: Run, write: Write) -> None:
    write("quay.sheet", SHEET)
    ran = overhang("login", "quay.sheet", "--attempts", "-", "--format", "jsonl", stdin='{"via": "auxiliary"}\n')
    assert (ran.code, short(json.loads(ran.out))) == (0, ("admitted", 1))
    for arguments in (["--attempts", "-"], ["--via", "ssh", "--format", "jsonl"]):
        assert (
            overhang("login", "quay.sheet", *arguments).err
            == "overhang: --attempts FILE and --format jsonl go together\n"
        )
    ran = overhang("login", "quay.sheet", "--attempts", "none", "--format", "jsonl")
    assert ran == (2, "", "overhang: none: cannot be read: No such file or directory\n")
