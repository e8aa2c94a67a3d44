"""A line as a maker writes it, with holes: compiled once, matched against many lines, and filled in again.

Matching never tries a thing twice: one hole at most takes a number of words that is not fixed, a hole inside a word
ends where the text behind it first stands. So no line, however long, makes a pattern slow.
"""

import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import NamedTuple

from overhang.dialect.hole_types import LITERAL, MANY, HoleType, choice_type

_HOLE = re.compile(r"\{([^{}]*)\}")
_QUOTED_LITERAL = re.compile(r"""(['"])(.+)\1""")
_NAME = re.compile(r"[A-Za-z_][A-Za-z0-9_-]*")
_MOST_OPTIONS = 6
#: What a hole that nobody asks about is called; it may stand more than once.
UNNAMED = "_"


class BadPattern(ValueError):
    """A pattern that cannot be compiled; the message says why."""


class Hole(NamedTuple):
    """One hole. ``many``: one or more values, as a list."""

    name: str
    type: HoleType
    many: bool = False


Part = str | Hole


class Token(NamedTuple):
    """One word of a pattern: a literal, a hole, or literals and holes in turn within one word."""

    parts: tuple[Part, ...]

    @property
    def literal(self) -> str | None:
        """The word, where it has no holes."""
        return self.parts[0] if len(self.parts) == 1 and isinstance(self.parts[0], str) else None

    @property
    def hole(self) -> Hole | None:
        """The hole, where it is the whole word."""
        return self.parts[0] if len(self.parts) == 1 and isinstance(self.parts[0], Hole) else None

    @property
    def rank(self) -> int:
        """How exact it is; less is more."""
        if self.literal is not None:
            return LITERAL
        ranks = [part.type.rank for part in self.parts if isinstance(part, Hole)]
        if self.hole is not None and self.hole.many:
            return MANY
        return min(ranks) if len(self.parts) > 1 else ranks[0]


Values = dict[str, str]
Tail = Callable[[int], str]


class Mismatch(NamedTuple):
    """Why a pattern does not fit: how many words did, and what is wrong with the next."""

    at: int
    reason: str


_WRONG_SIZE = Mismatch(-1, "")
_WRONG_START = Mismatch(0, "")
_DIFFERS = "this differs from the same word before it"


class Pattern(NamedTuple):
    """One form of a line, without optional parts. ``open``: further words may follow, which others read."""

    text: str
    tokens: tuple[Token, ...]
    open: bool
    fold: bool
    #: the token that takes a number of words that is not fixed, -1 without one
    loose: int
    #: whether a hole takes the rest of the line as it is written
    raw: bool
    #: for each token the word that it is, or None for one with holes; and how many words it takes up at least
    literals: tuple[str | None, ...]
    simple: tuple[Hole | None, ...]
    sizes: tuple[int, ...]
    least: int

    @property
    def rank(self) -> tuple[int, ...]:
        """Sorts patterns, the most exact first."""
        return (*(token.rank for token in self.tokens), MANY if self.open else LITERAL)

    @property
    def first(self) -> str | None:
        """The literal word that it begins with."""
        return self.tokens[0].literal if self.tokens else None

    def names(self) -> Iterator[Hole]:
        """The holes with a name."""
        for token in self.tokens:
            for part in token.parts:
                if isinstance(part, Hole) and part.name != UNNAMED:
                    yield part

    def match(self, words: Sequence[str], tail: "Tail | None" = None) -> tuple[Values, int] | Mismatch:
        """The values of the holes, and how many words they took up; or why not.

        ``tail`` gives the line from a word on, for a hole that takes all the rest as it is written.
        """
        size, count, loose = len(words), self.least, self.loose
        if size < count or (size > count and not self.open and loose < 0):
            return _WRONG_SIZE
        values: Values = {}
        at = 0
        for index, literal in enumerate(self.literals):
            if literal is not None:
                word = words[at]
                if word != literal and not (self.fold and word.lower() == literal):
                    return Mismatch(at, "") if at else _WRONG_START
                at += 1
                continue
            simple = self.simple[index]
            if simple is not None:  # one hole that is one word, as nearly all are
                try:
                    value = simple.type.read(words[at])
                except ValueError as wrong:
                    return Mismatch(at, str(wrong))
                if values.setdefault(simple.name, value) != value:
                    return Mismatch(at, _DIFFERS)
                at += 1
                continue
            took = self.sizes[index] + (size - count if index == loose else 0)
            mistake = _take(self.tokens[index], words[at : at + took], values, _from(tail, at), self)
            if mistake is not None:
                return Mismatch(at, mistake)
            at += took
        return values, at

    def spread(self, count: int) -> Iterator[tuple[Token, int]]:
        """How many of so many words each token took, where the pattern fitted them."""
        more = count - self.least
        for index, token in enumerate(self.tokens):
            yield token, self.sizes[index] + (more if index == self.loose else 0)

    def fill(self, values: Mapping[str, str]) -> list[str] | None:
        """The words of a line, for the sheet's values; None where some value has no word of the maker."""
        words: list[str] = []
        for token in self.tokens:
            hole = token.hole
            if hole is not None and hole.many:
                written = [hole.type.write(value) for value in values.get(hole.name, "").split("\n")]
                if not written or None in written:
                    return None
                words += [each for each in written if each is not None]
                continue
            text = ""
            for part in token.parts:
                if isinstance(part, str):
                    text += part
                    continue
                found = part.type.write(values[part.name]) if part.name in values else None
                if found is None:
                    return None
                text += found
            words.append(text)
        return words


