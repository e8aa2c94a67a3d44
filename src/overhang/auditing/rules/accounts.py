"""Local accounts: factory defaults, too many at level 15, shared, left over, or none that can be used."""

from collections.abc import Iterator

from overhang.auditing import fixes
from overhang.auditing.context import AccessPoint, RuleContext
from overhang.auditing.findings import DedupKey, Fault, Finding, Severity, stated
from overhang.auditing.registry import Topic
from overhang.auditing.rules import entries
from overhang.auditing.rules.common import check_keys, labels_of, through, unauthenticated, verb
from overhang.auditing.severity import AttackerEffort
from overhang.auditing.wording import counted, listed
from overhang.model.items import named_in
from overhang.model.stored_secret import Form
from overhang.model.verification import plain_text
from overhang.model.vocabulary import PORTS, VTY_WAYS
from overhang.simulation import Provenance, Reason, shut_by
from overhang.simulation.views import Account

rule = Topic("accounts", 4)
#: Names that say what somebody does and not who it is.
ROLE_NAMES = frozenset(
    "admin administrator root super superuser sysadmin manager operator oper support service tech technician user "
    "guest test demo default monitor network netadmin backup office shared common crew staff".split()
)
_SHUT = {Reason.DISABLED: "disabled", Reason.EXPIRED: "expired"}


def shut(context: RuleContext, account: Account) -> str:
    """Why an account cannot be used at all: "disabled", "expired" or ""."""
    by = shut_by(account, context.moment)
    return "" if by is None else _SHUT[by.value]


def usable(context: RuleContext) -> list[Account]:
    """The accounts that can log in or elevate."""
    return context.keep("usable accounts", lambda: list(_usable(context)))


def _usable(context: RuleContext) -> Iterator[Account]:
    elevates = context.resolved.facts["elevates"].value == "accounts" or any(
        each.value.kind == "users"
        for methods in context.device.lists.values()
        if methods.purpose == "elevation"
        for each in methods.methods
    )
    for account in context.resolved.accounts:
        if not shut(context, account) and (elevates or context.asks(account)):
            yield account


# -- factory defaults --------------------------------------------------------------------------------------------------


@rule("factory-account", after="accounts-all-disabled")
def factory_account(context: RuleContext) -> Iterator[Finding]:
    """The factory account, while no other is configured."""
    factory = context.resolved.factory
    found = through(context, factory.origin) if factory is not None else []
    if factory is None or not found:
        return
    points = [each.point for each in found]
    level = max(each.path.level for each in found)
    message = (
        f"the factory account is still active at {listed(labels_of(points))}: "
        f"anyone who knows the model gets level {level}"
    )
    fix = fixes.accounts(context, *dict.fromkeys(point.via for point in points))
    paths = [each.path for each in found]
    yield context.opened(message, [factory.origin], paths, AttackerEffort.NOTHING, fix, *check_keys(points))


@rule("factory-password", after="factory-account")
def factory_password(context: RuleContext) -> Iterator[Finding]:
    """Stored passwords that are still the factory default."""
    for place in context.passwords:
        if place.said.value.form is Form.FACTORY:
            message = f"the password of {place.label} is still the factory default, which anyone can look up"
            paths = [each.path for each in through(context, place.said.origin)]
            fix = fixes.new_password(context, place.item)
            yield context.opened(message, [place.said.origin], paths, AttackerEffort.NOTHING, fix)


@rule("empty-password", after="password-ignored")
def empty_password(context: RuleContext) -> Iterator[Finding]:
    """Empty passwords: those of accounts, and others by which somebody gets in."""
    for place in context.passwords:
        kind, name, _ = named_in(place.item)
        if kind in ("community", "secret") or place.unused or plain_text(place.said.value) != "":
            continue
        found = through(context, place.said.origin)
        if kind != "user" and not found:
            continue
        enough = "its name is enough to log in" if kind == "user" else "nothing needs to be typed"
        ways = dict.fromkeys(each.point.way_label for each in found)
        where = f": {enough} by {listed(ways)}" if found else ""
        subject = f"account {name} has" if kind == "user" else f"{place.label} has"
        message = f"{subject} an empty password{where}"
        fix = fixes.new_password(context, place.item)
        paths = [each.path for each in found]
        yield context.opened(message, [place.said.origin], paths, AttackerEffort.NOTHING, fix)


