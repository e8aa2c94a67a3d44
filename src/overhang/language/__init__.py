"""The sheet language: reading a sheet into a device."""

from overhang.language.lexer import strike
from overhang.language.parsed_config import ParsedConfig, Unreadable, read_bytes, read_sheet
from overhang.language.schema import TABLE

__all__ = ["TABLE", "ParsedConfig", "Unreadable", "read_bytes", "read_sheet", "strike"]
