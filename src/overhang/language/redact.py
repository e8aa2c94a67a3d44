"""Showing a line of a sheet without its secrets."""

import re
from typing import NamedTuple

from overhang.language.lexer import BadWord, Word, split_words
from overhang.language.schema import SCHEMA
from overhang.model.stored_secret import FORMS_WITH_TEXT

STRUCK = "***"
_FORM_WORDS = {form.value for form in FORMS_WITH_TEXT}
_WORD = re.compile(r"[^ \t]+")
_HEAD = re.compile(r"[a-z][a-z-]{0,23}:?$")


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

    Of a line that was not understood everything that might be a secret goes: all that follows a word about passwords,
    and all but the first word where that word is no statement's.
    """
    try:
        words, comment = split_words(line)
    except BadWord as bad:
        words, comment = _rough_words(line), 0
        if not understood and bad.column == 1:
            return Struck(STRUCK, ((1, len(line) + 1, 1 + len(STRUCK)),))
        understood = False
    kept = line[: comment - 1].rstrip() if comment else line.rstrip()
    if words and words[0].text.startswith("|"):
        return Struck(line.rstrip(), ())
    spans: list[tuple[int, int]] = []
    for index, word in enumerate(words[:-1]):
        if understood and word.text in _FORM_WORDS and not word.quoted:
            spans.append((words[index + 1].column, words[index + 1].end))
        elif not understood and (word.text in _FORM_WORDS or word.text in SCHEMA.before_secrets):
            following = words[index + 1]
            if following.text in _FORM_WORDS and index + 2 < len(words):
                following = words[index + 2]
            if following.text not in _FORM_WORDS:
                spans.append((following.column, len(kept) + 1))
                break
    else:
        if not understood and words and not spans:
            spans = _unknown(words, kept)
    return _cut(kept, spans)


def _unknown(words: list[Word], kept: str) -> list[tuple[int, int]]:
    first = words[0]
    if first.text.rstrip(":") in SCHEMA.harmless and not first.quoted:
        return []
    if _HEAD.match(first.text) and not first.quoted:
        return [(words[1].column, len(kept) + 1)] if len(words) > 1 else []
    return [(first.column, len(kept) + 1)]


def _rough_words(line: str) -> list[Word]:
    return [Word(found.group(), found.start() + 1, found.end() + 1) for found in _WORD.finditer(line)]


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
