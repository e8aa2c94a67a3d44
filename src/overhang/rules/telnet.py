"""Telnet takes logins."""

from collections.abc import Iterator

from overhang.rules.case import Case, proof_of
from overhang.rules.model import Finding, Rule, Severity

NAME = "telnet-accepted"


def check(case: Case) -> Iterator[Finding]:
    """One finding where some VTY asks somebody who comes by Telnet, or lets them in."""
    groups = []
    steps = []
    anyone = False
    for group in case.groups():
        busy = case.only(group)
        met = case.meets("telnet", busy)
        if met:
            groups.append(group.label.split(" ")[1])
            steps += [step for step in met[0].result.trace if step.stage == "arriving"]
            anyone = anyone or bool(case.takes_anyone("telnet", busy))
    if not groups:
        return
    beside = " beside SSH" if any(case.meets("ssh", case.only(group)) for group in case.groups()) else ""
    where = "VTY" if len(groups) == 1 and "-" not in groups[0] else "VTYs"
    message = (
        f"Telnet is taken{beside} on {where} {', '.join(groups)}: names and passwords cross the network readable"
        + (", from any address" if anyone else "")
    )
    lines, unsaid = proof_of(steps)
    yield Finding(NAME, Severity.HIGH if anyone else Severity.MEDIUM, message, lines, unsaid)


RULE = Rule(
    name=NAME,
    title="Telnet is accepted",
    why=(
        "Telnet carries names, passwords and everything typed after them readable. SSH is set up, tested and works, "
        "and Telnet was never taken away: the test passes and the hole stays."
    ),
    looks_for=(
        "A login by Telnet to each group of VTYs from each kind of source, simulated. It fires where one meets a "
        "question or is let in, whether Telnet is said or left unsaid."
    ),
    remedy="Take SSH only (accept ssh on every VTY) and switch the service off (telnet: off).",
    references=("NIST SP 800-53 AC-17", "NIST SP 800-53 SC-8", "CWE-319"),
    fails="""\
device pier-rtr:
entry vty 0-15:
    check users
    accept ssh telnet
user lena:
    password hashed $5$quay$vP58D.x69fXG22h8.4FAAz3QZgKQPmppO6keEOdaoV.
""",
    passes="""\
device pier-rtr:
entry vty 0-15:
    check users
    accept ssh
user lena:
    password hashed $5$quay$vP58D.x69fXG22h8.4FAAz3QZgKQPmppO6keEOdaoV.
""",
    check=check,
    asks=True,
)
