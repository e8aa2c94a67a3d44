"""Tries a dialect on a configuration, and on its own samples: the result of every line, and what is left to write."""

from collections import Counter
from collections.abc import Collection, Iterable, Iterator, Mapping
from typing import NamedTuple

from overhang.dialect.explain import Considered, considered
from overhang.dialect.interpreter import ALONE, Helpers, Interpreter, read_dialect_text
from overhang.dialect.line_shapes import Shape, shapes_of
from overhang.dialect.model import Dialect, Sample, literals_of
from overhang.dialect.scan import LineOutcome
from overhang.language import read_sheet, unparse
from overhang.model.device import Override
from overhang.text import Shown, UnreadableInput
from overhang.text.quoting import revealed
from overhang.text.toml_file import TomlProblem


class PreviewLine(NamedTuple):
    """One statement of a text: its line, itself without secrets, and what became of it.

    ``block`` is the kind of block that it stands in. ``near`` is what it was held against, where that was asked for or
    nothing fits. ``overridden``: for statements that a later line replaces, that line.
    """

    line: int
    text: Shown
    outcome: LineOutcome
    block: str = ""
    near: tuple[Considered, ...] = ()
    overridden: tuple[tuple[str, int], ...] = ()


class Preview(NamedTuple):
    """What a dialect made of a text.

    ``understood``, ``silent`` (something fits, and says nothing) and ``unread`` count lines, which are all that say
    something; ``by_state`` counts statements by what became of them. ``idle`` are the translations and blocks that
    matched no line.
    """

    lines: tuple[PreviewLine, ...]
    understood: int
    silent: int
    unread: int
    by_state: Mapping[str, int]
    idle: tuple[tuple[int, str], ...]
    shapes: tuple[Shape, ...]

    @property
    def total(self) -> int:
        """All lines that say something."""
        return self.understood + self.silent + self.unread

    @property
    def share(self) -> float:
        """The share of the lines that was understood, from 0 to 1."""
        return self.understood / self.total if self.total else 1.0


def preview_dialect(
    dialect: Dialect,
    text: str,
    file: str,
    *,
    secrets: bool = False,
    why: Collection[int] = (),
    helpers: Helpers = ALONE,
) -> Preview:
    """Read a text through a dialect and keep what became of it.

    With ``secrets`` its statements are shown as they are; of the lines in ``why`` all that they were held against is
    kept.
    """
    run = Interpreter(dialect, text, file, helpers, tracing=True)
    config = run.parsed()
    replaced: dict[int, list[Override]] = {}
    for each in config.device.overrides:
        replaced.setdefault(each.earlier.origin.line, []).append(each)
    tried = []
    nodes = list(run.scan.outcomes.values())
    often = Counter(node.line for node, _ in nodes)
    for node, outcome in sorted(nodes, key=lambda each: run.scan.order.get(id(each[0]), 0)):
        alone = node.raw == run.scan.text.lines[node.line - 1].strip()
        whole = often[node.line] == 1 and node.last == node.line and alone
        if secrets:
            shown = config.lines.reveal(node.line) if whole else revealed(" ".join(node.words))
        else:
            shown = config.quote(node.line) if whole else run.scan.redactor.statement(node)
        block, words = run.scan.inside.get(id(node), ("", ()))
        ask = node.line in why or outcome.how == "unread"
        near = tuple(considered(dialect, block, words, outcome)) if ask and words else ()
        over = tuple(_overridden(outcome, replaced.get(node.line, ())))
        tried.append(PreviewLine(node.line, shown, outcome, block, near, over))
    for line, outcome in run.scan.of_text.items():
        shown = config.lines.reveal(line) if secrets else config.quote(line)
        tried.append(PreviewLine(line, shown, outcome))
    return Preview(
        tuple(sorted(tried, key=lambda each: each.line)),
        config.understood,
        len(config.silent),
        len(config.unread),
        Counter(each.outcome.how for each in tried),
        tuple(_idle(dialect, run)),
        tuple(shapes_of(_left(run), literals_of(dialect), any_first=False)),
    )


def _overridden(outcome: LineOutcome, overrides: Iterable[Override]) -> Iterator[tuple[str, int]]:
    """The statements of an outcome that a later line replaces: their first words, and that line."""
    said = {each.filled.inner[0] for each in outcome.ready if each.filled.inner}
    for each in overrides:
        word = each.statement.split()[0]
        if outcome.how == "said" and word in said:
            yield word, each.later.origin.line


def _idle(dialect: Dialect, run: Interpreter) -> Iterator[tuple[int, str]]:
    for block in dialect.blocks.values():
        if not run.scan.fired.get(block.place.line):
            yield block.place.line, f"[blocks.{block.name}] {block.patterns[0].text}"
    told: set[int] = set()
    for each in dialect.translations:
        if not run.scan.fired.get(each.place.line) and each.place.line not in told:
            told.add(each.place.line)
            yield each.place.line, each.patterns[0].text


def _left(run: Interpreter) -> Iterator[tuple[int, list[str]]]:
    for line in sorted(run.scan.unread):
        yield line, list(run.scan.unread[line][2]) or run.scan.text.split(run.scan.text.lines[line - 1].strip())


def check_samples(dialect: Dialect, helpers: Helpers = ALONE) -> Iterator[TomlProblem]:
    """What is wrong with a dialect's own samples; nothing where each text means its sheet."""
    for sample in dialect.samples:
        try:
            problem = _check(dialect, sample, helpers)
        except UnreadableInput as failed:
            problem = str(failed)
        if problem is not None:
            yield TomlProblem(sample.place.line, f"{sample.place.label}: {problem}")


def _check(dialect: Dialect, sample: Sample, helpers: Helpers) -> str | None:
    wanted = read_sheet(sample.sheet, "sheet")
    for each in wanted.diagnostics:
        return f"its sheet, line {each.span.line}: {each.message}"
    found = read_dialect_text(_bare(dialect), sample.text, "text", helpers)
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
