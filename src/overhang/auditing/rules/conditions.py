"""Rules about conditions, policies, and what holds for some accounts alone."""

from collections.abc import Iterator
from typing import NamedTuple

from overhang.auditing import fixes
from overhang.auditing.context import RuleContext
from overhang.auditing.findings import Finding, Severity, stated
from overhang.auditing.registry import Topic
from overhang.auditing.rules.common import Unauthenticated, by_cause, unauthenticated
from overhang.auditing.severity import AttackerEffort
from overhang.auditing.wording import listed
from overhang.exposure import AccessPath
from overhang.model import Configured, Policy
from overhang.model.blocks import Family
from overhang.simulation import Provenance, Reason
from overhang.text import Origin

rule = Topic("conditions and policies", 10)


def _head(policy: Policy) -> str:
    return fixes.named("policy", policy.name)


def _because(policy: Policy) -> list[Provenance]:
    return [policy.block.origin] if policy.block.origin is not None else []


def _through(context: RuleContext, policy: Policy) -> list[AccessPath]:
    """The paths at the places where a policy may hold."""
    key = ("policy", policy.name)
    return list(dict.fromkeys(path for point in context.access_points if key in point.met for path in point.paths))


# -- policies ----------------------------------------------------------------------------------------------------------


@rule("policy-never-holds")
def policy_never_holds(context: RuleContext) -> Iterator[Finding]:
    """Policies whose conditions no login meets."""
    met = {key for point in context.access_points for key in point.met}
    for policy in context.device.policies.values():
        if policy.block.doubt is not None or not context.all_found or not context.resolved.understood:
            continue
        why = _never(context, policy, met)
        if why is not None:
            message = f"policy {policy.name} never holds: {why[0]}"
            fix = [f"drop {_head(policy)}"]
            yield stated(Severity.LOW, message, [*_because(policy), *why[1]], fix)


def _never(context: RuleContext, policy: Policy, met: set[object]) -> tuple[str, list[Provenance]] | None:
    """Why a policy never holds, and the lines that show it."""
    device, conditions = context.device, policy.conditions
    if conditions.roles is not None:
        wanted = set(conditions.roles.value)
        if not any(user.role is not None and user.role.value in wanted for user in device.users.values()):
            return f"no account has the role {listed(conditions.roles.value)}", [conditions.roles.origin]
    if conditions.sources is not None:
        found = context.resolved.lists.get(conditions.sources.value)
        classes = context.exposure.address_classes
        if found is not None and not classes.allowed(found) | classes.unsure(found):
            return f"source list {found.name} allows no address", [conditions.sources.origin]
    if ("policy", policy.name) not in met:
        place = (conditions.ways, conditions.not_ways, conditions.vtys, conditions.addresses)
        return "no login arrives where it would", [each.origin for each in place if each is not None]
    return None


@rule("policy-empty-passwords")
def policy_empty_passwords(context: RuleContext) -> Iterator[Finding]:
    """Policies that let SSH accept empty passwords."""
    for policy in context.device.policies.values():
        said = policy.empty_passwords
        if said is not None and said.value and context.resolved.services["ssh"].on.value == "on":
            message = (
                f"policy {policy.name} lets SSH accept empty passwords: the next account that is created without one "
                "is open to anyone it holds for"
            )
            free = [path for path in _through(context, policy) if path.via == "ssh" and not path.needs]
            fix = fixes.block(_head(policy), "empty-passwords no")
            yield context.opened(message, [said.origin], free, AttackerEffort.NOTHING, fix)


class _Tries(NamedTuple):
    """A statement that allows so many wrong answers: what people call it, its block, and the ways it holds for."""

    label: str
    head: str
    said: Configured[int]
    vias: tuple[str, ...]


@rule("many-tries", after="ssh-many-tries")
def many_tries(context: RuleContext) -> Iterator[Finding]:
    """Policies, Telnet and web management that allow many wrong answers in one connection."""
    device, most = context.device, context.thresholds.ssh_tries
    places = [
        _Tries(f"policy {each.name}", _head(each), each.tries, ())
        for each in device.policies.values()
        if each.tries is not None
    ]
    if device.telnet.tries is not None:
        places.append(_Tries("Telnet", "telnet", device.telnet.tries, ("telnet",)))
    if device.web.tries is not None:
        places.append(_Tries("web management", "web", device.web.tries, ("http", "https")))
    for label, head, said, vias in places:
        policy = device.policies.get(label.removeprefix("policy ")) if not vias else None
        paths = _through(context, policy) if policy is not None else context.by_ways(*vias)
        paths = [path for path in paths if path.needs]
        if paths and said.value > most:
            message = f"{label} allows {said.value} wrong answers in one connection, above {most}: guessing is fast"
            fix = fixes.block(head, "tries 3")
            yield context.opened(message, [said.origin], paths, AttackerEffort.SECRET_NEEDED, fix)


# -- source lists that are named ---------------------------------------------------------------------------------------


