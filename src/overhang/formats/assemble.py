"""Making a device from statements that a reader found, in whatever layout it found them."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import NamedTuple

from overhang.language import ParsedConfig
from overhang.language.builder import Builder
from overhang.language.ir import Line, Unread
from overhang.language.parser import Misread, Reading, Stated, parse_line
from overhang.profiles import Profile
from overhang.text import Diagnostic, Level, Span


class Source(NamedTuple):
    """The file that statements come from: name, lines, how one is shown without secrets, and the reader's name."""

    file: str
    lines: list[str]
    quote: Callable[[int], str]
    reader: str


def assemble(
    source: Source,
    said: Iterable[Line],
    unread: Iterable[Unread] = (),
    understood: int = 0,
    assumed: Profile | None = None,
) -> ParsedConfig:
    """The device that statements amount to.

    ``unread`` are lines not understood, each with why; a statement that does not parse joins them. ``understood``
    counts the lines, or values, that were; ``assumed`` is the profile that holds where none is said.
    """
    wrong = list(unread)
    reading = Reading([], [], {}, [], [], 0)
    heads: dict[str, int] = {}
    for each in said:
        try:
            _say(reading, heads, each)
        except Misread as problem:
            wrong.append(Unread(each.line, str(problem), each.head))
    wrong.sort()
    reading.unread.extend(sorted({each.line for each in wrong}))
    for each_wrong in wrong:
        if each_wrong.head in heads:
            reading.doubts.setdefault(heads[each_wrong.head], each_wrong.line)
    builder = Builder(source.file, source.quote, quiet=True)
    builder.say(reading)
    diagnostics = tuple(_diagnostic(source, each.line, each.why) for each in wrong)
    return ParsedConfig(
        builder.device(),
        diagnostics,
        source.lines,
        tuple(reading.unread),
        understood,
        source.reader,
        source.quote,
        assumed=assumed,
    )


def _say(reading: Reading, heads: dict[str, int], each: Line) -> None:
    statements = reading.statements
    if each.head.startswith("drop "):
        statements.append(Stated(each.line, -1, parse_line("", each.head)))
        inner = statements[-1].parsed.inner
        if inner is not None:
            statements.append(Stated(each.line, len(statements) - 1, inner))
        return
    owner = heads.get(each.head)
    head = statements[owner].parsed if owner is not None else parse_line("", each.head)
    inner = None
    if each.inner is not None and not each.inner.startswith("|"):
        inner = parse_line(head.statement.opens, each.inner)
    if owner is None:
        statements.append(Stated(each.line, -1, head))
        owner = heads[each.head] = len(statements) - 1
    if inner is not None:
        statements.append(Stated(each.line, owner, inner))
    elif each.inner is not None:
        reading.texts.append((owner, each.line, each.inner[1:].removeprefix(" ")))


def _diagnostic(source: Source, line: int, why: str) -> Diagnostic:
    text = source.quote(line) if 0 < line <= len(source.lines) else ""
    column = len(text) - len(text.lstrip()) + 1
    return Diagnostic(Level.ERROR, Span(source.file, line, column, max(column + 1, len(text.rstrip()) + 1)), why, text)


def shown_lines(lines: Sequence[str], secrets: Mapping[int, Sequence[str]]) -> Callable[[int], str]:
    """A way to show lines with the secrets that were found on them struck out; all, if one cannot be found."""
    import json  # sheets need none of these
    import re
    from xml.sax.saxutils import escape

    from overhang.language.lexer import STRUCK

    def quote(line: int) -> str:
        raw = text = lines[line - 1]
        for secret in sorted(filter(None, secrets.get(line, ())), key=len, reverse=True):
            quoted = escape(secret, {'"': "&quot;", "'": "&apos;"})
            for form in {secret, json.dumps(secret)[1:-1], escape(secret), quoted}:
                text = re.sub(rf"(?<!\w){re.escape(form)}(?!\w)", STRUCK, text)
            if text == raw:  # it stands there in a form that is not known
                return raw[: len(raw) - len(raw.lstrip())] + STRUCK
        return text

    return quote
