"""Reading what people have: the one family of readers, and how the right one is found for a file."""

from overhang.readers.assemble import Line, Source, Unread, assemble, shown_lines
from overhang.readers.interface import Reader
from overhang.readers.shelf import NoReader, Shelf

__all__ = ["Line", "NoReader", "Reader", "Shelf", "Source", "Unread", "assemble", "shown_lines"]
