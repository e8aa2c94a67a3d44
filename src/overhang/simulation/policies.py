"""Conditions, and the policies that they make hold for some logins.

What a condition says of the place (way, VTY, address of the device) is settled once, where a login arrives; what it
says of the person and the hour (source, account, role, time of day) where something depends on it.
"""

from collections.abc import Sequence
from typing import Any

from overhang.model import Check, Conditions, Configured, Hours, Policy
from overhang.model.blocks import ANY_SOURCE
from overhang.model.vocabulary import PORTS
from overhang.profiles import UNKNOWN
from overhang.simulation.evaluation import Evaluation
from overhang.simulation.reasons import Reason, Stage
from overhang.simulation.result import Step
from overhang.simulation.views import Account, Credential, Endpoint

#: What a field of a policy may be where a line of it was not understood, beside not being said.
_EITHER = (True, False)
_LEVELS = tuple(range(16))
_IN_DOUBT: dict[str, tuple[Any, ...]] = {
    "check": (Check("users"), Check("nothing")),
    "login": ("password key", "password", "key", "both"),
    "tries": (0, 1, 1000),
    "empty_passwords": _EITHER,
    "guest": _LEVELS,
    "level": _LEVELS,
    "cap": _LEVELS,
    "elevates": _EITHER,
    "refused": (True,),
}
#: Those of them by which somebody gets in, and as far, as by any other; of checks each lets in others.
_WIDEST: dict[str, tuple[Any, ...]] = {
    "login": ("password key",),
    "tries": (1000,),
    "empty_passwords": (True,),
    "guest": (15,),
    "level": (15,),
    "cap": (15,),
    "elevates": (True,),
    "refused": (),
}
_UNSAID = object()
#: So many policies are gone through each time; of more it is kept which hold for whom.
_FEW = 8


def met_at(run: Evaluation, vty: int | None) -> frozenset[object]:
    """The policies and elevations whose conditions on the place are met by a login that takes a VTY, or none."""
    if not run.resolved.conditions:
        return frozenset()
    return frozenset(key for key, each in run.resolved.conditions.items() if _place_fits(run, each, vty))


def _place_fits(run: Evaluation, conditions: Conditions, vty: int | None) -> bool:
    via = run.attempt.via
    if conditions.ways is not None and via not in conditions.ways.value:
        return False
    if conditions.not_ways is not None and via in conditions.not_ways.value:
        return False
    if conditions.vtys is not None:
        first, last = conditions.vtys.value
        if vty is None or not first <= vty <= last:
            return False
    if conditions.addresses is None:
        return True
    return via not in PORTS and run.oracle.goes_to(frozenset(conditions.addresses.value), run.attempt.destination)


def holds(run: Evaluation, endpoint: Endpoint, key: object, name: str | None) -> bool:
    """Whether the conditions of a policy or an elevation are met by a login at an endpoint under a username."""
    conditions = run.resolved.conditions.get(key)
    if conditions is None:
        return True
    if key not in endpoint.met:
        return False
    if conditions.hours is not None and not _at_this_hour(run, conditions.hours):
        return False
    if conditions.sources is not None and (
        endpoint.via in PORTS or not run.allowed_from(conditions.sources, "a condition")[0]
    ):
        return False
    return _person_fits(run, conditions, name)


def _at_this_hour(run: Evaluation, hours: Configured[Hours]) -> bool:
    """Whether the device's clock shows such a time; the trace tells that something hangs on it."""
    within = run.oracle.within(hours)
    code = Reason.WITHIN_HOURS if within else Reason.OUTSIDE_HOURS
    step = Step(run.stage, code, hours.origin, (hours.value.text,))
    if step not in run.steps:
        run.steps.append(step)
    return within


def _person_fits(run: Evaluation, conditions: Conditions, name: str | None) -> bool:
    if conditions.accounts is None and conditions.roles is None:
        return True
    account = find_account(run, name)
    if conditions.accounts is not None:
        names = conditions.accounts.value
        if name not in names and (account is None or not any(find_account(run, each) is account for each in names)):
            return False
    if conditions.roles is None:
        return True
    role = account.user.role if account is not None else None
    return role is not None and role.value in conditions.roles.value


def ask_name(run: Evaluation, endpoint: Endpoint) -> None:
    """Ask for a username, where a policy that may hold at the place depends on it."""
    for policy in run.resolved.policies:
        asks = policy.for_accounts if policy.for_accounts is not None else policy.for_roles
        if asks is not None and ("policy", policy.name) in endpoint.met:
            run.ask("name", Reason.ASKS_NAME, asks.origin)
            return


def find_account(run: Evaluation, name: str | None) -> Account | None:
    """The local account that a username means: the one that is spelt so, or where case does not matter nearly so."""
    if name is None:
        return None
    found = run.resolved.named.get(name)
    other = run.resolved.folded.get(name.casefold())
    if other is None or other is found:
        return found
    by_case = run.settle(run.resolved.facts["names-by-case"], "names-by-case")
    return found if by_case else other


