"""The same password stands in more than one place."""

from collections.abc import Iterator

from overhang.rules.case import Case, Place
from overhang.rules.model import Finding, Rule, Severity
from overhang.secrets import the_same

NAME = "same-password"


def check(case: Case) -> Iterator[Finding]:
    """One finding for each password that is provably kept in several places."""
    for places in alike(case.passwords()):
        if len(places) < 2:
            continue
        labels = [place.label for place in places]
        named = ", ".join(labels[:5]) + (f" and {len(labels) - 5} more" if len(labels) > 5 else "")
        message = f"the same password is kept in {len(places)} places ({named}): who learns one has them all"
        yield Finding(NAME, Severity.MEDIUM, message, tuple(place.said.origin for place in places))


def alike(places: list[Place]) -> list[list[Place]]:
    """The places in groups of provably equal passwords. Each hash is compared with each distinct readable text once."""
    groups: list[list[Place]] = []
    for place in places:
        home = next(
            (group for group in groups if any(the_same(place.said.value, other.said.value) for other in group)), None
        )
        if home is None:
            groups.append([place])
        else:
            home.append(place)
    return groups


RULE = Rule(
    name=NAME,
    title="the same password in more than one place",
    why=(
        "A password that opens several doors is lost for all of them at once, and cannot be changed for one person or "
        "one door alone. It is often the level 15 password that is the same as the one everybody has for the VTYs."
    ),
    looks_for=(
        "All stored passwords, compared with each other: readable and masked ones by their text, hashed ones by trying "
        "the texts that can be read, and equal one-way texts. What cannot be compared is not guessed at."
    ),
    remedy="Give each place a password of its own, the step to level 15 first.",
    references=("NIST SP 800-53 IA-5", "NIST SP 800-63B section 3.1.1", "CWE-522"),
    fails="""\
device pier-rtr:
entry vty 0-15:
    check password
    password masked ~2p2q4icplwbq
elevation 15:
    password readable harbour
""",
    passes="""\
device pier-rtr:
entry vty 0-15:
    check password
    password masked ~2p2q4icplwbq
elevation 15:
    password hashed $6$bow$6quCHd3qHj3HRr5C6Kur8OEL7avmaG48RGexXuNU08D/eef2jde81b/s3wWp59b94.SUURbntcYHscRuERd7j1
""",
    check=check,
)
