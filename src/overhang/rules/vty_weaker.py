"""Some VTYs are weaker than their neighbours."""

from collections.abc import Iterator
from typing import NamedTuple

from overhang.login.setting import VTY_WAYS
from overhang.rules.case import NOTHING, Case, Group, Reach, listed, proof_of
from overhang.rules.model import Finding, Rule, Severity

NAME = "vty-weaker-than-neighbours"


class Strength(NamedTuple):
    """What a group of VTYs wants: ``asks`` is 0 for nothing, 1 for its own password, 2 for an account or more."""

    group: Group
    asks: int
    telnet: list[Reach]
    anyone: list[Reach]
    easiest: Reach


def check(case: Case) -> Iterator[Finding]:
    """One finding for each group of VTYs that is easier to get into than another that is in use."""
    strengths = [each for each in (_strength(case, group) for group in case.groups()) if each is not None]
    for weak in strengths:
        others = [each for each in strengths if each is not weak]
        respects, reaches, than = _respects(weak, others)
        if than is None:
            continue
        lines, unsaid = proof_of(step for reach in reaches for step in reach.result.trace if step.stage != "landing")
        severity = Severity.HIGH if weak.asks == 0 else Severity.MEDIUM
        verb = "is" if weak.group.first == weak.group.last else "are"
        message = (
            f"{weak.group.label} {verb} weaker than {than.group.label}: they {listed(respects)}; "
            f"whoever opens enough connections at a time gets there"
        )
        yield Finding(NAME, severity, message, lines, unsaid)


def _strength(case: Case, group: Group) -> Strength | None:
    """How strong a group is; None where it lets nobody in at all."""
    busy = case.only(group)
    entry_items = frozenset(item for item in case.login_items() if item.startswith("entry:"))
    for asks, knows in enumerate((NOTHING, entry_items, case.login_items())):
        inside = [case.best(via, knows, busy) for via in VTY_WAYS]
        found = [reach for reach in inside if reach is not None]
        if found:
            anyone = [reach for via in VTY_WAYS for reach in case.takes_anyone(via, busy)]
            return Strength(group, asks, case.meets("telnet", busy), anyone, found[0])
    return None


def _respects(weak: Strength, others: list[Strength]) -> tuple[list[str], list[Reach], Strength | None]:
    respects: list[str] = []
    reaches: list[Reach] = []
    than: Strength | None = None
    stronger = next((each for each in others if each.asks > weak.asks), None)
    if stronger is not None:
        respects.append("ask for " + ("nothing" if weak.asks == 0 else "no more than a shared password"))
        reaches.append(weak.easiest)
        than = stronger
    stronger = next((each for each in others if weak.telnet and not each.telnet), None)
    if stronger is not None:
        respects.append("take Telnet")
        reaches.append(weak.telnet[0])
        than = than or stronger
    stronger = next((each for each in others if weak.anyone and not each.anyone), None)
    if stronger is not None:
        respects.append("take any source")
        reaches.append(weak.anyone[0])
        than = than or stronger
    return respects, reaches, than


RULE = Rule(
    name=NAME,
    title="some VTYs are weaker than their neighbours",
    why=(
        "A connection gets the lowest VTY that is free. VTYs are often configured in two groups, and the second is "
        "forgotten: whoever keeps the first ones busy, or comes when they are, meets the weaker ones."
    ),
    looks_for=(
        "For each group of VTYs, with all others busy: what a login needs, whether Telnet is taken, and whether any "
        "source is. It fires where a group that lets somebody in asks for less, or takes more, than another such group."
    ),
    remedy="Say the same for all VTYs, in one block: entry vty 0-15. Close those that nobody needs.",
    references=("NIST SP 800-53 CM-6", "NIST SP 800-53 AC-17", "CWE-1188"),
    fails="""\
device pier-rtr:
    domain tidewater.example
ssh:
    host-key rsa 3072
entry vty 0-4:
    check users
    accept ssh
entry vty 5-15:
    check nothing
    accept telnet
user lena:
    password hashed $5$quay$vP58D.x69fXG22h8.4FAAz3QZgKQPmppO6keEOdaoV.
""",
    passes="""\
device pier-rtr:
    domain tidewater.example
ssh:
    host-key rsa 3072
entry vty 0-15:
    check users
    accept ssh
user lena:
    password hashed $5$quay$vP58D.x69fXG22h8.4FAAz3QZgKQPmppO6keEOdaoV.
""",
    check=check,
    asks=True,
)
