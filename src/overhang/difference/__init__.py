"""The difference between two devices, as values: statements, ways in, people, secrets. Rules play no part in it."""

from overhang.difference.device import Difference, Side, compare_sides, difference, examine
from overhang.difference.people import PersonChange
from overhang.difference.statements import StatementChange, statement_changes
from overhang.difference.ways import WayChange

__all__ = [
    "Difference",
    "PersonChange",
    "Side",
    "StatementChange",
    "WayChange",
    "compare_sides",
    "difference",
    "examine",
    "statement_changes",
]
