"""From where: address lists that are missing, that do not exist, allow anyone, forget a family, deny everyone."""

from collections.abc import Iterator

from overhang.device import Address, Prefix, Said
from overhang.login.result import Because
from overhang.login.setting import PORTS, REMOTE_WAYS, VTY_WAYS, WEB_WAYS
from overhang.rules.case import Case, Spot, listed
from overhang.rules.model import Finding, Severity
from overhang.rules.remedies import NEW_NETWORK, block, vty_heads, word
from overhang.rules.severity import Takes
from overhang.ways import Way

_FAMILIES = {4: "IPv4", 6: "IPv6"}
_RULES = {
    "none": ("no-address-list", "takes logins from any address: everybody who can reach the device may try"),
    "missing": ("list-missing", "asks a list of sources that does not exist, which lets everybody try"),
    "anyone": ("list-allows-anyone", "asks a list of sources that allows any address: everybody may try"),
    "family": ("family-forgotten", "has a list for one family of addresses, and the other passes unasked"),
}


def said_lists(case: Case, spot: Spot, family: int) -> list[Said[str]]:
    """The lists that a source of a family is asked by at a spot."""
    parts = [case.device.management.sources]
    if spot.service is not None:
        parts.append(spot.service.sources)
    if spot.view is not None and spot.via in VTY_WAYS:
        parts.append(spot.view.sources)
    said = [part.ipv4 if family == 4 else part.ipv6 for part in parts]
    return [each for each in said if each is not None]


def check_anywhere(case: Case) -> Iterator[Finding]:
    """Remote ways that can be tried from anywhere, by the reason why."""
    found: dict[tuple[str, str], list[tuple[Spot, list[Said[str]]]]] = {}
    for spot in case.spots():
        if spot.via in PORTS or not case.wide(spot.rows) or spot.via == "snmp":
            continue
        kind, lists = _why(case, spot)
        place = "VTY" if spot.numbers else "web" if spot.via in WEB_WAYS else "door"
        found.setdefault((kind, place), []).append((spot, lists))
    for (kind, place), group in found.items():
        rule, what = _RULES[kind]
        spots = [spot for spot, _ in group]
        if rule == "no-address-list" and place != "VTY":
            rule = f"{place}-from-anywhere"
        labels = dict.fromkeys(spot.way_label for spot in spots)
        where = f" on {listed(dict.fromkeys(spot.label for spot in spots))}" if place == "VTY" else ""
        names = dict.fromkeys(each.value for _, lists in group for each in lists)
        named = f" ({listed(names)})" if names else ""
        if len(labels) > 1:
            what = what.replace("takes", "take").replace("asks", "ask").replace("has ", "have ")
        message = f"{listed(labels)}{where} {what}{named}"
        because: list[Because] = [each.origin for _, lists in group for each in lists]
        because += [case.setting.facts["missing-list"].origin] if kind == "missing" else []
        for spot in spots:
            because += [spot.service.on.origin] if spot.service is not None else []
            because += [spot.view.accept.origin] if spot.view is not None else []
        rows = [row for spot in spots for row in case.wide(spot.rows)]
        tokens = [("anyone", spot.numbers or spot.via) for spot in spots]
        remedy = _limited(case, spots, kind, list(names))
        yield case.opened(rule, message, because, rows, Takes.EFFORT, remedy, *dict.fromkeys(tokens))


def _why(case: Case, spot: Spot) -> tuple[str, list[Said[str]]]:
    space = case.ways.space
    sources = 0
    for row in case.wide(spot.rows):
        sources |= row.sources or 0
    wide = [family for family in (4, 6) if space.wide(sources & space.family[family])]
    by_family = {family: said_lists(case, spot, family) for family in (4, 6)}
    for family in wide:
        if any(said.value not in case.setting.lists for said in by_family[family]):
            return "missing", [said for said in by_family[family] if said.value not in case.setting.lists]
        if by_family[family]:
            return "anyone", by_family[family]
    other = [said for family in (4, 6) if family not in wide for said in by_family[family]]
    return ("family", other) if other else ("none", [])


