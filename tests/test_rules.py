"""The rules: their samples, the decision behind them, and the demo network under change."""

import datetime
import random
import re
from pathlib import Path

import pytest

import overhang.rules
from overhang.demo import demo_files
from overhang.login import Setting
from overhang.profiles import BUILTIN, KEYS, derive
from overhang.profiles.builtin import DEFAULT
from overhang.project import Project
from overhang.rules import RULES, Case, Finding, Rule, Severity, audit
from overhang.sheet import Sheet, read_sheet

NOW = datetime.datetime(2026, 6, 1, tzinfo=datetime.UTC)


def findings(sheet: Sheet, **changes: str) -> list[Finding]:
    profiles = dict(BUILTIN)
    profiles[DEFAULT] = derive(DEFAULT, BUILTIN[DEFAULT], {k.replace("_", "-"): v for k, v in changes.items()}, KEYS)
    return audit(Case(Setting(sheet.device, profiles, all_read=sheet.fully_understood), Project(), NOW))


def of(rule: str, text: str, **changes: str) -> list[Finding]:
    sheet = read_sheet(text, "t")
    assert not sheet.unread
    return [finding for finding in findings(sheet, **changes) if finding.rule == rule]


@pytest.mark.parametrize("rule", RULES, ids=[rule.name for rule in RULES])
def test_the_samples_do_what_they_say(rule: Rule) -> None:
    assert len(of(rule.name, rule.fails)) == 1
    assert of(rule.name, rule.passes) == []


@pytest.mark.parametrize("rule", RULES, ids=[rule.name for rule in RULES])
def test_a_rule_has_its_page(rule: Rule) -> None:
    assert re.fullmatch(r"[a-z0-9-]+", rule.name)
    assert min(map(len, (rule.title, rule.why, rule.looks_for, rule.remedy))) > 10
    assert all(re.match(r"(NIST SP 800-\w+|CWE-\d+|RFC \d+)", reference) for reference in rule.references)


def test_files_registry_and_order_agree() -> None:
    folder = Path(overhang.rules.__file__).parent
    files = {path.stem for path in folder.glob("*.py")} - {"__init__", "case", "model", "device_audit"}
    assert files == {rule.check.__module__.rsplit(".", 1)[-1] for rule in RULES}
    names = [rule.name for rule in RULES]
    assert names == sorted(set(names))


# rule, sheet, the change of the profile that makes the finding go or come, and how many there are without and with it
BY_PROFILE = [
    ("port-asks-nothing", "entry auxiliary: closed", {"unsaid_console": "users"}, 1, 0),
    ("port-asks-nothing", "entry auxiliary: closed", {"unsaid_console": "refuse"}, 1, 0),
    ("vty-weaker-than-neighbours", "user a:\n    password readable x\nentry vty 0-3:\n    check users",
     {"unsaid_vty": "nothing"}, 0, 1),
    ("vty-weaker-than-neighbours", "user a:\n    password readable x\nentry vty 0-3:\n    check users\n    accept telnet\n"
     "entry vty 4-15: check nothing", {"unsaid_accept": "ssh"}, 1, 0),
    ("asks-and-none-set", "entry vty 0-3: closed", {"vtys": "4"}, 1, 0),
    ("asks-and-none-set", "entry vty 0-15: check nothing", {"unsaid_console": "password"}, 0, 1),
    ("password-never-asked", "entry console: password readable x", {"unsaid_console": "password"}, 1, 0),
    ("password-never-asked", "entry vty 0-15: password readable x", {"unsaid_vty": "users"}, 0, 1),
    ("no-enable-secret", "device a:", {"elevates": "no"}, 1, 0),
    ("no-enable-secret", "device a:", {"bare_elevation_console": "deny"}, 1, 1),
    ("no-enable-secret", "device a:", {"unsaid_level_console": "15", "unsaid_vty": "nothing"}, 1, 1),
    ("telnet-accepted", "entry vty 0-15: check nothing", {"unsaid_telnet": "off"}, 1, 0),
    ("telnet-accepted", "entry vty 0-15: check nothing", {"unsaid_accept": "ssh"}, 1, 0),
    ("ssh-version-1", "ssh: host-key rsa 2048\nentry vty 0-15: check users", {"unsaid_versions": "2"}, 1, 0),
    ("ssh-host-key", "device a: domain b", {"unsaid_key": "made"}, 1, 0),
    ("ssh-host-key", "device a:", {"unsaid_ssh": "off"}, 1, 0),
    ("idle-too-long", "entry console: check nothing", {"unsaid_idle": "never"}, 0, 1),
    ("idle-too-long", "entry console: check nothing", {"unsaid_idle": "11m"}, 0, 1),
    ("no-address-list", "telnet: from nowhere\nentry vty 0-15: check nothing", {"missing_list": "deny"}, 1, 0),
    ("no-address-list", "device a:", {"unsaid_http": "on"}, 0, 1),
]  # fmt: skip


