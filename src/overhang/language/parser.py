"""From the text of a sheet to its statements: lines, indentation, words, and everything that can be wrong with them.

A mistake becomes a diagnostic and the reading goes on: the statement is then not understood, and neither is what stands
under it. Understood and not understood lines together are all lines that are neither empty nor comments.
"""

from collections.abc import Callable, Iterable
from typing import NamedTuple

from overhang.language.lexer import BadWord, Struck, Word, split_words, strike
from overhang.language.quick import quick_match
from overhang.language.schema import TABLE, Row, Statement, block_name, rows_for
from overhang.language.syntax import Furthest, Values
from overhang.text import Diagnostic, Level, Span, did_you_mean

_CACHE_LIMIT = 20_000
_MOST_SUGGESTIONS = 100
#: Beyond this a source line is not kept in a diagnostic whole.
_LONGEST_SHOWN = 2_000


class Parsed(NamedTuple):
    """A line understood: its statement and values, what follows a header on the same line, and whether it takes back.

    ``colon`` tells whether a header had its colon.
    """

    statement: Statement
    values: Values
    inner: "Parsed | None" = None
    drop: bool = False
    colon: bool = False


class Stated(NamedTuple):
    """A statement in its place. ``owner`` is the index of the header that it stands under, or -1."""

    line: int
    owner: int
    parsed: Parsed


class Reading(NamedTuple):
    """What reading a text gave.

    ``statements`` come in the order of the text; ``texts`` holds the banner lines as (owner, line number, text),
    ``doubts`` the first unread line under each header. ``unread`` are the numbers of the lines that were not
    understood, ``understood`` counts the others. ``profile_unread`` is the line of a profile statement that is one of
    them.
    """

    statements: list[Stated]
    texts: list[tuple[int, int, str]]
    doubts: dict[int, int]
    diagnostics: list[Diagnostic]
    unread: list[int]
    understood: int
    profile_unread: int | None = None


class Misread(Exception):
    """What is wrong with a line. The hint is worked out only when it is wanted: looking for near words takes time."""

    def __init__(self, message: str, column: int, end: int, hint: str | Callable[[], str] = "") -> None:
        super().__init__(message)
        self.column, self.end, self.hint = column, end, hint


def _near(word: str, known: Iterable[str], otherwise: str) -> Callable[[], str]:
    def hint() -> str:
        near = did_you_mean(word, known)
        return f"did you mean {near}?" if near else otherwise

    return hint


#: Lines already understood, by block and text: most lines of a network stand in many of its sheets.
_cache: dict[tuple[str, str], Parsed] = {}


def parse_line(block: str, text: str) -> Parsed:
    """Understand one statement, without its indentation, inside a kind of block. Raises Misread."""
    found = _cache.get((block, text))
    if found is None:
        found = _quick(block, text) or _parse(block, text)
        if len(_cache) >= _CACHE_LIMIT:
            _cache.clear()
        _cache[block, text] = found
    return found


def _quick(block: str, text: str) -> Parsed | None:
    if '"' in text or "#" in text:
        return None
    colon = text.endswith(":")
    if ":" in (text[:-1] if colon else text) and (": " in text or ":\t" in text):
        return None  # something may follow a header on this line
    words = (text[:-1] if colon else text).split()
    found = quick_match(block, words) if words else None
    if found is None or colon != bool(found[0].opens):
        return None
    try:
        found[0].make(found[1])
    except ValueError:
        return None
    return Parsed(found[0], found[1], colon=colon)


def _parse(block: str, text: str) -> Parsed:
    try:
        words, comment = split_words(text)
    except BadWord as bad:
        raise Misread(str(bad), bad.column, bad.end, "inside quotes JSON's escapes hold") from None
    drop = words[0].text == "drop" and not words[0].quoted
    if drop:
        words = words[1:]
        if not words:
            raise Misread("drop needs the statement that it takes back", 1, 5)
    header_end = _header_end(block, words)
    if header_end is None:
        return _match(block, words, comment, drop=drop)
    head = [*words[: header_end - 1], _without_colon(words[header_end - 1])]
    rest = words[header_end:]
    outer = _match(block, [word for word in head if word.text or word.quoted], comment, drop=drop and not rest)
    outer = outer._replace(colon=True)
    if not rest:
        return outer
    if outer.statement.opens == "banner":
        raise Misread("the lines of a banner stand under it", rest[0].column, rest[-1].end)
    inner = _match(outer.statement.opens, rest, comment, drop=drop)
    return outer._replace(inner=inner)


