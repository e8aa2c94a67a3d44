"""Asking local accounts, and opening single passwords: what the checks and the methods have in common."""

import datetime

from overhang.device import Lock
from overhang.login import words
from overhang.login.desk import Answer, Desk
from overhang.login.landing import level_of_account
from overhang.login.result import Because, Fact, FromAttempt, Step
from overhang.login.run import Run
from overhang.login.setting import LABELS, Account, Keyhole, Place
from overhang.profiles import KEYS, UNKNOWN
from overhang.profiles.model import WAYS, LockRule
from overhang.secrets import Form, Stored, plain_text
from overhang.text import Origin


def open_keyhole(run: Run, desk: Desk, keyhole: Keyhole) -> Answer:
    """Ask for one stored password that belongs to no account."""
    run.ask("password", words.ASKS_PASSWORD, keyhole.origin, keyhole.label)
    if _is_empty(keyhole.stored) and not run.asker.offers_text():
        run.note(run.stage, words.NO_PASSWORD_NEEDED, keyhole.origin, desk.place.label)
        return Answer("yes", keyhole.origin, True)
    if run.asker.opens(keyhole):
        run.note(run.stage, words.RIGHT_PASSWORD, keyhole.origin, keyhole.label)
        return Answer("yes", keyhole.origin, True)
    if run.asker.offers_text() is None:
        run.note(run.stage, words.NOTHING_OFFERED, run.nothing())
        return Answer("no", run.nothing(), True)
    run.note(run.stage, words.WRONG_PASSWORD, keyhole.origin, keyhole.label)
    return Answer("no", keyhole.origin, True)


def elevation_keyhole(run: Run, level: int) -> Keyhole | None:
    """The password that counts for a level; in doubt where an unread statement might have set a one-way one."""
    stated = run.setting.elevations.get(level)
    elevation = run.setting.device.elevations.get(level)
    if elevation is None or elevation.block.doubt is None or elevation.strong is not None:
        return stated
    if run.maybe(elevation.block, f"whether level {level} has a one-way password"):
        return Keyhole(f"elevation:{level}", Stored(Form.OPAQUE), elevation.block.doubt, f"for level {level}")
    return stated


def password_is_there(run: Run, place: Place) -> bool:
    """Whether the entry has a password; in doubt where only an unread statement might have set it."""
    entry = place.entry
    if entry is None or entry.keyhole is None:
        return False
    if entry.block.doubt is None or entry.keyhole.origin != entry.block.doubt:
        return True
    return run.maybe(entry.block, f"whether the {entry.label} has a password")


def ask_accounts(run: Run, desk: Desk, *, in_list: bool = False) -> Answer:
    """Ask for a local account; in a method list, two profile keys may turn a denial into no answer."""
    answer = _ask_accounts(run, desk, in_list)
    if (
        answer.verdict != "yes"
        and desk.purpose == "login"
        and not run.asker.offers_text()
        and _bare_tier(run, desk.place)
    ):
        bare = run.setting.facts["bare-tier"]
        run.note(run.stage, words.BARE_TIER, bare.origin)
        return Answer("yes", bare.origin, True, fixed=1)
    return answer


def _ask_accounts(run: Run, desk: Desk, in_list: bool) -> Answer:
    setting = run.setting
    name = desk.name
    factory = _factory(run)
    if not setting.accounts and factory is None:
        if in_list:
            fact = setting.facts["no-accounts"]
            if run.settle(fact, "no-accounts") == "next":
                run.note(run.stage, words.NO_ACCOUNTS_NEXT, fact.origin)
                return Answer("none", fact.origin)
        run.note(run.stage, words.NO_ACCOUNTS, desk.origin)
        return Answer("no", desk.origin)
    nameless = bool(setting.any_names) and name not in setting.named
    if not nameless or name is not None:
        run.ask("name", words.ASKS_NAME, desk.origin)
    if factory is not None:
        return _try_account(run, desk, factory)
    account = setting.named.get(name) if name is not None else None
    if account is not None:
        return _try_account(run, desk, account)
    answer: Answer | None = None
    for account in setting.any_names:
        answer = _try_account(run, desk, account)
        if answer.verdict == "yes":
            return answer
    if answer is not None:
        return answer
    if in_list:
        fact = setting.facts["unknown-account"]
        if run.settle(fact, "unknown-account") == "next":
            run.note(run.stage, words.UNKNOWN_NEXT, fact.origin)
            return Answer("none", fact.origin, True)
    if name is None:
        run.note(run.stage, words.NO_NAME, FromAttempt("name"))
        return Answer("no", FromAttempt("name"), True)
    _ask_all_the_same(run, desk)
    run.note(run.stage, words.UNKNOWN_NAME, desk.origin)
    return Answer("no", desk.origin, True)


