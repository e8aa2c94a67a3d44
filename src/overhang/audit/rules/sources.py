"""From where: address lists that are missing, that do not exist, allow anyone, forget a family, deny everyone."""

from collections.abc import Iterator

from overhang.audit.context import AccessPoint, RuleContext, listed
from overhang.audit.findings import Finding, Severity
from overhang.audit.fixes import NEW_NETWORK, block, vty_heads, word
from overhang.audit.severity import AttackerEffort
from overhang.exposure import AccessPath
from overhang.model import Address, Configured, Prefix
from overhang.model.vocabulary import PORTS, REMOTE_WAYS, VTY_WAYS, WEB_WAYS
from overhang.simulate.result import Provenance

_FAMILIES = {4: "IPv4", 6: "IPv6"}
_RULES = {
    "none": ("no-address-list", "takes logins from any address: everybody who can reach the device may try"),
    "missing": ("list-missing", "asks a list of sources that does not exist, which lets everybody try"),
    "anyone": ("list-allows-anyone", "asks a list of sources that allows any address: everybody may try"),
    "family": ("family-forgotten", "has a list for one family of addresses, and the other passes unasked"),
}


def said_lists(context: RuleContext, point: AccessPoint, family: int) -> list[Configured[str]]:
    """The lists that a source of a family is asked by at a spot."""
    parts = [context.device.management.sources]
    if point.service is not None:
        parts.append(point.service.sources)
    if point.view is not None and point.via in VTY_WAYS:
        parts.append(point.view.sources)
    said = [part.ipv4 if family == 4 else part.ipv6 for part in parts]
    return [each for each in said if each is not None]


def check_anywhere(context: RuleContext) -> Iterator[Finding]:
    """Remote ways that can be tried from anywhere, by the reason why."""
    found: dict[tuple[str, str], list[tuple[AccessPoint, list[Configured[str]]]]] = {}
    for point in context.access_points():
        if point.via in PORTS or not context.wide(point.paths) or point.via == "snmp":
            continue
        kind, lists = _why(context, point)
        place = "VTY" if point.numbers else "web" if point.via in WEB_WAYS else "door"
        found.setdefault((kind, place), []).append((point, lists))
    for (kind, place), group in found.items():
        rule, what = _RULES[kind]
        access_points = [point for point, _ in group]
        if rule == "no-address-list" and place != "VTY":
            rule = f"{place}-from-anywhere"
        labels = dict.fromkeys(point.way_label for point in access_points)
        where = f" on {listed(dict.fromkeys(point.label for point in access_points))}" if place == "VTY" else ""
        names = dict.fromkeys(each.value for _, lists in group for each in lists)
        named = f" ({listed(names)})" if names else ""
        if len(labels) > 1:
            what = what.replace("takes", "take").replace("asks", "ask").replace("has ", "have ")
        message = f"{listed(labels)}{where} {what}{named}"
        because: list[Provenance] = [each.origin for _, lists in group for each in lists]
        because += [context.resolved.facts["missing-list"].origin] if kind == "missing" else []
        for point in access_points:
            because += [point.service.on.origin] if point.service is not None else []
            because += [point.view.accept.origin] if point.view is not None else []
        paths = [path for point in access_points for path in context.wide(point.paths)]
        tokens = [("anyone", point.numbers or point.via) for point in access_points]
        fix = _limited(context, access_points, kind, list(names))
        yield context.opened(rule, message, because, paths, AttackerEffort.EFFORT, fix, *dict.fromkeys(tokens))


def _why(context: RuleContext, point: AccessPoint) -> tuple[str, list[Configured[str]]]:
    address_classes = context.exposure.address_classes
    sources = 0
    for path in context.wide(point.paths):
        sources |= path.sources or 0
    wide = [family for family in (4, 6) if address_classes.wide(sources & address_classes.family[family])]
    by_family = {family: said_lists(context, point, family) for family in (4, 6)}
    for family in wide:
        if any(said.value not in context.resolved.lists for said in by_family[family]):
            return "missing", [said for said in by_family[family] if said.value not in context.resolved.lists]
        if by_family[family]:
            return "anyone", by_family[family]
    other = [said for family in (4, 6) if family not in wide for said in by_family[family]]
    return ("family", other) if other else ("none", [])


def _limited(context: RuleContext, access_points: list[AccessPoint], kind: str, names: list[str]) -> list[str]:
    """What limits these places to a list of the management's networks."""
    if kind == "missing":
        made = [word(name) for name in names if name not in context.resolved.lists]
        networks = _networks(context)
        return [each for name in made for each in block(f"sources {name}", *(f"allow {net}" for net in networks))]
    if kind == "anyone":
        networks = _networks(context)
        return [
            each
            for name in names
            for each in (
                f"drop sources {word(name)}",
                *block(f"sources {word(name)}", *(f"allow {net}" for net in networks)),
            )
        ]
    name, made = context.fixes.limit()
    heads: dict[str, None] = {}
    for point in access_points:
        if point.numbers:
            heads.update(dict.fromkeys(vty_heads(point.numbers)))
        else:
            heads[context.fixes.service_head(point)] = None
    return [*made, *(each for head in heads for each in block(head, f"from {name}"))]


