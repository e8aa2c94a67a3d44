"""From text to lines in their places: the four layouts, comments, quotes, and free text between its delimiters."""

import re
from collections.abc import Iterator
from typing import NamedTuple

from overhang.dialect.model import Layout

_MOST_DEEP = 200


class Node(NamedTuple):
    """One statement of the text: its lines (the first one first), the index of the one it stands under, its words.

    ``raw`` is the text of its first line where it is all of one line, else None.
    """

    line: int
    last: int
    parent: int
    words: list[str]
    raw: str | None


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
    """A text laid out by a layout. ``problems`` are lines that break the layout, ``counted`` all that say something.

    ``nodes`` yields one after another, so that whoever reads them may take free text from behind the last one.
    """

    def __init__(self, layout: Layout, text: str) -> None:
        self.layout = layout
        self.lines = [line.rstrip("\r") for line in text.split("\n")]
        self.at = 0
        self.counted = 0
        self.problems: list[tuple[int, str]] = []
        self._text = text
        self._never: dict[str, int] = {}
        self._splitter = _splitter(layout)
        self._plain = not layout.signs and not layout.trailing_comments
        self._comments = layout.comments + layout.trailing_comments
        self._begins = layout.block_comments[0] if layout.block_comments else ""
        self._continued = layout.continued

    def nodes(self) -> Iterator[Node]:
        """The statements, in order."""
        if self.layout.form == "braces":
            return self._braces()
        return {"indented": self._indented, "flat": self._flat, "sections": self._sections}[self.layout.form]()

    # -- lines and words -----------------------------------------------------------------------------------------------

    def split(self, line: str) -> list[str]:
        """The words of a line, quotes off."""
        if self._plain and not any(quote in line for quote in self.layout.quotes):
            return line.split()
        words = []
        for found in self._splitter.finditer(line):
            if found.lastgroup == "comment":
                break
            words.append(_unquoted(found.group()) if found.lastgroup == "quoted" else found.group())
        return words

    def places(self, line: str, most: int) -> Iterator[Placed]:
        """The words of a line with their places, as many as begin before character ``most``."""
        for found in self._splitter.finditer(line):
            if found.lastgroup == "comment" or found.start() > most:
                return
            quoted = found.lastgroup == "quoted"
            text = _unquoted(found.group()) if quoted else found.group()
            yield Placed(text, found.start(), found.end(), quoted, found.lastgroup == "sign")

    def tail(self, line: str, word: int) -> str:
        """A line from the word of this number (from 0) on, as it is written."""
        for number, found in enumerate(self._splitter.finditer(line)):
            if number == word:
                text = line[found.start() :].rstrip()
                return _unquoted(text) if found.lastgroup == "quoted" and found.end() == len(line.rstrip()) else text
        return ""

    def _line(self) -> tuple[int, str] | None:
        """The next line that says something, and its number."""
        prompt = self.layout.prompt
        while self.at < len(self.lines):
            line = self.lines[self.at].rstrip()
            self.at += 1
            if prompt and prompt in line[:100]:
                before, _, after = line.partition(prompt)
                line = after.lstrip() if " " not in before.strip() else line
            body = line.lstrip()
            if not body or (self._comments and body.startswith(self._comments)):
                continue
            if self._begins and body.startswith(self._begins):
                self._skip_comment(body)
                continue
            self.counted += 1
            return self.at, self._joined(line) if self._continued and line.endswith(self._continued) else line
        return None

    def _skip_comment(self, body: str) -> None:
        """Pass over the lines of a comment, up to the one that ends it."""
        ends = self.layout.block_comments[1]
        while ends not in body and self.at < len(self.lines):
            body = self.lines[self.at]
            self.at += 1

    def _joined(self, line: str) -> str:
        """A line and those that go on with it."""
        parts = [line.removesuffix(self._continued)]
        while line.endswith(self._continued) and self.at < len(self.lines):
            line = self.lines[self.at].strip()
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

    def _indented(self) -> Iterator[Node]:
        stack: list[tuple[int, int]] = []
        index = 0
        while (found := self._line()) is not None:
            number, line = found
            body = line.lstrip()
            space = line[: len(line) - len(body)]
            indent = len(space.expandtabs(8))
            if body in self.layout.closers:
                continue
            while stack and stack[-1][0] >= indent:
                stack.pop()
            yield Node(number, self.at, stack[-1][1] if stack else -1, self.split(body), body)
            stack.append((indent, index))
            index += 1

    def _flat(self) -> Iterator[Node]:
        while (found := self._line()) is not None:
            number, line = found
            body = line.strip()
            if body not in self.layout.closers:
                yield Node(number, self.at, -1, self.split(body), body)

    def _sections(self) -> Iterator[Node]:
        stack: list[int] = []
        order = sorted(enumerate(self.layout.headings), key=lambda each: -len(each[1][0]))
        index = 0
        while (found := self._line()) is not None:
            number, line = found
            body = line.strip()
            if body in self.layout.closers:
                if stack:
                    stack.pop()
                continue
            heading = next(
                (
                    (level, body[len(before) : len(body) - len(after)].strip())
                    for level, (before, after) in order
                    if len(body) > len(before) + len(after) and body.startswith(before) and body.endswith(after)
                ),
                None,
            )
            if heading is not None:
                level, words = heading
                del stack[level:]
                yield Node(number, self.at, stack[-1] if stack else -1, self.split(words), words)
                stack.append(index)
            else:
                yield Node(number, self.at, stack[-1] if stack else -1, self.split(body), body)
            index += 1

    def _braces(self) -> Iterator[Node]:
        layout = self.layout
        text = _without_comments(self._text, layout)
        stack: list[tuple[int, int]] = []
        words: list[str] = []
        first = last = index = start = counted = 0
        number = 1
        for found in re.compile(_braces_pattern(layout), re.MULTILINE).finditer(text):
            kind = found.lastgroup
            if kind in ("word", "quoted", "sign"):
                if not words:
                    first, start = number, found.start()
                more = 0
                if kind == "quoted":
                    words.append(_unquoted(found.group()))
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
                    yield Node(first or number, last or number, stack[-1][0] if stack else -1, words, raw)
                    if kind == "open":
                        stack.append((index, first or number))
                    index += 1
                    words, first = [], 0
                if kind == "close":
                    self._close(stack, number)
                if len(stack) > _MOST_DEEP:
                    self.problems.append((number, f"blocks are nested more than {_MOST_DEEP} deep"))
                    return
            number += kind == "newline"
        if words:
            yield Node(first, last, stack[-1][0] if stack else -1, words, None)
        for _, line in stack:
            self.problems.append((line, f"this block is never closed with {layout.close}"))

    def _close(self, stack: list[tuple[int, int]], number: int) -> None:
        """Close the innermost block."""
        if stack:
            stack.pop()
        else:
            self.problems.append((number, f"this {self.layout.close} closes nothing"))