@pytest.mark.parametrize(("rule", "sheet", "changes", "before", "after"), BY_PROFILE)
def test_rules_about_getting_in_ask_the_decision(
    rule: str, sheet: str, changes: dict[str, str], before: int, after: int
) -> None:
    assert len(of(rule, sheet)) == before
    assert len(of(rule, sheet, **changes)) == after


def test_every_rule_that_asks_the_decision_is_tried_with_a_profile() -> None:
    assert {rule.name for rule in RULES if rule.asks} == {row[0] for row in BY_PROFILE}


MESSAGES = [
    ("port-asks-nothing", "entry auxiliary: closed", "high",
     "the console asks for nothing that a stranger would not know, so whoever reaches the port is at level 15", []),
    ("port-asks-nothing", "entry auxiliary: closed\nelevation 15: password readable x", "medium",
     "the console asks for nothing that a stranger would not know, so whoever reaches the port is at level 1", []),
    ("asks-and-none-set", "entry console: check password\nentry vty 0-15: closed", "low",
     "the console asks for a password and none is set, so every connection there is dropped", [1]),
    ("same-password", "user a: password masked ~yi\nuser b: password readable a\nuser c: password readable b", "medium",
     "the same password is kept in 2 places (account a, account b): who learns one has them all", [1, 2]),
    ("password-not-hashed", "user a: password masked ~yi\nuser b: password hashed $1$a$b", "medium",
     "1 password is stored masked (account a): masking reverses in an instant, so whoever has a copy has it", [1]),
    ("ssh-host-key", "ssh:\n    host-key dsa 1024", "medium",
     "an SSH host key is DSA with 1024 bits, a kind no longer trusted: the device can be impersonated", [2]),
    ("ssh-host-key", "ssh:\n    host-key rsa 512", "high",
     "an SSH host key is RSA with 512 bits, below 2048: the device can be impersonated", [2]),
    ("idle-too-long", "entry console:\n    idle 1h\n    check nothing", "low",
     "a silent login at the console is ended after 1 hour, above 10 minutes: an empty chair is an open door", [2]),
    ("telnet-accepted", "entry vty 0-15:\n    check nothing\n    from l\nsources l:\n    allow 10.64.0.0/24", "medium",
     "Telnet is taken on VTYs 0-15: names and passwords cross the network readable", [5]),
]  # fmt: skip


@pytest.mark.parametrize(("rule", "sheet", "severity", "message", "lines"), MESSAGES)
def test_whole_messages(rule: str, sheet: str, severity: str, message: str, lines: list[int]) -> None:
    (finding,) = of(rule, sheet)
    assert (finding.severity.word, finding.message, [origin.line for origin in finding.lines]) == (
        severity,
        message,
        lines,
    )


# -- the demo network --------------------------------------------------------------------------------------------------

# what stands in each demo sheet, worst first
DEMO = {
    "harbour-core": ["high password-not-hashed", "high telnet-accepted", "medium no-address-list",
                     "medium vty-weaker-than-neighbours"],
    "harbour-desk": ["medium password-not-hashed", "medium same-password", "medium telnet-accepted"],
    "harbour-door": [],
    "harbour-gate": [],
    "heron-bridge": [],
    "heron-deck": [],
    "north-edge": ["high telnet-accepted", "medium no-address-list", "medium ssh-host-key", "medium ssh-version-1"],
    "north-quay": ["high no-enable-secret", "high port-asks-nothing", "medium port-asks-nothing", "medium ssh-host-key",
                   "low asks-and-none-set", "low no-banner"],
    "north-tickets": ["high no-enable-secret"],
    "south-edge": ["medium dead-readable-password", "low idle-too-long"],
    "south-quay": ["medium no-address-list"],
    "south-tickets": [],
}  # fmt: skip
SHEETS = {Path(path).stem: data.decode() for path, data in demo_files().items() if path.endswith(".sheet")}


def said_of(text: str) -> list[str]:
    sheet = read_sheet(text, "t")
    assert not sheet.unread
    return [f"{finding.severity.word} {finding.rule}" for finding in findings(sheet)]


