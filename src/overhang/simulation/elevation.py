"""Elevation: from the level after login to the level requested."""

from collections.abc import Iterator
from typing import NamedTuple

from overhang.model import Configured
from overhang.model.verification import plain_text
from overhang.simulation.accounts import ask_accounts, check_secret, elevation_credentials, shut_by
from overhang.simulation.authorization import level_of_account
from overhang.simulation.challenge import Answer, Challenge, Session
from overhang.simulation.evaluation import Evaluation
from overhang.simulation.method_lists import ask_named, high_enough
from overhang.simulation.policies import holds, open_here
from overhang.simulation.reasons import Reason, Stage
from overhang.simulation.result import FromAttempt, Resolved, Step
from overhang.simulation.views import Credential, Endpoint


class Elevated(NamedTuple):
    """The result of an elevation: granted or not, and the final level."""

    granted: bool
    level: int


def elevate(run: Evaluation, endpoint: Endpoint, session: Session, wanted: int) -> Elevated:
    """Try to elevate a session to level ``wanted``."""
    before = session.level
    run.stage = Stage.ELEVATION
    run.asked = frozenset() if run.attempt.elevate_name is not None else frozenset({"name"})
    if before >= wanted:
        run.note(Stage.ELEVATION, Reason.ALREADY_THERE, run.steps[-1].origin, wanted)
        return Elevated(True, before)
    if session.stuck is not None:
        run.note(Stage.ELEVATION, Reason.MAY_NOT_ELEVATE, session.stuck)
        return Elevated(False, before)
    if session.cap is not None and wanted > session.cap.value:
        run.note(Stage.ELEVATION, Reason.ABOVE_CAP, session.cap.origin, wanted, session.cap.value)
        return Elevated(False, before)
    elevated = _elevate(run, endpoint, session, wanted)
    if session.cap is not None and elevated.level > session.cap.value:
        run.note(Stage.ELEVATION, Reason.CAPPED, session.cap.origin, session.cap.value)
        return elevated._replace(level=session.cap.value)
    return elevated


def _elevate(run: Evaluation, endpoint: Endpoint, session: Session, wanted: int) -> Elevated:
    before = session.level
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
    if named is not None or how != "tiers":
        refusal = not_for(run, endpoint, wanted, session)
        if refusal is not None:
            run.steps.append(refusal)
            return Elevated(False, before)
    if named is not None:
        return _by_list(run, Challenge(endpoint, "elevation", name, named.origin, wanted, session=session), named.value)
    challenge = Challenge(endpoint, "elevation", name, how_fact.origin, wanted, any_way=True, session=session)
    return _HOW[how](run, challenge, before)


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


def _by_list(run: Evaluation, challenge: Challenge, name: str | None) -> Elevated:
    before = challenge.session.level if challenge.session is not None else 0
    for _ in _tries(run):
        answer = ask_named(run, challenge, ("elevation", name))
        if answer.verdict == "yes":
            return _capped(run, answer, Elevated(True, challenge.level), before)
        if not answer.asked:
            break
    return Elevated(False, before)


def _capped(run: Evaluation, answer: Answer, elevated: Elevated, before: int) -> Elevated:
    """What an elevation through method lists comes to that have a level which nobody gets above."""
    low = min(answer.caps, key=lambda each: each.value, default=None)
    if low is None or elevated.level <= low.value:
        return elevated
    run.note(Stage.ELEVATION, Reason.ABOVE_CAP, low.origin, elevated.level, low.value)
    return Elevated(False, before)


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
        answer = high_enough(run, challenge, ask_accounts(run, challenge))
        if answer.verdict == "yes":
            return Elevated(True, challenge.level)
        if not answer.asked:
            break
    return Elevated(False, before)


