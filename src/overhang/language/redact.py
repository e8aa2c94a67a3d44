"""Showing a line of a sheet without its secrets."""

import re
from functools import cache
from itertools import pairwise
from typing import NamedTuple

from overhang.language.lexer import BadWord, split_words
from overhang.language.schema import SCHEMA
from overhang.model.stored_secret import FORMS_WITH_TEXT

STRUCK = "***"
_FORM_WORDS = {form.value for form in FORMS_WITH_TEXT}
_KEYWORD = re.compile(r"[ \t]*([a-z][a-z0-9-]*):?(?=[ \t]|$)")


class Struck(NamedTuple):
    """A line fit to be shown, and the secrets' places as (first, last, shift) to move columns along with it."""

    text: str
    cuts: tuple[tuple[int, int, int], ...]

    def column(self, column: int) -> int:
        """The column in ``text`` of what stood at ``column`` of the line; inside a secret, the secret's first."""
        moved = column
        for first, end, new_end in self.cuts:
            if first < column < end:
                return first + (moved - column)
            if column >= end:
                moved = column - (end - new_end)
        return moved


def strike(line: str, *, understood: bool = True) -> Struck:
    """``line`` with every stored password replaced by ``***`` and without its comment.

    Of a line that was not understood any word may be a secret: only its first one is shown, and only where it is a
    keyword of the language.
    """
    if not understood:
        return _first_word(line)
    try:
        words, comment = split_words(line)
    except BadWord:
        return _first_word(line)
    kept = line[: comment - 1].rstrip() if comment else line.rstrip()
    if words and words[0].text.startswith("|"):
        return Struck(line.rstrip(), ())
    spans = [
        (following.column, following.end)
        for word, following in pairwise(words)
        if word.text in _FORM_WORDS and not word.quoted
    ]
    return _cut(kept, spans)


def _first_word(line: str) -> Struck:
    found = _KEYWORD.match(line)
    end = found.end() if found is not None and found.group(1) in _keywords() else len(line) - len(line.lstrip(" \t"))
    if not line[end:].strip():
        return Struck(line.rstrip(), ())
    first = end + 1 if end and line[end - 1] not in " \t" else end  # the blank behind a keyword stays
    return _cut(line, [(first + 1, len(line) + 1)])


@cache
def _keywords() -> frozenset[str]:
    """The first words of all statements."""
    return frozenset({word for block in SCHEMA.table for word in SCHEMA.keywords(block)} | {"drop"})


def _cut(line: str, spans: list[tuple[int, int]]) -> Struck:
    pieces, at, cuts, shift = [], 0, [], 0
    for first, end in spans:
        if first - 1 < at:
            continue
        pieces += [line[at : first - 1], STRUCK]
        shift += (end - first) - len(STRUCK)
        cuts.append((first, end, end - shift))
        at = end - 1
    pieces.append(line[at:])
    return Struck("".join(pieces), tuple(cuts))
