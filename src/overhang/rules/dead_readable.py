"""A readable enable password stands beside the secret that counts."""

from collections.abc import Iterator

from overhang.rules.case import Case
from overhang.rules.model import Finding, Rule, Severity

NAME = "dead-readable-password"


def check(case: Case) -> Iterator[Finding]:
    """One finding for each level that has both."""
    for level, elevation in case.device.elevations.items():
        if elevation.strong is None or elevation.plain is None:
            continue
        form = elevation.plain.value.form.value
        message = (
            f"a {form} password for level {level} is left beside the {elevation.strong.value.form.value} one: it opens "
            f"nothing here, and shows a reader of the configuration what may open something elsewhere"
        )
        severity = Severity.MEDIUM if elevation.plain.value.readable else Severity.LOW
        yield Finding(NAME, severity, message, (elevation.plain.origin, elevation.strong.origin))


RULE = Rule(
    name=NAME,
    title="a dead readable password is left behind",
    why=(
        "Where a level has a one-way password and a readable or masked one, only the first counts. The other is typed, "
        "fails, and stays: people try it in vain, and whoever reads a backup learns a password that was good once and "
        "often still is on another device."
    ),
    looks_for="A readable or masked password beside a hashed or opaque one in the same elevation block.",
    remedy=(
        "Take the readable one back: drop elevation 15: password readable TEXT. Change it wherever else it is in use."
    ),
    references=("NIST SP 800-53 IA-5", "CWE-256"),
    fails="""\
device pier-rtr:
elevation 15:
    password readable "old rope"
    password hashed $5$bow$l/zrsKumO0W7r3kPtlwUv9bnn1rhJTmC2Y5zJQqJ3l9
""",
    passes="""\
device pier-rtr:
elevation 15:
    password hashed $5$bow$l/zrsKumO0W7r3kPtlwUv9bnn1rhJTmC2Y5zJQqJ3l9
""",
    check=check,
)
