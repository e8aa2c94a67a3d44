"""The questions about a maker that matter on given devices, and the profile that their answers make."""

from collections.abc import Iterator, Mapping

from overhang.auditing.interview import Answered, KeyEffect
from overhang.profiles.questions import QUESTIONS
from overhang.report.lines import Line, count, wrap

_NO_ANSWER = "unknown"


def question_lines(number: int, effect: KeyEffect, now: str, width: int) -> Iterator[Line]:
    """One question: what hangs on it, what each answer makes of the devices, and how to find out."""
    asked = QUESTIONS[effect.key]
    for index, piece in enumerate(wrap(f"{number}. {asked.text}", width)):
        yield [("" if index == 0 else "   ", ""), (piece, "bold")]
    hangs = [count(effect.devices, "device"), count(effect.paths, "access path"), count(effect.findings, "finding")]
    yield [(f"   {effect.key}: {', '.join(hangs)} hang on it", "dim")]
    for each in effect.answers:
        text = f"{' or '.join(each.values)}: {_makes(each)}"
        for piece in wrap(text, width - 5):
            yield [("     ", ""), (piece, "")]
    for piece in wrap(f"may be {asked.values.replace('`', '')}, or unknown; to find out: {asked.how}", width - 5):
        yield [("     ", ""), (piece, "dim")]
    if now != _NO_ANSWER:
        yield [(f"     until now: {now}", "dim")]


def _makes(answer: Answered) -> str:
    if not (answer.paths or answer.findings):
        return "nothing more"
    parts = [count(answer.paths, "access path")] if answer.paths else []
    parts += [count(answer.findings, "finding")] if answer.findings else []
    return " and ".join(parts) + " more"


def profile_text(base: str, values: Mapping[str, str]) -> str:
    """The profile as a dialect has it, each key with its question."""
    lines = ["[profile]", f'base = "{base}"']
    for key, value in values.items():
        lines += ["", f"# {QUESTIONS[key].text}"]
        lines.append(f'{key} = "{value}"')
    return "\n".join(lines) + "\n"
