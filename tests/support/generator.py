"""Random devices of all profiles, as text, and a brute force that finds out what somebody can reach by trying it."""

import copy
import datetime
import itertools
import random
from collections.abc import Iterator, Mapping
from typing import Any

from overhang.exposure.credentials import CredentialIndex
from overhang.language import read_sheet
from overhang.model import Address, Hours
from overhang.profiles import BUILTIN, KEYS, Profile, derive
from overhang.simulation import Attempt, LockoutState, ResolvedDevice, Result, decide

NOW = datetime.datetime(2026, 6, 1, 12, tzinfo=datetime.UTC)
WAYS = ("console", "auxiliary", "ssh", "telnet", "http", "https", "snmp", "door:copy")
NAMES = ("lena", "omar", "ines")
PASSWORDS = ("boat", "gull", "quay", "tern", "crab", "kelp", "sand", "tide")
LISTS = ("office", "ships", "all", "nowhere")
PREFIXES = ("10.64.0.0/24", "10.64.0.0/16", "10.64.0.128/25", "192.0.2.0/24", "2001:db8::/32", "any")
SERVERS = ("192.0.2.50", "192.0.2.51", "192.0.2.52")
OWN = ("10.64.0.1/24", "198.51.100.1/24", "2001:db8::1/64")
SOURCES = ("10.64.0.9", "10.64.0.200", "10.64.7.1", "192.0.2.9", "203.0.113.5", "2001:db8::9", "2001:db9::9")
STRANGER = "zz"

# values of keys to mix in, so that each decides something
SPICE: dict[str, tuple[str, ...]] = {
    "unsaid-console": ("nothing", "password", "users", "refuse"),
    "unsaid-auxiliary": ("nothing", "password", "users", "refuse"),
    "unsaid-vty": ("nothing", "password", "users", "refuse"),
    "no-password-set": ("refuse", "admit"),
    "unsaid-accept": ("ssh", "telnet", "ssh telnet", "nothing"),
    "vty-pick": ("accepting", "first-free"),
    "unsaid-ssh": ("on", "off"),
    "unsaid-telnet": ("on", "off"),
    "unsaid-http": ("on", "off"),
    "unsaid-https": ("on", "off"),
    "unsaid-web": ("users", "elevation-password", "nothing"),
    "unsaid-key": ("none", "made"),
    "wants-identity": ("yes", "no"),
    "unsaid-versions": ("1", "2", "1 2"),
    "ssh-needs-users": ("yes", "no"),
    "missing-methods": ("deny", "general", "users", "admit"),
    "missing-list": ("allow", "deny"),
    "no-accounts": ("next", "reject"),
    "unknown-account": ("next", "reject"),
    "accounts-guard": ("yes", "no"),
    "factory-account": ("-", "15 empty console", "9 known all", "3 empty ssh telnet"),
    "bare-tier": ("admit", "deny"),
    "unsaid-via": ("all", "nothing", "console ssh"),
    "unsaid-answers": ("all", "nothing"),
    "unsaid-account-level": ("-", "0", "1", "7", "15"),
    "unsaid-level": ("0", "1", "15"),
    "unsaid-level-console": ("0", "1", "15"),
    "lists-carry-level": ("yes", "no"),
    "elevates": ("secret", "tiers", "accounts", "no"),
    "bare-elevation-console": ("admit", "deny"),
    "bare-elevation-remote": ("admit", "deny"),
    "bare-elevation-level": ("-", "0", "7", "15"),
    "missing-group": ("next", "reject"),
    "missing-role": ("unsaid", "deny"),
    "names-by-case": ("yes", "no"),
    "account-without-password": ("deny", "admit"),
    "empty-password-asked": ("yes", "no"),
    "must-change": ("admit", "deny"),
    "account-from-at-ports": ("yes", "no"),
    "smallest-host-key": ("0", "768", "4096"),
    "failed-elevation-closes": ("yes", "no"),
    "policy-order": ("first", "last", "exact"),
}
HOURS = ("08:00-17:30", "22:00-06:00 mon-fri", "09:00-10:00 sat,sun")


