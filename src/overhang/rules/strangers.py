"""Why strangers get in: for each way in that needs nothing, the step that lets them in, told by one rule alone."""

from collections.abc import Iterator
from typing import NamedTuple

from overhang.device import Method, ServerGroup
from overhang.login import Result, Step, words
from overhang.login.result import Because
from overhang.login.setting import PORTS, WEB_WAYS
from overhang.rules.case import Case, Spot, listed, origins_of
from overhang.rules.model import Finding
from overhang.rules.remedies import block, word
from overhang.rules.severity import Takes
from overhang.secrets import Form, plain_text
from overhang.ways import Way

_LETS_IN = frozenset(
    {
        words.CHECK_NOTHING,
        words.NO_PASSWORD_ADMITS,
        words.METHOD_NOTHING,
        words.BARE_TIER,
        words.NO_PASSWORD_NEEDED,
        words.RIGHT_PASSWORD,
        words.ELEVATION_UNSET_ADMITS,
        words.COMMUNITY_RIGHT,
    }
)


class Stranger(NamedTuple):
    """One way in for nothing: where, the way, an attempt that shows it, and the step of it that lets the person in."""

    spot: Spot
    way: Way
    result: Result
    step: Step


def strangers(case: Case) -> list[Stranger]:
    """Every way in for nothing; looked for once."""
    if case.strangers is None:
        case.strangers = _find(case)
    return case.strangers


def _find(case: Case) -> list[Stranger]:
    found = []
    for spot in case.spots():
        for way in spot.free:
            result = case.shown(spot, way)
            if result is None:
                continue
            steps = [step for step in result.trace if step.stage == words.CHECKING and step.words in _LETS_IN]
            if steps:
                found.append(Stranger(spot, way, result, steps[-1]))
    return found


def by_cause(found: list[Stranger], *sentences: str) -> Iterator[list[Stranger]]:
    """The strangers that one of the sentences lets in, together where it is the same statement and kind of place."""
    groups: dict[tuple[Because, str], list[Stranger]] = {}
    for each in found:
        if each.step.words in sentences:
            kind = each.spot.via if each.spot.via in PORTS or each.spot.via.startswith("door:") else ""
            kind = "web" if each.spot.via in WEB_WAYS else kind
            groups.setdefault((each.step.origin, kind), []).append(each)
    yield from groups.values()


def cause_of(spot: Spot) -> tuple[str, object]:
    """What stands for "who gets past the check here" when rules tell each other what they told of."""
    return ("check", spot.numbers or spot.via)


def check_asks_nothing(case: Case) -> Iterator[Finding]:
    """Ports, VTYs, web management and doors that ask for nothing, or for a password that was never set."""
    found = strangers(case)
    for group in by_cause(found, words.CHECK_NOTHING):
        spot = group[0].spot
        views = [each.spot.view for each in group if each.spot.view is not None]
        if any(view.keyhole is not None and view.keyhole.origin != view.block.doubt for view in views):
            continue  # the rule password-never-asked tells of it
        rule = "door-asks-nothing"
        if spot.view is not None:
            rule = "vty-asks-nothing" if spot.numbers else "port-asks-nothing"
        elif spot.via in WEB_WAYS:
            rule = "web-asks-nothing"
        yield _finding(case, rule, group, "for nothing")
    for group in by_cause(found, words.NO_PASSWORD_ADMITS):
        yield _finding(case, "asks-and-none-set", group, "for a password and none is set")
    for group in by_cause(found, words.ELEVATION_UNSET_ADMITS):
        rule = "web-asks-nothing" if group[0].spot.via in WEB_WAYS else "door-asks-nothing"
        yield _finding(case, rule, group, "for the enable secret and none is set")


def _finding(case: Case, rule: str, group: list[Stranger], what: str) -> Finding:
    spots = [each.spot for each in group]
    labels = list(dict.fromkeys(spot.label for spot in spots))
    level = max(each.way.level for each in group)
    plural = len(labels) > 1 or len(spots[0].numbers) > 1
    verb = "ask" if plural else "asks"
    who = "whoever reaches the port" if spots[0].via in PORTS else "whoever connects"
    message = f"{listed(labels)} {verb} {what}: {who} is at level {level}"
    because = [origin for each in group for origin in origins_of(each.result.trace, "checking", "elevating")]
    remedy = case.remedies.check_users(spots)
    if spots[0].via == "auxiliary" and not case.used("auxiliary"):
        remedy = block("entry auxiliary", "closed")
    causes = [cause_of(spot) for spot in spots]
    ways = [each.way for each in group]
    return case.opened(rule, message, because, ways, Takes.NOTHING, remedy, *dict.fromkeys(causes))


