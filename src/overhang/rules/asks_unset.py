"""An entry asks for a password that was never set."""

from collections.abc import Iterator

from overhang.login import words
from overhang.rules.case import PORTS, Case, Reach, proof_of
from overhang.rules.model import Finding, Rule, Severity

NAME = "asks-and-none-set"


def check(case: Case) -> Iterator[Finding]:
    """One finding for each port or group of VTYs that asks for a password and has none."""
    for port in PORTS:
        label = f"the {case.setting.ports[port].label} asks"
        yield from _finding(label, list(case.reaches(port, elevate=None)), "there")
    for group in case.groups():
        busy = case.only(group)
        reaches = [reach for via in ("telnet", "ssh") for reach in case.reaches(via, busy=busy, elevate=None)]
        verb = "asks" if group.first == group.last else "ask"
        yield from _finding(f"{group.label} {verb}", reaches, "there")


def _finding(label: str, reaches: list[Reach], where: str) -> Iterator[Finding]:
    for sentence, severity, consequence in (
        (words.NO_PASSWORD_ADMITS, Severity.HIGH, f"so everybody is let in {where}"),
        (words.NO_PASSWORD_DROPPED, Severity.LOW, f"so every connection {where} is dropped"),
    ):
        for reach in reaches:
            steps = reach.result.trace
            if any(step.words == sentence for step in steps):
                lines, unsaid = proof_of(step for step in steps if step.stage == "checking")
                yield Finding(NAME, severity, f"{label} for a password and none is set, {consequence}", lines, unsaid)
                return


RULE = Rule(
    name=NAME,
    title="an entry asks for a password and none is set",
    why=(
        "An entry that is told to ask for its password, and has none, is useless or open: some devices drop every "
        "connection there, others let everybody in. Either way it is not what the person who wrote it meant."
    ),
    looks_for=(
        "A login at each port and each group of VTYs, simulated. It fires where the login ends because the password "
        "that is asked for was never set."
    ),
    remedy="Ask for local accounts (check users), set a password, or close the entry (closed, or accept nothing).",
    references=("NIST SP 800-53 IA-5", "CWE-258"),
    fails="""\
device pier-rtr:
entry vty 0-15:
    check password
    accept telnet
""",
    passes="""\
device pier-rtr:
entry vty 0-15:
    check users
    accept telnet
user lena:
    password hashed $5$quay$vP58D.x69fXG22h8.4FAAz3QZgKQPmppO6keEOdaoV.
""",
    check=check,
    asks=True,
)
