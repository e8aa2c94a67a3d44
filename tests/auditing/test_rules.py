"""The rules: their samples and fixes, the scale, the decision behind them, random devices, the demo under change."""

import random
import re
from collections import Counter
from itertools import product
from pathlib import Path

import pytest

from overhang.auditing import Finding, RuleContext, Severity, all_rules, rule_names, run_rules
from overhang.auditing.registry import device_rules
from overhang.auditing.rules.pages import base_sheet, names, page_of
from overhang.auditing.severity import AttackerEffort, of_lock_out, of_paths, outside_of
from overhang.demo import demo_files
from overhang.exposure import AccessPath, levels_of
from overhang.language import read_sheet
from overhang.model import parse_prefix
from overhang.simulation import ResolvedDevice
from tests.support.generator import NOW as MADE_NOW
from tests.support.generator import Made
from tests.support.rules import NOW, SEVERITIES, case_of, of, project_of, run_of, told

OWN = [rule.name for rule in device_rules()]
ACROSS = [rule.name for rule in all_rules() if rule.fleet is not None]
OPENING = [name for name in OWN if "ways in" in page_of(name).severity]


def levels(case: RuleContext) -> dict[str, dict[str, int]]:
    return {name: levels_of(case.exposure, person, case.project) for name, person in case.project.people.items()}


# -- pages and samples -------------------------------------------------------------------------------------------------


def test_every_rule_has_its_page_and_one_function_of_its_name() -> None:
    assert names() == sorted(rule_names())
    for rule in all_rules():
        check = rule.check or rule.fleet
        assert check is not None
        assert check.__name__ == rule.name.replace("-", "_")


def test_rules_run_after_those_that_report_first() -> None:
    order = [rule.name for rule in device_rules()]
    assert sorted(order) == sorted(OWN)
    for rule in device_rules():
        assert all(order.index(before) < order.index(rule.name) for before in rule.after), rule.name


@pytest.mark.parametrize("name", names())
def test_a_rule_has_its_page(name: str) -> None:
    page = page_of(name)
    assert re.fullmatch(r"[a-z0-9-]+", name)
    assert min(map(len, (page.title, page.why, page.looks_for, page.fix))) > 7
    assert len(page.title) <= 74
    assert all(re.match(r"(NIST SP 800-\d\w*|CWE-\d+|RFC \d+)", each) for each in page.references)
    assert page.references
    assert set(page.severity.split(" or ")) <= {"ways in", "lock-out", "possible", *SEVERITIES}


def test_the_base_device_is_clean() -> None:
    assert case_of(base_sheet(), page_of("no-lockout").project_text())[1] == []


@pytest.mark.parametrize("name", OWN)
def test_the_failing_sample_yields_exactly_this_and_its_fix_removes_it(name: str) -> None:
    page = page_of(name)
    case, found = case_of(page.sheet(page.fails), page.project_text())
    assert sorted(each.rule for each in found) == sorted([name, *page.beside])
    (finding,) = (each for each in found if each.rule == name)
    severities = page.severity.split(" or ")
    assert finding.possible == ("possible" in severities)
    assert {"ways in", "lock-out", "possible", finding.severity.word}.intersection(severities)
    before = levels(case)
    assert any(before.values()) or page.nobody_before
    mended = page.sheet(page.fails) + "\n".join(finding.fix) + "\n"
    after_case, after = case_of(mended, page.project_text())
    assert bool(finding.fix) != bool(page.by_hand)
    if page.by_hand:
        return
    assert [each.rule for each in after if each.rule == name or each.severity >= max(finding.severity, 1)] == []
    now = levels(after_case)
    for who, ways in before.items():
        if not page.takes:
            assert max(now[who].values(), default=-1) >= max(ways.values(), default=-1), who
        if only_shuts(finding):
            assert set(ways) <= set(now[who]), who


def only_shuts(finding: Finding) -> bool:
    leaves = [line.strip() for line in finding.fix if not line.endswith(":")]
    return all(line in ("closed", "off", "accept nothing") or line.startswith("drop ") for line in leaves)