def check_methods_nothing(case: Case) -> Iterator[Finding]:
    """Method lists that let anybody in, always or when the servers do not answer."""
    for group in by_cause(strangers(case), words.METHOD_NOTHING):
        always = any(each.way.states & 1 for each in group)
        rule = "methods-let-anyone" if always else "fallback-nothing"
        labels = listed(each.spot.label for each in group)
        when = "" if always else " once no server answers"
        level = max(each.way.level for each in group)
        message = (
            f"the method list asked at {labels} ends with nothing to ask: anybody is let in{when}, at level {level}"
        )
        spot = group[0].spot
        purpose = "web" if spot.view is None else "login"
        remedy = instead_of(case, group[0].step.origin, purpose, "nothing", "users")
        because = [origin for each in group for origin in origins_of(each.result.trace, "checking")]
        ways = [each.way for each in group]
        causes = dict.fromkeys(cause_of(each.spot) for each in group)
        yield case.opened(
            rule, message, because, ways, Takes.NOTHING, [*remedy, *case.remedies.accounts(spot.via)], *causes
        )


def instead_of(case: Case, origin: Because, purpose: str, old: str, new: str) -> list[str]:
    """The method list in which ``origin`` stands, with a method replaced."""
    for (kind, name), methods in case.device.lists.items():
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


def check_empty_passwords(case: Case) -> Iterator[Finding]:
    """Accounts whose password is empty."""
    found = strangers(case)
    for account in case.setting.accounts:
        keyhole = account.keyhole
        if keyhole is None or not _is_empty(case, account.name):
            continue
        through = [each for each in found if keyhole.origin in {step.origin for step in each.result.trace}]
        where = f": by {listed(each.spot.way_label for each in through)} it opens for nothing" if through else ""
        message = f"account {account.name} has an empty password{where}"
        ways = [each.way for each in through]
        remedy = block(f"user {word(account.name)}", "password withheld")
        yield case.opened(
            "empty-password", message, [keyhole.origin], ways, Takes.NOTHING, remedy, ("free", keyhole.origin)
        )


def _is_empty(case: Case, name: str) -> bool:
    said = case.device.users[name].password
    return said is not None and plain_text(said.value) == ""


def check_factory(case: Case) -> Iterator[Finding]:
    """The maker's account, while no other is stated; and passwords that are still the maker's."""
    found = strangers(case)
    factory = case.setting.factory
    if factory is not None:
        through = [each for each in found if factory.origin in {step.origin for step in each.result.trace}]
        if through:
            labels = listed(each.spot.label for each in through)
            level = max(each.way.level for each in through)
            message = f"the maker's account is still there: whoever knows the make is at level {level}, at {labels}"
            because = [factory.origin]
            ways = [each.way for each in through]
            remedy = case.remedies.accounts(*dict.fromkeys(each.spot.via for each in through))
            causes = dict.fromkeys(cause_of(each.spot) for each in through)
            yield case.opened("factory-account", message, because, ways, Takes.NOTHING, remedy, *causes)
    for place in case.passwords():
        if place.said.value.form is not Form.FACTORY:
            continue
        through = [each for each in found if place.said.origin in {step.origin for step in each.result.trace}]
        message = f"the password of {place.label} is still the maker's, which everybody can look up"
        remedy = rekeyed(case, place.item)
        ways = [each.way for each in through]
        yield case.opened("factory-password", message, [place.said.origin], ways, Takes.NOTHING, remedy)


def rekeyed(case: Case, item: str, form: str = "withheld") -> list[str]:
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
        for said in case.device.snmp.communities:
            limit = f" from {word(said.value.sources)}" if said.value.sources else ""
            again.append(f"community {form} {'write' if said.value.write else 'read'}{limit}")
        return block("snmp", "drop community", *again)
    group = case.device.groups[name.partition("/")[0]]
    return servers_again(group, form)


def servers_again(group: ServerGroup, form: str = "withheld") -> list[str]:
    """The servers of a group said anew, each with another shared secret: what is stored now need not be shown."""
    again = []
    for said in group.servers:
        port = f" port {said.value.port}" if said.value.port else ""
        again.append(f"server {said.value.address}{port} shared-secret {form}")
    return block(f"servers {group.protocol} {word(group.name)}", "drop server", *again)


def check_bare_tier(case: Case) -> Iterator[Finding]:
    """Devices that let anybody look around until a low account exists."""
    group = [each for each in strangers(case) if each.step.words == words.BARE_TIER]
    if group:
        labels = listed(each.spot.label for each in group)
        message = f"no account of level 1 to 14 is stated: {labels} let anybody in at level {group[0].way.after_login}"
        remedy = block("user watch", "password withheld", "level 1")
        ways = [each.way for each in group]
        causes = dict.fromkeys(cause_of(each.spot) for each in group)
        because = [each.step.origin for each in group]
        yield case.opened("no-low-account", message, because, ways, Takes.NOTHING, remedy, *causes)
