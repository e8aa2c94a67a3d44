"""Remote management answers any address."""

from collections.abc import Iterator

from overhang.login.setting import LABELS, VTY_WAYS, WEB_WAYS
from overhang.rules.case import Case, listed, proof_of
from overhang.rules.model import Finding, Rule, Severity

NAME = "no-address-list"


def check(case: Case) -> Iterator[Finding]:
    """One finding where some remote way takes logins from every address of a family."""
    ways: list[str] = []
    groups: list[str] = []
    steps = []
    for group in case.groups():
        for via in VTY_WAYS:
            anyone = case.takes_anyone(via, case.only(group))
            if anyone:
                ways.append(LABELS[via])
                groups.append(group.label)
                steps += [step for step in anyone[0].result.trace if step.stage == "arriving"]
    for via in WEB_WAYS:
        anyone = case.takes_anyone(via)
        if anyone:
            ways.append(LABELS[via])
            steps += [step for step in anyone[0].result.trace if step.stage == "arriving"]
    if not ways:
        return
    named = list(dict.fromkeys(ways))
    where = (
        f" on {listed(list(dict.fromkeys(groups)))}"
        if groups and len(set(ways) - {"HTTP", "HTTPS"}) == len(named)
        else ""
    )
    verb = "takes" if len(named) == 1 else "take"
    lines, unsaid = proof_of(steps)
    message = f"{listed(named)}{where} {verb} logins from any address: everybody who can reach the device may try"
    yield Finding(NAME, Severity.MEDIUM, message, lines, unsaid)


RULE = Rule(
    name=NAME,
    title="no address list on a remote entry",
    why=(
        "A login that only the management network can try is a login that most attackers never get to try. Without a "
        "list of sources, users' desks, guests and perhaps the whole of the outside can knock."
    ),
    looks_for=(
        "A login by each remote way, to each group of VTYs, from each kind of source that the lists tell apart. "
        "It fires where no source of IPv4, or none of IPv6, is turned away."
    ),
    remedy=(
        "Name the networks that manage (sources LIST) and ask for them everywhere: management: from LIST, or from LIST "
        "on each VTY."
    ),
    references=("NIST SP 800-53 AC-17", "NIST SP 800-53 SC-7", "CWE-1327"),
    fails="""\
device pier-rtr:
ssh:
    host-key rsa 3072
entry vty 0-15:
    check users
    accept ssh
user lena:
    password hashed $5$quay$vP58D.x69fXG22h8.4FAAz3QZgKQPmppO6keEOdaoV.
""",
    passes="""\
device pier-rtr:
ssh:
    host-key rsa 3072
entry vty 0-15:
    check users
    accept ssh
    from office
sources office:
    allow 10.64.1.0/24
user lena:
    password hashed $5$quay$vP58D.x69fXG22h8.4FAAz3QZgKQPmppO6keEOdaoV.
""",
    check=check,
    asks=True,
)