@rule("limit-list-missing", after="source-list-missing")
def limit_list_missing(context: RuleContext) -> Iterator[Finding]:
    """Source lists that accounts, keys, roles, policies, conditions or other lists name, and that do not exist."""
    effect = {"deny": "denies every source", "allow": "allows every source"}.get(
        str(context.resolved.facts["missing-list"].value), "may allow every source or none"
    )
    for name, places in _limits(context).items():
        if name in context.device.sources:
            continue
        near = context.near(name, list(context.device.sources))
        hint = f"; did you mean {near}?" if near else ""
        where = listed(dict.fromkeys(label for label, _ in places))
        message = f"source list {name}, named by {where}, does not exist, and a missing list {effect}{hint}"
        fix = fixes.source_list(name, fixes.management_networks(context))
        yield stated(Severity.MEDIUM, message, [said.origin for _, said in places], fix)


def _limits(context: RuleContext) -> dict[str, list[tuple[str, Configured[str]]]]:
    """Each source list that something names which is no service, VTY or community, with the places."""
    device = context.device
    found: dict[str, list[tuple[str, Configured[str]]]] = {}

    def add(label: str, said: Configured[str] | None) -> None:
        if said is not None:
            found.setdefault(said.value, []).append((label, said))

    for user in device.users.values():
        add(f"account {user.name}", user.sources)
        for key in (*user.public_keys, *user.authorities):
            add(f"a key of account {user.name}", _named(key.value.sources, key.origin))
    for role in device.roles.values():
        add(f"role {role.name}", role.sources)
    for policy in device.policies.values():
        add(f"policy {policy.name}", policy.conditions.sources)
        for said in _of_family(policy.sources):
            add(f"policy {policy.name}", said)
    for level, elevation in device.elevations.items():
        add(f"elevation to level {level}", elevation.conditions.sources)
    for each in device.sources.values():
        for line in each.rules:
            add(f"source list {each.name}", _named(line.value.other, line.origin))
    return found


def _named(name: str | None, origin: Origin) -> Configured[str] | None:
    return None if name is None else Configured(name, origin)


def _of_family(family: Family) -> list[Configured[str]]:
    said = [each for each in (family.ipv4, family.ipv6) if each is not None]
    return said[:1] if len({each.origin for each in said}) < 2 else said


@rule("source-lists-in-circle")
def source_lists_in_circle(context: RuleContext) -> Iterator[Finding]:
    """Source lists that refer to one another in a circle, so that nobody can tell what they allow."""
    lists = context.device.sources
    left = {
        name: {said.value.other for said in each.rules if said.value.other in lists} for name, each in lists.items()
    }
    while True:
        done = {name for name, others in left.items() if not others & left.keys()}
        if not done:
            break
        for name in done:
            del left[name]
    if left:
        lines = [said for name in left for said in lists[name].rules if said.value.other in left]
        message = (
            f"source lists {listed(left)} refer to one another in a circle: what they allow depends on how the device "
            "reads them"
        )
        fix = fixes.only_within(context, next(iter(left)), fixes.management_networks(context), widen=True)
        yield stated(Severity.MEDIUM, message, [said.origin for said in lines], fix)


# -- accounts ----------------------------------------------------------------------------------------------------------


@rule("account-not-asked", after="empty-password")
def account_not_asked(context: RuleContext) -> Iterator[Finding]:
    """Accounts that let in whoever gives their name."""
    by_name: dict[str, list[Unauthenticated]] = {}
    for group in by_cause(unauthenticated(context), Reason.NO_PROMPT, Reason.UNSET_ADMITS, Reason.NOT_ASKED):
        by_name.setdefault(str(group[0].step.arguments[0]), []).extend(group)
    for name, found in by_name.items():
        ways = listed(dict.fromkeys(each.point.place for each in found))
        level = max(each.path.level for each in found)
        message = f"account {name} lets in whoever gives its name, by {ways}, up to level {level}"
        user = context.device.users[name]
        lines = ["drop no-prompt"] if user.no_prompt is not None else []
        fix = fixes.block(fixes.named("user", name), *lines, "password withheld")
        because = [*(each.step.origin for each in found), *([user.block.origin] if user.block.origin else [])]
        paths = [each.path for each in found]
        yield context.opened(message, because, paths, AttackerEffort.NOTHING, fix)


@rule("account-never-locked")
def account_never_locked(context: RuleContext) -> Iterator[Finding]:
    """Accounts that wrong passwords do not lock, while they lock others."""
    lock = context.device.passwords.lock
    if lock is None:
        return
    for account in context.resolved.accounts:
        said = account.user.never_locked
        paths = [path for each in account.credentials for path in context.needing(each.item)]
        if said is not None and paths:
            message = f"wrong passwords do not lock account {account.name}: its password can be guessed without limit"
            fix = [f"drop {fixes.named('user', account.name)}: never-locked"]
            yield context.opened(message, [said.origin, lock.origin], paths, AttackerEffort.SECRET_NEEDED, fix)


@rule("key-expired")
def key_expired(context: RuleContext) -> Iterator[Finding]:
    """Keys whose last day is over, and that are still there."""
    today = context.moment.date()
    for user in context.device.users.values():
        for said in (*user.public_keys, *user.authorities):
            until = said.value.until
            if until is not None and until < today:
                word = "key-authority" if said in user.authorities else "public-key"
                message = f"a {word} of account {user.name} expired on {until}: nobody can use it any more"
                field = "authorities" if said in user.authorities else "public_keys"
                head = fixes.named("user", user.name)
                line = fixes.unparse_value("user", field, said.value)
                yield stated(Severity.INFO, message, [said.origin], [f"drop {head}: {line}"])
