"""Method lists: places asked from the top down, of which the first that answers ends it, yes or no."""

from collections.abc import Callable

from overhang.device import Method, MethodList, Said
from overhang.login import words
from overhang.login.accounts import ask_accounts, elevation_keyhole, open_keyhole, password_is_there
from overhang.login.desk import Answer, Desk
from overhang.login.landing import level_of_account
from overhang.login.result import FromAttempt
from overhang.login.run import Run
from overhang.text import Origin


def ask_list(run: Run, desk: Desk, methods: MethodList) -> Answer:
    """Ask a method list; "none" never comes back: a list that ends without an answer denies."""
    doubt = methods.block.doubt
    asked = False
    for said in methods.methods:
        if doubt is not None and said.origin.line > doubt.line:
            unread = _unread(run, doubt)
            if unread is not None:
                return unread
            doubt = None
        answer = _METHODS[said.value.kind](run, desk._replace(origin=said.origin), said)
        asked = asked or answer.asked
        if answer.verdict != "none":
            return answer._replace(asked=asked, through_list=True)
    if doubt is not None:
        unread = _unread(run, doubt)
        if unread is not None:
            return unread
    origin = methods.block.origin or Origin(run.setting.device.file, 0)
    run.note(run.stage, words.LIST_ENDS, origin)
    return Answer("no", origin, asked)


def _unread(run: Run, doubt: Origin) -> Answer | None:
    verdict = run.choose(("none", "yes", "no"), doubt, "what a method that was not understood answers")
    return None if verdict == "none" else Answer(verdict, doubt, True, through_list=True)


def _servers(run: Run, desk: Desk, said: Said[Method]) -> Answer:
    name = said.value.group or ""
    group = run.setting.device.groups.get(name)
    if group is None:
        run.note(run.stage, words.GROUP_UNDEFINED, said.origin, name)
        return Answer("none", said.origin)
    if not any(run.asker.is_up(server.value.address) for server in group.servers):
        if group.block.doubt is not None:
            about = f"whether group {name} has a server that is up"
            if run.maybe(group.block, about):
                return _ask_server(run, desk, said, name)
        sentence = words.GROUP_DOWN if group.servers else words.GROUP_EMPTY
        run.note(run.stage, sentence, said.origin, name)
        return Answer("none", said.origin)
    return _ask_server(run, desk, said, name)


def _ask_server(run: Run, desk: Desk, said: Said[Method], group: str) -> Answer:
    run.ask("name", words.ASKS_NAME, said.origin)
    if desk.name is None:
        run.note(run.stage, words.NO_NAME, FromAttempt("name"))
        return Answer("no", FromAttempt("name"), True)
    run.ask("password", words.ASKS_PASSWORD, said.origin, f"of {desk.name} at group {group}")
    answer = run.asker.server_says(group, desk.name)
    if not answer.accepts:
        if not answer.typed:
            run.note(run.stage, words.NOTHING_OFFERED, run.nothing())
            return Answer("no", run.nothing(), True)
        run.note(run.stage, words.SERVER_REJECTS, said.origin, group)
        return Answer("no", said.origin, True)
    if desk.purpose == "elevation" and answer.level is not None and answer.level < desk.level:
        run.note(run.stage, words.SERVER_TOO_LOW, said.origin, group, desk.level)
        return Answer("no", said.origin, True)
    run.note(run.stage, words.SERVER_ACCEPTS, said.origin, group)
    return Answer("yes", said.origin, True, group=group, server_level=answer.level)


def _users(run: Run, desk: Desk, said: Said[Method]) -> Answer:
    answer = ask_accounts(run, desk, in_list=True)
    if answer.verdict == "yes" and desk.purpose == "elevation" and answer.account is not None:
        level, _ = level_of_account(run, desk.place, answer.account)
        if level < desk.level:
            run.note(run.stage, words.ACCOUNT_TOO_LOW, answer.origin, answer.account.name, desk.level)
            return Answer("no", answer.origin, True)
    del said
    return answer


def _entry_password(run: Run, desk: Desk, said: Said[Method]) -> Answer:
    entry = desk.place.entry
    if entry is None:
        run.note(run.stage, words.ENTRY_NOT_WEB, said.origin)
        return Answer("none", said.origin)
    if entry.keyhole is None or not password_is_there(run, desk.place):
        run.note(run.stage, words.ENTRY_UNSET, said.origin)
        return Answer("none", said.origin)
    return open_keyhole(run, desk, entry.keyhole)


def _elevation_password(run: Run, desk: Desk, said: Said[Method]) -> Answer:
    level = desk.level if desk.purpose == "elevation" else 15
    keyhole = elevation_keyhole(run, level)
    if keyhole is None:
        run.note(run.stage, words.ELEVATION_UNSET, said.origin, level)
        return Answer("none", said.origin)
    answer = open_keyhole(run, desk, keyhole)
    return answer._replace(fixed=15) if desk.place.entry is None else answer


def _nothing(run: Run, desk: Desk, said: Said[Method]) -> Answer:
    del desk
    run.note(run.stage, words.METHOD_NOTHING, said.origin)
    return Answer("yes", said.origin)


def _reject(run: Run, desk: Desk, said: Said[Method]) -> Answer:
    del desk
    run.note(run.stage, words.METHOD_REJECT, said.origin)
    return Answer("no", said.origin)


_METHODS: dict[str, Callable[[Run, Desk, Said[Method]], Answer]] = {
    "servers": _servers,
    "users": _users,
    "entry-password": _entry_password,
    "elevation-password": _elevation_password,
    "nothing": _nothing,
    "reject": _reject,
}
