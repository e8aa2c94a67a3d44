"""Elevation: from the level after login to the level requested."""

from collections.abc import Iterator
from typing import NamedTuple

from overhang.model import Configured
from overhang.model.verification import plain_text
from overhang.simulation.accounts import ask_accounts, check_secret, elevation_credential, shut_by
from overhang.simulation.authorization import level_of_account
from overhang.simulation.challenge import Answer, Challenge
from overhang.simulation.evaluation import Evaluation
from overhang.simulation.method_lists import ask_list
from overhang.simulation.reasons import Reason, Stage
from overhang.simulation.resolve import Endpoint
from overhang.simulation.result import FromAttempt, Resolved


class Elevated(NamedTuple):
    """The result of an elevation: granted or not, and the final level."""

    granted: bool
    level: int


def elevate(run: Evaluation, endpoint: Endpoint, before: int, wanted: int) -> Elevated:
    """Try to elevate from level ``before`` to ``wanted``."""
    run.stage = Stage.ELEVATION
    run.asked = frozenset() if run.attempt.elevate_name is not None else frozenset({"name"})
    if before >= wanted:
        run.note(Stage.ELEVATION, Reason.ALREADY_THERE, run.steps[-1].origin, wanted)
        return Elevated(True, before)
    resolved = run.resolved
    how_fact = resolved.facts["elevates"]
    if endpoint.entry is None:
        run.note(Stage.ELEVATION, Reason.NOT_ON_WEB, FromAttempt("via"))
        return Elevated(False, before)
    how = run.settle(how_fact, "elevates")
    if how == "no":
        run.note(Stage.ELEVATION, Reason.NOBODY_ELEVATES, how_fact.origin)
        return Elevated(False, before)
    name = run.attempt.elevate_name if run.attempt.elevate_name is not None else run.attempt.name
    named = _list_named(run, endpoint)
    if named is not None:
        return _by_list(run, endpoint, name, (before, wanted), named)
    return _HOW[how](run, Challenge(endpoint, "elevation", name, how_fact.origin, wanted, any_way=True), before)


def _list_named(run: Evaluation, endpoint: Endpoint) -> Configured[str | None] | None:
    """The list for elevation that holds here: its name (None: the list for all) and the line that names it."""
    for part in (endpoint.service, endpoint.entry):
        if part is None:
            continue
        if part.elevation is not None:
            return Configured(part.elevation.value, part.elevation.origin)
        if part.block.doubt is not None:
            options = (None, *(check.name for check in run.resolved.list_checks("elevation") if check.name))
            name = run.choose(options, part.block.doubt, f"which list elevation asks at the {part.label}")
            if name is not None:
                return Configured(name, part.block.doubt)
    general = run.resolved.device.lists.get(("elevation", None))
    return None if general is None or general.block.origin is None else Configured(None, general.block.origin)


def _by_list(
    run: Evaluation, endpoint: Endpoint, name: str | None, levels: tuple[int, int], named: Configured[str | None]
) -> Elevated:
    resolved = run.resolved
    before, wanted = levels
    found = resolved.device.lists.get(("elevation", named.value))
    challenge = Challenge(endpoint, "elevation", name, named.origin, wanted)
    by_users = False
    if found is None:
        missing = run.settle(resolved.facts["missing-methods"], "missing-methods")
        if missing == "general":
            run.note(Stage.ELEVATION, Reason.LIST_UNDEFINED_GENERAL, named.origin, named.value)
            found = resolved.device.lists.get(("elevation", None))
            if found is None:
                run.note(Stage.ELEVATION, Reason.NO_LIST_FOR_ALL, named.origin)
                return Elevated(False, before)
        elif missing == "users":
            run.note(Stage.ELEVATION, Reason.LIST_UNDEFINED_USERS, named.origin, named.value)
            by_users = True
        else:
            run.note(Stage.ELEVATION, Reason.LIST_UNDEFINED_DENIES, named.origin, named.value)
            return Elevated(False, before)
    for _ in _tries(run):
        if by_users:
            answer = _high_enough(run, challenge, ask_accounts(run, challenge))
        elif found is not None:
            answer = ask_list(run, challenge, found)
        if answer.verdict == "yes":
            return Elevated(True, wanted)
        if not answer.asked:
            break
    return Elevated(False, before)


