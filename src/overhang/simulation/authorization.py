"""Authorization: the privilege level after login."""

from overhang.model import Configured
from overhang.model.vocabulary import PORTS
from overhang.simulation.challenge import Answer, Session
from overhang.simulation.evaluation import Evaluation
from overhang.simulation.policies import said
from overhang.simulation.reasons import Reason, Stage
from overhang.simulation.result import Provenance, Resolved
from overhang.simulation.views import Account, Endpoint

Level = tuple[int, Provenance]


def land(run: Evaluation, endpoint: Endpoint, answer: Answer, *, through_list: bool) -> Session:
    """The session; the steps that show where its level comes from are added to the trace."""
    run.stage = Stage.AUTHORIZATION
    level = _level(run, endpoint, answer, through_list=through_list)
    who = None
    if run.resolved.asks_who:
        who = answer.account.name if answer.account is not None else run.attempt.name if answer.group else None
    caps = _caps(run, endpoint, answer)
    cap = Resolved(*min(caps, key=lambda each: each.value)) if caps else None
    if cap is not None and level > cap.value:
        run.note(Stage.AUTHORIZATION, Reason.CAPPED, cap.origin, cap.value)
        level = cap.value
    elevates = said(run, endpoint, "elevates")
    if elevates is None and answer.account is not None:
        elevates = answer.account.elevates
    stuck = elevates.origin if elevates is not None and not elevates.value else None
    return Session(level, cap, stuck, who)


def _caps(run: Evaluation, endpoint: Endpoint, answer: Answer) -> list[Configured[int]]:
    """The levels that nobody gets above who logs in so."""
    service, entry, account = endpoint.service, endpoint.entry, answer.account
    found = [*answer.caps, said(run, endpoint, "cap")]
    found += [each.cap for each in (service, entry, account) if each is not None]
    return [each for each in found if each is not None]


def _level(run: Evaluation, endpoint: Endpoint, answer: Answer, *, through_list: bool) -> int:
    if answer.fixed is not None:
        sentence = Reason.LANDS_COMMUNITY if endpoint.via == "snmp" else Reason.LANDS_UNSAID
        if endpoint.entry is None and endpoint.via != "snmp":
            sentence = Reason.LANDS_WEB
        sentence = Reason.LANDS_GUEST if answer.guest else sentence
        run.note(Stage.AUTHORIZATION, sentence, answer.origin, answer.fixed)
        return answer.fixed
    by_policy = said(run, endpoint, "level")
    if by_policy is not None:
        run.note(Stage.AUTHORIZATION, Reason.LANDS_POLICY, by_policy.origin, by_policy.value)
        return int(by_policy.value)
    if endpoint.via.startswith("door:") and endpoint.service is not None and endpoint.service.level is not None:
        return _place_level(run, endpoint, compared=False)[0]  # its own level goes before that of who let them in
    where = "users" if answer.account is not None else "servers" if answer.group is not None else ""
    if where and (not through_list or _carries(run, endpoint, where, answer.group)):
        if answer.server_level is not None:
            sentence = Reason.LANDS_LOCAL if answer.local else Reason.LANDS_SERVER
            run.note(Stage.AUTHORIZATION, sentence, answer.origin, answer.server_level)
            return answer.server_level
        if answer.own_level is not None and answer.account is not None:
            name = answer.account.name
            run.note(Stage.AUTHORIZATION, Reason.LANDS_PASSWORD, answer.origin, name, answer.own_level)
            return answer.own_level
        level = _own_level(run, answer.account, compared=False)
        if level is not None:
            return level[0]
    return _place_level(run, endpoint, compared=False)[0]


def level_of_account(run: Evaluation, endpoint: Endpoint, account: Account) -> Level:
    """The level of an account, its own or the access point's; no step is added to the trace."""
    told = len(run.steps)
    level = _own_level(run, account, compared=True) or _place_level(run, endpoint, compared=True)
    del run.steps[told:]
    cap = account.cap
    return (cap.value, cap.origin) if cap is not None and cap.value < level[0] else level


def _own_level(run: Evaluation, account: Account | None, *, compared: bool) -> Level | None:
    """The level of an account, or for a server's (None) what an account without one has; None: go on."""
    if account is not None and account.level is not None:
        value = run.settle_level(account.level, f"the level of account {account.name}", compared=compared)
        if value is not None:
            sentence = Reason.LANDS_ROLE if account.by_role else Reason.LANDS_ACCOUNT
            run.note(Stage.AUTHORIZATION, sentence, account.level.origin, account.name, value)
            return value, account.level.origin
    fact = run.resolved.facts["unsaid-account-level"]
    value = run.settle(fact, "unsaid-account-level", compared=compared)
    if value is None:
        return None
    run.note(Stage.AUTHORIZATION, Reason.LANDS_UNSAID_ACCOUNT, fact.origin, value)
    return value, fact.origin


def _carries(run: Evaluation, endpoint: Endpoint, where: str, group: str | None) -> bool:
    """Whether the level of an account or server counts after a login through a method list."""
    resolved = run.resolved
    if run.settle(resolved.facts["lists-carry-level"], "lists-carry-level"):
        return True
    levels = resolved.device.lists.get(("level", None))
    named = levels is not None and any(
        said.value.kind == where and (where == "users" or said.value.group == group) for said in levels.methods
    )
    if not named and levels is not None and run.maybe(levels.block, "whether levels may come from there"):
        named = True
    if endpoint.via != "console":
        return named
    level = endpoint.entry.level if endpoint.entry is not None else None
    if (
        level is None
        and endpoint.entry is not None
        and run.maybe(endpoint.entry.block, "whether the console asks for levels")
    ):
        return named
    return named and level is not None and level.value == "asked"


def _place_level(run: Evaluation, endpoint: Endpoint, *, compared: bool) -> Level:
    service, entry = endpoint.service, endpoint.entry
    if service is not None:
        if service.level is not None:
            run.note(
                Stage.AUTHORIZATION, Reason.LANDS_SERVICE, service.level.origin, service.label, service.level.value
            )
            return service.level.value, service.level.origin
        if endpoint.via != "snmp" and service.block.doubt is not None:
            about = f"the level of a login by {service.label}"
            value = run.choose_level(service.block.doubt, about, compared=compared)
            if value is not None:
                run.note(Stage.AUTHORIZATION, Reason.LANDS_SERVICE, service.block.doubt, service.label, value)
                return value, service.block.doubt
    if entry is not None:
        label = entry.label if entry.number is not None else f"the {entry.label}"
        if entry.level is not None and isinstance(entry.level.value, int):
            run.note(Stage.AUTHORIZATION, Reason.LANDS_ENTRY, entry.level.origin, label, entry.level.value)
            return entry.level.value, entry.level.origin
        if entry.level is None and entry.block.doubt is not None:
            value = run.choose_level(entry.block.doubt, f"the level of a login at {label}", compared=compared)
            if value is not None:
                run.note(Stage.AUTHORIZATION, Reason.LANDS_ENTRY, entry.block.doubt, label, value)
                return value, entry.block.doubt
    key = "unsaid-level-console" if endpoint.via in PORTS else "unsaid-level"
    fact: Resolved = run.resolved.facts[key]
    value = int(run.settle(fact, key, compared=compared))
    run.note(Stage.AUTHORIZATION, Reason.LANDS_UNSAID, fact.origin, value)
    return value, fact.origin
