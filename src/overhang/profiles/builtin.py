"""The built-in profiles. Makers differ in just this table, so it is kept as one, to be read across."""

from overhang.model.durations import parse_duration
from overhang.model.vocabulary import VTY_WAYS, WAYS
from overhang.profiles.model import (
    Factory,
    Key,
    LockRule,
    Profile,
    choice,
    factory,
    lock,
    number,
    read_value,
    ways,
)

_CHECKS = ("nothing", "password", "users", "refuse")
_WEB_CHECKS = ("users", "elevation-password", "nothing")
_ANSWERS = ("all", "nothing")


def _choice(about: str, *words: str) -> Key:
    read = choice(*words)
    return Key(read, tuple(read(word) for word in words), about)


def _level(about: str, *, dash: bool = False) -> Key:
    return Key(number(0, 15, dash=dash), ((None,) if dash else ()) + tuple(range(16)), about)


KEYS: dict[str, Key] = {
    "unsaid-console": _choice("how the console authenticates", *_CHECKS),
    "unsaid-auxiliary": _choice("how the auxiliary port authenticates", *_CHECKS),
    "unsaid-vty": _choice("how a VTY authenticates", *_CHECKS),
    "no-password-set": _choice("where a password is required and none is set", "refuse", "admit"),
    "unsaid-accept": Key(ways(of=VTY_WAYS), ((), ("ssh",), ("telnet",), VTY_WAYS), "the ways that a VTY accepts"),
    "vtys": Key(number(0, 256), (0, 1, 256), "how many VTYs there are"),
    "vty-pick": _choice("which free VTY a connection gets", "accepting", "first-free"),
    "unsaid-ssh": _choice("whether SSH is on", "on", "off"),
    "unsaid-telnet": _choice("whether Telnet is on", "on", "off"),
    "unsaid-http": _choice("whether HTTP is on", "on", "off"),
    "unsaid-https": _choice("whether HTTPS is on", "on", "off"),
    "unsaid-web": _choice("how web management authenticates", *_WEB_CHECKS),
    "unsaid-key": _choice("whether there is an SSH host key", "none", "made"),
    "smallest-host-key": Key(number(0, 65536), (0, 65536), "the smallest RSA or DSA host key that is served"),
    "wants-identity": _choice("whether a host key needs a device name and a domain", "yes", "no"),
    "unsaid-versions": Key(
        lambda text: tuple(int(word) for word in choice("1", "2", "1 2")(text).split()),
        ((1,), (2,), (1, 2)),
        "the SSH versions spoken",
    ),
    "ssh-needs-users": _choice("whether SSH always needs an account", "yes", "no"),
    "missing-methods": _choice("a method list that does not exist", "deny", "general", "users", "admit"),
    "missing-list": _choice("a source list that does not exist", "allow", "deny"),
    "missing-group": _choice("a server group that does not exist", "next", "reject"),
    "missing-role": _choice("an account whose role does not exist", "unsaid", "deny"),
    "no-accounts": _choice("in a method list, no account on the device", "next", "reject"),
    "unknown-account": _choice("in a method list, an unknown username", "reject", "next"),
    "names-by-case": _choice("whether usernames that differ in case are different", "yes", "no"),
    "account-without-password": _choice("an account without a password", "deny", "admit"),
    "empty-password-asked": _choice("whether an account with an empty password is asked for one", "yes", "no"),
    "empty-text-counts": _choice("whether an empty answer counts as a wrong password", "yes", "no"),
    "must-change": _choice("a login with a password that has to be changed", "admit", "deny"),
    "account-from-at-ports": _choice("whether an account's source list holds at a port", "yes", "no"),
    "accounts-guard": _choice("whether the first account turns authentication on", "yes", "no"),
    "factory-account": Key(
        factory,
        (None, *(Factory(15, known, WAYS) for known in (False, True))),
        "the account that exists until one is configured",
    ),
    "bare-tier": _choice("without an account of level 1 to 14, an empty password", "admit", "deny"),
    "unsaid-via": Key(ways(of=WAYS, all_word=True), (WAYS, ()), "the ways an account may use"),
    "unsaid-answers": _choice("what answers on an address of the device", *_ANSWERS),
    "unsaid-account-level": _level("the level of an account", dash=True),
    "unsaid-level": _level("the level after a remote login"),
    "unsaid-level-console": _level("the level after a console or auxiliary login"),
    "lists-carry-level": _choice("whether a method list passes an account's level on", "yes", "no"),
    "elevates": _choice("how elevation is authenticated", "secret", "accounts", "tiers", "no"),
    "bare-elevation-console": _choice("elevation at the console where no secret is set", "admit", "deny"),
    "bare-elevation-remote": _choice("remote elevation where no secret is set", "admit", "deny"),
    "bare-elevation-level": _level("the level of an elevation where no secret is set", dash=True),
    "failed-elevation-closes": _choice("whether a failed elevation closes the session", "yes", "no"),
    "policy-order": _choice("which of several policies counts", "first", "last", "exact"),
    "refused-key-costs": _choice("whether a refused key counts as a wrong answer", "yes", "no"),
    "unsaid-tries": Key(number(1, 1000), (1, 2, 3, 1000), "wrong answers before a connection is closed"),
    "elevation-tries": Key(number(1, 1000), (1, 2, 3, 1000), "wrong answers before elevation is refused"),
    "unsaid-lock": Key(lock, (None, LockRule(None, 1)), "when an account is locked"),
    "lock-stops-keys": _choice("whether a locked account is closed to its public keys too", "yes", "no"),
    "unsaid-idle": Key(parse_duration, (600, None), "the idle timeout of a session", timed=True),
}

