"""Local accounts and single passwords: what checks and methods share."""

import datetime
from collections.abc import Sequence

from overhang.model import Lock
from overhang.model.items import item
from overhang.model.stored_secret import Form, StoredSecret
from overhang.model.verification import plain_text
from overhang.model.vocabulary import PORTS, WAYS, way_label
from overhang.profiles import KEYS, UNKNOWN
from overhang.profiles.model import LockRule
from overhang.simulation.authorization import level_of_account
from overhang.simulation.challenge import Answer, Challenge
from overhang.simulation.evaluation import Evaluation
from overhang.simulation.policies import find_account, open_here
from overhang.simulation.policies import said as policy_says
from overhang.simulation.reasons import Reason, Stage
from overhang.simulation.result import FromAttempt, Provenance, Resolved, Step
from overhang.simulation.views import Account, Credential, Endpoint
from overhang.text import Origin

_STOPS_KEYS = "lock-stops-keys"
_EMPTY_COUNTS = "empty-text-counts"


def check_secret(run: Evaluation, challenge: Challenge, credentials: Sequence[Credential]) -> Answer:
    """Ask for the password of a lock that belongs to no account: any of its stored passwords opens it."""
    first = credentials[0]
    run.ask("password", Reason.ASKS_PASSWORD, first.origin, first.label)
    who = challenge.session.who if challenge.session is not None else run.attempt.name
    for credential in open_here(run, challenge.endpoint, credentials, who):
        if _is_empty(credential.stored) and not run.oracle.offers_text():
            run.note(run.stage, Reason.NO_PASSWORD_NEEDED, credential.origin, challenge.endpoint.label)
            return Answer("yes", credential.origin, True)
        if run.oracle.opens(credential):
            run.note(run.stage, Reason.RIGHT_PASSWORD, credential.origin, credential.label)
            return Answer("yes", credential.origin, True)
    if run.oracle.offers_text() is None:
        run.note(run.stage, Reason.NOTHING_OFFERED, run.nothing())
        return Answer("no", run.nothing(), True)
    run.note(run.stage, Reason.WRONG_PASSWORD, first.origin, first.label)
    return Answer("no", first.origin, True)


def elevation_credentials(run: Evaluation, level: int) -> tuple[Credential, ...]:
    """The passwords that count for a level; in doubt where an unread statement might have set a one-way one."""
    stated = run.resolved.elevations.get(level, ())
    elevation = run.resolved.device.elevations.get(level)
    if elevation is None or elevation.block.doubt is None or elevation.strong is not None:
        return stated
    if run.maybe(elevation.block, f"whether level {level} has a one-way password"):
        opaque = StoredSecret(Form.OPAQUE)
        return (Credential(f"elevation:{level}", opaque, elevation.block.doubt, f"for level {level}"),)
    return stated


def place_credentials(run: Evaluation, endpoint: Endpoint) -> tuple[Credential, ...]:
    """The passwords of the entry or service; in doubt where only an unread statement might have set one."""
    place = endpoint.entry if endpoint.entry is not None else endpoint.service
    if place is None or place.credential is None:
        return ()
    if place.block.doubt is None or place.credential.origin != place.block.doubt:
        return (place.credential, *place.others)
    there = run.maybe(place.block, f"whether the {place.label} has a password")
    return (place.credential, *place.others) if there else ()


def ask_accounts(run: Evaluation, challenge: Challenge, *, in_list: bool = False) -> Answer:
    """Ask for a local account; in a method list, two profile keys may turn a denial into no answer."""
    answer = _ask_accounts(run, challenge, in_list)
    if (
        answer.verdict != "yes"
        and challenge.purpose == "login"
        and not run.oracle.offers_text()
        and _bare_tier(run, challenge.endpoint)
    ):
        bare = run.resolved.facts["bare-tier"]
        run.note(run.stage, Reason.BARE_TIER, bare.origin)
        return Answer("yes", bare.origin, True, fixed=1)
    return answer


