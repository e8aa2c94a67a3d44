"""A sheet as a whole: the device, what was remarked on the way, and the lines to quote from."""

from typing import NamedTuple

from overhang.device import Device
from overhang.sheet.build import Builder
from overhang.sheet.lexer import strike
from overhang.sheet.reader import read_statements
from overhang.text import Diagnostic, Level


class Unreadable(Exception):
    """An input that is no text at all; the message says why and where."""


class Sheet(NamedTuple):
    """One sheet read. ``unread`` holds the numbers of the lines not understood, ``understood`` counts the others.

    ``lines`` are the raw lines, secrets and all: show them through ``quote`` only.
    """

    device: Device
    diagnostics: tuple[Diagnostic, ...]
    lines: list[str]
    unread: tuple[int, ...]
    understood: int

    @property
    def fully_understood(self) -> bool:
        """Whether every statement was read."""
        return not self.unread

    def quote(self, line: int) -> str:
        """Line number ``line`` (from 1), its indentation kept, its secrets struck out."""
        raw = self.lines[line - 1].rstrip("\r")
        return strike(raw, understood=line not in self.unread).text


def read_sheet(text: str, file: str) -> Sheet:
    """Read a sheet; ``file`` names it in every origin. Mistakes in it become diagnostics."""
    reading = read_statements(text, file)
    lines = text.split("\n")
    builder = Builder(file, lines)
    builder.say(reading)
    diagnostics = sorted([*reading.diagnostics, *builder.warnings], key=lambda each: each.span[1:])
    return Sheet(builder.device(), tuple(diagnostics), lines, tuple(reading.unread), reading.understood)


def read_bytes(data: bytes, file: str) -> Sheet:
    """Read a sheet from the bytes of a file. Raises Unreadable where they are not UTF-8 text."""
    if b"\0" in data:
        line = data.count(b"\n", 0, data.index(b"\0")) + 1
        raise Unreadable(f"not a text file: a zero byte on line {line}")
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as bad:
        line = data.count(b"\n", 0, bad.start) + 1
        raise Unreadable(f"not UTF-8 text: byte 0x{data[bad.start]:02x} on line {line}") from None
    return read_sheet(text, file)


__all__ = ["Level", "Sheet", "Unreadable", "read_bytes", "read_sheet"]
