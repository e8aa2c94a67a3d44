"""Section four of the decision: from the level of the login to the level wanted."""

from collections.abc import Iterator
from typing import NamedTuple

from overhang.device import Said
from overhang.login import words
from overhang.login.accounts import ask_accounts, elevation_keyhole, open_keyhole
from overhang.login.desk import Answer, Desk
from overhang.login.landing import level_of_account
from overhang.login.methods import ask_list
from overhang.login.result import Fact, FromAttempt
from overhang.login.run import Run
from overhang.login.setting import Place
from overhang.secrets import plain_text


class Elevated(NamedTuple):
    """How an elevation ends: granted or not, and the level that the person then has."""

    granted: bool
    level: int


def elevate(run: Run, place: Place, before: int, wanted: int) -> Elevated:
    """Try to get from level ``before`` to ``wanted``."""
    run.stage = words.ELEVATING
    run.asked = frozenset() if run.attempt.elevate_name is not None else frozenset({"name"})
    if before >= wanted:
        run.note(words.ELEVATING, words.ALREADY_THERE, run.steps[-1].origin, wanted)
        return Elevated(True, before)
    setting = run.setting
    how_fact = setting.facts["elevates"]
    if place.entry is None:
        run.note(words.ELEVATING, words.NOT_ON_WEB, FromAttempt("via"))
        return Elevated(False, before)
    how = run.settle(how_fact, "elevates")
    if how == "no":
        run.note(words.ELEVATING, words.NOBODY_ELEVATES, how_fact.origin)
        return Elevated(False, before)
    name = run.attempt.elevate_name if run.attempt.elevate_name is not None else run.attempt.name
    named = _list_named(run, place)
    if named is not None:
        return _by_list(run, place, name, (before, wanted), named)
    return _HOW[how](run, Desk(place, "elevation", name, how_fact.origin, wanted, any_way=True), before)


def _list_named(run: Run, place: Place) -> Said[str | None] | None:
    """The list for elevation that holds here: its name (None: the list for all) and the line that names it."""
    for part in (place.service, place.entry):
        if part is None:
            continue
        if part.elevation is not None:
            return Said(part.elevation.value, part.elevation.origin)
        if part.block.doubt is not None:
            options = (None, *(check.name for check in run.setting.list_checks("elevation") if check.name))
            name = run.choose(options, part.block.doubt, f"which list elevation asks at the {part.label}")
            if name is not None:
                return Said(name, part.block.doubt)
    general = run.setting.device.lists.get(("elevation", None))
    return None if general is None or general.block.origin is None else Said(None, general.block.origin)


def _by_list(run: Run, place: Place, name: str | None, levels: tuple[int, int], named: Said[str | None]) -> Elevated:
    setting = run.setting
    before, wanted = levels
    found = setting.device.lists.get(("elevation", named.value))
    desk = Desk(place, "elevation", name, named.origin, wanted)
    by_users = False
    if found is None:
        missing = run.settle(setting.facts["missing-methods"], "missing-methods")
        if missing == "general":
            run.note(words.ELEVATING, words.LIST_UNDEFINED_GENERAL, named.origin, named.value)
            found = setting.device.lists.get(("elevation", None))
            if found is None:
                run.note(words.ELEVATING, words.NO_LIST_FOR_ALL, named.origin)
                return Elevated(False, before)
        elif missing == "users":
            run.note(words.ELEVATING, words.LIST_UNDEFINED_USERS, named.origin, named.value)
            by_users = True
        else:
            run.note(words.ELEVATING, words.LIST_UNDEFINED_DENIES, named.origin, named.value)
            return Elevated(False, before)
    for _ in _tries(run):
        if by_users:
            answer = _high_enough(run, desk, ask_accounts(run, desk))
        elif found is not None:
            answer = ask_list(run, desk, found)
        if answer.verdict == "yes":
            return Elevated(True, wanted)
        if not answer.asked:
            break
    return Elevated(False, before)


def _high_enough(run: Run, desk: Desk, answer: Answer) -> Answer:
    if answer.verdict == "yes" and answer.account is not None:
        level, _ = level_of_account(run, desk.place, answer.account)
        if level < desk.level:
            run.note(words.ELEVATING, words.ACCOUNT_TOO_LOW, answer.origin, answer.account.name, desk.level)
            return Answer("no", answer.origin, True)
    return answer


def _by_accounts(run: Run, desk: Desk, before: int) -> Elevated:
    today = run.attempt.moment.date()
    high = [
        account
        for account in run.setting.accounts
        if account.disabled is None
        and not (account.expires is not None and today > account.expires.value)
        and level_of_account(run, desk.place, account)[0] >= desk.level
    ]
    if not high:
        run.note(words.ELEVATING, words.BARE_ACCOUNTS, desk.origin, desk.level)
        return Elevated(True, desk.level)
    for _ in _tries(run):
        answer = _high_enough(run, desk, ask_accounts(run, desk))
        if answer.verdict == "yes":
            return Elevated(True, desk.level)
        if not answer.asked:
            break
    return Elevated(False, before)


def _by_tiers(run: Run, desk: Desk, before: int) -> Elevated:
    found = {tier: elevation_keyhole(run, tier) for tier in sorted(run.setting.device.elevations)}
    keyholes = {tier: keyhole for tier, keyhole in found.items() if keyhole is not None}
    if not keyholes:
        return _bare(run, desk, before)
    best, level = None, before
    for _ in _tries(run):
        run.ask("password", words.ASKS_PASSWORD, desk.origin, "of a level")
        best = None
        for tier, keyhole in sorted(keyholes.items(), reverse=True):
            empty = plain_text(keyhole.stored) == ""
            if (empty and not run.asker.offers_text()) or run.asker.opens(keyhole):
                best = tier
                break
        if best is None:
            run.note(words.ELEVATING, words.TIERS_UNOPENED, desk.origin)
            continue
        origin = keyholes[best].origin
        level = max(level, best)
        if best >= desk.level:
            run.note(words.ELEVATING, words.TIER_OPENED, origin, best)
            return Elevated(True, best)
        run.note(words.ELEVATING, words.TIER_TOO_LOW, origin, best, desk.level)
    return Elevated(False, level)


def _by_secret(run: Run, desk: Desk, before: int) -> Elevated:
    keyhole = elevation_keyhole(run, desk.level)
    if keyhole is None:
        return _bare(run, desk, before)
    for _ in _tries(run):
        answer = open_keyhole(run, desk, keyhole)
        if answer.verdict == "yes":
            return Elevated(True, desk.level)
    return Elevated(False, before)


def _bare(run: Run, desk: Desk, before: int) -> Elevated:
    where = "console" if desk.place.via == "console" else "remote"
    key = f"bare-elevation-{where}"
    fact: Fact = run.setting.facts[key]
    admits = run.settle(fact, key) == "admit"
    sentence = words.BARE_ADMITS if admits else words.BARE_DENIES
    run.note(words.ELEVATING, sentence, fact.origin, desk.level)
    return Elevated(admits, desk.level if admits else before)


def _tries(run: Run) -> Iterator[int]:
    """The tries that the person makes: the asker turns to the next text as each begins."""
    limit = run.settle(run.setting.facts["elevation-tries"], "elevation-tries")
    texts = run.attempt.elevate_passwords
    for index in range(min(limit, max(1, len(texts)))):
        run.offer(texts, index)
        yield index


_HOW = {"accounts": _by_accounts, "tiers": _by_tiers, "secret": _by_secret}
