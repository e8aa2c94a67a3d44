"""Reading what people have: the one family of readers, and how the right one is found for a file."""

from overhang.formats.assemble import Source, assemble, shown_lines
from overhang.formats.interface import Reader
from overhang.formats.registry import FormatRegistry, NoReader
from overhang.language.ir import Line, Unread

__all__ = ["Line", "NoReader", "Reader", "FormatRegistry", "Source", "Unread", "assemble", "shown_lines"]
