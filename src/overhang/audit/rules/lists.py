"""Method lists: what they name that is not there, what they forget, and whom they lock out."""

from collections.abc import Iterator

from overhang.audit.context import RuleContext, listed, origins_of
from overhang.audit.findings import Finding, Severity
from overhang.audit.fixes import block, word
from overhang.audit.rules.unauthenticated import dedup_key, rewritten, servers_again, spell
from overhang.audit.severity import AttackerEffort
from overhang.model import Configured, Method, MethodList
from overhang.model.vocabulary import PORTS, VTY_WAYS
from overhang.simulate.reasons import Reason, Stage
from overhang.simulate.result import Provenance
from overhang.text import Origin, did_you_mean


def _title(methods: MethodList) -> str:
    name = f"method list {methods.name}" if methods.name is not None else "the method list for all"
    return f"{name} for {methods.purpose}"


# -- lock-outs ---------------------------------------------------------------------------------------------------------


def check_lock_outs(context: RuleContext) -> Iterator[Finding]:
    """Devices that nobody gets into: at all, or when the servers do not answer."""
    if not context.exposure.complete or any(not path.sure for path in context.exposure.paths):
        return
    down = len(context.exposure.states) - 1
    always = not context.exposure.paths
    if not always and (down == 0 or any(path.states >> down & 1 for path in context.paths)):
        return
    because: list[Provenance] = []
    reasons: list[str] = []
    labels: list[str] = []
    for point in context.access_points():
        for result in context.stranger(point.via, point.numbers, max(context.exposure.states, key=len)):
            if result.outcome in ("denied", "dropped", "unknown"):
                labels.append(point.label if point.via in PORTS else point.way_label)
                steps = [step for step in result.trace if step.stage == Stage.AUTHENTICATION]
                because += origins_of(steps)
                reasons += [step.reason for step in steps if step.code in _EMPTY_HANDED]
                break
    by = f", by {listed(labels)}" if labels else ": every way is closed or off"
    when = "" if always else " when the servers do not answer"
    why = f" ({listed(reasons, 3)})" if reasons else ""
    message = f"nobody gets in{when}{by}{why}; the next login is a lock-out"
    opened = ["drop closed"] if context.device.console.closed is not None else []
    fix = block("entry console", *opened, "check users") + context.fixes.accounts("console")
    rule = "locked-out" if always else "locked-out-servers-down"
    tokens: list[tuple[object, ...]] = [("lock-out",), *(("check", via) for via in ("console", "auxiliary"))]
    tokens += [dedup_key(point) for point in context.access_points()]
    tokens += [("line", origin) for origin in because]
    yield context.shut(rule, message, because, fix, *tokens, everybody=True, always=always)


_EMPTY_HANDED = {
    Reason.GROUP_UNDEFINED,
    Reason.GROUP_EMPTY,
    Reason.GROUP_DOWN,
    Reason.NO_ACCOUNTS,
    Reason.NO_ACCOUNTS_NEXT,
    Reason.LIST_UNDEFINED_DENIES,
    Reason.NO_LIST_FOR_ALL,
    Reason.NO_PASSWORD_DROPPED,
    Reason.METHOD_REJECT,
}


# -- what a list names -------------------------------------------------------------------------------------------------


