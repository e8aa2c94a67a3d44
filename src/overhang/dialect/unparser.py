"""Writes statements of the sheet language in a maker's words, where one translation means exactly that statement."""

import re
from collections.abc import Iterator, Mapping, Sequence
from fnmatch import fnmatchcase
from functools import lru_cache
from typing import NamedTuple

from overhang.dialect.layouts import laid_out
from overhang.dialect.model import BlockType, Dialect, Layout, Translation
from overhang.dialect.template import SECRET_AFTER, Template, may_begin, recognise
from overhang.dialect.tokenizer import Text
from overhang.language.ir import PlacedStatement
from overhang.language.parsed_config import Phrased
from overhang.language.parser import parse_program
from overhang.language.unparser import statement_words

#: What stands in a maker's line where somebody has to choose a secret.
TO_CHOOSE = "withheld"
_FORMS = ("hashed", "opaque", "readable", "masked-elsewhere")
#: Of a secret that the device sends on and has to know itself: shared secrets of servers, and communities.
_SENT = ("readable", "masked-elsewhere")


class MakerLine(NamedTuple):
    """One line of the maker inside its blocks, the outermost first."""

    path: tuple[str, ...]
    line: str


def phrase(dialect: Dialect, lines: Sequence[str]) -> Phrased:
    """The maker's lines for statements of a sheet; None where they cannot all be expressed one for one."""
    key = ("phrase", *lines)  # what mends a fault is the same on many devices
    found: Phrased | None = dialect.memory.get(key)
    if found is None:
        found = _phrased(dialect, lines)
        dialect.memory.keep(key, found)
    return found


def _phrased(dialect: Dialect, lines: Sequence[str]) -> Phrased:
    program = parse_program("\n".join(lines), "")
    found: list[MakerLine] = []
    if program.unread or program.texts:
        return Phrased(dialect.name, None)
    for index in range(len(program.statements)):
        written = _one(dialect, program.statements, index)
        if written is None:
            return Phrased(dialect.name, None)
        found += [each for each in written if each not in found]
    return Phrased(dialect.name, tuple(_laid_out(dialect.layout, found)))


def _one(dialect: Dialect, statements: Sequence[PlacedStatement], index: int) -> list[MakerLine] | None:
    """The line for one statement; none for a header under which something stands; None where there is none."""
    placed = statements[index]
    statement = placed.statement
    if statement.spec.opens:
        inside = [each for each in statements if each.owner == index]
        return [] if inside else _written(dialect, statement_words(statement), None, drop=statement.drop)
    header = statement_words(statements[placed.owner].statement)
    return _written(dialect, header, statement_words(statement), drop=statement.drop)


def _written(dialect: Dialect, head: list[str], inner: list[str] | None, *, drop: bool) -> list[MakerLine] | None:
    key = ("written", drop, inner is None, len(head), *head, *(inner or ()))
    found: tuple[list[MakerLine] | None] | None = dialect.memory.get(key)
    if found is None:
        found = (_search(dialect, head, inner, drop=drop),)
        dialect.memory.keep(key, found)
    return found[0]


def _search(dialect: Dialect, head: list[str], inner: list[str] | None, *, drop: bool) -> list[MakerLine] | None:
    if drop and not dialect.layout.take_back:
        return None
    targets = _targets_of(dialect, head[0], bare=inner is None, drop=drop)
    for form in _variants(inner, _SENT if head[:1] in (["servers"], ["snmp"]) else _FORMS):
        for target, template in targets:
            values = recognise(template, head, form, target.holes)
            if values is None:
                continue
            written = _line(dialect, target, values, drop=drop)
            if written is not None:
                return [written]
    return None


def _variants(inner: list[str] | None, forms: Sequence[str]) -> Iterator[list[str] | None]:
    """The statement, and with a secret that is to be chosen the forms that a maker may want it in."""
    if inner is not None and TO_CHOOSE in inner:
        at = inner.index(TO_CHOOSE)
        if at and inner[at - 1] in SECRET_AFTER:
            for form in forms:
                yield [*inner[:at], form, TO_CHOOSE, *inner[at + 1 :]]
    yield inner


def _targets_of(
    dialect: Dialect, first: str, *, bare: bool, drop: bool
) -> Sequence[tuple[Translation | BlockType, Template]]:
    """Those of the targets whose statement may begin with a word, and has a block's header alone, or not."""
    key = ("targets", first, bare, drop)
    found: Sequence[tuple[Translation | BlockType, Template]] | None = dialect.memory.get(key)
    if found is None:
        found = [
            (target, template)
            for target, template in _targets(dialect, drop=drop)
            if (template.inner is None) == bare and may_begin(template, first)
        ]
        dialect.memory.keep(key, found)
    return found


def _targets(dialect: Dialect, *, drop: bool) -> Iterator[tuple[Translation | BlockType, Template]]:
    """What says exactly one statement, whatever else the text says."""
    for each in dialect.translations:
        plain = not (
            each.conditional or each.meanings or each.parts or each.text or (drop and each.taken_back is not None)
        )
        if plain and len(each.templates) == 1:
            yield each, each.templates[0]
    for block in dialect.blocks.values():
        if len(block.templates) == 1 and not block.meanings:
            yield block, block.templates[0]


