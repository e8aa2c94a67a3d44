"""What a dialect made of a text, and what is wrong with one, for people."""

from collections.abc import Iterator, Sequence

from overhang.dialect.model import Dialect
from overhang.dialect.preview import Preview, PreviewLine
from overhang.report.lines import Line, count, cut, wrap
from overhang.text.toml_file import TomlProblem

_MOST_SHAPES = 30
_MARKS = {"said": ("good", "="), "noted": ("dim", "."), "passed": ("dim", "-"), "unread": ("medium", "?")}


def preview_lines(dialect: Dialect, file: str, trial: Preview, width: int, *, unknown: bool) -> Iterator[Line]:
    """The share first, then every line beside what it became, then what never fired, and what is left to write."""
    percent = int(trial.share * 1000) / 10
    style = "good" if not trial.unread else "medium"
    left = f"{trial.unread:,} of {count(trial.total, 'line')} not"
    for piece in wrap(f"{percent:g} % of {file} understood through {dialect.name}: {left}", width):
        yield [(piece, style)]
    counts = (("translated", trial.said), ("take effect with others", trial.noted), ("ignored", trial.passed))
    parts = [f"{mark} {number:,} {what}" for mark, (what, number) in zip("=.-", counts, strict=True)]
    yield [(cut("   ".join([*parts, f"? {trial.unread:,} not understood"]), width), "dim")]
    yield []
    yield from _beside([each for each in trial.lines if not unknown or each.outcomes.how == "unread"], width)
    if trial.idle:
        yield [(f"matched no line ({len(trial.idle)} of the dialect's entries)", "bold")]
        for line, text in trial.idle:
            yield [(f"{line:>6} ", "dim"), (cut(text, width - 8), "dim")]
        yield []
    if trial.shapes:
        yield [("not understood, by shape; the most frequent first", "bold")]
        for shape in trial.shapes[:_MOST_SHAPES]:
            times = f"{shape.often:,} ×"
            where = f"line {shape.first:,}"
            yield [(f"{times:>8}  ", "medium"), (f"{where:<10}", "dim"), (cut(str(shape), width - 20), "")]
        if len(trial.shapes) > _MOST_SHAPES:
            yield [(f"          and {count(len(trial.shapes) - _MOST_SHAPES, 'more shape', 'more shapes')}", "dim")]
        yield []


def _beside(lines: Sequence[PreviewLine], width: int) -> Iterator[Line]:
    """Each line at the left, what it became at the right."""
    room = max(24, min(44, width * 2 // 5))
    for each in lines:
        style, mark = _MARKS[each.outcomes.how]
        text = cut(each.text.replace("\t", " "), room)
        right = list(each.outcomes.statements) or [_why(each)]
        for index, said in enumerate(right):
            left = f"{each.line:>6} {mark} {text:<{room}}  " if index == 0 else " " * (room + 11)
            yield [
                (left[:9], style),
                (left[9:], "" if each.outcomes.how == "said" else "dim"),
                (cut(said, width - room - 12), "" if each.outcomes.how == "said" else style),
            ]
    if lines:
        yield []


def _why(each: PreviewLine) -> str:
    if each.outcomes.how == "unread":
        return each.outcomes.why
    return each.outcomes.why or {"passed": "ignored", "noted": ""}[each.outcomes.how]


def check_lines(file: str, dialect: Dialect | None, problems: Sequence[TomlProblem], width: int) -> Iterator[Line]:
    """What is wrong with a dialect, or how much there is of it."""
    if dialect is not None and not problems:
        parts = (
            count(len(dialect.translations), "translation"),
            count(len(dialect.blocks), "kind of block", "kinds of block"),
            f"{count(len(dialect.samples), 'sample')} as expected",
        )
        for piece in wrap(f"{file}: right: {', '.join(parts)}", width):
            yield [(piece, "good")]
        return
    for piece in wrap(f"{file}: {count(len(problems), 'mistake')}", width):
        yield [(piece, "high")]
    for problem in problems:
        place = f"{file}:{problem.line}: "
        for index, piece in enumerate(wrap(place + problem.message, width - 4)):
            yield [("  " + ("  " if index else "") + piece, "")]


def list_lines(dialects: Sequence[Dialect], width: int) -> Iterator[Line]:
    """The dialects and what they are for."""
    widest = max(len(each.name) for each in dialects)
    for each in dialects:
        yield [
            (f"{each.name:<{widest}}", "bold"),
            (f"  {each.layout.form:<8}", "dim"),
            ("  " + cut(each.about, width - widest - 12), ""),
        ]
