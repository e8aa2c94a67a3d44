"""What a dialect made of a text, and what is wrong with one, for people."""

from collections.abc import Iterator, Sequence

from overhang.dialect.model import Dialect
from overhang.dialect.preview import Preview, PreviewLine
from overhang.report.lines import Line, count, cut, wrap
from overhang.text.toml_file import TomlProblem

_MOST_SHAPES = 30
#: What became of a statement: its style, its mark, and what it is called.
_STATES = {
    "said": ("good", "=", "translated"),
    "noted": ("dim", ".", "set nothing by themselves"),
    "silent": ("medium", "~", "set nothing, since a condition does not hold"),
    "passed": ("dim", "-", "ignored"),
    "unread": ("medium", "?", "not understood"),
}
_COLUMNS = ("line", "state", "block", "statement", "meaning", "dialect_line", "why")


def preview_lines(dialect: Dialect, file: str, trial: Preview, width: int, *, unknown: bool) -> Iterator[Line]:
    """The answer first, then every statement beside what it became, what never fired, and what is left to write."""
    yield from _verdict(dialect, file, trial, width)
    yield []
    yield from _beside([each for each in trial.lines if not unknown or each.outcome.how == "unread"], width)
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


def _verdict(dialect: Dialect, file: str, trial: Preview, width: int) -> Iterator[Line]:
    percent = int(trial.share * 1000) / 10
    style = "good" if not trial.unread and not trial.silent else "medium"
    left = f"{trial.unread:,} of {count(trial.total, 'line')} not"
    if trial.silent:
        left += f", and {trial.silent:,} {'fits but sets' if trial.silent == 1 else 'fit but set'} nothing"
    for piece in wrap(f"{percent:g} % of {file} understood through {dialect.name}: {left}", width):
        yield [(piece, style)]
    parts = [
        f"{mark} {trial.by_state.get(how, 0):,} {what}"
        for how, (_, mark, what) in _STATES.items()
        if trial.by_state.get(how, 0) or how in ("said", "unread")
    ]
    line = "statements: " + parts[0]
    for part in parts[1:]:
        if len(line) + len(part) + 3 > width:
            yield [(line, "dim")]
            line = " " * 11
        line += f"   {part}" if line.strip() else f" {part}"
    yield [(line, "dim")]
    over = sum(bool(each.overridden) for each in trial.lines)
    if over:
        yield [(f"{count(over, 'statement')} replaced by a later line", "dim")]


def _beside(lines: Sequence[PreviewLine], width: int) -> Iterator[Line]:
    """Each statement at the left, what it became at the right."""
    room = max(24, min(44, width * 2 // 5))
    for each in lines:
        style, mark, _ = _STATES[each.outcome.how]
        text = cut(each.text.replace("\t", " "), room)
        right = [(said, "" if each.outcome.how == "said" else style) for said in each.outcome.statements]
        right = right or [(_why(each), style)]
        right += [(f"no effect: line {line} sets {word} again", "medium") for word, line in each.overridden]
        if each.outcome.how == "unread" and each.near:
            near = each.near[0]
            right.append((f"near: line {near.line} of the dialect: {near.verdict}", "dim"))
        for index, (said, how) in enumerate(right):
            left = f"{each.line:>6} {mark} {text:<{room}}  " if index == 0 else " " * (room + 11)
            rest = "" if each.outcome.how == "said" else "dim"
            yield [(left[:9], style), (left[9:], rest), (cut(said, width - room - 12), how)]
    if lines:
        yield []


def _why(each: PreviewLine) -> str:
    return each.outcome.why or ("ignored" if each.outcome.how == "passed" else "")


def why_lines(dialect: Dialect, file: str, trial: Preview, line: int, width: int) -> Iterator[Line]:
    """For each statement on one line: what it came to, and everything that was considered."""
    found = [each for each in trial.lines if each.line == line]
    if not found:
        yield [(f"{file}:{line}: says nothing: empty, a comment, or part of the statement before it", "medium")]
        return
    for each in found:
        style, _, what = _STATES[each.outcome.how]
        said = "; ".join(each.outcome.statements) or _why(each) or what
        for piece in wrap(f"{file}:{line}: {said}", width):
            yield [(piece, style)]
        yield [(f"  {cut(each.text.strip(), width - 2)}", "dim")]
        yield [(f"  read {f'inside {each.block}' if each.block else 'at the top level'}", "dim")]
        for near in each.near:
            place = f"line {near.line}" if near.line else dialect.name
            mark = "*" if near.verdict.startswith("taken") else "-"
            for index, piece in enumerate(wrap(f"{near.kind}, {place}: {near.text}: {near.verdict}", width - 4)):
                yield [(f"  {mark if index == 0 else ' '} {piece}", "" if near.fits else "dim")]
        if not each.near:
            yield [("  nothing in the dialect begins like it", "dim")]
        yield []


def preview_table(trial: Preview) -> Iterator[str]:
    """Every statement as a line of columns with tabs between them; one that means several things is several lines."""
    yield "\t".join(_COLUMNS)
    for each in trial.lines:
        place = each.outcome.place
        for said in each.outcome.statements or ("",):
            cells = (str(each.line), each.outcome.how, each.block, each.text.strip(), said)
            last = (str(place.line) if place is not None else "", each.outcome.why)
            yield "\t".join(cell.replace("\t", " ") for cell in (*cells, *last))


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