def _ask_all_the_same(run: Run, desk: Desk) -> None:
    """A password is asked for even where none can be right, so that the question does not give the reason away."""
    run.ask("password", words.ASKS_PASSWORD, desk.origin, "that goes with the name")


def _factory(run: Run) -> Account | None:
    setting = run.setting
    fact = setting.facts["factory-account"]
    if fact.value is not UNKNOWN or setting.device.users:
        return setting.factory
    value = run.choose(KEYS["factory-account"].options, fact.origin, "whether there is a factory account")
    return None if value is None else setting.factory_account(fact._replace(value=value))


def _bare_tier(run: Run, place: Place) -> bool:
    setting = run.setting
    fact = setting.facts["bare-tier"]
    if any(1 <= level_of_account(run, place, account)[0] <= 14 for account in setting.accounts):
        return False
    return bool(run.settle(fact, "bare-tier") == "admit")


def _try_account(run: Run, desk: Desk, account: Account) -> Answer:
    """Whether the account can be used here and its password passes."""
    unusable = is_usable(run, account, None if desk.any_way else desk.place.via)
    keyhole = account.keyhole
    if unusable is not None:
        _ask_all_the_same(run, desk)
        run.steps.append(unusable)
        return Answer("no", unusable.origin, unusable.words != words.LOCKED)
    if keyhole is None and account.block.doubt is not None:
        about = f"whether account {account.name} has a password"
        if run.maybe(account.block, about):
            label = f"of account {account.name}"
            keyhole = Keyhole(f"user:{account.name}", Stored(Form.OPAQUE), account.block.doubt, label)
    if keyhole is None:
        _ask_all_the_same(run, desk)
        run.note(run.stage, words.KEY_ONLY, account.origin, account.name)
        return Answer("no", account.origin, True)
    run.ask("password", words.ASKS_PASSWORD, keyhole.origin, keyhole.label)
    if _is_empty(keyhole.stored) and not run.asker.offers_text():
        refusal = _empty_by_ssh(run, desk, account, keyhole)
        if refusal is not None:
            run.steps.append(refusal)
            return Answer("no", refusal.origin, True)
        run.note(run.stage, words.NO_PASSWORD_NEEDED, keyhole.origin, f"account {account.name}")
    elif keyhole.stored.form is not Form.NONE and _opens(run, keyhole):
        run.note(run.stage, words.RIGHT_PASSWORD, keyhole.origin, keyhole.label)
    elif run.asker.offers_text() is None:
        run.note(run.stage, words.NOTHING_OFFERED, run.nothing())
        return Answer("no", run.nothing(), True)
    else:
        run.note(run.stage, words.WRONG_PASSWORD, keyhole.origin, keyhole.label)
        _count(run, account)
        return Answer("no", keyhole.origin, True)
    run.failures.account_passed(account.name)
    return Answer("yes", keyhole.origin, True, account=account)


def _opens(run: Run, keyhole: Keyhole) -> bool:
    if keyhole.stored.form is Form.FACTORY:
        return run.asker.offers_text() is not None or run.asker.opens(keyhole)
    return run.asker.opens(keyhole)


def _is_empty(stored: Stored) -> bool:
    return plain_text(stored) == ""