@pytest.mark.parametrize("name", OWN)
def test_the_passing_sample_does_not_yield_it(name: str) -> None:
    page = page_of(name)
    assert name not in [each.rule for each in case_of(page.sheet(page.passes), page.project_text())[1]]


# what the passing samples yield by other rules: each is near to a fault, and some have another
PASSING: dict[str, int] = {
    "telnet-accepted": 1, "value-set-twice": 2, "password-not-set": 1, "certificate-expires-soon": 1, "elevation-bypasses-servers": 2, "source-list-denies-all": 1,
    "logins-not-logged": 1, "no-account": 1, "no-banner": 1, "single-server": 3, "password-reversible": 1,
    "port-no-authentication": 1, "source-rule-unreachable": 1, "lockout-denial": 1, "ssh-no-identity": 1, "web-alongside-ssh": 6, "web-from-anywhere": 1,
}  # fmt: skip


def test_what_all_rules_say_of_the_passing_samples() -> None:
    found: Counter[str] = Counter()
    for name in OWN:
        page = page_of(name)
        found.update(each.rule for each in case_of(page.sheet(page.passes), page.project_text())[1])
    assert dict(sorted(found.items())) == PASSING


@pytest.mark.parametrize("name", ACROSS)
def test_samples_of_the_rules_across_devices(name: str) -> None:
    page = page_of(name)
    assert told(*run_of(page, page.fails, page.project_text())) == [name]
    passing = page.project_passes and page.project_text().replace(page.project, page.project_passes)
    assert name not in told(*run_of(page, page.passes, passing or page.project_text()))


def test_the_fix_across_devices_removes_each_of_them() -> None:
    page = page_of("password-on-many-devices")
    _, (finding,) = run_of(page, page.fails, page.project_text())
    parts = re.split(r"(?m)^# (t\d)$", "\n".join(finding.fix))[1:]
    fixes: dict[str, str] = {}
    for file, lines in zip(parts[::2], parts[1::2], strict=True):
        fixes[file] = fixes.get(file, "") + lines + "\n"
    assert sorted(fixes) == ["t1", "t2", "t3"]
    assert fixes["t1"].count("password withheld") == 3


# -- the scale ---------------------------------------------------------------------------------------------------------

NOTHING, EXPOSED, NEEDED = AttackerEffort.NOTHING, AttackerEffort.SECRET_EXPOSED, AttackerEffort.SECRET_NEEDED
#: What is needed, from where (None: at a port), the level, and how bad that is: without management networks in the
#: project, with 10.0.0.0/8 and 2001:db8::/32, and at a port that is locked away.
SCALE = [
    (NOTHING, "any", 15, "critical critical"), (NOTHING, "10.0.0.0/8", 15, "critical high"),
    (NOTHING, "10.64.1.0/24", 15, "high high"), (NOTHING, "192.0.2.0/24", 15, "high critical"),
    (NOTHING, "192.0.2.0/23", 15, "critical critical"), (NOTHING, "2001:db8:64:1::/64", 15, "high high"),
    (NOTHING, "2001:db8::/63", 15, "critical high"), (NOTHING, "198.51.100.7", 15, "high critical"),
    (NOTHING, "0.0.0.0/1", 15, "critical critical"), (NOTHING, "any", 14, "high high"),
    (NOTHING, "10.64.1.0/24", 1, "medium medium"), (NOTHING, "192.0.2.0/24", 1, "medium high"),
    (EXPOSED, "any", 15, "high high"), (EXPOSED, "10.0.0.0/8", 15, "high medium"), (EXPOSED, "192.0.2.0/24", 15, "medium high"),
    (EXPOSED, "any", 1, "medium medium"), (EXPOSED, "10.64.1.0/24", 1, "low low"),
    (NEEDED, "any", 15, "medium medium"), (NEEDED, "10.0.0.0/8", 15, "medium low"), (NEEDED, "10.64.1.0/24", 15, "low low"),
    (NEEDED, "any", 1, "low low"),
    (NOTHING, None, 15, "high high medium"), (NOTHING, None, 1, "medium medium low"), (EXPOSED, None, 15, "medium medium low"),
    (EXPOSED, None, 1, "low low low"), (NEEDED, None, 15, "low low low"), (NEEDED, None, 1, "low low low"),
]  # fmt: skip
NETWORKS = [parse_prefix("10.0.0.0/8"), parse_prefix("2001:db8::/32")]


