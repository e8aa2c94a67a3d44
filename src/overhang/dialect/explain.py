"""Why a statement came to what it did: which translations were near, and what kept each from it."""

from collections.abc import Iterator, Sequence
from typing import NamedTuple

from overhang.dialect.matcher import Matcher, parts_of
from overhang.dialect.model import BlockType, Condition, Dialect, SourceRef, Translation
from overhang.dialect.pattern import Mismatch
from overhang.dialect.scan import LineOutcome

_MOST_NEAR = 12


class Considered(NamedTuple):
    """Something of the dialect that a statement was held against.

    ``kind`` is translation, block, condition or pass-over; ``line`` where it stands in the dialect, ``text`` the line
    that it is for, ``verdict`` what came of it. ``fits``: its words fit.
    """

    kind: str
    line: int
    text: str
    verdict: str
    fits: bool


def considered(dialect: Dialect, block: str, words: Sequence[str], outcome: LineOutcome) -> list[Considered]:
    """What a statement in a kind of block was held against, the most exact first; then what would fit elsewhere."""
    found = list(_here(dialect, block, words, outcome))
    if not any(each.fits for each in found):
        found += _elsewhere(dialect, block, words)
    return found[:_MOST_NEAR]


def _here(dialect: Dialect, block: str, words: Sequence[str], outcome: LineOutcome) -> Iterator[Considered]:
    lost: dict[SourceRef, list[str]] = {}
    for of, why in outcome.lost:
        lost.setdefault(of, []).append(why)
    taken: Translation | BlockType | None = None
    for pattern, target in Matcher(dialect).of_first(block, words[0]) if words else ():
        result = pattern.match(words)
        place = target.place if isinstance(target, Translation | BlockType) else None
        line = place.line if place is not None else 0
        if isinstance(result, Mismatch):
            if result.at < 0:
                verdict = f"it has {len(pattern.tokens)} words, and the statement has {len(words)}"
            elif result.at == 0:
                continue
            else:
                verdict = f"word {result.at + 1} differs" + (f": {result.reason}" if result.reason else "")
            yield Considered(_kind(target), line, pattern.text, verdict, False)
            continue
        left = words[result[1] :]
        if isinstance(target, Translation) and target.parts and left and parts_of(target, left) is None:
            yield Considered("translation", line, pattern.text, "what follows fits none of its parts", False)
            continue
        verdict = "its words fit"
        if place is not None and outcome.place == place:
            verdict = "; ".join(["taken", *(f"but {why}" for why in lost.get(place, ()))])
            taken = target if isinstance(target, Translation | BlockType) else None
        elif place is not None and place in lost:
            verdict = f"its words fit, but {'; and '.join(lost[place])}"
        elif taken is not None and isinstance(target, Translation):
            verdict = "its words fit, but one before it is taken"
        yield Considered(_kind(target), line, pattern.text, verdict, True)


def _elsewhere(dialect: Dialect, block: str, words: Sequence[str]) -> Iterator[Considered]:
    """What would fit in another kind of block."""
    matcher = Matcher(dialect)
    here = f"inside {block}" if block else "at the top level"
    for other in dialect.candidates:
        if other == block or not words:
            continue
        for pattern, target in matcher.of_first(other, words[0]):
            if isinstance(target, Translation | BlockType) and not isinstance(pattern.match(words), Mismatch):
                where = f"inside {other}" if other else "at the top level"
                verdict = f"it would fit {where}, and this stands {here}"
                yield Considered(_kind(target), target.place.line, pattern.text, verdict, False)


def _kind(target: object) -> str:
    if isinstance(target, BlockType):
        return "block"
    if isinstance(target, Condition):
        return "condition"
    return "translation" if isinstance(target, Translation) else "pass-over"
