"""Lines of a dialect that are ambiguous: two that fit the same line equally well."""

from collections.abc import Iterable, Iterator

from overhang.dialect.model import BlockType, Candidate, Translation
from overhang.dialect.pattern import Hole, Pattern
from overhang.text.toml_file import TomlProblem


def ambiguous(entries: Iterable[Candidate]) -> Iterator[TomlProblem]:
    """Two translations of one line, or two heads of a block, among what can stand in one kind of block."""
    seen: dict[object, list[tuple[Pattern, Translation | BlockType]]] = {}
    for pattern, target in entries:
        if isinstance(target, Translation | BlockType):
            alike = seen.setdefault((type(target), pattern.literals, pattern.rank), [])
            for other, earlier in alike:
                yield from _compare(pattern, target, other, earlier)
            alike.append((pattern, target))


def _compare(
    pattern: Pattern, target: Translation | BlockType, other: Pattern, earlier: Translation | BlockType
) -> Iterator[TomlProblem]:
    """Two patterns, equally exact, that fit the same line."""
    held = any(isinstance(each, Translation) and each.conditional for each in (earlier, target))
    if held or earlier is target or pattern.open != other.open or not _overlap(pattern, other):
        return
    place = earlier.place
    if _shape(pattern) == _shape(other):
        why = f"this can never match: every such line is taken by {place.label} on line {place.line}"
    else:
        why = f"ambiguous with {place.label} on line {place.line}: some lines match both equally well"
    yield TomlProblem(target.place.line, f"{target.place.label}: {why}")


def _shape(pattern: Pattern) -> tuple[object, ...]:
    return tuple(
        part if isinstance(part, str) else (part.type.name, part.many)
        for token in pattern.tokens
        for part in (*token.parts, " ")
    )


def _overlap(one: Pattern, other: Pattern) -> bool:
    """Whether some word fits both at each place, as far as the samples of their types tell."""
    for first, second in zip(one.tokens, other.tokens, strict=True):
        mine, theirs = first.hole, second.hole
        if mine is None or theirs is None:
            if first.parts != second.parts and _shape(one) != _shape(other):
                return False
        elif not (_accepts(mine, theirs) or _accepts(theirs, mine)):
            return False
    return True


def _accepts(hole: Hole, other: Hole) -> bool:
    for sample in other.type.samples:
        try:
            hole.type.read(sample)
        except ValueError:
            continue
        return True
    return False
