"""Lines that others depend on, and finding the one that is meant."""

import bisect
from typing import NamedTuple

from overhang.dialect.matcher import Values
from overhang.dialect.model import Condition
from overhang.dialect.pattern import Pattern
from overhang.dialect.tokenizer import Node


class IndexedLine(NamedTuple):
    """A line that something may depend on, and the pattern that its words from ``at`` on fit."""

    line: int
    values: Values
    instance: int
    node: Node
    at: int
    pattern: Pattern
    #: whether the line takes back those like it that stand before it
    taken: bool = False


class LineIndex:
    """The lines of one text that something may depend on, by what they are."""

    def __init__(self) -> None:
        self._seen: dict[int, list[IndexedLine]] = {}
        self._index: dict[tuple[int, tuple[str, ...]], dict[tuple[object, ...], list[IndexedLine]]] = {}

    def note(self, fact: Condition, seen: IndexedLine) -> None:
        """A line was come upon."""
        self._seen.setdefault(fact.number, []).append(seen)

    @property
    def last(self) -> int:
        """The last line that something may depend on; 0 where there is none."""
        return max((each.line for held in self._seen.values() for each in held), default=0)

    def find(self, fact: Condition, line: int, instance: int, values: Values) -> IndexedLine | None:
        """The line that a fact refers to: the nearest after a line, else the nearest before it."""
        every = self._seen.get(fact.number)
        if not every:
            return None
        shared = tuple([name for name in fact.names if name in values])
        table = self._index.get((fact.number, shared))
        if table is None:
            table = self._index[fact.number, shared] = {}
            for each in every:
                of = (each.instance if fact.beside else None, *map(each.values.get, shared))
                if each.taken:
                    table.pop(of, None)
                else:
                    table.setdefault(of, []).append(each)
        found = table.get((instance if fact.beside else None, *[values[name] for name in shared]))
        if not found:
            return None
        at = bisect.bisect_right(found, line, key=lambda each: each.line)
        return found[at] if at < len(found) else found[-1]
