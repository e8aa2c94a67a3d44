"""The console or the auxiliary port asks for nothing."""

from collections.abc import Iterator

from overhang.rules.case import PORTS, Case, proof_of
from overhang.rules.model import Finding, Rule, Severity

NAME = "port-asks-nothing"


def check(case: Case) -> Iterator[Finding]:
    """One finding for each port that lets in somebody who knows nothing."""
    for port in PORTS:
        reach = case.best(port)
        if reach is None:
            continue
        label = case.setting.ports[port].label
        severity = Severity.HIGH if reach.level == 15 else Severity.MEDIUM
        message = (
            f"the {label} asks for nothing that a stranger would not know, so whoever reaches the port "
            f"is at level {reach.level}"
        )
        stages = ("arriving", "checking", "elevating") if reach.level == 15 else ("arriving", "checking")
        lines, unsaid = proof_of(step for step in reach.result.trace if step.stage in stages)
        yield Finding(NAME, severity, message, lines, unsaid)


RULE = Rule(
    name=NAME,
    title="the console or auxiliary port asks for nothing",
    why=(
        "The first door of a device is the one on its front. Where it asks for nothing, everybody who can plug in a "
        "cable is in: cleaners, visitors, whoever holds the key of the cupboard. Where nothing guards the step to "
        "level 15 either, they can change everything."
    ),
    looks_for=(
        "A login at the console and at the auxiliary port by somebody who knows nothing, simulated. It fires where "
        "such a login is admitted, whether the sheet says so or leaves it unsaid."
    ),
    remedy="Ask for local accounts at the port (check users), or close a port that nobody uses (closed).",
    references=("NIST SP 800-53 IA-2", "NIST SP 800-53 AC-3", "CWE-306"),
    fails="""\
device pier-rtr:
entry console:
    check nothing
entry auxiliary:
    closed
""",
    passes="""\
device pier-rtr:
entry console:
    check users
entry auxiliary:
    closed
user lena:
    password hashed $5$quay$vP58D.x69fXG22h8.4FAAz3QZgKQPmppO6keEOdaoV.
""",
    check=check,
    asks=True,
)
