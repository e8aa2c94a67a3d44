"""Method lists: what they name that does not exist, what they leave out, and whom they lock out."""

from collections.abc import Iterator
from typing import Any

from overhang.auditing import fixes
from overhang.auditing.context import RuleContext
from overhang.auditing.findings import DedupKey, Fault, Finding, Severity, origins_of, stated
from overhang.auditing.registry import Topic
from overhang.auditing.rules import entries
from overhang.auditing.rules.common import by_cause, check_keys, labels_of, unauthenticated, verb
from overhang.auditing.severity import AttackerEffort
from overhang.auditing.wording import listed
from overhang.model import Configured, MethodList, ServerGroup
from overhang.model.vocabulary import PORTS, WEB_WAYS
from overhang.simulation import Provenance, Reason, Stage
from overhang.simulation.method_lists import always_answers
from overhang.text import Origin

rule = Topic("method lists", 6)
#: Steps at which a list finds nobody to ask.
_NOBODY_THERE = {
    Reason.GROUP_UNDEFINED,
    Reason.GROUP_EMPTY,
    Reason.GROUP_DOWN,
    Reason.GROUP_MUTE,
    Reason.GROUP_UNDEFINED_REJECTS,
    Reason.LIST_CIRCLE,
    Reason.NO_ACCOUNTS,
    Reason.NO_ACCOUNTS_NEXT,
    Reason.LIST_UNDEFINED_DENIES,
    Reason.NO_LIST_FOR_ALL,
    Reason.NO_PASSWORD_DROPPED,
    Reason.METHOD_REJECT,
}


def title(methods: MethodList) -> str:
    name = f"method list {methods.name}" if methods.name is not None else "the default method list"
    return f"{name} for {methods.purpose}"


# -- lock-outs ---------------------------------------------------------------------------------------------------------


def _lock_out(context: RuleContext, *, always: bool) -> Iterator[Finding]:
    """Devices that nobody can log in to: at all, or while the servers do not answer."""
    exposure = context.exposure
    if not exposure.complete or any(not path.sure for path in exposure.paths) or bool(exposure.paths) is always:
        return
    down = exposure.states_where(exposure.all_down)
    if not always and (not exposure.all_down or any(path.states & down for path in context.paths)):
        return
    because: list[Provenance] = []
    reasons: list[str] = []
    places: list[str] = []
    for point in context.access_points:
        for result in context.unauthenticated(point.via, point.numbers, exposure.all_down):
            if result.outcome in ("denied", "dropped", "unknown"):
                places.append(point.place)
                steps = [step for step in result.trace if step.stage is Stage.AUTHENTICATION]
                because += origins_of(steps)
                reasons += [step.reason for step in steps if step.code in _NOBODY_THERE]
                break
    by = f" by {listed(places)}" if places else ", since every way is closed or off"
    if not places:
        for via in (*PORTS, *context.resolved.services):
            because += [result.decided_by for result in context.unauthenticated(via)]
    when = "" if always else " while the servers do not answer"
    why = f": {listed(reasons, 3)}" if reasons else ""
    message = f"nobody can log in{when}{by}{why}"
    reopen = ["drop closed"] if context.device.console.closed is not None else []
    fix = fixes.block("entry console", *reopen, "check users") + fixes.accounts(context, "console")
    keys: list[DedupKey] = [Fault.CHECK.at(via) for via in PORTS]
    keys += [point.check_key for point in context.access_points]
    keys += [Fault.METHOD.at(origin) for origin in because]
    yield context.locked_out(message, because, fix, *keys, everybody=True, always=always)


@rule("locked-out", after="never-configured")
def locked_out(context: RuleContext) -> Iterator[Finding]:
    """Devices that nobody can log in to."""
    return _lock_out(context, always=True)


@rule("locked-out-servers-down", after="locked-out")
def locked_out_servers_down(context: RuleContext) -> Iterator[Finding]:
    """Devices that nobody can log in to while the servers do not answer."""
    return _lock_out(context, always=False)


# -- lists that let anyone in ------------------------------------------------------------------------------------------


def _anyone(context: RuleContext, *, always: bool) -> Iterator[Finding]:
    """Method lists that let anyone in, always or once the servers do not answer."""
    for group in by_cause(unauthenticated(context), Reason.METHOD_NOTHING):
        if any(each.path.states & context.exposure.all_up for each in group) is not always:
            continue
        points = [each.point for each in group]
        level = max(each.path.level for each in group)
        when = "" if always else " once no server answers"
        message = (
            f"the method list for {listed(labels_of(points))} ends with the method nothing: "
            f"anyone gets level {level}{when}"
        )
        purpose = "web" if points[0].view is None else "login"
        fix = fixes.replaced_at(context, group[0].step.origin, purpose, "nothing", "users")
        fix += fixes.accounts(context, points[0].via)
        because = [origin for each in group for origin in origins_of(each.result.trace, Stage.AUTHENTICATION)]
        paths = [each.path for each in group]
        yield context.opened(message, because, paths, AttackerEffort.NOTHING, fix, *check_keys(points))


