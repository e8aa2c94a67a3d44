"""From text to lines in their places: the layouts, tables in them, and free text between its delimiters."""

import re
from collections.abc import Callable, Generator, Iterator
from fnmatch import fnmatchcase
from functools import partial
from typing import NamedTuple

from overhang.dialect.layout_marks import (
    braces_pattern,
    label_pattern,
    splitter,
    unquoted,
    without_comments,
    without_leader,
)
from overhang.dialect.model import Layout
from overhang.dialect.table_rows import Columns, Row, is_rule

_MOST_DEEP = 200


class Node(NamedTuple):
    """One statement of the text: its lines (the first one first), the index of the one it stands under, its words.

    ``raw`` is the text of its first line where it is all of one line, else None. ``text`` is the free text behind it,
    where that was taken already. ``dormant``: it is written as something that does not hold; ``opens``: as a block,
    even where nothing stands in it.
    """

    line: int
    last: int
    parent: int
    words: list[str]
    raw: str | None
    text: tuple[tuple[int, str], ...] | None = None
    dormant: bool = False
    opens: bool = False


class Placed(NamedTuple):
    """A word and its place in a line: the first character's offset and the one behind the last, quotes and all.

    ``sign``: it is a sign that is a word of its own.
    """

    text: str
    first: int
    behind: int
    quoted: bool
    sign: bool


