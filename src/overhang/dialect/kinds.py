"""Which kinds of a device's blocks a line may be about, by what its neighbours mean.

A line that nobody understood may have begun a block of its own: an account, a list. So it is not enough to put in doubt
the blocks that are there.
"""

from collections.abc import Iterator, Sequence

from overhang.dialect.model import BlockType, Dialect, Translation
from overhang.dialect.template import Template

#: Blocks that a device has one of under each of these words.
_BY_SECOND = ("entry",)


def kinds_of(dialect: Dialect, block: str, words: Sequence[str]) -> frozenset[str]:
    """The kinds of blocks that a line inside a kind of block may be about: those of the lines that begin with the same
    word; where there are none, and it stands in a block, those of all that can stand there."""
    found = dialect.candidates.get(block)
    if found is None:
        return frozenset()
    first = words[0] if words else ""
    first = first.lower() if dialect.layout.ignore_case else first
    alike = [target for _, target in found.by_first.get(first, ())]
    if not alike and block:
        alike = [target for each in (*found.by_first.values(), found.others) for _, target in each]
    key = ("kinds", block, first)
    held: frozenset[str] | None = dialect.memory.get(key)
    if held is None:
        held = frozenset(kind for target in alike for kind in _kinds(dialect, target))
        dialect.memory.keep(key, held)
    return held


def _kinds(dialect: Dialect, target: object, depth: int = 0) -> Iterator[str]:
    """The kinds of blocks that something says something in."""
    if isinstance(target, Translation | BlockType):
        yield from map(_kind, target.every)
    if isinstance(target, Translation):
        yield from (_kind(template) for part in target.parts for template in part.templates)
    elif isinstance(target, BlockType) and depth < len(dialect.blocks):
        found = dialect.candidates.get(target.name)
        for each in (*found.by_first.values(), found.others) if found is not None else ():
            for _, inner in each:
                yield from _kinds(dialect, inner, depth + 1)


def _kind(template: Template) -> str:
    """The kind of block that a statement is in, as the head of a sheet's block begins."""
    words = [piece.fixed or "" for piece in template.head]
    return " ".join(words[:2]) if words and words[0] in _BY_SECOND else words[0] if words else ""
