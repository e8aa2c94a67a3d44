"""The same password stands in more than one place."""

from collections.abc import Iterator

from overhang.rules.case import Case, Place
from overhang.rules.model import Finding, Rule, Severity
from overhang.secrets import Form, plain_text, the_same

NAME = "same-password"
_MOST_TRIES = 500


def check(case: Case) -> Iterator[Finding]:
    """One finding for each password that is provably kept in several places."""
    groups, undone = alike(case.passwords())
    if undone:
        message = f"{undone:,} comparisons of a readable password with a hash were not made: they would take too long"
        yield Finding(NAME, Severity.INFO, message)
    for places in groups:
        if len(places) < 2:
            continue
        labels = [place.label for place in places]
        named = ", ".join(labels[:5]) + (f" and {len(labels) - 5} more" if len(labels) > 5 else "")
        message = f"the same password is kept in {len(places)} places ({named}): who learns one has them all"
        yield Finding(NAME, Severity.MEDIUM, message, tuple(place.said.origin for place in places))


def alike(places: list[Place]) -> tuple[list[list[Place]], int]:
    """The places in groups of provably equal passwords, and how many comparisons were left undone.

    Equal texts, behind any form, are found at once; then each distinct hash is tried with each distinct readable text,
    up to a limit, since a try takes milliseconds.
    """
    groups: dict[tuple[str, str], list[Place]] = {}
    for place in places:
        groups.setdefault(_key(place), []).append(place)
    plains = [key for key in groups if key[0] == "plain"]
    hashes = [key for key in groups if key[0] == Form.HASHED.value]
    tried = 0
    for hashed in hashes:
        for plain in plains:
            if tried == _MOST_TRIES:
                break
            tried += 1
            if the_same(groups[plain][0].said.value, groups[hashed][0].said.value):
                groups[plain] += groups.pop(hashed)
                break
    found = [sorted(group, key=lambda place: place.said.origin.line) for group in groups.values()]
    return found, max(0, len(plains) * len(hashes) - tried) if tried == _MOST_TRIES else 0


def _key(place: Place) -> tuple[str, str]:
    stored = place.said.value
    plain = plain_text(stored)
    if plain:
        return "plain", plain
    if stored.form in (Form.WITHHELD, Form.NONE) or plain == "":
        return "alone", str(place.said.origin)
    return stored.form.value, stored.text


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
    password hashed $5$bow$l/zrsKumO0W7r3kPtlwUv9bnn1rhJTmC2Y5zJQqJ3l9
""",
    check=check,
)
