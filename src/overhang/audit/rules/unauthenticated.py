"""Why strangers get in: for each way in that needs nothing, the step that lets them in, told by one rule alone."""

from collections.abc import Iterator
from typing import NamedTuple

from overhang.audit.context import AccessPoint, RuleContext, listed, origins_of
from overhang.audit.findings import Finding
from overhang.audit.fixes import block, word
from overhang.audit.severity import AttackerEffort
from overhang.exposure import AccessPath
from overhang.model import Method, ServerGroup
from overhang.model.stored_secret import Form
from overhang.model.verification import plain_text
from overhang.model.vocabulary import PORTS, WEB_WAYS
from overhang.simulate import Result, Step
from overhang.simulate.reasons import Reason, Stage
from overhang.simulate.result import Provenance

_LETS_IN = frozenset(
    {
        Reason.CHECK_NOTHING,
        Reason.NO_PASSWORD_ADMITS,
        Reason.METHOD_NOTHING,
        Reason.BARE_TIER,
        Reason.NO_PASSWORD_NEEDED,
        Reason.RIGHT_PASSWORD,
        Reason.ELEVATION_UNSET_ADMITS,
        Reason.COMMUNITY_RIGHT,
    }
)


class Unauthenticated(NamedTuple):
    """One way in for nothing: where, the way, an attempt that shows it, and the step of it that lets the person in."""

    point: AccessPoint
    path: AccessPath
    result: Result
    step: Step


def unauthenticated(context: RuleContext) -> list[Unauthenticated]:
    """Every way in for nothing; looked for once."""
    if context.unauthenticated is None:
        context.unauthenticated = _find(context)
    return context.unauthenticated


def _find(context: RuleContext) -> list[Unauthenticated]:
    found = []
    for point in context.access_points():
        for path in point.free:
            result = context.shown(point, path)
            if result is None:
                continue
            steps = [step for step in result.trace if step.stage == Stage.AUTHENTICATION and step.code in _LETS_IN]
            if steps:
                found.append(Unauthenticated(point, path, result, steps[-1]))
    return found


def by_cause(found: list[Unauthenticated], *sentences: str) -> Iterator[list[Unauthenticated]]:
    """The strangers that one of the sentences lets in, together where it is the same statement and kind of place."""
    groups: dict[tuple[Provenance, str], list[Unauthenticated]] = {}
    for each in found:
        if each.step.code in sentences:
            kind = each.point.via if each.point.via in PORTS or each.point.via.startswith("door:") else ""
            kind = "web" if each.point.via in WEB_WAYS else kind
            groups.setdefault((each.step.origin, kind), []).append(each)
    yield from groups.values()


def dedup_key(point: AccessPoint) -> tuple[str, object]:
    """What stands for "who gets past the check here" when rules tell each other what they told of."""
    return ("check", point.numbers or point.via)


def check_asks_nothing(context: RuleContext) -> Iterator[Finding]:
    """Ports, VTYs, web management and doors that ask for nothing, or for a password that was never set."""
    found = unauthenticated(context)
    for group in by_cause(found, Reason.CHECK_NOTHING):
        point = group[0].point
        views = [each.point.view for each in group if each.point.view is not None]
        if any(view.credential is not None and view.credential.origin != view.block.doubt for view in views):
            continue  # the rule password-never-asked tells of it
        rule = "door-asks-nothing"
        if point.view is not None:
            rule = "vty-asks-nothing" if point.numbers else "port-asks-nothing"
        elif point.via in WEB_WAYS:
            rule = "web-asks-nothing"
        yield _finding(context, rule, group, "for nothing")
    for group in by_cause(found, Reason.NO_PASSWORD_ADMITS):
        yield _finding(context, "asks-and-none-set", group, "for a password and none is set")
    for group in by_cause(found, Reason.ELEVATION_UNSET_ADMITS):
        rule = "web-asks-nothing" if group[0].point.via in WEB_WAYS else "door-asks-nothing"
        yield _finding(context, rule, group, "for the enable secret and none is set")


def _finding(context: RuleContext, rule: str, group: list[Unauthenticated], what: str) -> Finding:
    access_points = [each.point for each in group]
    labels = list(dict.fromkeys(point.label for point in access_points))
    level = max(each.path.level for each in group)
    plural = len(labels) > 1 or len(access_points[0].numbers) > 1
    verb = "ask" if plural else "asks"
    who = "whoever reaches the port" if access_points[0].via in PORTS else "whoever connects"
    message = f"{listed(labels)} {verb} {what}: {who} is at level {level}"
    because = [
        origin for each in group for origin in origins_of(each.result.trace, Stage.AUTHENTICATION, Stage.ELEVATION)
    ]
    fix = context.fixes.check_users(access_points)
    if access_points[0].via == "auxiliary" and not context.used("auxiliary"):
        fix = block("entry auxiliary", "closed")
    dedup_keys = [dedup_key(point) for point in access_points]
    exposure = [each.path for each in group]
    return context.opened(rule, message, because, exposure, AttackerEffort.NOTHING, fix, *dict.fromkeys(dedup_keys))


def check_methods_nothing(context: RuleContext) -> Iterator[Finding]:
    """Method lists that let anybody in, always or when the servers do not answer."""
    for group in by_cause(unauthenticated(context), Reason.METHOD_NOTHING):
        always = any(each.path.states & 1 for each in group)
        rule = "methods-let-anyone" if always else "fallback-nothing"
        labels = listed(each.point.label for each in group)
        when = "" if always else " once no server answers"
        level = max(each.path.level for each in group)
        message = (
            f"the method list asked at {labels} ends with nothing to ask: anybody is let in{when}, at level {level}"
        )
        point = group[0].point
        purpose = "web" if point.view is None else "login"
        fix = instead_of(context, group[0].step.origin, purpose, "nothing", "users")
        because = [origin for each in group for origin in origins_of(each.result.trace, Stage.AUTHENTICATION)]
        exposure = [each.path for each in group]
        dedup_keys = dict.fromkeys(dedup_key(each.point) for each in group)
        yield context.opened(
            rule,
            message,
            because,
            exposure,
            AttackerEffort.NOTHING,
            [*fix, *context.fixes.accounts(point.via)],
            *dedup_keys,
        )


