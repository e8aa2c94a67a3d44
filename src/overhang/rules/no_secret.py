"""Nothing guards the step to level 15, or nobody can take it."""

from collections.abc import Iterator

from overhang.login import words
from overhang.rules.case import PORTS, REMOTE_WAYS, Case, listed, proof
from overhang.rules.model import Finding, Rule, Severity

NAME = "no-enable-secret"


def check(case: Case) -> Iterator[Finding]:
    """One finding at most: the step from a login to level 15 is unguarded somewhere, or shut somewhere."""
    admits: list[str] = []
    denies: list[str] = []
    origins = []
    strangers = False
    for via in (*PORTS, *REMOTE_WAYS):
        for reach in case.reaches(via, case.login_items()):
            words_said = {step.words: step.origin for step in reach.result.trace}
            for sentence, places in ((words.BARE_ADMITS, admits), (words.BARE_DENIES, denies)):
                if sentence in words_said and _LABELS[via] not in places:
                    places.append(_LABELS[via])
                    origins.append(words_said[sentence])
                    strangers = strangers or (sentence == words.BARE_ADMITS and case.best(via) is not None)
    if not origins:
        return
    parts = []
    if admits:
        who = "anybody" if strangers else "whoever can log in"
        parts.append(f"{who} reaches level 15 by {listed(admits)}")
    if denies:
        parts.append(f"a low account stays low for ever by {listed(denies)}")
    severity = Severity.HIGH if admits else Severity.MEDIUM
    lines, unsaid = proof(origins)
    device = case.device.facts.block.origin
    message = f"no password guards level 15: {', and '.join(parts)}"
    yield Finding(NAME, severity, message, (device, *lines) if device is not None else lines, unsaid)


_LABELS = {
    "console": "the console",
    "auxiliary": "the auxiliary port",
    "ssh": "SSH",
    "telnet": "Telnet",
    "http": "HTTP",
    "https": "HTTPS",
}


RULE = Rule(
    name=NAME,
    title="no enable secret",
    why=(
        "The enable secret guards the step from a low level to level 15, where everything can be changed. Without one, "
        "many devices let anybody up at the console and nobody anywhere else: the first is a hole, the second locks "
        "out the people who have to work."
    ),
    looks_for=(
        "A login by each way with everything known that opens one, and then the step to level 15, simulated. It fires "
        "where the end of that step is decided by the lack of a password for level 15."
    ),
    remedy="Set one, hashed: elevation 15: password hashed TEXT (overhang password --form hashed makes the text).",
    references=("NIST SP 800-53 AC-6", "NIST SP 800-53 IA-5", "CWE-306"),
    fails="""\
device pier-rtr:
entry console:
    check users
user lena:
    password hashed $5$quay$vP58D.x69fXG22h8.4FAAz3QZgKQPmppO6keEOdaoV.
""",
    passes="""\
device pier-rtr:
entry console:
    check users
elevation 15:
    password hashed $5$bow$l/zrsKumO0W7r3kPtlwUv9bnn1rhJTmC2Y5zJQqJ3l9
user lena:
    password hashed $5$quay$vP58D.x69fXG22h8.4FAAz3QZgKQPmppO6keEOdaoV.
""",
    check=check,
    asks=True,
)