def test_the_demo_is_as_big_as_it_should_be() -> None:
    assert len(SHEETS) >= 10
    assert max(text.count("\n") for text in SHEETS.values()) > 300
    assert {read_sheet(text, "t").device.facts.kind.value for text in SHEETS.values()} == {
        "router",
        "switch",
        "appliance",
    }  # type: ignore[union-attr]


@pytest.mark.parametrize("name", SHEETS)
def test_what_the_demo_says(name: str) -> None:
    assert said_of(SHEETS[name]) == DEMO[name]
    assert not read_sheet(SHEETS[name], "t").diagnostics


def renamed(text: str) -> str:
    for old, new in (("lena", "mara"), ("omar", "tove"), ("harbour", "lock"), ("north", "east"), ("crew", "hands"),
                     ("office", "bureau"), ("quays", "jetties"), ("heron", "tern")):  # fmt: skip
        text = re.sub(rf"(?<![\w~$/.]){old}(?![\w$/])", new, text)
    return text


def shuffled(text: str, seed: int) -> str:
    """The blocks of a sheet in another order."""
    blocks = re.split(r"\n(?=[a-z])", "\n" + re.sub(r"(?m)^#.*\n|^\n", "", text))
    random.Random(seed).shuffle(blocks)
    return "\n".join(block for block in blocks if block) + "\n"


@pytest.mark.parametrize("name", SHEETS)
def test_the_answers_follow_from_the_sheet_and_not_from_its_names_or_order(name: str) -> None:
    text = SHEETS[name]
    assert said_of(renamed(text)) == DEMO[name]
    for seed in range(3):
        assert said_of(shuffled(text, seed)) == DEMO[name]
        assert said_of(shuffled(renamed(text), seed)) == DEMO[name]


@pytest.mark.parametrize(
    ("name", "old", "new", "comes", "goes"),
    [
        ("harbour-gate", "entry console:\n    check users", "entry console:\n    check nothing", "medium port-asks-nothing", ""),
        ("harbour-gate", "accept ssh", "accept ssh telnet", "", ""),  # the service is off
        ("harbour-gate", "telnet:\n    off", "telnet:\n    on", "", ""),  # no VTY accepts it
        ("harbour-gate", "entry auxiliary:\n    closed", "entry auxiliary:\n    check password", "low asks-and-none-set", ""),
        ("harbour-gate", "versions 2", "versions 1 2", "medium ssh-version-1", ""),
        ("harbour-gate", "host-key rsa 3072", "host-key rsa 1024", "medium ssh-host-key", ""),
        ("harbour-gate", "    | Tidewater crew only. Use of this device is recorded.", "    |", "low no-banner", ""),
        ("north-edge", "accept ssh telnet", "accept ssh", "", "high telnet-accepted"),
        ("north-edge", "check users\n    accept", "check nothing\n    accept", "", ""),
        ("south-quay", "http on", "http off", "", "medium no-address-list"),
        ("south-edge", '    password readable "three bells"\n', "", "", "medium dead-readable-password"),
        ("harbour-core", "entry vty 5-15:", "entry vty 5-15:\n    closed", "low password-never-asked",
         "high telnet-accepted, medium no-address-list, medium vty-weaker-than-neighbours"),
        ("north-tickets", "user omar:", "elevation 15:\n    password hashed $1$a$b\nuser omar:", "", "high no-enable-secret"),
    ],
)  # fmt: skip
def test_one_changed_statement_changes_what_it_should(name: str, old: str, new: str, comes: str, goes: str) -> None:
    before = SHEETS[name]
    assert before.count(old) == 1
    gone = goes.split(", ") if goes else []
    assert set(gone) <= set(DEMO[name])
    expected = [each for each in DEMO[name] if each not in gone] + ([comes] if comes else [])
    assert sorted(said_of(before.replace(old, new))) == sorted(expected)


def test_severities_are_in_order() -> None:
    assert [severity.word for severity in sorted(Severity)] == ["info", "low", "medium", "high", "critical"]


def test_too_many_hashes_to_compare_is_said_and_not_hidden() -> None:
    users = [f"user r{n}: password readable p{n}" for n in range(30)]
    users += [f"user h{n}: password hashed $1$a{n}$zQXgVMSWlVChlq5cuDI.L0" for n in range(30)]
    (finding,) = of("same-password", "\n".join(users))
    assert finding.severity is Severity.INFO
    assert (
        finding.message == "400 comparisons of a readable password with a hash were not made: they would take too long"
    )