def _is_simple(hole: Hole | None) -> bool:
    """Whether a hole is one word with a name, and nothing more has to be thought of."""
    if hole is None or hole.many or hole.type.words != 1 or hole.name == UNNAMED:
        return False
    return hole.type.name != "sign"


def _from(tail: Tail | None, at: int) -> Callable[[], str] | None:
    return None if tail is None else lambda: tail(at)


def _size(token: Token) -> int:
    hole = token.hole
    return 1 if hole is None else max(hole.type.words, 1)


def _take(
    token: Token, words: Sequence[str], values: Values, rest: Callable[[], str] | None, pattern: Pattern
) -> str | None:
    """Fill in the holes of one token; what is wrong, or None."""
    hole = token.hole
    try:
        if hole is not None:
            if hole.many:
                values[hole.name] = "\n".join(hole.type.read(word) for word in words if len(word) > 1 or word.isalnum())
                if not values[hole.name]:
                    return "something is missing here"
                return None
            text = words[0] if len(words) == 1 else " ".join(words)
            if pattern.open and hole.type.name == "sign":
                text = text[:1]  # the text that it delimits may begin right behind it
            if rest is not None and not hole.type.words:
                text = rest()
            return _put(values, hole, hole.type.read(text))
        return _inside(token.parts, words[0], values, fold=pattern.fold)
    except ValueError as wrong:
        return str(wrong)


_DOES_NOT_FIT = "the word does not fit"
#: So many ways of splitting one word are tried.
_MOST_SPLITS = 2_000


def _put(values: Values, hole: Hole, text: str) -> str | None:
    if hole.name != UNNAMED:
        if values.get(hole.name, text) != text:
            return _DIFFERS
        values[hole.name] = text
    return None


def _inside(parts: tuple[Part, ...], word: str, values: Values, *, fold: bool) -> str | None:
    """Fill in the holes of one word; where one way of splitting it does not fit, the next one is tried."""
    plain = word.lower() if fold else word
    left = [_MOST_SPLITS]
    wrong = _split(parts, word, plain, (0, 0), values, left)
    return "the word can be split in too many ways" if wrong is not None and not left[0] else wrong