@pytest.mark.parametrize(("effort", "source", "level", "words"), SCALE)
def test_the_scale(effort: AttackerEffort, source: str | None, level: int, words: str) -> None:
    case, _ = case_of(f"sources l: allow {source or 'any'}\nentry console: check nothing")
    classes = case.exposure.address_classes
    chosen = None if source is None else classes.allowed(case.resolved.lists["l"])
    path = AccessPath("console" if source is None else "ssh", chosen, None, frozenset(), level, level, 1, True)
    free, managed = outside_of([], classes), outside_of(NETWORKS, classes)
    found = [of_paths([path], effort, free).word, of_paths([path], effort, managed).word]
    if source is None:
        found.append(of_paths([path], effort, free, locked_away=True).word)
    assert " ".join(found) == words
    assert of_paths([], effort, free) is Severity.LOW


#: Sheets, and the worst that is found by each rule named.
SIGNED = [
    ("entry console: check nothing\nentry auxiliary: closed\nentry vty 0-11: closed", "high port-no-authentication"),
    ("entry vty 0-11:\n    check nothing\n    level 15\n    accept telnet\n    from l\nsources l: allow 10.64.0.0/16\nentry console: closed",
     "critical vty-no-authentication"),
    ("entry vty 0-11:\n    check nothing\n    level 15\n    accept telnet\n    from l\nsources l: allow 10.64.1.0/24\nentry console: closed",
     "high vty-no-authentication"),
    ("web:\n    http on\n    check nothing\nuser lena:\n    password withheld\n    level 15\nentry console: closed\nentry vty 0-11: closed",
     "high web-no-authentication"),
    ("web:\n    http on\n    check users\nuser lena:\n    password withheld\n    level 15\nentry console: closed\nentry vty 0-11: closed",
     "high http-enabled"),
    *(
        (f"entry console:\n    check password\n    password {form}\nentry vty 0-11:\n    check password\n    password {form}\n"
         f"    accept telnet\n    from l\nsources l: allow 10.64.1.0/24\nelevation 15: password {form}", f"high {rule}")
        for form, rule in (("readable gull", "password-clear-text"), ("masked ~yi", "password-reversible"),
                           ("readable gull", "enable-secret-reused"))
    ),
]  # fmt: skip


@pytest.mark.parametrize(("sheet", "worst"), SIGNED)
def test_severities_that_a_practitioner_would_sign(sheet: str, worst: str) -> None:
    case, found = case_of(sheet)
    severity, rule = worst.split()
    raw = {each.rule: each.severity.word for each in run_rules(case)}
    assert raw.get(rule) == severity, raw
    assert max(each.severity for each in found).word == severity


def test_a_page_that_asks_nothing_is_never_less_bad_than_one_that_asks() -> None:
    for list_of, level in product(("", "    from l\n"), (1, 15)):
        rest = f"{list_of}sources l: allow 10.64.1.0/24\nuser lena:\n    password withheld\n    level {level}\n"
        rest += "entry console: closed\nentry auxiliary: closed\nentry vty 0-11: closed\n"
        worst = [
            max(each.severity for each in case_of(f"web:\n    http on\n    check {check}\n{rest}")[1])
            for check in ("users", "nothing")
        ]
        assert worst[1] >= worst[0]


def test_the_scale_of_lock_outs() -> None:
    words = [of_lock_out(everybody=e, always=a).word for e in (False, True) for a in (False, True)]
    assert words == ["low", "low", "medium", "high"]


