"""Logins that should end in a certain way: how many do, and of each other the first step that went wrong."""

from collections.abc import Iterator, Sequence

from overhang.language import ParsedConfig
from overhang.report.lines import Line, count, cut, wrap
from overhang.report.login_text import attempt_phrase
from overhang.simulation import Result
from overhang.simulation.expected_logins import ExpectedLogin, first_wrong
from overhang.simulation.wording import place_of
from overhang.text import Origin


def expected_lines(
    file: str, logins: Sequence[ExpectedLogin], configs: dict[str, ParsedConfig], width: int
) -> Iterator[Line]:
    """The share first, then every login that does not end as it should."""
    right = sum(login.right for login in logins)
    wrong = sum(login.surely_wrong for login in logins)
    untried = sum(bool(login.problem) for login in logins)
    text = f"{right:,} of {count(len(logins), 'login')} in {file} end as they should"
    rest = [(wrong, "wrong"), (len(logins) - right - wrong - untried, "can't tell"), (untried, "not tried")]
    text += "".join(f"; {number:,} {what}" for number, what in rest if number)
    for piece in wrap(text, width):
        yield [(piece, "good" if right == len(logins) else "high" if wrong or untried else "medium")]
    for login in logins:
        if not login.right:
            yield []
            yield from _one(file, login, configs, width)


def _one(file: str, login: ExpectedLogin, configs: dict[str, ParsedConfig], width: int) -> Iterator[Line]:
    place = f"{file}:{login.line}: "
    if login.result is None or login.attempt is None or login.place is None:
        for piece in wrap(place + (f"{login.device}: " if login.device else "") + login.problem, width):
            yield [(piece, "high")]
        return
    phrase = attempt_phrase(login.place.resolved, login.attempt).partition(": ")[2]
    for piece in wrap(f"{place}{login.device}: {phrase}", width):
        yield [(piece, "bold")]
    style = "high" if login.surely_wrong else "medium"
    for piece in wrap(f"should be {login.expected}, and is {_came(login.result)}", width - 4):
        yield [("    " + piece, style)]
    step = first_wrong(login)
    if step is None:
        return
    for piece in wrap(f"{step.reason} ({place_of(step.origin)})", width - 4):
        yield [("    " + piece, "")]
    config = configs.get(login.device)
    if isinstance(step.origin, Origin) and config is not None:
        yield [(f"    {step.origin.line:>6} │ ", "dim"), (cut(config.quote_at(step.origin).strip(), width - 13), "dim")]


def _came(result: Result) -> str:
    if result.outcome == "unknown":
        return "not certain"
    return f"admitted at level {result.level}" if result.outcome == "admitted" else result.outcome
