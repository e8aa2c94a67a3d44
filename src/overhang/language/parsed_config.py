"""One configuration after reading, whatever it was written in: the device, the diagnostics, and the lines to quote."""

from collections.abc import Callable, Mapping, Sequence
from typing import NamedTuple

from overhang.language.builder import Builder
from overhang.language.parser import parse_program
from overhang.language.redact import strike
from overhang.model import Configured, Device
from overhang.profiles import Profile
from overhang.text import Diagnostic, Origin, UnreadableInput


class Phrased(NamedTuple):
    """Statements written in the language of a device's own configuration, and the name of that language.

    ``lines`` is None where that language has no words for all of them.
    """

    language: str
    lines: tuple[str, ...] | None


class ParsedConfig(NamedTuple):
    """The result of reading one device's configuration.

    ``unread`` holds the numbers of the lines that were not understood, ``understood`` counts the others. ``lines`` are
    the raw lines, secrets and all: show them through ``quote`` only. ``reader`` names what read them. For a text that
    is no sheet, ``redactor`` shows a line without its secrets, ``profiles`` are those that its format adds, ``others``
    holds the lines of further files that statements come from, and ``phrase`` writes statements of the sheet language
    in the text's own. ``assumed`` is the profile where the text names none, if its format has one.
    """

    device: Device
    diagnostics: tuple[Diagnostic, ...]
    lines: list[str]
    unread: tuple[int, ...]
    understood: int
    reader: str = "sheet"
    redactor: Callable[[int], str] | None = None
    profiles: Mapping[str, Profile] = {}
    others: Mapping[str, Sequence[str]] = {}
    phrase: Callable[[Sequence[str]], Phrased] | None = None
    assumed: Profile | None = None

    @property
    def fully_understood(self) -> bool:
        """Whether every line was understood."""
        return not self.unread

    def quote(self, line: int) -> str:
        """Line number ``line`` (from 1), its indentation kept, its secrets struck out."""
        if self.redactor is not None:
            return self.redactor(line)
        raw = self.lines[line - 1].rstrip("\r")
        return strike(raw, understood=line not in self.unread).text

    @property
    def stated(self) -> Device:
        """The device with the profile that its format assumes written into it, so that a sheet of it means the same."""
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
    program = parse_program(text, file)
    lines = text.split("\n")
    builder = Builder(file, lambda line: strike(lines[line - 1].rstrip("\r")).text)
    builder.add(program)
    diagnostics = sorted([*program.diagnostics, *builder.warnings], key=lambda each: each.span[1:])
    return ParsedConfig(builder.device(), tuple(diagnostics), lines, tuple(program.unread), program.understood)


def read_bytes(data: bytes, file: str) -> ParsedConfig:
    """Read a sheet from the bytes of a file. Raises UnreadableInput where they are not UTF-8 text."""
    return read_sheet(decode(data), file)


def decode(data: bytes) -> str:
    """The text of a file. Raises UnreadableInput where it is not UTF-8 text."""
    if b"\0" in data:
        line = data.count(b"\n", 0, data.index(b"\0")) + 1
        raise UnreadableInput(f"not a text file: a zero byte on line {line}")
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError as bad:
        line = data.count(b"\n", 0, bad.start) + 1
        raise UnreadableInput(f"not UTF-8 text: byte 0x{data[bad.start]:02x} on line {line}") from None
