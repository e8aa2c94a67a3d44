"""Method lists: methods asked in order; the first that answers, yes or no, ends the list."""

from collections.abc import Callable

from overhang.model import Configured, Method, MethodList
from overhang.simulation.accounts import (
    ask_accounts,
    check_secret,
    elevation_credentials,
    is_usable,
    place_credentials,
)
from overhang.simulation.authorization import level_of_account
from overhang.simulation.challenge import Answer, Challenge
from overhang.simulation.evaluation import Evaluation
from overhang.simulation.policies import find_account
from overhang.simulation.reasons import Reason
from overhang.simulation.resolve import ResolvedDevice
from overhang.simulation.result import FromAttempt, Step
from overhang.simulation.views import Account
from overhang.text import Origin

#: A method list: its purpose, and its name (None: the default one).
Key = tuple[str, str | None]
#: So many lists may lead from one to the next; what more of them answer is not followed.
_MOST_LISTS = 64


def ask_named(run: Evaluation, challenge: Challenge, key: Key, seen: tuple[Key, ...] = ()) -> Answer:
    """Ask the list of a name; where there is none, what the profile says. ``seen`` are the lists that led here."""
    resolved = run.resolved
    found = resolved.device.lists.get(key)
    if found is None and key[1] is not None:
        what = run.settle(resolved.facts["missing-methods"], "missing-methods")
        if what == "users":
            run.note(run.stage, Reason.LIST_UNDEFINED_USERS, challenge.origin, key[1])
            return _users(run, challenge, in_list=False)
        if what in _UNDEFINED:
            run.note(run.stage, _UNDEFINED[what], challenge.origin, key[1])
            return Answer("yes" if what == "admit" else "no", challenge.origin)
        run.note(run.stage, Reason.LIST_UNDEFINED_GENERAL, challenge.origin, key[1])
        key = key[0], None
        found = resolved.device.lists.get(key)
    if found is None:
        run.note(run.stage, Reason.NO_LIST_FOR_ALL, challenge.origin)
        return Answer("no", challenge.origin)
    if len(seen) >= _MOST_LISTS:
        step = Step(run.stage, Reason.UNSURE_LISTS, challenge.origin, (key[1] or "for all", _MOST_LISTS))
        verdict = run.oracle.branch(("lists", key), ("no", "yes"), step)
        return Answer(verdict, challenge.origin, True, through_list=True)
    if key in seen:
        run.note(run.stage, Reason.LIST_CIRCLE, challenge.origin, key[1] or "for all")
        return Answer("no", challenge.origin)
    return ask_list(run, challenge, found, (*seen, key))


_UNDEFINED = {"deny": Reason.LIST_UNDEFINED_DENIES, "admit": Reason.LIST_UNDEFINED_ADMITS}


def ask_list(run: Evaluation, challenge: Challenge, methods: MethodList, seen: tuple[Key, ...]) -> Answer:
    """Ask a method list; "none" never comes back: one that ends without an answer denies, unless it says otherwise."""
    answer = _ask_list(run, challenge, methods, seen)
    caps = (methods.cap,) if methods.cap is not None else ()
    return answer._replace(caps=answer.caps + caps) if answer.verdict == "yes" and caps else answer


def _ask_list(run: Evaluation, challenge: Challenge, methods: MethodList, seen: tuple[Key, ...]) -> Answer:
    doubt = methods.block.doubt
    asked = rejected = False
    for place, said in enumerate(methods.methods):
        if doubt is not None and place >= methods.block.after:
            unread = _unread(run, doubt)
            if unread is not None:
                return unread
            doubt = None
        here = challenge._replace(origin=said.origin)
        answer = _METHODS[said.value.kind](run, here, said)
        asked = asked or answer.asked
        if answer.verdict == "no" and said.value.no == "goes-on":
            run.note(run.stage, Reason.NO_GOES_ON, said.origin)
            rejected = True
            continue
        if answer.verdict == "no" and said.value.no == "list":
            run.note(run.stage, Reason.NO_LEADS_ON, said.origin, said.value.next)
            answer = ask_named(run, here, (methods.purpose, said.value.next), seen)
            return answer._replace(asked=asked or answer.asked)
        if answer.verdict != "none":
            return answer._replace(asked=asked, through_list=True)
    if doubt is not None:
        unread = _unread(run, doubt)
        if unread is not None:
            return unread
    if rejected:  # the end speaks of silence alone
        origin = methods.block.origin or Origin(run.resolved.device.file, 0)
        run.note(run.stage, Reason.LIST_ENDS_REJECTED, origin)
        return Answer("no", origin, asked)
    at_end = _at_end(run, challenge, methods, seen)
    return at_end._replace(asked=asked or at_end.asked)


def _at_end(run: Evaluation, challenge: Challenge, methods: MethodList, seen: tuple[Key, ...]) -> Answer:
    """What follows where no method answered."""
    end = methods.at_end
    if end is None or end.value.kind == "deny":
        origin = end.origin if end is not None else methods.block.origin or Origin(run.resolved.device.file, 0)
        run.note(run.stage, Reason.LIST_ENDS, origin)
        return Answer("no", origin)
    here = challenge._replace(origin=end.origin)
    if end.value.kind == "admit":
        run.note(run.stage, Reason.END_ADMITS, end.origin)
        return Answer("yes", end.origin, through_list=True)
    if end.value.kind == "users":
        run.note(run.stage, Reason.END_USERS, end.origin)
        return _users(run, here, in_list=False)._replace(through_list=True)
    run.note(run.stage, Reason.END_LEADS_ON, end.origin, end.value.next)
    return ask_named(run, here, (methods.purpose, end.value.next), seen)