def widened(text: str) -> str:
    """A sheet without its lists of sources."""
    return re.sub(r" from office\b", "", re.sub(r"(?m)^\s+from \S+.*\n", "", text))


def severity_of(name: str, text: str) -> int:
    found = case_of(text, page_of(name).project_text())[1]
    return max((each.severity for each in found if each.rule == name), default=-1)


@pytest.mark.parametrize("name", OPENING)
def test_a_tight_list_lowers_what_anybody_from_anywhere_can_do(name: str) -> None:
    page = page_of(name)
    wide = widened(page.sheet(page.fails))
    narrow = severity_of(name, wide + "management: from office\n")
    assert narrow < Severity.CRITICAL
    assert narrow <= severity_of(name, wide) or name == "beyond-management-networks"


# what makes anybody from anywhere reach level 15 by the fault of each rule that needs no knowledge
TO_THE_TOP = {
    "vty-no-authentication": "",
    "elevation-without-account": "entry vty 0-11:\n    check nothing\n    level 1",
    "no-enable-secret": "device pier-gate: profile list-wide\nentry vty 0-11:\n    check nothing\n    accept telnet\ntelnet: on",
    "elevation-no-authentication": "user omar: password none\nssh: empty-passwords yes",
    "factory-account": "",
    "factory-password": "user omar: level 15",
    "empty-password": "user omar: level 15\nssh: empty-passwords yes",
    "guessable-password": "user omar: level 15",
    "method-list-allows-anyone": "device pier-gate: profile two-tier\nentry vty 0-11: check methods open",
    "web-no-authentication": "device pier-gate: profile two-tier",
    "door-no-authentication": "door copy: level 15",
    "snmp-guessable": "snmp: community hashed $5$deck$9hmbrUait/6AVgko/Xz4WJAC7659kFbohsUJ2nK88m1 write",
    "password-ignored": "device pier-gate: profile two-tier\nentry vty 0-11:\n    check nothing\n    password withheld\n    level 15",
    "vty-not-configured": "device pier-gate: profile list-wide\ndrop elevation 15\ndrop entry vty 2-15\ntelnet: on",
    "vty-weaker-than-others": "device pier-gate: profile two-tier\nentry vty 8-11: check nothing\nuser lena: level 15",
    "password-not-set": "device pier-gate: profile two-tier\nentry vty 0-11: check password",
}


@pytest.mark.parametrize("name", TO_THE_TOP)
def test_anybody_from_anywhere_at_the_top_is_critical_wherever_it_comes_from(name: str) -> None:
    page = page_of(name)
    wide = widened(page.sheet(page.fails) + TO_THE_TOP[name] + "\n")
    assert severity_of(name, wide) is Severity.CRITICAL
    assert severity_of(name, wide + "management: from office\n") < Severity.CRITICAL


# -- the decision behind the rules -------------------------------------------------------------------------------------