class Made:
    """A random device: its sheet, its setting, and what its servers are told to hold."""

    def __init__(self, seed: int) -> None:
        self.random = random.Random(seed)
        self.profile = self._profile()
        self.text = "\n".join(self._sheet()) + "\n"
        sheet = read_sheet(self.text, "t")
        assert not sheet.unread, sheet.diagnostics
        self.resolved = ResolvedDevice(sheet.device, {**BUILTIN, "made": self.profile})
        self.held = self._held()

    def changed(self, chance: random.Random) -> "Made":
        """The same device with some of its lines gone, altered, or moved; of the same profile."""
        other = copy.copy(self)
        lines = self.text.split("\n")
        for _ in range(chance.choice((1, 2, 4, 8, 12))):
            at = chance.randrange(2, len(lines))
            if chance.random() < 0.3 and lines[at].startswith("    "):
                del lines[at]
            else:
                lines[at] = _altered(lines[at], chance)
        other.text = "\n".join(lines)
        sheet = read_sheet(other.text, "t")
        other.resolved = ResolvedDevice(sheet.device, {**BUILTIN, "made": self.profile})
        return self if sheet.unread else other

    def chance(self, share: float) -> bool:
        return self.random.random() < share

    def pick(self, *options: Any) -> Any:
        return self.random.choice(options)

    def _profile(self) -> Profile:
        base = BUILTIN[self.pick(*BUILTIN)]
        changes = {key: self.pick(*values) for key, values in SPICE.items() if self.chance(0.2)}
        changes["vtys"] = str(self.pick(0, 2, 3))
        return derive("made", base, changes, KEYS)

    def _held(self) -> Mapping[str, Any] | None:
        if self.chance(0.3):
            return None
        levels = ({}, {"level": 1}, {"level": 7}, {"level": 15})
        return {
            group: {
                name: {"password": self.pick(*PASSWORDS), **self.pick(*levels)}
                for name in (*NAMES, "nora")
                if self.chance(0.4)
            }
            for group in ("g", "h")
            if self.chance(0.8)
        }

    def _form(self) -> str:
        text = self.pick(*PASSWORDS)
        if self.chance(0.05):
            return "unopenable"
        return self.pick(f"readable {text}", f"readable {text}", "opaque 8f", "none", "factory", f"hashed $0${text}")

    def _check(self, *kinds: str) -> list[str]:
        kind = self.pick(*kinds)
        if kind == "methods":
            kind = self.pick("methods", "methods a", "methods b", "methods c")
        return [f"    check {kind}"]

    def _from(self) -> list[str]:
        return [f"    from {self.pick(*LISTS)}{self.pick('', '', ' ipv4', ' ipv6')}"] if self.chance(0.25) else []

    def _entry(self, head: str, vty: bool) -> Iterator[str]:
        yield head
        if self.chance(0.06):
            yield "    closed"
        if self.chance(0.65):
            yield from self._check("nothing", "password", "password", "users", "users", "methods")
        if self.chance(0.45):
            yield f"    password {self._form()}"
        yield from self._another()
        yield from self._cap()
        if self.chance(0.1):
            yield "    users-last"
        if self.chance(0.3):
            yield f"    level {self.pick('0', '3', '15', 'asked')}"
        if self.chance(0.2):
            yield f"    elevation methods {self.pick('a', 'b', 'c')}"
        if vty:
            if self.chance(0.4):
                yield f"    accept {self.pick('ssh', 'telnet', 'ssh telnet', 'nothing')}"
            yield from self._from()

    def _another(self, share: float = 0.08, *, levels: bool = False) -> Iterator[str]:
        if self.chance(share):
            level = self.pick("", " level 3", " level 15") if levels else ""
            where = self.pick("", "", "", " where yard", " where quay")
            yield f"    another-password {self._form()}{level}{where}"

    def _cap(self) -> Iterator[str]:
        if self.chance(0.06):
            yield f"    cap {self.pick(0, 2, 7, 14)}"

    def _conditions(self, share: float) -> Iterator[str]:
        if self.chance(share):
            yield f"    for-ways {self.pick('ssh', 'telnet ssh', 'console', 'http https', 'https')}"
        if self.chance(share / 2):
            yield f"    for-other-ways {self.pick('ssh', 'console auxiliary', 'http')}"
        if self.chance(share):
            yield f"    for-sources {self.pick(*LISTS)}"
        if self.chance(share / 2):
            yield f"    for-addresses {self.pick('10.64.0.1', '198.51.100.1', '2001:db8::1')}"
        if self.chance(share / 2):
            yield f"    for-accounts {self.pick('lena', 'omar ines', 'zoe')}"
        if self.chance(share / 2):
            yield f"    for-roles {self.pick('chief', 'nobody')}"
        if self.chance(share / 2):
            yield f"    for-vtys {self.pick('0', '0-1', '2')}"
        if self.chance(share / 2):
            yield f"    for-hours {self.pick(*HOURS)}"

    def _policy(self, name: str) -> Iterator[str]:
        yield f"policy {name}:"
        yield from self._conditions(0.35)
        if self.chance(0.1):
            yield "    refused"
        yield from self._from()
        if self.chance(0.4):
            yield from self._check("nothing", "password", "users", "methods", "elevation-password")
        if self.chance(0.2):
            yield f"    login {self.pick('password', 'key', 'password key', 'both', 'two-keys')}"
        if self.chance(0.2):
            yield f"    tries {self.pick(0, 1, 3)}"
        if self.chance(0.2):
            yield f"    empty-passwords {self.pick('yes', 'no')}"
        if self.chance(0.2):
            yield f"    guest {self.pick(0, 1, 15)}"
        if self.chance(0.2):
            yield f"    level {self.pick(0, 5, 15)}"
        if self.chance(0.2):
            yield f"    cap {self.pick(0, 2, 7, 14)}"
        if self.chance(0.2):
            yield f"    elevates {self.pick('yes', 'no')}"
        if self.chance(0.1):
            yield "    idle 5m"

    def _user(self, name: str) -> Iterator[str]:
        yield f"user {name}:"
        yield from self._another(levels=True)
        if self.chance(0.08):
            yield f"    elevates {self.pick('yes', 'no', 'no')}"
        if self.chance(0.08):
            yield f"    not-via {self.pick('console', 'ssh telnet', 'http')}"
        if self.chance(0.1):
            yield f"    login {self.pick('password', 'key', 'password key', 'both', 'two-keys')}"
        if self.chance(0.06):
            yield f"    key-authority ssh-ed25519 CCCC x{self.pick('', ' from office', ' until 2026-05-31')}"
        for flag, share in (("must-change", 0.1), ("no-prompt", 0.05), ("never-locked", 0.05)):
            if self.chance(share):
                yield f"    {flag}"
        if self.chance(0.85):
            yield f"    password {self._form()}"
        if self.chance(0.6):
            yield f"    level {self.pick(0, 1, 5, 7, 15)}"
        if self.chance(0.2):
            yield f"    role {self.pick('chief', 'nobody')}"
        if self.chance(0.15):
            yield f"    via {self.pick('console', 'ssh telnet', 'http https', 'telnet')}"
        if self.chance(0.15):
            yield f"    from {self.pick(*LISTS)}"
        if self.chance(0.3):
            yield f"    public-key ssh-ed25519 {self.pick('AAAA', 'BBBB')}"
        if self.chance(0.2):
            yield f"    public-key ssh-rsa DDDD x{self.pick('', ' from ships', ' from office', ' until 2026-05-31', ' until 2026-06-01')}"
        if self.chance(0.1):
            yield "    any-name"
        if self.chance(0.05):
            yield "    disabled"
        if self.chance(0.1):
            yield f"    expires {self.pick('2026-05-31', '2026-06-01')}"

    def _methods(self) -> Iterator[str]:
        for purpose in ("login", "elevation", "web"):
            for name in ("", " a", " b"):
                if self.chance(0.3):
                    yield f"methods{name} for {purpose}:"
                    kinds = (
                        "servers g",
                        "servers h",
                        "servers i",
                        "users",
                        "entry-password",
                        "elevation-password",
                        "nothing",
                        "reject",
                    )
                    for kind in self.random.sample(kinds, self.pick(1, 2, 3)):
                        leads = self.pick("goes-on", "goes-on", "list a", "list a", "list b", "list c", "ends")
                        yield f"    {kind}{f' no {leads}' if self.chance(0.2) else ''}"
                    if self.chance(0.2):
                        yield f"    at-end {self.pick('deny', 'admit', 'users', 'list a', 'list b')}"
                    yield from self._cap()
        if self.chance(0.3):
            yield "methods for level:"
            for kind in self.random.sample(("users", "servers g", "servers h"), self.pick(1, 2)):
                yield f"    {kind}"

    def _sheet(self) -> Iterator[str]:
        yield self.pick("device t:", "device:")
        yield "    profile made"
        if self.chance(0.8):
            yield "    domain tidewater.example"
        yield from self._entry("entry console:", vty=False)
        if self.chance(0.6):
            yield from self._entry("entry auxiliary:", vty=False)
        for numbers in self.random.sample(("0", "0-1", "1-2", "2-3"), self.pick(0, 1, 2)):
            yield from self._entry(f"entry vty {numbers}:", vty=True)
        for name in NAMES[: self.pick(0, 1, 2, 2, 3)]:
            yield from self._user(name)
        yield from ("role chief:", "    level 9")
        yield from self._cap()
        if self.chance(0.08):
            yield f"    elevates {self.pick('yes', 'no')}"
        if self.chance(0.06):
            yield f"    via {self.pick('console', 'ssh telnet')}"
        if self.chance(0.06):
            yield f"    not-via {self.pick('console', 'ssh')}"
        if self.chance(0.06):
            yield f"    from {self.pick(*LISTS)}"
        for level in self.random.sample((3, 7, 15, 15), self.pick(0, 1, 2)):
            yield f"elevation {level}:"
            form = self._form()
            if form == "factory" and self.profile.values["elevates"] == "tiers":
                form = "none"  # whatever is typed opens it, and might open a tier that cannot be compared
            yield f"    password {form}"
            if self.chance(0.1):
                where = self.pick("", "", " where yard", " where quay")
                yield f"    another-password readable {self.pick(*PASSWORDS)}{where}"
            if self.chance(0.1):
                yield f"    least {self.pick(0, 1, 5, 9)}"
            if self.chance(0.2):
                yield from self._conditions(0.3)
        for name, kind in (("g", "radius"), ("h", "tacacs")):
            if self.chance(0.6):
                yield f"servers {kind} {name}:"
                for server in self.random.sample(SERVERS, self.pick(0, 1, 2)):
                    yield f"    server {server}"
                for line, share in (("secret-wrong", 0.05), ("needs-user", 0.2)):
                    if self.chance(share):
                        yield f"    {line}"
                if self.chance(0.3):
                    yield f"    level-from {self.pick('server', 'account', 'lower', 'higher')}"
        yield from self._methods()
        for place, name in enumerate(LISTS[:3]):
            yield f"sources {name}:"
            others = ("nowhere", *LISTS[:place])  # lists that refer in a circle are in doubt
            for prefix in self.random.sample(PREFIXES, self.pick(0, 1, 2, 3)):
                if self.chance(0.15):
                    prefix = self.pick(
                        "10.64.0.5 to 10.64.0.210", "10.64.0.8 mask 0.0.7.1", *(f"list {each}" for each in others)
                    )
                yield f"    {self.pick('allow', 'allow', 'deny') if self.chance(0.9) else 'leave'} {prefix}"
                if self.chance(0.06):
                    yield f"    ask {self.pick(*others)}"
            if self.chance(0.06):
                yield f"    at-end {self.pick('allow', 'deny')}"
            if self.chance(0.04):
                yield "    silent"
        if self.chance(0.25):
            for name in ("yard", "quay", "bay")[: self.pick(1, 2, 3)]:
                yield from self._policy(name)
        if self.chance(0.04):
            yield from ("passwords:", "    letters 3")
        if self.chance(0.1):
            yield from ("device:", "    zone Europe/Berlin")
        yield from self._services()
        if self.chance(0.35):
            for own in self.random.sample(OWN, self.pick(1, 2, 3)):
                yield f"address {own}:"
                if self.chance(0.5):
                    yield f"    answers {self.pick('all', 'nothing', 'ssh telnet', 'http https snmp', 'copy ssh')}"
                if self.chance(0.5):
                    yield f"    vlan {self.pick(64, 65)}"

    def _services(self) -> Iterator[str]:
        for service in ("ssh", "telnet"):
            yield f"{service}:"
            if self.chance(0.5):
                yield self.pick("    on", "    on", "    off")
            yield from self._from()
            if self.chance(0.15):
                yield from self._check("nothing", "password", "users", "methods")
            if self.chance(0.15):
                yield f"    level {self.pick(0, 4, 15)}"
            yield from self._cap()
            if self.chance(0.09):
                yield "    own-seats"
                if self.chance(0.7):
                    yield f"    password {self._form()}"
                    yield from self._another(0.4)
            if self.chance(0.06):
                yield f"    tries {self.pick(0, 1, 3)}"
            if self.chance(0.15):
                yield f"    elevation methods {self.pick('a', 'b', 'c')}"
            if service == "ssh":
                if self.chance(0.75):
                    yield f"    host-key {self.pick('rsa 2048', 'rsa 512', 'ed25519', 'dsa 512')}"
                if self.chance(0.3):
                    yield f"    versions {self.pick('1', '2', '1 2')}"
                if self.chance(0.4):
                    yield f"    login {self.pick('password', 'key', 'password key', 'both', 'two-keys')}"
                if self.chance(0.3):
                    yield f"    key-kinds {self.pick('ssh-ed25519', 'ssh-rsa', 'ssh-rsa ssh-ed25519')}"
                if self.chance(0.3):
                    yield f"    empty-passwords {self.pick('yes', 'no')}"
        yield "web:"
        for way in ("http", "https"):
            if self.chance(0.5):
                yield f"    {way} {self.pick('on', 'on', 'off')}"
        if self.chance(0.5):
            yield from self._check("users", "methods", "elevation-password", "nothing", "password")
        if self.chance(0.15):
            yield f"    password {self._form()}"
            yield from self._another(0.2)
        yield from self._cap()
        for line, values, share in (
            ("tries", (0, 1, 3), 0.05),
            ("guest", (0, 1, 9), 0.06),
            ("level", (0, 2, 15), 0.06),
        ):
            if self.chance(share):
                yield f"    {line} {self.pick(*values)}"
        yield from self._from()
        if self.chance(0.5):
            yield from ("snmp:", "    on")
            for _ in range(self.pick(0, 1, 2)):
                limit = f" from {self.pick(*LISTS)}" if self.chance(0.4) else ""
                yield f"    community {self.pick('readable boat', 'opaque 9', 'readable sand')} {self.pick('read', 'write')}{limit}"
        if self.chance(0.5):
            yield from ("door copy:", "    on")
            if self.chance(0.7):
                yield from self._check("users", "methods", "nothing", "password")
            if self.chance(0.1):
                yield f"    password {self._form()}"
                yield from self._another(0.4)
            if self.chance(0.06):
                yield f"    guest {self.pick(0, 9)}"
            if self.chance(0.4):
                yield f"    level {self.pick(2, 15)}"
            yield from self._from()
        if self.chance(0.4):
            yield "management:"
            yield from self._from()
            if self.chance(0.4):
                yield "    vlan 64"