class Text:
    """A text laid out by a layout. ``problems`` are lines that break the layout, with the index of
    what they stand under or -1, ``counted`` all that say something.

    ``nodes`` yields one after another, so that whoever reads them may take free text from behind the last one.
    """

    def __init__(self, layout: Layout, text: str) -> None:
        self.layout = layout
        self.lines = [line.rstrip("\r") for line in text.split("\n")]
        self.at = 0
        self.counted = 0
        self.problems: list[tuple[int, str, int]] = []
        self._text = text
        self._never: dict[str, int] = {}
        self._splitter = splitter(layout)
        self._plain = not (layout.signs or layout.between or layout.trailing_comments)
        self._comments = layout.comments + layout.trailing_comments
        self._continued = layout.continued
        self._labels = label_pattern(layout)
        #: whether every line that says something is one by itself, as it stands
        self._whole = not (layout.page_breaks or layout.continued or layout.continues or self._labels)
        #: the lines as they are read, without comments of several words; and the index of the next statement
        self._read = self.lines
        if layout.block_comments and layout.form != "braces":
            self._read = [line.rstrip("\r") for line in without_comments(text, layout).split("\n")]
        #: whether each line is one statement, and nothing else
        self._single = not (layout.between or layout.dormant)
        self._headings = sorted(enumerate(layout.headings), key=lambda each: -len(each[1][0]))
        self._index = 0
        #: rows of tables by the heading that they stand under and their keys: the index of each
        self._rows: dict[tuple[int, str], dict[str, int]] = {}

    def nodes(self) -> Iterator[Node]:
        """The statements, in order."""
        if self.layout.form == "braces":
            return self._braces()
        return {"indented": self._indented, "flat": self._flat, "sections": self._sections}[self.layout.form]()

    # -- lines and words -----------------------------------------------------------------------------------------------

    def split(self, line: str) -> list[str]:
        """The words of a line, quotes off."""
        if self._plain:
            for quote in self.layout.quotes:
                if quote in line:
                    break
            else:
                return line.split()
        words = []
        for found in self._splitter.finditer(line):
            if found.lastgroup == "comment":
                break
            words.append(unquoted(found.group()) if found.lastgroup == "quoted" else found.group())
        return words

    def places(self, line: str, most: int) -> Iterator[Placed]:
        """The words of a line with their places, as many as begin before character ``most``."""
        for found in self._splitter.finditer(line):
            if found.lastgroup == "comment" or found.start() > most:
                return
            quoted = found.lastgroup == "quoted"
            text = unquoted(found.group()) if quoted else found.group()
            yield Placed(text, found.start(), found.end(), quoted, found.lastgroup == "sign")

    def tail(self, line: str, word: int) -> str:
        """A line from the word of this number (from 0) on, as it is written."""
        for number, found in enumerate(self._splitter.finditer(line)):
            if number == word:
                text = line[found.start() :].rstrip()
                return unquoted(text) if found.lastgroup == "quoted" and found.end() == len(line.rstrip()) else text
        return ""

    def _line(self) -> tuple[int, str] | None:
        """The next line that says something, and its number."""
        while self.at < len(self._read):
            line = self._read[self.at].rstrip()
            self.at += 1
            body = line.lstrip()
            if not body or (self._comments and body.startswith(self._comments)):
                continue
            if self._whole:
                self.counted += 1
                return self.at, line
            if self.layout.page_breaks and any(fnmatchcase(body, form) for form in self.layout.page_breaks):
                continue
            self.counted += 1
            number = self.at
            if self._continued and line.endswith(self._continued):
                line = self._joined(line)
            if self.layout.continues:
                line = self._with_next(line)
            if self._labels is not None:
                line = without_leader(line, self._labels, self.layout.label_ends)
            return number, line
        return None

    def _with_next(self, line: str) -> str:
        """A line and those below that go on with it."""
        sign = self.layout.continues
        while self.at < len(self._read) and (body := self._read[self.at].strip()).startswith(sign):
            line = f"{line} {body.removeprefix(sign).lstrip()}"
            self.at += 1
            self.counted += 1
        return line

    def _joined(self, line: str) -> str:
        """A line and those that go on with it."""
        parts = [line.removesuffix(self._continued)]
        while line.endswith(self._continued) and self.at < len(self._read):
            line = self._read[self.at].strip()
            self.at += 1
            self.counted += 1
            parts.append(line.removesuffix(self._continued))
        return " ".join(parts)

    def take_text(self, first: str | None, until: str, *, sign: bool) -> list[tuple[int, str]] | None:
        """The free text behind the last line, up to a sign or a line; None where that never comes.

        ``first`` is what already stands of it on the last line. Lines come with their numbers.
        """
        found: list[tuple[int, str]] = []
        if sign and first is not None:
            if until in first:
                return [(self.at, first[: first.index(until)])]
            found += [(self.at, first)] if first.strip() else []
        if self._never.get(until, len(self.lines) + 1) <= self.at:
            return None
        for number in range(self.at, len(self.lines)):
            line = self.lines[number]
            ends = until in line if sign else line.strip() == until
            if not ends:
                found.append((number + 1, line))
                continue
            before = line[: line.index(until)] if sign else ""
            found += [(number + 1, before)] if before.strip() else []
            self.counted += number + 1 - self.at
            self.at = number + 1
            return found
        self._never[until] = self.at
        return None

    # -- layouts -------------------------------------------------------------------------------------------------------

    def _statements(self, number: int, body: str, parent: int) -> Iterator[Node]:
        """The statements of one line; several where the layout has a sign that parts them."""
        for piece in self._parted(body) if self.layout.between else (body,):
            dormant = bool(self.layout.dormant) and piece.startswith(self.layout.dormant)
            if dormant:
                piece = self._awake(piece)
            self._index += 1
            yield Node(number, self.at, parent, self.split(piece), piece, None, dormant)

    def _awake(self, body: str) -> str:
        """A dormant statement without what makes it dormant."""
        sign = next(each for each in self.layout.dormant if body.startswith(each))
        return body.removeprefix(sign).lstrip()

    def _parted(self, body: str) -> Iterator[str]:
        """The statements of a line, at the signs outside quotes."""
        begin = 0
        for word in self.places(body, len(body)):
            if word.sign and word.text in self.layout.between:
                if piece := body[begin : word.first].strip():
                    yield piece
                begin = word.behind
        if piece := body[begin:].strip():
            yield piece

    def _indented(self) -> Iterator[Node]:
        stack: list[tuple[int, int]] = []
        closers = self.layout.closers
        while (found := self._line()) is not None:
            number, line = found
            body = line.lstrip()
            if body in closers:
                continue
            indent = len(line) - len(body)
            if "\t" in line[:indent]:
                indent = _indent(line)
            while stack and stack[-1][0] >= indent:
                stack.pop()
            parent = stack[-1][1] if stack else -1
            if self._single:
                self._index += 1
                yield Node(number, self.at, parent, self.split(body), body)
            else:
                yield from self._statements(number, body, parent)
            stack.append((indent, self._index - 1))
            if self.layout.tables:
                yield from self._table(body, stack[-2][1] if len(stack) > 1 else -1, partial(_not_below, indent))

    def _flat(self) -> Iterator[Node]:
        while (found := self._line()) is not None:
            number, line = found
            body = line.strip()
            if body in self.layout.closers:
                continue
            if self._single:
                self._index += 1
                yield Node(number, self.at, -1, self.split(body), body)
            else:
                yield from self._statements(number, body, -1)
            if self.layout.tables:
                yield from self._table(body, -1, None)

    def _heading(self, body: str) -> tuple[int, str] | None:
        """The words of a heading and how deep it is; None for another line."""
        for level, (before, after) in self._headings:
            long = len(body) > len(before) + len(after)
            if long and body.startswith(before) and body.endswith(after):
                return level, body[len(before) : len(body) - len(after)].strip()
        return None

    def _sections(self) -> Iterator[Node]:
        stack: list[int] = []
        while (found := self._line()) is not None:
            number, line = found
            body = line.strip()
            if body in self.layout.closers:
                if stack:
                    stack.pop()
                continue
            dormant = bool(self.layout.dormant) and body.startswith(self.layout.dormant)
            heading = self._heading(self._awake(body) if dormant else body)
            if heading is None:
                yield from self._statements(number, body, stack[-1] if stack else -1)
                continue
            level, words = heading
            del stack[level:]
            yield Node(number, self.at, stack[-1] if stack else -1, self.split(words), words, None, dormant, True)
            stack.append(self._index)
            self._index += 1
            if self.layout.tables:
                yield from self._table(words, stack[-2] if len(stack) > 1 else -1, self._ends_section)

    def _ends_section(self, line: str) -> bool:
        body = line.strip()
        body = self._awake(body) if self.layout.dormant and body.startswith(self.layout.dormant) else body
        return body in self.layout.closers or self._heading(body) is not None

    # -- tables --------------------------------------------------------------------------------------------------------

    def _table(self, head: str, outer: int, ends: Callable[[str], bool] | None) -> Iterator[Node]:
        """The rows of the table that a line begins, each a block; ``ends`` tells the line behind it, which without it
        is an empty one."""
        folded = head.lower() if self.layout.ignore_case else head
        form = next((each for each in self.layout.tables if fnmatchcase(folded, each.under)), None)
        if form is None:
            return
        rows = self._rows.setdefault((outer, folded), {})
        table = rows.setdefault("", self._index - 1)  # a table that comes again goes on with the first
        columns: Columns | None = None
        last = -1
        while (found := self._row_line(ends)) is not None:
            number, line = found
            if columns is None:
                columns = Columns.of(form, line)
                self._note(number, columns.wrong, table)
            elif not (is_rule(line) or columns.is_again(line)):
                row = columns.row(line)
                self._note(number, row.wrong, table)
                last = yield from self._row_nodes(number, row, ({} if form.own_rows else rows, table, last))

    def _row_line(self, ends: Callable[[str], bool] | None) -> tuple[int, str] | None:
        """The next line of a table; None at its end."""
        at, counted = self.at, self.counted
        if ends is None and at < len(self._read) and not self._read[at].strip():
            return None
        found = self._line()
        if found is not None and ends is not None and ends(found[1]):
            self.at, self.counted = at, counted
            return None
        return found

    def _note(self, number: int, wrong: str, table: int) -> None:
        if wrong:
            self.problems.append((number, wrong, table))

    def _row_nodes(self, number: int, row: Row, place: tuple[dict[str, int], int, int]) -> Generator[Node, None, int]:
        """A row as a block, and its cells as the lines in it; gives the block's index.

        A row without a key goes on with the one above it.
        """
        rows, table, last = place
        if row.wrong:
            return last
        at = last
        if row.key:
            key = f"={row.key}"
            at = rows.get(key, -1)
            if at < 0:
                at = rows[key] = self._index
                yield Node(number, self.at, table, self.split(row.key) or [row.key], row.key, None, row.dormant, True)
                self._index += 1
        elif at < 0:
            self.problems.append((number, "this row has no key, and none stands above it", table))
            return last
        for column, cell in row.cells:
            raw = f"{column} {cell}"
            self._index += 1
            yield Node(number, self.at, at, self.split(raw), raw, None, row.dormant)
        return at

    def _braces(self) -> Iterator[Node]:
        layout = self.layout
        text = without_comments(self._text, layout)
        stack: list[tuple[int, int]] = []
        words: list[str] = []
        first = last = index = start = counted = 0
        number = 1
        for found in re.compile(braces_pattern(layout), re.MULTILINE).finditer(text):
            kind = found.lastgroup
            if kind in ("word", "quoted", "sign"):
                if not words:
                    first, start = number, found.start()
                more = 0
                if kind == "quoted":
                    words.append(unquoted(found.group()))
                    more = found.group().count("\n")
                else:
                    words.append(found.group())
                if number != counted:
                    self.counted += 1
                self.counted += more
                number += more
                last = counted = number
                continue
            if kind in ("open", "close", "ends") and number != counted:
                self.counted += 1
                counted = number
            if kind in ("open", "close", "ends") or (kind == "newline" and not layout.ends):
                self.at = number
                if words or kind == "open":
                    raw = text[start : found.start()].rstrip() if first == last and words else None
                    yield self._in_braces((first or number, last or number), stack, (words, raw), opens=kind == "open")
                    if kind == "open":
                        stack.append((index, first or number))
                    index += 1
                    words, first = [], 0
                if kind == "close":
                    self._close(stack, number)
                if len(stack) > _MOST_DEEP:
                    self.problems.append((number, f"blocks are nested more than {_MOST_DEEP} deep", -1))
                    return
            number += kind == "newline"
        if words:
            yield self._in_braces((first, last), stack, (words, None))
        for _, line in stack:
            self.problems.append((line, f"this block is never closed with {layout.close}", -1))

    def _in_braces(
        self,
        lines: tuple[int, int],
        stack: list[tuple[int, int]],
        said: tuple[list[str], str | None],
        *,
        opens: bool = False,
    ) -> Node:
        """A statement inside the innermost block."""
        place = stack[-1][0] if stack else -1
        words, raw = said
        if words and words[0] in self.layout.dormant:
            return Node(*lines, place, words[1:], None, None, True, opens)
        return Node(*lines, place, words, raw, None, False, opens)

    def _close(self, stack: list[tuple[int, int]], number: int) -> None:
        """Close the innermost block."""
        if stack:
            stack.pop()
        else:
            self.problems.append((number, f"this {self.layout.close} closes nothing", -1))


def _indent(line: str) -> int:
    """How far a line is indented, in characters."""
    space = line[: len(line) - len(line.lstrip())]
    return len(space.expandtabs(8))


def _not_below(indent: int, line: str) -> bool:
    """Whether a line stands no deeper than one that is indented so far."""
    return _indent(line) <= indent