def _header_end(block: str, words: list[Word]) -> int | None:
    """How many words the header of a block takes up, colon included; None where the line is no header."""
    rows = rows_for(block, words[0].text.removesuffix(":"))
    if not any(row.statement.opens for row in rows):
        return None
    ends = 0
    for index, word in enumerate(words):
        if word.colon or (not word.quoted and word.text.endswith(":")):
            ends = ends or index + 1
            head = [*words[:index], _without_colon(word)]
            head = [each for each in head if each.text or each.quoted]
            if any(_full(row, head, Furthest()) is not None for row in rows):
                return index + 1
    return ends or None


def _without_colon(word: Word) -> Word:
    return (
        word._replace(colon=False, end=word.end - 1)
        if word.colon
        else word._replace(text=word.text.removesuffix(":"), end=word.end - 1)
    )


def _full(row: Row, words: list[Word], miss: Furthest) -> Values | None:
    for end, values in row.matcher.match(words, 0, miss):
        if end == len(words):
            found: Values = values
            return found
        miss.miss(end, "")
    return None


def _match(block: str, words: list[Word], comment: int, *, drop: bool) -> Parsed:
    rows = rows_for(block, words[0].text) if not words[0].quoted else []
    if not rows:
        raise _unknown(block, words[0])
    miss = Furthest()
    for row in rows:
        values = _full(row, words, miss)
        if values is not None:
            try:
                row.statement.make(values)
            except ValueError as wrong:
                raise Misread(str(wrong), words[1].column, words[-1].end) from None
            return Parsed(row.statement, values, drop=drop)
    if drop and miss.at >= len(words) and len(rows) == 1:
        return Parsed(rows[0].statement, (), drop=True)
    raise _mismatch(rows, words, comment, miss)


def _unknown(block: str, word: Word) -> Misread:
    text = word.text.removesuffix(":")
    if block == "banner":
        return Misread("a line of a banner starts with |", word.column, word.end)
    known = sorted(set().union(*(row.words for row in TABLE[block])))
    homes = [name for name in TABLE if any(text in row.words for row in TABLE[name])]
    if homes:
        where = " or ".join(block_name(home) for home in homes[:3])
        message = f"this statement does not belong in {block_name(block)}"
        return Misread(message, word.column, word.end, f"it belongs in {where}")
    listed = f"known here: {', '.join(known)}" if len(known) <= 12 else "docs/sheet.md lists what is known here"
    return Misread("unknown statement", word.column, word.end, _near(text, known, listed))


def _mismatch(rows: list[Row], words: list[Word], comment: int, miss: Furthest) -> Misread:
    forms = "it is written " + " or ".join(f"`{row.statement.syntax}`" for row in rows)
    expected = [word for word in miss.expected if word]
    literals = [word for word in expected if word.islower()]
    if miss.at >= len(words):
        if comment:
            forms = "a # where a word could start begins a comment; put the word in quotes"
        message = f"{expected[0] if len(expected) == 1 else 'something'} is missing after this"
        return Misread(message, words[-1].column, words[-1].end, forms)
    word = words[miss.at]
    if miss.reason and not literals:
        return Misread(miss.reason, word.column, word.end)
    if not expected:
        return Misread("the statement should have ended before this", word.column, word.end, forms)
    message = miss.reason or (f"expected {_listed(literals)}" if literals else "this word does not fit here")
    return Misread(message, word.column, word.end, _near(word.text, literals, forms))


def _listed(words: list[str]) -> str:
    return words[0] if len(words) == 1 else f"{', '.join(words[:-1])} or {words[-1]}"


class _Open(NamedTuple):
    """A block that is open: how far its statements are indented (-1: not known yet), its kind, its header's index."""

    indent: int
    kind: str
    header: int
    line: int