_ABOUT = {
    "entry-first": "each entry has its own check and password; SSH needs accounts; elevation by secret",
    "bound-entry": "like entry-first, with accounts limited to the ways listed; levels start at 2",
    "role-based": "accounts with roles; no elevation",
    "list-wide": "no authentication until it is configured; elevation in tiers",
    "two-tier": "two levels, no authentication until accounts exist",
    "appliance": "a factory account until the first one is configured; no elevation",
}

_TABLE = """
unsaid-console | nothing | nothing | users | nothing | nothing | users
unsaid-auxiliary | nothing | password | refuse | refuse | refuse | refuse
unsaid-vty | password | password | users | nothing | nothing | users
no-password-set | refuse | refuse | refuse | admit | admit | refuse
unsaid-accept | ssh telnet | ssh | ssh telnet | ssh telnet | ssh telnet | ssh
vtys | 12 | 6 | 24 | 8 | 3 | 10
vty-pick | accepting | accepting | accepting | first-free | first-free | accepting
unsaid-ssh | on | off | off | off | off | on
unsaid-telnet | on | off | off | on | on | off
unsaid-http | off | off | off | off | on | off
unsaid-https | off | off | off | off | off | on
unsaid-web | elevation-password | users | users | users | nothing | users
unsaid-key | none | none | made | none | none | made
smallest-host-key | 768 | 768 | 768 | 768 | 768 | 768
wants-identity | yes | no | no | no | no | no
unsaid-versions | 1 2 | 2 | 2 | 2 | 1 2 | 2
ssh-needs-users | yes | yes | yes | yes | no | yes
missing-methods | deny | deny | deny | deny | deny | deny
missing-list | allow | deny | deny | allow | deny | deny
missing-group | next | next | next | next | next | next
missing-role | unsaid | unsaid | unsaid | unsaid | unsaid | unsaid
no-accounts | reject | reject | reject | next | next | reject
unknown-account | next | reject | reject | reject | reject | reject
names-by-case | yes | yes | yes | yes | yes | yes
account-without-password | deny | deny | deny | deny | deny | deny
empty-password-asked | yes | yes | yes | yes | yes | yes
empty-text-counts | no | no | no | no | no | no
must-change | admit | admit | admit | admit | admit | admit
account-from-at-ports | yes | yes | yes | yes | yes | yes
accounts-guard | no | no | no | no | yes | no
factory-account | - | - | 15 empty console | - | - | 15 known all
bare-tier | deny | deny | deny | deny | admit | deny
unsaid-via | all | nothing | all | all | all | all
unsaid-answers | all | all | all | all | all | nothing
unsaid-account-level | - | 2 | 3 | 15 | 1 | 4
unsaid-level | 1 | 2 | 1 | 1 | 15 | 1
unsaid-level-console | 1 | 15 | 1 | 1 | 15 | 1
lists-carry-level | no | yes | yes | yes | yes | yes
elevates | secret | secret | no | tiers | accounts | no
bare-elevation-console | admit | deny | deny | admit | admit | deny
bare-elevation-remote | deny | deny | deny | admit | admit | deny
bare-elevation-level | - | - | - | - | - | -
failed-elevation-closes | no | no | no | no | no | no
policy-order | first | first | first | first | first | first
refused-key-costs | no | no | no | no | no | no
unsaid-tries | 4 | 5 | 5 | 4 | 5 | 4
elevation-tries | 2 | 4 | 4 | 2 | 4 | 4
unsaid-lock | - | - | - | - | - | 7m after 4
lock-stops-keys | yes | yes | yes | yes | yes | yes
unsaid-idle | 8m | 25m | never | never | 40m | never
"""


def _read_table() -> dict[str, Profile]:
    rows = [[cell.strip() for cell in line.split("|")] for line in _TABLE.strip().splitlines()]
    return {
        name: Profile(name, about, {row[0]: read_value(KEYS[row[0]], row[0], row[column]) for row in rows})
        for column, (name, about) in enumerate(_ABOUT.items(), 1)
    }


#: The profile of a sheet that names none.
DEFAULT = "entry-first"
BUILTIN: dict[str, Profile] = _read_table()
