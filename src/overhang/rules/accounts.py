"""Local accounts: too many at the top, nobody's own, left over, or shut although they are the last way in."""

from collections.abc import Iterator

from overhang.login import shut_by, words
from overhang.login.result import Because
from overhang.login.setting import Account
from overhang.rules.case import Case, listed
from overhang.rules.model import Finding, Severity
from overhang.rules.remedies import NEW_ACCOUNT, block, word
from overhang.rules.severity import Takes

#: Names that say what somebody does and not who it is.
ROLE_NAMES = frozenset(
    "admin administrator root super superuser sysadmin manager operator oper support service tech technician user "
    "guest test demo default monitor network netadmin backup office shared common crew staff".split()
)


_SHUT = {words.DISABLED: "disabled", words.EXPIRED: "expired"}


def shut(case: Case, account: Account) -> str:
    """Why an account cannot be used at all: "disabled", "expired" or ""."""
    by = shut_by(account, case.moment)
    return "" if by is None else _SHUT[by.value]


def usable(case: Case) -> list[Account]:
    """The accounts that somebody can log in or elevate by."""
    if case.usable is None:
        elevates = case.setting.facts["elevates"].value == "accounts" or any(
            said.value.kind == "users"
            for (kind, _), methods in case.device.lists.items()
            if kind == "elevation"
            for said in methods.methods
        )
        case.usable = [
            each for each in case.setting.accounts if not shut(case, each) and (elevates or _logs_in(case, each))
        ]
    return case.usable


def _logs_in(case: Case, account: Account) -> bool:
    """Whether a login under the account's name comes by its password or key."""
    asked = case.asked(account.name, frozenset({f"user:{account.name}", f"key:{account.name}"}))
    own = {said.origin for said in account.keys}
    if account.keyhole is not None:
        own.add(account.keyhole.origin)  # type: ignore[arg-type]
    return bool(own & asked)


def check_everyone_top(case: Case) -> Iterator[Finding]:
    """Several accounts, and every one of them at level 15."""
    accounts = usable(case)
    levels = {account.name: account.level.value if account.level is not None else None for account in accounts}
    if len(accounts) < 2 or set(levels.values()) != {15}:
        return
    names = listed(levels)
    message = f"every account ({names}) has level 15: whoever learns any one of the passwords can change everything"
    known = {item for account in accounts for item in (f"user:{account.name}", f"key:{account.name}")}
    rows = [row for row in case.rows if row.level == 15 and case.names_of(row) & known]
    lower = [account for account in accounts[1:] if account.level is not None]
    remedy = [line for account in lower for line in block(f"user {word(account.name)}", "level 1")]
    if case.setting.facts["elevates"].value == "secret" and 15 not in case.setting.elevations:
        remedy += block("elevation 15", "password withheld")
    because: list[Because] = [account.level.origin for account in accounts if account.level is not None]
    yield case.opened("everyone-at-level-15", message, because, rows, Takes.EFFORT, remedy)


def check_personal(case: Case) -> Iterator[Finding]:
    """Accounts of which none belongs to a person."""
    accounts = usable(case)
    people = {person.account for person in case.people()}
    shared = [account for account in accounts if account.any_name or account.name.casefold() in ROLE_NAMES]
    if not accounts or len(shared) < len(accounts) or any(account.name in people for account in accounts):
        return
    any_name = [account for account in accounts if account.any_name]
    why = "asks for no name" if any_name else "is named for a task and not for a person"
    subject = (
        f"account {accounts[0].name}" if len(accounts) == 1 else f"every account ({listed(a.name for a in accounts)})"
    )
    message = f"{subject} {why}: nobody can tell who came, and who leaves still knows the way in"
    rows = [row for account in accounts for row in case.needing(f"user:{account.name}")]
    remedy = block(f"user {NEW_ACCOUNT}", "password withheld", "level 15")
    for account in any_name:
        remedy += block(f"user {word(account.name)}", "drop any-name")
    because = [account.origin for account in accounts]
    yield case.opened("no-personal-account", message, because, dict.fromkeys(rows), Takes.LEARNING, remedy)


def check_unused(case: Case) -> Iterator[Finding]:
    """Accounts that no login anywhere asks for; what is left over from another time."""
    if not case.ways.complete or not case.rows:
        return
    used = {account.name for account in usable(case)}
    left = [account for account in case.setting.accounts if account.name not in used and account.block.doubt is None]
    left = [account for account in left if account.keyhole is not None or account.keys]
    if not left:
        return
    parts = [account.name + (f" ({why})" if (why := shut(case, account)) else "") for account in left]
    count = f"account {parts[0]} opens" if len(parts) == 1 else f"{len(parts)} accounts ({listed(parts)}) open"
    message = f"{count} no way in here: what is left over shows its password to readers and may come alive again"
    remedy = [f"drop user {word(account.name)}" for account in left]
    because = [account.origin for account in left]
    yield case.stated(
        "account-unused", Severity.LOW, message, because, remedy, *(("form", origin) for origin in because)
    )


def check_shut_last(case: Case) -> Iterator[Finding]:
    """All accounts are disabled or have expired, and there is no other way in."""
    accounts = case.setting.accounts
    why = {account.name: shut(case, account) for account in accounts}
    if not accounts or not all(why.values()) or not case.ways.complete:
        return
    others = bool(case.rows)
    message = f"every account is shut ({listed(f'{name} {reason}' for name, reason in why.items())})"
    message += ": nobody logs in by an account" if others else ": nobody gets in"
    because: list[Because] = []
    remedy: list[str] = []
    for account in accounts:
        said = account.disabled if account.disabled is not None else account.expires
        because.append(said.origin)
        remedy += block(
            f"user {word(account.name)}", "drop disabled" if account.disabled is not None else "drop expires"
        )
    tokens: list[object] = [("check", spot.numbers or spot.via) for spot in case.spots()]
    tokens += [("form", account.origin) for account in accounts]
    yield case.shut(
        "accounts-all-shut", message, because, remedy, ("lock-out",), *tokens, everybody=not others, always=True
    )
