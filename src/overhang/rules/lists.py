"""Method lists: what they name that is not there, what they forget, and whom they lock out."""

from collections.abc import Iterator

from overhang.device import Method, MethodList, Said
from overhang.login import words
from overhang.login.result import Because
from overhang.login.setting import PORTS, VTY_WAYS
from overhang.rules.case import Case, listed, origins_of
from overhang.rules.model import Finding, Severity
from overhang.rules.remedies import block, word
from overhang.rules.severity import Takes
from overhang.rules.strangers import cause_of, rewritten, servers_again, spell
from overhang.text import Origin, did_you_mean


def _title(methods: MethodList) -> str:
    name = f"method list {methods.name}" if methods.name is not None else "the method list for all"
    return f"{name} for {methods.purpose}"


# -- lock-outs ---------------------------------------------------------------------------------------------------------


def check_lock_outs(case: Case) -> Iterator[Finding]:
    """Devices that nobody gets into: at all, or when the servers do not answer."""
    if not case.ways.complete or any(not row.sure for row in case.ways.ways):
        return
    down = len(case.ways.states) - 1
    always = not case.ways.ways
    if not always and (down == 0 or any(row.states >> down & 1 for row in case.rows)):
        return
    because: list[Because] = []
    reasons: list[str] = []
    labels: list[str] = []
    for spot in case.spots():
        for result in case.stranger(spot.via, spot.numbers, max(case.ways.states, key=len)):
            if result.outcome in ("denied", "dropped", "unknown"):
                labels.append(spot.label if spot.via in PORTS else spot.way_label)
                steps = [step for step in result.trace if step.stage == words.CHECKING]
                because += origins_of(steps)
                reasons += [step.reason for step in steps if step.words in _EMPTY_HANDED]
                break
    by = f", by {listed(labels)}" if labels else ": every way is closed or off"
    when = "" if always else " when the servers do not answer"
    why = f" ({listed(reasons, 3)})" if reasons else ""
    message = f"nobody gets in{when}{by}{why}; the next login is a lock-out"
    opened = ["drop closed"] if case.device.console.closed is not None else []
    remedy = block("entry console", *opened, "check users") + case.remedies.accounts("console")
    rule = "locked-out" if always else "locked-out-servers-down"
    tokens: list[tuple[object, ...]] = [("lock-out",), *(("check", via) for via in ("console", "auxiliary"))]
    tokens += [cause_of(spot) for spot in case.spots()]
    tokens += [("line", origin) for origin in because]
    yield case.shut(rule, message, because, remedy, *tokens, everybody=True, always=always)


_EMPTY_HANDED = {
    words.GROUP_UNDEFINED,
    words.GROUP_EMPTY,
    words.GROUP_DOWN,
    words.NO_ACCOUNTS,
    words.NO_ACCOUNTS_NEXT,
    words.LIST_UNDEFINED_DENIES,
    words.NO_LIST_FOR_ALL,
    words.NO_PASSWORD_DROPPED,
    words.METHOD_REJECT,
}


# -- what a list names -------------------------------------------------------------------------------------------------


def check_names(case: Case) -> Iterator[Finding]:
    """Lists that are named and not there, groups that are named and not there or empty."""
    lists, device = case.device.lists, case.device
    missing: dict[tuple[str, str], list[tuple[Origin, str]]] = {}
    for said, purpose, head in _named_lists(case):
        if (purpose, said.value) not in lists:
            missing.setdefault((purpose, said.value), []).append((said.origin, head))
    for (purpose, name), places in missing.items():
        known = [each for kind, each in lists if kind == purpose and each is not None]
        near = did_you_mean(name, known)
        hint = f"; did you mean {near}?" if near else ""
        effect = {"deny": "nobody passes", "general": "the list for all is asked", "users": "local accounts are asked"}
        what = effect.get(str(case.setting.facts["missing-methods"].value), "nobody can tell what is asked")
        message = f"method list {name} for {purpose} does not exist: {what}{hint}"
        line = f"check methods {word(near)}" if near else "check users"
        if purpose == "elevation":
            line = f"elevation methods {word(near)}" if near else "drop elevation"
        remedy = [each for _, head in places for each in block(head, line)]
        if purpose != "elevation" and not near:
            remedy += case.remedies.accounts("console" if "console" in places[0][1] else "ssh")
        because: list[Because] = [origin for origin, _ in places]
        yield case.shut("methods-missing", message, because, remedy, *(("line", origin) for origin in because))
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
            remedy = rewritten(methods.purpose, methods.name, kept) + ([] if near else case.remedies.accounts("ssh"))
            yield case.shut("group-missing", message, [each.origin], remedy, ("line", each.origin))


def _named_lists(case: Case) -> Iterator[tuple[Said[str], str, str]]:
    """Each statement that names a method list: the name, the purpose, and the head of its block."""
    device = case.device
    entries = [("entry console", device.console), ("entry auxiliary", device.auxiliary)]
    seen: set[Origin] = set()
    for number, entry in device.vtys.items():
        entries.append((f"entry vty {entry.item.removeprefix('entry:vty ') or number}", entry))
    for head, entry in entries:
        if entry.check is not None and entry.check.value.name is not None and entry.check.origin not in seen:
            seen.add(entry.check.origin)
            yield Said(entry.check.value.name, entry.check.origin), "login", _head(case, entry.check.origin, head)
        if entry.elevation is not None and entry.elevation.origin not in seen:
            seen.add(entry.elevation.origin)
            yield entry.elevation, "elevation", _head(case, entry.elevation.origin, head)
    for head, service in (("ssh", device.ssh), ("telnet", device.telnet)):
        if service.check is not None and service.check.value.name is not None:
            yield Said(service.check.value.name, service.check.origin), "login", head
        if service.elevation is not None:
            yield service.elevation, "elevation", head
    checks = [("web", device.web.check)] + [(f"door {word(name)}", door.check) for name, door in device.doors.items()]
    for head, said in checks:
        if said is not None and said.value.name is not None:
            yield Said(said.value.name, said.origin), "web", head


