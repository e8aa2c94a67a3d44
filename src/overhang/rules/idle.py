"""A silent login is never ended, or too late."""

import math
from collections.abc import Iterator

from overhang.login.result import Because, Fact
from overhang.login.setting import VTY_WAYS, WEB_WAYS
from overhang.profiles import UNKNOWN
from overhang.rules.case import PORTS, Case, listed, proof
from overhang.rules.model import Finding, Rule, Severity
from overhang.text import Origin

NAME = "idle-too-long"


def check(case: Case) -> Iterator[Finding]:
    """One finding for each length of time that is too long, naming all the places that have it."""
    places: dict[int | None, list[tuple[str, Because]]] = {}
    for label, fact in _times(case):
        if fact.value is UNKNOWN or (fact.value is not None and fact.value <= case.thresholds.idle):
            continue
        places.setdefault(fact.value, []).append((label, fact.origin))
    for seconds, named in places.items():
        labels = list(dict.fromkeys(label for label, _ in named))
        lines, unsaid = proof(origin for _, origin in named)
        where = listed(labels)
        if seconds is None:
            message = f"a silent login at {where} is never ended: an empty chair is an open door"
            yield Finding(NAME, Severity.MEDIUM, message, lines, unsaid)
        else:
            limit = _spoken(case.thresholds.idle)
            late = f"ended after {_spoken(seconds)}, above {limit}"
            message = f"a silent login at {where} is {late}: an empty chair is an open door"
            yield Finding(NAME, Severity.LOW, message, lines, unsaid)


def _times(case: Case) -> Iterator[tuple[str, Fact]]:
    """The places that take logins, and after how long a silent one is ended there."""
    for port in PORTS:
        if case.meets(port):
            view = case.setting.ports[port]
            yield f"the {view.label}", view.idle
    services = {"ssh": case.device.ssh, "telnet": case.device.telnet}
    for group in case.groups():
        for via in VTY_WAYS:
            if case.meets(via, case.only(group)):
                own, entry = services[via].idle, group.view.idle
                said = [Fact(*own)] if own is not None else []
                if isinstance(entry.origin, Origin) or not said:
                    said.append(entry)
                yield group.label, min(said, key=_seconds)
    if any(case.meets(via) for via in WEB_WAYS):
        web = case.device.web
        yield "web management", case.setting.said_or(web.idle, "unsaid-idle", web.block)


def _seconds(fact: Fact) -> float:
    return fact.value if isinstance(fact.value, int) else math.inf


def _spoken(seconds: int) -> str:
    for size, word in ((86400, "day"), (3600, "hour"), (60, "minute")):
        if seconds % size == 0 and seconds >= size:
            count = seconds // size
            return f"{count} {word}{'s' if count != 1 else ''}"
    return f"{seconds} seconds"


RULE = Rule(
    name=NAME,
    title="no idle time-out, or one that is too long",
    why=(
        "A login that was left open is a login for whoever comes next: at the console in the rack, on the laptop in "
        "the canteen. A time-out closes it."
    ),
    looks_for=(
        "Every port, VTY and web service that takes logins: the time after which a silent one is ended, said or "
        "unsaid. It fires for never and for more than the project's threshold (idle, 10 minutes unless said)."
    ),
    remedy="Say a time on every entry: idle 5m.",
    references=("NIST SP 800-53 AC-11", "NIST SP 800-53 AC-12", "NIST SP 800-53 SC-10", "CWE-613"),
    fails="""\
device pier-rtr:
entry console:
    check users
    idle never
user lena:
    password hashed $5$quay$vP58D.x69fXG22h8.4FAAz3QZgKQPmppO6keEOdaoV.
""",
    passes="""\
device pier-rtr:
entry console:
    check users
    idle 5m
user lena:
    password hashed $5$quay$vP58D.x69fXG22h8.4FAAz3QZgKQPmppO6keEOdaoV.
""",
    check=check,
    asks=True,
)