def _split(
    parts: tuple[Part, ...], word: str, plain: str, place: tuple[int, int], values: Values, left: list[int]
) -> str | None:
    """Fit the parts from number ``place[0]`` on to the word from ``place[1]`` on."""
    index, at = place
    if index == len(parts):
        return None if at == len(word) else _DOES_NOT_FIT
    part = parts[index]
    if isinstance(part, str):
        if not plain.startswith(part, at):
            return _DOES_NOT_FIT
        return _split(parts, word, plain, (index + 1, at + len(part)), values, left)
    first: str | None = None
    for end in _ends(parts, plain, index, at):
        if not left[0]:
            break
        left[0] -= 1
        tried = dict(values)
        try:
            wrong = _put(tried, part, part.type.read(word[at:end]))
        except ValueError as why:
            wrong = str(why)
        if wrong is None:
            wrong = _split(parts, word, plain, (index + 1, end), tried, left)
        if wrong is None:
            values.update(tried)
            return None
        first = first or wrong
    return first or _DOES_NOT_FIT


def _ends(parts: tuple[Part, ...], plain: str, index: int, at: int) -> Iterator[int]:
    """Where the hole number ``index``, which begins at ``at``, may end: before the text that follows it."""
    if index + 1 == len(parts):
        yield len(plain)
        return
    following = str(parts[index + 1])
    end = plain.find(following, at + 1)
    while end >= 0:
        yield end
        end = plain.find(following, end + 1)


_ALL_OPTIONAL = 'all of the line is in [ ], which means words that may be left out; a bracket itself is written {"["}'


class Notation(NamedTuple):
    """What compiling needs to know of a dialect: its types, how it splits words, whether case matters."""

    types: Mapping[str, HoleType]
    signs: str
    fold: bool


def compile_patterns(text: str, notation: Notation) -> list[Pattern]:
    """The forms of a line; each part in ``[ ]`` may be left out. Raises BadPattern."""
    pieces = _pieces(text)
    options = sum(piece == "[" for piece in pieces)
    if options > _MOST_OPTIONS:
        raise BadPattern(f"at most {_MOST_OPTIONS} optional parts; this has {options}")
    found = []
    for words in _spread(pieces):
        if not words:
            why = "the line is empty" if not pieces else _ALL_OPTIONAL
            raise BadPattern(why)
        found.append(_compile(text, words, notation))
    return found


def _pieces(text: str) -> list[str]:
    """The text cut at blanks and brackets, holes kept whole."""
    pieces: list[str] = []
    word = ""
    at = 0
    while at < len(text):
        hole = _HOLE.match(text, at)
        if hole is not None:
            word += hole.group()
            at = hole.end()
            continue
        sign = text[at]
        if sign in " \t[]":
            pieces += [word] if word else []
            pieces += [sign] if sign in "[]" else []
            word = ""
        elif sign in "{}":
            raise BadPattern('a hole is written {name} or {name:type}; a brace itself is written {"{"}')
        else:
            word += sign
        at += 1
    return pieces + ([word] if word else [])


def _spread(pieces: list[str]) -> Iterator[list[str]]:
    """Every choice of optional parts, the fullest first."""
    start = next((index for index, piece in enumerate(pieces) if piece == "["), None)
    if start is None:
        if "]" in pieces:
            raise BadPattern("a ] without its [")
        yield pieces
        return
    depth, end = 0, None
    for index in range(start, len(pieces)):
        depth += (pieces[index] == "[") - (pieces[index] == "]")
        if depth == 0:
            end = index
            break
    if end is None:
        raise BadPattern("a [ is never closed")
    for middle in (pieces[start + 1 : end], None):
        yield from _spread([*pieces[:start], *(middle or []), *pieces[end + 1 :]])


