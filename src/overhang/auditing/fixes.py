"""Fixes as lines of the sheet language: what an administrator would configure to remove a fault.

``withheld`` stands where somebody has to choose a secret; 192.0.2.0/24 (RFC 5737) where only they know the network.
"""

from collections.abc import Iterable, Sequence
from typing import Any

from overhang.auditing.context import AccessPoint, RuleContext
from overhang.auditing.wording import runs_of
from overhang.language.lexer import quote_word as quote_word
from overhang.language.normalise import Normaliser
from overhang.language.unparser import unparse_statement
from overhang.language.unparser import unparse_value as unparse_value
from overhang.model import MethodList, Server, ServerGroup, StoredSecret, parse_prefix
from overhang.model.blocks import NO_BLOCK
from overhang.model.items import named_in
from overhang.model.stored_secret import Form
from overhang.model.vocabulary import DOOR, PORTS, WAYS, WEB_WAYS
from overhang.simulation import Provenance, shut_by
from overhang.simulation.views import ResolvedEntry

NEW_ACCOUNT = "your-name"
NEW_LIST = "managers"
NEW_NETWORK = "192.0.2.0/24"
NEW_BANNER = "| Authorised use only. Activity on this device is logged."
_NEW_SECRET = StoredSecret(Form.WITHHELD)


def block(head: str, *lines: str) -> list[str]:
    """A block and the lines in it; what is taken back stands before it, as the language wants it."""
    gone = [f"drop {head}: {line.removeprefix('drop ')}" for line in lines if line.startswith("drop ")]
    given = [f"    {line}" for line in lines if not line.startswith("drop ")]
    return [*gone, f"{head}:", *given] if given else gone


def blocks(heads: Iterable[str], *lines: str) -> list[str]:
    """The same lines in each of several blocks."""
    return [each for head in dict.fromkeys(heads) for each in block(head, *lines)]


# -- heads of blocks ---------------------------------------------------------------------------------------------------


def named(kind: str, name: str) -> str:
    """The head of a block with a name: ``user lena``."""
    return f"{kind} {quote_word(name)}"


def device_head(context: RuleContext) -> str:
    """The head of the device's own block."""
    name = context.device.facts.name
    return named("device", name.value) if name is not None else "device"


def incomplete_heads(context: RuleContext, origin: Provenance) -> list[str]:
    """The heads of the blocks that a statement says may hold more."""
    device = context.device
    heads = vty_heads(
        number for number, entry in device.vtys.items() if entry.block.declared and entry.block.doubt == origin
    )
    for block in Normaliser(secrets=False).blocks(device):
        info = block.value.block if block.value is not None else NO_BLOCK
        if info.declared and info.doubt == origin:
            heads.append(unparse_statement(block.header))
    return heads


def vty_heads(numbers: Iterable[int]) -> list[str]:
    """The heads of blocks that cover all these VTYs."""
    return [f"entry vty {first}-{last}" if first != last else f"entry vty {first}" for first, last in runs_of(numbers)]


def entry_heads(point: AccessPoint) -> list[str]:
    """The heads of the entries of an access point at a port or VTYs; of a service with places of its own, itself."""
    return vty_heads(point.numbers) or [f"entry {point.via}" if point.via in PORTS else service_head(point)]


def service_head(point: AccessPoint) -> str:
    """The head of an access point's service."""
    if point.via in WEB_WAYS:
        return "web"
    return named("door", point.via.removeprefix(DOOR)) if point.via.startswith(DOOR) else point.via


def check_heads(point: AccessPoint) -> list[str]:
    """The heads of the blocks that decide what an access point asks: its service where that decides, else its entry."""
    if point.via in PORTS or (point.numbers and (point.service is None or point.service.check is None)):
        return entry_heads(point)
    return [service_head(point)]


# -- accounts and checks -----------------------------------------------------------------------------------------------


def accounts(context: RuleContext, *vias: str) -> list[str]:
    """What makes a local account usable by some ways; nothing where one is already."""
    unsaid = context.resolved.facts["unsaid-via"].value
    vias = tuple(via for via in vias if via in WAYS)  # an account is not limited by doors
    for account in context.resolved.accounts:
        allowed = account.ways.value if account.ways is not None else unsaid if isinstance(unsaid, tuple) else ()
        form = account.credential.stored.form if account.credential is not None else None
        usable = set(vias) <= set(allowed) and shut_by(account, context.moment) is None
        if usable and form not in (None, Form.NONE, Form.FACTORY):
            return []
    names = [person.account for person in context.people if person.account]
    free = [name for name in names if name not in context.device.users]
    level = "1" if 15 in context.resolved.elevations else "15"
    ways = [via for via in dict.fromkeys(vias) if not isinstance(unsaid, tuple) or via not in unsaid]
    lines = ["password withheld", f"level {level}", *([f"via {' '.join(ways)}"] if ways else [])]
    return block(named("user", (free or [NEW_ACCOUNT])[0]), *lines)