@rule("method-list-allows-anyone", after="no-low-account")
def method_list_allows_anyone(context: RuleContext) -> Iterator[Finding]:
    """Method lists that let anyone in."""
    return _anyone(context, always=True)


@rule("fallback-no-authentication", after="method-list-allows-anyone")
def fallback_no_authentication(context: RuleContext) -> Iterator[Finding]:
    """Method lists that let anyone in once no server answers."""
    return _anyone(context, always=False)


@rule("fallback-shared-password", after="vty-shared-password port-shared-password")
def fallback_shared_password(context: RuleContext) -> Iterator[Finding]:
    """Method lists that fall back to one password that everybody shares."""
    return entries.shared_passwords(context, "fallback")


# -- what a list names -------------------------------------------------------------------------------------------------


@rule("method-list-missing", after="locked-out-servers-down")
def method_list_missing(context: RuleContext) -> Iterator[Finding]:
    """Method lists that are named and do not exist."""
    lists = context.device.lists
    missing: dict[tuple[str, str], list[tuple[Origin, str]]] = {}
    for named, purpose, head in _named_lists(context):
        if (purpose, named.value) not in lists:
            missing.setdefault((purpose, named.value), []).append((named.origin, head))
    effects = {
        "deny": "nobody passes",
        "general": "the default list is asked",
        "users": "local accounts are asked",
        "admit": "anyone passes",
    }
    effect = effects.get(str(context.resolved.facts["missing-methods"].value), "what is asked instead is not known")
    for (purpose, name), places in missing.items():
        near = context.near(name, [each for kind, each in lists if kind == purpose and each is not None])
        hint = f"; did you mean {near}?" if near else ""
        message = f"method list {name} for {purpose} does not exist: {effect}{hint}"
        line = f"check methods {fixes.quote_word(near)}" if near else "check users"
        if purpose == "elevation":
            line = f"elevation methods {fixes.quote_word(near)}" if near else "drop elevation"
        fix = [each for _, head in places for each in fixes.block(head, line)]
        if purpose != "elevation" and not near:
            fix += fixes.accounts(context, "console" if "console" in places[0][1] else "ssh")
        because: list[Provenance] = [origin for origin, _ in places]
        yield context.locked_out(message, because, fix, *(Fault.METHOD.at(origin) for origin in because))


def _named_lists(context: RuleContext) -> Iterator[tuple[Configured[str], str, str]]:
    """Each statement that names a method list: the name, the purpose, and the head of its block."""
    device = context.device
    seen: set[Origin] = set()
    entries_of = [("entry console", device.console), ("entry auxiliary", device.auxiliary)]
    entries_of += [(f"entry vty {number}", entry) for number, entry in device.vtys.items()]
    for head, entry in entries_of:
        for purpose, named in (("login", _list_of(entry.check)), ("elevation", entry.elevation)):
            if named is not None and named.origin not in seen:
                seen.add(named.origin)
                yield named, purpose, _vty_head(context, named.origin) or head
    for head, service in (("ssh", device.ssh), ("telnet", device.telnet)):
        for purpose, named in (("login", _list_of(service.check)), ("elevation", service.elevation)):
            if named is not None:
                yield named, purpose, head
    for policy in device.policies.values():
        named = _list_of(policy.check)
        web = policy.for_ways is not None and set(policy.for_ways.value) <= set(WEB_WAYS)
        if named is not None:
            yield named, "web" if web else "login", fixes.named("policy", policy.name)
    checks = [("web", device.web.check)]
    checks += [(fixes.named("door", name), door.check) for name, door in device.doors.items()]
    for head, check in checks:
        named = _list_of(check)
        if named is not None:
            yield named, "web", head


def _list_of(check: Configured[Any] | None) -> Configured[str] | None:
    """The method list that a check names."""
    return Configured(check.value.name, check.origin) if check is not None and check.value.name is not None else None


def _vty_head(context: RuleContext, origin: Origin) -> str:
    """The VTYs that a statement is about, as the head of a block."""
    numbers = [
        number
        for number, entry in context.device.vtys.items()
        if origin in {said.origin for said in (entry.check, entry.elevation) if said is not None}
    ]
    return f"entry vty {min(numbers)}-{max(numbers)}" if numbers else ""


