"""The sheet language: its schema, reading and writing it, and what every reader of a configuration gives."""

from overhang.language.collector import Collector
from overhang.language.parsed_config import ParsedConfig, Phrased, read_bytes, read_sheet
from overhang.language.schema import SCHEMA
from overhang.language.unparser import unparse

__all__ = ["SCHEMA", "Collector", "ParsedConfig", "Phrased", "read_bytes", "read_sheet", "unparse"]