def _empty_by_ssh(run: Run, desk: Desk, account: Account, keyhole: Keyhole) -> Step | None:
    """The step that refuses an empty password over SSH; None where it will do."""
    if desk.place.via != "ssh" or desk.purpose != "login":
        return None
    said = run.setting.device.ssh.empty_passwords
    if said is not None and said.value:
        return None
    if said is None and run.maybe(run.setting.device.ssh.block, "whether SSH takes empty passwords"):
        return None
    origin = said.origin if said is not None else keyhole.origin
    return Step(run.stage, words.EMPTY_NOT_BY_SSH, origin, (account.name,))


def shut_by(account: Account, moment: datetime.datetime) -> Fact | None:
    """What shuts an account to everybody at ``moment``: the sentence that says so, and its line; None where nothing."""
    if account.disabled is not None:
        return Fact(words.DISABLED, account.disabled.origin)
    if account.expires is not None and moment.date() > account.expires.value:
        return Fact(words.EXPIRED, account.expires.origin)
    return None


def is_usable(run: Run, account: Account, via: str | None) -> Step | None:
    """The step that says why an account cannot be used; None where it can. ``via`` None: whatever its ways."""
    name, block = account.name, account.block
    shut = shut_by(account, run.attempt.moment)
    if shut is not None:
        return Step(run.stage, shut.value, shut.origin, (name,))
    if block.doubt is not None and run.maybe(block, f"whether account {name} is disabled or has expired"):
        return Step(run.stage, words.DISABLED, block.doubt, (name,))
    locked = _locked(run, account)
    if locked is not None:
        return locked
    if via is not None:
        refused = _not_via(run, account, via)
        if refused is not None:
            return refused
    if account.sources is not None:
        allowed, step = run.allowed_from(account.sources, f"account {name}", run.stage)
        if not allowed:
            return Step(run.stage, words.NOT_FROM, step.origin, (name,))
    elif block.doubt is not None and run.maybe(block, f"whether account {name} may be used from this source"):
        return Step(run.stage, words.NOT_FROM, block.doubt, (name,))
    return None


def _not_via(run: Run, account: Account, via: str) -> Step | None:
    if account.ways is not None:
        user = run.setting.device.users.get(account.name)
        origin = user.via.origin if user is not None and user.via is not None else account.origin
        ways = account.ways
    else:
        fact = run.setting.unsaid("unsaid-via", account.block)
        origin = fact.origin
        ways = run.settle(fact, "unsaid-via")
    if via in ways or (ways == WAYS and not isinstance(origin, Origin)):
        return None  # "all" of a profile has the doors too, which no account can list
    return Step(run.stage, words.NOT_VIA, origin, (account.name, LABELS.get(via, via)))


# -- locks -------------------------------------------------------------------------------------------------------------


def _rule(run: Run) -> tuple[Lock | LockRule | None, Because]:
    passwords = run.setting.device.passwords
    if passwords.lock is not None:
        return passwords.lock.value, passwords.lock.origin
    fact = run.setting.unsaid("unsaid-lock", passwords.block)
    if fact.value is UNKNOWN and not run.failures.accounts:
        return LockRule(None, 1), fact.origin
    return run.settle(fact, "unsaid-lock"), fact.origin


def _locked(run: Run, account: Account) -> Step | None:
    unsure = account.name in run.failures.unsure
    if account.name not in run.failures.accounts and not unsure:
        return None
    rule, origin = _rule(run)
    if unsure and rule is not None:
        doubt = Step(run.stage, words.UNSURE_LOCK, origin, (f"account {account.name} is locked",))
        if run.asker.fork(("locked", account.name), (False, True), doubt):
            return Step(run.stage, words.LOCKED, origin, (account.name, rule.failures))
        return None
    if rule is None or not run.failures.account_locked(account.name, rule, run.attempt.at):
        return None
    return Step(run.stage, words.LOCKED, origin, (account.name, rule.failures))


def _count(run: Run, account: Account) -> None:
    rule, _ = _rule(run)
    if rule is not None and run.asker.offers_text():
        run.failures.account_failed(account.name, rule, run.attempt.at)