def check_users(context: RuleContext, points: Iterable[AccessPoint]) -> list[str]:
    """Ask for local accounts at these access points."""
    points = list(points)
    heads = [head for point in points for head in check_heads(point)]
    policies = context.device.policies.values()
    met = {key for point in points for key in point.met}
    heads += [named("policy", each.name) for each in policies if each.check and ("policy", each.name) in met]
    return [*accounts(context, *(point.via for point in points)), *blocks(heads, "check users")]


def ssh_only(context: RuleContext, numbers: Iterable[int]) -> list[str]:
    """Have these VTYs accept SSH and nothing else, with a host key and accounts that it needs."""
    numbers = list(numbers)
    without = blocks(vty_heads(numbers), "accept ssh")
    if not numbers:  # Telnet has places of its own
        without = block("telnet", "off")
    if any(point.via == "ssh" and point.paths for point in context.access_points):
        return without
    given = ["on"] if context.resolved.services["ssh"].on.value != "on" else []
    if not context.device.ssh.host_keys:
        given += ["versions 2", "host-key ed25519"]
    lines = [*accounts(context, "ssh"), *(block("ssh", *given) if given else [])]
    views = [view for view in context.vtys if view.number in set(numbers)]
    if any(view.check is None or view.check.value.kind in ("password", "nothing") for view in views):
        lines += blocks(vty_heads(numbers), "check users")
    return lines + without  # Telnet ends when SSH is there


def like(context: RuleContext, view: ResolvedEntry) -> list[str]:
    """What configures another VTY like this one, passwords left out."""
    lines = []
    entry = context.device.vtys.get(view.number) if view.number is not None else None
    for said, family in ((view.sources.ipv4, " ipv4"), (view.sources.ipv6, " ipv6")):
        if said is not None:
            line = f"from {quote_word(said.value)}" + ("" if view.sources.ipv4 == view.sources.ipv6 else family)
            lines += [line] if line not in lines else []
    if entry is not None and entry.idle is not None:
        lines.append(unparse_value("vty", "idle", entry.idle.value))
    accepts = view.accept.value if isinstance(view.accept.value, tuple) else ("ssh",)
    lines.append(unparse_value("vty", "accept", accepts))
    if view.check is not None:  # last: before it the VTY is as closed as it was
        lines.append(unparse_value("vty", "check", view.check.value))
    return lines


# -- method lists ------------------------------------------------------------------------------------------------------


def method(value: Any) -> str:
    """A method as a line of the sheet."""
    return unparse_value("methods", "methods", value)


def rewritten(methods: MethodList, lines: Iterable[str]) -> list[str]:
    """A method list with other methods, changed line by line so that it is there all the time.

    A method that stands twice stands once. What the list says of its end is given again, or taken back where
    ``methods`` has none.
    """
    name, purpose = methods.name, methods.purpose
    head = f"methods {quote_word(name)} for {purpose}" if name is not None else f"methods for {purpose}"
    old, new = [method(each.value) for each in methods.methods], list(dict.fromkeys(lines))
    stays: list[str] = []
    for line in new:
        later = old[old.index(stays[-1]) + 1 :] if stays else old
        if line not in later or old.count(line) > 1:
            break
        stays.append(line)
    added, gone = new[len(stays) :], [line for line in dict.fromkeys(old) if line not in stays]
    dropped = [f"drop {head}: {line}" for line in gone]
    if not stays and not any(line not in gone for line in added):  # an empty list is none at all
        return [*dropped[1:], *block(head, *added[1:]), *dropped[:1], *block(head, *added[:1])]
    if set(added) & set(gone):
        return [*dropped, *block(head, *added)]
    return [*(block(head, *added) if added else []), *dropped]


def replaced(methods: MethodList, old: str, new: str) -> list[str]:
    """A method list with one kind of method replaced."""
    lines = [
        method(each.value._replace(kind=new, group=None)) if each.value.kind == old else method(each.value)
        for each in methods.methods
    ]
    return rewritten(methods, lines)


def replaced_at(context: RuleContext, origin: Provenance, purpose: str, old: str, new: str) -> list[str]:
    """The method list in which a line stands, with one kind of method replaced."""
    for methods in context.device.lists.values():
        if methods.purpose == purpose and any(each.origin == origin for each in methods.methods):
            return replaced(methods, old, new)
    return []


# -- passwords ---------------------------------------------------------------------------------------------------------


def elevation(level: int) -> list[str]:
    """Set an enable secret."""
    return block(f"elevation {level}", "password withheld")


def new_elevation(context: RuleContext, level: int) -> list[str]:
    """Replace the passwords of a level by one secret: the new one first, so that the level is never without."""
    return [*elevation(level), *without_readable(context, level)]


def without_readable(context: RuleContext, level: int) -> list[str]:
    """Take back the password of a level that is not one-way, where there is one; the one-way one stays."""
    held = context.device.elevations.get(level)
    return [f"drop elevation {level}: password none"] if held is not None and held.plain is not None else []