@rule("no-low-account", after="factory-account factory-password")
def no_low_account(context: RuleContext) -> Iterator[Finding]:
    """Devices that let anyone look around until a low account exists."""
    group = [each for each in unauthenticated(context) if each.step.code is Reason.BARE_TIER]
    if group:
        points = [each.point for each in group]
        level = group[0].path.after_login
        lets = verb(points, "lets", "let")
        message = (
            f"there is no account of level 1 to 14, so {listed(labels_of(points))} {lets} anyone in at level {level}"
        )
        fix = fixes.block("user watch", "password withheld", "level 1")
        paths = [each.path for each in group]
        because = [each.step.origin for each in group]
        yield context.opened(message, because, paths, AttackerEffort.NOTHING, fix, *check_keys(points))


# -- which accounts there are ------------------------------------------------------------------------------------------


@rule("no-account", after="ssh-needs-account")
def no_account(context: RuleContext) -> Iterator[Finding]:
    """Entries that ask for local accounts, on a device that has none."""
    what = "for a local account but the device has none: nobody can log in"
    return entries.nobody_passes(context, Reason.NO_ACCOUNTS, what)


@rule("accounts-all-disabled", after="locked-out locked-out-servers-down")
def accounts_all_disabled(context: RuleContext) -> Iterator[Finding]:
    """Every account is disabled or has expired."""
    accounts = context.resolved.accounts
    why = {account.name: shut(context, account) for account in accounts}
    if not accounts or not all(why.values()) or not context.exposure.complete:
        return
    others = bool(context.paths)
    effect = "no account can log in" if others else "nobody can log in"
    message = f"every account is disabled or has expired ({listed(f'{n} {w}' for n, w in why.items())}): {effect}"
    because: list[Provenance] = []
    fix: list[str] = []
    for account in accounts:
        by = shut_by(account, context.moment)
        because += [by.origin] if by is not None else []
        line = "drop disabled" if account.disabled is not None else "drop expires"
        fix += fixes.block(fixes.named("user", account.name), line)
    keys: list[DedupKey] = check_keys(context.access_points)
    keys += [Fault.STORED.at(account.origin) for account in accounts]
    yield context.locked_out(message, because, fix, *keys, everybody=not others, always=True)


@rule("all-accounts-level-15")
def all_accounts_level_15(context: RuleContext) -> Iterator[Finding]:
    """Several accounts, and every one of them at level 15."""
    accounts = usable(context)
    levels = {account.name: account.level.value if account.level is not None else None for account in accounts}
    if len(accounts) < 2 or set(levels.values()) != {15}:
        return
    message = f"every account ({listed(levels)}) has level 15: any one of the passwords is enough to change everything"
    known = {item for account in accounts for item in (f"user:{account.name}", f"key:{account.name}")}
    paths = [path for path in context.paths if path.level == 15 and context.names_of(path) & known]
    lower = [account for account in accounts[1:] if account.level is not None]
    fix = fixes.blocks((fixes.named("user", account.name) for account in lower), "level 1")
    if context.resolved.facts["elevates"].value == "secret" and 15 not in context.resolved.elevations:
        fix += fixes.elevation(15)
    because: list[Provenance] = [account.level.origin for account in accounts if account.level is not None]
    yield context.opened(message, because, paths, AttackerEffort.SECRET_NEEDED, fix)


@rule("shared-accounts-only")
def shared_accounts_only(context: RuleContext) -> Iterator[Finding]:
    """Accounts of which none belongs to a person."""
    accounts = usable(context)
    people = {person.account for person in context.people}
    shared = [account for account in accounts if account.any_name or account.name.casefold() in ROLE_NAMES]
    if not accounts or len(shared) < len(accounts) or any(account.name in people for account in accounts):
        return
    nameless = [account for account in accounts if account.any_name]
    why = "asks for no username" if nameless else "is named for a task, not for a person"
    one = len(accounts) == 1
    subject = f"account {accounts[0].name}" if one else f"every account ({listed(a.name for a in accounts)})"
    message = f"{subject} {why}: logins cannot be told apart, and people who leave still know the password"
    paths = [path for account in accounts for path in context.needing(f"user:{account.name}")]
    fix = fixes.block(f"user {fixes.NEW_ACCOUNT}", "password withheld", "level 15")
    fix += fixes.blocks((fixes.named("user", account.name) for account in nameless), "drop any-name")
    because = [account.origin for account in accounts]
    yield context.opened(message, because, dict.fromkeys(paths), AttackerEffort.SECRET_EXPOSED, fix)


