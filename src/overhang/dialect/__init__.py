"""Dialects: reading any line-oriented text through a file that teaches a maker's words by example."""

from overhang.dialect.load import read_dialect
from overhang.dialect.model import BadDialect, Dialect
from overhang.dialect.read import read_dialect_text

__all__ = ["BadDialect", "Dialect", "read_dialect", "read_dialect_text"]
