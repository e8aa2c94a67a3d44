"""Where logins come from: no source lists, missing ones, lists that allow or deny too much, and own addresses."""

from collections.abc import Iterator

from overhang.auditing import fixes
from overhang.auditing.context import AccessPoint, RuleContext
from overhang.auditing.findings import Fault, Finding, Severity, stated
from overhang.auditing.registry import Topic
from overhang.auditing.severity import AttackerEffort
from overhang.auditing.wording import counted, listed
from overhang.exposure import AccessPath
from overhang.language.terminals import encode_own_prefix
from overhang.model import Configured, OwnAddress, Prefix
from overhang.model.vocabulary import PORTS, REMOTE_WAYS, VTY_WAYS, WEB_WAYS
from overhang.simulation import Provenance
from overhang.simulation.source_lists import covers

rule = Topic("source addresses", 9)
Lists = list[Configured[str]]
_FAMILIES = (4, 6)


# -- logins from anywhere ----------------------------------------------------------------------------------------------


def lists_at(context: RuleContext, point: AccessPoint, family: int) -> Lists:
    """The source lists that a source of a family is checked against at an access point."""
    parts = [context.device.management.sources]
    if point.service is not None:
        parts.append(point.service.sources)
    if point.view is not None and point.via in VTY_WAYS:
        parts.append(point.view.sources)
    said = [part.ipv4 if family == 4 else part.ipv6 for part in parts]
    return [each for each in said if each is not None]


def _kind(point: AccessPoint) -> str:
    return "vty" if point.via in VTY_WAYS else "web" if point.via in WEB_WAYS else "door"


def _why(context: RuleContext, point: AccessPoint) -> tuple[str, Lists]:
    """Why an access point is open to any source: no list, a missing one, one that allows all, or a family without."""
    classes = context.exposure.address_classes
    sources = 0
    for path in context.wide(point.paths):
        sources |= path.sources or 0
    wide = [family for family in _FAMILIES if classes.wide(sources & classes.family[family])]
    by_family = {family: lists_at(context, point, family) for family in _FAMILIES}
    for family in wide:
        missing = [said for said in by_family[family] if said.value not in context.resolved.lists]
        if missing:
            return "missing", missing
        if by_family[family]:
            return "all", by_family[family]
    other = [said for family in _FAMILIES if family not in wide for said in by_family[family]]
    return ("family", other) if other else ("none", [])


def _from_anywhere(context: RuleContext, why: str, what: tuple[str, str], kind: str = "") -> Iterator[Finding]:
    """Remote access points that logins from anywhere reach for one reason; ``what`` for one way, and for several."""
    groups: dict[str, list[tuple[AccessPoint, Lists]]] = {}
    for point in context.access_points:
        if point.via in PORTS or point.via == "snmp" or not context.wide(point.paths):
            continue
        reason, lists = _why(context, point)
        if reason == why and kind in ("", _kind(point)):
            groups.setdefault(_kind(point), []).append((point, lists))
    for place, group in groups.items():
        points = [point for point, _ in group]
        ways = list(dict.fromkeys(point.way_label for point in points))
        where = f" on {listed(point.label for point in points)}" if place == "vty" else ""
        names = list(dict.fromkeys(each.value for _, lists in group for each in lists))
        named = f" ({listed(names)})" if names else ""
        message = f"{listed(ways)}{where} {what[len(ways) > 1]}{named}"
        because: list[Provenance] = [each.origin for _, lists in group for each in lists]
        because += [context.resolved.facts["missing-list"].origin] if why == "missing" else []
        for point in points:
            because += [point.service.on.origin] if point.service is not None else []
            because += [point.view.accept.origin] if point.view is not None else []
        paths = [path for point in points for path in context.wide(point.paths)]
        keys = dict.fromkeys(Fault.ANYWHERE.at(point.numbers or point.via) for point in points)
        yield context.opened(
            message, because, paths, AttackerEffort.SECRET_NEEDED, _limited(context, points, why, names), *keys
        )


