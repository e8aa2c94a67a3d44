"""From the text of a sheet to its statements: lines, indentation, words, and everything that can be wrong with them.

A mistake becomes a diagnostic and the parser goes on: the statement is then not understood, and neither is what stands
under it. Understood and not understood lines together are all lines that are neither empty nor comments.
"""

import re
from collections.abc import Callable, Iterable, Sequence
from typing import NamedTuple

from overhang.language.ir import PlacedStatement, Program, Statement
from overhang.language.lexer import BadWord, Word, split_words
from overhang.language.redact import Found, first_word
from overhang.language.schema import SCHEMA
from overhang.language.spec import CompiledSpec, Schema
from overhang.language.syntax import Captures, Furthest, match, secret_words
from overhang.text import Diagnostic, Level, Span, did_you_mean
from overhang.text.quoting import LONGEST_SHOWN, quoted, struck

_CACHE_LIMIT = 20_000
_MOST_SUGGESTIONS = 100


class ParsedLine(NamedTuple):
    """A line understood: its statement, and for a header what follows on the same line and whether it has its colon.

    ``found`` says what of it may be shown.
    """

    statement: Statement
    inner: Statement | None = None
    colon: bool = False
    found: Found = None


class Misread(Exception):
    """What is wrong with a line. The hint is worked out only when it is wanted: looking for near words takes time."""

    def __init__(self, message: str, column: int, end: int, hint: str | Callable[[], str] = "") -> None:
        super().__init__(message)
        self.column, self.end, self.hint = column, end, hint

    def told_hint(self) -> str:
        """The hint, worked out."""
        return self.hint() if callable(self.hint) else self.hint


def _near(word: str, known: Iterable[str], otherwise: str) -> Callable[[], str]:
    def hint() -> str:
        near = did_you_mean(word, known)
        return f"did you mean {near}?" if near else otherwise

    return hint


#: A line of plain words: its first one, without the colon of a header.
_FIRST = re.compile(r"(?=[!-~ \t]*\Z)(?![^\"]*\")([^# \t:][^ \t:]*):?(?=[ \t]|\Z)")


