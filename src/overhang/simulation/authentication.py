"""Authentication: which credential is required, and whether the one given is accepted.

A check or method is a function in a table, which takes a ``Challenge`` and returns an ``Answer``. Login, web and
elevation use the same functions; what differs between them is in the challenge.
"""

from typing import NamedTuple

from overhang.model import Check, Configured
from overhang.model.stored_secret import Form
from overhang.model.vocabulary import PORTS, REMOTE_WAYS
from overhang.simulation.accounts import (
    ask_accounts,
    check_secret,
    counts_as_wrong,
    elevation_credentials,
    place_credentials,
)
from overhang.simulation.challenge import Answer, Challenge
from overhang.simulation.evaluation import Evaluation
from overhang.simulation.keys import login_word, with_key
from overhang.simulation.method_lists import ask_named
from overhang.simulation.policies import ask_name, lets_in, said
from overhang.simulation.reachability import unsaid_check
from overhang.simulation.reasons import Reason, Stage
from overhang.simulation.result import FromAttempt, Provenance, Resolved, Step
from overhang.simulation.views import Credential, Endpoint
from overhang.text import Origin


class Granted(NamedTuple):
    """A login that passed. ``answer`` tells who let the person in; ``through_list`` whether a method list did."""

    answer: Answer
    through_list: bool = False


def check(run: Evaluation, endpoint: Endpoint) -> Granted | None:
    """Ask what the place asks, as often as it lets the person try; None where the run was stopped."""
    if endpoint.via == "snmp":
        return _community(run)
    ask_name(run, endpoint)
    if not lets_in(run, endpoint, named=True):
        return None
    tries = _tries(run, endpoint)
    limit = run.tries(tries, "unsaid-tries")
    by_key = False
    if endpoint.via == "ssh":
        key, refused = with_key(run, endpoint, limit)
        if key is not None:
            return Granted(key) if key.verdict == "yes" else None
        if refused and limit and run.settle(run.resolved.facts["refused-key-costs"], "refused-key-costs"):
            limit -= refused
            if limit <= 0:
                run.stop("denied", Stage.AUTHENTICATION, Reason.KEYS_REFUSED, tries.origin, refused)
                return None
        by_key = login_word(run, endpoint) == "both"
    guest = _guest(run, endpoint)
    if guest is not None:
        return Granted(guest)
    asked, origin = check_of(run, endpoint)
    if asked.kind == "refuse":  # only where nobody can tell what an entry asks, and arriving was explored apart
        run.stop("refused", Stage.REACHABILITY, Reason.PORT_REFUSES, origin, endpoint.label)
        return None
    if by_key:
        asked = Check("both")
    else:
        label = endpoint.entry.spoken if endpoint.entry is not None else endpoint.label
        methods = "the default method list" if asked.name is None else f"method list {asked.name}"
        arguments = (label, methods) if asked.kind == "methods" else (label,)
        run.note(Stage.AUTHENTICATION, _SENTENCES[asked.kind], origin, *arguments)
    return _try(run, Challenge(endpoint, "login", run.attempt.name, origin, 0), asked, Resolved(limit, tries.origin))


def _try(run: Evaluation, challenge: Challenge, asked: Check, tries: Resolved) -> Granted | None:
    """Ask until an answer passes, or no more are taken; then the run was stopped."""
    endpoint, limit = challenge.endpoint, tries.value
    before = run.attempt.wrong_before
    if not limit and asked.kind != "nothing":
        run.note(Stage.AUTHENTICATION, Reason.OUT_OF_TRIES, tries.origin, limit)
    for index in range(before, max(limit, asked.kind == "nothing")):
        run.offer(run.attempt.passwords, index - before)
        answer = _CHECKS[asked.kind](run, challenge, asked)
        if answer.verdict == "yes":
            return Granted(answer, answer.through_list)
        if answer.verdict == "drop":
            run.stop("dropped", Stage.AUTHENTICATION, Reason.NO_PASSWORD_DROPPED, answer.origin)
            return None
        text = run.oracle.offers_text()
        if text is not None and answer.asked and run.resolved.device.management.pause and counts_as_wrong(run):
            _count_remote(run, endpoint)
        if text is None or not answer.asked:
            run.waits = answer.asked
            break
        if index + 1 == limit:
            run.note(Stage.AUTHENTICATION, Reason.OUT_OF_TRIES, tries.origin, limit)
            break
        if index + 1 - before >= len(run.attempt.passwords):
            run.waits = True
            break
    run.outcome = "denied"
    return None


def _count_remote(run: Evaluation, endpoint: Endpoint) -> None:
    pause = run.resolved.device.management.pause
    if pause is not None and (endpoint.via in REMOTE_WAYS or (pause.value.everywhere and endpoint.via in PORTS)):
        run.lockout.remote_failed(pause.value, run.attempt.at)