def instead_of(context: RuleContext, origin: Provenance, purpose: str, old: str, new: str) -> list[str]:
    """The method list in which ``origin`` stands, with a method replaced."""
    for (kind, name), methods in context.device.lists.items():
        if kind != purpose or not any(said.origin == origin for said in methods.methods):
            continue
        return rewritten(
            purpose, name, [new if said.value.kind == old else spell(said.value) for said in methods.methods]
        )
    return []


def rewritten(purpose: str, name: str | None, methods: list[str]) -> list[str]:
    """A method list said anew; a method that stands twice stands once."""
    head = f"methods {word(name)} for {purpose}" if name is not None else f"methods for {purpose}"
    return [f"drop {head}", *block(head, *dict.fromkeys(methods))]


def spell(method: Method) -> str:
    """A method as a line of the sheet."""
    return f"{method.kind} {word(method.group)}" if method.group is not None else method.kind


def check_empty_passwords(context: RuleContext) -> Iterator[Finding]:
    """Accounts whose password is empty."""
    found = unauthenticated(context)
    for account in context.resolved.accounts:
        credential = account.credential
        if credential is None or not _is_empty(context, account.name):
            continue
        through = [each for each in found if credential.origin in {step.origin for step in each.result.trace}]
        where = f": by {listed(each.point.way_label for each in through)} it opens for nothing" if through else ""
        message = f"account {account.name} has an empty password{where}"
        exposure = [each.path for each in through]
        fix = block(f"user {word(account.name)}", "password withheld")
        yield context.opened(
            "empty-password",
            message,
            [credential.origin],
            exposure,
            AttackerEffort.NOTHING,
            fix,
            ("free", credential.origin),
        )


def _is_empty(context: RuleContext, name: str) -> bool:
    said = context.device.users[name].password
    return said is not None and plain_text(said.value) == ""


def check_factory(context: RuleContext) -> Iterator[Finding]:
    """The maker's account, while no other is stated; and passwords that are still the maker's."""
    found = unauthenticated(context)
    factory = context.resolved.factory
    if factory is not None:
        through = [each for each in found if factory.origin in {step.origin for step in each.result.trace}]
        if through:
            labels = listed(each.point.label for each in through)
            level = max(each.path.level for each in through)
            message = f"the maker's account is still there: whoever knows the make is at level {level}, at {labels}"
            because = [factory.origin]
            exposure = [each.path for each in through]
            fix = context.fixes.accounts(*dict.fromkeys(each.point.via for each in through))
            dedup_keys = dict.fromkeys(dedup_key(each.point) for each in through)
            yield context.opened(
                "factory-account", message, because, exposure, AttackerEffort.NOTHING, fix, *dedup_keys
            )
    for place in context.passwords():
        if place.said.value.form is not Form.FACTORY:
            continue
        through = [each for each in found if place.said.origin in {step.origin for step in each.result.trace}]
        message = f"the password of {place.label} is still the maker's, which everybody can look up"
        fix = rekeyed(context, place.item)
        exposure = [each.path for each in through]
        yield context.opened("factory-password", message, [place.said.origin], exposure, AttackerEffort.NOTHING, fix)


def rekeyed(context: RuleContext, item: str, form: str = "withheld") -> list[str]:
    """Another password in the place of an item's; elevation and entries, accounts, communities, servers."""
    kind, _, name = item.partition(":")
    if kind == "user":
        return block(f"user {word(name)}", f"password {form}")
    if kind == "elevation":
        level = name.removesuffix("/dead")
        return [f"drop elevation {level}: password", *block(f"elevation {level}", f"password {form}")]
    if kind == "entry":
        return block(f"entry {name}", f"password {form}")
    if kind == "community":
        again = []
        for said in context.device.snmp.communities:
            limit = f" from {word(said.value.sources)}" if said.value.sources else ""
            again.append(f"community {form} {'write' if said.value.write else 'read'}{limit}")
        return block("snmp", "drop community", *again)
    group = context.device.groups[name.partition("/")[0]]
    return servers_again(group, form)


def servers_again(group: ServerGroup, form: str = "withheld") -> list[str]:
    """The servers of a group said anew, each with another shared secret: what is stored now need not be shown."""
    again = []
    for said in group.servers:
        port = f" port {said.value.port}" if said.value.port else ""
        again.append(f"server {said.value.address}{port} shared-secret {form}")
    return block(f"servers {group.protocol} {word(group.name)}", "drop server", *again)


def check_bare_tier(context: RuleContext) -> Iterator[Finding]:
    """Devices that let anybody look around until a low account exists."""
    group = [each for each in unauthenticated(context) if each.step.code == Reason.BARE_TIER]
    if group:
        labels = listed(each.point.label for each in group)
        message = f"no account of level 1 to 14 is stated: {labels} let anybody in at level {group[0].path.after_login}"
        fix = block("user watch", "password withheld", "level 1")
        exposure = [each.path for each in group]
        dedup_keys = dict.fromkeys(dedup_key(each.point) for each in group)
        because = [each.step.origin for each in group]
        yield context.opened("no-low-account", message, because, exposure, AttackerEffort.NOTHING, fix, *dedup_keys)