# rule, sheet, the change of the profile that makes the finding go or come, and how many there are without and with it
BY_PROFILE = [
    ("port-no-authentication", "user a: level 1\nentry auxiliary: closed", {"unsaid_console": "users"}, 1, 0),
    ("port-no-authentication", "user a: level 1\nentry auxiliary: closed", {"unsaid_console": "refuse"}, 1, 0),
    ("vty-weaker-than-others", "user a:\n    password readable x\nentry vty 0-3:\n    check users\n    accept telnet\n"
     "entry vty 4-15: check nothing", {"unsaid_accept": "ssh"}, 1, 0),
    ("vty-not-configured", "user a: password readable x\nentry vty 0-3: check users", {"vtys": "4"}, 1, 0),
    ("password-not-set", "entry auxiliary: check nothing\nentry console: check password", {"no_password_set": "admit"}, 2, 2),
    ("password-not-set", "entry vty 0-11: check nothing", {"unsaid_console": "password"}, 0, 1),
    ("password-ignored", "entry console: password readable x", {"unsaid_console": "password"}, 1, 0),
    ("password-ignored", "user a: password readable y\nentry vty 0-11: password readable x", {"unsaid_vty": "users"}, 0, 1),
    ("no-enable-secret", "entry console: check nothing", {"elevates": "no"}, 1, 0),
    ("no-enable-secret", "entry console: check nothing", {"bare_elevation_console": "deny"}, 1, 0),
    ("no-enable-secret", "entry auxiliary: closed", {"unsaid_level_console": "15"}, 1, 0),
    ("level-15-unreachable", "user a: password readable x\nentry console: check users\nentry auxiliary: closed",
     {"bare_elevation_console": "deny"}, 0, 1),
    ("telnet-accepted", "entry vty 0-11: check nothing", {"unsaid_telnet": "off"}, 1, 0),
    ("telnet-accepted", "entry vty 0-11: check nothing", {"unsaid_accept": "ssh"}, 1, 0),
    ("ssh-version-1", "ssh: host-key rsa 2048\nuser a: password readable x\nentry vty 0-11: check users", {"unsaid_versions": "2"}, 1, 0),
    ("ssh-no-key", "device a: domain b\nentry vty 0-11: check users", {"unsaid_key": "made"}, 1, 0),
    ("ssh-no-identity", "device a:\nentry vty 0-11: check users", {"wants_identity": "no"}, 1, 0),
    ("ssh-no-identity", "device a:\nentry vty 0-11: check users", {"unsaid_ssh": "off"}, 1, 0),
    ("idle-timeout", "entry console: check nothing", {"unsaid_idle": "never"}, 0, 1),
    ("idle-timeout", "entry console: check nothing", {"unsaid_idle": "11m"}, 0, 1),
    ("source-list-missing", "telnet: from nowhere\nentry vty 0-11: check nothing", {"missing_list": "deny"}, 1, 1),
    ("vty-from-anywhere", "telnet: from nowhere\nentry vty 0-11: check nothing", {"missing_list": "allow"}, 0, 0),
    ("web-from-anywhere", "elevation 15: password readable x", {"unsaid_http": "on"}, 0, 1),
    ("web-shared-secret", "web: http on\nelevation 15: password readable x", {"unsaid_web": "users"}, 1, 0),
    ("method-list-missing", "entry console: check methods a", {"missing_methods": "users"}, 1, 1),
    ("no-lockout", "user a: password readable x\nentry console: check users", {"unsaid_lock": "1m after 3"}, 1, 0),
]  # fmt: skip


@pytest.mark.parametrize(("rule", "sheet", "changes", "before", "after"), BY_PROFILE)
def test_rules_about_getting_in_ask_the_decision(
    rule: str, sheet: str, changes: dict[str, str], before: int, after: int
) -> None:
    assert len(of(rule, sheet)) == before
    assert len(of(rule, sheet, **changes)) == after


