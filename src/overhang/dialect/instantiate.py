"""Statements ready to be emitted: filled in, parsed, with secrets blanked, unmasked or withheld."""

from collections.abc import Callable, Mapping, Sequence
from typing import NamedTuple

from overhang.dialect.matcher import Option, Values
from overhang.dialect.model import Dialect, Translation
from overhang.dialect.pattern import Hole
from overhang.dialect.template import SECRET_AFTER, FilledTemplate, Piece, Template, fill, parse_filled, spelt
from overhang.language.ir import Statement
from overhang.language.unparser import struck, unparse_statement
from overhang.model.masking import mask
from overhang.model.stored_secret import Form

#: So many statements one line of a text may become; a dialect that makes more of it is not right.
MOST_STATEMENTS = 4_000
#: Opens a maker's own masking, by the name that a package registered it under. Raises ValueError.
Openers = Mapping[str, Callable[[str], str]]


class Instantiated(NamedTuple):
    """A statement filled in and parsed. ``secret``: it holds a stored password. ``dropped``: it is taken back."""

    filled: FilledTemplate
    head: Statement
    inner: Statement | None
    secret: bool
    dropped: bool = False

    @property
    def shown(self) -> str:
        """The statement for people, without its secret."""
        words, inner, text = self.filled
        head = f"{'drop ' if self.dropped else ''}{spelt(words)}:"
        if text is not None:
            return f"{head} | {text.partition(chr(10))[0]}"
        if inner is None:
            return head
        return f"{head} {unparse_statement(struck(self.inner)) if self.secret and self.inner else spelt(inner)}"


def instantiate(dialect: Dialect, openers: Openers, template: Template, option: Option) -> Sequence[Instantiated]:
    """The statements of a meaning, parsed, with blanked or unmasked secrets put in.

    Raises Misread.
    """
    values, target = option.values, option.target
    if template.secret:
        secret = [name for name in template.secret if name in values]
        if any(values[name] in dialect.blanked for name in secret):
            return _parsed(_withheld(template), values, target.holes)
        if isinstance(target, Translation) and target.opener in openers:
            form = _form_at(template)
            if form is not None and (form.fixed or values.get(form.holes[0])) == Form.MASKED_ELSEWHERE.value:
                opened = _opened(values, secret, openers[target.opener])
                if opened is not None:
                    return _parsed(_masked(template, form), opened, target.holes)
    memory = dialect.memory
    key = ("say", id(template), *map(values.get, template.holes))
    found: Sequence[Instantiated] | None = memory.get(key)
    if found is None:
        found = _parsed(template, values, target.holes)
        memory.keep(key, found)
    return found


def _opened(values: Values, secret: Sequence[str], opener: Callable[[str], str]) -> Values | None:
    """The values with secrets in our own masking, opened by what a package brings; None where it cannot."""
    try:
        return {**values, **{name: mask(opener(values[name])) for name in secret}}
    except ValueError:
        return None


def _parsed(template: Template, values: Values, holes: Mapping[str, Hole]) -> Sequence[Instantiated]:
    """The statements of a meaning. Raises Misread."""
    found = []
    for filled in fill(template, values, holes):
        head, inner = parse_filled(filled, drop=template.drop)
        found.append(Instantiated(filled, head, inner, bool(template.secret), template.drop))
        if len(found) > MOST_STATEMENTS:
            break
    return tuple(found)


def _form_at(template: Template) -> Piece | None:
    """The word of a statement that tells the form of its password; None where it has none, or is several in one."""
    pieces = template.inner or ()
    for index, piece in enumerate(pieces[:-1]):
        if piece.fixed in SECRET_AFTER and len(pieces[index + 1].parts) == 1:
            return pieces[index + 1]
    return None


def _withheld(template: Template) -> Template:
    """The same statement with ``withheld`` for its password."""
    pieces = template.inner or ()
    at = next(index for index, piece in enumerate(pieces) if piece.fixed in SECRET_AFTER)
    withheld = Form.WITHHELD.value
    return template._replace(inner=(*pieces[: at + 1], Piece(((False, withheld),), False, withheld), *pieces[at + 3 :]))


def _masked(template: Template, form: Piece) -> Template:
    """The same statement with its password in our own masking."""
    masked = Form.MASKED.value
    inner = tuple(
        Piece(((False, masked),), False, masked) if piece is form else piece for piece in template.inner or ()
    )
    return template._replace(inner=inner)
