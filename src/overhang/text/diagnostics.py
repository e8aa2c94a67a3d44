"""A reader's remark on its input: a value, never an exception, so that reading goes on."""

import enum
from typing import NamedTuple

from overhang.text.position import Span
from overhang.text.quoting import Shown


class Level(enum.Enum):
    """How much a diagnostic costs: after an error the statement is not understood; after a warning it is."""

    ERROR = "error"
    WARNING = "warning"


class Diagnostic(NamedTuple):
    """One remark on one place of an input.

    ``message`` is one lower-case sentence without a full stop. ``span`` is its place in the file. ``text`` is what may
    be shown of the source line. ``hint`` says what to do, or is "".
    """

    level: Level
    span: Span
    message: str
    text: Shown
    hint: str = ""

    def __str__(self) -> str:
        hint = f"; {self.hint}" if self.hint else ""
        return f"{self.span.file}:{self.span.line}:{self.span.column}: {self.level.value}: {self.message}{hint}"

    def caret(self, width: int = 96) -> tuple[str, str]:
        """The line as it may be shown and the line of carets below it, cut to a window of ``width`` characters.

        Columns count in the file; the carets of what is not shown stand below what is shown in its place.
        """
        text = self.text.replace("\t", " ").rstrip()
        start = min(self.span.column - 1, max(0, len(text) - 1))
        length = max(1, min(self.span.end - 1, len(text)) - start)
        first = max(0, min(start - width // 2, len(text) - width)) if len(text) > width else 0
        marks = " " * (start - first) + "^" * min(length, max(1, width - (start - first)))
        return text[first : first + width], marks
