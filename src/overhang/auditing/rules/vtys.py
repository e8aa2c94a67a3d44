"""VTYs: what they ask, those that are forgotten or weaker than others, Telnet, and their source lists."""

from collections.abc import Iterator
from typing import NamedTuple

from overhang.auditing import fixes
from overhang.auditing.context import AccessPoint, RuleContext
from overhang.auditing.findings import DedupKey, Fault, Finding, origins_of
from overhang.auditing.registry import Topic
from overhang.auditing.rules import entries
from overhang.auditing.rules.common import crossing
from overhang.auditing.severity import AttackerEffort
from overhang.auditing.wording import listed, vtys_label
from overhang.exposure import AccessPath
from overhang.model.vocabulary import VTY_WAYS
from overhang.simulation import Provenance, Reason, Stage

rule = Topic("VTYs", 2)


@rule("vty-no-authentication", after="password-ignored vty-weaker-than-others")
def vty_no_authentication(context: RuleContext) -> Iterator[Finding]:
    """VTYs that ask for nothing."""
    return entries.no_authentication(context, lambda point: point.via in VTY_WAYS)


@rule("vty-shared-password", after="vty-no-authentication password-not-set")
def vty_shared_password(context: RuleContext) -> Iterator[Finding]:
    """VTYs that ask for one password that everybody shares."""
    return entries.shared_passwords(context, "vty")


@rule("vty-default-level-15", after="vty-shared-password")
def vty_default_level_15(context: RuleContext) -> Iterator[Finding]:
    """VTYs where every login gets level 15, whoever it is."""
    return entries.default_level_15(context, at_vtys=True)


@rule("ssh-needs-account", after="vty-not-configured")
def ssh_needs_account(context: RuleContext) -> Iterator[Finding]:
    """VTYs that ask for a password alone, with which nobody passes by SSH."""
    what = "for a password alone, but SSH always needs an account: nobody can log in by SSH"
    return entries.nobody_passes(context, Reason.PASSWORD_NOT_FOR_SSH, what)


# -- VTYs side by side -------------------------------------------------------------------------------------------------


class Strength(NamedTuple):
    """What a group of VTYs asks: ``asks`` is 0 for nothing, 1 for its own password, 2 for an account or more."""

    points: list[AccessPoint]
    asks: int
    paths: list[AccessPath]
    telnet: list[AccessPath]
    anywhere: list[AccessPath]

    @property
    def numbers(self) -> tuple[int, ...]:
        """The VTYs of the group."""
        return self.points[0].numbers


def strengths(context: RuleContext) -> list[Strength]:
    """The groups of configured VTYs by which a login succeeds."""
    found = []
    for points in context.vty_groups:
        paths = [path for point in points for path in point.paths]
        if paths and points[0].numbers[0] in context.device.vtys:
            telnet = [path for path in paths if path.via == "telnet"]
            asks = min(_asks(context, path) for path in paths)
            found.append(Strength(points, asks, paths, telnet, context.wide(paths)))
    return found


def _asks(context: RuleContext, path: AccessPath) -> int:
    """What a path asks for its login, whatever it asks for elevation."""
    names = [context.exposure.credentials.names[number] for number in path.needs]
    if not names:
        return 0
    logs_in = [each for each in names if not all(name.startswith("elevation:") for name in each)]
    shared = all(any(name.startswith("entry:") for name in each) for each in logs_in)
    return 1 if logs_in and shared else 2


class Respect(NamedTuple):
    """One respect in which VTYs are weaker: in words, the paths it opens, what they take, its key, than which group."""

    words: str
    paths: list[AccessPath]
    effort: AttackerEffort
    key: DedupKey
    than: Strength | None


def _respects(weak: Strength, groups: list[Strength]) -> Iterator[Respect]:
    others = [each for each in groups if each is not weak]
    words, paths, effort = "ask only for a shared password", weak.paths, AttackerEffort.SECRET_EXPOSED
    if weak.asks == 0:
        words, effort = "ask for no password", AttackerEffort.NOTHING
        paths = [path for path in weak.paths if not path.needs]
    than = next((each for each in others if each.asks > weak.asks), None)
    yield Respect(words, paths, effort, weak.points[0].check_key, than)
    if weak.telnet:
        than = next((each for each in others if not each.telnet), None)
        key = Fault.TELNET.at(weak.numbers)
        yield Respect("accept Telnet", weak.telnet, AttackerEffort.SECRET_EXPOSED, key, than)
    if weak.anywhere:
        than = next((each for each in others if not each.anywhere), None)
        key = Fault.ANYWHERE.at(weak.numbers)
        yield Respect("accept any source address", weak.anywhere, AttackerEffort.SECRET_NEEDED, key, than)


def _third_person(words: str) -> str:
    """What one does, where the words say what several do: "accepts Telnet"."""
    return words.replace(" ", "s ", 1)


