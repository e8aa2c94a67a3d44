"""What a translation means: statements of a sheet with holes, filled in; and the reverse, matched."""

import re
from collections.abc import Iterator, Mapping, Sequence
from functools import lru_cache
from typing import NamedTuple

from overhang.dialect.hole_types import UNITS, HoleType
from overhang.dialect.pattern import Hole
from overhang.language.collector import statement_of
from overhang.language.ir import Statement
from overhang.language.lexer import BadWord, quote_word, split_words
from overhang.language.parser import Misread
from overhang.language.schema import SCHEMA
from overhang.model.durations import sum_of_units

_HOLE = re.compile(r"\{([A-Za-z_][A-Za-z0-9_-]*)(\.\.\.)?\}")
#: After these words comes a password form, and then a text that is not to be shown.
SECRET_AFTER = SCHEMA.before_secrets


Values = dict[str, str] | None


class BadTemplate(ValueError):
    """A meaning that cannot be used; the message says why."""


class Piece(NamedTuple):
    """One word of a statement: literal texts and names of holes in turn. ``spread``: all values of a list, as words.

    ``fixed`` is the word as a statement has it, where it has no holes.
    """

    parts: tuple[tuple[bool, str], ...]
    spread: bool = False
    fixed: str | None = None

    @property
    def holes(self) -> tuple[str, ...]:
        """The names of its holes."""
        return tuple(text for hole, text in self.parts if hole)


class Template(NamedTuple):
    """One statement: the head of its block, what is said in the block, or a line of text in it.

    ``each`` is a list of which every value says the statement once; ``secret`` are the holes of stored
    passwords, ``naming`` those of the head. ``drop``: it is taken back.
    """

    head: tuple[Piece, ...]
    inner: tuple[Piece, ...] | None
    text: str | None
    holes: tuple[str, ...]
    each: str | None
    secret: frozenset[str]
    naming: tuple[str, ...]
    drop: bool = False


class FilledTemplate(NamedTuple):
    """A statement filled in: the words of its header, and the words of the statement, or the text, in the block."""

    head: list[str]
    inner: list[str] | None
    text: str | None


def compile_templates(text: str, holes: Mapping[str, Hole]) -> list[Template]:
    """The statements of a meaning, for a line with these holes. Raises BadMeaning."""
    found: list[Template] = []
    head = ""
    for line in text.splitlines():
        if not line.strip():
            continue
        body = line.strip()
        if line[0] in " \t" and head:
            found.append(_meaning(head, body, holes))
            continue
        opening = _opening(body)
        if opening is None:
            raise BadTemplate("a statement needs its block: write it as `ssh: port 22`, or under a line with a colon")
        head, inner = opening
        if inner:
            found.append(_meaning(head, inner, holes))
        else:
            found.append(_meaning(head, None, holes))
    bare = [each for each in found if each.inner is None and each.text is None]
    for each in bare:  # a head of which something is said below needs no saying by itself
        if any(other is not each and other.head == each.head for other in found):
            found.remove(each)
    return found


def _opening(body: str) -> tuple[str, str] | None:
    if ": " in body:
        head, _, inner = body.partition(": ")
        return head, inner.strip()
    if body.endswith(":"):
        return body[:-1], ""
    return (body, "") if body.startswith("drop ") else None


def _meaning(head: str, inner: str | None, holes: Mapping[str, Hole]) -> Template:
    text = None
    pieces: tuple[Piece, ...] | None = None
    bare, drop = _dropped(head, inner)
    if drop:
        head, inner = bare
    if inner is not None and inner.startswith("|"):
        text = inner[1:].removeprefix(" ")
    elif inner is not None:
        pieces = _pieces(inner, holes)
    heads = _pieces(head, holes)
    naming = tuple(name for piece in heads for name in piece.holes)
    names = {name for piece in (*heads, *(pieces or ())) for name in piece.holes}
    names |= {found[1] for found in _HOLE.finditer(text or "")}
    for name in sorted(names - set(holes)):
        raise BadTemplate(f"the hole {{{name}}} is neither in the line nor in the blocks around it")
    each = [
        name for piece in (*heads, *(pieces or ())) for name in piece.holes if holes[name].many and not piece.spread
    ]
    if len(set(each)) > 1:
        raise BadTemplate("a statement can repeat over one list, and here are two")
    return Template(
        heads, pieces, text, tuple(sorted(names)), each[0] if each else None, _secret(pieces or (), holes), naming, drop
    )


