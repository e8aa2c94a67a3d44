"""Authentication: which credential is required, and whether the one given is accepted.

A check or method is a function in a table, which takes a ``Challenge`` and returns an ``Answer``. Login, web and
elevation use the same functions; what differs between them is in the challenge.
"""

from typing import NamedTuple

from overhang.model import Check, Configured, MethodList, PublicKey
from overhang.model.stored_secret import Form
from overhang.model.vocabulary import REMOTE_WAYS
from overhang.simulation.accounts import ask_accounts, check_secret, elevation_credential, is_usable, password_is_there
from overhang.simulation.challenge import Answer, Challenge
from overhang.simulation.evaluation import Evaluation
from overhang.simulation.method_lists import ask_list
from overhang.simulation.reachability import unsaid_check
from overhang.simulation.reasons import Reason, Stage
from overhang.simulation.resolve import Account, Credential, Endpoint
from overhang.simulation.result import FromAttempt, Provenance, Resolved, Step
from overhang.text import Origin


class Granted(NamedTuple):
    """A login that passed. ``answer`` tells who let the person in; ``through_list`` whether a method list did."""

    answer: Answer
    through_list: bool = False


def check(run: Evaluation, endpoint: Endpoint) -> Granted | None:
    """Ask what the place asks, as often as it lets the person try; None where the run was stopped."""
    if endpoint.via == "snmp":
        return _community(run)
    by_key = False
    if endpoint.via == "ssh":
        key = _with_key(run)
        if key is not None:
            return Granted(key) if key.verdict == "yes" else None
        by_key = _login_word(run) == "both"
    asked, origin = check_of(run, endpoint)
    tries = _tries(run, endpoint)
    limit = run.settle(tries, "unsaid-tries")
    label = endpoint.entry.spoken if endpoint.entry is not None else endpoint.label
    if asked.kind == "refuse":  # only where nobody can tell what an entry asks, and arriving was explored apart
        run.stop("refused", Stage.REACHABILITY, Reason.PORT_REFUSES, origin, endpoint.label)
        return None
    if by_key:
        asked = Check("both")
    else:
        methods = "the default method list" if asked.name is None else f"method list {asked.name}"
        arguments = (label, methods) if asked.kind == "methods" else (label,)
        run.note(Stage.AUTHENTICATION, _SENTENCES[asked.kind], origin, *arguments)
    challenge = Challenge(endpoint, "login", run.attempt.name, origin, 0)
    for index in range(limit):
        run.offer(run.attempt.passwords, index)
        answer = _CHECKS[asked.kind](run, challenge, asked)
        if answer.verdict == "yes":
            return Granted(answer, answer.through_list)
        if answer.verdict == "drop":
            run.stop("dropped", Stage.AUTHENTICATION, Reason.NO_PASSWORD_DROPPED, answer.origin)
            return None
        text = run.oracle.offers_text()
        if text and answer.asked:
            _count_remote(run, endpoint)
        if text is None or not answer.asked:
            break
        if index + 1 == limit:
            run.note(Stage.AUTHENTICATION, Reason.OUT_OF_TRIES, tries.origin, limit)
            break
        if index + 1 >= len(run.attempt.passwords):
            break
    run.outcome = "denied"
    return None


def _count_remote(run: Evaluation, endpoint: Endpoint) -> None:
    pause = run.resolved.device.management.pause
    if pause is not None and endpoint.via in REMOTE_WAYS:
        run.lockout.remote_failed(pause.value, run.attempt.at)


def _tries(run: Evaluation, endpoint: Endpoint) -> Resolved:
    ssh = run.resolved.device.ssh
    if endpoint.via == "ssh":
        return run.resolved.said_or(ssh.tries, "unsaid-tries", ssh.block)
    return run.resolved.facts["unsaid-tries"]


# -- which check -------------------------------------------------------------------------------------------------------


def check_of(run: Evaluation, endpoint: Endpoint) -> tuple[Check, Provenance]:
    """The check that holds at a place, and what says so."""
    resolved = run.resolved
    service, entry = endpoint.service, endpoint.entry
    web_like = entry is None
    purpose = "web" if web_like else "login"
    if service is not None and service.check is not None:
        return service.check.value, service.check.origin
    if service is not None and service.block.doubt is not None and (web_like or _own_check_maybe(run, endpoint)):
        options = (Check("users"), Check("nothing"), *resolved.list_checks(purpose))
        about = f"what {service.label} asks"
        return run.choose(options, service.block.doubt, about), service.block.doubt
    if entry is not None and entry.check is not None:
        return entry.check.value, entry.check.origin
    general = resolved.device.lists.get((purpose, None))
    if general is not None and (entry is None or entry.block.doubt is None):
        return Check("methods"), general.block.origin or Origin(resolved.device.file, 0)
    if entry is not None:
        return unsaid_check(run, entry), entry.unsaid_check.origin
    fact = resolved.web_check()
    return Check(str(run.settle(fact, "unsaid-web"))), fact.origin


