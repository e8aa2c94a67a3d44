"""Nothing is said before login."""

from collections.abc import Iterator

from overhang.rules.case import Case
from overhang.rules.model import Finding, Rule, Severity

NAME = "no-banner"


def check(case: Case) -> Iterator[Finding]:
    """One finding where there is no banner before login, or an empty one."""
    banner = case.device.banners.get("before-login")
    if banner is not None and any(line.strip() for line in banner.lines):
        return
    origin = banner.block.origin if banner is not None else case.device.facts.block.origin
    message = "no banner is shown before login: nobody is told that the device is not theirs to use"
    yield Finding(NAME, Severity.LOW, message, (origin,) if origin is not None else ())


RULE = Rule(
    name=NAME,
    title="no banner before login",
    why=(
        "A notice before login says whose device it is and that use is watched. It stops nobody, but without it a "
        "visitor can say that nothing told them to stay out, and in many places that matters."
    ),
    looks_for="A banner before-login with at least one line that is not empty.",
    remedy="Say whose it is and that use is recorded, and neither make nor place: banner before-login: | TEXT.",
    references=("NIST SP 800-53 AC-8",),
    fails="""\
device pier-rtr:
entry console:
    closed
""",
    passes="""\
device pier-rtr:
entry console:
    closed
banner before-login:
    | Tidewater crew only. Use is recorded.
""",
    check=check,
)
