"""Tries a dialect on a configuration, and on its own samples: the result of every line, and what is left to write."""

from collections.abc import Iterator
from typing import NamedTuple

from overhang.dialect.instantiate import Openers
from overhang.dialect.interpreter import Interpreter, read_dialect_text
from overhang.dialect.line_shapes import Shape, shapes_of
from overhang.dialect.model import Dialect, Sample, literals_of
from overhang.dialect.scan import LineOutcome
from overhang.language import read_sheet, unparse
from overhang.text import Shown
from overhang.text.toml_file import TomlProblem


class PreviewLine(NamedTuple):
    """One line of a text: its number, itself without secrets, and what became of it."""

    line: int
    text: Shown
    outcomes: LineOutcome


class Preview(NamedTuple):
    """What a dialect made of a text.

    ``said`` counts the lines that set something, ``noted`` those that set nothing by themselves, ``passed`` those
    passed over, ``unread`` those not understood. ``idle`` are the translations and blocks that matched no line.
    """

    lines: tuple[PreviewLine, ...]
    said: int
    noted: int
    passed: int
    unread: int
    idle: tuple[tuple[int, str], ...]
    shapes: tuple[Shape, ...]

    @property
    def total(self) -> int:
        """All lines that say something."""
        return self.said + self.noted + self.passed + self.unread

    @property
    def share(self) -> float:
        """The share of the lines that was understood, from 0 to 1."""
        return 1 - self.unread / self.total if self.total else 1.0


def preview_dialect(
    dialect: Dialect, text: str, file: str, *, secrets: bool, openers: Openers | None = None
) -> Preview:
    """Read a text through a dialect and keep what became of it; with ``secrets`` its lines are shown as they are."""
    run = Interpreter(dialect, text, file, openers or {}, tracing=True)
    config = run.parsed()
    tried = []
    for line, outcomes in sorted(run.scan.outcomes.items()):
        shown = config.lines.reveal(line) if secrets else config.quote(line)
        tried.append(PreviewLine(line, shown, outcomes))
    counts = {how: sum(each.outcomes.how == how for each in tried) for how in ("said", "passed", "unread")}
    unread = len(config.unread)
    noted = max(0, config.understood - counts["said"] - counts["passed"])
    return Preview(
        tuple(tried),
        counts["said"],
        noted,
        counts["passed"],
        unread,
        tuple(_idle(dialect, run)),
        tuple(shapes_of(_left(run), literals_of(dialect), any_first=False)),
    )


def _idle(dialect: Dialect, run: Interpreter) -> Iterator[tuple[int, str]]:
    for block in dialect.blocks.values():
        if not run.scan.fired.get(block.place.line):
            yield block.place.line, f"[blocks.{block.name}] {block.patterns[0].text}"
    for each in dialect.translations:
        if not run.scan.fired.get(each.place.line):
            yield each.place.line, each.patterns[0].text


def _left(run: Interpreter) -> Iterator[tuple[int, list[str]]]:
    for line in sorted(run.scan.unread):
        yield line, list(run.scan.unread[line][2]) or run.scan.text.split(run.scan.text.lines[line - 1].strip())


def check_samples(dialect: Dialect) -> Iterator[TomlProblem]:
    """What is wrong with a dialect's own samples; nothing where each text means its sheet."""
    for sample in dialect.samples:
        problem = _check(dialect, sample)
        if problem is not None:
            yield TomlProblem(sample.place.line, f"{sample.place.label}: {problem}")


def _check(dialect: Dialect, sample: Sample) -> str | None:
    wanted = read_sheet(sample.sheet, "sheet")
    for each in wanted.diagnostics:
        return f"its sheet, line {each.span.line}: {each.message}"
    found = read_dialect_text(_bare(dialect), sample.text, "text")
    for each in found.diagnostics:
        return f"its text, line {each.span.line}: {each.message}"
    return difference(unparse(found.device, secrets=True), unparse(wanted.device, secrets=True))


def _bare(dialect: Dialect) -> Dialect:
    """The dialect without what it says of every device, which a sample of a few lines need not repeat."""
    return dialect._replace(profile=None, never=(), always=())


def difference(found: str, wanted: str) -> str | None:
    """Where two normalised sheets first differ; the lines of a sample are its author's, and may be shown."""
    have, want = _paths(found), _paths(wanted)
    missing = [line for line in want if line not in have]
    if missing:
        return f"it lacks `{missing[0]}`" + _instead(missing[0], have, want)
    more = [line for line in have if line not in want]
    return f"it means `{more[0]}`, which its sheet lacks" if more else None


def _instead(line: str, have: list[str], want: list[str]) -> str:
    head = line.partition(": ")[0]
    other = [each for each in have if each.startswith(head) and each not in want]
    return f" but `{other[0]}`" if other else ""


def _paths(text: str) -> list[str]:
    """The lines of a normalised sheet, each with the head of its block."""
    head, found = "", []
    for line in text.split("\n"):
        if line.startswith("    "):
            found.append(f"{head} {line.strip()}")
        elif line:
            head = line
            found.append(line)
    return found
