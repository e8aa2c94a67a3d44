"""Every way into a device: the decision, asked with every answer."""

from overhang.ways.rows import Way, WaysIn, find_ways, reader_of_backups

__all__ = ["Way", "WaysIn", "find_ways", "reader_of_backups"]
