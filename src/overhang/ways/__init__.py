"""Every way into a device: the decision, asked with every answer."""

from overhang.ways.expect import Checker, Verdict, chooses
from overhang.ways.people import can_take, levels_of
from overhang.ways.rows import Way, WaysIn, explorer_of, find_ways, reader_of_backups, rows_at, ways_of

__all__ = [
    "Checker",
    "Verdict",
    "Way",
    "WaysIn",
    "can_take",
    "chooses",
    "explorer_of",
    "find_ways",
    "levels_of",
    "reader_of_backups",
    "rows_at",
    "ways_of",
]