def _dropped(head: str, inner: str | None) -> tuple[tuple[str, str | None], bool]:
    """A statement without the word that takes it back, and whether it has it."""
    if inner is not None:
        if head.startswith("drop "):
            raise BadTemplate(f"write drop before the statement: `{head.removeprefix('drop ')}: drop {inner}`")
        return (head, inner.removeprefix("drop ")), inner.startswith("drop ")
    return (head.removeprefix("drop "), None), head.startswith("drop ")


def _secret(pieces: Sequence[Piece], holes: Mapping[str, Hole]) -> frozenset[str]:
    found: set[str] = set()
    for index, piece in enumerate(pieces):
        if piece.fixed in SECRET_AFTER:
            for later in pieces[index + 1 : index + 3]:
                found.update(name for name in later.holes if not holes[name].type.verbatim)
    return frozenset(found)


def _pieces(text: str, holes: Mapping[str, Hole]) -> tuple[Piece, ...]:
    try:
        words, comment = split_words(text)
    except BadWord as bad:
        raise BadTemplate(str(bad)) from None
    if comment:
        raise BadTemplate("a comment is not allowed here")
    pieces = []
    for each in words:
        parts: list[tuple[bool, str]] = []
        at, spread = 0, False
        for found in _HOLE.finditer(each.text):
            parts += [(False, each.text[at : found.start()])] if found.start() > at else []
            parts.append((True, found[1]))
            spread = spread or found[2] is not None
            at = found.end()
        parts += [(False, each.text[at:])] if at < len(each.text) or not parts else []
        if spread and len(parts) > 1:
            raise BadTemplate("a list must be a whole word")
        fixed = each.text if len(parts) == 1 and not parts[0][0] else None
        pieces.append(Piece(tuple(parts), spread, fixed))
    del holes
    return tuple(pieces)


def fill(template: Template, values: Mapping[str, str], types: Mapping[str, Hole]) -> Iterator[FilledTemplate]:
    """The statements of a meaning; none where a hole was left out of the line."""
    if not all(name in values for name in template.holes):
        return
    if template.each is not None:
        for value in values[template.each].split("\n"):
            yield _filled(template, {**values, template.each: value}, types)
        return
    yield _filled(template, values, types)


def _filled(template: Template, values: Mapping[str, str], types: Mapping[str, Hole]) -> FilledTemplate:
    head = _words(template.head, values, types)
    inner = None if template.inner is None else _words(template.inner, values, types)
    text = None if template.text is None else _HOLE.sub(lambda found: values[found[1]], template.text)
    return FilledTemplate(head, inner, text)


def _words(pieces: Sequence[Piece], values: Mapping[str, str], types: Mapping[str, Hole]) -> list[str]:
    """The words of a statement, without quotes."""
    words: list[str] = []
    for piece in pieces:
        if piece.fixed is not None:
            words.append(piece.fixed)
        elif piece.spread:
            name = piece.parts[0][1]
            for each in values[name].split("\n"):
                words += each.split() if types[name].type.verbatim else [each]
        elif len(piece.parts) == 1:
            name = piece.parts[0][1]
            value = values[name]
            words += value.split() if types[name].type.verbatim and " " in value else [value]
        else:
            words.append("".join([values[text] if hole else text for hole, text in piece.parts]))
    return words


def parse_filled(filled: FilledTemplate, *, drop: bool = False) -> tuple[Statement, Statement | None]:
    """The header and the statement in its block, which ``drop`` takes back. Raises Misread."""
    head = statement_of("", filled.head)
    if filled.text is not None:
        if head.spec.opens != "banner":
            raise Misread("only a banner holds lines of text", 1, 1)
        return head, None
    return head, None if filled.inner is None else statement_of(head.spec.opens, filled.inner, drop=drop)


