"""The tables of cases about who gets in: every row ends as it says."""

import re
import shlex
from pathlib import Path

import pytest

from overhang.language import SCHEMA, read_sheet
from overhang.profiles import BUILTIN, KEYS
from overhang.profiles.builtin import DEFAULT
from overhang.simulation import FromProfile, LockoutState, Reason, ResolvedDevice, decide
from tests.cases import authentication, authorization, credentials, doubt, policies, profiles, reachability
from tests.support.semantics import Case, parse_attempt, parse_cases, resolve, run_case

TABLES = (reachability, authentication, credentials, policies, authorization, profiles)
DOUBTFUL = list(parse_cases(doubt.CASES))
ALL = [case for table in TABLES for case in parse_cases(table.CASES)]


@pytest.mark.parametrize("case", [*ALL, *DOUBTFUL], ids=[case.title for case in [*ALL, *DOUBTFUL]])
def test_case(case: Case) -> None:
    if case not in DOUBTFUL:
        assert resolve(case).understood, "the sheet of the case has a mistake"
    got = "\n".join(f"> {row.attempt}\n< {ends}" for row, ends in run_case(case))
    assert got == "\n".join(f"> {row.attempt}\n< {row.ends}" for row in case.rows)


def values_tried() -> dict[str, set[str]]:
    """For each key of a profile the values that the cases change, and those that a case's trace names."""
    seen: dict[str, set[str]] = {key: {KEYS[key].show(BUILTIN[DEFAULT].values[key])} for key in KEYS}
    for case in [*ALL, *DOUBTFUL]:
        resolved = resolve(case)
        for row in case.rows:
            for step in decide(resolved, parse_attempt(row.attempt)[0]).result.trace:
                if isinstance(step.origin, FromProfile):
                    key = step.origin.key
                    seen[key].add(KEYS[key].show(resolved.facts[key].value))
        for change in shlex.split(case.changes)[1:]:
            key, _, text = change.partition("=")
            seen[key].add("unknown" if text == "unknown" else KEYS[key].show(KEYS[key].read(text)))
    return seen


VALUES_TRIED = values_tried()


@pytest.mark.parametrize("key", [key for key in KEYS if key != "unsaid-idle"])
def test_every_value_of_every_key_has_a_case(key: str) -> None:
    built_in = {KEYS[key].show(profile.values[key]) for profile in BUILTIN.values()}
    choices = {KEYS[key].show(option) for option in KEYS[key].options if isinstance(option, str | bool)}
    assert (built_in | choices) - VALUES_TRIED[key] == set()


def test_every_sentence_is_written_alike() -> None:
    sentences = {reason.name: reason.value for reason in Reason if reason is not Reason.EITHER}
    assert len(sentences) == len(set(sentences.values())) > 90
    for name, text in sentences.items():
        filled = text.format("SSH", "x", "y")
        assert filled[0].islower() or filled.startswith(("SSH", "VTY")), name
        assert not filled.endswith((".", " ", ",")), name
        assert "  " not in filled, name
        assert name.startswith(("UNSURE", "TOO_MANY")) == filled.startswith("can't tell"), name


SETTLED = [
    # a sheet, an attempt in doubt, and the attempt or sheet with the one fact told: how it ends then
    ("telnet: from l\nsources l:\n    allow 10.64.0.0/16\nentry vty 0-11: check nothing", "via telnet", "via telnet from 10.64.0.1", "admitted"),
    ("telnet: from l\nsources l:\n    allow 10.64.0.0/16\nentry vty 0-11: check nothing", "via telnet", "via telnet from 192.0.2.1", "refused"),
    ("address 192.0.2.1:\nentry vty 0-11: check nothing", "via telnet", "via telnet from 2001:db8::1", "refused"),
    ("servers radius g:\n    server 192.0.2.50\nmethods for login:\n    servers g", "via console name lena pw x",
     "via console name lena pw x held g/lena/x", "admitted"),
    ("servers radius g:\n    server 192.0.2.50\nmethods for login:\n    servers g", "via console name lena pw x",
     "via console name lena pw x held g/lena/y", "denied"),
    ("entry console:\n    check password\n    password opaque 9", "via console pw x", "via console knows entry:console", "admitted"),
    ("entry console:\n    check users\nuser lena:\n    password readable x\n    from l\nsources l:\n    allow 10.64.0.0/16",
     "via console name lena pw x", "via console name lena pw x from 10.64.0.1", "admitted"),
]  # fmt: skip