def _tries(run: Evaluation, endpoint: Endpoint) -> Resolved:
    by_policy = said(run, endpoint, "tries")
    if by_policy is not None:
        return Resolved(*by_policy)
    ssh = run.resolved.device.ssh
    if endpoint.via == "ssh":
        return run.resolved.said_or(ssh.tries, "unsaid-tries", ssh.block)
    service = endpoint.service
    if service is not None and service.tries is not None:
        return Resolved(*service.tries)
    return run.resolved.facts["unsaid-tries"]


def _guest(run: Evaluation, endpoint: Endpoint) -> Answer | None:
    """The answer to whoever gives neither name nor password, where there are guests."""
    if run.attempt.name is not None or run.attempt.wrong_before:
        return None
    service = endpoint.service
    guest = said(run, endpoint, "guest") or (service.guest if service is not None else None)
    if guest is None:
        return None
    run.offer(run.attempt.passwords, 0)
    if run.oracle.offers_text():
        return None
    run.note(Stage.AUTHENTICATION, Reason.GUEST, guest.origin)
    return Answer("yes", guest.origin, fixed=guest.value, guest=True)


# -- which check -------------------------------------------------------------------------------------------------------


def check_of(run: Evaluation, endpoint: Endpoint) -> tuple[Check, Provenance]:
    """The check that holds at a place, and what says so."""
    resolved = run.resolved
    service, entry = endpoint.service, endpoint.entry
    by_policy = said(run, endpoint, "check")
    if by_policy is not None:
        return by_policy.value, by_policy.origin
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
    credentials = place_credentials(run, challenge.endpoint)
    if not credentials:
        fact = run.resolved.facts["no-password-set"]
        if run.settle(fact, "no-password-set") == "admit":
            run.note(Stage.AUTHENTICATION, Reason.NO_PASSWORD_ADMITS, fact.origin)
            return Answer("yes", fact.origin)
        return Answer("drop", challenge.origin)
    return check_secret(run, challenge, credentials)


def _check_users(run: Evaluation, challenge: Challenge, asked: Check) -> Answer:
    del asked
    return ask_accounts(run, challenge)


def _check_both(run: Evaluation, challenge: Challenge, asked: Check) -> Answer:
    """SSH that wants a key, which has passed, and the password of the same account."""
    del asked
    return ask_accounts(run, challenge)


def _check_methods(run: Evaluation, challenge: Challenge, asked: Check) -> Answer:
    purpose = "web" if challenge.endpoint.entry is None else "login"
    answer = ask_named(run, challenge, (purpose, asked.name))
    entry = challenge.endpoint.entry
    if answer.verdict == "yes" or entry is None or entry.users_last is None:
        return answer
    run.note(Stage.AUTHENTICATION, Reason.USERS_LAST, entry.users_last.origin, entry.spoken)
    last = ask_accounts(run, challenge._replace(origin=entry.users_last.origin))
    return last._replace(asked=last.asked or answer.asked)


def _check_elevation_password(run: Evaluation, challenge: Challenge, asked: Check) -> Answer:
    del asked
    credentials = elevation_credentials(run, 15)
    if not credentials:
        bare = run.resolved.facts["bare-elevation-remote"]
        admits = run.settle(bare, "bare-elevation-remote") == "admit"
        sentence = Reason.ELEVATION_UNSET_ADMITS if admits else Reason.ELEVATION_UNSET_DENIES
        run.note(Stage.AUTHENTICATION, sentence, bare.origin)
        return Answer("yes" if admits else "no", bare.origin, fixed=15)
    answer = check_secret(run, challenge, credentials)
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
        stated = snmp.communities[number - 1]
        credential = Credential(f"community:{number}", stated.value.password, stated.origin, f"of community {number}")
        if stated.value.password.form is Form.NONE or not run.oracle.opens(credential):
            continue
        if stated.value.sources is not None:
            limit = Configured(stated.value.sources, stated.origin)
            allowed, step = run.allowed_from(limit, f"community {number}", Stage.AUTHENTICATION)
            run.steps.append(step)
            if not allowed:
                denied = Step(Stage.AUTHENTICATION, Reason.COMMUNITY_NOT_FROM, step.origin)
                continue
        level = 15 if stated.value.write else 1
        if best is None or level > (best.fixed or 0):
            best = Answer("yes", stated.origin, fixed=level)
    if best is None and run.oracle.offers_text() and run.maybe(snmp.block, "whether the community offered is one"):
        level = run.choose((1, 15), snmp.block.doubt or Origin("", 0), "whether the community may write")
        best = Answer("yes", snmp.block.doubt or Origin("", 0), fixed=level)
    if best is None:
        run.stop("denied", denied.stage, denied.code, denied.origin, *denied.arguments)
        return None
    what = "reading and writing" if best.fixed == 15 else "reading"
    run.note(Stage.AUTHENTICATION, Reason.COMMUNITY_RIGHT, best.origin, what)
    return Granted(best)