def _ask_accounts(run: Evaluation, challenge: Challenge, in_list: bool) -> Answer:
    resolved = run.resolved
    name = challenge.name
    factory = _factory(run)
    unread = resolved.unread_account
    if not resolved.accounts and factory is None and unread is None:
        if in_list:
            fact = resolved.facts["no-accounts"]
            if run.settle(fact, "no-accounts") == "next":
                run.note(run.stage, Reason.NO_ACCOUNTS_NEXT, fact.origin)
                return Answer("none", fact.origin)
        run.note(run.stage, Reason.NO_ACCOUNTS, challenge.origin)
        return Answer("no", challenge.origin)
    nameless = bool(resolved.any_names) and name not in resolved.named
    if not nameless or name is not None:
        run.ask("name", Reason.ASKS_NAME, challenge.origin)
    if factory is not None:
        return _try_account(run, challenge, factory)
    account = find_account(run, name)
    if account is not None:
        return _try_account(run, challenge, account)
    answer: Answer | None = None
    for account in resolved.any_names:
        answer = _try_account(run, challenge, account)
        if answer.verdict == "yes":
            return answer
    if answer is not None:
        return answer
    if unread is not None and name is not None and run.maybe(unread.block, "whether there is such an account"):
        return _try_account(run, challenge, unread)
    if in_list:
        fact = resolved.facts["unknown-account"]
        if run.settle(fact, "unknown-account") == "next":
            run.note(run.stage, Reason.UNKNOWN_NEXT, fact.origin)
            return Answer("none", fact.origin, True)
    if name is None:
        run.note(run.stage, Reason.NO_NAME, FromAttempt("name"))
        return Answer("no", FromAttempt("name"), True)
    _ask_all_the_same(run, challenge)
    run.note(run.stage, Reason.UNKNOWN_NAME, challenge.origin)
    return Answer("no", challenge.origin, True)


def _ask_all_the_same(run: Evaluation, challenge: Challenge) -> None:
    """A password is asked for even where none can be right, so that the question does not give the reason away."""
    run.ask("password", Reason.ASKS_PASSWORD, challenge.origin, "that goes with the name")


def _factory(run: Evaluation) -> Account | None:
    resolved = run.resolved
    fact = resolved.facts["factory-account"]
    if fact.value is not UNKNOWN or resolved.device.users:
        return resolved.factory
    value = run.choose(KEYS["factory-account"].options, fact.origin, "whether there is a factory account")
    return None if value is None else resolved.factory_account(fact._replace(value=value))


def _bare_tier(run: Evaluation, endpoint: Endpoint) -> bool:
    resolved = run.resolved
    fact = resolved.facts["bare-tier"]
    if any(1 <= level_of_account(run, endpoint, account)[0] <= 14 for account in resolved.accounts):
        return False
    return bool(run.settle(fact, "bare-tier") == "admit")


def _try_account(run: Evaluation, challenge: Challenge, account: Account) -> Answer:
    """Whether the account can be used here and its password passes."""
    unusable = is_usable(run, account, None if challenge.any_way else challenge.endpoint.via)
    if unusable is not None:
        _ask_all_the_same(run, challenge)
        run.steps.append(unusable)
        return Answer("no", unusable.origin, unusable.code != Reason.LOCKED)
    if account.user.no_prompt is not None:
        origin: Provenance = account.user.no_prompt.origin
        run.note(run.stage, Reason.NO_PROMPT, origin, account.name)
        return Answer("yes", origin, account=account)
    credentials = account.credentials
    if not credentials and account.block.doubt is not None:
        about = f"whether account {account.name} has a password"
        if run.maybe(account.block, about):
            opaque = StoredSecret(Form.OPAQUE)
            label = f"of account {account.name}"
            credentials = (Credential(item("user", account.name), opaque, account.block.doubt, label),)
    if not credentials:
        return _without_password(run, challenge, account)
    held = open_here(run, challenge.endpoint, credentials, challenge.name)
    if held and all(_is_empty(each.stored) for each in held):
        asked = run.resolved.facts["empty-password-asked"]
        refusal = _empty_by_ssh(run, challenge, account, credentials[0])
        if run.oracle.offers_text() and refusal is None and not run.settle(asked, "empty-password-asked"):
            run.note(run.stage, Reason.NOT_ASKED, credentials[0].origin, account.name)
            run.lockout.account_passed(account.name)
            return Answer("yes", credentials[0].origin, account=account, own_level=credentials[0].level)
    run.ask("password", Reason.ASKS_PASSWORD, credentials[0].origin, credentials[0].label)
    refused: Step | None = None
    for credential in held:
        opened = _opened(run, challenge, account, credential)
        if isinstance(opened, Step):
            refused = refused or opened
        elif opened:
            run.lockout.account_passed(account.name)
            return Answer("yes", credential.origin, True, account=account, own_level=credential.level)
    if refused is not None:
        run.steps.append(refused)
        return Answer("no", refused.origin, True)
    if run.oracle.offers_text() is None:
        run.note(run.stage, Reason.NOTHING_OFFERED, run.nothing())
        return Answer("no", run.nothing(), True)
    run.note(run.stage, Reason.WRONG_PASSWORD, credentials[0].origin, credentials[0].label)
    _count(run, account)
    return Answer("no", credentials[0].origin, True)