MESSAGES = [
    ("port-no-authentication", "user a: level 1\nentry auxiliary: closed", "high",
     "the console asks for no password: anyone at the port gets level 15", []),
    ("password-not-set", "entry console: check password\nentry vty 0-11: closed\nentry auxiliary: closed\nweb:\n    http on\n    check nothing", "low",
     "the console asks for a password but none is set: every connection is dropped", [1]),
    ("same-password", "user a: password masked ~yi\nuser b: password readable a\nuser c: password readable b", "low",
     "the same password is used in 2 places (account a and account b): one leak opens all of them", [1, 2]),
    ("ssh-weak-key", "ssh:\n    host-key dsa 1024", "low", "an SSH host key is DSA with 1024 bits, a kind no longer trusted: "
     "whoever breaks it can impersonate the device and read what is typed", [2]),
    ("account-unused", "entry console:\n    check password\n    password readable x\nuser a: password readable y\nuser b: password readable z", "low",
     "2 accounts (a and b) cannot log in anywhere: left in place, they expose their passwords and may become usable with the "
     "next change", [4, 5]),
    ("account-unused", "entry console:\n    check password\n    password readable x\nssh: off\nuser a: public-key ssh-ed25519 AAAA", "low",
     "account a cannot log in anywhere: left in place, it may become usable with the next change", [5]),
    ("vty-weaker-than-others", "telnet: on\nuser a: password readable x\nentry vty 0-3:\n    check users\n    accept telnet\n"
     "entry vty 4:\n    check nothing\n    accept telnet", "high",
     "VTY 4 is weaker than VTY 0-3: it asks for no password; anyone who opens enough connections at once reaches it", [1, 7, 8]),
    ("idle-timeout", "entry console:\n    idle 1h\n    check nothing", "low",
     "sessions on the console time out after 1 hour, above 10 minutes: an unattended session stays usable", [2]),
    ("method-list-missing", "methods crew for login: users\nuser a: password readable x\nentry console: check methods Crew", "low",
     "method list Crew for login does not exist: nobody passes; did you mean crew?", [3]),
    ("server-group-missing", "servers radius ashore: server 192.0.2.1\nmethods for web: servers Ashore", "low",
     "the default method list for web asks group Ashore, which is not defined: it never answers; did you mean ashore?", [2]),
    ("all-accounts-level-15", "user a:\n    password readable x\n    level 15\nuser b:\n    password readable y\n    level 15\n"
     "entry console: check users", "low",
     "every account (a and b) has level 15: any one of the passwords is enough to change everything", [3, 6]),
    ("source-rule-unreachable", "sources l:\n    allow 10.64.0.0/16\n    allow 10.64.1.0/24\n    deny any\n    allow 2001:db8::/32", "low",
     "2 lines of source list l are never reached: earlier lines match all of it", [3, 5]),
    ("banner-discloses", "entry console: check nothing\ndevice a1b2:\nbanner before-login:\n    | a1b2, model 7", "low",
     "the pre-login banner discloses the device name and a model, version or location to anyone who connects", [4]),
]  # fmt: skip


@pytest.mark.parametrize(("rule", "sheet", "severity", "message", "lines"), MESSAGES)
def test_whole_messages(rule: str, sheet: str, severity: str, message: str, lines: list[int]) -> None:
    (finding,) = of(rule, sheet)
    assert (finding.severity.word, finding.message, [origin.line for origin in finding.lines]) == (
        severity,
        message,
        lines,
    )


def test_too_many_hashes_to_compare_is_said_and_not_hidden() -> None:
    users = [f"user r{n}: password readable p{n}x" for n in range(40)]
    users += [f"user h{n}: password hashed $1$a{n}$zQXgVMSWlVChlq5cuDI.L0" for n in range(40)]
    case, found = case_of("\n".join(users))
    assert "same-password" not in [each.rule for each in found]
    assert (
        "600 comparisons of a password with a hash",
        "trying costs more than there is for one device; --guess gives more to that",
    ) in case.not_examined


# what an unread statement may have said is not held against the device: a sheet, and the rule that fires without it
IN_DOUBT = [
    ("single-server", "servers radius a:\n    server 192.0.2.1\n    sever 192.0.2.2\nmethods for login: servers a\nuser b: level 1"),
    ("server-group-missing", "servers radius a:\n    sever 192.0.2.2\nmethods for login: servers a\nuser b: password readable x\nentry console: check users"),
    ("no-local-fallback", "servers radius a: server 192.0.2.1\nmethods for login:\n    servers a\n    user\nuser b: password readable x\nentry console: check users"),
    ("no-banner", "entry console: check nothing\nbanner before-login:\n    Private."),
    ("password-length", "user a: level 1\npasswords:\n    lenght 20"),
    ("no-lockout", "user a:\n    password readable x\nentry console: check users\npasswords:\n    lock 5m after five"),
    ("logins-not-logged", "entry console: check nothing\nmanagement:\n    record login yes"),
    ("account-unused", "entry console: check nothing\nuser a:\n    password readable x\n    vi ssh"),
    ("port-no-authentication", "entry auxiliary: closed\nentry console:\n    chek users"),
]  # fmt: skip


