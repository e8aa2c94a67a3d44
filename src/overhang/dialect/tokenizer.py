"""A text laid out: its statements with their places, the words of its lines, and free text in it."""

from collections.abc import Iterator
from typing import NamedTuple

from overhang.dialect.layout_marks import splitter, unquoted
from overhang.dialect.model import Layout


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
        self._splitter = splitter(layout)
        self._plain = layout.form != "braces" and not (layout.signs or layout.between or layout.trailing_comments)
        #: where other statements follow on the line of the last one: the line, and where that one ends; and where the
        #: next one begins if free text lies between, or -1
        self._beyond = ("", 0)
        self._next = -1
        #: behind which line free text that ends so never does
        self._never: dict[tuple[str, bool], int] = {}

    def nodes(self) -> Iterator[Node]:
        """The statements, in order."""
        raise NotImplementedError

    def take_text(self, node: Node, until: str, sign: int | None) -> list[tuple[int, str]] | None:
        """The free text behind the last statement; None where it never ends. Lines come with their numbers.

        It goes up to the line ``until``, or where a word of the statement, of number ``sign``, begins with the sign
        that ends it, from there up to the next such sign.
        """
        line, end = self._beyond
        found: list[tuple[int, str]] = []
        if sign is not None:
            first = self.tail(node.raw or "", sign, comments=True).partition(until)[2]
            if until in first:
                return [(self.at, first[: first.index(until)])]
            if (at := line.find(until, end)) >= 0:
                self._next = at + len(until)
                return [(self.at, first + line[end:at])]
            first += line[end:]
            found += [(self.at, first)] if first.strip() else []
        elif line[end + 1 :].strip():
            return None  # something else stands behind it
        more = self._lines_until(until, by_sign=sign is not None)
        if more is None:
            return None
        if line:
            self._next = len(line)
        self.counted += more[1] - self.at
        self.at = more[1]
        return found + more[0]

    def _lines_until(self, until: str, *, by_sign: bool) -> tuple[list[tuple[int, str]], int] | None:
        """The lines from the next one up to a sign or a line, and the number of the line that ends them."""
        if self._never.get((until, by_sign), len(self.lines) + 1) <= self.at:
            return None
        found: list[tuple[int, str]] = []
        for number in range(self.at, len(self.lines)):
            line = self.lines[number]
            if not (until in line if by_sign else line.strip() == until):
                found.append((number + 1, line))
                continue
            before = line[: line.index(until)] if by_sign else ""
            return found + ([(number + 1, before)] if before.strip() else []), number + 1
        self._never[until, by_sign] = self.at
        return None

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

    def places(self, line: str, most: int, begin: int = 0) -> Iterator[Placed]:
        """The words of a line from a character on, with their places, as many as begin before character ``most``."""
        for found in self._splitter.finditer(line, begin):
            if found.lastgroup == "comment" or found.start() > most:
                return
            quoted = found.lastgroup == "quoted"
            text = unquoted(found.group()) if quoted else found.group()
            yield Placed(text, found.start(), found.end(), quoted, found.lastgroup == "sign")

    def tail(self, line: str, word: int, *, comments: bool = False) -> str:
        """A line from the word of this number (from 0) on, as it is written; with a comment behind it where asked."""
        begin, alone = -1, False
        for number, found in enumerate(self._splitter.finditer(line)):
            if found.lastgroup == "comment":
                line = line[: found.start()]
            elif number == word:
                begin, alone = found.start(), found.lastgroup == "quoted"
                if comments or not self.layout.trailing_comments:
                    alone = alone and found.end() == len(line.rstrip())
                    break
            elif begin >= 0:
                alone = False
        text = line[begin:].rstrip() if begin >= 0 else ""
        return unquoted(text) if alone else text