def _by_tiers(run: Evaluation, challenge: Challenge, before: int) -> Elevated:
    found = {tier: elevation_credentials(run, tier) for tier in sorted(run.resolved.device.elevations)}
    credentials = {tier: held for tier, held in found.items() if held}
    if not credentials:
        return _bare(run, challenge, before)
    refusals = {tier: _not_for(run, challenge, tier) for tier in credentials}
    who = challenge.session.who if challenge.session is not None else None
    credentials = {
        tier: tuple(open_here(run, challenge.endpoint, held, who))
        for tier, held in credentials.items()
        if refusals[tier] is None
    }
    credentials = {tier: held for tier, held in credentials.items() if held}
    if not credentials:
        refusal = next((step for step in refusals.values() if step is not None), None)
        if refusal is None:
            run.note(Stage.ELEVATION, Reason.TIERS_UNOPENED, challenge.origin)
        else:
            run.steps.append(refusal)
        return Elevated(False, before)
    best, origin, level = None, challenge.origin, before
    for _ in _tries(run):
        run.ask("password", Reason.ASKS_PASSWORD, challenge.origin, "of a level")
        best = None
        for tier, credential in sorted(
            ((tier, each) for tier, held in credentials.items() for each in held), key=_tier
        ):
            empty = plain_text(credential.stored) == ""
            if (empty and not run.oracle.offers_text()) or run.oracle.opens(credential):
                best, origin = tier, credential.origin
                break
        if best is None:
            run.note(Stage.ELEVATION, Reason.TIERS_UNOPENED, challenge.origin)
            continue
        level = max(level, best)
        if best >= challenge.level:
            run.note(Stage.ELEVATION, Reason.TIER_OPENED, origin, best)
            return Elevated(True, best)
        run.note(Stage.ELEVATION, Reason.TIER_TOO_LOW, origin, best, challenge.level)
    return Elevated(False, level)


def _by_secret(run: Evaluation, challenge: Challenge, before: int) -> Elevated:
    credentials = elevation_credentials(run, challenge.level)
    if not credentials:
        return _bare(run, challenge, before)
    for _ in _tries(run):
        answer = check_secret(run, challenge, credentials)
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
    if not admits:
        return Elevated(False, before)
    reached = _bare_level(run, challenge.level)
    if reached < challenge.level:
        run.note(Stage.ELEVATION, Reason.BARE_REACHES, run.resolved.facts["bare-elevation-level"].origin, reached)
    return Elevated(reached >= challenge.level, max(before, reached))


def _bare_level(run: Evaluation, wanted: int) -> int:
    """The level that an elevation reaches for which no secret is set."""
    fact = run.resolved.facts["bare-elevation-level"]
    level = run.settle(fact, "bare-elevation-level", compared=False)
    return wanted if level is None else int(level)


def _not_for(run: Evaluation, challenge: Challenge, level: int) -> Step | None:
    return not_for(run, challenge.endpoint, level, challenge.session) if challenge.session is not None else None


def not_for(run: Evaluation, endpoint: Endpoint, level: int, session: Session) -> Step | None:
    """The step that says why the elevation to a level is not for a session; None where it is."""
    elevation = run.resolved.device.elevations.get(level)
    if elevation is None:
        return None
    if elevation.least is not None and session.level < elevation.least.value:
        return Step(run.stage, Reason.FROM_BELOW, elevation.least.origin, (level, elevation.least.value))
    if holds(run, endpoint, ("elevation", level), session.who):
        block = elevation.block
        if block.doubt is not None and run.maybe(block, f"whether elevation to level {level} is for this session"):
            return Step(run.stage, Reason.NOT_FOR_THIS, block.doubt, (level,))
        return None
    origin = next(each.origin for each in elevation.conditions if each is not None)
    return Step(run.stage, Reason.NOT_FOR_THIS, origin, (level,))


def _tier(held: tuple[int, Credential]) -> int:
    """Sorts the passwords of levels, the highest first."""
    return -held[0]


def _tries(run: Evaluation) -> Iterator[int]:
    """The tries that the person makes: the oracle turns to the next text as each begins."""
    fact = run.resolved.facts["elevation-tries"]
    limit = run.tries(fact, "elevation-tries")
    texts, before = run.attempt.elevate_passwords, run.attempt.elevate_wrong_before
    for index in range(before, min(limit, before + max(1, len(texts)))):
        run.offer(texts, index - before)
        yield index
    if before + len(texts) >= limit:
        run.note(Stage.ELEVATION, Reason.NO_MORE_TRIES, fact.origin, limit)
    else:
        run.waits = True


_HOW = {"accounts": _by_accounts, "tiers": _by_tiers, "secret": _by_secret}