class LineParser:
    """Understands single lines under a schema; lines understood once are kept, since most stand in many sheets."""

    def __init__(self, schema: Schema) -> None:
        self.schema = schema
        #: what was understood, by block and text
        self.known: dict[tuple[str, str], ParsedLine] = {}
        self._anywhere = frozenset({"drop", *(word for block in schema.table for word in schema.keywords(block))})

    def parse(self, block: str, text: str) -> ParsedLine:
        """Understand one line, without its indentation, inside a kind of block. Raises Misread."""
        found = self.known.get((block, text))
        if found is None:
            found = self._parse(block, text)
            if len(self.known) >= _CACHE_LIMIT:
                self.known.clear()
            self.known[block, text] = found
        return found

    def statement(self, block: str, words: Sequence[Word], comment: int = 0, *, drop: bool = False) -> Statement:
        """The statement that words are inside a kind of block. Raises Misread."""
        rows = self.schema.starting(block, words[0].text) if words and not words[0].quoted else ()
        for row in rows:
            captures = match(row.alternatives, words)
            if captures is not None:
                return self._made(row, captures, words, drop=drop)
        if not rows:
            raise self._unknown(block, words[0] if words else Word("", 1, 1))
        miss = Furthest()
        for row in rows:
            match(row.alternatives, words, miss)
        if drop and miss.at >= len(words) and len(rows) == 1 and not rows[0].spec.opens:
            return Statement(rows[0].spec, {}, drop=True)
        raise _mismatch(rows, words, comment, miss)

    def _made(self, row: CompiledSpec, captures: Captures, words: Sequence[Word], *, drop: bool) -> Statement:
        try:
            return Statement(row.spec, captures, row.spec.codec.decode(captures), drop)
        except ValueError as wrong:
            raise Misread(str(wrong), words[min(1, len(words) - 1)].column, words[-1].end) from None

    def _parse(self, block: str, text: str) -> ParsedLine:
        first = _FIRST.match(text)
        if first is not None and first[1] not in self._anywhere and block != "banner":
            # most lines of a text that is no sheet begin with no keyword at all: they need not be split
            raise self._stranger(block, first[1], first.end())
        try:
            words, comment = split_words(text)
        except BadWord as bad:
            raise Misread(str(bad), bad.column, bad.end, "inside quotes, JSON's escapes apply") from None
        drop = words[0].text == "drop" and not words[0].quoted
        if drop:
            words = words[1:]
            if not words:
                raise Misread("drop needs a statement to take back", 1, 5)
        end = words[-1].end - 1
        header = self._header(block, words) if ":" in text else None
        if header is None:
            statement = self.statement(block, words, comment, drop=drop)
            return ParsedLine(statement, found=(self._secrets(statement, words), end))
        head, found, rest = header.words, header.found, words[header.end :]
        if found is None:
            outer = self.statement(block, head, comment, drop=drop and not rest)
        else:
            outer = self._made(*found, head, drop=drop and not rest)
        if not rest:
            return ParsedLine(outer, colon=True, found=(self._secrets(outer, head), end))
        if outer.spec.opens == "banner":
            raise Misread("write the lines of a banner below it", rest[0].column, rest[-1].end)
        inner = self.statement(outer.spec.opens, rest, comment, drop=drop)
        secrets = self._secrets(outer, head) + self._secrets(inner, rest)
        return ParsedLine(outer, inner, colon=True, found=(secrets, end))

    def _secrets(self, statement: Statement, words: Sequence[Word]) -> tuple[tuple[int, int], ...]:
        """The places of stored passwords among the words of a statement."""
        spec = statement.spec
        if not spec.secret:
            return ()
        row = self.schema.by_field[spec.block, spec.opens or spec.field]
        return tuple((word.column - 1, word.end - 1) for word in secret_words(row.alternatives, words))

    def _header(self, block: str, words: list[Word]) -> "_Header | None":
        """The header of a block that a line begins with; None where there is none."""
        rows = self.schema.starting(block, words[0].text.removesuffix(":"))
        if not any(row.spec.opens for row in rows):
            return None
        first: _Header | None = None
        for index, word in enumerate(words):
            if word.colon or (not word.quoted and word.text.endswith(":")):
                head = [each for each in (*words[:index], _without_colon(word)) if each.text or each.quoted]
                for row in rows:
                    captures = match(row.alternatives, head)
                    if captures is not None:
                        return _Header(index + 1, head, (row, captures))
                first = first or _Header(index + 1, head)
        return first

    def _unknown(self, block: str, word: Word) -> Misread:
        text = word.text.removesuffix(":")
        if block == "banner":
            return Misread("a line of a banner starts with |", word.column, word.end)
        schema = self.schema
        homes = [name for name in schema.table if schema.starting(name, text)]
        if homes:
            where = " or ".join(schema.title(home) for home in homes[:3])
            message = f"this statement does not belong in {schema.title(block)}"
            return Misread(message, word.column, word.end, f"it belongs in {where}")
        unknown = self._stranger(block, text, word.end - 1)
        unknown.column = word.column
        return unknown

    def _stranger(self, block: str, text: str, end: int) -> Misread:
        """What is wrong with a first word that begins no statement anywhere; it ends before column ``end`` + 1."""
        known = self.schema.keywords(block)
        listed = f"known here: {', '.join(known)}" if len(known) <= 12 else "docs/sheet.md lists what is known here"
        return Misread("unknown statement", 1, end + 1, _near(text, known, listed))


def _without_colon(word: Word) -> Word:
    if word.colon:
        return word._replace(colon=False, end=word.end - 1)
    return word._replace(text=word.text.removesuffix(":"), end=word.end - 1)


def _mismatch(rows: Sequence[CompiledSpec], words: Sequence[Word], comment: int, miss: Furthest) -> Misread:
    forms = "write it as " + " or ".join(f"`{row.spec.shown}`" for row in rows)
    expected = [word for word in miss.expected if word]
    literals = [word for word in expected if word.islower()]
    if miss.at >= len(words):
        if comment:
            forms = "a # at the start of a word begins a comment; put the word in quotes"
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


class _Header(NamedTuple):
    """The header of a block: how many words it takes up, colon included, and those without it; the row that it fits,
    with what was found, where there is one."""

    end: int
    words: list[Word]
    found: tuple[CompiledSpec, Captures] | None = None


