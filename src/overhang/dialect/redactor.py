"""What may be shown of the lines of a configuration.

That is the words that the dialect itself spells out, and what a pattern read of a line as no secret; of lines that were
not understood it is no more than is safe.
"""

import re
from collections.abc import Collection, Iterator, Sequence
from typing import NamedTuple

from overhang.dialect.layout_marks import label_pattern
from overhang.dialect.line_shapes import TRADE
from overhang.dialect.matcher import parts_of
from overhang.dialect.model import Dialect, Translation
from overhang.dialect.pattern import UNNAMED, Pattern
from overhang.dialect.pattern import Token as PatternToken
from overhang.dialect.tokenizer import Node, Text
from overhang.text.quoting import LONGEST_SHOWN, Shown, SourceLines, Vouched, quoted

#: Of a line no more is looked at to show it.
_LOOKED_AT = 10 * LONGEST_SHOWN


class Reading(NamedTuple):
    """What a pattern made of the words of a statement from number ``at`` on.

    ``secret`` names the holes whose words are not shown; None: none is shown. ``parts`` is what read the words that the
    pattern left.
    """

    at: int
    pattern: Pattern
    secret: frozenset[str] | None
    parts: Translation | None = None


class Redactor:
    """What may be shown of the lines of one text.

    ``verbs`` are words that may begin any line, ``keywords`` those that the dialect knows a line to begin with.
    """

    def __init__(self, text: Text, verbs: tuple[str, ...], keywords: frozenset[str] = frozenset()) -> None:
        self._text = text
        self._verbs = verbs
        self._keywords = frozenset(word.casefold() for word in keywords)
        self._readings: dict[int, list[Reading]] = {}
        self._nodes: dict[int, list[Node]] = {}
        self._labels = label_pattern(text.layout)
        self._vouched: dict[int, tuple[set[str], set[str]]] = {}
        self._published: dict[int, str] = {}
        self._unread: set[int] = set()

    @property
    def lines(self) -> SourceLines:
        """The lines of the text, to quote from. They hold this, which must not hold them: who would let go of it?"""
        return SourceLines(self._text.lines, self._voucher)

    def read(self, node: Node, reading: Reading) -> None:
        """A pattern read words of a statement. What any reading takes for a secret is not shown."""
        readings = self._readings.get(id(node))
        if readings is None:
            readings = self._readings[id(node)] = []
            for line in (node.line,) if node.line == node.last else range(node.line, node.last + 1):
                self._nodes.setdefault(line, []).append(node)
        readings.append(reading)

    def vouch(self, node: Node, shown: Collection[str], secret: Collection[str]) -> None:
        """Words of a statement were read by a step: some may be shown, some are secrets."""
        if id(node) not in self._readings:
            self._readings[id(node)] = []
            for line in range(node.line, node.last + 1):
                self._nodes.setdefault(line, []).append(node)
        of = self._vouched.setdefault(id(node), (set(), set()))
        of[0].update(shown)
        of[1].update(secret)

    def publish(self, line: int, text: str) -> None:
        """A text on a line is published by the device, as a banner is."""
        self._published[line] = text

    def unread(self, line: int) -> None:
        """A line was not understood."""
        self._unread.add(line)

    def statement(self, node: Node) -> Shown:
        """The words of a statement, as far as they may be shown."""
        line = " ".join(node.words)
        if node.line in self._unread or id(node) not in self._readings:
            return quoted(line, self._first_words(line))
        spans, at = [], 0
        for word, size in zip(node.words, self._sizes(node), strict=True):
            spans.append((at, at + min(size, len(word))))
            at += len(word) + 1
        return quoted(line, Vouched(spans))

    # -- one line ------------------------------------------------------------------------------------------------------

    def _voucher(self, number: int) -> Vouched:
        raw = self._text.lines[number - 1]
        if number in self._unread:
            return self._first_words(raw)
        nodes = self._nodes.get(number, [])
        spans = list(self._spans(raw, nodes))
        if number in self._published and (at := raw.rfind(self._published[number])) >= 0:
            spans.append((at, at + len(self._published[number])))
        layout = self._text.layout
        if not nodes and raw.strip() in layout.closers:
            spans.append((0, len(raw)))
        label = self._labels.fullmatch(raw.rstrip()) if self._labels is not None else None
        if label is not None:
            spans.append((label.end(1), label.start(2)))
        for before, after in layout.headings:
            if raw.strip().startswith(before) and raw.rstrip().endswith(after):
                at = len(raw) - len(raw.lstrip())
                spans += [(at, at + len(before)), (len(raw.rstrip()) - len(after), len(raw.rstrip()))]
        return Vouched(spans)

    def _spans(self, raw: str, nodes: Sequence[Node]) -> Iterator[tuple[int, int]]:
        """The places of the words that may be shown: each by its number where the statement stands on this line as it
        is, else by what it is, where no secret of the line is, or holds, the same."""
        at = 0
        loose: list[Node] = []
        alike: dict[str | None, list[Node]] = {}
        for node in nodes:  # a step may have copied a statement: what is a secret in one place is one in all
            alike.setdefault(node.raw, []).append(node)
        placed: set[str | None] = set()
        for node in nodes:
            found = raw.find(node.raw, at) if node.raw is not None else -1
            words = list(self._text.places(node.raw or "", _LOOKED_AT)) if found >= 0 else []
            if not words or [word.text for word in words] != node.words[: len(words)]:
                loose += [] if node.raw in placed else [node]
                continue
            placed.add(node.raw)
            for word, size in zip(words, self._sizes(*alike[node.raw]), strict=False):
                if size >= len(word.text):
                    yield found + word.first, found + word.behind
                elif not word.quoted:
                    yield found + word.first, found + word.first + size
            at = found + len(node.raw or "")
        rest = [word for word in self._text.places(raw[:_LOOKED_AT], _LOOKED_AT) if word.first >= at]
        if not loose:
            yield from ((word.first, word.behind) for word in rest if word.sign)
            return
        shown, struck = set[str](), set[str]()
        for node in loose:
            for text, size in zip(node.words, self._sizes(node), strict=True):
                (shown if size >= len(text) else struck).add(text)
        for word in rest:
            if word.sign or (word.text in shown and not any(word.text in secret for secret in struck)):
                yield word.first, word.behind

    def _sizes(self, *alike: Node) -> list[int]:
        """How many characters of each word of a statement may be shown, from its beginning.

        The statement may stand in several places of the tree; in each it has the same words.
        """
        shown = [0] * len(alike[0].words)
        secrets: dict[int, int] = {}
        for node in alike:
            self._judge(node, shown, secrets)
        return [secrets.get(index, size) for index, size in enumerate(shown)]

    def _judge(self, node: Node, shown: list[int], secrets: dict[int, int]) -> None:
        """Add what the readings of a statement in one place say of its words."""
        if node.words and node.words[0] in self._verbs:
            shown[0] = _WHOLE
        for reading in self._readings[id(node)]:
            for index, size, secret in _said(node, reading):
                shown[index] = max(shown[index], size)
                if secret:
                    secrets[index] = min(size, secrets.get(index, size))
        said, struck = self._vouched.get(id(node), (set(), set()))
        for index, word in enumerate(node.words):
            if word in struck:
                secrets[index] = 0
            elif word in said:
                shown[index] = _WHOLE

    def _first_words(self, raw: str) -> Vouched:
        """Of a line that was not understood its first word, where the dialect or the trade knows it."""
        keep = 2 if raw.split(None, 1)[:1] in [[verb] for verb in self._verbs] else 1
        at = len(raw) - len(raw.lstrip())
        words = raw[:_LOOKED_AT].split(None, keep + 1)
        if words and len(words[0]) <= 2 and not any(map(str.isalnum, words[0])):
            keep += 1
        end = at
        for each in words[:keep]:
            plain = len(each) <= 30 and all(sign.isalpha() or sign in _SIGNS for sign in each)
            if not plain or not self._known(each):
                break
            end = raw.index(each, end) + len(each)
        return Vouched(((0, end),))

    def _known(self, word: str) -> bool:
        bare = word.strip(_SIGNS).casefold()
        return not bare or bare in self._keywords or bare in TRADE or word in self._verbs