def _own_check_maybe(run: Evaluation, endpoint: Endpoint) -> bool:
    service = endpoint.service
    return service is not None and run.maybe(service.block, f"whether {service.label} has a check of its own")


# -- keys --------------------------------------------------------------------------------------------------------------


def _login_word(run: Evaluation) -> str:
    ssh = run.resolved.device.ssh
    if ssh.login is not None:
        return ssh.login.value
    if ssh.block.doubt is not None:
        options = ("password key", "password", "key", "both")
        return str(run.choose(options, ssh.block.doubt, "how SSH may be used to log in"))
    return "password key"


def _with_key(run: Evaluation) -> Answer | None:
    """The answer where a key, or the lack of one, settles the login; None where the check goes on."""
    word = _login_word(run)
    if word == "password":
        return None
    said = run.resolved.device.ssh.login
    account = _key_holder(run)
    if account is not None:
        run.note(Stage.AUTHENTICATION, Reason.KEY_RIGHT, account[1], account[0].name)
        if word != "both":
            return Answer("yes", account[1], account=account[0])
        return None
    if word in ("key", "both"):
        origin: Provenance = said.origin if said is not None else FromAttempt("key")
        run.stop("denied", Stage.AUTHENTICATION, Reason.KEY_NEEDED, origin)
        return Answer("no", origin)
    if run.attempt.key is not None:
        run.note(Stage.AUTHENTICATION, Reason.KEY_ASIDE, FromAttempt("key"))
    return None


def _key_holder(run: Evaluation) -> tuple[Account, Provenance] | None:
    """The named account where it is usable and the person holds its key, and the line of the key."""
    account = run.resolved.named.get(run.attempt.name or "")
    if account is None or (not account.keys and account.block.doubt is None):
        return None
    key: PublicKey | None = run.attempt.key
    held = run.oracle.holds_key(account.name) if account.keys else False
    match = next((said for said in account.keys if key is not None and said.value[:2] == key[:2]), None)
    origin = match.origin if match is not None else account.keys[0].origin if account.keys else account.origin
    if match is None and not held:
        about = f"whether account {account.name} holds the key offered"
        if key is None or account.keys or not run.maybe(account.block, about):
            return None
    if is_usable(run, account, "ssh", by_key=True) is not None:
        return None
    return account, origin


# -- the checks --------------------------------------------------------------------------------------------------------


def _check_nothing(run: Evaluation, challenge: Challenge, asked: Check) -> Answer:
    if challenge.endpoint.via == "ssh":
        needs = run.resolved.facts["ssh-needs-users"]
        if run.settle(needs, "ssh-needs-users"):
            run.note(Stage.AUTHENTICATION, Reason.USERS_FOR_SSH, needs.origin)
            return ask_accounts(run, challenge)
    del asked
    return Answer("yes", challenge.origin)


def _check_password(run: Evaluation, challenge: Challenge, asked: Check) -> Answer:
    del asked
    if challenge.endpoint.via == "ssh":
        needs = run.resolved.facts["ssh-needs-users"]
        if run.settle(needs, "ssh-needs-users"):
            run.note(Stage.AUTHENTICATION, Reason.PASSWORD_NOT_FOR_SSH, needs.origin)
            return Answer("no", needs.origin)
    entry = challenge.endpoint.entry
    if entry is None or entry.credential is None or not password_is_there(run, challenge.endpoint):
        fact = run.resolved.facts["no-password-set"]
        if run.settle(fact, "no-password-set") == "admit":
            run.note(Stage.AUTHENTICATION, Reason.NO_PASSWORD_ADMITS, fact.origin)
            return Answer("yes", fact.origin)
        return Answer("drop", challenge.origin)
    return check_secret(run, challenge, entry.credential)


def _check_users(run: Evaluation, challenge: Challenge, asked: Check) -> Answer:
    del asked
    return ask_accounts(run, challenge)


