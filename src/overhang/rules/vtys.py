"""VTYs side by side: a group that is weaker than its neighbours, Telnet, and different lists."""

from collections.abc import Iterator
from typing import NamedTuple

from overhang.login.result import Because
from overhang.rules.case import Case, Spot, listed, origins_of, vtys_label
from overhang.rules.entries import like
from overhang.rules.model import Finding
from overhang.rules.remedies import block, vty_heads
from overhang.rules.severity import Takes
from overhang.rules.strangers import cause_of
from overhang.ways import Way


class Strength(NamedTuple):
    """What a group of VTYs wants: ``asks`` is 0 for nothing, 1 for its own password, 2 for an account or more."""

    spots: list[Spot]
    asks: int
    rows: list[Way]
    telnet: list[Way]
    anywhere: list[Way]

    @property
    def numbers(self) -> tuple[int, ...]:
        """The VTYs of the group."""
        return self.spots[0].numbers


def strengths(case: Case) -> list[Strength]:
    """The groups of VTYs that let somebody in and that some statement names."""
    found = []
    for spots in case.vty_groups():
        rows = [row for spot in spots for row in spot.rows]
        if not rows or spots[0].numbers[0] not in case.device.vtys:
            continue
        telnet = [row for row in rows if row.via == "telnet"]
        found.append(Strength(spots, min(_asks(case, row) for row in rows), rows, telnet, case.wide(rows)))
    return found


def _asks(case: Case, row: Way) -> int:
    """What a way asks for its login, whatever it asks for elevation."""
    names = [case.ways.items.names[number] for number in row.needs]
    if not names:
        return 0
    logs_in = [each for each in names if not all(name.startswith("elevation:") for name in each)]
    shared = all(any(name.startswith("entry:") for name in each) for each in logs_in)
    return 1 if logs_in and shared else 2


class Respect(NamedTuple):
    """One way to be weaker: in words, the ways in by it, what they take, what stands for it, and than which group."""

    words: str
    rows: list[Way]
    takes: Takes
    token: object
    than: Strength | None


def _respects(weak: Strength, groups: list[Strength]) -> Iterator[Respect]:
    others = [each for each in groups if each is not weak]
    asks, check = ("ask for no more than a shared password", cause_of(weak.spots[0]))
    rows, takes = weak.rows, Takes.LEARNING
    if weak.asks == 0:
        asks, rows, takes = "ask for nothing", [row for row in weak.rows if not row.needs], Takes.NOTHING
    yield Respect(asks, rows, takes, check, next((each for each in others if each.asks > weak.asks), None))
    if weak.telnet:
        than = next((each for each in others if not each.telnet), None)
        yield Respect("take Telnet", weak.telnet, Takes.LEARNING, ("telnet", weak.numbers), than)
    if weak.anywhere:
        than = next((each for each in others if not each.anywhere), None)
        yield Respect("take any source", weak.anywhere, Takes.EFFORT, ("anyone", weak.numbers), than)


def check_weaker(case: Case) -> Iterator[Finding]:
    """Groups of VTYs that are easier to get into than another that is in use."""
    groups = strengths(case)
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
        because: list[Because] = []
        for spot in weak.spots:
            result = case.shown(spot, spot.rows[0]) if spot.rows else None
            because += origins_of(result.trace, "arriving", "checking") if result is not None else []
        view = than.spots[0].view
        lines = like(case, view) if view is not None else ["closed"]
        lines = ["check users" if line == "check password" else line for line in lines]
        remedy = [each for head in vty_heads(weak.numbers) for each in block(head, *lines)]
        remedy += case.remedies.accounts("ssh") if "check users" in lines else []
        findings = [
            case.opened("vty-weaker-than-neighbours", message, because, each.rows, each.takes, remedy, *tokens)
            for each in found
        ]
        yield max(findings, key=lambda each: each.severity)


def check_telnet(case: Case) -> Iterator[Finding]:
    """Telnet that lets somebody in."""
    spots = [spot for spot in case.spots() if spot.via == "telnet" and spot.rows]
    if not spots:
        return
    rows = [row for spot in spots for row in spot.rows if row.needs]
    free = [row for spot in spots for row in spot.rows]
    numbers = sorted(number for spot in spots for number in spot.numbers)
    beside = " beside SSH" if any(spot.via == "ssh" and spot.rows for spot in case.spots()) else ""
    message = f"Telnet is taken on {vtys_label(numbers)}{beside}: names and passwords cross the network readable"
    because: list[Because] = [case.setting.services["telnet"].on.origin]
    because += [spot.view.accept.origin for spot in spots if spot.view is not None]
    said = case.device.telnet.on is not None
    remedy = case.remedies.ssh_for(numbers) + (block("telnet", "off") if said else [])
    tokens = [("telnet", spot.numbers) for spot in spots]
    takes = Takes.LEARNING if rows else Takes.EFFORT
    yield case.opened("telnet-accepted", message, because, rows or free, takes, remedy, *tokens)


def check_lists_differ(case: Case) -> Iterator[Finding]:
    """Groups of VTYs that take different sources, each of them limited."""
    groups = [each for each in strengths(case) if not each.anywhere]
    taken = {each.numbers: _sources(each) for each in groups}
    if len(set(taken.values())) < 2:
        return
    lists = {each.numbers: _names(each) for each in groups}
    parts = [f"{vtys_label(each.numbers)} {lists[each.numbers]}" for each in groups]
    message = f"VTYs of one device take different sources ({listed(parts)}): which one a login meets is chance"
    because: list[Because] = []
    for each in groups:
        family = each.spots[0].view.sources if each.spots[0].view is not None else ()
        because += [said.origin for said in family if said is not None]
    first = groups[0].spots[0].view
    lines = [line for line in like(case, first) if line.startswith("from ")] if first is not None else []
    remedy = [each for group in groups[1:] for head in vty_heads(group.numbers) for each in block(head, *lines)]
    rows = [row for each in groups[1:] for row in each.rows]
    yield case.opened("lists-differ", message, because, rows, Takes.EFFORT, remedy)


def _sources(group: Strength) -> int:
    found = 0
    for spot in group.spots:
        found |= spot.sources or 0
    return found


def _names(group: Strength) -> str:
    view = group.spots[0].view
    names = dict.fromkeys(said.value for said in view.sources if said is not None) if view is not None else {}
    return f"list {listed(names)}" if names else "no list of their own"