@rule("server-group-missing", after="method-list-missing")
def server_group_missing(context: RuleContext) -> Iterator[Finding]:
    """Lines of method lists whose server group is not defined or has no server."""
    groups = context.device.groups
    for methods in context.device.lists.values():
        for each in methods.methods:
            group = groups.get(each.value.group or "")
            if each.value.kind != "servers" or (group is not None and (group.servers or group.block.doubt is not None)):
                continue
            near = context.near(each.value.group or "", list(groups)) if group is None else None
            what = "has no server" if group is not None else "is not defined"
            hint = f"; did you mean {near}?" if near else ""
            rejects = group is None and context.resolved.facts["missing-group"].value == "reject"
            then = "whoever is asked there is rejected" if rejects else "it never answers"
            message = f"{title(methods)} asks group {each.value.group}, which {what}: {then}{hint}"
            kept = [
                f"servers {fixes.quote_word(near)}" if other == each and near else fixes.method(other.value)
                for other in methods.methods
                if other != each or near
            ]
            fix = fixes.rewritten(methods, kept or ["users"])
            fix += [] if near else fixes.accounts(context, "ssh")
            yield context.locked_out(message, [each.origin], fix, Fault.METHOD.at(each.origin))


@rule("method-unavailable", after="server-group-missing")
def method_unavailable(context: RuleContext) -> Iterator[Finding]:
    """Methods that find nothing to ask: no account, no enable secret, no entry password."""
    device = context.device
    entry_passwords = any(entry.password for entry in (device.console, device.auxiliary, *device.vtys.values()))
    missing = {
        "users": "" if device.users else "local accounts, but the device has none",
        "elevation-password": "" if device.elevations else "the enable secret, but none is set",
        "entry-password": "" if entry_passwords else "the entry's password, but no entry has one",
    }
    for methods in device.lists.values():
        for each in methods.methods if methods.purpose != "level" else ():
            what = missing.get(each.value.kind)
            if not what:
                continue
            message = f"{title(methods)} asks {what}: this method never answers"
            if each.value.kind == "entry-password":
                kept = [fixes.method(other.value) for other in methods.methods if other != each]
                fix = fixes.rewritten(methods, kept or ["users"])
            else:
                fix = fixes.accounts(context, "ssh") if each.value.kind == "users" else fixes.elevation(15)
            yield context.locked_out(message, [each.origin], fix, Fault.METHOD.at(each.origin))


@rule("method-unreachable")
def method_unreachable(context: RuleContext) -> Iterator[Finding]:
    """Methods that are never asked, since one before them always answers."""
    for methods in context.device.lists.values():
        for at, each in enumerate(methods.methods[:-1] if methods.purpose != "level" else ()):
            if not always_answers(context.resolved, each.value):
                continue
            never = methods.methods[at + 1 :]
            names = listed(fixes.method(other.value) for other in never)
            message = f"{title(methods)} never reaches {names}: {fixes.method(each.value)} before it always answers"
            kept = [fixes.method(other.value) for other in methods.methods[: at + 1]]
            because = [each.origin, *(other.origin for other in never)]
            fix = fixes.rewritten(methods, kept)
            yield stated(Severity.LOW, message, because, fix)
            break


# -- what lists leave out ----------------------------------------------------------------------------------------------


@rule("no-default-method-list", after="port-no-authentication vty-no-authentication vty-not-configured")
def no_default_method_list(context: RuleContext) -> Iterator[Finding]:
    """Named lists for login and no default list, while entries name none."""
    lists = context.device.lists
    named = [methods for (kind, name), methods in lists.items() if kind == "login" and name is not None]
    if not named or ("login", None) in lists:
        return
    points = [
        point
        for point in context.access_points
        if point.view is not None
        and point.view.check is None
        and (point.service is None or point.service.check is None)
        and point.arrives
    ]
    if not points:
        return
    fall = verb(points, "falls", "fall")
    message = (
        f"there is no default method list for login: {listed(labels_of(points))} {fall} back to the device's own "
        "behaviour"
    )
    because: list[Provenance] = [point.view.unsaid_check.origin for point in points if point.view is not None]
    because += [methods.block.origin for methods in named if methods.block.origin is not None]
    paths = [path for point in points for path in point.paths]
    free = [path for path in paths if not path.needs]
    effort = AttackerEffort.NOTHING if free else AttackerEffort.SECRET_NEEDED
    fix = fixes.block("methods for login", *(fixes.method(each.value) for each in named[0].methods))
    yield context.opened(message, because, free or paths, effort, fix, *check_keys(points))


