"""Dialects: reading any line-oriented text through a file that teaches a maker's words by example."""

from overhang.dialect.interpreter import read_dialect_text
from overhang.dialect.loader import read_dialect
from overhang.dialect.model import BadDialect, Dialect

__all__ = ["BadDialect", "Dialect", "read_dialect", "read_dialect_text"]