def _high_enough(run: Evaluation, challenge: Challenge, answer: Answer) -> Answer:
    if answer.verdict == "yes" and answer.account is not None:
        level, _ = level_of_account(run, challenge.endpoint, answer.account)
        if level < challenge.level:
            run.note(Stage.ELEVATION, Reason.ACCOUNT_TOO_LOW, answer.origin, answer.account.name, challenge.level)
            return Answer("no", answer.origin, True)
    return answer


def _by_accounts(run: Evaluation, challenge: Challenge, before: int) -> Elevated:
    high = any(
        shut_by(account, run.attempt.moment) is None
        and level_of_account(run, challenge.endpoint, account)[0] >= challenge.level
        for account in run.resolved.accounts
    )
    if not high:
        run.note(Stage.ELEVATION, Reason.BARE_ACCOUNTS, challenge.origin, challenge.level)
        return Elevated(True, challenge.level)
    for _ in _tries(run):
        answer = _high_enough(run, challenge, ask_accounts(run, challenge))
        if answer.verdict == "yes":
            return Elevated(True, challenge.level)
        if not answer.asked:
            break
    return Elevated(False, before)


def _by_tiers(run: Evaluation, challenge: Challenge, before: int) -> Elevated:
    found = {tier: elevation_credential(run, tier) for tier in sorted(run.resolved.device.elevations)}
    credentials = {tier: credential for tier, credential in found.items() if credential is not None}
    if not credentials:
        return _bare(run, challenge, before)
    best, level = None, before
    for _ in _tries(run):
        run.ask("password", Reason.ASKS_PASSWORD, challenge.origin, "of a level")
        best = None
        for tier, credential in sorted(credentials.items(), reverse=True):
            empty = plain_text(credential.stored) == ""
            if (empty and not run.oracle.offers_text()) or run.oracle.opens(credential):
                best = tier
                break
        if best is None:
            run.note(Stage.ELEVATION, Reason.TIERS_UNOPENED, challenge.origin)
            continue
        origin = credentials[best].origin
        level = max(level, best)
        if best >= challenge.level:
            run.note(Stage.ELEVATION, Reason.TIER_OPENED, origin, best)
            return Elevated(True, best)
        run.note(Stage.ELEVATION, Reason.TIER_TOO_LOW, origin, best, challenge.level)
    return Elevated(False, level)


def _by_secret(run: Evaluation, challenge: Challenge, before: int) -> Elevated:
    credential = elevation_credential(run, challenge.level)
    if credential is None:
        return _bare(run, challenge, before)
    for _ in _tries(run):
        answer = check_secret(run, challenge, credential)
        if answer.verdict == "yes":
            return Elevated(True, challenge.level)
    return Elevated(False, before)


def _bare(run: Evaluation, challenge: Challenge, before: int) -> Elevated:
    where = "console" if challenge.endpoint.via == "console" else "remote"
    key = f"bare-elevation-{where}"
    fact: Resolved = run.resolved.facts[key]
    admits = run.settle(fact, key) == "admit"
    sentence = Reason.BARE_ADMITS if admits else Reason.BARE_DENIES
    run.note(Stage.ELEVATION, sentence, fact.origin, challenge.level)
    return Elevated(admits, challenge.level if admits else before)


def _tries(run: Evaluation) -> Iterator[int]:
    """The tries that the person makes: the oracle turns to the next text as each begins."""
    fact = run.resolved.facts["elevation-tries"]
    limit = run.settle(fact, "elevation-tries")
    texts = run.attempt.elevate_passwords
    for index in range(min(limit, max(1, len(texts)))):
        run.offer(texts, index)
        yield index
    if len(texts) >= limit:
        run.note(Stage.ELEVATION, Reason.NO_MORE_TRIES, fact.origin, limit)


_HOW = {"accounts": _by_accounts, "tiers": _by_tiers, "secret": _by_secret}
