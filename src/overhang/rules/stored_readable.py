"""Passwords are stored readable or masked."""

from collections.abc import Iterator

from overhang.rules.case import Case, Place
from overhang.rules.model import Finding, Rule, Severity

NAME = "password-not-hashed"


def check(case: Case) -> Iterator[Finding]:
    """At most one finding for the readable passwords and one for the masked ones."""
    dead = {
        each.plain.origin
        for each in case.device.elevations.values()
        if each.strong is not None and each.plain is not None
    }
    stored = [place for place in case.passwords() if place.said.origin not in dead]
    readable = [place for place in stored if place.said.value.readable]
    masked = [place for place in stored if place.said.value.masked]
    yield from _finding(readable, "readable", "whoever sees a copy of the configuration has", Severity.HIGH)
    yield from _finding(masked, "masked", "masking reverses in an instant, so whoever has a copy has", Severity.MEDIUM)


def _finding(places: list[Place], form: str, consequence: str, severity: Severity) -> Iterator[Finding]:
    if not places:
        return
    labels = [place.label for place in places]
    named = ", ".join(labels[:4]) + (f" and {len(labels) - 4} more" if len(labels) > 4 else "")
    count = "1 password is" if len(places) == 1 else f"{len(places)} passwords are"
    it = "it" if len(places) == 1 else "them"
    lines = tuple(place.said.origin for place in places)
    yield Finding(NAME, severity, f"{count} stored {form} ({named}): {consequence} {it}", lines)


RULE = Rule(
    name=NAME,
    title="a password is stored readable or masked",
    why=(
        "Configurations travel: to backups, to mailboxes, to the screen that somebody photographs. A readable password "
        "travels with them. Masking only keeps it from a glance: it is reversible, and equal passwords look equal. A "
        "hash has to be guessed."
    ),
    looks_for="Every stored password, community and shared secret in the forms readable, masked and masked-elsewhere.",
    remedy="Store it hashed where the device can (password hashed TEXT); else limit who can read the configuration.",
    references=("NIST SP 800-53 IA-5", "NIST SP 800-63B section 3.1.1.2", "CWE-256", "CWE-261"),
    fails="""\
device pier-rtr:
entry console:
    check password
    password readable "tarred rope"
""",
    passes="""\
device pier-rtr:
entry console:
    check password
    password hashed $5$quay$vP58D.x69fXG22h8.4FAAz3QZgKQPmppO6keEOdaoV.
""",
    check=check,
)
