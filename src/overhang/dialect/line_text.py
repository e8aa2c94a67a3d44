"""Texts whose lines are statements: by indentation, flat, or in sections under headings; and tables in them."""

from collections.abc import Callable, Generator, Iterator
from fnmatch import fnmatchcase
from functools import partial

from overhang.dialect.layout_marks import comment_pattern, label_pattern, without_leader
from overhang.dialect.model import Layout
from overhang.dialect.table_rows import Columns, Row, is_rule
from overhang.dialect.tokenizer import Node, Text


class LineText(Text):
    """A text of lines."""

    def __init__(self, layout: Layout, text: str) -> None:
        super().__init__(layout, text)
        self._comments = layout.comments + layout.trailing_comments
        self._continued = layout.continued
        self._labels = label_pattern(layout)
        #: whether every line that says something is one by itself, as it stands
        self._whole = not (layout.page_breaks or layout.continued or layout.continues or self._labels)
        #: the lines as they are read, without comments of several words: so many of them so far
        self._read = self.lines
        self._clean = len(self.lines)
        if layout.block_comments:
            self._block = comment_pattern(layout)
            self._read, self._clean = list(self.lines), 0
        #: whether no comment that begins from here on ever ends
        self._unending = False
        #: whether each line is one statement, and nothing else
        self._single = not (layout.between or layout.dormant)
        self._headings = sorted(enumerate(layout.headings), key=lambda each: -len(each[1][0]))
        #: the index of the next statement
        self._index = 0
        #: rows of tables by the heading that they stand under and their keys: the index of each
        self._rows: dict[tuple[int, str], dict[str, int]] = {}

    def nodes(self) -> Iterator[Node]:
        """See Text."""
        return {"indented": self._indented, "flat": self._flat, "sections": self._sections}[self.layout.form]()

    def take_text(self, node: Node, until: str, sign: int | None) -> list[tuple[int, str]] | None:
        """See Text."""
        found = super().take_text(node, until, sign)
        if self.layout.block_comments:
            self._clean = self.at  # what looks like a comment in the text is none, and does not go on below
        return found

    def _line_at(self, index: int) -> str:
        """The line of an index as it is read."""
        while self._clean <= index:
            self._clean_line()
        return self._read[index]

    def _clean_line(self) -> None:
        """Blank the block comments of the next line; one that goes on is blanked to its end."""
        ends = self.layout.block_comments[1]
        line, at = self.lines[self._clean], 0
        while (found := self._block.search(line, at)) is not None:
            at = found.end()
            if found.lastgroup != "begin" or self._unending:
                continue
            before, end = f"{line[: found.start()]} ", line.find(ends, at)
            if end >= 0:
                line, at = before + line[end + len(ends) :], len(before)
                continue
            below = range(self._clean + 1, len(self.lines))
            last = next((number for number in below if ends in self.lines[number]), None)
            if last is None:
                self._unending = True
                continue
            self._read[self._clean : last] = [before, *[""] * (last - self._clean - 1)]
            line, at = self.lines[last].partition(ends)[2], 0
            self._clean = last
        self._read[self._clean] = line
        self._clean += 1

    def _line(self) -> tuple[int, str] | None:
        """The next line that says something, and its number."""
        while self.at < len(self.lines):
            line = self._line_at(self.at).rstrip()
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
            if self._labels is not None and not self.layout.between:
                line = without_leader(line, self._labels, self.layout.label_ends)
            return number, line
        return None

    def _with_next(self, line: str) -> str:
        """A line and those below that go on with it."""
        sign = self.layout.continues
        while self.at < len(self.lines) and (body := self._line_at(self.at).strip()).startswith(sign):
            line = f"{line} {body.removeprefix(sign).lstrip()}"
            self.at += 1
            self.counted += 1
        return line

    def _joined(self, line: str) -> str:
        """A line and those that go on with it."""
        parts = [line.removesuffix(self._continued)]
        while line.endswith(self._continued) and self.at < len(self.lines):
            line = self._line_at(self.at).strip()
            self.at += 1
            self.counted += 1
            parts.append(line.removesuffix(self._continued))
        return " ".join(parts)

    # -- layouts -------------------------------------------------------------------------------------------------------

    def _statements(self, number: int, body: str, parent: int) -> Iterator[Node]:
        """The statements of one line; several where the layout has a sign that parts them."""
        pieces = self._parted(body, 0) if self.layout.between else iter([(body, len(body))])
        while (found := next(pieces, None)) is not None:
            piece, end = found
            if self._labels is not None and self.layout.between:
                piece = without_leader(piece, self._labels, self.layout.label_ends)
            dormant = bool(self.layout.dormant) and piece.startswith(self.layout.dormant)
            if dormant:
                piece = self._awake(piece)
            self._index += 1
            self._beyond = (body, end)
            yield Node(number, self.at, parent, self.split(piece), piece, None, dormant)
            if self._next >= 0:
                pieces, self._next = self._parted(body, self._next), -1
        self._beyond = ("", 0)

    def _awake(self, body: str) -> str:
        """A dormant statement without what makes it dormant."""
        sign = next(each for each in self.layout.dormant if body.startswith(each))
        return body.removeprefix(sign).lstrip()

    def _parted(self, body: str, begin: int) -> Iterator[tuple[str, int]]:
        """The statements of a line from a character on, parted at the signs outside quotes, and where each ends."""
        for word in self.places(body, len(body), begin):
            if word.sign and word.text in self.layout.between:
                if piece := body[begin : word.first].strip():
                    yield piece, word.first
                begin = word.behind
        if piece := body[begin:].strip():
            yield piece, len(body)

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

    def _says(self, index: int) -> bool:
        """Whether a line says something: it is not empty, nor a comment, nor begins a page."""
        body = self._line_at(index).strip()
        if not body or (self._comments and body.startswith(self._comments)):
            return False
        return not any(fnmatchcase(body, form) for form in self.layout.page_breaks)

    def _row_line(self, ends: Callable[[str], bool] | None) -> tuple[int, str] | None:
        """The next line of a table; None at its end."""
        at, counted = self.at, self.counted
        if ends is None:
            while at < len(self.lines) and self.lines[at].strip() and not self._says(at):
                at += 1
            if at < len(self.lines) and not self.lines[at].strip():
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


def _indent(line: str) -> int:
    """How far a line is indented, in characters."""
    space = line[: len(line) - len(line.lstrip())]
    return len(space.expandtabs(8))


def _not_below(indent: int, line: str) -> bool:
    """Whether a line stands no deeper than one that is indented so far."""
    return _indent(line) <= indent
