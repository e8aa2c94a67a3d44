"""A sheet as a whole: the device, what was remarked on the way, and the lines to quote from."""

from collections.abc import Callable, Mapping, Sequence
from typing import NamedTuple

from overhang.language.builder import Builder
from overhang.language.lexer import strike
from overhang.language.parser import read_statements
from overhang.model import Configured, Device
from overhang.profiles import Profile
from overhang.text import Diagnostic, Level, Origin


class Unreadable(Exception):
    """An input that is no text at all; the message says why and where."""


class Phrased(NamedTuple):
    """Statements in the words of the language that a device's text is written in, and what that language is called.

    ``lines`` is None where that language has no words for all of them.
    """

    language: str
    lines: tuple[str, ...] | None


class ParsedConfig(NamedTuple):
    """One device read. ``unread`` holds the numbers of the lines not understood, ``understood`` counts the others.

    ``lines`` are the raw lines, secrets and all: show them through ``quote`` only. ``reader`` tells how it was read.
    For a text that is no sheet ``struck`` shows a line without its secrets, ``profiles`` are those that its language
    brings, ``others`` holds the lines of further files that statements come from, and ``phrase`` says statements
    of the sheet language in that language. ``assumed`` is the profile where the text names none, if its format has one.
    """

    device: Device
    diagnostics: tuple[Diagnostic, ...]
    lines: list[str]
    unread: tuple[int, ...]
    understood: int
    reader: str = "sheet"
    struck: Callable[[int], str] | None = None
    profiles: Mapping[str, Profile] = {}
    others: Mapping[str, Sequence[str]] = {}
    phrase: Callable[[Sequence[str]], Phrased] | None = None
    assumed: Profile | None = None

    @property
    def fully_understood(self) -> bool:
        """Whether every statement was read."""
        return not self.unread

    def quote(self, line: int) -> str:
        """Line number ``line`` (from 1), its indentation kept, its secrets struck out."""
        if self.struck is not None:
            return self.struck(line)
        raw = self.lines[line - 1].rstrip("\r")
        return strike(raw, understood=line not in self.unread).text

    @property
    def stated(self) -> Device:
        """The device with the profile that its format assumes said in it, so that it can be passed on as a sheet."""
        facts = self.device.facts
        if self.assumed is None or facts.profile is not None:
            return self.device
        origin = facts.block.origin or Origin(self.device.file, 1)
        profile = Configured(self.assumed.name, origin)
        return self.device._replace(facts=facts._replace(profile=profile, block=facts.block._replace(origin=origin)))

    def quote_at(self, origin: Origin) -> str:
        """The line at an origin, which may be of another file than the device's."""
        if origin.file in self.others:
            return self.others[origin.file][origin.line - 1]
        return self.quote(origin.line)


def read_sheet(text: str, file: str) -> ParsedConfig:
    """Read a sheet; ``file`` names it in every origin. Mistakes in it become diagnostics."""
    reading = read_statements(text, file)
    lines = text.split("\n")
    builder = Builder(file, lambda line: strike(lines[line - 1].rstrip("\r")).text)
    builder.say(reading)
    diagnostics = sorted([*reading.diagnostics, *builder.warnings], key=lambda each: each.span[1:])
    return ParsedConfig(builder.device(), tuple(diagnostics), lines, tuple(reading.unread), reading.understood)


def read_bytes(data: bytes, file: str) -> ParsedConfig:
    """Read a sheet from the bytes of a file. Raises Unreadable where they are not UTF-8 text."""
    return read_sheet(decode(data), file)


def decode(data: bytes) -> str:
    """The text of a file. Raises Unreadable where it is not UTF-8 text."""
    if b"\0" in data:
        line = data.count(b"\n", 0, data.index(b"\0")) + 1
        raise Unreadable(f"not a text file: a zero byte on line {line}")
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError as bad:
        line = data.count(b"\n", 0, bad.start) + 1
        raise Unreadable(f"not UTF-8 text: byte 0x{data[bad.start]:02x} on line {line}") from None


__all__ = ["Level", "Phrased", "ParsedConfig", "Unreadable", "read_bytes", "read_sheet"]
