"""Statements as values, whatever they were written in: what every reader hands to the builder."""

from collections.abc import Callable, Mapping
from typing import Any, NamedTuple

from overhang.language.spec import StatementSpec
from overhang.model import Prefix
from overhang.text import Diagnostic, Level, Shown, Span


class Statement(NamedTuple):
    """One statement: its row of the schema, what its words captured, and the model's value.

    With ``drop`` it takes back instead; without captures then everything of its kind.
    """

    spec: StatementSpec
    captures: Mapping[str, Any]
    value: Any = None
    drop: bool = False


class PlacedStatement(NamedTuple):
    """A statement and its line. ``owner`` is the index of the header that it stands under, -1 for a header."""

    line: int
    owner: int
    statement: Statement
    #: whether the statement after a header on the same line is to be dropped, so that the header begins nothing
    drops_inside: bool = False


class Program(NamedTuple):
    """The statements of one text, in order.

    ``texts`` holds banner lines as (owner, line number, text), ``doubts`` the first line that was not understood under
    each header. ``unread`` are the numbers of all such lines, ``understood`` counts the others. ``profile_unread`` is
    the line of a profile statement that was not understood. ``suspected`` are kinds of blocks, as a head begins, that a
    line which was not understood may have been about, with that line. ``read`` says of each line of a sheet that was
    understood what of it may be shown (redact.py).
    """

    statements: list[PlacedStatement]
    texts: list[tuple[int, int, str]]
    doubts: dict[int, int]
    diagnostics: list[Diagnostic]
    unread: list[int]
    understood: int = 0
    profile_unread: int | None = None
    suspected: Mapping[str, int] = {}
    read: Mapping[int, tuple[tuple[tuple[int, int], ...], int] | None] = {}

    @classmethod
    def empty(cls) -> "Program":
        """A program without statements, to be filled."""
        return cls([], [], {}, [], [])


class Unread(NamedTuple):
    """A line that was not understood, why, and the header of the block that it puts in doubt, if it stands in one.

    ``header`` is the index of the header's statement, or None.
    """

    line: int
    why: str
    header: int | None = None


class Remark(NamedTuple):
    """Something odd about a line that was understood. ``about`` stands in ``{}`` of the message: another line, or a
    prefix."""

    line: int
    message: str
    about: int | Prefix | None = None

    def told(self, file: str, quote: Callable[[int], Shown]) -> Diagnostic:
        """It as a warning."""
        text = quote(self.line)
        column = len(text) - len(text.lstrip(" ")) + 1
        span = Span(file, self.line, column, max(column + 1, len(text) + 1))
        return Diagnostic(Level.WARNING, span, self.message.format(self.about), text)