def _altered(line: str, chance: random.Random) -> str:
    """A line with one of its words replaced by another of its kind."""
    for kind in (PASSWORDS, PREFIXES, LISTS, SERVERS, NAMES, OWN, ("ssh", "telnet"), ("on", "off"), ("1", "15", "7")):
        for word in line.split():
            if word in kind and chance.random() < 0.7:
                return line.replace(f" {word}", f" {chance.choice(kind)}", 1)
    return line


def subsets(items: frozenset[str], index: CredentialIndex) -> Iterator[frozenset[str]]:
    """What somebody may make use of; equal passwords, who types one types the other."""
    groups: dict[int, set[str]] = {}
    for item in sorted(items):
        groups.setdefault(index.number(item), set()).add(item)
    for size in range(len(groups) + 1):
        for chosen in itertools.combinations(groups.values(), size):
            yield frozenset().union(*chosen)


class BruteForce:
    """Tries everything that one person with some knowledge can do, one attempt after another."""

    def __init__(self, made: Made, tell: Any = None) -> None:
        self.made = made
        self.tell = tell
        self.credentials = CredentialIndex.of(made.resolved)
        self.names: list[str | None] = [None, "nobody-has-this", "LENA", *(user for user in made.resolved.device.users)]
        for conditions in made.resolved.conditions.values():
            self.names += [name for name in (conditions.accounts or [()])[0] if name not in self.names]
        for accounts in (made.held or {}).values():
            self.names += [name for name in accounts if name not in self.names]
        if made.held is None and made.resolved.device.groups:
            self.names.append("*")
        # whether the account that logs in decides how far a session can be elevated
        self.tells = any(word in made.text for word in ("    elevates", "    cap", "for-accounts", "for-roles"))
        count = made.resolved.facts["vtys"].value
        self.numbers = sorted({*made.resolved.device.vtys, *range(count)})

    def decide(self, attempt: Attempt) -> Result:
        result = decide(self.made.resolved, attempt, [LockoutState()]).result
        if self.tell is not None:
            self.tell(attempt, result)
        return result

    def best(
        self,
        via: str,
        source: Address | None,
        to: Address | None,
        down: frozenset[str],
        knows: frozenset[str],
        most_busy: int = 999,
        during: frozenset[Hours] | None = None,
    ) -> int:
        """The highest level that anybody with this knowledge reaches; -1 for none. Up to ``most_busy`` of the first VTYs
        may be in use."""
        best = -1
        landed: set[tuple[frozenset[int], frozenset[str], int, str | None]] = set()
        firsts = self.numbers[: most_busy + 1] if via in ("ssh", "telnet") else [0]
        lowest = [frozenset(range(number)) for number in firsts]
        for busy in lowest:
            for known in subsets(knows, self.credentials):
                for name in self.names:
                    for typed in ((), (STRANGER,)):
                        attempt = Attempt(
                            via,
                            NOW,
                            source,
                            to,
                            name,
                            typed,
                            (),
                            known,
                            None,
                            None,
                            (),
                            (1, 2),
                            busy,
                            down,
                            self.made.held,
                            during=during,
                        )
                        result = self.decide(attempt)
                        if result.outcome != "admitted" or result.level is None:
                            continue
                        best = max(best, result.level)
                        key = (busy, known, result.level, name if self.tells else None)
                        if key not in landed:
                            landed.add(key)
                            best = max(best, self._elevated(attempt, result.level))
        return best

    def _elevated(self, attempt: Attempt, before: int) -> int:
        best = before
        for wanted in range(15, before, -1):
            for name in self.names:
                for typed in ((), (STRANGER,)):
                    result = self.decide(attempt._replace(elevate=wanted, elevate_name=name, elevate_passwords=typed))
                    if result.level is not None:
                        best = max(best, result.level)
            if best >= wanted:
                break
        return best
