"""Method lists: methods asked in order; the first that answers, yes or no, ends the list."""

from collections.abc import Callable

from overhang.model import Configured, Method, MethodList
from overhang.simulation.accounts import ask_accounts, check_secret, elevation_credential, password_is_there
from overhang.simulation.authorization import level_of_account
from overhang.simulation.challenge import Answer, Challenge
from overhang.simulation.evaluation import Evaluation
from overhang.simulation.reasons import Reason
from overhang.simulation.resolve import ResolvedDevice
from overhang.simulation.result import FromAttempt
from overhang.text import Origin


def ask_list(run: Evaluation, challenge: Challenge, methods: MethodList) -> Answer:
    """Ask a method list; "none" never comes back: a list that ends without an answer denies."""
    doubt = methods.block.doubt
    asked = False
    for place, said in enumerate(methods.methods):
        if doubt is not None and place >= methods.block.after:
            unread = _unread(run, doubt)
            if unread is not None:
                return unread
            doubt = None
        answer = _METHODS[said.value.kind](run, challenge._replace(origin=said.origin), said)
        asked = asked or answer.asked
        if answer.verdict != "none":
            return answer._replace(asked=asked, through_list=True)
    if doubt is not None:
        unread = _unread(run, doubt)
        if unread is not None:
            return unread
    origin = methods.block.origin or Origin(run.resolved.device.file, 0)
    run.note(run.stage, Reason.LIST_ENDS, origin)
    return Answer("no", origin, asked)


def _unread(run: Evaluation, doubt: Origin) -> Answer | None:
    verdict = run.choose(("none", "yes", "no"), doubt, "what a method that was not understood answers")
    return None if verdict == "none" else Answer(verdict, doubt, True, through_list=True)


def _servers(run: Evaluation, challenge: Challenge, said: Configured[Method]) -> Answer:
    name = said.value.group or ""
    group = run.resolved.device.groups.get(name)
    if group is None:
        run.note(run.stage, Reason.GROUP_UNDEFINED, said.origin, name)
        return Answer("none", said.origin)
    if not any(run.oracle.is_up(server.value.address) for server in group.servers):
        if group.block.doubt is not None:
            about = f"whether group {name} has a server that is up"
            if run.maybe(group.block, about):
                return _ask_server(run, challenge, said, name)
        sentence = Reason.GROUP_DOWN if group.servers else Reason.GROUP_EMPTY
        run.note(run.stage, sentence, said.origin, name)
        return Answer("none", said.origin)
    return _ask_server(run, challenge, said, name)


def _ask_server(run: Evaluation, challenge: Challenge, said: Configured[Method], group: str) -> Answer:
    run.ask("name", Reason.ASKS_NAME, said.origin)
    if challenge.name is None:
        run.note(run.stage, Reason.NO_NAME, FromAttempt("name"))
        return Answer("no", FromAttempt("name"), True)
    run.ask("password", Reason.ASKS_PASSWORD, said.origin, f"of {challenge.name} at group {group}")
    answer = run.oracle.server_says(group, challenge.name)
    if not answer.accepts:
        if not answer.typed:
            run.note(run.stage, Reason.NOTHING_OFFERED, run.nothing())
            return Answer("no", run.nothing(), True)
        run.note(run.stage, Reason.SERVER_REJECTS, said.origin, group)
        return Answer("no", said.origin, True)
    if challenge.purpose == "elevation" and answer.level is not None and answer.level < challenge.level:
        run.note(run.stage, Reason.SERVER_TOO_LOW, said.origin, group, challenge.level)
        return Answer("no", said.origin, True)
    run.note(run.stage, Reason.SERVER_ACCEPTS, said.origin, group)
    return Answer("yes", said.origin, True, group=group, server_level=answer.level)


def _users(run: Evaluation, challenge: Challenge, said: Configured[Method]) -> Answer:
    answer = ask_accounts(run, challenge, in_list=True)
    if answer.verdict == "yes" and challenge.purpose == "elevation" and answer.account is not None:
        level, _ = level_of_account(run, challenge.endpoint, answer.account)
        if level < challenge.level:
            run.note(run.stage, Reason.ACCOUNT_TOO_LOW, answer.origin, answer.account.name, challenge.level)
            return Answer("no", answer.origin, True)
    del said
    return answer


def _entry_password(run: Evaluation, challenge: Challenge, said: Configured[Method]) -> Answer:
    entry = challenge.endpoint.entry
    if entry is None:
        run.note(run.stage, Reason.ENTRY_NOT_WEB, said.origin)
        return Answer("none", said.origin)
    if entry.credential is None or not password_is_there(run, challenge.endpoint):
        run.note(run.stage, Reason.ENTRY_UNSET, said.origin)
        return Answer("none", said.origin)
    return check_secret(run, challenge, entry.credential)


def _elevation_password(run: Evaluation, challenge: Challenge, said: Configured[Method]) -> Answer:
    level = challenge.level if challenge.purpose == "elevation" else 15
    credential = elevation_credential(run, level)
    if credential is None:
        run.note(run.stage, Reason.ELEVATION_UNSET, said.origin, level)
        return Answer("none", said.origin)
    answer = check_secret(run, challenge, credential)
    return answer._replace(fixed=15) if challenge.endpoint.entry is None else answer


def _nothing(run: Evaluation, challenge: Challenge, said: Configured[Method]) -> Answer:
    del challenge
    run.note(run.stage, Reason.METHOD_NOTHING, said.origin)
    return Answer("yes", said.origin)


def _reject(run: Evaluation, challenge: Challenge, said: Configured[Method]) -> Answer:
    del challenge
    run.note(run.stage, Reason.METHOD_REJECT, said.origin)
    return Answer("no", said.origin)


_METHODS: dict[str, Callable[[Evaluation, Challenge, Configured[Method]], Answer]] = {
    "servers": _servers,
    "users": _users,
    "entry-password": _entry_password,
    "elevation-password": _elevation_password,
    "nothing": _nothing,
    "reject": _reject,
}


def always_answers(resolved: ResolvedDevice, method: Method) -> bool:
    """Whether a method answers every login, so that no method after it is ever asked."""
    if method.kind in ("nothing", "reject"):
        return True
    if method.kind == "users":
        return bool(resolved.device.users) and resolved.facts["unknown-account"].value == "reject"
    return method.kind == "elevation-password" and 15 in resolved.elevations
