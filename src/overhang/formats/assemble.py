"""Builds a device from the statements that a reader collected."""

import functools
import json
import re
from collections.abc import Callable, Mapping, Sequence
from typing import NamedTuple

from overhang.language import Collector, ParsedConfig
from overhang.language.builder import Builder
from overhang.language.redact import STRUCK
from overhang.profiles import Profile
from overhang.text import Diagnostic, Level, Span

#: Characters of a line, times the secrets on it, that are looked at to strike them out.
_MOST_LOOKED_AT = 2_000_000


class Source(NamedTuple):
    """The file that statements come from: name, lines, how one is shown without secrets, and the reader's name."""

    file: str
    lines: list[str]
    quote: Callable[[int], str]
    reader: str


def assemble(source: Source, collected: Collector, assumed: Profile | None = None) -> ParsedConfig:
    """The device of some statements; ``assumed`` is the profile where the text names none."""
    program = collected.program
    unread = sorted(collected.unread, key=lambda each: (each.line, each.why))
    program.unread.extend(sorted({each.line for each in unread}))
    for each in unread:
        if each.header is not None:
            program.doubts.setdefault(each.header, each.line)
    builder = Builder(source.file, source.quote, quiet=True)
    builder.add(program)
    diagnostics = tuple(_diagnostic(source, each.line, each.why) for each in unread)
    return ParsedConfig(
        builder.device(),
        diagnostics,
        source.lines,
        tuple(program.unread),
        collected.understood,
        source.reader,
        source.quote,
        assumed=assumed,
        program=program,
        incomplete=builder.incomplete,
    )


def _diagnostic(source: Source, line: int, why: str) -> Diagnostic:
    text = source.quote(line) if 0 < line <= len(source.lines) else ""
    column = len(text) - len(text.lstrip()) + 1
    return Diagnostic(Level.ERROR, Span(source.file, line, column, max(column + 1, len(text.rstrip()) + 1)), why, text)


def shown_lines(lines: Sequence[str], secrets: Mapping[int, Sequence[str]]) -> Callable[[int], str]:
    """A way to show lines with the secrets that were found on them struck out; all, if one cannot be found.

    Data may stand in one line, which is then quoted for everything that is said of it: each line is made once, and one
    in which looking for every secret would take long is not shown.
    """
    from xml.sax.saxutils import escape  # sheets need none of this

    @functools.cache
    def quote(line: int) -> str:
        raw = text = lines[line - 1]
        hidden = sorted({secret for secret in secrets.get(line, ()) if secret}, key=len, reverse=True)
        if len(raw) * len(hidden) > _MOST_LOOKED_AT:
            return raw[: len(raw) - len(raw.lstrip())] + STRUCK
        for secret in hidden:
            quoted = escape(secret, {'"': "&quot;", "'": "&apos;"})
            forms = {secret, json.dumps(secret)[1:-1], escape(secret), quoted}
            found = re.compile("|".join(rf"(?<!\w){re.escape(form)}(?!\w)" for form in forms))
            if found.search(raw) is None:  # it stands there in a form that is not known
                return raw[: len(raw) - len(raw.lstrip())] + STRUCK
            text = found.sub(STRUCK, text)
        return text

    return quote
