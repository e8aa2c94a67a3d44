"""A change to one device: statements of the sheet language, or text in the maker's own words, applied one by one.

Statements of a sheet change the device as it was read. A maker's text is read again with the configuration before it,
so that its take-back word, and whatever depends on other lines, means what it means there.
"""

from collections.abc import Callable, Iterator, Sequence
from typing import NamedTuple, Protocol

from overhang.dialect.interpreter import Interpreter
from overhang.dialect.scan import Scan
from overhang.dialect.tokenizer import Node
from overhang.formats.dialect_format import DialectReader
from overhang.formats.sheet_format import READER as SHEETS
from overhang.language import ParsedConfig
from overhang.language.builder import Builder
from overhang.language.ir import Program
from overhang.language.parsed_config import decode
from overhang.language.parser import parse_program
from overhang.language.redact import sheet_lines
from overhang.language.unparser import struck, unparse_statement
from overhang.text import Level, Origin, UnreadableInput

NOT_THERE = "takes back what is not there"
NOT_UNDERSTOOD = "not understood"


class Unit(NamedTuple):
    """One statement of a change: its line, how it may be shown, and as text that stands alone, below its heads.

    ``after`` are the numbers of earlier units that it must come after, since they are about the same thing.
    """

    line: int
    shown: str
    text: str
    after: frozenset[int] = frozenset()


class Applied(NamedTuple):
    """The device after one more line of a change. ``remark`` says what is wrong with the line, "" for nothing."""

    line: int
    shown: str
    config: ParsedConfig
    remark: str = ""


class Change(Protocol):
    """A change to one device."""

    file: str
    units: tuple[Unit, ...]

    def steps(self) -> Iterator[Applied]:
        """The device after each line, in the order in which they are written."""
        ...

    def after(self, order: Sequence[int]) -> ParsedConfig:
        """The device after units in some order."""
        ...

    def text(self, order: Sequence[int]) -> str:
        """The change with its units in another order, to be written to a file: passwords and all."""
        ...

    def place(self, origin: Origin) -> Origin:
        """Where something stands: in the change, or in the device's own text."""
        ...


def read_change(config: ParsedConfig, data: bytes, file: str, base: Callable[[], bytes], reader: object) -> Change:
    """A change by the bytes of its file. It is a maker's text where the device's ``reader`` is a dialect, and it does
    not look like a sheet. Raises UnreadableInput."""
    if file == config.device.file:
        raise UnreadableInput("is the device's own configuration; a change is a file of its own")
    text = decode(data)
    if isinstance(reader, DialectReader) and not file.endswith(".sheet") and not _is_sheet(data):
        return MakerChange(config, reader, decode(base()), text, file)
    return SheetChange(config, text, file)


def _is_sheet(data: bytes) -> bool:
    return any(line[:1].strip() and line[:1] != b"#" for line in data.splitlines()) and SHEETS.recognises(data, "")


# -- statements of the sheet language ----------------------------------------------------------------------------------