def check_names(context: RuleContext) -> Iterator[Finding]:
    """Lists that are named and not there, groups that are named and not there or empty."""
    lists, device = context.device.lists, context.device
    missing: dict[tuple[str, str], list[tuple[Origin, str]]] = {}
    for said, purpose, head in _named_lists(context):
        if (purpose, said.value) not in lists:
            missing.setdefault((purpose, said.value), []).append((said.origin, head))
    for (purpose, name), places in missing.items():
        known = [each for kind, each in lists if kind == purpose and each is not None]
        near = did_you_mean(name, known)
        hint = f"; did you mean {near}?" if near else ""
        effect = {"deny": "nobody passes", "general": "the list for all is asked", "users": "local accounts are asked"}
        what = effect.get(str(context.resolved.facts["missing-methods"].value), "nobody can tell what is asked")
        message = f"method list {name} for {purpose} does not exist: {what}{hint}"
        line = f"check methods {word(near)}" if near else "check users"
        if purpose == "elevation":
            line = f"elevation methods {word(near)}" if near else "drop elevation"
        fix = [each for _, head in places for each in block(head, line)]
        if purpose != "elevation" and not near:
            fix += context.fixes.accounts("console" if "console" in places[0][1] else "ssh")
        because: list[Provenance] = [origin for origin, _ in places]
        yield context.shut("methods-missing", message, because, fix, *(("line", origin) for origin in because))
    for methods in lists.values():
        for each in methods.methods:
            group = device.groups.get(each.value.group or "")
            if each.value.kind != "servers" or (group is not None and (group.servers or group.block.doubt is not None)):
                continue
            near = did_you_mean(each.value.group or "", list(device.groups)) if group is None else None
            what = (
                "has no server" if group is not None else "is not defined" + (f"; did you mean {near}?" if near else "")
            )
            message = f"{_title(methods)} asks group {each.value.group}, which {what}: nobody answers there"
            kept = [
                f"servers {word(near)}" if said == each and near else spell(said.value)
                for said in methods.methods
                if said != each or near
            ]
            kept = kept or ["users"]
            fix = rewritten(methods.purpose, methods.name, kept) + ([] if near else context.fixes.accounts("ssh"))
            yield context.shut("group-missing", message, [each.origin], fix, ("line", each.origin))


def _named_lists(context: RuleContext) -> Iterator[tuple[Configured[str], str, str]]:
    """Each statement that names a method list: the name, the purpose, and the head of its block."""
    device = context.device
    entries = [("entry console", device.console), ("entry auxiliary", device.auxiliary)]
    seen: set[Origin] = set()
    for number, entry in device.vtys.items():
        entries.append((f"entry vty {entry.item.removeprefix('entry:vty ') or number}", entry))
    for head, entry in entries:
        if entry.check is not None and entry.check.value.name is not None and entry.check.origin not in seen:
            seen.add(entry.check.origin)
            yield (
                Configured(entry.check.value.name, entry.check.origin),
                "login",
                _head(context, entry.check.origin, head),
            )
        if entry.elevation is not None and entry.elevation.origin not in seen:
            seen.add(entry.elevation.origin)
            yield entry.elevation, "elevation", _head(context, entry.elevation.origin, head)
    for head, service in (("ssh", device.ssh), ("telnet", device.telnet)):
        if service.check is not None and service.check.value.name is not None:
            yield Configured(service.check.value.name, service.check.origin), "login", head
        if service.elevation is not None:
            yield service.elevation, "elevation", head
    checks = [("web", device.web.check)] + [(f"door {word(name)}", door.check) for name, door in device.doors.items()]
    for head, said in checks:
        if said is not None and said.value.name is not None:
            yield Configured(said.value.name, said.origin), "web", head


def _head(context: RuleContext, origin: Origin, head: str) -> str:
    """The VTYs that a statement speaks of, as the head of a block."""
    numbers = [
        number
        for number, entry in context.device.vtys.items()
        if origin in {said.origin for said in (entry.check, entry.elevation) if said is not None}
    ]
    return f"entry vty {min(numbers)}-{max(numbers)}" if numbers else head


def check_unset(context: RuleContext) -> Iterator[Finding]:
    """Methods that find nothing to ask: no account, no enable secret, no entry password."""
    device = context.device
    entries = [device.console, device.auxiliary, *device.vtys.values()]
    missing = {
        "users": not device.users and "local accounts, and there is none",
        "elevation-password": not device.elevations and "the enable secret, and none is set",
        "entry-password": all(entry.password is None for entry in entries)
        and "the entry's password, and no entry has one",
    }
    for methods in device.lists.values():
        for said in methods.methods:
            what = missing.get(said.value.kind)
            if not what or methods.purpose == "level":
                continue
            message = f"{_title(methods)} asks for {what}: that method never answers"
            if said.value.kind == "entry-password":
                kept = [spell(each.value) for each in methods.methods if each != said]
                fix = rewritten(methods.purpose, methods.name, kept or ["users"])
            else:
                fix = (
                    context.fixes.accounts("ssh")
                    if said.value.kind == "users"
                    else block("elevation 15", "password withheld")
                )
            yield context.shut("method-unset", message, [said.origin], fix, ("line", said.origin))