def _limited(context: RuleContext, points: list[AccessPoint], why: str, names: list[str]) -> list[str]:
    """What limits these access points to the management networks."""
    networks = fixes.management_networks(context)
    if why == "missing":
        missing = [name for name in names if name not in context.resolved.lists]
        return [line for name in missing for line in fixes.source_list(name, networks)]
    if why == "all":
        return [line for name in names for line in fixes.only_within(context, name, networks)]
    name, made = fixes.management_list(context)
    heads = [
        head
        for point in points
        for head in (fixes.vty_heads(point.numbers) if point.numbers else [fixes.service_head(point)])
    ]
    return [*made, *fixes.blocks(heads, f"from {fixes.quote_word(name)}")]


_ANY = (
    "accepts logins from any address: anyone who can reach the device can try",
    "accept logins from any address: anyone who can reach the device can try",
)


@rule("vty-from-anywhere", after="vty-weaker-than-others")
def vty_from_anywhere(context: RuleContext) -> Iterator[Finding]:
    """Logins by SSH and Telnet from anywhere, without a source list."""
    return _from_anywhere(context, "none", _ANY, "vty")


@rule("web-from-anywhere")
def web_from_anywhere(context: RuleContext) -> Iterator[Finding]:
    """Web logins from anywhere, without a source list."""
    return _from_anywhere(context, "none", _ANY, "web")


@rule("door-from-anywhere")
def door_from_anywhere(context: RuleContext) -> Iterator[Finding]:
    """Logins by another service from anywhere, without a source list."""
    return _from_anywhere(context, "none", _ANY, "door")


@rule("source-list-allows-all", after="vty-weaker-than-others")
def source_list_allows_all(context: RuleContext) -> Iterator[Finding]:
    """Logins from anywhere, although a source list is checked."""
    one = "is limited by a source list that allows any address: anyone can try"
    return _from_anywhere(context, "all", (one, one.replace("is ", "are ", 1)))


@rule("ip-family-unfiltered", after="vty-weaker-than-others")
def ip_family_unfiltered(context: RuleContext) -> Iterator[Finding]:
    """Logins from anywhere in one family of addresses, while the other is limited."""
    one = "is limited by a source list for one IP version only: the other is accepted from anywhere"
    return _from_anywhere(context, "family", (one, one.replace("is ", "are ", 1)))


@rule("source-list-missing", after="vty-weaker-than-others")
def source_list_missing(context: RuleContext) -> Iterator[Finding]:
    """Source lists that are named and do not exist, where that lets everybody try or locks everybody out."""
    if context.resolved.facts["missing-list"].value == "deny":
        for name, points, said in _lists_in_use(context):
            if name not in context.resolved.lists and _nobody_by(context, points):
                yield _denying(context, name, points, said, "does not exist, so every source is denied")
    one = "is limited by a source list that does not exist, so any address is accepted"
    yield from _from_anywhere(context, "missing", (one, one.replace("is ", "are ", 1)))


@rule("source-list-denies-all")
def source_list_denies_all(context: RuleContext) -> Iterator[Finding]:
    """Source lists that allow no address at all."""
    classes, lists = context.exposure.address_classes, context.resolved.lists
    for name, points, said in _lists_in_use(context):
        if name in lists and _nobody_by(context, points):
            each = lists[name]
            if not classes.allowed(each) | classes.unsure(each):
                yield _denying(context, name, points, said, "allows no address at all")


def _nobody_by(context: RuleContext, points: list[AccessPoint]) -> bool:
    """Whether nobody can log in at any of the access points; false where not every access path was found."""
    return context.exposure.complete and not any(point.paths for point in points)


