"""Texts whose blocks stand in braces, whatever their lines."""

import re
from bisect import bisect_left
from collections.abc import Iterator
from functools import cached_property
from typing import NamedTuple

from overhang.dialect.layout_marks import braces_pattern, unquoted
from overhang.dialect.model import Layout
from overhang.dialect.tokenizer import Node, Text

_MOST_DEEP = 200
_WORDS = ("word", "quoted", "sign")
_SIGNS = ("open", "close", "ends")


class _Piece(NamedTuple):
    """The words up to what ends them, the offset where each begins, and what ends them: "" at the end of the text.

    ``behind`` is the offset behind what ends them, ``number`` its line; the words go from the ``first`` line to the
    ``last``. ``raw`` is as in Node.
    """

    words: list[str]
    starts: list[int]
    ends: str
    behind: int
    first: int
    last: int
    number: int
    raw: str | None


class BraceText(Text):
    """A text in braces."""

    def __init__(self, layout: Layout, text: str) -> None:
        super().__init__(layout, text)
        self._text = text
        self._pattern = braces_pattern(layout)
        #: the last statement, what it was made of, and where the free text behind it ends, or -1
        self._last: tuple[Node, _Piece] | None = None
        self._finish = -1
        #: where the next block comment ends
        self._comment_end = 0

    def nodes(self) -> Iterator[Node]:
        """See Text."""
        stack: list[tuple[int, int]] = []
        index = 0
        for piece in self._pieces():
            if piece.words or piece.ends == "open":
                node = self._node(piece, stack[-1][0] if stack else -1)
                self._last = node, piece
                yield node
                index += 1
                if self._finish >= 0:  # what ended the words belongs to free text
                    continue
                if piece.ends == "open":
                    stack.append((index - 1, piece.first))
            if piece.ends == "close":
                if stack:
                    stack.pop()
                else:
                    self.problems.append((piece.number, f"this {self.layout.close} closes nothing", -1))
            if len(stack) > _MOST_DEEP:
                self.problems.append((piece.number, f"blocks are nested more than {_MOST_DEEP} deep", -1))
                return
        for _, line in stack:
            self.problems.append((line, f"this block is never closed with {self.layout.close}", -1))

    def _node(self, piece: _Piece, parent: int) -> Node:
        words, opens = piece.words, piece.ends == "open"
        if words and words[0] in self.layout.dormant:
            return Node(piece.first, piece.last, parent, words[1:], None, None, True, opens)
        return Node(piece.first, piece.last, parent, words, piece.raw, None, False, opens)

    def _pieces(self) -> Iterator[_Piece]:
        """The text at what ends statements and blocks; behind each piece free text may be taken."""
        text, ends = self._text, _SIGNS if self.layout.ends else (*_SIGNS, "newline")
        words, starts, whole = list[str](), list[int](), True
        first = last = before = 0
        number, counted = 1, 0  # the line, and the last one that is counted
        matches = self._pattern.finditer(text)
        while True:
            found = next(matches, None)
            kind = "" if found is None else found.lastgroup or ""
            if found is not None and kind in _WORDS:
                if not words:
                    first, before, whole = number, self.counted - (number == counted), True
                words.append(unquoted(found.group()) if kind == "quoted" else found.group())
                starts.append(found.start())
                more = found.group().count("\n") if kind == "quoted" else 0
                self.counted += more + (number != counted)
                number += more
                last = counted = number
            elif found is not None and kind == "begin":
                behind = self._behind_comment(found)
                number = self._line_of(behind)
                whole, matches = False, self._pattern.finditer(text, behind)
            elif found is None or kind in ends:
                if kind in _SIGNS and number != counted:
                    self.counted += 1
                    counted = number
                self.at = number
                behind, raw = len(text), None
                if found is not None:
                    behind = found.end()
                    raw = text[starts[0] : found.start()].rstrip() if words and whole and first == last else None
                yield _Piece(words, starts, kind, behind, first or number, last or number, number, raw)
                if self._finish >= 0:
                    number = counted = self._line_of(self._finish)
                    self.counted = before + number - first + 1
                    matches, self._finish = self._pattern.finditer(text, self._finish), -1
                elif found is None:
                    return
                else:
                    number += kind == "newline"
                words, starts, first = [], [], 0
            else:
                number += kind == "newline"

    def _behind_comment(self, found: re.Match[str]) -> int:
        """Where it goes on behind a block comment; where it began if it never ends, for then it is none."""
        ends = self.layout.block_comments[1]
        if self._comment_end < found.end() + len(ends):  # else it was sought before: one text may be gone over twice
            end = self._text.find(ends, found.end())
            if end < 0:
                self._pattern = braces_pattern(self.layout, comments=False)
                return found.start()
            self._comment_end = end + len(ends)
        return self._comment_end

    @cached_property
    def _line_feeds(self) -> list[int]:
        return [found.start() for found in re.finditer("\n", self._text)]

    def _line_of(self, offset: int) -> int:
        return bisect_left(self._line_feeds, offset) + 1

    # -- free text -----------------------------------------------------------------------------------------------------

    def take_text(self, node: Node, until: str, sign: int | None) -> list[tuple[int, str]] | None:
        """See Text. A statement may end anywhere in the text that its own sign begins, or behind it."""
        if self._last is None or node is not self._last[0]:
            return super().take_text(node, until, sign)
        piece = self._last[1]
        return self._below(piece, until) if sign is None else self._from_sign(piece, until, sign)

    def _below(self, piece: _Piece, until: str) -> list[tuple[int, str]] | None:
        text, at = self._text, piece.behind
        if piece.ends != "newline":
            at = text.find("\n", at) + 1
            if not at or text[piece.behind : at].strip():
                return None  # something else stands behind it
        self.at = piece.number
        more = self._lines_until(until, by_sign=False)
        if more is None:
            return None
        for _ in range(self.at, more[1]):
            at = text.find("\n", at) + 1
        self._finish = at - 1 if at else len(text)
        return more[0]

    def _from_sign(self, piece: _Piece, until: str, sign: int) -> list[tuple[int, str]] | None:
        text = self._text
        at = text.index(until, piece.starts[sign]) + len(until)
        finish = self._text.find(until, at)
        if finish < 0:
            return None
        self._finish = finish + len(until)
        line = self._line_of(at)
        pieces = [each.rstrip("\r") for each in self._text[at:finish].split("\n")]
        edges = {0, len(pieces) - 1} if len(pieces) > 1 else set[int]()
        return [(line + place, each) for place, each in enumerate(pieces) if each.strip() or place not in edges]
