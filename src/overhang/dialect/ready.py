"""Statements made ready to be said: filled in, parsed, with secrets blanked, opened or struck out as is right."""

from collections.abc import Callable, Mapping, Sequence
from typing import NamedTuple

from overhang.dialect.matching import Option, Values
from overhang.dialect.means import SECRET_AFTER, Filled, Meaning, Piece, fill, parse_filled, spelt
from overhang.dialect.model import Dialect, Translation
from overhang.dialect.pattern import Hole
from overhang.secrets import Form, mask
from overhang.sheet.lexer import strike
from overhang.sheet.reader import Parsed

#: So many statements one line of a text may become; a dialect that makes more of it is not right.
MOST_STATEMENTS = 4_000
#: Opens a maker's own masking, by the name that a package registered it under. Raises ValueError.
Openers = Mapping[str, Callable[[str], str]]


class Ready(NamedTuple):
    """A statement filled in and parsed. ``secret``: it holds a stored password."""

    filled: Filled
    head: Parsed
    inner: Parsed | None
    secret: bool

    @property
    def shown(self) -> str:
        """The statement for people, without its secret."""
        head, inner, text = self.filled
        if text is not None:
            return f"{head} | {text.partition(chr(10))[0]}"
        if inner is None:
            return head
        return f"{head} {strike(spelt(inner)).text if self.secret else spelt(inner)}"


def make_ready(dialect: Dialect, openers: Openers, meaning: Meaning, option: Option) -> Sequence[Ready]:
    """The statements of a meaning, parsed; with secrets that are blanked or can be opened put in their place.

    Raises Misread.
    """
    values, target = option.values, option.target
    if meaning.secret:
        secret = [name for name in meaning.secret if name in values]
        if any(values[name] in dialect.blanked for name in secret):
            return _parsed(_withheld(meaning), values, target.holes)
        if isinstance(target, Translation) and target.opener in openers:
            form = _form_at(meaning)
            if form is not None and (form.fixed or values.get(form.holes[0])) == Form.MASKED_ELSEWHERE.value:
                opened = _opened(values, secret, openers[target.opener])
                if opened is not None:
                    return _parsed(_masked(meaning, form), opened, target.holes)
    memory = dialect.memory
    key = ("say", id(meaning), *map(values.get, meaning.holes))
    found: Sequence[Ready] | None = memory.get(key)
    if found is None:
        found = _parsed(meaning, values, target.holes)
        memory.keep(key, found)
    return found


def _opened(values: Values, secret: Sequence[str], opener: Callable[[str], str]) -> Values | None:
    """The values with secrets in our own masking, opened by what a package brings; None where it cannot."""
    try:
        return {**values, **{name: mask(opener(values[name])) for name in secret}}
    except ValueError:
        return None


def _parsed(meaning: Meaning, values: Values, holes: Mapping[str, Hole]) -> Sequence[Ready]:
    """The statements of a meaning. Raises Misread."""
    found = []
    for filled in fill(meaning, values, holes):
        head, inner = parse_filled(filled)
        found.append(Ready(filled, head, inner, bool(meaning.secret)))
        if len(found) > MOST_STATEMENTS:
            break
    return tuple(found)


def _form_at(meaning: Meaning) -> Piece | None:
    """The word of a statement that tells the form of its password; None where it has none, or is several in one."""
    pieces = meaning.inner or ()
    for index, piece in enumerate(pieces[:-1]):
        if piece.fixed in SECRET_AFTER and len(pieces[index + 1].parts) == 1:
            return pieces[index + 1]
    return None


def _withheld(meaning: Meaning) -> Meaning:
    """The same statement with ``withheld`` for its password."""
    pieces = meaning.inner or ()
    at = next(index for index, piece in enumerate(pieces) if piece.fixed in SECRET_AFTER)
    withheld = Form.WITHHELD.value
    return meaning._replace(inner=(*pieces[: at + 1], Piece(((False, withheld),), False, withheld), *pieces[at + 3 :]))


def _masked(meaning: Meaning, form: Piece) -> Meaning:
    """The same statement with its password in our own masking."""
    masked = Form.MASKED.value
    inner = tuple(Piece(((False, masked),), False, masked) if piece is form else piece for piece in meaning.inner or ())
    return meaning._replace(inner=inner)