def _denying(context: RuleContext, name: str, points: list[AccessPoint], said: Lists, what: str) -> Finding:
    ways = listed(point.way_label for point in points)
    message = f"source list {name} {what}: nobody can log in by {ways}"
    others = any(point.paths for point in context.access_points)
    because: list[Provenance] = [each.origin for each in said]
    there = name in context.resolved.lists
    if there:
        because += [each.origin for each in context.device.sources[name].rules]
    networks = fixes.management_networks(context)
    fix = fixes.only_within(context, name, networks, widen=True) if there else fixes.source_list(name, networks)
    return context.locked_out(message, because, fix, everybody=not others, always=True)


def _lists_in_use(context: RuleContext) -> Iterator[tuple[str, list[AccessPoint], Lists]]:
    """Each source list in use, with the access points behind it; a service that is off has none."""
    by_name: dict[str, dict[str, Configured[str]]] = {}
    services = context.resolved.services
    for via in REMOTE_WAYS:
        if services[via].on.value != "on":
            continue
        parts = [context.device.management.sources, services[via].sources]
        if via in VTY_WAYS:
            parts += [
                view.sources
                for view in context.vtys
                if isinstance(view.accept.value, tuple) and via in view.accept.value
            ]
        for said in (each for part in parts for each in part if each is not None):
            by_name.setdefault(said.value, {}).setdefault(via, said)
    for name, vias in by_name.items():
        points = []
        for via in vias:
            here = [point for point in context.access_points if point.via == via]
            points += here or [AccessPoint(via, services[via].label, (), None, services[via], 0, False, ())]
        yield name, points, list(vias.values())


# -- lines of a list ---------------------------------------------------------------------------------------------------


@rule("source-rule-unreachable")
def source_rule_unreachable(context: RuleContext) -> Iterator[Finding]:
    """Lines of a source list that no address reaches, since earlier lines match all of it."""
    for name, each in context.device.sources.items():
        dead = [each.rules[index] for index in context.resolved.lists[name].unreached()]
        if not dead:
            continue
        be = "is" if len(dead) == 1 else "are"
        message = (
            f"{counted(len(dead), 'line')} of source list {name} {be} never reached: earlier lines match all of it"
        )
        kept = {said.value for said in each.rules if said not in dead}
        head = fixes.named("sources", name)
        if any(said.value in kept for said in dead):  # to take back one is to take back both
            lines = [fixes.unparse_value("sources", "rules", said.value) for said in each.rules if said not in dead]
            fix = [f"drop {head}", *fixes.block(head, *lines)]
        else:
            gone = dict.fromkeys(fixes.unparse_value("sources", "rules", said.value) for said in dead)
            fix = [f"drop {head}: {line}" for line in gone]
        yield stated(Severity.LOW, message, [said.origin for said in dead], fix)


@rule("beyond-management-networks")
def beyond_management_networks(context: RuleContext) -> Iterator[Finding]:
    """Ways that are limited, and yet accept logins from beyond the project's management networks."""
    if not context.project.management:
        return
    allowed = context.management_prefixes
    paths: list[AccessPath] = []
    outside: list[str] = []
    for path in context.paths:
        if path.sources is None or path.via not in REMOTE_WAYS or context.exposure.address_classes.wide(path.sources):
            continue
        beyond = list(_beyond(context, path.sources, allowed))
        paths += [path] if beyond else []
        outside += beyond
    if not paths:
        return
    vias = {path.via for path in paths}
    ways = listed(context.resolved.services[path.via].label for path in paths)
    accept = "accepts" if len(vias) == 1 else "accept"
    message = f"{ways} {accept} logins from {listed(outside)}, beyond the management networks"
    points = [point for point in context.access_points if point.via in vias and point.paths]
    lists = [said for point in points for family in _FAMILIES for said in lists_at(context, point, family)]
    names = [name for name in dict.fromkeys(said.value for said in lists) if name in context.device.sources]
    fix = [line for name in names for line in fixes.only_within(context, name, map(str, allowed))]
    because = [said.origin for said in lists]
    because += [said.origin for name in names for said in context.device.sources[name].rules if said.value.allow]
    yield context.opened(message, because, paths, AttackerEffort.SECRET_NEEDED, fix)


