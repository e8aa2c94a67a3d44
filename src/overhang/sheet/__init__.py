"""The sheet language: reading a sheet into a device."""

from overhang.sheet.lexer import strike
from overhang.sheet.load import Sheet, Unreadable, read_bytes, read_sheet
from overhang.sheet.statements import TABLE

__all__ = ["TABLE", "Sheet", "Unreadable", "read_bytes", "read_sheet", "strike"]