def _networks(context: RuleContext) -> list[str]:
    """The networks that management comes from: the project's, else where its people sit, else one to be filled in."""
    names = context.project.management or [place for person in context.people() for place in person.sits]
    prefixes = [str(each) for name in dict.fromkeys(names) for each in context.project.networks.get(name, ())]
    return prefixes or [NEW_NETWORK]


def check_missing_denies(context: RuleContext) -> Iterator[Finding]:
    """Lists that are named and do not exist, where that lets nobody pass; and lists that allow nobody."""
    for name, access_points, said in _asked(context):
        if any(point.paths for point in access_points):
            continue
        address_classes = context.exposure.address_classes
        if name not in context.resolved.lists:
            if context.resolved.facts["missing-list"].value != "deny":
                continue
            rule, what = "list-missing", "does not exist, which lets nobody pass"
        elif not (
            address_classes.allowed(context.resolved.lists[name]) | address_classes.unsure(context.resolved.lists[name])
        ):
            rule, what = "list-denies-everyone", "allows no address at all"
        else:
            continue
        labels = listed(dict.fromkeys(point.way_label for point in access_points))
        message = f"list {name} {what}: nobody gets in by {labels}"
        others = any(point.paths for point in context.access_points())
        because: list[Provenance] = [each.origin for each in said]
        if name in context.resolved.lists:
            because += [rule.origin for rule in context.device.sources[name].rules]
        again = [f"drop sources {word(name)}"] if name in context.resolved.lists else []
        fix = [*again, *block(f"sources {word(name)}", *(f"allow {net}" for net in _networks(context)))]
        yield context.shut(rule, message, because, fix, everybody=not others, always=True)


def _asked(context: RuleContext) -> Iterator[tuple[str, list[AccessPoint], list[Configured[str]]]]:
    """Each list that ways are asked by, with the places that it shuts or opens; a service that is off is not there."""
    by_name: dict[str, dict[str, Configured[str]]] = {}
    for via in REMOTE_WAYS:
        if context.resolved.services[via].on.value != "on":
            continue
        parts = [context.device.management.sources, context.resolved.services[via].sources]
        if via in VTY_WAYS:
            parts += [
                view.sources
                for view in context.vtys()
                if via in (view.accept.value if isinstance(view.accept.value, tuple) else ())
            ]
        for said in (each for part in parts for each in part if each is not None):
            by_name.setdefault(said.value, {}).setdefault(via, said)
    for name, vias in by_name.items():
        labels = {
            via: [point for point in context.access_points() if point.via == via]
            or [
                AccessPoint(
                    via, context.resolved.services[via].label, (), None, context.resolved.services[via], 0, False, ()
                )
            ]
            for via in vias
        }
        yield name, [point for access_points in labels.values() for point in access_points], list(vias.values())


def check_never_matches(context: RuleContext) -> Iterator[Finding]:
    """Lines of a list that nothing can reach, since earlier lines match all of it."""
    for name, each in context.device.sources.items():
        dead = [
            said
            for at, said in enumerate(each.rules)
            if _covered(said.value.prefix, [r.value.prefix for r in each.rules[:at]])
        ]
        if not dead:
            continue
        verb = "is" if len(dead) == 1 else "are"
        count = "1 line" if len(dead) == 1 else f"{len(dead)} lines"
        message = (
            f"{count} of list {name} {verb} never reached: earlier lines match all of it, so what it says is not done"
        )
        kept = [said for said in each.rules if said not in dead]
        lines = [f"{'allow' if said.value.allow else 'deny'} {said.value.prefix or 'any'}" for said in kept]
        fix = [f"drop sources {word(name)}", *block(f"sources {word(name)}", *lines)]
        yield context.stated("rule-never-matches", Severity.LOW, message, [said.origin for said in dead], fix)


def _covered(prefix: Prefix | None, before: list[Prefix | None]) -> bool:
    if prefix is None:
        return any(each is None for each in before) or all(
            _covers_all(family, [each for each in before if each is not None and each.family == family])
            for family in (4, 6)
        )
    if any(each is None for each in before):
        return True
    at = prefix.low
    for each in sorted(
        (each for each in before if each is not None and each.family == prefix.family), key=lambda p: p.low
    ):
        if each.low <= at <= each.high:
            at = each.high + 1
    return at > prefix.high


def _covers_all(family: int, prefixes: list[Prefix]) -> bool:
    width = 32 if family == 4 else 128
    return bool(prefixes) and _covered(Prefix(family, 0, (1 << width) - 1, 0, 0), list(prefixes))


# -- where the device answers ------------------------------------------------------------------------------------------