def _beyond(context: RuleContext, sources: int, allowed: list[Prefix]) -> Iterator[str]:
    for family, low, high in context.exposure.address_classes.ranges(sources):
        if not covers(allowed, family, low, high):
            yield from context.exposure.address_classes.prefixes_of(family, low, high)[:3]


# -- where the device answers ------------------------------------------------------------------------------------------


def _address_head(own: OwnAddress) -> str:
    return f"address {'unknown' if own.prefix is None else encode_own_prefix(own.prefix)}"


@rule("management-exposed")
def management_exposed(context: RuleContext) -> Iterator[Finding]:
    """Addresses of the device on the side of users or the outside that answer management."""
    facing: dict[str, OwnAddress] = {}
    for own in context.device.addresses:
        if own.faces is not None and own.faces.value != "management" and own.prefix is not None:
            view = next((each for each in context.resolved.addresses if each.origin == own.block.origin), None)
            if view is not None:
                facing[view.label] = own
    paths = [path for path in context.paths if path.to is not None and set(path.to) & set(facing)]
    answering = list(dict.fromkeys(to for path in paths for to in path.to or () if to in facing))
    if not answering:
        return
    sides = dict.fromkeys(own.faces.value for to in answering if (own := facing[to]).faces is not None)
    side = listed("the user side" if each == "users" else "the outside" for each in sides)
    one = len(answering) == 1
    count = f"address {answering[0]}" if one else f"{len(answering)} addresses"
    ways = listed(context.resolved.services[path.via].label for path in paths)
    message = f"{count} on {side} {'answers' if one else 'answer'} {ways}: anyone there can try to log in"
    because: list[Provenance] = []
    for to in answering:
        because += [each.origin for each in (facing[to].answers, facing[to].faces) if each is not None]
    fix = fixes.blocks((_address_head(facing[to]) for to in answering), "answers nothing")
    yield context.opened(message, because, paths, AttackerEffort.SECRET_NEEDED, fix, Fault.FACING.at())


def _is_in(own: Prefix, networks: list[Prefix]) -> bool:
    return any(each.family == own.family and each.low <= own.host <= each.high for each in networks)


def _remote(context: RuleContext) -> list[AccessPath]:
    return [path for path in context.paths if path.sources is not None]


@rule("management-vlan-1")
def management_vlan_1(context: RuleContext) -> Iterator[Finding]:
    """Management in VLAN 1."""
    vlan = context.device.management.vlan
    if vlan is not None and vlan.value == 1:
        message = "management is in VLAN 1, which unconfigured ports belong to as well"
        own = [each for each in context.device.addresses if each.vlan is not None and each.vlan.value == 1]
        fix = fixes.blocks(["management", *map(_address_head, own)], "vlan 64")
        yield context.opened(message, [vlan.origin], _remote(context), AttackerEffort.SECRET_NEEDED, fix)


@rule("no-management-network", after="management-exposed")
def no_management_network(context: RuleContext) -> Iterator[Finding]:
    """Devices none of whose addresses is for management."""
    addresses, remote = context.device.addresses, _remote(context)
    apart = any(own.faces is not None and own.faces.value == "management" for own in addresses)
    blocks = [own.block for own in addresses] + [context.device.management.block]
    doubt = any(block.doubt is not None for block in blocks)
    if not addresses or not remote or context.device.management.vlan is not None or apart or doubt:
        return
    message = "no address of the device is for management alone: administrators and users share the same network"
    because = [own.block.origin for own in addresses if own.block.origin is not None][:5]
    managed = context.management_prefixes
    inside = [own for own in addresses if own.prefix is not None and _is_in(own.prefix, managed)]
    fix = fixes.block(_address_head((inside or addresses)[0]), "faces management")
    yield context.opened(message, because, remote, AttackerEffort.SECRET_NEEDED, fix, Fault.FACING.at())
