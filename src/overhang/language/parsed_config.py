"""One configuration after reading, whatever it was written in: the device, the diagnostics, and the lines to quote."""

from collections.abc import Callable, Mapping, Sequence
from typing import NamedTuple

from overhang.language.builder import Builder
from overhang.language.ir import PlacedStatement, Program, Statement
from overhang.language.parser import parse_program
from overhang.language.redact import sheet_lines
from overhang.language.unparser import unparse_statement, withheld
from overhang.model import Configured, Device
from overhang.profiles import Profile
from overhang.text import Diagnostic, Origin, Shown, SourceLines, UnreadableInput


class Phrased(NamedTuple):
    """Statements written in the language of a device's own configuration, and the name of that language.

    ``lines`` is None where that language has no words for all of them.
    """

    language: str
    lines: tuple[str, ...] | None


class ParsedConfig(NamedTuple):
    """The result of reading one device's configuration.

    ``unread`` holds the numbers of the lines that were not understood, ``silent`` those of lines that something of a
    dialect fits and that say nothing here, since a condition does not hold; ``understood`` counts the others. ``lines``
    quote what their reader has vouched for. ``reader`` names what read them. For a text that is no sheet, ``profiles``
    are those that its format adds, ``others`` holds the lines of further files that statements come from, ``phrase``
    writes statements of the sheet language
    in the text's own. ``assumed`` is the profile where the text names none, if its format has one. ``program`` holds
    the statements, each with its line, ``programs`` those of further files; ``incomplete``: one of them says that there
    may be more.
    """

    device: Device
    diagnostics: tuple[Diagnostic, ...]
    lines: SourceLines
    unread: tuple[int, ...]
    understood: int
    reader: str = "sheet"
    profiles: Mapping[str, Profile] = {}
    others: Mapping[str, SourceLines] = {}
    phrase: Callable[[Sequence[str]], Phrased] | None = None
    assumed: Profile | None = None
    program: Program | None = None
    incomplete: bool = False
    silent: tuple[int, ...] = ()
    programs: Mapping[str, Program] = {}

    @property
    def fully_understood(self) -> bool:
        """Whether every line was understood, and the configuration does not itself say that it may hold more."""
        return not self.unread and not self.incomplete

    def quote(self, line: int) -> Shown:
        """Line number ``line`` (from 1) as it may be shown, its indentation kept."""
        return self.lines.quote(line)

    @property
    def stated(self) -> Device:
        """The device as a sheet of it must state it, to mean the same.

        The profile that its format assumes is written into it; one that was not understood is named unknown; and where
        not every line was understood, the device may hold more.
        """
        facts = self.device.facts
        origin = facts.block.origin or Origin(self.device.file, 1)
        if facts.profile is None and (self.assumed is not None or facts.profile_unread is not None):
            name = _UNKNOWN if self.assumed is None or facts.profile_unread is not None else self.assumed.name
            facts = facts._replace(profile=Configured(name, origin), block=facts.block._replace(origin=origin))
        if not self.fully_understood:
            facts = facts._replace(block=facts.block._replace(origin=origin, doubt=origin))
        return self.device._replace(facts=facts)

    def quote_at(self, origin: Origin) -> Shown:
        """The line at an origin, which may be of another file than the device's."""
        return self.others.get(origin.file, self.lines).quote(origin.line)


class StatementTexts:
    """The statements of a configuration by their lines, as a sheet has them, below their block and without secrets."""

    def __init__(self, config: ParsedConfig) -> None:
        self._config = config
        self._by_file: dict[str, tuple[Sequence[PlacedStatement], dict[int, list[int]]]] = {}

    def _statements(self, file: str) -> tuple[Sequence[PlacedStatement], dict[int, list[int]]]:
        """The statements of a file, and their numbers by line."""
        if file not in self._by_file:
            config = self._config
            program = config.programs.get(file) or (None if file in config.others else config.program)
            placed = program.statements if program is not None else []
            by_line: dict[int, list[int]] = {}
            for index, each in enumerate(placed):
                by_line.setdefault(each.line, []).append(index)
            self._by_file[file] = placed, by_line
        return self._by_file[file]

    def at(self, origin: Origin) -> list[str]:
        """The statements of a line; the line as it is shown where it holds none, as one that was not understood."""
        placed, by_line = self._statements(origin.file)
        here = by_line.get(origin.line, ())
        owners = {placed[index].owner for index in here}
        found = []
        for index in here:
            if index not in owners:  # a header on the line of what stands in it says nothing more
                each = placed[index]
                owner = [] if each.owner < 0 else [_bare(placed[each.owner].statement)]
                found.append(" / ".join([*owner, _bare(each.statement)]))
        return found or [self._config.quote_at(origin).strip()]


#: A profile of this name is never known.
_UNKNOWN = "unknown"


def _bare(statement: Statement) -> str:
    """A statement without its secrets, and without the device's name."""
    if statement.spec.opens == "device":
        return "device"
    return ("drop " if statement.drop else "") + unparse_statement(withheld(statement))


def read_sheet(text: str, file: str) -> ParsedConfig:
    """Read a sheet; ``file`` names it in every origin. Mistakes in it become diagnostics."""
    program = parse_program(text, file)
    lines = sheet_lines(text.split("\n"), program.read)
    builder = Builder(file, lines.quote)
    builder.add(program)
    diagnostics = sorted([*program.diagnostics, *builder.warnings], key=lambda each: each.span[1:])
    device = builder.device()
    return ParsedConfig(
        device,
        tuple(diagnostics),
        lines,
        tuple(program.unread),
        program.understood,
        program=program,
        incomplete=builder.incomplete,
    )


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
