"""A reader's remark on its input: a value, never an exception, so that reading goes on."""

import enum
from typing import NamedTuple

from overhang.text.position import Span


class Level(enum.Enum):
    """How much a diagnostic costs: after an error the statement is not understood; after a warning it is."""

    ERROR = "error"
    WARNING = "warning"


class Diagnostic(NamedTuple):
    """One remark on one place of an input.

    ``message`` is one lower-case sentence without a full stop. ``text`` is the source line with its secrets struck
    out, and ``span`` counts in that text, so that a caret can be drawn below it. ``hint`` says what to do, or is "".
    """

    level: Level
    span: Span
    message: str
    text: str
    hint: str = ""

    def __str__(self) -> str:
        hint = f"; {self.hint}" if self.hint else ""
        return f"{self.span.file}:{self.span.line}:{self.span.column}: {self.level.value}: {self.message}{hint}"

    def caret(self, width: int = 96) -> tuple[str, str]:
        """The source line and the line of carets below it, cut to a window of ``width`` characters around the span."""
        start, length = self.span.column - 1, max(1, self.span.end - self.span.column)
        text = self.text.replace("\t", " ").rstrip()
        first = max(0, min(start - width // 2, len(text) - width)) if len(text) > width else 0
        marks = " " * (start - first) + "^" * min(length, max(1, width - (start - first)))
        return text[first : first + width], marks