def check_unreachable(context: RuleContext) -> Iterator[Finding]:
    """Methods that are never asked, since one before them always answers."""
    for methods in context.device.lists.values():
        if methods.purpose == "level":
            continue
        for at, said in enumerate(methods.methods[:-1]):
            if not _always_answers(context, said.value):
                continue
            never = methods.methods[at + 1 :]
            names = listed(spell(each.value) for each in never)
            message = f"{_title(methods)} never comes to {names}: {spell(said.value)} before always answers"
            kept = [spell(each.value) for each in methods.methods[: at + 1]]
            yield context.stated(
                "method-unreachable",
                Severity.LOW,
                message,
                [said.origin, *(each.origin for each in never)],
                rewritten(methods.purpose, methods.name, kept),
            )
            break


def _always_answers(context: RuleContext, method: Method) -> bool:
    if method.kind in ("nothing", "reject"):
        return True
    if method.kind == "users":
        return bool(context.device.users) and context.resolved.facts["unknown-account"].value == "reject"
    return method.kind == "elevation-password" and 15 in context.resolved.elevations


# -- what lists forget -------------------------------------------------------------------------------------------------


def check_no_default(context: RuleContext) -> Iterator[Finding]:
    """Named lists for login and none for all, while entries name none."""
    named = [methods for (kind, name), methods in context.device.lists.items() if kind == "login" and name is not None]
    if not named or ("login", None) in context.device.lists:
        return
    access_points = []
    for point in context.access_points():
        own = point.service.check if point.service is not None else None
        if point.view is not None and point.view.check is None and own is None and point.arrives:
            access_points.append(point)
    if not access_points:
        return
    labels = listed(dict.fromkeys(point.label for point in access_points))
    verb = "ask" if len({point.label for point in access_points}) > 1 or len(access_points[0].numbers) > 1 else "asks"
    message = f"there is no method list for all, so {labels} {verb} what the make asks where nothing is said"
    because: list[Provenance] = [point.view.unsaid_check.origin for point in access_points if point.view is not None]
    because += [methods.block.origin for methods in named if methods.block.origin is not None]
    paths = [path for point in access_points for path in point.paths]
    free = [path for path in paths if not path.needs]
    effort = AttackerEffort.NOTHING if free else AttackerEffort.EFFORT
    fix = block("methods for login", *(spell(said.value) for said in named[0].methods))
    tokens = dict.fromkeys(dedup_key(point) for point in access_points)
    yield context.opened("no-default-list", message, because, free or paths, effort, fix, *tokens)


def check_fallback(context: RuleContext) -> Iterator[Finding]:
    """Lists that ask servers, and nobody when those do not answer."""
    for methods in context.device.lists.values():
        last = methods.methods[-1] if methods.methods else None
        if methods.purpose not in ("login", "web") or last is None or methods.block.doubt is not None:
            continue
        if all(said.value.kind in ("servers", "reject") for said in methods.methods) and any(
            s.value.group for s in methods.methods
        ):
            message = f"{_title(methods)} asks servers and nobody else: when they do not answer, nobody passes it"
            kept = [spell(said.value) for said in methods.methods if said.value.kind != "reject"]
            fix = rewritten(methods.purpose, methods.name, [*kept, "users"]) + context.fixes.accounts(*VTY_WAYS[:1])
            yield context.shut("no-local-fallback", message, [last.origin], fix, ("line", last.origin))


def check_servers(context: RuleContext) -> Iterator[Finding]:
    """Server groups that some list asks: servers without a key, or a single one."""
    asked = {
        said.value.group for methods in context.device.lists.values() for said in methods.methods if said.value.group
    }
    for name, group in context.device.groups.items():
        if name not in asked or not group.servers or group.block.doubt is not None:
            continue
        paths = [
            path for path in context.paths if any(each.startswith(f"server:{name}/") for each in context.names_of(path))
        ]
        bare = [said for said in group.servers if said.value.secret is None]
        if bare:
            servers = listed(said.value.address for said in bare)
            message = (
                f"no shared secret is set for {servers} of group {name}: whoever answers in its place "
                "decides who gets in"
            )
            yield context.opened(
                "server-without-key",
                message,
                [said.origin for said in bare],
                paths,
                AttackerEffort.EFFORT,
                servers_again(group),
            )
        if len(group.servers) == 1:
            only = group.servers[0]
            message = (
                f"group {name} has one server: when {only.value.address} does not answer, its accounts are of no use"
            )
            fix = block(f"servers {group.protocol} {word(name)}", "server 192.0.2.10 shared-secret withheld")
            yield context.shut("one-server", message, [only.origin], fix)
