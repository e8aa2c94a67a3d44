"""SSH version 1 takes logins."""

from collections.abc import Iterator

from overhang.rules.case import Case, proof_of
from overhang.rules.model import Finding, Rule, Severity

NAME = "ssh-version-1"


def check(case: Case) -> Iterator[Finding]:
    """One finding where a client that speaks version 1 only comes as far as a question."""
    for reach in case.reaches("ssh", elevate=None, ssh_versions=(1,)):
        if reach.result.outcome not in ("denied", "admitted"):
            continue
        lines, unsaid = proof_of(step for step in reach.result.trace if step.stage == "arriving")
        message = (
            "SSH takes clients of version 1, whose protection is broken: a listener can get at passwords and sessions"
        )
        yield Finding(NAME, Severity.MEDIUM, message, lines, unsaid)
        return


RULE = Rule(
    name=NAME,
    title="SSH version 1 is accepted",
    why=(
        "Version 1 of the protocol has weaknesses that cannot be mended, and a client that offers it, or is talked "
        "into it, gives its password away. A device that speaks both versions looks modern in every test."
    ),
    looks_for="A login by a client that speaks version 1 only, simulated. It fires where it is not turned away.",
    remedy="Speak version 2 only: ssh: versions 2.",
    references=("RFC 4253", "NIST SP 800-53 SC-8", "CWE-327"),
    fails="""\
device pier-rtr:
ssh:
    versions 1 2
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
    versions 2
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