class _Reader:
    def __init__(self, file: str) -> None:
        self.file = file
        self.result = Reading([], [], {}, [], [], 0)
        self.understood = 0
        self.stack = [_Open(0, "", -1, 0)]
        self.skip_below: int | None = None
        self.profile_unread: int | None = None

    def read(self, text: str) -> Reading:
        for number, raw in enumerate(text.split("\n"), 1):
            line = raw.rstrip(" \t\r")
            body = line.lstrip(" ")
            if not body or body[0] == "#":
                continue
            self.line(number, line, body)
        return self.result._replace(understood=self.understood, profile_unread=self.profile_unread)

    def line(self, number: int, line: str, body: str) -> None:
        indent = len(line) - len(body)
        if body[0] == "\t":
            if body.lstrip(" \t")[:1] not in ("", "#"):
                self.wrong(number, line, Misread("a tab in the indentation", indent + 1, indent + 2, "use blanks"))
            return
        if self.skip_below is not None:
            if indent > self.skip_below:
                self.unread(number)
                return
            self.skip_below = None
        if not self.settle(number, line, indent):
            return
        top = self.stack[-1]
        if top.kind == "banner" and body[0] == "|":
            self.result.texts.append((top.header, number, body[2:] if body[1:2] == " " else body[1:]))
            self.understood += 1
            return
        try:
            parsed = parse_line(top.kind, body)
        except Misread as wrong:
            if wrong.column:
                wrong.column, wrong.end = wrong.column + indent, wrong.end + indent
            self.wrong(number, line, wrong)
            self.skip_below = indent
            return
        self.accept(number, line, body, parsed)

    def settle(self, number: int, line: str, indent: int) -> bool:
        """Close and open blocks until the top of the stack is the block that ``indent`` points at."""
        top = self.stack[-1]
        if top.indent == -1:
            outer = self.stack[-2].indent
            if indent > outer:
                self.stack[-1] = top._replace(indent=indent)
                return True
            self.stack.pop()
        while self.stack[-1].indent > indent:
            self.stack.pop()
        if self.stack[-1].indent == indent:
            return True
        hint = "no block is open here; a statement that has a block ends in a colon"
        if self.stack[-1].indent or self.stack[-1].header != -1:
            hint = "statements of one block stand at the same depth"
        self.wrong(number, line, Misread("unexpected indentation", 1, indent + 1, hint))
        return False

    def accept(self, number: int, line: str, body: str, parsed: Parsed) -> None:
        owner = self.stack[-1].header
        self.result.statements.append(Stated(number, owner, parsed))
        self.understood += 1
        if not parsed.statement.opens or parsed.drop:
            return
        index = len(self.result.statements) - 1
        if parsed.inner is not None:
            self.result.statements.append(Stated(number, index, parsed.inner))
            return
        if not parsed.colon:
            indent, end = len(line) - len(body), len(strike(line).text) + 1
            self.wrong(
                number,
                line,
                Misread("a statement that has a block ends in a colon", indent + 1, end, "add : at the end"),
            )
            self.understood -= 1
            self.result.doubts.setdefault(index, number)
        self.stack.append(_Open(-1, parsed.statement.opens, index, number))

    def unread(self, number: int) -> None:
        self.result.unread.append(number)
        header = self.stack[-1].header
        if header != -1:
            self.result.doubts.setdefault(header, number)

    def wrong(self, number: int, line: str, wrong: Misread) -> None:
        self.unread(number)
        if self.stack[-1].kind == "device" and self.profile_unread is None:
            known = set().union(*(row.words for row in TABLE["device"]))
            if did_you_mean(line.split()[0], sorted(known)) == "profile":
                self.profile_unread = number
        struck: Struck = strike(line, understood=False)
        column = struck.column(wrong.column)
        span = Span(self.file, number, column, max(column + 1, struck.column(wrong.end)))
        hint = wrong.hint
        if callable(hint):
            hint = hint() if len(self.result.diagnostics) < _MOST_SUGGESTIONS else ""
        text = struck.text[:_LONGEST_SHOWN]
        self.result.diagnostics.append(Diagnostic(Level.ERROR, span, str(wrong), text, hint))


def read_statements(text: str, file: str) -> Reading:
    """Read the statements of ``text``; ``file`` is its name as the user gave it."""
    return _Reader(file).read(text)