def open_here(
    run: Evaluation, endpoint: Endpoint, credentials: Sequence[Credential], name: str | None
) -> Sequence[Credential]:
    """Those of the passwords of a lock that may open it to a login under a name."""
    if all(each.where is None for each in credentials):
        return credentials
    return [each for each in credentials if each.where is None or _policy_holds(run, endpoint, each.where, name)]


def _policy_holds(run: Evaluation, endpoint: Endpoint, policy: str, name: str | None) -> bool:
    """Whether a policy holds for a login, which an unread line of it puts in doubt; one that is missing never does."""
    found = run.resolved.device.policies.get(policy)
    if found is None or not holds(run, endpoint, ("policy", policy), name):
        return False
    return found.block.doubt is None or run.maybe(found.block, f"whether policy {policy} holds here")


def said(run: Evaluation, endpoint: Endpoint, field: str, name: str | None = None) -> Configured[Any] | None:
    """What the policy that counts for a login says of something; None where none says anything.

    The first that holds and says it counts; what it leaves unsaid the next may say.
    """
    if not run.resolved.policies:
        return None
    name = name if name is not None else run.attempt.name
    for policy in _candidates(run, endpoint, field, name):
        value: Configured[Any] | None = getattr(policy, field)
        if not holds(run, endpoint, ("policy", policy.name), name):
            continue
        doubt = policy.block.doubt
        if value is not None:
            if doubt is None or run.maybe(policy.block, f"whether policy {policy.name} holds here"):
                return value
        elif doubt is not None and field in _IN_DOUBT:
            purpose = "web" if endpoint.entry is None else "login"
            lists = run.resolved.list_checks(purpose) if field == "check" else ()
            options = (_UNSAID, *_IN_DOUBT[field], *lists)
            widest = (_UNSAID, *_WIDEST[field]) if field in _WIDEST else None
            chosen = run.choose(options, doubt, f"what policy {policy.name} says", f"{policy.name} {field}", widest)
            if chosen is not _UNSAID:
                return Configured(chosen, doubt)
    return None


def _candidates(run: Evaluation, endpoint: Endpoint, field: str, name: str | None) -> list[Policy]:
    """Those whose place, account and role are met: what these say is the same for every login under a name."""
    resolved = run.resolved
    ordered = _in_order(run, field)
    if len(ordered) < _FEW or resolved.facts["names-by-case"].value is UNKNOWN:
        return ordered
    order = run.settle(resolved.facts["policy-order"], "policy-order")
    key = (field, order, endpoint.met, name)
    found = resolved.candidates.get(key)
    if found is None:
        found = [
            policy
            for policy in ordered
            if ("policy", policy.name) in endpoint.met
            and _person_fits(run, resolved.conditions["policy", policy.name], name)
        ]
        resolved.candidates[key] = found
    return found


def _in_order(run: Evaluation, field: str) -> list[Policy]:
    """The policies that say something of a field, or of which nobody can tell, in the order in which they count."""
    resolved = run.resolved
    saying = resolved.saying(field)
    if len(saying) < 2:
        return saying
    order = run.settle(resolved.facts["policy-order"], "policy-order")
    found = resolved.ordered.get((field, order))
    if found is None:
        found = saying[::-1] if order == "last" else saying
        if order == "exact":
            found = sorted(saying, key=lambda policy: -resolved.conditions["policy", policy.name].parts)
        resolved.ordered[field, order] = found
    return found


def lets_in(run: Evaluation, endpoint: Endpoint, *, named: bool) -> bool:
    """Whether no policy refuses a login: those that name no account or role where it arrives, the others with its name.

    Otherwise the run is stopped.
    """
    resolved = run.resolved
    if not resolved.policies:
        return True
    if resolved.refuses_names is not named:
        return True
    stage = Stage.AUTHENTICATION if named else Stage.REACHABILITY
    run.stage = stage
    passes = _passes(run, endpoint, stage, "denied" if named else "refused")
    run.stage = Stage.AUTHENTICATION
    return passes


def _passes(run: Evaluation, endpoint: Endpoint, stage: Stage, outcome: str) -> bool:
    refused = said(run, endpoint, "refused")
    if refused is not None:
        run.stop(outcome, stage, Reason.POLICY_REFUSES, refused.origin)
        return False
    if endpoint.via in PORTS:
        return True
    for policy in _in_order(run, "sources"):
        family = policy.sources
        if family == ANY_SOURCE or not holds(run, endpoint, ("policy", policy.name), run.attempt.name):
            continue
        limit = family.ipv4
        if family.ipv4 is None or family.ipv6 is None or family.ipv4.value != family.ipv6.value:
            limit = family.ipv4 if run.oracle.source_family() == 4 else family.ipv6
        if limit is None:
            return True
        allowed, step = run.allowed_from(limit, f"policy {policy.name}", stage)
        if not allowed:
            run.stop(outcome, step.stage, step.code, step.origin, *step.arguments)
            return False
        run.steps.append(step)
        return True
    return True