@pytest.mark.parametrize(("rule", "text"), IN_DOUBT)
def test_what_was_not_understood_is_not_held_against_the_device(rule: str, text: str) -> None:
    def rules(sheet_text: str) -> list[str]:
        sheet = read_sheet(sheet_text, "t")
        case = RuleContext(ResolvedDevice(sheet.device, all_read=sheet.fully_understood), project_of(""), NOW)
        return [each.rule for each in run_rules(case)]

    unread = {*read_sheet(text, "t").unread}
    assert unread
    assert rule not in rules(text)
    assert rule in rules("\n".join(line for at, line in enumerate(text.split("\n"), 1) if at not in unread))


def test_a_password_is_asked_for_whenever_guests_get_in() -> None:
    text = "entry auxiliary:\n    check password\n    password factory\npolicy bay:\n    for-hours 22:00-06:00\n    guest 0"
    found = run_rules(RuleContext(ResolvedDevice(read_sheet(text, "t").device), project_of(""), NOW))
    assert [each.rule for each in found if each.rule in ("password-ignored", "factory-password")] == [
        "factory-password"
    ]


def test_whoever_is_locked_away_matters_less() -> None:
    text = base_sheet() + "\nentry console: check nothing\n"
    assert [each.severity.word for each in case_of(text)[1]] == ["medium"]
    assert [each.severity.word for each in case_of(text, 'locked-away = ["long p*"]')[1]] == ["low"]


# -- random devices ----------------------------------------------------------------------------------------------------


@pytest.mark.slow
def test_what_is_found_on_random_devices_is_proved_and_can_be_fixed() -> None:
    for seed in range(110):
        made = Made(seed)
        context = RuleContext(made.resolved, project_of(""), MADE_NOW)
        count = made.text.count("\n")
        found = run_rules(context)
        told = {path.via for each in found if each.severity > Severity.INFO for path in each.opens if not path.needs}
        assert {p.via for point in context.access_points for p in point.paths if not p.needs} <= told, seed
        for finding in found:
            assert finding.lines or finding.unsaid, (seed, finding.rule)
            assert all(1 <= each.line <= count for each in finding.lines), (seed, finding.rule)
            assert set(finding.opens) <= {
                *context.paths,
                *(p for point in context.access_points for p in point.paths),
            }, (seed, finding.rule)
            fix = "\n".join(finding.fix)
            assert read_sheet(made.text + fix + "\n", "t").unread == (), (seed, finding.rule, fix)
            assert "{" not in finding.message


# -- the demo network --------------------------------------------------------------------------------------------------

# what is found in each demo sheet
DEMO: dict[str, list[str]] = {
    "harbour-core": ["high vty-weaker-than-others", "medium no-lockout", "medium password-clear-text",
        "low password-length", "info logins-not-logged", "info ssh-no-limits"],
    "harbour-desk": ["high enable-not-hashed", "high enable-secret-reused", "high password-reversible",
        "medium port-shared-password", "medium telnet-accepted", "medium vty-shared-password", "medium no-encrypted-login",
        "low account-unused", "low no-lockout", "low password-length", "info logins-not-logged"],
    "harbour-door": ["info logins-not-logged"],
    "harbour-gate": [],
    "heron-bridge": ["low elevation-bypasses-servers", "low no-lockout", "low password-length",
        "info logins-not-logged", "info ssh-no-limits"],
    "heron-deck": ["low no-lockout", "low password-length", "info logins-not-logged", "info ssh-no-limits"],
    "north-edge": ["high telnet-accepted", "medium management-exposed", "medium vty-from-anywhere",
        "medium no-lockout", "medium ssh-version-1", "medium ssh-weak-key", "low password-length",
        "info logins-not-logged", "info ssh-no-limits"],
    "north-quay": ["high never-configured"],
    "north-tickets": ["medium no-enable-secret", "low no-lockout", "low password-length",
        "info logins-not-logged", "info ssh-no-limits"],
    "south-edge": ["medium beyond-management-networks", "low unused-enable-password", "low idle-timeout", "medium no-lockout",
        "low password-length", "info logins-not-logged", "info ssh-no-limits"],
    "south-quay": ["high http-enabled", "medium all-accounts-level-15", "medium management-exposed", "medium no-lockout",
        "medium web-from-anywhere", "low password-length", "info logins-not-logged", "info ssh-no-limits"],
    "south-tickets": ["high locked-out"],
}  # fmt: skip
SHEETS = {Path(path).stem: data.decode() for path, data in demo_files().items() if path.endswith(".sheet")}
PROJECT = demo_files()["overhang.toml"].decode()