def _compile(text: str, words: list[str], notation: Notation) -> Pattern:
    opened = words[-1] == "..."
    if opened:
        words = words[:-1]
    tokens = [token for word in words for token in _tokens(word, notation)]
    if not tokens:
        raise BadPattern("the line is empty")
    loose = [
        index
        for index, token in enumerate(tokens)
        if token.hole is not None and (token.hole.many or not token.hole.type.words)
    ]
    if len(loose) > 1 or (loose and opened):
        raise BadPattern("only one hole may take many words; two would be ambiguous")
    for index in loose:
        hole = tokens[index].hole
        if hole is not None and not hole.many and index != len(tokens) - 1:
            raise BadPattern(f"{{{hole.name}:rest}} takes the rest of the line; nothing can follow it")
    seen: set[str] = set()
    for token in tokens:
        for part in token.parts:
            if isinstance(part, Hole) and part.many and part.name in seen:
                raise BadPattern(f"the hole {part.name} is used twice")
            seen |= {part.name} if isinstance(part, Hole) else set()
    sizes = tuple(_size(token) for token in tokens)
    raw = any(token.hole is not None and not token.hole.type.words for token in tokens)
    literals = tuple(token.literal for token in tokens)
    simple = tuple(token.hole if _is_simple(token.hole) else None for token in tokens)
    return Pattern(
        text, tuple(tokens), opened, notation.fold, loose[0] if loose else -1, raw, literals, simple, sizes, sum(sizes)
    )


def _tokens(word: str, notation: Notation) -> Iterator[Token]:
    parts: list[Part] = []
    at = 0
    for found in _HOLE.finditer(word):
        yield from _literals(parts, word[at : found.start()], notation)
        quoted = _QUOTED_LITERAL.fullmatch(found[1])
        if quoted:
            yield from _literals(parts, quoted[2], notation)
        else:
            if parts and isinstance(parts[-1], Hole):
                raise BadPattern(f"nothing separates {{{parts[-1].name}}} ends and {{{found[1]}}} begins")
            parts.append(_hole(found[1], notation))
        at = found.end()
    yield from _literals(parts, word[at:], notation)
    if parts:
        yield _finished(parts)


def _literals(parts: list[Part], text: str, notation: Notation) -> Iterator[Token]:
    """Add literal text to the word that is being made; signs that are words of their own end it."""
    text = text.lower() if notation.fold else text
    for piece in re.split(f"([{re.escape(notation.signs)}])", text) if notation.signs else [text]:
        if not piece:
            continue
        if piece in notation.signs:
            if parts:
                yield _finished(parts)
                parts.clear()
            yield Token((piece,))
        elif parts and isinstance(parts[-1], str):
            parts[-1] += piece
        else:
            parts.append(piece)


def _finished(parts: list[Part]) -> Token:
    if len(parts) > 1:
        for part in parts:
            if isinstance(part, Hole) and (part.many or part.type.words != 1):
                raise BadPattern(f"the hole {part.name} takes whole words, and cannot be part of one")
    return Token(tuple(parts))


def _hole(text: str, notation: Notation) -> Hole:
    name, colon, kind = text.partition(":")
    name, kind = name.strip(), kind.strip()
    many = kind.endswith("...") or (not colon and name.endswith("..."))
    name, kind = name.removesuffix("..."), kind.removesuffix("...")
    if not _NAME.fullmatch(name):
        raise BadPattern(f"{{{text}}} is not a hole; write {{name}} or {{name:type}}")
    if not kind:
        return Hole(name, notation.types["word"], many)
    if kind in notation.types:
        found = notation.types[kind]
    elif "|" in kind:
        words = [word.strip() for word in kind.split("|")]
        if not all(words):
            raise BadPattern(f"{{{text}}}: a word of the choice is empty")
        found = choice_type(words, fold=notation.fold)
    else:
        from overhang.text import did_you_mean

        near = did_you_mean(kind, notation.types)
        hint = f"did you mean {near}?" if near else "the dialect has no table or type of this name"
        raise BadPattern(f"{{{text}}}: unknown type; {hint}")
    if many and found.words != 1:
        raise BadPattern(f"{{{text}}}: only types of one word can repeat")
    return Hole(name, found, many)