def _head(case: Case, origin: Origin, head: str) -> str:
    """The VTYs that a statement speaks of, as the head of a block."""
    numbers = [
        number
        for number, entry in case.device.vtys.items()
        if origin in {said.origin for said in (entry.check, entry.elevation) if said is not None}
    ]
    return f"entry vty {min(numbers)}-{max(numbers)}" if numbers else head


def check_unset(case: Case) -> Iterator[Finding]:
    """Methods that find nothing to ask: no account, no enable secret, no entry password."""
    device = case.device
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
                remedy = rewritten(methods.purpose, methods.name, kept or ["users"])
            else:
                remedy = (
                    case.remedies.accounts("ssh")
                    if said.value.kind == "users"
                    else block("elevation 15", "password withheld")
                )
            yield case.shut("method-unset", message, [said.origin], remedy, ("line", said.origin))


def check_unreachable(case: Case) -> Iterator[Finding]:
    """Methods that are never asked, since one before them always answers."""
    for methods in case.device.lists.values():
        if methods.purpose == "level":
            continue
        for at, said in enumerate(methods.methods[:-1]):
            if not _always_answers(case, said.value):
                continue
            never = methods.methods[at + 1 :]
            names = listed(spell(each.value) for each in never)
            message = f"{_title(methods)} never comes to {names}: {spell(said.value)} before always answers"
            kept = [spell(each.value) for each in methods.methods[: at + 1]]
            yield case.stated(
                "method-unreachable",
                Severity.LOW,
                message,
                [said.origin, *(each.origin for each in never)],
                rewritten(methods.purpose, methods.name, kept),
            )
            break


def _always_answers(case: Case, method: Method) -> bool:
    if method.kind in ("nothing", "reject"):
        return True
    if method.kind == "users":
        return bool(case.device.users) and case.setting.facts["unknown-account"].value == "reject"
    return method.kind == "elevation-password" and 15 in case.setting.elevations


# -- what lists forget -------------------------------------------------------------------------------------------------


def check_no_default(case: Case) -> Iterator[Finding]:
    """Named lists for login and none for all, while entries name none."""
    named = [methods for (kind, name), methods in case.device.lists.items() if kind == "login" and name is not None]
    if not named or ("login", None) in case.device.lists:
        return
    spots = []
    for spot in case.spots():
        own = spot.service.check if spot.service is not None else None
        if spot.view is not None and spot.view.check is None and own is None and spot.arrives:
            spots.append(spot)
    if not spots:
        return
    labels = listed(dict.fromkeys(spot.label for spot in spots))
    verb = "ask" if len({spot.label for spot in spots}) > 1 or len(spots[0].numbers) > 1 else "asks"
    message = f"there is no method list for all, so {labels} {verb} what the make asks where nothing is said"
    because: list[Because] = [spot.view.unsaid_check.origin for spot in spots if spot.view is not None]
    because += [methods.block.origin for methods in named if methods.block.origin is not None]
    rows = [row for spot in spots for row in spot.rows]
    free = [row for row in rows if not row.needs]
    takes = Takes.NOTHING if free else Takes.EFFORT
    remedy = block("methods for login", *(spell(said.value) for said in named[0].methods))
    tokens = dict.fromkeys(cause_of(spot) for spot in spots)
    yield case.opened("no-default-list", message, because, free or rows, takes, remedy, *tokens)


def check_fallback(case: Case) -> Iterator[Finding]:
    """Lists that ask servers, and nobody when those do not answer."""
    for methods in case.device.lists.values():
        last = methods.methods[-1] if methods.methods else None
        if methods.purpose not in ("login", "web") or last is None or methods.block.doubt is not None:
            continue
        if all(said.value.kind in ("servers", "reject") for said in methods.methods) and any(
            s.value.group for s in methods.methods
        ):
            message = f"{_title(methods)} asks servers and nobody else: when they do not answer, nobody passes it"
            kept = [spell(said.value) for said in methods.methods if said.value.kind != "reject"]
            remedy = rewritten(methods.purpose, methods.name, [*kept, "users"]) + case.remedies.accounts(*VTY_WAYS[:1])
            yield case.shut("no-local-fallback", message, [last.origin], remedy, ("line", last.origin))


def check_servers(case: Case) -> Iterator[Finding]:
    """Server groups that some list asks: servers without a key, or a single one."""
    asked = {said.value.group for methods in case.device.lists.values() for said in methods.methods if said.value.group}
    for name, group in case.device.groups.items():
        if name not in asked or not group.servers or group.block.doubt is not None:
            continue
        rows = [row for row in case.rows if any(each.startswith(f"server:{name}/") for each in case.names_of(row))]
        bare = [said for said in group.servers if said.value.secret is None]
        if bare:
            servers = listed(said.value.address for said in bare)
            message = (
                f"no shared secret is set for {servers} of group {name}: whoever answers in its place "
                "decides who gets in"
            )
            yield case.opened(
                "server-without-key", message, [said.origin for said in bare], rows, Takes.EFFORT, servers_again(group)
            )
        if len(group.servers) == 1:
            only = group.servers[0]
            message = (
                f"group {name} has one server: when {only.value.address} does not answer, its accounts are of no use"
            )
            remedy = block(f"servers {group.protocol} {word(name)}", "server 192.0.2.10 shared-secret withheld")
            yield case.shut("one-server", message, [only.origin], remedy)
