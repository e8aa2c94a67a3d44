"""Whether conditions hold: lines that are there or not, holes within bounds, joined with and, or and not."""

import re
from collections.abc import Iterable
from typing import NamedTuple

from overhang.dialect.line_index import IndexedLine, LineIndex
from overhang.dialect.matcher import Values
from overhang.dialect.model import Test

_NUMBER = re.compile(r"\d{1,18}")


class Place(NamedTuple):
    """Where something that depends on others stands: its line, and its block of the text."""

    line: int
    instance: int


class Verdict(NamedTuple):
    """``values`` with those of the lines that were found, or None and ``why`` not; ``seen`` are these lines."""

    values: Values | None
    why: str = ""
    seen: tuple[IndexedLine, ...] = ()


def holding(index: LineIndex, tests: Iterable[Test], place: Place, values: Values) -> Verdict:
    """Whether all of several conditions hold."""
    seen: list[IndexedLine] = []
    for test in tests:
        found = _holds(index, test, place, values)
        if found.values is None:
            return found
        values = found.values
        seen += found.seen
    return Verdict(values, "", tuple(seen))


def _holds(index: LineIndex, test: Test, place: Place, values: Values) -> Verdict:
    if test.kind == "line" and test.fact is not None:
        found = index.find(test.fact, place.line, place.instance, values)
        if found is None:
            return Verdict(None, f"it applies only with {test.text}, which is missing")
        return Verdict({**found.values, **values}, "", (found,))
    if test.kind == "all":
        return holding(index, test.parts, place, values)
    if test.kind == "any":
        for part in test.parts:
            verdict = _holds(index, part, place, values)
            if verdict.values is not None:
                return verdict
        return Verdict(None, f"it applies only with {test.text}, and none of these holds")
    if test.kind == "none":
        for part in test.parts:
            if _holds(index, part, place, values).values is not None:
                return Verdict(None, f"it does not apply with {part.text}, which is there")
        return Verdict(values)
    return _compared(test, values)


def _compared(test: Test, values: Values) -> Verdict:
    """A hole held against numbers or words."""
    given = values.get(test.hole)
    if given is None:
        return Verdict(None, f"it applies only with {test.text}, and the line leaves {test.hole} out")
    if test.kind == "word":
        right = given in test.words
    else:
        number = _NUMBER.match(given)
        value = int(number.group()) if number is not None else -1
        right = value >= 0 and value >= (test.least or 0) and (test.most is None or value <= test.most)
    return Verdict(values) if right else Verdict(None, f"it applies only with {test.text}")