def _opened(run: Evaluation, challenge: Challenge, account: Account, credential: Credential) -> bool | Step:
    """Whether one of an account's passwords lets the person in; the step that refuses an empty one over SSH."""
    if _is_empty(credential.stored) and not run.oracle.offers_text():
        refusal = _empty_by_ssh(run, challenge, account, credential)
        if refusal is not None:
            return refusal
        run.note(run.stage, Reason.NO_PASSWORD_NEEDED, credential.origin, f"account {account.name}")
        return True
    if credential.stored.form is Form.NONE or not _opens(run, credential):
        return False
    empty = run.oracle.offers_text() == "" and credential.item not in run.attempt.knows
    refusal = _empty_by_ssh(run, challenge, account, credential) if empty else None
    if refusal is not None:  # the hash of an empty text is one of an empty password
        return refusal
    run.note(run.stage, Reason.RIGHT_PASSWORD, credential.origin, credential.label)
    return True


def _without_password(run: Evaluation, challenge: Challenge, account: Account) -> Answer:
    """An account that has no password: for most devices one that only a key opens."""
    _ask_all_the_same(run, challenge)
    fact = run.resolved.facts["account-without-password"]
    if run.settle(fact, "account-without-password") == "admit":
        run.note(run.stage, Reason.UNSET_ADMITS, fact.origin, account.name)
        return Answer("yes", fact.origin, True, account=account)
    run.note(run.stage, Reason.KEY_ONLY, account.origin, account.name)
    return Answer("no", account.origin, True)


def _opens(run: Evaluation, credential: Credential) -> bool:
    if credential.stored.form is Form.FACTORY:
        return True  # everybody can look it up, and whoever offers nothing else types it
    return run.oracle.opens(credential)


def _is_empty(stored: StoredSecret) -> bool:
    return plain_text(stored) == ""


def _empty_by_ssh(run: Evaluation, challenge: Challenge, account: Account, credential: Credential) -> Step | None:
    """The step that refuses an empty password over SSH; None where it will do."""
    if challenge.endpoint.via != "ssh" or challenge.purpose != "login":
        return None
    said = policy_says(run, challenge.endpoint, "empty_passwords") or run.resolved.device.ssh.empty_passwords
    if said is not None and said.value:
        return None
    if said is None and run.maybe(run.resolved.device.ssh.block, "whether SSH takes empty passwords"):
        return None
    origin = said.origin if said is not None else credential.origin
    return Step(run.stage, Reason.EMPTY_NOT_BY_SSH, origin, (account.name,))


def shut_by(account: Account, moment: datetime.datetime) -> Resolved | None:
    """Why nobody can use an account at ``moment``: the reason and its line; None where it can be used."""
    if account.disabled is not None:
        return Resolved(Reason.DISABLED, account.disabled.origin)
    if account.expires is not None and moment.date() > account.expires.value:
        return Resolved(Reason.EXPIRED, account.expires.origin)
    return None


def is_usable(run: Evaluation, account: Account, via: str | None, *, by_key: bool = False) -> Step | None:
    """The step that says why an account cannot be used; None where it can. ``via`` None: whatever its ways."""
    name, block = account.name, account.block
    role_missing = _role_missing(run, account)
    if role_missing is not None:
        return role_missing
    shut = shut_by(account, run.attempt.moment)
    if shut is not None:
        return Step(run.stage, shut.value, shut.origin, (name,))
    if block.doubt is not None and run.maybe(block, f"whether account {name} is disabled or has expired"):
        return Step(run.stage, Reason.DISABLED, block.doubt, (name,))
    locked = _locked(run, account)
    if locked is not None and not (by_key and not run.settle(run.resolved.facts[_STOPS_KEYS], _STOPS_KEYS)):
        return locked
    if via is not None:
        refused = _not_via(run, account, via)
        if refused is not None:
            return refused
    changing = account.user.must_change
    if changing is not None and run.stage is Stage.AUTHENTICATION:
        fact = run.resolved.facts["must-change"]
        if run.settle(fact, "must-change") == "deny":
            return Step(run.stage, Reason.MUST_CHANGE, changing.origin, (name,))
    return _not_from(run, account)


