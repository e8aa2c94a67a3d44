"""Section two of the decision: what is asked, and is the answer good enough?

A check or method is a function in a table, asked with a ``Desk`` and answering with an ``Answer``. Login, web and
elevation ask through the same functions; what differs between them is in the desk.
"""

from typing import NamedTuple

from overhang.device import Check, MethodList, PublicKey, Said
from overhang.login import words
from overhang.login.accounts import ask_accounts, elevation_keyhole, is_usable, open_keyhole, password_is_there
from overhang.login.arriving import unsaid_check
from overhang.login.desk import Answer, Desk
from overhang.login.methods import ask_list
from overhang.login.result import Because, Fact, FromAttempt, Step
from overhang.login.run import Run
from overhang.login.setting import REMOTE_WAYS, Account, Keyhole, Place
from overhang.secrets import Form
from overhang.text import Origin


class Granted(NamedTuple):
    """A login that passed. ``answer`` tells who let the person in; ``through_list`` whether a method list did."""

    answer: Answer
    through_list: bool = False


def check(run: Run, place: Place) -> Granted | None:
    """Ask what the place asks, as often as it lets the person try; None where the run was stopped."""
    if place.via == "snmp":
        return _community(run)
    by_key = False
    if place.via == "ssh":
        key = _with_key(run)
        if key is not None:
            return Granted(key) if key.verdict == "yes" else None
        by_key = _login_word(run) == "both"
    asked, origin = check_of(run, place)
    limit = run.settle(_tries(run, place), "unsaid-tries")
    label = place.entry.spoken if place.entry is not None else place.label
    if asked.kind == "refuse":  # only where nobody can tell what an entry asks, and arriving was explored apart
        run.stop("refused", words.ARRIVING, words.PORT_REFUSES, origin, place.label)
        return None
    if by_key:
        asked = Check("both")
    else:
        arguments = (label, asked.name or "for all") if asked.kind == "methods" else (label,)
        run.note(words.CHECKING, _SENTENCES[asked.kind], origin, *arguments)
    desk = Desk(place, "login", run.attempt.name, origin, 0)
    for index in range(limit):
        run.offer(run.attempt.passwords, index)
        answer = _CHECKS[asked.kind](run, desk, asked)
        if answer.verdict == "yes":
            return Granted(answer, answer.through_list)
        if answer.verdict == "drop":
            run.stop("dropped", words.CHECKING, words.NO_PASSWORD_DROPPED, answer.origin)
            return None
        text = run.asker.offers_text()
        if text and answer.asked:
            _count_remote(run, place)
        if text is None or not answer.asked:
            break
        if index + 1 == limit:
            run.note(words.CHECKING, words.OUT_OF_TRIES, answer.origin, limit)
            break
        if index + 1 >= len(run.attempt.passwords):
            break
    run.outcome = "denied"
    return None


def _count_remote(run: Run, place: Place) -> None:
    pause = run.setting.device.management.pause
    if pause is not None and place.via in REMOTE_WAYS:
        run.failures.remote_failed(pause.value, run.attempt.at)


def _tries(run: Run, place: Place) -> Fact:
    ssh = run.setting.device.ssh
    if place.via == "ssh":
        return run.setting.said_or(ssh.tries, "unsaid-tries", ssh.block)
    return run.setting.facts["unsaid-tries"]


# -- which check -------------------------------------------------------------------------------------------------------


def check_of(run: Run, place: Place) -> tuple[Check, Because]:
    """The check that holds at a place, and what says so."""
    setting = run.setting
    service, entry = place.service, place.entry
    web_like = entry is None
    purpose = "web" if web_like else "login"
    if service is not None and service.check is not None:
        return service.check.value, service.check.origin
    if service is not None and service.block.doubt is not None and (web_like or _own_check_maybe(run, place)):
        options = (Check("users"), Check("nothing"), *setting.list_checks(purpose))
        about = f"what {service.label} asks"
        return run.choose(options, service.block.doubt, about), service.block.doubt
    if entry is not None and entry.check is not None:
        return entry.check.value, entry.check.origin
    general = setting.device.lists.get((purpose, None))
    if general is not None and (entry is None or entry.block.doubt is None):
        return Check("methods"), general.block.origin or Origin(setting.device.file, 0)
    if entry is not None:
        return unsaid_check(run, entry), entry.unsaid_check.origin
    fact = setting.web_check()
    return Check(str(run.settle(fact, "unsaid-web"))), fact.origin