_SIGNS = "-_.:{}[]()=*+"
_WHOLE = 1 << 30


def shown_dialect(dialect: Dialect) -> SourceLines:
    """The lines of a dialect's own file, which statements for every device come from: its keys, and no secret."""
    known = {*dialect.never, *(template.text for template in dialect.always if not template.secret)}
    known |= {dialect.profile.name} if dialect.profile is not None else set()

    def voucher(number: int) -> Vouched:
        spans = []
        for found in _TOML.finditer(dialect.lines[number - 1][:_LOOKED_AT]):
            if found["text"] is None or found["text"][1:-1] in known:
                spans.append(found.span())
        return Vouched(spans)

    return SourceLines(dialect.lines, voucher)


_TOML = re.compile(r"""^\s*(?:\[+[\w.-]+\]+|[\w-]+\s*=)|[\[\],=]|(?P<text>"[^"\\]*(?:\\.[^"\\]*)*"|'[^']*')""")


def _said(node: Node, reading: Reading) -> Iterator[tuple[int, int, bool]]:
    """The words that a reading covers: number, how much of it may be shown, and whether the rest is a secret."""
    words = node.words[reading.at :]
    used = reading.at
    for token, size in reading.pattern.spread(len(words)):
        for index in range(used, min(used + size, len(node.words))):
            yield (index, *_of_token(token, reading.secret))
        used += size
    if reading.parts is None:
        return
    for part in parts_of(reading.parts, node.words[used:]) or ():
        secret = frozenset(name for template in part.part.templates for name in template.secret)
        at = used + part.at
        for token, size in part.pattern.spread(part.size):
            for index in range(at, at + size):
                yield (index, *_of_token(token, secret if reading.secret is not None else None))
            at += size


def _of_token(token: PatternToken, secret: frozenset[str] | None) -> tuple[int, bool]:
    """How much of a word that a token reads may be shown, and whether the rest is a secret."""
    size = 0
    for part in token.parts:
        if isinstance(part, str):
            size += len(part)
        elif secret is None or part.name == UNNAMED:
            return size, False
        elif part.name in secret:
            return size, True
        elif len(token.parts) > 1 and _hides(token, secret):
            return size, True  # where one hole ends and the next begins is not known here
        else:
            size = _WHOLE
    return _WHOLE, False


def _hides(token: PatternToken, secret: frozenset[str]) -> bool:
    return any(not isinstance(part, str) and (part.name in secret or part.name == UNNAMED) for part in token.parts)