def _role_missing(run: Evaluation, account: Account) -> Step | None:
    role = account.user.role
    if role is None or account.role is not None:
        return None
    missing = run.resolved.facts["missing-role"]
    if run.settle(missing, "missing-role") != "deny":
        return None
    return Step(run.stage, Reason.ROLE_MISSING, role.origin, (account.name,))


def _not_from(run: Evaluation, account: Account) -> Step | None:
    name, doubt = account.name, account.limits.doubt
    if account.sources is not None:
        fact = run.resolved.facts["account-from-at-ports"]
        if run.attempt.via in PORTS and not run.settle(fact, "account-from-at-ports"):
            return None
        allowed, step = run.allowed_from(account.sources, f"account {name}", run.stage)
        return None if allowed else Step(run.stage, Reason.NOT_FROM, step.origin, (name,))
    if doubt is not None and run.maybe(account.limits, f"whether account {name} may be used from this source"):
        return Step(run.stage, Reason.NOT_FROM, doubt, (name,))
    return None


def _not_via(run: Evaluation, account: Account, via: str) -> Step | None:
    for holder in (account.user, account.role):
        if holder is not None and holder.not_via is not None and via in holder.not_via.value:
            return Step(run.stage, Reason.NOT_VIA, holder.not_via.origin, (account.name, way_label(via)))
    origin: Provenance
    listed = False
    if account.ways is not None:
        ways, origin = account.ways
        listed = isinstance(origin, Origin)
    else:
        fact = run.resolved.unsaid("unsaid-via", account.limits)
        origin = fact.origin
        ways = run.settle(fact, "unsaid-via")
    if via in ways or (ways == WAYS and not listed):
        return None  # where none are listed, all are the doors too, which no account can list
    return Step(run.stage, Reason.NOT_VIA, origin, (account.name, way_label(via)))


# -- locks -------------------------------------------------------------------------------------------------------------


def _rule(run: Evaluation) -> tuple[Lock | LockRule | None, Provenance]:
    passwords = run.resolved.device.passwords
    if passwords.lock is not None:
        return passwords.lock.value, passwords.lock.origin
    fact = run.resolved.unsaid("unsaid-lock", passwords.block)
    if fact.value is UNKNOWN and not run.lockout.accounts:
        return LockRule(None, 1), fact.origin
    return run.settle(fact, "unsaid-lock"), fact.origin


def _locked(run: Evaluation, account: Account) -> Step | None:
    if account.user.never_locked is not None:
        return None
    unsure = account.name in run.lockout.unsure
    if account.name not in run.lockout.accounts and not unsure:
        return None
    rule, origin = _rule(run)
    if unsure and rule is not None:
        doubt = Step(run.stage, Reason.UNSURE_LOCK, origin, (f"account {account.name} is locked",))
        if run.oracle.branch(("locked", account.name), (False, True), doubt):
            return Step(run.stage, Reason.LOCKED, origin, (account.name, rule.failures))
        return None
    if rule is None or not run.lockout.account_locked(account.name, rule, run.attempt.at):
        return None
    return Step(run.stage, Reason.LOCKED, origin, (account.name, rule.failures))


def counts_as_wrong(run: Evaluation) -> bool:
    """Whether what is typed counts as a wrong answer, which an empty text may not."""
    text = run.oracle.offers_text()
    if text == "":
        return bool(run.settle(run.resolved.facts[_EMPTY_COUNTS], _EMPTY_COUNTS))
    return text is not None


def _count(run: Evaluation, account: Account) -> None:
    if account.user.never_locked is not None:
        return
    rule, _ = _rule(run)
    if rule is not None and counts_as_wrong(run):
        run.lockout.account_failed(account.name, rule, run.attempt.at)