def said_of(text: str) -> list[str]:
    found = case_of(text, PROJECT)[1]
    assert [each.severity for each in found] == sorted((each.severity for each in found), reverse=True)
    return sorted(f"{finding.severity.word} {finding.rule}" for finding in found)


def test_the_demo_is_as_big_as_it_should_be() -> None:
    assert len(SHEETS) >= 10
    assert max(text.count("\n") for text in SHEETS.values()) > 300
    kinds = {fact.value for text in SHEETS.values() if (fact := read_sheet(text, "t").device.facts.kind) is not None}
    assert kinds == {"router", "switch", "appliance"}


@pytest.mark.parametrize("name", SHEETS)
def test_what_the_demo_says(name: str) -> None:
    assert said_of(SHEETS[name]) == sorted(DEMO[name])
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
    assert said_of(renamed(text)) == sorted(DEMO[name])
    assert said_of(shuffled(text, 1)) == sorted(DEMO[name])
    assert said_of(shuffled(renamed(text), 2)) == sorted(DEMO[name])


@pytest.mark.parametrize(
    ("name", "old", "new", "comes", "goes"),
    [
        ("harbour-gate", "entry console:\n    check users", "entry console:\n    check nothing", "medium port-no-authentication", ""),
        ("harbour-gate", "accept ssh", "accept ssh telnet", "", ""),  # the service is off
        ("harbour-gate", "telnet:\n    off", "telnet:\n    on", "", ""),  # no VTY accepts it
        ("harbour-gate", "entry auxiliary:\n    closed", "entry auxiliary:\n    check password", "low password-not-set", ""),
        ("harbour-gate", "host-key rsa 3072", "host-key rsa 1024", "low ssh-weak-key", ""),
        ("harbour-gate", "    | Tidewater crew only. Use of this device is recorded.", "    |", "low no-banner", ""),
        ("harbour-gate", "recovery closed", "recovery open", "high recovery-open", ""),
        ("north-edge", "accept ssh telnet", "accept ssh", "", "high telnet-accepted"),
        ("south-quay", "http on", "http off", "low all-accounts-level-15, low management-exposed, low no-lockout",
         "high http-enabled, medium all-accounts-level-15, medium management-exposed, medium no-lockout, medium web-from-anywhere"),
        ("south-edge", '    password readable "three bells"\n', "", "", "low unused-enable-password"),
        ("north-tickets", "user omar:", "elevation 15:\n    password withheld\nuser omar:", "", "medium no-enable-secret"),
    ],
)  # fmt: skip
def test_one_changed_statement_changes_what_it_should(name: str, old: str, new: str, comes: str, goes: str) -> None:
    before = SHEETS[name]
    assert before.count(old) == 1
    gone = goes.split(", ") if goes else []
    assert set(gone) <= set(DEMO[name])
    expected = [each for each in DEMO[name] if each not in gone] + (comes.split(", ") if comes else [])
    assert sorted(said_of(before.replace(old, new))) == sorted(expected)


def test_severities_are_in_order() -> None:
    assert tuple(severity.word for severity in sorted(Severity)) == SEVERITIES