def spelt(words: list[str]) -> str:
    """Words as a sheet writes them, in quotes where they need them."""
    return " ".join([quote_word(each) for each in words])


# -- the other way about -----------------------------------------------------------------------------------------------


def recognise(
    template: Template, head: Sequence[str], inner: Sequence[str] | None, holes: Mapping[str, Hole]
) -> Values:
    """The values with which a meaning is just this statement; None where it never is."""
    if (
        template.drop
        or template.text is not None
        or template.each is not None
        or (template.inner is None) != (inner is None)
    ):
        return None
    values: dict[str, str] = {}
    if not _fits(template.head, list(head), holes, values):
        return None
    if inner is not None and not _fits(template.inner or (), list(inner), holes, values):
        return None
    return values


def may_begin(template: Template, word: str) -> bool:
    """Whether the head of a statement may begin with a word."""
    first = template.head[0]
    return bool(first.holes) or _is_literal(first, word)


def _is_literal(piece: Piece, text: str) -> bool:
    """Whether a word is a piece without holes; a number may stand for a range of one."""
    literal = "".join([part for _, part in piece.parts])
    return text == literal or (text.isdigit() and literal == f"{text}-{text}")


@lru_cache(maxsize=4096)
def _form_of(parts: tuple[tuple[bool, str], ...]) -> re.Pattern[str]:
    """What a word with holes looks like."""
    return re.compile("".join("(.+?)" if hole else re.escape(each) for hole, each in parts))


def _fits(pieces: Sequence[Piece], words: list[str], holes: Mapping[str, Hole], values: dict[str, str]) -> bool:
    at = 0
    for index, piece in enumerate(pieces):
        left = len(pieces) - index - 1
        if piece.spread:
            taken = words[at : len(words) - left]
            if not taken or not _bind(values, piece.parts[0][1], "\n".join(taken)):
                return False
            at += len(taken)
            continue
        if at >= len(words):
            return False
        kind = holes[piece.parts[0][1]].type if len(piece.parts) == 1 and piece.parts[0][0] else None
        if kind is not None and kind.verbatim:
            taken = _verbatim(kind, words[at:])
            if not taken or not _bind(values, piece.parts[0][1], " ".join(taken)):
                return False
            at += len(taken)
            continue
        if not _word_fits(piece, words[at], holes, values):
            return False
        at += 1
    return at == len(words)


def _verbatim(kind: HoleType, words: list[str]) -> list[str]:
    """As many of the words as one value of a table is, the longest."""
    options = sorted({kind.read(sample) for sample in kind.samples}, key=len, reverse=True)
    for option in options:
        size = len(option.split())
        if words[:size] == option.split():
            return words[:size]
    return []


def _word_fits(piece: Piece, text: str, holes: Mapping[str, Hole], values: dict[str, str]) -> bool:
    names = piece.holes
    if not names:
        return _is_literal(piece, text)
    units = [holes[name].type.name for name in names]
    if len(units) > 1 and len(units) == len(piece.parts) and all(unit in UNITS for unit in units):
        return _units_fit(piece, text, units, values)
    pattern = _form_of(piece.parts)
    found = pattern.fullmatch(text) or (pattern.fullmatch(f"{text}-{text}") if text.isdigit() else None)
    if found is None:
        return False
    return all(_bind(values, name, value) for name, value in zip(names, found.groups(), strict=True))


def _units_fit(piece: Piece, text: str, units: Sequence[str], values: dict[str, str]) -> bool:
    """A duration of several units: each takes what the greater ones leave."""
    left = sum_of_units(text)
    if not left:
        return False
    for name, unit in zip(piece.holes, units, strict=True):
        letter, size = UNITS[unit]
        if not _bind(values, name, f"{left // size}{letter}"):
            return False
        left %= size
    return left == 0


def _bind(values: dict[str, str], name: str, value: str) -> bool:
    return values.setdefault(name, value) == value
