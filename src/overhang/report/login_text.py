"""One login for people: the outcome, then what the person meets beside why, step by step."""

from collections.abc import Iterator

from overhang.language import ParsedConfig
from overhang.model.vocabulary import PORTS
from overhang.report.lines import Line, cut, safe, wrap
from overhang.simulation import Attempt, ResolvedDevice, Result, Step
from overhang.simulation.reasons import Reason, Stage
from overhang.simulation.wording import place_of

_STYLES = {"admitted": "good", "denied": "high", "refused": "high", "dropped": "high", "unknown": "medium"}
_DOTS = "········"
_RIGHT = (Reason.RIGHT_PASSWORD, Reason.SERVER_ACCEPTS, Reason.TIER_OPENED, Reason.TIER_TOO_LOW)
_LEFT = 34


def login_lines(
    config: ParsedConfig, resolved: ResolvedDevice, attempt: Attempt, result: Result, width: int
) -> Iterator[Line]:
    """The report on one login."""
    verdict, detail = _verdict(result, attempt)
    yield [(verdict, _STYLES[result.outcome]), (detail, "")]
    for line in wrap(f"because {result.reason} ({place_of(result.decided_by)})", width - 2):
        yield [("  " + line, "")]
    if not result.understood:
        yield [("  the device was not fully understood; see overhang audit", "medium")]
    yield []
    yield [("  " + cut(attempt_phrase(resolved, attempt), width - 2), "dim")]
    yield []
    right = width - _LEFT - 5
    yield [(f"  {'what the person sees':<{_LEFT}}   why", "bold")]
    yield [("  " + "─" * _LEFT + "─┬─" + "─" * right, "dim")]
    for lived, because, origin in _rows(config, attempt, result):
        yield from _row(lived, because, origin, right)


def _verdict(result: Result, attempt: Attempt) -> tuple[str, str]:
    if result.outcome == "unknown":
        return "Can't tell", ""
    if result.outcome != "admitted":
        return result.outcome.capitalize(), ""
    level = "at an unknown level" if result.level is None else f"at level {result.level}"
    if result.elevation is None:
        return f"Admitted {level}", ""
    after = f"level {result.after_login} after login" if result.after_login is not None else "admitted"
    if result.elevation == "granted":
        return f"Admitted {level}", f": {after}, and elevation to level {attempt.elevate} is granted"
    if result.elevation == "unknown":
        return f"Admitted, {after}", f"; can't tell whether elevation to level {attempt.elevate} is granted"
    return f"Admitted {level}", f": elevation to level {attempt.elevate} is denied"


def attempt_phrase(resolved: ResolvedDevice, attempt: Attempt) -> str:
    if attempt.via in PORTS:
        where = f"at the {resolved.ports[attempt.via].label}"
    else:
        service = resolved.services.get(attempt.via)
        where = f"by {service.label if service is not None else attempt.via}"
        where += f" from {attempt.source}" if attempt.source is not None else ""
        where += f" to {attempt.destination}" if attempt.destination is not None else ""
    who = f"name {attempt.name}" if attempt.name is not None else "no name"
    knows = f", knowing {', '.join(sorted(attempt.knows))}" if attempt.knows else ""
    return f"{resolved.device.name}: {where}, {who}{knows}"


Row = tuple[Line, str, str]


def _rows(config: ParsedConfig, attempt: Attempt, result: Result) -> Iterator[Row]:
    """What is met, why, and where that stands, one row for each step."""
    steps = result.trace
    typed = {Stage.AUTHENTICATION: list(attempt.passwords), Stage.ELEVATION: list(attempt.elevate_passwords)}
    greeted = elevating = False
    for index, step in enumerate(steps):
        if step.stage == Stage.AUTHENTICATION and not greeted:
            greeted = True
            yield from _banner(config, "before-login")
        if step.stage == Stage.ELEVATION and not elevating:
            elevating = True
            yield from _banner(config, "after-login")
        lived: Line = []
        if step.stage == Stage.ELEVATION and not any(each.stage == Stage.ELEVATION for each in steps[:index]):
            lived = [(f"(wants level {attempt.elevate})", "dim")]
            if step.asked:
                yield lived, "", ""
        if step.asked == "name":
            name = attempt.name
            if step.stage == Stage.ELEVATION and attempt.elevate_name is not None:
                name = attempt.elevate_name
            lived = [("name: ", ""), (safe(name) if name is not None else "(none)", "said")]
        elif step.asked == "password":
            lived = _password(step, steps[index + 1 :], typed, attempt)
        elif step.stage == Stage.AUTHORIZATION:
            level = result.after_login
            lived = [("logged in" + (f", at level {level}" if level is not None else ""), "good")]
        yield lived, step.reason, place_of(step.origin)
    if greeted and not elevating and result.outcome == "admitted":
        yield from _banner(config, "after-login")
    yield _end(result, attempt), "", ""


def _password(step: Step, after: tuple[Step, ...], typed: dict[Stage, list[str]], attempt: Attempt) -> Line:
    prompt = "password: " if step.stage == Stage.AUTHENTICATION else f"password for level {attempt.elevate}: "
    texts = typed.get(step.stage, [])
    if texts:
        return [(prompt, ""), (_DOTS if texts.pop(0) else "(empty)", "said")]
    until_next = []
    for each in after:
        if each.asked == "password":
            break
        until_next.append(each.code)
    known = any(sentence in _RIGHT for sentence in until_next)
    return [(prompt, ""), ("(known)" if known else "(nothing)", "said")]


def _banner(config: ParsedConfig, which: str) -> Iterator[Row]:
    banner = config.device.banners.get(which)
    if banner is None or banner.block.origin is None:
        return
    because, origin = f"banner {which}", place_of(banner.block.origin)
    for text in banner.lines:
        for part in wrap(text, _LEFT) if text.strip() else []:
            yield [(part, "code")], because, origin
            because = origin = ""


def _end(result: Result, attempt: Attempt) -> Line:
    if result.outcome == "admitted":
        if result.elevation == "granted" and result.level != result.after_login:
            return [(f"you have level {result.level}", "good")]
        if result.elevation == "denied":
            return [(f"still at level {result.level}" if result.level is not None else "still logged in", "medium")]
        return []
    ends = {
        "refused": "accepts no login" if attempt.via in PORTS else "connection refused",
        "dropped": "connection closed",
        "denied": "login denied",
        "unknown": "?",
    }
    return [(ends[result.outcome], _STYLES[result.outcome])]


def _row(lived: Line, because: str, origin: str, right: int) -> Iterator[Line]:
    place = f"  {origin}" if origin else ""
    lines = wrap(because, right) if because else [""]
    if len(lines[-1]) + len(place) > right and place:
        lines.append("")
    size = sum(len(text) for text, _ in lived)
    for number, line in enumerate(lines):
        left: Line = lived if number == 0 else []
        pad = " " * max(0, _LEFT - (size if number == 0 else 0))
        last = number == len(lines) - 1
        gap = " " * max(2, right - len(line) - len(origin)) if last and origin else ""
        tail: Line = [(gap, ""), (cut(origin, right), "dim")] if last and origin else []
        if not lived and not because:
            return
        yield [("  ", ""), *left, (pad, ""), (" │ ", "dim"), (line, ""), *tail]