@rule("vty-weaker-than-others", after="empty-password")
def vty_weaker_than_others(context: RuleContext) -> Iterator[Finding]:
    """Groups of VTYs that are easier to log in at than another group in use."""
    groups = strengths(context)
    for weak in groups:
        found = [each for each in _respects(weak, groups) if each.than is not None]
        than = next((each.than for each in found), None)
        if than is None:
            continue
        one = len(weak.numbers) == 1
        be, they, them = ("is", "it", "it") if one else ("are", "they", "them")
        how = listed(_third_person(each.words) if one else each.words for each in found)
        message = (
            f"{vtys_label(weak.numbers)} {be} weaker than {vtys_label(than.numbers)}: {they} {how}; "
            f"anyone who opens enough connections at once reaches {them}"
        )
        because: list[Provenance] = []
        for point in weak.points:
            result = context.shown(point, point.paths[0]) if point.paths else None
            if result is not None:
                because += origins_of(result.trace, Stage.REACHABILITY, Stage.AUTHENTICATION)
        view = than.points[0].view
        lines = fixes.like(context, view) if view is not None else ["closed"]
        lines = ["check users" if line == "check password" else line for line in lines]
        fix = fixes.blocks(fixes.vty_heads(weak.numbers), *lines)
        fix += fixes.accounts(context, "ssh") if "check users" in lines else []
        keys = [each.key for each in found]
        findings = [context.opened(message, because, each.paths, each.effort, fix, *keys) for each in found]
        yield max(findings, key=lambda each: each.severity)


@rule("vty-not-configured", after="fallback-no-authentication")
def vty_not_configured(context: RuleContext) -> Iterator[Finding]:
    """VTYs that exist and are not configured although others are."""
    configured = context.device.vtys
    for group in context.vty_groups if configured else ():
        numbers = group[0].numbers
        if any(number in configured for number in numbers) or not any(point.arrives for point in group):
            continue
        paths = [path for point in group for path in point.paths]
        free = [path for path in paths if not path.needs]
        effect = f"accept logins up to level {max(path.level for path in paths)}" if paths else "drop every login"
        exist = f"exist but are not configured: they {effect}"
        if len(numbers) == 1:
            exist = f"exists but is not configured: it {_third_person(effect)}"
        message = f"{vtys_label(numbers)} {exist}"
        model = next(
            (point.view for each in context.vty_groups for point in each if point.numbers[0] in configured), None
        )
        lines = fixes.like(context, model) if model is not None else ["closed"]
        because: list[Provenance] = [context.resolved.facts["vtys"].origin]
        view = group[0].view
        because += [view.unsaid_check.origin, view.accept.origin] if view is not None else []
        keys = [group[0].check_key, Fault.TELNET.at(numbers), Fault.ANYWHERE.at(numbers)]
        effort = AttackerEffort.NOTHING if free else AttackerEffort.SECRET_NEEDED
        fix = fixes.blocks(fixes.vty_heads(numbers), *lines)
        yield context.opened(message, because, free or paths, effort, fix, *keys)


@rule("telnet-accepted", after="vty-weaker-than-others vty-not-configured")
def telnet_accepted(context: RuleContext) -> Iterator[Finding]:
    """Telnet by which a login succeeds."""
    points = [point for point in context.access_points if point.via == "telnet" and point.paths]
    if not points:
        return
    paths = [path for point in points for path in point.paths]
    asking = [path for path in paths if path.needs]
    numbers = sorted(number for point in points for number in point.numbers)
    beside = " alongside SSH" if any(each.via == "ssh" and each.paths for each in context.access_points) else ""
    typed = crossing(context, asking)
    where = f" on {vtys_label(numbers)}" if numbers else ""
    message = f"Telnet is accepted{where}{beside}: {typed} the network in clear text"
    because: list[Provenance] = [context.resolved.services["telnet"].on.origin]
    because += [point.view.accept.origin for point in points if point.view is not None]
    off = fixes.block("telnet", "off") if context.device.telnet.on is not None else []
    keys = [Fault.TELNET.at(point.numbers or point.via) for point in points]
    effort = AttackerEffort.SECRET_EXPOSED  # also where nothing is asked: a session can be read and taken over
    yield context.opened(message, because, paths, effort, fixes.ssh_only(context, numbers) + off, *keys)


@rule("vty-sources-differ")
def vty_sources_differ(context: RuleContext) -> Iterator[Finding]:
    """Groups of VTYs that accept different sources, each of them limited."""
    groups = [each for each in strengths(context) if not each.anywhere]
    if len({_sources(each) for each in groups}) < 2:
        return
    parts = [f"{vtys_label(each.numbers)} {_list_names(each)}" for each in groups]
    message = f"VTYs of one device accept different sources ({listed(parts)}): which one a login meets is chance"
    because: list[Provenance] = []
    for each in groups:
        family = each.points[0].view.sources if each.points[0].view is not None else ()
        because += [said.origin for said in family if said is not None]
    inside = [one for one in groups if all(not _sources(one) & ~_sources(other) for other in groups)]
    narrow = (inside or groups)[0]  # where one is within all others, nothing is opened
    first = narrow.points[0].view
    lines = [line for line in fixes.like(context, first) if line.startswith("from ")] if first is not None else []
    fix: list[str] = []
    for group in groups:
        if _sources(group) != _sources(narrow):
            fix += fixes.blocks(fixes.vty_heads(group.numbers), *([] if inside else ["drop from"]), *lines)
    paths = [path for each in groups[1:] for path in each.paths]
    yield context.opened(message, because, paths, AttackerEffort.SECRET_NEEDED, fix)


def _sources(group: Strength) -> int:
    found = 0
    for point in group.points:
        found |= point.sources or 0
    return found


def _list_names(group: Strength) -> str:
    view = group.points[0].view
    names = dict.fromkeys(said.value for said in view.sources if said is not None) if view is not None else {}
    return f"list {listed(names)}" if names else "no list of their own"