def check_beyond(context: RuleContext) -> Iterator[Finding]:
    """Ways that are limited, and yet can be taken from beyond the project's management networks."""
    if not context.project.management:
        return
    allowed = [prefix for name in context.project.management for prefix in context.project.networks[name]]
    paths: list[AccessPath] = []
    outside: dict[str, None] = {}
    for path in context.paths:
        if path.sources is None or path.via not in REMOTE_WAYS or context.exposure.address_classes.wide(path.sources):
            continue
        beyond = list(_beyond(context, path.sources, allowed))
        if beyond:
            paths.append(path)
            outside.update(dict.fromkeys(beyond))
    if not paths:
        return
    labels = listed(dict.fromkeys(context.resolved.services[path.via].label for path in paths))
    message = f"{labels} can be tried from {listed(outside)}, beyond the networks that management comes from"
    access_points = [
        point for point in context.access_points() if point.via in {path.via for path in paths} and point.paths
    ]
    lists = [said for point in access_points for family in (4, 6) for said in said_lists(context, point, family)]
    fix: list[str] = []
    for name in dict.fromkeys(said.value for said in lists):
        if name in context.device.sources:
            fix += [
                f"drop sources {word(name)}",
                *block(f"sources {word(name)}", *(f"allow {net}" for net in map(str, allowed))),
            ]
    because = [said.origin for said in lists]
    for name in dict.fromkeys(said.value for said in lists):
        if name in context.device.sources:
            because += [rule.origin for rule in context.device.sources[name].rules if rule.value.allow]
    yield context.opened("beyond-management", message, because, paths, AttackerEffort.EFFORT, fix)


def _beyond(context: RuleContext, sources: int, allowed: list[Prefix]) -> Iterator[str]:
    import ipaddress

    for family, low, high in context.exposure.address_classes.ranges(sources):
        inside = Prefix(family, low, high, 0, low)
        if not _covered(inside, [each for each in allowed if each.family == family]):
            kind = ipaddress.IPv4Address if family == 4 else ipaddress.IPv6Address
            yield from (str(each) for each in list(ipaddress.summarize_address_range(kind(low), kind(high)))[:3])


def check_own_addresses(context: RuleContext) -> Iterator[Finding]:
    """Addresses of the device on the side of users or the outside that answer management."""
    facing = {}
    for own in context.device.addresses:
        if own.faces is not None and own.faces.value != "management" and own.prefix is not None:
            view = next((each for each in context.resolved.addresses if each.origin == own.block.origin), None)
            if view is not None:
                facing[view.label] = own
    paths = [path for path in context.paths if path.to is not None and set(path.to) & set(facing)]
    answering = dict.fromkeys(to for path in paths for to in path.to or () if to in facing)
    if answering:
        sides = dict.fromkeys(own.faces.value for to in answering if (own := facing[to]).faces is not None)
        side = listed("the side of users" if each == "users" else "the outside" for each in sides)
        verb = "answers" if len(answering) == 1 else "answer"
        count = f"the address {next(iter(answering))}" if len(answering) == 1 else f"{len(answering)} addresses"
        labels = listed(dict.fromkeys(context.resolved.services[path.via].label for path in paths))
        message = f"{count} on {side} {verb} {labels}: who sits there can try to log in"
        because: list[Provenance] = []
        fix: list[str] = []
        for to in answering:
            own = facing[to]
            because += [each.origin for each in (own.answers, own.faces) if each is not None]
            fix += block(f"address {_spelt(own.prefix)}", "answers nothing")
        if not any(to not in answering for path in context.paths for to in path.to or ()):
            fix += block("address 192.0.2.1/24", "faces management", "answers ssh https")
        yield context.opened("answers-everywhere", message, because, paths, AttackerEffort.EFFORT, fix, ("faces",))
    yield from _management_network(context)


def _spelt(prefix: Prefix | None) -> str:
    return "unknown" if prefix is None else f"{Address(prefix.family, prefix.host)}/{prefix.length}"


def _management_network(context: RuleContext) -> Iterator[Finding]:
    vlan = context.device.management.vlan
    remote = [path for path in context.paths if path.sources is not None]
    if vlan is not None and vlan.value == 1:
        message = "management is in VLAN 1, where every port is that nobody configured"
        fix = block("management", "vlan 64")
        for own in context.device.addresses:
            if own.vlan is not None and own.vlan.value == 1:
                fix += block(f"address {_spelt(own.prefix)}", "vlan 64")
        yield context.opened("management-vlan-1", message, [vlan.origin], remote, AttackerEffort.EFFORT, fix)
    addresses = context.device.addresses
    apart = any(own.faces is not None and own.faces.value == "management" for own in addresses)
    blocks = [own.block for own in addresses] + [context.device.management.block]
    doubt = any(block.doubt is not None for block in blocks)
    if not addresses or not remote or vlan is not None or apart or doubt:
        return
    message = "no address of the device is said to be for management: whoever manages it comes the same way as users"
    because = [own.block.origin for own in addresses if own.block.origin is not None][:5]
    fix = block(
        f"address {_spelt(addresses[0].prefix)}" if len(addresses) == 1 else "address 192.0.2.1/24", "faces management"
    )
    yield context.opened("no-management-network", message, because, remote, AttackerEffort.EFFORT, fix, ("faces",))