@rule("role-missing")
def role_missing(context: RuleContext) -> Iterator[Finding]:
    """Accounts with a role that is not defined, so that they have the level of an account without one."""
    device = context.device
    for user in device.users.values():
        if user.role is None or user.role.value in device.roles or user.level is not None:
            continue
        name = user.role.value
        near = context.near(name, sorted(device.roles))
        hint = f"; did you mean {near}?" if near else ""
        message = (
            f"account {user.name} has the role {name}, which is not defined: the device's default level applies{hint}"
        )
        fix = fixes.block(fixes.named("user", user.name), f"role {fixes.quote_word(near)}" if near else "drop role")
        yield stated(Severity.MEDIUM, message, [user.role.origin], fix)


@rule("level-lost-in-list")
def level_lost_in_list(context: RuleContext) -> Iterator[Finding]:
    """Accounts whose level does not count, since they log in through a method list that does not carry it."""
    if context.resolved.facts["lists-carry-level"].value is not False:
        return
    lost: dict[str, tuple[int, int, Provenance, list[str]]] = {}
    for point in context.access_points:
        if point.via not in (*PORTS, *VTY_WAYS):
            continue
        landed: dict[str, int] = {}
        for path in point.paths:
            for item in context.names_of(path) if path.states & context.exposure.all_up else ():
                landed[item] = max(path.after_login, landed.get(item, -1))
        for account in context.resolved.accounts:
            own, here = account.level, landed.get(f"user:{account.name}")
            if own is None or not isinstance(own.value, int) or here is None or here >= own.value:
                continue
            if _through_list(context, point, account.name):
                lost.setdefault(account.name, (own.value, here, own.origin, []))[3].append(point.label)
    for name, (level, lower, origin, places) in lost.items():
        where = f"its logins at {listed(places)} go through a method list"
        message = f"account {name} has level {level}, but {where} and get level {lower}"
        fix = ["methods for level: users", *_asked_at_console(places)]
        yield stated(Severity.LOW, message, [origin], fix)


def _through_list(context: RuleContext, point: AccessPoint, name: str) -> bool:
    """Whether logins at an access point are checked by a method list."""
    knows = frozenset({f"user:{name}"})
    results = context.unauthenticated(point.via, point.numbers, name=name, knows=knows)
    codes = {step.code for result in results for step in result.trace}
    return Reason.CHECK_METHODS in codes


def _asked_at_console(places: list[str]) -> list[str]:
    return ["entry console: level asked"] if any("console" in each for each in places) else []


@rule("account-unused", after="accounts-all-disabled")
def account_unused(context: RuleContext) -> Iterator[Finding]:
    """Accounts that no login anywhere asks for."""
    if not context.exposure.complete or not context.paths:
        return
    used = {account.name for account in usable(context)}
    left = [
        account
        for account in context.resolved.accounts
        if account.name not in used and account.block.doubt is None and (account.credential is not None or account.keys)
    ]
    if not left:
        return
    parts = [account.name + (f" ({why})" if (why := shut(context, account)) else "") for account in left]
    subject = f"account {parts[0]}" if len(parts) == 1 else f"{counted(len(parts), 'account')} ({listed(parts)})"
    one = len(left) == 1
    exposed = (
        ("it exposes its password and " if one else "they expose their passwords and ")
        if any(account.credential is not None for account in left)
        else ("it " if one else "they ")
    )
    message = f"{subject} cannot log in anywhere: left in place, {exposed}may become usable with the next change"
    fix = [f"drop {fixes.named('user', account.name)}" for account in left]
    because = [account.origin for account in left]
    yield stated(Severity.LOW, message, because, fix, *(Fault.STORED.at(origin) for origin in because))