class SheetChange:
    """Statements of the sheet language."""

    def __init__(self, config: ParsedConfig, text: str, file: str) -> None:
        self.file = file
        self._config = config
        self._program = parse_program(text, file)
        self._raw = text.split("\n")
        self._lines = sheet_lines(self._raw, self._program.read)
        self._indices: list[list[int]] = []
        self.units = tuple(self._units())

    def _builder(self) -> Builder:
        return Builder.over(self._config.device, self.file)

    def _made(self, builder: Builder, *, unread: bool) -> ParsedConfig:
        return self._config._replace(
            device=builder.device(),
            others={**self._config.others, self.file: self._lines},
            programs={self.file: self._program},
            incomplete=self._config.incomplete or builder.incomplete or unread,
        )

    def steps(self) -> Iterator[Applied]:
        """The device after each line, in the order in which they are written."""
        program, builder = self._program, self._builder()
        wrong = {each.span.line: each.message for each in program.diagnostics if each.level is Level.ERROR}
        waiting = sorted(program.unread)
        unread = False
        placed = program.statements
        inside = {each.owner for each in placed if each.owner >= 0}
        texts = {owner for owner, _, _ in program.texts}
        told = 0
        for index in builder.steps(program):
            line = placed[index].line
            while waiting and waiting[0] < line:
                unread = True
                at = waiting.pop(0)
                remark = f"{NOT_UNDERSTOOD}: {wrong.get(at, 'it stands inside a line that was not understood')}"
                yield Applied(at, self._lines.quote(at).strip(), self._made(builder, unread=True), remark)
            if index + 1 < len(placed) and placed[index + 1].line == line:
                continue
            remark = NOT_THERE if builder.missed[told:] else ""
            told = len(builder.missed)
            opens = placed[index].statement.spec.opens and not placed[index].statement.drop
            if opens and index in inside and index not in texts:
                continue  # the head of a block takes effect with the first statement in it
            yield Applied(line, self._shown(index), self._made(builder, unread=unread), remark)
        for at in waiting:
            remark = f"{NOT_UNDERSTOOD}: {wrong.get(at, 'it stands inside a line that was not understood')}"
            yield Applied(at, self._lines.quote(at).strip(), self._made(builder, unread=True), remark)

    def _shown(self, index: int) -> str:
        """A statement below its block, without its secrets."""
        placed = self._program.statements[index]
        text = unparse_statement(struck(placed.statement))
        if placed.owner < 0:
            return f"drop {text}" if placed.statement.drop else text
        head = unparse_statement(struck(self._program.statements[placed.owner].statement))
        return f"{'drop ' if placed.statement.drop else ''}{head}: {text}"

    def _units(self) -> Iterator[Unit]:
        """Each statement inside a block with the block's head, and heads under which nothing stands."""
        placed = self._program.statements
        inside = {each.owner for each in placed if each.owner >= 0}
        keys: list[tuple[str, str, bool]] = []
        number = 0
        for index, each in enumerate(placed):
            if each.owner < 0 and index in inside:
                continue
            owner = placed[each.owner] if each.owner >= 0 else each
            head = unparse_statement(owner.statement)
            spec = each.statement.spec
            field = "" if each.owner < 0 else "password" if spec.secret else spec.field
            whole = each.owner < 0
            after = frozenset(
                at
                for at, (other, its, all_of_it) in enumerate(keys)
                if other == head and (its == field or whole or all_of_it)
            )
            keys.append((head, field, whole and each.statement.drop))
            self._indices.append([index] if each.owner < 0 else [each.owner, index])
            yield Unit(each.line, self._shown(index), self._text(index), after)
            number += 1

    def _text(self, index: int) -> str:
        """A statement as a line that stands alone."""
        program = self._program
        placed = program.statements[index]
        text = unparse_statement(placed.statement)
        if placed.owner >= 0:
            head = unparse_statement(program.statements[placed.owner].statement)
            return f"{'drop ' if placed.statement.drop else ''}{head}: {text}"
        if placed.statement.drop:
            return f"drop {text}"
        lines = [f"    | {each}".rstrip() for owner, _, each in program.texts if owner == index]
        return "\n".join([f"{text}:", *lines])

    def after(self, order: Sequence[int]) -> ParsedConfig:
        """The device after units in some order."""
        placed = self._program.statements
        program = Program.empty()
        for number in order:
            indices = self._indices[number]
            first = len(program.statements)
            for at, index in enumerate(indices):
                owner = first if at else -1
                program.statements.append(placed[index]._replace(owner=owner))
                program.texts.extend((first + at, line, text) for of, line, text in self._program.texts if of == index)
        builder = self._builder()
        builder.add(program)
        return self._made(builder, unread=bool(self._program.unread))

    def text(self, order: Sequence[int]) -> str:
        """The change with its units in another order."""
        return "".join(self.units[number].text + "\n" for number in order)

    def place(self, origin: Origin) -> Origin:
        """Where something stands."""
        return origin


# -- a maker's own words -----------------------------------------------------------------------------------------------


