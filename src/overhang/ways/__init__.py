"""Every way into a device: the decision, asked with every answer."""

from overhang.ways.expect import Checker, Verdict, chooses
from overhang.ways.rows import Way, WaysIn, find_ways, reader_of_backups

__all__ = ["Checker", "Verdict", "Way", "WaysIn", "chooses", "find_ways", "reader_of_backups"]
