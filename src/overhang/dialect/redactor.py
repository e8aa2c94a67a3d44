"""The lines of a configuration as they may be shown: without secrets, and of lines that were not understood no more
than is safe."""

import re
from collections.abc import Callable, Iterable

from overhang.dialect.line_shapes import TRADE
from overhang.dialect.tokenizer import Node
from overhang.language.redact import STRUCK


class Redactor:
    """What is not to be shown of the lines of one text.

    ``verbs`` are words that may begin any line, ``keywords`` those that the dialect knows a line to begin with.
    """

    def __init__(self, lines: list[str], verbs: tuple[str, ...], keywords: frozenset[str] = frozenset()) -> None:
        self._lines = lines
        self._verbs = verbs
        self._keywords = frozenset(word.casefold() for word in keywords)
        self._secrets: dict[int, list[str]] = {}
        self._keep: dict[int, int] = {}

    def hide(self, node: Node | int, secrets: Iterable[str]) -> None:
        """Texts on the lines of a statement, or on one line, that are secrets."""
        first, last = (node, node) if isinstance(node, int) else (node.line, node.last)
        for line in range(first, last + 1):
            self._secrets.setdefault(line, []).extend(secrets)

    def guard(self, first: int, last: int, keep: int) -> None:
        """Lines that were not read: of each only so many first words may be shown."""
        for line in range(first, last + 1):
            self._keep[line] = keep

    def show(self, line: int) -> None:
        """A line that was guarded turned out to be read."""
        self._keep.pop(line, None)

    def _known(self, word: str) -> bool:
        bare = word.strip("-_.:{}[]()=*+").casefold()
        return not bare or bare in self._keywords or bare in TRADE or word in self._verbs

    def quote(self, line: int, *, unread: bool) -> str:
        """A line as it may be shown."""
        raw = self._lines[line - 1]
        if unread:
            keep = 2 if raw.split(None, 1)[:1] in [[verb] for verb in self._verbs] else 1
            return guarded(raw, keep, self._known)
        if line in self._keep:
            return guarded(raw, self._keep[line])
        for secret in sorted(self._secrets.get(line, ()), key=len, reverse=True):
            raw = _struck(raw, secret)
        return raw


def guarded(raw: str, keep: int, known: Callable[[str], bool] | None = None) -> str:
    """A line that was not read, its indentation and first words kept: any of the others may be a secret.

    A sign or two before the first word, as a heading has them, does not count. With ``known`` only words are kept that
    it knows.
    """
    body = raw.lstrip()
    words = body.split(None, keep + 1)
    if words and len(words[0]) <= 2 and not any(map(str.isalnum, words[0])):
        keep += 1
    shown = []
    for each in words[:keep]:
        if not all(sign.isalpha() or sign in "-_.:{}[]()=*+" for sign in each) or len(each) > 30:
            break
        if known is not None and not known(each):
            break
        shown.append(each)
    more = len(words) > len(shown)
    return raw[: len(raw) - len(body)] + " ".join([*shown, *([STRUCK] if more else [])])


def _struck(raw: str, secret: str) -> str:
    """A line with a secret struck out, however its quotes are written; where it is not found, only the first word."""
    struck = raw
    for form in {secret, *(secret.replace("\\", "\\\\").replace(quote, "\\" + quote) for quote in "\"'`")}:
        for each in filter(None, form.split("\n")):
            whole = re.sub(rf"(?<!\w){re.escape(each)}(?!\w)", STRUCK, struck)
            struck = whole if whole != struck else struck.replace(each, STRUCK)
    return struck if struck != raw or STRUCK in raw else guarded(raw, 1)