class MakerChange:
    """Text in a maker's own words, read behind the device's configuration."""

    def __init__(self, config: ParsedConfig, reader: DialectReader, base: str, text: str, file: str) -> None:
        self.file = file
        self._config, self._reader = config, reader
        self._base = base if base.endswith("\n") or not base else base + "\n"
        self._length = self._base.count("\n")
        self._text = text.split("\n")
        self._layout = reader.dialect.layout
        scan = Scan(reader.dialect, text, tracing=False)
        self._nodes = list(scan.with_texts())
        self._braces = self._layout.form == "braces"
        self._whole: ParsedConfig | None = None
        self.units = tuple(self._units())

    def _read(self, text: str) -> ParsedConfig:
        return self._reader.read((self._base + text).encode("utf-8"), self._config.device.file)

    def after_all(self) -> ParsedConfig:
        """The device after the whole change."""
        return self._final

    @property
    def _final(self) -> ParsedConfig:
        if self._whole is None:
            self._whole = self._read("\n".join(self._text))
        return self._whole

    def _quote(self, line: int) -> str:
        return self._final.quote(self._length + line).strip()

    def _depth(self, node: Node) -> int:
        depth = 0
        while node.parent >= 0:
            node = self._nodes[node.parent]
            depth += 1
        return depth

    def steps(self) -> Iterator[Applied]:
        """The device after each line, in the order in which they are written."""
        independent = self._independent()
        if independent is None:
            yield from self._reread()
            return
        device = self._config.device
        builder = Builder.over(device, device.file)
        builder.quiet = builder.claims = True
        wrong = self._wrong()
        for line in sorted({node.line for node in self._nodes}):
            if line in independent:
                builder.add(independent[line])
            unread = tuple(each for each in self._final.unread if each <= self._length + line)
            config = self._final._replace(device=builder.device(), unread=unread)
            yield Applied(line, self._quote(line), config, wrong.get(line, ""))

    def _independent(self) -> dict[int, Program] | None:
        """What each line means, where none depends on others that the change brings; None where some may."""
        dialect, helpers = self._reader.dialect, self._reader.helpers
        if helpers.step is not None or any(each.sort_by or each.again for each in dialect.translations):
            return None
        text = self._base + "\n".join(self._text)
        interpreter = Interpreter(dialect, text, self._config.device.file, helpers)
        self._whole = interpreter.parsed()
        program = interpreter.emitter.program
        if interpreter.scan.beside.last > self._length:
            return None
        return _by_line(program, self._length)

    def _reread(self) -> Iterator[Applied]:
        """The device after each line, the text read again as far as it."""
        wrong = self._wrong()
        starts = sorted({node.line for node in self._nodes})
        for place, line in enumerate(starts):
            last = place + 1 == len(starts)
            text = "\n".join(self._text if last else self._text[: starts[place + 1] - 1])
            if self._braces and not last:
                following = next(node for node in self._nodes if node.line == starts[place + 1])
                text += "\n" + f"{self._layout.close}\n" * self._depth(following)
            yield Applied(line, self._quote(line), self._read(text), wrong.get(line, ""))

    def _wrong(self) -> dict[int, str]:
        """What is wrong with lines of the change."""
        return {
            each.span.line - self._length: f"{NOT_UNDERSTOOD}: {each.message}"
            for each in self._final.diagnostics
            if each.level is Level.ERROR and each.span.line > self._length
        }

    def _units(self) -> Iterator[Unit]:
        parents = {node.parent for node in self._nodes}
        keys: list[tuple[tuple[str, ...], tuple[str, ...]]] = []
        for index, node in enumerate(self._nodes):
            if index in parents:
                continue
            path: list[Node] = []
            at = node
            while at.parent >= 0:
                at = self._nodes[at.parent]
                path.insert(0, at)
            heads = [self._line(each) for each in path]
            body = self._text[node.line - 1 : node.last]
            closers = [self._layout.close] * len(path) if self._braces else []
            words = [word for word in node.words if word not in (self._layout.say, self._layout.take_back)]
            key = (tuple(each.strip() for each in heads), tuple(words[:2] if heads else words[:3]))
            after = frozenset(at for at, other in enumerate(keys) if other == key)
            keys.append(key)
            yield Unit(node.line, self._quote(node.line), "\n".join([*heads, *body, *closers]), after)

    def _line(self, node: Node) -> str:
        return self._text[node.line - 1]

    def after(self, order: Sequence[int]) -> ParsedConfig:
        """The device after units in some order."""
        return self._read(self.text(order))

    def text(self, order: Sequence[int]) -> str:
        """The change with its units in another order."""
        return "".join(self.units[number].text + "\n" for number in order)

    def place(self, origin: Origin) -> Origin:
        """Where something stands: in the change where its line is behind the device's own text."""
        if origin.file == self._config.device.file and origin.line > self._length:
            return Origin(self.file, origin.line - self._length)
        return origin


def _by_line(program: Program, length: int) -> dict[int, Program] | None:
    """The statements behind line ``length``, for each line a program of its own, counted from there; None where a text
    goes on that began before."""
    found: dict[int, Program] = {}
    places: dict[int, tuple[int, int]] = {}
    for index, placed in enumerate(program.statements):
        if placed.line <= length:
            continue
        line = placed.line - length
        of = found.setdefault(line, Program.empty())
        owner = -1
        if placed.owner >= 0:
            if places.get(placed.owner, (0, 0))[0] != line:
                of.statements.append(program.statements[placed.owner]._replace(line=placed.line))
                places[placed.owner] = line, len(of.statements) - 1
            owner = places[placed.owner][1]
        of.statements.append(placed._replace(owner=owner))
        if placed.owner < 0:
            places[index] = line, len(of.statements) - 1
    for owner, line in program.doubts.items():
        if line > length:
            of = found.setdefault(line - length, Program.empty())
            of.doubts[len(of.statements)] = line
            of.statements.append(program.statements[owner]._replace(line=line, drops_inside=True))
    for kind, line in program.suspected.items():
        if line > length:
            of = found.get(line - length, Program.empty())
            found[line - length] = of._replace(suspected={**of.suspected, kind: line})
    for owner, number, text in program.texts:
        if number > length:
            if owner not in places:
                return None
            line, at = places[owner]
            found[line].texts.append((at, number, text))
    return found
