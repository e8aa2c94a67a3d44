"""Splitting a line into words, and striking secrets out of a line that is to be shown."""

import json
import re
from typing import NamedTuple

from overhang.model.stored_secret import FORMS_WITH_TEXT

STRUCK = "***"
_FORM_WORDS = {form.value for form in FORMS_WITH_TEXT}
_SECRET_WORDS = {"password", "shared-secret", "community"}
_PLAIN = re.compile(r"[^ \t]+")
_QUOTED = re.compile(r'"(?:[^"\\]|\\.)*"')
_HEAD = re.compile(r"[a-z][a-z-]{0,23}:?$")


class Word(NamedTuple):
    """One word of a line: its text without quotes, and the columns (from 1) of its first and past its last character.

    ``colon`` tells that a colon follows the closing quote; the colon of an unquoted word is still part of its text.
    """

    text: str
    column: int
    end: int
    quoted: bool = False
    colon: bool = False


class BadWord(Exception):
    """A word that cannot be read; columns as in Word. The message quotes nothing of the line."""

    def __init__(self, message: str, column: int, end: int) -> None:
        super().__init__(message)
        self.column = column
        self.end = end


def split_words(line: str) -> tuple[list[Word], int]:
    """The words of ``line`` and the column of its comment (0 where there is none). Raises BadWord."""
    words: list[Word] = []
    at, size = 0, len(line)
    while at < size:
        first = line[at]
        if first in " \t":
            at += 1
        elif first == "#":
            return words, at + 1
        elif first == '"':
            word = _quoted_word(line, at)
            words.append(word)
            at = word.end - 1
        else:
            found = _PLAIN.match(line, at)
            at_end = found.end() if found else at + 1
            words.append(Word(line[at:at_end], at + 1, at_end + 1))
            at = at_end
    return words, 0


def _quoted_word(line: str, at: int) -> Word:
    found = _QUOTED.match(line, at)
    if found is None:
        raise BadWord("the quotes are never closed", at + 1, len(line) + 1)
    end = found.end()
    try:
        text = json.loads(found.group())
    except ValueError:
        raise BadWord("the text in quotes holds an escape that JSON does not have", at + 1, end + 1) from None
    colon = line[end : end + 1] == ":"
    end += colon
    if line[end : end + 1] not in ("", " ", "\t"):
        raise BadWord("the closing quote must end the word", end + 1, end + 2)
    return Word(text, at + 1, end + 1, True, colon)


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
        elif not understood and (word.text in _FORM_WORDS or word.text in _SECRET_WORDS):
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


#: First words of statements that never hold a secret, so that the whole line may be shown when it is wrong.
_HARMLESS = frozenset(
    "device kind domain site profile changed saved recovery entry check level accept from idle closed elevation "
    "user any-name role via public-key disabled expires methods servers users entry-password elevation-password "
    "nothing reject timeout tries sources allow deny ssh telnet on off port sessions rate versions host-key "
    "finish-within login empty-passwords ciphers macs exchanges web http https http-port https-port certificate "
    "certificate-key certificate-valid tls snmp door passwords mask length classes remember youngest oldest warn lock "
    "management vlan pause record address interface faces answers banner drop".split()
)


def _unknown(words: list[Word], kept: str) -> list[tuple[int, int]]:
    first = words[0]
    if first.text.rstrip(":") in _HARMLESS and not first.quoted:
        return []
    if _HEAD.match(first.text) and not first.quoted:
        return [(words[1].column, len(kept) + 1)] if len(words) > 1 else []
    return [(first.column, len(kept) + 1)]


def _rough_words(line: str) -> list[Word]:
    return [Word(found.group(), found.start() + 1, found.end() + 1) for found in _PLAIN.finditer(line)]


def _cut(line: str, spans: list[tuple[int, int]]) -> Struck:
    pieces, at, cuts, shift = [], 0, [], 0
    for first, end in spans:
        if first - 1 < at:
            continue
        pieces += [line[at : first - 1], STRUCK]
        new_end = first + len(STRUCK)
        shift += (end - first) - len(STRUCK)
        cuts.append((first, end, end - shift))
        at = end - 1
        del new_end
    pieces.append(line[at:])
    return Struck("".join(pieces), tuple(cuts))