def _limited(case: Case, spots: list[Spot], kind: str, names: list[str]) -> list[str]:
    """What limits these places to a list of the management's networks."""
    if kind == "missing":
        made = [word(name) for name in names if name not in case.setting.lists]
        networks = _networks(case)
        return [each for name in made for each in block(f"sources {name}", *(f"allow {net}" for net in networks))]
    if kind == "anyone":
        networks = _networks(case)
        return [
            each
            for name in names
            for each in (
                f"drop sources {word(name)}",
                *block(f"sources {word(name)}", *(f"allow {net}" for net in networks)),
            )
        ]
    name, made = case.remedies.limit()
    heads: dict[str, None] = {}
    for spot in spots:
        if spot.numbers:
            heads.update(dict.fromkeys(vty_heads(spot.numbers)))
        else:
            heads[case.remedies.service_head(spot)] = None
    return [*made, *(each for head in heads for each in block(head, f"from {name}"))]


def _networks(case: Case) -> list[str]:
    """The networks that management comes from: the project's, else where its people sit, else one to be filled in."""
    names = case.project.management or [place for person in case.people() for place in person.sits]
    prefixes = [str(each) for name in dict.fromkeys(names) for each in case.project.networks.get(name, ())]
    return prefixes or [NEW_NETWORK]


def check_missing_denies(case: Case) -> Iterator[Finding]:
    """Lists that are named and do not exist, where that lets nobody pass; and lists that allow nobody."""
    for name, spots, said in _asked(case):
        if any(spot.rows for spot in spots):
            continue
        space = case.ways.space
        if name not in case.setting.lists:
            if case.setting.facts["missing-list"].value != "deny":
                continue
            rule, what = "list-missing", "does not exist, which lets nobody pass"
        elif not (space.allowed(case.setting.lists[name]) | space.unsure(case.setting.lists[name])):
            rule, what = "list-denies-everyone", "allows no address at all"
        else:
            continue
        labels = listed(dict.fromkeys(spot.way_label for spot in spots))
        message = f"list {name} {what}: nobody gets in by {labels}"
        others = any(spot.rows for spot in case.spots())
        because: list[Because] = [each.origin for each in said]
        if name in case.setting.lists:
            because += [rule.origin for rule in case.device.sources[name].rules]
        again = [f"drop sources {word(name)}"] if name in case.setting.lists else []
        remedy = [*again, *block(f"sources {word(name)}", *(f"allow {net}" for net in _networks(case)))]
        yield case.shut(rule, message, because, remedy, everybody=not others, always=True)


def _asked(case: Case) -> Iterator[tuple[str, list[Spot], list[Said[str]]]]:
    """Each list that ways are asked by, with the places that it shuts or opens; a service that is off is not there."""
    by_name: dict[str, dict[str, Said[str]]] = {}
    for via in REMOTE_WAYS:
        if case.setting.services[via].on.value != "on":
            continue
        parts = [case.device.management.sources, case.setting.services[via].sources]
        if via in VTY_WAYS:
            parts += [
                view.sources
                for view in case.vtys()
                if via in (view.accept.value if isinstance(view.accept.value, tuple) else ())
            ]
        for said in (each for part in parts for each in part if each is not None):
            by_name.setdefault(said.value, {}).setdefault(via, said)
    for name, vias in by_name.items():
        labels = {
            via: [spot for spot in case.spots() if spot.via == via]
            or [Spot(via, case.setting.services[via].label, (), None, case.setting.services[via], 0, False, ())]
            for via in vias
        }
        yield name, [spot for spots in labels.values() for spot in spots], list(vias.values())


def check_never_matches(case: Case) -> Iterator[Finding]:
    """Lines of a list that nothing can reach, since earlier lines match all of it."""
    for name, each in case.device.sources.items():
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
        remedy = [f"drop sources {word(name)}", *block(f"sources {word(name)}", *lines)]
        yield case.stated("rule-never-matches", Severity.LOW, message, [said.origin for said in dead], remedy)


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


def check_beyond(case: Case) -> Iterator[Finding]:
    """Ways that are limited, and yet can be taken from beyond the project's management networks."""
    if not case.project.management:
        return
    allowed = [prefix for name in case.project.management for prefix in case.project.networks[name]]
    rows: list[Way] = []
    outside: dict[str, None] = {}
    for row in case.rows:
        if row.sources is None or row.via not in REMOTE_WAYS or case.ways.space.wide(row.sources):
            continue
        beyond = list(_beyond(case, row.sources, allowed))
        if beyond:
            rows.append(row)
            outside.update(dict.fromkeys(beyond))
    if not rows:
        return
    labels = listed(dict.fromkeys(case.setting.services[row.via].label for row in rows))
    message = f"{labels} can be tried from {listed(outside)}, beyond the networks that management comes from"
    spots = [spot for spot in case.spots() if spot.via in {row.via for row in rows} and spot.rows]
    lists = [said for spot in spots for family in (4, 6) for said in said_lists(case, spot, family)]
    remedy: list[str] = []
    for name in dict.fromkeys(said.value for said in lists):
        if name in case.device.sources:
            remedy += [
                f"drop sources {word(name)}",
                *block(f"sources {word(name)}", *(f"allow {net}" for net in map(str, allowed))),
            ]
    because = [said.origin for said in lists]
    for name in dict.fromkeys(said.value for said in lists):
        if name in case.device.sources:
            because += [rule.origin for rule in case.device.sources[name].rules if rule.value.allow]
    yield case.opened("beyond-management", message, because, rows, Takes.EFFORT, remedy)


