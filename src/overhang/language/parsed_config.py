"""One configuration after reading, whatever it was written in: the device, the diagnostics, and the lines to quote."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import NamedTuple, Protocol

from overhang.language.builder import Builder
from overhang.language.ir import PlacedStatement, Program, Remark, Statement
from overhang.language.parser import parse_program
from overhang.language.redact import sheet_lines
from overhang.language.schema import INCOMPLETE
from overhang.language.unparser import unparse_statement, withheld
from overhang.model import Configured, Device
from overhang.profiles import Profile
from overhang.text import Diagnostic, Origin, Shown, SourceLines, UnreadableInput

#: The name of the reader of sheets.
SHEET = "sheet"


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
    reader: str = SHEET
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


class SourceText(Protocol):
    """What there is to quote of a configuration, and what was remarked of its lines: see ``ParsedConfig``."""

    @property
    def diagnostics(self) -> tuple[Diagnostic, ...]:
        """What is wrong with its lines, or odd."""

    @property
    def unread(self) -> tuple[int, ...]:
        """The lines that were not understood."""

    @property
    def silent(self) -> tuple[int, ...]:
        """Those that say nothing here."""

    @property
    def understood(self) -> int:
        """How many others there are."""

    @property
    def reader(self) -> str:
        """What read it."""

    @property
    def phrase(self) -> Callable[[Sequence[str]], Phrased] | None:
        """What writes statements in its language."""

    @property
    def program(self) -> Program | None:
        """Its statements."""

    @property
    def programs(self) -> Mapping[str, Program]:
        """Those of further files."""

    @property
    def others(self) -> Mapping[str, SourceLines]:
        """The lines of these."""

    @property
    def incomplete(self) -> bool:
        """Whether it says that there may be more."""

    def quote_at(self, origin: Origin) -> Shown:
        """The line at an origin."""


class StatementTexts:
    """The statements of a configuration by their lines, as a sheet has them, below their block and without secrets."""

    def __init__(self, config: SourceText) -> None:
        self._config = config
        self._by_file: dict[str, tuple[Sequence[PlacedStatement], dict[int, list[int]]]] = {}
        self._at: dict[Origin, list[str]] = {}

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
        found = self._at.get(origin)
        if found is None:
            found = self._at[origin] = self._found_at(origin)
        return found

    def _found_at(self, origin: Origin) -> list[str]:
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


#: Statements, by their identity, without secrets: lines that are the same on many devices are read to one statement.
_BARE: dict[int, tuple[Statement, str]] = {}
_MOST_BARE = 20_000


def _bare(statement: Statement) -> str:
    """A statement without its secrets, and without the device's name."""
    known = _BARE.get(id(statement))
    if known is not None:
        return known[1]
    text = "device"
    if statement.spec.opens != "device":
        text = ("drop " if statement.drop else "") + unparse_statement(withheld(statement))
    if len(_BARE) >= _MOST_BARE:
        _BARE.clear()
    _BARE[id(statement)] = statement, text
    return text


class Outline(NamedTuple):
    """A sheet's statements, before its device is built. ``profiles`` are those that somebody adds who knows more."""

    file: str
    lines: SourceLines
    program: Program
    profiles: Mapping[str, Profile] = {}

    @classmethod
    def of(cls, text: str, file: str) -> "Outline":
        """That of a sheet; ``file`` names it in every origin."""
        program = parse_program(text, file)
        return cls(file, sheet_lines(text.split("\n"), program.read), program)

    @property
    def plain(self) -> bool:
        """Whether every line was understood, and its statements neither take anything back nor leave anything open."""
        program = self.program
        return not (program.unread or program.diagnostics or program.doubts or program.suspected) and not any(
            line.statement.drop or line.drops_inside or line.statement.spec.field == INCOMPLETE
            for line in program.statements
        )

    @property
    def profile(self) -> str | None:
        """The name of the profile that holds for it, where it is plain."""
        said = [each.statement for each in self.program.statements if each.statement.spec.field == "profile"]
        return said[-1].value if said else None

    def built(self) -> tuple[ParsedConfig, list[Remark]]:
        """The whole configuration, and what is remarked of it. Mistakes in it are diagnostics."""
        program = self.program
        builder = Builder(self.file)
        builder.add(program)
        config = ParsedConfig(
            builder.device(),
            self.diagnostics(builder.remarks),
            self.lines,
            tuple(program.unread),
            program.understood,
            profiles=self.profiles,
            program=program,
            incomplete=builder.incomplete,
        )
        return config, builder.remarks

    def diagnostics(self, remarks: Iterable[Remark]) -> tuple[Diagnostic, ...]:
        """What is wrong with it, and what is remarked of it, by lines."""
        warnings = [each.told(self.file, self.lines.quote) for each in remarks]
        return tuple(sorted([*self.program.diagnostics, *warnings], key=lambda each: each.span[1:]))


class OutlinedText(NamedTuple):
    """What there is to quote of a sheet of which every line was understood: a ``SourceText``."""

    outline: Outline
    diagnostics: tuple[Diagnostic, ...]
    unread: tuple[int, ...] = ()
    silent: tuple[int, ...] = ()
    reader: str = SHEET
    phrase: Callable[[Sequence[str]], Phrased] | None = None
    programs: Mapping[str, Program] = {}
    others: Mapping[str, SourceLines] = {}
    incomplete: bool = False

    @property
    def understood(self) -> int:
        """How many lines there are that say something."""
        return self.outline.program.understood

    @property
    def program(self) -> Program:
        """Its statements."""
        return self.outline.program

    def quote_at(self, origin: Origin) -> Shown:
        """The line at an origin."""
        return self.outline.lines.quote(origin.line)


def read_sheet(text: str, file: str) -> ParsedConfig:
    """Read a sheet; ``file`` names it in every origin. Mistakes in it become diagnostics."""
    return Outline.of(text, file).built()[0]


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