def _check_both(run: Evaluation, challenge: Challenge, asked: Check) -> Answer:
    """SSH that wants a key, which has passed, and the password of the same account."""
    del asked
    return ask_accounts(run, challenge)


def _check_methods(run: Evaluation, challenge: Challenge, asked: Check) -> Answer:
    resolved = run.resolved
    purpose = "web" if challenge.endpoint.entry is None else "login"
    found: MethodList | None = resolved.device.lists.get((purpose, asked.name))
    if found is None and asked.name is not None:
        missing = resolved.facts["missing-methods"]
        what = run.settle(missing, "missing-methods")
        if what == "users":
            run.note(Stage.AUTHENTICATION, Reason.LIST_UNDEFINED_USERS, challenge.origin, asked.name)
            return ask_accounts(run, challenge)
        if what == "general":
            run.note(Stage.AUTHENTICATION, Reason.LIST_UNDEFINED_GENERAL, challenge.origin, asked.name)
            found = resolved.device.lists.get((purpose, None))
        else:
            run.note(Stage.AUTHENTICATION, Reason.LIST_UNDEFINED_DENIES, challenge.origin, asked.name)
            return Answer("no", challenge.origin)
    if found is None:
        run.note(Stage.AUTHENTICATION, Reason.NO_LIST_FOR_ALL, challenge.origin)
        return Answer("no", challenge.origin)
    return ask_list(run, challenge, found)


def _check_elevation_password(run: Evaluation, challenge: Challenge, asked: Check) -> Answer:
    del asked
    credential = elevation_credential(run, 15)
    if credential is None:
        bare = run.resolved.facts["bare-elevation-remote"]
        admits = run.settle(bare, "bare-elevation-remote") == "admit"
        sentence = Reason.ELEVATION_UNSET_ADMITS if admits else Reason.ELEVATION_UNSET_DENIES
        run.note(Stage.AUTHENTICATION, sentence, bare.origin)
        return Answer("yes" if admits else "no", bare.origin, fixed=15)
    answer = check_secret(run, challenge, credential)
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
    "nothing": Reason.CHECK_NOTHING,
    "password": Reason.CHECK_PASSWORD,
    "users": Reason.CHECK_USERS,
    "methods": Reason.CHECK_METHODS,
    "elevation-password": Reason.CHECK_ELEVATION,
}


# -- SNMP --------------------------------------------------------------------------------------------------------------


def _community(run: Evaluation) -> Granted | None:
    """The best community that is offered and may be used from the source."""
    snmp = run.resolved.device.snmp
    run.offer(run.attempt.passwords, 0)
    best: Answer | None = None
    denied = Step(Stage.AUTHENTICATION, Reason.NO_COMMUNITY, snmp.block.origin or FromAttempt("via"))
    if snmp.communities:
        run.ask("password", Reason.ASKS_PASSWORD, snmp.communities[0].origin, "of a community")
        denied = Step(Stage.AUTHENTICATION, Reason.COMMUNITY_WRONG, snmp.communities[-1].origin)
        if run.oracle.offers_text() is None:
            denied = Step(Stage.AUTHENTICATION, Reason.NOTHING_OFFERED, FromAttempt("password"))
    for number in run.oracle.offered(len(snmp.communities)):
        said = snmp.communities[number - 1]
        credential = Credential(f"community:{number}", said.value.password, said.origin, f"of community {number}")
        if said.value.password.form is Form.NONE or not run.oracle.opens(credential):
            continue
        if said.value.sources is not None:
            limit = Configured(said.value.sources, said.origin)
            allowed, step = run.allowed_from(limit, f"community {number}", Stage.AUTHENTICATION)
            run.steps.append(step)
            if not allowed:
                denied = Step(Stage.AUTHENTICATION, Reason.COMMUNITY_NOT_FROM, step.origin)
                continue
        level = 15 if said.value.write else 1
        if best is None or level > (best.fixed or 0):
            best = Answer("yes", said.origin, fixed=level)
    if best is None and run.oracle.offers_text() and run.maybe(snmp.block, "whether the community offered is one"):
        level = run.choose((1, 15), snmp.block.doubt or Origin("", 0), "whether the community may write")
        best = Answer("yes", snmp.block.doubt or Origin("", 0), fixed=level)
    if best is None:
        run.stop("denied", denied.stage, denied.code, denied.origin, *denied.arguments)
        return None
    what = "reading and writing" if best.fixed == 15 else "reading"
    run.note(Stage.AUTHENTICATION, Reason.COMMUNITY_RIGHT, best.origin, what)
    return Granted(best)
