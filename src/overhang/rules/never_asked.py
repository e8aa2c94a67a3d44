"""An entry has a password that it never asks for."""

from collections.abc import Iterator

from overhang.login import words
from overhang.login.result import Because
from overhang.login.setting import VTY_WAYS, EntryView
from overhang.rules.case import NOTHING, PORTS, Case, Reach, proof
from overhang.rules.model import Finding, Rule, Severity

NAME = "password-never-asked"
NO_VTY: frozenset[int] = frozenset()


def check(case: Case) -> Iterator[Finding]:
    """One finding for each entry's password that no login is asked for."""
    for port in PORTS:
        view = case.setting.ports[port]
        if view.keyhole is not None and view.keyhole.origin != view.block.doubt:
            yield from _finding(f"the {view.label}", [view], _logins(case, [(port, NO_VTY)], view.keyhole.item))
    by_line: dict[Because, list[EntryView]] = {}
    for view in case.vtys():
        if view.keyhole is not None and view.keyhole.origin != view.block.doubt:
            by_line.setdefault(view.keyhole.origin, []).append(view)
    for views in by_line.values():
        numbers = {view.number for view in views}
        doors = [(via, case.only(group)) for group in case.groups() if group.first in numbers for via in VTY_WAYS]
        item = views[0].keyhole.item if views[0].keyhole is not None else ""
        yield from _finding("VTY " + item.removeprefix("entry:vty "), views, _logins(case, doors, item))


def _logins(case: Case, doors: list[tuple[str, frozenset[int]]], item: str) -> list[Reach]:
    """What a stranger, and somebody who knows all but this password, meets there, with servers up and down."""
    knowledge = (NOTHING, case.login_items() - {item})
    return [
        reach
        for via, busy in doors
        for down in case.server_states()
        for knows in knowledge
        for reach in case.reaches(via, knows, busy, down=down)
    ]


def _finding(label: str, views: list[EntryView], reaches: list[Reach]) -> Iterator[Finding]:
    keyhole = views[0].keyhole
    if keyhole is None:
        return
    for reach in reaches:
        if any(step.words == words.ASKS_PASSWORD and step.origin == keyhole.origin for step in reach.result.trace):
            return
    inside = [each for each in reaches if each.result.outcome == "admitted" and not each.knows]
    check_origin = views[0].check.origin if views[0].check is not None else views[0].unsaid_check.origin
    lines, unsaid = proof((keyhole.origin, check_origin))
    if inside:
        best = max(inside, key=lambda reach: reach.level)
        message = f"a password is set on {label} and never asked for: a stranger walks in and is at level {best.level}"
        yield Finding(NAME, Severity.HIGH, message, lines, unsaid)
    else:
        message = f"a password is set on {label} and never asked for: it guards nothing and is left lying about"
        yield Finding(NAME, Severity.LOW, message, lines, unsaid)


RULE = Rule(
    name=NAME,
    title="an entry has a password that it never asks for",
    why=(
        "Setting a password and telling an entry to ask for it are two steps. Where the second is missing, the "
        "password gives a feeling of safety and nothing else; and after a move to accounts the old shared password "
        "stays behind, to be tried elsewhere by whoever reads it."
    ),
    looks_for=(
        "For each password that stands on an entry: logins there, simulated. It fires where none of them is asked for "
        "that password."
    ),
    remedy="Tell the entry to ask (check users is better than check password), and drop a password that has no use.",
    references=("NIST SP 800-53 IA-2", "NIST SP 800-53 IA-5", "CWE-306"),
    fails="""\
device pier-rtr:
entry console:
    check nothing
    password hashed $5$quay$vP58D.x69fXG22h8.4FAAz3QZgKQPmppO6keEOdaoV.
""",
    passes="""\
device pier-rtr:
entry console:
    check password
    password hashed $5$quay$vP58D.x69fXG22h8.4FAAz3QZgKQPmppO6keEOdaoV.
""",
    check=check,
    asks=True,
)