@pytest.mark.parametrize(("sheet", "doubtful", "told", "ends"), SETTLED)
def test_the_one_fact_settles_it(sheet: str, doubtful: str, told: str, ends: str) -> None:
    case = Case("", "", sheet + "\n", ())
    resolved = resolve(case)
    before = decide(resolved, parse_attempt(doubtful)[0]).result
    assert before.outcome == "unknown"
    assert before.reason.startswith("can't tell")
    assert decide(resolved, parse_attempt(told)[0]).result.outcome == ends


UNSURE_SHEETS = [
    ("ssh:\n    host-key unknown\nentry vty 0-11: check users\nuser a:\n    password readable x", "via ssh from 192.0.2.1 name a pw x",
     "host-key unknown", "host-key ed25519", "admitted"),
    ("address unknown:\nentry vty 0-11: check nothing", "via telnet from 192.0.2.1", "address unknown", "address 192.0.2.9", "admitted"),
    ("entry console:\n    check nothing\n    idel 5m", "via console", "idel", "idle", "admitted"),
    ("device a:\n    profile tide", "via console", "profile tide", "profile list-wide", "admitted"),
]  # fmt: skip


@pytest.mark.parametrize(("sheet", "attempt", "old", "new", "ends"), UNSURE_SHEETS)
def test_the_one_statement_settles_it(sheet: str, attempt: str, old: str, new: str, ends: str) -> None:
    doubtful = resolve(Case("", "", sheet + "\n", ()))
    assert decide(doubtful, parse_attempt(attempt)[0]).result.outcome == "unknown"
    told = resolve(Case("", "", sheet.replace(old, new) + "\n", ()))
    assert decide(told, parse_attempt(attempt)[0]).result.outcome == ends


def test_many_answers_in_doubt_stay_in_doubt() -> None:
    users = "".join(f"user u{number}:\n    password opaque {number}\n" for number in range(9))
    resolved = resolve(
        Case("", "", "passwords:\n    lock forever after 1\nentry console:\n    check users\n" + users, ())
    )
    lockout_states = [LockoutState()]
    for number in range(9):
        lockout_states = decide(
            resolved, parse_attempt(f"via console name u{number} pw x")[0], lockout_states
        ).lockout_states
    assert len(lockout_states) <= 64
    result = decide(resolved, parse_attempt("via console name u3 knows user:u3")[0], lockout_states).result
    assert (result.outcome, result.reason) == (
        "unknown",
        "can't tell whether account u3 is locked: an earlier answer is in doubt",
    )


@pytest.mark.parametrize(
    ("attempt", "asked"),
    [
        ("via console pw boat", ["password"]),  # a password alone selects an account without a name
        ("via console name omar pw boat", ["name", "password"]),
        ("via console name lena pw gull", ["name", "password"]),
    ],
)
def test_a_name_is_asked_for_where_one_is_given_or_needed(attempt: str, asked: list[str]) -> None:
    sheet = "entry console: check users\nuser crew:\n    any-name\n    password readable boat\n"
    device = read_sheet(sheet + "user lena: password readable gull\n", "t").device
    result = decide(ResolvedDevice(device), parse_attempt(attempt)[0]).result
    assert result.outcome == "admitted"
    assert [step.asked for step in result.trace if step.asked] == asked


#: Statements on which no login hangs: rules look at them, or people do.
DECIDES_NOTHING = set(
    "kind domain site profile changed saved recovery idle timeout server port sessions rate finish-within http-port https-port "
    "certificate certificate-key certificate-valid tls mask length classes remember youngest oldest warn record interface faces "
    "http https incomplete vlan role".split()
)


def test_the_reference_names_every_statement_and_every_key() -> None:
    docs = Path(__file__).parents[2] / "docs"
    page, profiles = (docs / "semantics.md").read_text(), (docs / "profiles.md").read_text()
    words = set(re.findall(r"[a-z][a-z-]+", " ".join(re.findall(r"`([^`]+)`", page))))
    statements = {
        keyword for rows in SCHEMA.table.values() for row in rows for keyword in row.keywords if not row.spec.opens
    }
    assert statements - words - DECIDES_NOTHING == set()
    assert set(re.findall(r"(?m)^\| `([a-z-]+)` \|", profiles)) == set(KEYS)
    assert set(KEYS) - words - {"unsaid-idle"} == set()
