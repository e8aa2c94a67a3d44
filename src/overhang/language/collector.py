"""Collecting the statements of one device, for every reader whose text is no sheet.

A reader gives statements as values or as words, each with its line. A statement that does not fit becomes a line that
was not understood, and puts its block in doubt.
"""

from collections.abc import Mapping, Sequence
from typing import Any

from overhang.language.ir import PlacedStatement, Program, Statement, Unread
from overhang.language.lexer import Word
from overhang.language.parser import LINES, LineParser, Misread


class Collector:
    """The statements so far. ``understood`` counts what was understood, in the reader's own measure."""

    def __init__(self, lines: LineParser = LINES) -> None:
        self.program = Program.empty()
        self.unread: list[Unread] = []
        self.understood = 0
        self._lines = lines
        self._headers: dict[object, int] = {}

    # -- blocks --------------------------------------------------------------------------------------------------------

    def block(self, line: int, header: Statement, *, new: bool = False) -> int:
        """Begin a block, or come back to it where the same header was given before; its number for what stands in it.

        ``new`` begins another block even so.
        """
        key = header_key(header)
        found = None if new else self._headers.get(key)
        if found is None:
            self.program.statements.append(PlacedStatement(line, -1, header))
            found = self._headers[key] = len(self.program.statements) - 1
        return found

    def begin(self, line: int, *words: str, new: bool = False) -> int | None:
        """Begin a block by the words of its header, ``"user", "lena"``; None, and a line not understood, for others."""
        try:
            return self.block(line, statement_of("", words, self._lines), new=new)
        except Misread as wrong:
            self.misread(line, str(wrong))
            return None

    def forget(self, header: Statement) -> None:
        """Let the next header like this one begin a block of its own."""
        self._headers.pop(header_key(header), None)

    # -- what stands in them -------------------------------------------------------------------------------------------

    def add(self, line: int, block: int, statement: Statement) -> None:
        """Give a statement inside a block."""
        self.program.statements.append(PlacedStatement(line, block, statement))

    def give(self, line: int, block: int | None, *words: str) -> None:
        """Give a statement by its words, as in ``give(3, block, "level", "15")``; a block of None takes nothing."""
        if block is None:
            return
        kind = self.program.statements[block].statement.spec.opens
        try:
            self.add(line, block, statement_of(kind, words, self._lines))
        except Misread as wrong:
            self.misread(line, str(wrong), block)

    def text(self, line: int, block: int, text: str) -> None:
        """Give one line of a banner."""
        self.program.texts.append((block, line, text))

    # -- the rest ------------------------------------------------------------------------------------------------------

    def drop(self, line: int, header: Statement, inner: Statement | None = None) -> None:
        """Take back a block, or a statement inside it."""
        if inner is None:
            self.program.statements.append(PlacedStatement(line, -1, header._replace(drop=True)))
            return
        self.program.statements.append(PlacedStatement(line, -1, header, drops_inside=True))
        self.add(line, len(self.program.statements) - 1, inner._replace(drop=True))

    def misread(self, line: int, why: str, block: int | None = None) -> None:
        """A line was not understood; ``block`` is the block that it puts in doubt."""
        self.unread.append(Unread(line, why, block))


def header_key(header: Statement) -> object:
    """What makes two headers the same."""
    return header.spec.opens, frozenset(header.captures.items())


def statement_of(block: str, words: Sequence[str], lines: LineParser = LINES, *, drop: bool = False) -> Statement:
    """The statement that plain words are inside a kind of block; with ``drop`` one that is taken back, which may leave
    its value out. Raises Misread."""
    return lines.statement(block, [Word(text, 1, 1) for text in words], drop=drop)


def make_statement(block: str, field: str, captures: Mapping[str, Any], lines: LineParser = LINES) -> Statement:
    """The statement for a field of a block from what its words would capture. Raises ValueError."""
    spec = lines.schema.by_field[block, field].spec
    return Statement(spec, captures, spec.codec.decode(dict(captures)))