def _without_comments(text: str, layout: Layout) -> str:
    """The text with its block comments blanked, its line feeds kept; one that never ends is none."""
    if not layout.block_comments:
        return text
    begins, ends = layout.block_comments
    pieces, at = [], 0
    while (start := text.find(begins, at)) >= 0 and (end := text.find(ends, start + len(begins))) >= 0:
        line = text.rfind("\n", 0, start) + 1
        if any(text.count(quote, line, start) % 2 for quote in layout.quotes):
            end = start + len(begins) - len(ends)  # it stands inside quotes
            pieces.append(text[at : end + len(ends)])
        else:
            pieces += [text[at:start], " ", "\n" * text.count("\n", start, end)]
        at = end + len(ends)
    return "".join([*pieces, text[at:]])


def _splitter(layout: Layout) -> re.Pattern[str]:
    parts = []
    if layout.trailing_comments:
        parts.append(f"(?P<comment>(?<!\\S)(?:{_any(layout.trailing_comments)}).*)")
    if layout.quotes:
        parts.append(f"(?P<quoted>{_quoted(layout.quotes)})")
    signs = layout.signs + (layout.open + layout.close + layout.ends if layout.form == "braces" else "")
    if signs:
        parts.append(f"(?P<sign>[{re.escape(signs)}])")
    parts.append(f"(?P<word>[^\\s{re.escape(signs)}]+)")
    return re.compile("|".join(parts))


def _braces_pattern(layout: Layout) -> str:
    parts = ["(?P<newline>\n)"]
    if layout.comments:
        parts.append(f"(?P<comment>^[^\\S\n]*(?:{_any(layout.comments)}).*)")
        parts.insert(0, parts.pop())
    if layout.trailing_comments:
        parts.insert(0, f"(?P<remark>(?:(?<=\\s)|^)(?:{_any(layout.trailing_comments)}).*)")
    if layout.quotes:
        parts.append(f"(?P<quoted>{_quoted(layout.quotes)})")
    parts += [f"(?P<open>{re.escape(layout.open)})", f"(?P<close>{re.escape(layout.close)})"]
    if layout.ends:
        parts.append(f"(?P<ends>{re.escape(layout.ends)})")
    if layout.signs:
        parts.append(f"(?P<sign>[{re.escape(layout.signs)}])")
    every = layout.open + layout.close + layout.ends + layout.signs
    parts.append(f"(?P<word>[^\\s{re.escape(every)}]+)")
    return "|".join(parts)


def _any(words: tuple[str, ...]) -> str:
    return "|".join(map(re.escape, words))


def _quoted(quotes: str) -> str:
    signs = [re.escape(sign) for sign in quotes]
    return "|".join(rf"{sign}[^{sign}\\]*(?:\\.[^{sign}\\]*)*{sign}" for sign in signs)


def _unquoted(text: str) -> str:
    inner = text[1:-1]
    return re.sub(r"\\(.)", r"\1", inner, flags=re.DOTALL) if "\\" in inner else inner
