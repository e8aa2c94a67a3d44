"""Local accounts: too many at the top, nobody's own, left over, or shut although they are the last way in."""

from collections.abc import Iterator

from overhang.audit.context import RuleContext, listed
from overhang.audit.findings import Finding, Severity
from overhang.audit.fixes import NEW_ACCOUNT, block, word
from overhang.audit.severity import AttackerEffort
from overhang.simulate import shut_by
from overhang.simulate.reasons import Reason
from overhang.simulate.resolve import Account
from overhang.simulate.result import Provenance

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
    """The accounts that somebody can log in or elevate by."""
    if context.usable is None:
        elevates = context.resolved.facts["elevates"].value == "accounts" or any(
            said.value.kind == "users"
            for (kind, _), methods in context.device.lists.items()
            if kind == "elevation"
            for said in methods.methods
        )
        context.usable = [
            each
            for each in context.resolved.accounts
            if not shut(context, each) and (elevates or _logs_in(context, each))
        ]
    return context.usable


def _logs_in(context: RuleContext, account: Account) -> bool:
    """Whether a login under the account's name comes by its password or key."""
    asked = context.asked(account.name, frozenset({f"user:{account.name}", f"key:{account.name}"}))
    own = {said.origin for said in account.keys}
    if account.credential is not None:
        own.add(account.credential.origin)  # type: ignore[arg-type]
    return bool(own & asked)


def check_everyone_top(context: RuleContext) -> Iterator[Finding]:
    """Several accounts, and every one of them at level 15."""
    accounts = usable(context)
    levels = {account.name: account.level.value if account.level is not None else None for account in accounts}
    if len(accounts) < 2 or set(levels.values()) != {15}:
        return
    names = listed(levels)
    message = f"every account ({names}) has level 15: whoever learns any one of the passwords can change everything"
    known = {item for account in accounts for item in (f"user:{account.name}", f"key:{account.name}")}
    paths = [path for path in context.paths if path.level == 15 and context.names_of(path) & known]
    lower = [account for account in accounts[1:] if account.level is not None]
    fix = [line for account in lower for line in block(f"user {word(account.name)}", "level 1")]
    if context.resolved.facts["elevates"].value == "secret" and 15 not in context.resolved.elevations:
        fix += block("elevation 15", "password withheld")
    because: list[Provenance] = [account.level.origin for account in accounts if account.level is not None]
    yield context.opened("everyone-at-level-15", message, because, paths, AttackerEffort.EFFORT, fix)


def check_personal(context: RuleContext) -> Iterator[Finding]:
    """Accounts of which none belongs to a person."""
    accounts = usable(context)
    people = {person.account for person in context.people()}
    shared = [account for account in accounts if account.any_name or account.name.casefold() in ROLE_NAMES]
    if not accounts or len(shared) < len(accounts) or any(account.name in people for account in accounts):
        return
    any_name = [account for account in accounts if account.any_name]
    why = "asks for no name" if any_name else "is named for a task and not for a person"
    subject = (
        f"account {accounts[0].name}" if len(accounts) == 1 else f"every account ({listed(a.name for a in accounts)})"
    )
    message = f"{subject} {why}: nobody can tell who came, and who leaves still knows the way in"
    paths = [path for account in accounts for path in context.needing(f"user:{account.name}")]
    fix = block(f"user {NEW_ACCOUNT}", "password withheld", "level 15")
    for account in any_name:
        fix += block(f"user {word(account.name)}", "drop any-name")
    because = [account.origin for account in accounts]
    yield context.opened("no-personal-account", message, because, dict.fromkeys(paths), AttackerEffort.LEARNING, fix)


def check_unused(context: RuleContext) -> Iterator[Finding]:
    """Accounts that no login anywhere asks for; what is left over from another time."""
    if not context.exposure.complete or not context.paths:
        return
    used = {account.name for account in usable(context)}
    left = [
        account for account in context.resolved.accounts if account.name not in used and account.block.doubt is None
    ]
    left = [account for account in left if account.credential is not None or account.keys]
    if not left:
        return
    parts = [account.name + (f" ({why})" if (why := shut(context, account)) else "") for account in left]
    count = f"account {parts[0]} opens" if len(parts) == 1 else f"{len(parts)} accounts ({listed(parts)}) open"
    message = f"{count} no way in here: what is left over shows its password to readers and may come alive again"
    fix = [f"drop user {word(account.name)}" for account in left]
    because = [account.origin for account in left]
    yield context.stated(
        "account-unused", Severity.LOW, message, because, fix, *(("form", origin) for origin in because)
    )


def check_shut_last(context: RuleContext) -> Iterator[Finding]:
    """All accounts are disabled or have expired, and there is no other way in."""
    accounts = context.resolved.accounts
    why = {account.name: shut(context, account) for account in accounts}
    if not accounts or not all(why.values()) or not context.exposure.complete:
        return
    others = bool(context.paths)
    message = f"every account is shut ({listed(f'{name} {reason}' for name, reason in why.items())})"
    message += ": nobody logs in by an account" if others else ": nobody gets in"
    because: list[Provenance] = []
    fix: list[str] = []
    for account in accounts:
        said = account.disabled if account.disabled is not None else account.expires
        because.append(said.origin)
        fix += block(f"user {word(account.name)}", "drop disabled" if account.disabled is not None else "drop expires")
    tokens: list[object] = [("check", point.numbers or point.via) for point in context.access_points()]
    tokens += [("form", account.origin) for account in accounts]
    yield context.shut(
        "accounts-all-shut", message, because, fix, ("lock-out",), *tokens, everybody=not others, always=True
    )
