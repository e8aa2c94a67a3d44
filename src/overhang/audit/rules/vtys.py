"""VTYs side by side: a group that is weaker than its neighbours, Telnet, and different lists."""

from collections.abc import Iterator
from typing import NamedTuple

from overhang.audit.context import AccessPoint, RuleContext, listed, origins_of, vtys_label
from overhang.audit.findings import Finding
from overhang.audit.fixes import block, vty_heads
from overhang.audit.rules.entries import like
from overhang.audit.rules.unauthenticated import dedup_key
from overhang.audit.severity import AttackerEffort
from overhang.exposure import AccessPath
from overhang.simulate.reasons import Stage
from overhang.simulate.result import Provenance


class Strength(NamedTuple):
    """What a group of VTYs wants: ``asks`` is 0 for nothing, 1 for its own password, 2 for an account or more."""

    access_points: list[AccessPoint]
    asks: int
    paths: list[AccessPath]
    telnet: list[AccessPath]
    anywhere: list[AccessPath]

    @property
    def numbers(self) -> tuple[int, ...]:
        """The VTYs of the group."""
        return self.access_points[0].numbers


def strengths(context: RuleContext) -> list[Strength]:
    """The groups of VTYs that let somebody in and that some statement names."""
    found = []
    for access_points in context.vty_groups():
        paths = [path for point in access_points for path in point.paths]
        if not paths or access_points[0].numbers[0] not in context.device.vtys:
            continue
        telnet = [path for path in paths if path.via == "telnet"]
        found.append(
            Strength(access_points, min(_asks(context, path) for path in paths), paths, telnet, context.wide(paths))
        )
    return found


def _asks(context: RuleContext, path: AccessPath) -> int:
    """What a way asks for its login, whatever it asks for elevation."""
    names = [context.exposure.credentials.names[number] for number in path.needs]
    if not names:
        return 0
    logs_in = [each for each in names if not all(name.startswith("elevation:") for name in each)]
    shared = all(any(name.startswith("entry:") for name in each) for each in logs_in)
    return 1 if logs_in and shared else 2


class Respect(NamedTuple):
    """One way to be weaker: in words, the ways in by it, what they take, what stands for it, and than which group."""

    words: str
    paths: list[AccessPath]
    effort: AttackerEffort
    token: object
    than: Strength | None


def _respects(weak: Strength, groups: list[Strength]) -> Iterator[Respect]:
    others = [each for each in groups if each is not weak]
    asks, check = ("ask for no more than a shared password", dedup_key(weak.access_points[0]))
    paths, effort = weak.paths, AttackerEffort.LEARNING
    if weak.asks == 0:
        asks, paths, effort = "ask for nothing", [path for path in weak.paths if not path.needs], AttackerEffort.NOTHING
    yield Respect(asks, paths, effort, check, next((each for each in others if each.asks > weak.asks), None))
    if weak.telnet:
        than = next((each for each in others if not each.telnet), None)
        yield Respect("take Telnet", weak.telnet, AttackerEffort.LEARNING, ("telnet", weak.numbers), than)
    if weak.anywhere:
        than = next((each for each in others if not each.anywhere), None)
        yield Respect("take any source", weak.anywhere, AttackerEffort.EFFORT, ("anyone", weak.numbers), than)


def check_weaker(context: RuleContext) -> Iterator[Finding]:
    """Groups of VTYs that are easier to get into than another that is in use."""
    groups = strengths(context)
    for weak in groups:
        found = [each for each in _respects(weak, groups) if each.than is not None]
        than = next((each.than for each in found), None)
        if than is None:
            continue
        respects = [each.words for each in found]
        tokens = [each.token for each in found]
        verb = "is" if len(weak.numbers) == 1 else "are"
        message = (
            f"{vtys_label(weak.numbers)} {verb} weaker than {vtys_label(than.numbers)}: they {listed(respects)}; "
            f"whoever opens enough connections at a time gets there"
        )
        because: list[Provenance] = []
        for point in weak.access_points:
            result = context.shown(point, point.paths[0]) if point.paths else None
            because += origins_of(result.trace, Stage.REACHABILITY, Stage.AUTHENTICATION) if result is not None else []
        view = than.access_points[0].view
        lines = like(context, view) if view is not None else ["closed"]
        lines = ["check users" if line == "check password" else line for line in lines]
        fix = [each for head in vty_heads(weak.numbers) for each in block(head, *lines)]
        fix += context.fixes.accounts("ssh") if "check users" in lines else []
        findings = [
            context.opened("vty-weaker-than-neighbours", message, because, each.paths, each.effort, fix, *tokens)
            for each in found
        ]
        yield max(findings, key=lambda each: each.severity)


def check_telnet(context: RuleContext) -> Iterator[Finding]:
    """Telnet that lets somebody in."""
    access_points = [point for point in context.access_points() if point.via == "telnet" and point.paths]
    if not access_points:
        return
    paths = [path for point in access_points for path in point.paths if path.needs]
    free = [path for point in access_points for path in point.paths]
    numbers = sorted(number for point in access_points for number in point.numbers)
    beside = " beside SSH" if any(point.via == "ssh" and point.paths for point in context.access_points()) else ""
    message = f"Telnet is taken on {vtys_label(numbers)}{beside}: names and passwords cross the network readable"
    because: list[Provenance] = [context.resolved.services["telnet"].on.origin]
    because += [point.view.accept.origin for point in access_points if point.view is not None]
    said = context.device.telnet.on is not None
    fix = context.fixes.ssh_for(numbers) + (block("telnet", "off") if said else [])
    tokens = [("telnet", point.numbers) for point in access_points]
    effort = AttackerEffort.LEARNING if paths else AttackerEffort.EFFORT
    yield context.opened("telnet-accepted", message, because, paths or free, effort, fix, *tokens)


def check_lists_differ(context: RuleContext) -> Iterator[Finding]:
    """Groups of VTYs that take different sources, each of them limited."""
    groups = [each for each in strengths(context) if not each.anywhere]
    taken = {each.numbers: _sources(each) for each in groups}
    if len(set(taken.values())) < 2:
        return
    lists = {each.numbers: _names(each) for each in groups}
    parts = [f"{vtys_label(each.numbers)} {lists[each.numbers]}" for each in groups]
    message = f"VTYs of one device take different sources ({listed(parts)}): which one a login meets is chance"
    because: list[Provenance] = []
    for each in groups:
        family = each.access_points[0].view.sources if each.access_points[0].view is not None else ()
        because += [said.origin for said in family if said is not None]
    first = groups[0].access_points[0].view
    lines = [line for line in like(context, first) if line.startswith("from ")] if first is not None else []
    fix = [each for group in groups[1:] for head in vty_heads(group.numbers) for each in block(head, *lines)]
    paths = [path for each in groups[1:] for path in each.paths]
    yield context.opened("lists-differ", message, because, paths, AttackerEffort.EFFORT, fix)


def _sources(group: Strength) -> int:
    found = 0
    for point in group.access_points:
        found |= point.sources or 0
    return found


def _names(group: Strength) -> str:
    view = group.access_points[0].view
    names = dict.fromkeys(said.value for said in view.sources if said is not None) if view is not None else {}
    return f"list {listed(names)}" if names else "no list of their own"