def _unread(run: Evaluation, doubt: Origin) -> Answer | None:
    verdict = run.choose(("none", "yes", "no"), doubt, "what a method that was not understood answers")
    return None if verdict == "none" else Answer(verdict, doubt, True, through_list=True)


def _servers(run: Evaluation, challenge: Challenge, said: Configured[Method]) -> Answer:
    name = said.value.group or ""
    group = run.resolved.device.groups.get(name)
    if group is None:
        fact = run.resolved.facts["missing-group"]
        if run.settle(fact, "missing-group") == "reject":
            run.note(run.stage, Reason.GROUP_UNDEFINED_REJECTS, said.origin, name)
            return Answer("no", said.origin)
        run.note(run.stage, Reason.GROUP_UNDEFINED, said.origin, name)
        return Answer("none", said.origin)
    if group.secret_wrong is not None:
        run.note(run.stage, Reason.GROUP_MUTE, group.secret_wrong.origin, name)
        return Answer("none", group.secret_wrong.origin)
    if not any(run.oracle.is_up(server.value.address, name, challenge.name) for server in group.servers):
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
    held = run.resolved.device.groups.get(group)
    account = find_account(run, challenge.name)
    if held is not None and held.needs_user is not None:
        fits = account is not None and is_usable(run, account, challenge.endpoint.via) is None
        if not fits:
            run.note(run.stage, Reason.SERVER_NEEDS_USER, held.needs_user.origin, group, challenge.name)
            return Answer("no", held.needs_user.origin, True)
    whose = held.level_from.value if held is not None and held.level_from is not None else "server"
    level = answer.level if whose == "server" else _joint_level(run, account, answer.level, whose)
    if challenge.purpose == "elevation" and level is not None and level < challenge.level:
        run.note(run.stage, Reason.SERVER_TOO_LOW, said.origin, group, challenge.level)
        return Answer("no", said.origin, True)
    run.note(run.stage, Reason.SERVER_ACCEPTS, said.origin, group)
    return Answer("yes", said.origin, True, group=group, server_level=level, local=whose != "server")


def _joint_level(run: Evaluation, account: Account | None, given: int | None, whose: str) -> int | None:
    """The level that counts where the local account of the same name has a say."""
    own = None
    if account is not None and account.level is not None:
        own = run.settle_level(account.level, f"the level of account {account.name}")
    if whose == "account":
        return own
    levels = [each for each in (given, own) if each is not None]
    return (min if whose == "lower" else max)(levels, default=None)


def _ask_users(run: Evaluation, challenge: Challenge, said: Configured[Method]) -> Answer:
    del said
    return _users(run, challenge, in_list=True)


def _users(run: Evaluation, challenge: Challenge, *, in_list: bool) -> Answer:
    return high_enough(run, challenge, ask_accounts(run, challenge, in_list=in_list))


def high_enough(run: Evaluation, challenge: Challenge, answer: Answer) -> Answer:
    """The answer, or a rejection where an account whose level is too low is to elevate somebody."""
    if answer.verdict == "yes" and challenge.purpose == "elevation" and answer.account is not None:
        level = answer.own_level
        if level is None:
            level, _ = level_of_account(run, challenge.endpoint, answer.account)
        if level < challenge.level:
            run.note(run.stage, Reason.ACCOUNT_TOO_LOW, answer.origin, answer.account.name, challenge.level)
            return Answer("no", answer.origin, True)
    return answer


def _entry_password(run: Evaluation, challenge: Challenge, said: Configured[Method]) -> Answer:
    if challenge.endpoint.entry is None:
        run.note(run.stage, Reason.ENTRY_NOT_WEB, said.origin)
        return Answer("none", said.origin)
    credentials = place_credentials(run, challenge.endpoint)
    if not credentials:
        run.note(run.stage, Reason.ENTRY_UNSET, said.origin)
        return Answer("none", said.origin)
    return check_secret(run, challenge, credentials)


def _elevation_password(run: Evaluation, challenge: Challenge, said: Configured[Method]) -> Answer:
    level = challenge.level if challenge.purpose == "elevation" else 15
    credentials = elevation_credentials(run, level)
    if not credentials:
        run.note(run.stage, Reason.ELEVATION_UNSET, said.origin, level)
        return Answer("none", said.origin)
    answer = check_secret(run, challenge, credentials)
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
    "users": _ask_users,
    "entry-password": _entry_password,
    "elevation-password": _elevation_password,
    "nothing": _nothing,
    "reject": _reject,
}


def always_answers(resolved: ResolvedDevice, method: Method) -> bool:
    """Whether a method answers every login for good, so that no method after it is ever asked."""
    if method.no == "goes-on" and method.kind != "nothing":
        return False
    if method.kind in ("nothing", "reject"):
        return True
    if method.kind == "users":
        return bool(resolved.device.users) and resolved.facts["unknown-account"].value == "reject"
    return method.kind == "elevation-password" and 15 in resolved.elevations
