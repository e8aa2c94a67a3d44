"""Reading what people have: the one family of readers, and how the right one is found for a file."""

from overhang.readers.assemble import Source, assemble, shown_lines
from overhang.readers.interface import Reader
from overhang.readers.shelf import NoReader, Shelf
from overhang.sheet.lines import Line, Unread

__all__ = ["Line", "NoReader", "Reader", "Shelf", "Source", "Unread", "assemble", "shown_lines"]