def _own_check_maybe(run: Run, place: Place) -> bool:
    service = place.service
    return service is not None and run.maybe(service.block, f"whether {service.label} has a check of its own")


# -- keys --------------------------------------------------------------------------------------------------------------


def _login_word(run: Run) -> str:
    ssh = run.setting.device.ssh
    if ssh.login is not None:
        return ssh.login.value
    if ssh.block.doubt is not None:
        options = ("password key", "password", "key", "both")
        return str(run.choose(options, ssh.block.doubt, "how SSH may be used to log in"))
    return "password key"


def _with_key(run: Run) -> Answer | None:
    """The answer where a key, or the lack of one, settles the login; None where the check goes on."""
    word = _login_word(run)
    if word == "password":
        return None
    said = run.setting.device.ssh.login
    account = _key_holder(run)
    if account is not None:
        run.note(words.CHECKING, words.KEY_RIGHT, account[1], account[0].name)
        if word != "both":
            return Answer("yes", account[1], account=account[0])
        return None
    if word in ("key", "both"):
        origin: Because = said.origin if said is not None else FromAttempt("key")
        run.stop("denied", words.CHECKING, words.KEY_NEEDED, origin)
        return Answer("no", origin)
    if run.attempt.key is not None:
        run.note(words.CHECKING, words.KEY_ASIDE, FromAttempt("key"))
    return None


def _key_holder(run: Run) -> tuple[Account, Because] | None:
    """The named account where it is usable and the person holds its key, and the line of the key."""
    account = run.setting.named.get(run.attempt.name or "")
    if account is None or (not account.keys and account.block.doubt is None):
        return None
    key: PublicKey | None = run.attempt.key
    held = run.asker.holds_key(account.name) if account.keys else False
    match = next((said for said in account.keys if key is not None and said.value[:2] == key[:2]), None)
    origin = match.origin if match is not None else account.keys[0].origin if account.keys else account.origin
    if match is None and not held:
        about = f"whether account {account.name} holds the key offered"
        if key is None or account.keys or not run.maybe(account.block, about):
            return None
    if is_usable(run, account, "ssh") is not None:
        return None
    return account, origin


# -- the checks --------------------------------------------------------------------------------------------------------


def _check_nothing(run: Run, desk: Desk, asked: Check) -> Answer:
    if desk.place.via == "ssh":
        needs = run.setting.facts["ssh-needs-users"]
        if run.settle(needs, "ssh-needs-users"):
            run.note(words.CHECKING, words.USERS_FOR_SSH, needs.origin)
            return ask_accounts(run, desk)
    del asked
    return Answer("yes", desk.origin)


def _check_password(run: Run, desk: Desk, asked: Check) -> Answer:
    del asked
    if desk.place.via == "ssh":
        needs = run.setting.facts["ssh-needs-users"]
        if run.settle(needs, "ssh-needs-users"):
            run.note(words.CHECKING, words.PASSWORD_NOT_FOR_SSH, needs.origin)
            return Answer("no", needs.origin)
    entry = desk.place.entry
    if entry is None or entry.keyhole is None or not password_is_there(run, desk.place):
        fact = run.setting.facts["no-password-set"]
        if run.settle(fact, "no-password-set") == "admit":
            run.note(words.CHECKING, words.NO_PASSWORD_ADMITS, fact.origin)
            return Answer("yes", fact.origin)
        return Answer("drop", desk.origin)
    return open_keyhole(run, desk, entry.keyhole)


def _check_users(run: Run, desk: Desk, asked: Check) -> Answer:
    del asked
    return ask_accounts(run, desk)


def _check_both(run: Run, desk: Desk, asked: Check) -> Answer:
    """SSH that wants a key, which has passed, and the password of the same account."""
    del asked
    return ask_accounts(run, desk)