def _line(
    dialect: Dialect, target: Translation | BlockType, values: Mapping[str, str], *, drop: bool
) -> MakerLine | None:
    path: list[str] = []
    tables = [each.under for each in dialect.layout.tables]
    at = target.inside if isinstance(target, BlockType) else target.block
    while at:
        block = dialect.blocks[at]
        head = _filled(dialect, block, values)
        if head is None or any(
            fnmatchcase(head.lower() if dialect.layout.ignore_case else head, form) for form in tables
        ):
            return None  # a cell of a table has no line of its own
        path.insert(0, head)
        at = block.inside
    line = _filled(dialect, target, values)
    if line is None:
        return None
    if drop:
        line = f"{dialect.layout.take_back} {line}"
    return MakerLine(tuple(path), line)


def _filled(dialect: Dialect, target: Translation | BlockType, values: Mapping[str, str]) -> str | None:
    """The shortest form of a line that holds all the values, and means nothing else."""
    wanted = {name for template in target.templates for name in template.holes} & pattern_holes(target)
    for pattern in sorted(target.patterns, key=lambda each: len(each.tokens)):
        if pattern.open or wanted - {hole.name for hole in pattern.names()} or wanted - set(values):
            continue
        words = pattern.fill(values)
        if words is None:
            continue
        layout = dialect.layout
        line = " ".join(_quoted(layout, word) for word in words)
        if layout.label_ends:
            line = line.replace(f" {layout.label_ends}", layout.label_ends, 1)
        if pattern.tokens[0].literal is not None and all(map(_harmless(layout).fullmatch, words)):
            return line
        return line if _is_read(layout, words, line, heads=isinstance(target, BlockType)) else None
    return None


def pattern_holes(target: Translation | BlockType) -> set[str]:
    """The holes that some form of a line has."""
    return {hole.name for pattern in target.patterns for hole in pattern.names()}


@lru_cache(maxsize=8)
def _splitting(layout: Layout) -> Text:
    """What splits lines into words as a layout does."""
    return laid_out(layout, "")


@lru_cache(maxsize=8)
def _harmless(layout: Layout) -> re.Pattern[str]:
    """Words that are none but themselves wherever they stand behind a keyword."""
    marks = repr(tuple(layout))
    signs = "".join(sign for sign in "-_./:@" if sign not in marks)
    return re.compile(rf"[A-Za-z0-9{re.escape(signs)}]+")


def _is_read(layout: Layout, words: Sequence[str], line: str, *, heads: bool) -> bool:
    """Whether a line is read as these words: nothing in it is a comment, a sign, or goes on with another line."""
    lines = [line, *_nested(layout, [MakerLine((line,), "x")], 0)] if heads and layout.form != "flat" else [line]
    ends = layout.ends if layout.form == "braces" else ""
    lines[0] += ends
    nodes = list(laid_out(layout, "".join(f"{each}\n" for each in (f"x{ends}", *lines, f"x{ends}"))).nodes())
    found = [node.words for node in nodes if not node.dormant and node.line == node.last]
    return found == [["x"], words, *([words, ["x"]] if len(lines) > 1 else []), ["x"]]


def _quoted(layout: Layout, word: str) -> str:
    ends = layout.continued and word.endswith(layout.continued)
    if word and not ends and _splitting(layout).split(word) == [word]:
        return word
    sign = layout.quotes[:1] or '"'
    return sign + word.replace("\\", "\\\\").replace(sign, "\\" + sign) + sign


def _laid_out(layout: Layout, found: Sequence[MakerLine]) -> Iterator[str]:
    """The lines as the maker's layout has them, what stands in one block together."""
    if layout.form == "flat":
        for path, line in found:
            taken = layout.take_back and line.startswith(layout.take_back + " ")
            verb = layout.take_back if taken else layout.say
            body = line.removeprefix(layout.take_back + " ") if taken else line
            yield " ".join(filter(None, (verb, *path, body)))
        return
    yield from _nested(layout, found, 0)


def _nested(layout: Layout, found: Sequence[MakerLine], depth: int) -> Iterator[str]:
    indent = "" if layout.form == "sections" else "    " * depth
    ends = layout.ends if layout.form == "braces" else ""
    done: set[str] = set()
    for path, line in found:
        if len(path) == depth:
            yield f"{indent}{line}{ends}"
        elif path[depth] not in done:
            done.add(path[depth])
            inside = [each for each in found if len(each.path) > depth and each.path[depth] == path[depth]]
            if layout.form == "braces":
                yield f"{indent}{path[depth]} {layout.open}"
            elif layout.form == "sections":
                before, after = layout.headings[min(depth, len(layout.headings) - 1)]
                space = " " if before[-1:].isalnum() else ""
                yield f"{before}{space}{path[depth]}{after}"
            else:
                yield f"{indent}{path[depth]}"
            yield from _nested(layout, inside, depth + 1)
            if layout.form == "braces":
                yield f"{indent}{layout.close}"