class _OpenBlock(NamedTuple):
    """A block that is open: how far its statements are indented (-1: not known yet), its kind, its header's index."""

    indent: int
    kind: str
    header: int


class _Parser:
    def __init__(self, file: str, lines: LineParser) -> None:
        self.file = file
        self.lines = lines
        self.read: dict[int, Found] = {}
        self.program = Program.empty()._replace(read=self.read)
        self.understood = 0
        self.stack = [_OpenBlock(0, "", -1)]
        self.skip_below: int | None = None
        self.profile_unread: int | None = None

    def parse(self, text: str) -> Program:
        known, statements, read, stack = self.lines.known, self.program.statements, self.read, self.stack
        for number, raw in enumerate(text.split("\n"), 1):
            line = raw.rstrip(" \t\r")
            body = line.lstrip(" ")
            if not body or body[0] == "#":
                continue
            if self.skip_below is None and body[0] != "\t":
                indent = len(line) - len(body)
                if stack[-1].indent != indent and not self.settle(number, line, indent):
                    continue
                top = stack[-1]
                parsed = known.get((top.kind, body)) if top.kind != "banner" else None
                if parsed is not None:  # most lines of most sheets
                    if parsed.statement.spec.opens:
                        self.accept(number, line, body, parsed)
                        continue
                    statements.append(PlacedStatement(number, top.header, parsed.statement))
                    read[number] = parsed.found
                    self.understood += 1
                    continue
            self.line(number, line, body)
        return self.program._replace(understood=self.understood, profile_unread=self.profile_unread)

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
            self.program.texts.append((top.header, number, body[2:] if body[1:2] == " " else body[1:]))
            self.read[number] = None
            self.understood += 1
            return
        try:
            parsed = self.lines.parse(top.kind, body)
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
        hint = "no block is open here; a statement that begins a block ends in a colon"
        if self.stack[-1].indent or self.stack[-1].header != -1:
            hint = "statements of one block have the same indentation"
        self.wrong(number, line, Misread("unexpected indentation", 1, indent + 1, hint))
        return False

    def accept(self, number: int, line: str, body: str, parsed: ParsedLine) -> None:
        statement, inner = parsed.statement, parsed.inner
        drops_inside = inner is not None and inner.drop
        self.program.statements.append(PlacedStatement(number, self.stack[-1].header, statement, drops_inside))
        self.read[number] = parsed.found
        self.understood += 1
        if not statement.spec.opens or statement.drop:
            return
        index = len(self.program.statements) - 1
        if inner is not None:
            self.program.statements.append(PlacedStatement(number, index, inner))
            return
        if not parsed.colon:
            indent = len(line) - len(body)
            end = indent + (parsed.found[1] if parsed.found is not None else len(body)) + 1
            missing = Misread("a statement that begins a block ends in a colon", indent + 1, end, "add : at the end")
            self.wrong(number, line, missing)
            self.understood -= 1
            self.program.doubts.setdefault(index, number)
        self.stack.append(_OpenBlock(-1, statement.spec.opens, index))

    def unread(self, number: int) -> None:
        self.program.unread.append(number)
        self.read.pop(number, None)
        header = self.stack[-1].header
        if header != -1:
            self.program.doubts.setdefault(header, number)

    def wrong(self, number: int, line: str, wrong: Misread) -> None:
        self.unread(number)
        if self.stack[-1].kind == "device" and self.profile_unread is None:
            known = self.lines.schema.keywords("device")
            if did_you_mean((line.split() or [""])[0], known) == "profile":
                self.profile_unread = number
        span = Span(self.file, number, wrong.column, max(wrong.column + 1, wrong.end))
        hint = wrong.told_hint() if len(self.program.diagnostics) < _MOST_SUGGESTIONS else ""
        vouched = first_word(line)
        text = quoted(line, vouched) if vouched.spans or len(line) > LONGEST_SHOWN else struck(line)
        self.program.diagnostics.append(Diagnostic(Level.ERROR, span, str(wrong), text, hint))


#: The parser of the language as it is; another schema needs another one.
LINES = LineParser(SCHEMA)


def parse_program(text: str, file: str, lines: LineParser = LINES) -> Program:
    """Parse the statements of ``text``; ``file`` is its name as the user gave it."""
    return _Parser(file, lines).parse(text)
