"""Splitting a line of a sheet into words."""

import re
from typing import NamedTuple

_PLAIN = re.compile(r"[^ \t]+")
#: Blanks and line ends other than the two that separate words: a person does not see the difference.
_ODD_BLANK = re.compile("[\\x0b\\x0c\\r\\x1c-\\x1f\\x85\\xa0\\u1680\\u2000-\\u200a\\u2028\\u2029\\u202f\\u205f\\u3000]")
_ODD_MESSAGE = "words are separated by blanks and tabs; here is another kind of blank"
_QUOTED = re.compile(r'"[^"\\]*(?:\\.[^"\\]*)*"')
_PLAIN_WORD = re.compile(r"[\w.@/+~$*%&,;=!?:-]+(?<!:)")


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
    if '"' not in line and "#" not in line and _ODD_BLANK.search(line) is None:  # most lines
        return [Word(found.group(), found.start() + 1, found.end() + 1) for found in _PLAIN.finditer(line)], 0
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
            odd = _ODD_BLANK.search(line, at, at_end)
            if odd is not None and not (words[0].text.startswith("|") if words else first == "|"):
                raise BadWord(_ODD_MESSAGE, odd.start() + 1, odd.end() + 1)
            words.append(Word(line[at:at_end], at + 1, at_end + 1))
            at = at_end
    return words, 0


def _quoted_word(line: str, at: int) -> Word:
    found = _QUOTED.match(line, at)
    if found is None:
        raise BadWord("the quotes are not closed", at + 1, len(line) + 1)
    end = found.end()
    import json  # few words are in quotes

    try:
        text = json.loads(found.group())
    except ValueError:
        raise BadWord("invalid escape in quotes", at + 1, end + 1) from None
    colon = line[end : end + 1] == ":"
    end += colon
    if line[end : end + 1] not in ("", " ", "\t"):
        raise BadWord("the closing quote must end the word", end + 1, end + 2)
    return Word(text, at + 1, end + 1, True, colon)


def quote_word(text: str) -> str:
    """``text`` as one word of a sheet, in quotes where it needs them."""
    if _PLAIN_WORD.fullmatch(text):
        return text
    import json  # few words need quotes

    return json.dumps(text, ensure_ascii=not text.isprintable())