def new_password(context: RuleContext, item: str) -> list[str]:
    """Another password in the place of an item's: of an elevation, entry, account, community or server."""
    kind, name, number = named_in(item)
    heads = {"user": named("user", name), "elevation": f"elevation {name}", "entry": f"entry {name}"}
    heads |= {"service": name, "door": named("door", name)}
    if kind == "community":
        return context.keep("fix of all communities", lambda: communities(context))
    if kind in heads and number > 1:
        return [f"drop {heads[kind]}: another-password"]
    if kind == "elevation":
        return new_elevation(context, int(name))
    if kind in heads:
        return block(heads[kind], "password withheld")
    group = item.partition(":")[2].partition("/")[0]
    return context.keep(("fix of servers", group), lambda: new_servers(context.device.groups[group]))


def new_servers(group: ServerGroup) -> list[str]:
    """The servers of a group written anew, each with another shared secret: so none of the stored ones is shown."""
    servers = [Server(each.value.address, each.value.port, _NEW_SECRET) for each in group.servers]
    lines = [unparse_value("servers", "servers", each) for each in servers]
    return block(f"servers {group.protocol} {quote_word(group.name)}", "drop server", *lines)


def with_secrets(group: ServerGroup) -> list[str]:
    """A shared secret for each server of a group that has none; each is there all the time."""
    head = f"servers {group.protocol} {quote_word(group.name)}"
    bare = [each.value for each in group.servers if each.value.secret is None]
    new = [unparse_value("servers", "servers", each._replace(secret=_NEW_SECRET)) for each in bare]
    return [*block(head, *new), *(f"drop {head}: {unparse_value('servers', 'servers', each)}" for each in bare)]


def communities(
    context: RuleContext, changed: int = 0, *, write: bool | None = None, limit: str | None = None
) -> list[str]:
    """All communities written anew with new texts, one of them changed: so none of the stored ones is shown."""
    lines = []
    for number, said in enumerate(context.device.snmp.communities, 1):
        value = said.value._replace(password=_NEW_SECRET)
        if number == changed:
            value = value._replace(
                write=value.write if write is None else write, sources=value.sources if limit is None else limit
            )
        lines.append(unparse_value("snmp", "communities", value))
    return block("snmp", "drop community", *lines)


# -- sources -----------------------------------------------------------------------------------------------------------


def source_list(name: str, networks: Iterable[str]) -> list[str]:
    """A source list that allows some networks."""
    return block(named("sources", name), *(f"allow {network}" for network in networks))


def only_within(context: RuleContext, name: str, networks: Iterable[str], *, widen: bool = False) -> list[str]:
    """A source list changed line by line so that it allows some networks alone, as far as it allows them already; with
    ``widen`` all of them. Nothing where that would be nothing."""
    head, held = named("sources", name), context.device.sources[name]
    wanted = list(networks) if widen else _both(context, name, networks)
    old = {unparse_value("sources", "rules", each.value): each.value.act for each in held.rules}
    new = [f"allow {network}" for network in wanted]
    if not new:
        return []
    denies = [line for line, act in old.items() if act == "deny" and line not in new]
    allows = [line for line, act in old.items() if act != "deny" and line not in new]
    end = ["at-end deny"] if held.at_end is not None and held.at_end.value else []
    added = [*(line for line in new if line not in old), *end]
    return [*(block(head, *added) if added else []), *(f"drop {head}: {line}" for line in (*allows, *denies))]


def _both(context: RuleContext, name: str, networks: Iterable[str]) -> list[str]:
    """The addresses that a source list surely allows and that are in some networks, as prefixes."""
    classes, held = context.exposure.address_classes, context.resolved.lists[name]
    if not classes.knows(held):
        return list(networks)
    wanted = [parse_prefix(each) for each in networks]
    found: list[str] = []
    for family, low, high in classes.ranges(classes.allowed(held)):
        for each in wanted:
            first, last = max(low, each.low), min(high, each.high)
            if each.family == family and first <= last:
                found += classes.prefixes_of(family, first, last)
    return list(dict.fromkeys(found))


def management_list(context: RuleContext) -> tuple[str, list[str]]:
    """The name of a source list of the management networks, and what makes it where there is none."""
    classes = context.exposure.address_classes
    wanted = [prefix for name in context.project.management for prefix in context.project.networks[name]]
    lists = context.resolved.lists
    for name, each in lists.items():
        allowed = classes.allowed(each) if classes.knows(each) else 0
        if not allowed or classes.wide(allowed):
            continue
        if not wanted or all(classes.holding(p.family, p.low, p.high) & allowed for p in wanted):
            return name, []
    names = (NEW_LIST, *(f"{NEW_LIST}-{number}" for number in range(2, 99)))
    name = next(each for each in names if each not in lists)
    return name, source_list(name, [str(prefix) for prefix in wanted] or [NEW_NETWORK])


def management_networks(context: RuleContext) -> list[str]:
    """The networks that management comes from: the project's, else where its people sit, else one to be filled in."""
    project = context.project
    names: Sequence[str] = project.management or [place for person in context.people for place in person.sits]
    prefixes = [str(each) for name in dict.fromkeys(names) for each in project.networks.get(name, ())]
    return prefixes or [NEW_NETWORK]
