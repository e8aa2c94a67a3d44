"""The formats that configurations come in: a reader for each, and how the right one is found for a file."""

from overhang.formats.assemble import Source, assemble
from overhang.formats.interface import Reader
from overhang.formats.registry import FormatRegistry, NoReader

__all__ = ["FormatRegistry", "NoReader", "Reader", "Source", "assemble"]
