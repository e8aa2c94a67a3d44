"""What matches a line by itself: the candidates, by its block's kind and its first word."""

from collections.abc import Collection, Iterator, Mapping, Sequence
from typing import NamedTuple

from overhang.dialect.model import BlockType, Candidate, Condition, Dialect, Part, Translation
from overhang.dialect.pattern import Mismatch, Pattern, Tail

Values = Mapping[str, str]


class Option(NamedTuple):
    """One translation that fits a line by a pattern, with the values of all holes; ``left`` are the words left for its
    parts."""

    target: Translation | BlockType
    values: Values
    left: tuple[str, ...] = ()
    pattern: Pattern | None = None


class PartMatch(NamedTuple):
    """A part of a translation that ``size`` words fit by a pattern, from word ``at`` on."""

    part: Part
    values: Values
    pattern: Pattern
    at: int
    size: int


class Match(NamedTuple):
    """What fits a line by itself.

    ``facts`` come with the number of the word that they begin at. ``passed`` tells to pass it over. ``exact``: it took
    text as it is written, which its words do not tell.
    """

    options: tuple[Option, ...]
    head: Option | None
    facts: tuple[tuple[Condition, Values, Pattern, int], ...]
    passed: Pattern | None
    near: str
    exact: bool = False


class Matcher:
    """Finds what matches lines; results are kept for the other texts of the same maker."""

    def __init__(self, dialect: Dialect) -> None:
        self.dialect = dialect

    def known(self, block: str, words: Sequence[str]) -> Match | None:
        """What fits these words in a kind of block, where they were met before."""
        found: Match | None = self.dialect.memory.get(("match", block, *words))
        return found

    def match(self, block: str, words: Sequence[str], tail: Tail | None) -> Match:
        """What fits these words in a kind of block."""
        key = ("match", block, *words)
        found: Match | None = self.dialect.memory.get(key)
        if found is None:
            found = self._match(block, words, tail)
            if not found.exact:
                self.dialect.memory.keep(key, found)
        return found

    def _match(self, block: str, words: Sequence[str], tail: Tail | None) -> Match:
        options: list[Option] = []
        facts: list[tuple[Condition, Values, Pattern, int]] = []
        head: Option | None = None
        passed: Pattern | None = None
        furthest, near, exact = -1, "", False
        for pattern, target in self.of_first(block, words[0]):
            exact = exact or pattern.raw
            result = pattern.match(words, tail)
            if isinstance(result, Mismatch):
                if target is not None and result.at > furthest:
                    furthest, near = result.at, result.reason
                elif target is not None and result.at == furthest and result.reason != near:
                    near = ""  # several are as near, for different reasons: none of these is the reason
                continue
            values, used = result
            if target is None:
                passed = passed or pattern
            elif isinstance(target, Condition):
                facts.append((target, values, pattern, 0))
            elif isinstance(target, BlockType):
                head = head or Option(target, values, pattern=pattern)
            elif not options or _goes_on(options[-1]):
                left = tuple(words[used:])
                if not target.parts or not left or parts_of(target, left) is not None:
                    options.append(Option(target, values, left, pattern))
                elif furthest < used:
                    furthest, near = used, "no part of the translation fits what follows"
        facts += self.anywhere(block, words)
        return Match(tuple(options), head, tuple(facts), passed, near, exact)

    def of_first(self, block: str, first: str) -> Iterator[Candidate]:
        """What can stand in a kind of block and begin with a word."""
        found = self.dialect.candidates.get(block)
        if found is not None:
            first = first.lower() if self.dialect.layout.ignore_case else first
            yield from found.by_first.get(first, ())
            yield from found.others

    def anywhere(self, block: str, words: Sequence[str]) -> Iterator[tuple[Condition, Values, Pattern, int]]:
        """The conditions on words that stand anywhere in a line, each where it first fits."""
        found = self.dialect.candidates.get(block)
        for pattern, fact in found.anywhere if found is not None else ():
            for at in range(len(words) - pattern.least + 1):
                result = pattern.match(words[at:])
                if not isinstance(result, Mismatch):
                    yield fact, result[0], pattern, at
                    break

    def longest_head(self, block: str, words: Sequence[str]) -> tuple[Option, int] | None:
        """The head of a block that words begin with, and how many words it takes up."""
        if not words:
            return None
        for pattern, target in self.of_first(block, words[0]):
            if isinstance(target, BlockType):
                result = pattern._replace(open=True).match(words)
                if not isinstance(result, Mismatch):
                    return Option(target, result[0], pattern=pattern), result[1]
        return None


#: Signs that may stand between the items of a list, and mean nothing else.
_BETWEEN = (",", ";", "/", "|", "+", "&")


def parts_of(target: Translation, words: Sequence[str]) -> list[PartMatch] | None:
    """The parts that words amount to, one after another; None where some word fits none."""
    found: list[PartMatch] = []
    begins = {pattern.first for part in target.parts for pattern in part.patterns}
    at = 0
    while at < len(words):
        best: PartMatch | None = None
        for part in target.parts:
            for pattern in part.patterns:
                match_ = _part(part, pattern, words, at, begins)
                if match_ is not None and (best is None or match_.size > best.size):
                    best = match_
        if best is None:
            if words[at] in _BETWEEN:
                at += 1
                continue
            return None
        found.append(best)
        at += best.size
    return found


def _part(
    part: Part, pattern: Pattern, words: Sequence[str], at: int, begins: Collection[str | None]
) -> PartMatch | None:
    """A part at a place; a list in it ends where another part begins, or at a word that does not fit it."""
    longest = pattern.least
    if pattern.loose >= 0:
        longest = next((end for end in range(at + pattern.least, len(words)) if words[end] in begins), len(words)) - at
    for size in range(longest, pattern.least - 1, -1):
        result = pattern.match(words[at : at + size])
        if not isinstance(result, Mismatch):
            while size > pattern.least and words[at + size - 1] in _BETWEEN:
                size -= 1
            return PartMatch(part, result[0], pattern, at, size)
    return None


def _goes_on(option: Option) -> bool:
    """Whether another translation may be looked for behind this one."""
    return isinstance(option.target, Translation) and option.target.conditional