@rule("no-local-fallback", after="method-unavailable")
def no_local_fallback(context: RuleContext) -> Iterator[Finding]:
    """Lists that ask servers, and nobody when those do not answer."""
    for methods in context.device.lists.values():
        last = methods.methods[-1] if methods.methods else None
        if methods.purpose not in ("login", "web") or last is None or methods.block.doubt is not None:
            continue
        if methods.at_end is not None and methods.at_end.value.kind != "deny":
            continue
        kinds = {each.value.kind for each in methods.methods}
        if "servers" in kinds and kinds <= {"servers", "reject"}:
            message = f"{title(methods)} has no local fallback: when the servers do not answer, nobody can log in by it"
            kept = [fixes.method(each.value) for each in methods.methods if each.value.kind != "reject"]
            fix = fixes.rewritten(methods, [*kept, "users"]) + fixes.accounts(context, "ssh")
            yield context.locked_out(message, [last.origin], fix, Fault.METHOD.at(last.origin))


# -- servers -----------------------------------------------------------------------------------------------------------


def _login_group(context: RuleContext) -> tuple[str, Provenance] | None:
    """The first server group that a list for login asks, and the line that has it so."""
    for methods in context.device.lists.values():
        for each in methods.methods if methods.purpose == "login" else ():
            group = context.device.groups.get(each.value.group or "")
            if group is not None and group.servers:
                return group.name, each.origin
    return None


@rule("elevation-bypasses-servers")
def elevation_bypasses_servers(context: RuleContext) -> Iterator[Finding]:
    """Servers that are asked for the login, and not for elevation."""
    group = _login_group(context)
    if group is None:
        return
    name, origin = group
    paths = [
        path
        for path in context.paths
        if any(item.startswith("elevation:") for item in context.names_of(path)) and path.level > path.after_login
    ]
    methods = [each for m in context.device.lists.values() if m.purpose == "elevation" for each in m.methods]
    if paths and not any(each.value.kind == "servers" for each in methods):
        message = f"group {name} authenticates logins but not elevation, which takes one secret that everybody shares"
        servers = f"servers {fixes.quote_word(name)}"
        fix = fixes.block("methods for elevation", servers, "elevation-password")
        yield context.opened(message, [origin], paths, AttackerEffort.SECRET_NEEDED, fix)


@rule("web-bypasses-servers")
def web_bypasses_servers(context: RuleContext) -> Iterator[Finding]:
    """Servers that are asked for the login, and not for web management."""
    group = _login_group(context)
    for point in context.access_points if group is not None else ():
        if group is None or point.via not in ("http", "https") or not point.paths:
            continue
        if any(item.startswith("server:") for path in point.paths for item in context.names_of(path)):
            continue
        name, origin = group
        message = f"group {name} authenticates logins but not web management: accounts disabled there still work here"
        check = point.service.check if point.service is not None else None
        because = [origin, check.origin if check is not None else context.resolved.web_check().origin]
        fix = fixes.block("methods for web", f"servers {fixes.quote_word(name)}", "users")
        fix += fixes.block("web", "check methods") if check is not None else []
        yield context.opened(message, because, point.paths, AttackerEffort.SECRET_NEEDED, fix)
        return


def _asked_groups(context: RuleContext) -> list[ServerGroup]:
    """The server groups that some list asks and that have servers."""
    lists = context.device.lists.values()
    asked = {each.value.group for methods in lists for each in methods.methods if each.value.group}
    groups = context.device.groups
    return [group for name, group in groups.items() if name in asked and group.servers and group.block.doubt is None]


@rule("server-without-secret")
def server_without_secret(context: RuleContext) -> Iterator[Finding]:
    """Servers that some list asks, without a shared secret."""
    for group in _asked_groups(context):
        bare = [each for each in group.servers if each.value.secret is None]
        if bare:
            item = f"server:{group.name}/"
            paths = [path for path in context.paths if any(name.startswith(item) for name in context.names_of(path))]
            servers = listed(each.value.address for each in bare)
            message = (
                f"no shared secret is set for {servers} of group {group.name}: "
                "whoever answers in its place decides who "
                "can log in"
            )
            because = [each.origin for each in bare]
            yield context.opened(message, because, paths, AttackerEffort.SECRET_NEEDED, fixes.with_secrets(group))


@rule("single-server")
def single_server(context: RuleContext) -> Iterator[Finding]:
    """Server groups that some list asks, with a single server."""
    for group in _asked_groups(context):
        if len(group.servers) == 1:
            only = group.servers[0]
            message = (
                f"group {group.name} has one server: "
                f"when {only.value.address} does not answer, its accounts cannot log in"
            )
            head = f"servers {group.protocol} {fixes.quote_word(group.name)}"
            fix = fixes.block(head, "server 192.0.2.10 shared-secret withheld")
            yield context.locked_out(message, [only.origin], fix)
