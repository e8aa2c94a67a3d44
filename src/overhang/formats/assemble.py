"""Builds a device from the statements that a reader collected."""

from typing import NamedTuple

from overhang.language import Collector, ParsedConfig
from overhang.language.builder import Builder
from overhang.profiles import Profile
from overhang.text import Diagnostic, Level, SourceLines, Span


class Source(NamedTuple):
    """The file that statements come from: name, lines with what may be shown of them, and the reader's name."""

    file: str
    lines: SourceLines
    reader: str


def assemble(source: Source, collected: Collector, assumed: Profile | None = None) -> ParsedConfig:
    """The device of some statements; ``assumed`` is the profile where the text names none."""
    program = collected.program
    unread = sorted(collected.unread, key=lambda each: (each.line, each.why))
    program.unread.extend(sorted({each.line for each in unread}))
    for each in unread:
        if each.header is not None:
            program.doubts.setdefault(each.header, each.line)
    builder = Builder(source.file, quiet=True)
    builder.add(program)
    said = dict.fromkeys((each.line, each.why) for each in unread)  # a whole list may stand on one line
    diagnostics = tuple(_diagnostic(source, line, why) for line, why in said)
    return ParsedConfig(
        builder.device(),
        diagnostics,
        source.lines,
        tuple(program.unread),
        collected.understood,
        source.reader,
        assumed=assumed,
        program=program,
        incomplete=builder.incomplete,
    )


def _diagnostic(source: Source, line: int, why: str) -> Diagnostic:
    text = source.lines.quote(line)
    column = len(text) - len(text.lstrip()) + 1
    return Diagnostic(Level.ERROR, Span(source.file, line, column, max(column + 1, len(text.rstrip()) + 1)), why, text)