def _beyond(case: Case, sources: int, allowed: list[Prefix]) -> Iterator[str]:
    import ipaddress

    for family, low, high in case.ways.space.ranges(sources):
        inside = Prefix(family, low, high, 0, low)
        if not _covered(inside, [each for each in allowed if each.family == family]):
            kind = ipaddress.IPv4Address if family == 4 else ipaddress.IPv6Address
            yield from (str(each) for each in list(ipaddress.summarize_address_range(kind(low), kind(high)))[:3])


def check_own_addresses(case: Case) -> Iterator[Finding]:
    """Addresses of the device on the side of users or the outside that answer management."""
    facing = {}
    for own in case.device.addresses:
        if own.faces is not None and own.faces.value != "management" and own.prefix is not None:
            view = next((each for each in case.setting.addresses if each.origin == own.block.origin), None)
            if view is not None:
                facing[view.label] = own
    rows = [row for row in case.rows if row.to is not None and set(row.to) & set(facing)]
    answering = dict.fromkeys(to for row in rows for to in row.to or () if to in facing)
    if answering:
        sides = dict.fromkeys(own.faces.value for to in answering if (own := facing[to]).faces is not None)
        side = listed("the side of users" if each == "users" else "the outside" for each in sides)
        verb = "answers" if len(answering) == 1 else "answer"
        count = f"the address {next(iter(answering))}" if len(answering) == 1 else f"{len(answering)} addresses"
        labels = listed(dict.fromkeys(case.setting.services[row.via].label for row in rows))
        message = f"{count} on {side} {verb} {labels}: who sits there can try to log in"
        because: list[Because] = []
        remedy: list[str] = []
        for to in answering:
            own = facing[to]
            because += [each.origin for each in (own.answers, own.faces) if each is not None]
            remedy += block(f"address {_spelt(own.prefix)}", "answers nothing")
        if not any(to not in answering for row in case.rows for to in row.to or ()):
            remedy += block("address 192.0.2.1/24", "faces management", "answers ssh https")
        yield case.opened("answers-everywhere", message, because, rows, Takes.EFFORT, remedy, ("faces",))
    yield from _management_network(case)


def _spelt(prefix: Prefix | None) -> str:
    return "unknown" if prefix is None else f"{Address(prefix.family, prefix.host)}/{prefix.length}"


def _management_network(case: Case) -> Iterator[Finding]:
    vlan = case.device.management.vlan
    remote = [row for row in case.rows if row.sources is not None]
    if vlan is not None and vlan.value == 1:
        message = "management is in VLAN 1, where every port is that nobody configured"
        remedy = block("management", "vlan 64")
        for own in case.device.addresses:
            if own.vlan is not None and own.vlan.value == 1:
                remedy += block(f"address {_spelt(own.prefix)}", "vlan 64")
        yield case.opened("management-vlan-1", message, [vlan.origin], remote, Takes.EFFORT, remedy)
    addresses = case.device.addresses
    apart = any(own.faces is not None and own.faces.value == "management" for own in addresses)
    blocks = [own.block for own in addresses] + [case.device.management.block]
    doubt = any(block.doubt is not None for block in blocks)
    if not addresses or not remote or vlan is not None or apart or doubt:
        return
    message = "no address of the device is said to be for management: whoever manages it comes the same way as users"
    because = [own.block.origin for own in addresses if own.block.origin is not None][:5]
    remedy = block(
        f"address {_spelt(addresses[0].prefix)}" if len(addresses) == 1 else "address 192.0.2.1/24", "faces management"
    )
    yield case.opened("no-management-network", message, because, remote, Takes.EFFORT, remedy, ("faces",))