def _check_methods(run: Run, desk: Desk, asked: Check) -> Answer:
    setting = run.setting
    purpose = "web" if desk.place.entry is None else "login"
    found: MethodList | None = setting.device.lists.get((purpose, asked.name))
    if found is None and asked.name is not None:
        missing = setting.facts["missing-methods"]
        what = run.settle(missing, "missing-methods")
        if what == "users":
            run.note(words.CHECKING, words.LIST_UNDEFINED_USERS, desk.origin, asked.name)
            return ask_accounts(run, desk)
        if what == "general":
            run.note(words.CHECKING, words.LIST_UNDEFINED_GENERAL, desk.origin, asked.name)
            found = setting.device.lists.get((purpose, None))
        else:
            run.note(words.CHECKING, words.LIST_UNDEFINED_DENIES, desk.origin, asked.name)
            return Answer("no", desk.origin)
    if found is None:
        run.note(words.CHECKING, words.NO_LIST_FOR_ALL, desk.origin)
        return Answer("no", desk.origin)
    return ask_list(run, desk, found)


def _check_elevation_password(run: Run, desk: Desk, asked: Check) -> Answer:
    del asked
    keyhole = elevation_keyhole(run, 15)
    if keyhole is None:
        bare = run.setting.facts["bare-elevation-remote"]
        admits = run.settle(bare, "bare-elevation-remote") == "admit"
        sentence = words.ELEVATION_UNSET_ADMITS if admits else words.ELEVATION_UNSET_DENIES
        run.note(words.CHECKING, sentence, bare.origin)
        return Answer("yes" if admits else "no", bare.origin, fixed=15)
    answer = open_keyhole(run, desk, keyhole)
    return answer._replace(fixed=15)


_CHECKS = {
    "nothing": _check_nothing,
    "password": _check_password,
    "users": _check_users,
    "both": _check_both,
    "methods": _check_methods,
    "elevation-password": _check_elevation_password,
}

_SENTENCES = {
    "nothing": words.CHECK_NOTHING,
    "password": words.CHECK_PASSWORD,
    "users": words.CHECK_USERS,
    "methods": words.CHECK_METHODS,
    "elevation-password": words.CHECK_ELEVATION,
}


# -- SNMP --------------------------------------------------------------------------------------------------------------


def _community(run: Run) -> Granted | None:
    """The best community that is offered and may be used from the source."""
    snmp = run.setting.device.snmp
    run.offer(run.attempt.passwords, 0)
    best: Answer | None = None
    denied = Step(words.CHECKING, words.NO_COMMUNITY, snmp.block.origin or FromAttempt("via"))
    if snmp.communities:
        run.ask("password", words.ASKS_PASSWORD, snmp.communities[0].origin, "of a community")
        denied = Step(words.CHECKING, words.COMMUNITY_WRONG, snmp.communities[-1].origin)
        if run.asker.offers_text() is None:
            denied = Step(words.CHECKING, words.NOTHING_OFFERED, FromAttempt("password"))
    for number, said in enumerate(snmp.communities, 1):
        keyhole = Keyhole(f"community:{number}", said.value.password, said.origin, f"of community {number}")
        if said.value.password.form is Form.NONE or not run.asker.opens(keyhole):
            continue
        if said.value.sources is not None:
            limit = Said(said.value.sources, said.origin)
            allowed, step = run.allowed_from(limit, f"community {number}", words.CHECKING)
            run.steps.append(step)
            if not allowed:
                denied = Step(words.CHECKING, words.COMMUNITY_NOT_FROM, step.origin)
                continue
        level = 15 if said.value.write else 1
        if best is None or level > (best.fixed or 0):
            best = Answer("yes", said.origin, fixed=level)
    if best is None and run.asker.offers_text() and run.maybe(snmp.block, "whether the community offered is one"):
        level = run.choose((1, 15), snmp.block.doubt or Origin("", 0), "whether the community may write")
        best = Answer("yes", snmp.block.doubt or Origin("", 0), fixed=level)
    if best is None:
        run.stop("denied", denied.stage, denied.words, denied.origin, *denied.arguments)
        return None
    what = "reading and writing" if best.fixed == 15 else "reading"
    run.note(words.CHECKING, words.COMMUNITY_RIGHT, best.origin, what)
    return Granted(best)
