"""A device as statements again, in the order of the schema: what the unparser and the writers of data write."""

from collections.abc import Iterator, Mapping, Sequence
from typing import Any, NamedTuple

from overhang.language.ir import Statement
from overhang.language.schema import INCOMPLETE, SCHEMA
from overhang.language.spec import BlockSpec, CompiledSpec, Keep, Schema
from overhang.language.terminals import decode_vty_range
from overhang.model import Another, BlockInfo, Configured, Device, Entry, Family, StoredSecret
from overhang.model.stored_secret import FORMS_WITH_TEXT, Form


class NormalBlock(NamedTuple):
    """One block: its header, the statements in it, and for a banner its lines. ``value`` is what the model holds."""

    header: Statement
    body: tuple[Statement, ...]
    lines: tuple[str, ...] = ()
    value: Any = None
    #: the further password of VTYs that it gives, or takes back
    another: Another | None = None


class Normaliser:
    """Turns devices into statements. Without ``secrets``, ``withheld`` stands for every password that has a text."""

    def __init__(self, *, secrets: bool, schema: Schema = SCHEMA) -> None:
        self._secrets = secrets
        self._schema = schema

    def blocks(self, device: Device) -> Iterator[NormalBlock]:
        """Every block of a device, in the order of the schema."""
        for block in self._schema.blocks.values():
            if block.keep is Keep.BY_NUMBER:
                yield from self._vtys(device)
                continue
            for captures, value in held_blocks(block, device):
                origin: BlockInfo = value.block
                if origin.origin is not None:
                    lines = value.lines if block.name == "banner" else ()
                    yield NormalBlock(self._header(block, captures), tuple(self._body(block, value)), lines, value)

    def statement(self, block: str, field: str, value: Any) -> Statement:
        """The statement that fills a field of a block with a value."""
        spec = self._schema.by_field[block, field].spec
        value = self._shown(value)
        return Statement(spec, spec.codec.encode(value), value)

    def _header(self, block: BlockSpec, captures: Mapping[str, Any], *, drop: bool = False) -> Statement:
        spec = self._schema.by_field["", block.name].spec
        return Statement(spec, captures, captures, drop)

    def _body(self, block: BlockSpec, value: Any) -> Iterator[Statement]:
        for row in self._schema.table[block.name]:
            yield from self._statements(row, value)

    def _statements(self, row: CompiledSpec, value: Any) -> Iterator[Statement]:
        spec = row.spec
        if spec.field == INCOMPLETE:
            if value.block.doubt is not None:
                yield Statement(spec, {"lines": value.block.after} if value.block.after else {}, True)
            return
        if spec.block == "elevation" and spec.field == "password":
            given = [each for each in (value.strong, value.plain) if each is not None]
            # blanked they would be two one-way ones, of which the one that counts is kept
            for each in given if self._secrets else given[:1]:
                yield self.statement(spec.block, spec.field, each.value)
            return
        held = getattr(value, spec.field)
        if spec.by_family:
            yield from self._family(row, held)
        elif isinstance(held, Configured):
            yield self.statement(spec.block, spec.field, held.value)
        else:
            for each in held or ():
                yield self.statement(spec.block, spec.field, each.value)

    @staticmethod
    def _family(row: CompiledSpec, held: Family) -> Iterator[Statement]:
        one, other = held
        if one is not None and other is not None and one.value == other.value:
            yield Statement(row.spec, {"list": one.value})
            return
        for said, family in ((one, "ipv4"), (other, "ipv6")):
            if said is not None:
                yield Statement(row.spec, {"list": said.value, "family": family})

    def _shown(self, value: Any) -> Any:
        """A value with its stored password withheld, unless secrets are wanted."""
        if self._secrets or not isinstance(value, tuple):
            return value
        if isinstance(value, StoredSecret):
            return StoredSecret(Form.WITHHELD) if value.form in FORMS_WITH_TEXT else value
        if any(isinstance(each, StoredSecret) for each in value):
            return type(value)(*map(self._shown, value))
        return value

    def _further(self, device: Device, block: BlockSpec) -> Iterator[NormalBlock]:
        """The further passwords of VTYs, each under the range it is known by, and taken back where a VTY lost it."""
        given: dict[tuple[str, int], Configured[Another]] = {}
        for entry in device.vtys.values():
            for said in entry.others:
                given.setdefault((said.value.under, said.value.number), said)
        in_line = sorted(given, key=lambda each: (given[each].origin.line, each))
        by_number = {text: iter(sorted(each for each in given if each[0] == text)) for text, _ in in_line}
        for text, place in (next(by_number[text]) for text, _ in in_line):  # lines may be those of several files
            said = given[text, place]
            numbers = decode_vty_range(text)
            statement = self.statement("vty", "others", said.value)
            yield NormalBlock(self._header(block, {"range": numbers}), (statement,), another=said.value)
            for number in _numbers(numbers):
                header = self._header(block, {"range": (number, number)}, drop=number not in device.vtys)
                held = () if header.drop else device.vtys[number].others
                if not any((each.value.under, each.value.number) == (text, place) for each in held):
                    gone = () if header.drop else (statement._replace(drop=True),)
                    yield NormalBlock(header, gone, another=said.value)

    def _vtys(self, device: Device) -> Iterator[NormalBlock]:
        """VTYs that are configured alike, in runs. A password comes first, under the range it is known by."""
        block = self._schema.blocks["vty"]
        ranges: dict[str, Configured[StoredSecret]] = {}
        for entry in device.vtys.values():
            if entry.password is not None:
                ranges[_range_of(entry)] = entry.password
        covered: dict[int, list[str]] = {}
        for text in ranges:
            for number in _numbers(decode_vty_range(text)):
                covered.setdefault(number, []).append(text)
        for text in _last_wins(device, sorted(ranges, key=lambda each: ranges[each].origin.line), covered):
            header = self._header(block, {"range": decode_vty_range(text)})
            yield NormalBlock(header, (self.statement("vty", "password", ranges[text].value),))
        for number in sorted(covered):
            header = self._header(block, {"range": (number, number)}, drop=number not in device.vtys)
            if header.drop or device.vtys[number].password is None:
                password = Statement(self._schema.by_field["vty", "password"].spec, {}, drop=True)
                yield NormalBlock(header, () if header.drop else (password,))
        yield from self._further(device, block)
        runs: list[tuple[int, int, tuple[Statement, ...]]] = []
        for number, entry in sorted(device.vtys.items()):
            body = tuple(self._body(block, entry._replace(password=None, others=())))
            if runs and runs[-1][1] + 1 == number and runs[-1][2] == body:
                runs[-1] = (runs[-1][0], number, body)
            else:
                runs.append((number, number, body))
        for low, high, body in runs:
            yield NormalBlock(self._header(block, {"range": (low, high)}), body)


def _range_of(entry: Entry) -> str:
    """The range under which a VTY's password is known."""
    return entry.item.removeprefix("entry:vty ")


def _last_wins(device: Device, ranges: Sequence[str], covered: Mapping[int, Sequence[str]]) -> Iterator[str]:
    """Ranges in such an order that each VTY gets the password that it has: the later one counts, as they overlap.

    Where they need not be in another order they stay in this; lines do not tell, since they may be those of several
    files, or one line may say it all.
    """
    behind: dict[str, set[str]] = {}
    for number, several in covered.items():
        entry = device.vtys.get(number)
        if len(several) > 1 and entry is not None and entry.password is not None:
            behind.setdefault(_range_of(entry), set()).update(several)
    left = dict.fromkeys(ranges)
    while left:
        text = next((each for each in left if not (behind.get(each, {each}) - {each}) & left.keys()), next(iter(left)))
        del left[text]
        yield text


def _numbers(numbers: tuple[int, int]) -> range:
    return range(numbers[0], numbers[1] + 1)


def held_blocks(block: BlockSpec, device: Device) -> Iterator[tuple[dict[str, Any], Any]]:
    """Each block of a kind that a device has, with what its header captures."""
    if block.name == "port":
        yield {"port": "console"}, device.console
        yield {"port": "auxiliary"}, device.auxiliary
        return
    held = getattr(device, block.attribute)
    if block.keep is Keep.ONE:
        name = held.name if block.name == "device" else None
        yield ({"name": name.value} if name is not None else {}), held
    elif block.keep is Keep.IN_ORDER:
        for each in held:
            yield {"prefix": each.prefix if each.prefix is not None else "unknown"}, each
    elif block.head:
        for each in held.values():
            captures = {name: getattr(each, name) for name in block.head}
            yield {name: value for name, value in captures.items() if value is not None}, each
    else:
        label = "level" if block.name == "elevation" else "when"
        for key, each in sorted(held.items()) if block.name == "elevation" else held.items():
            yield {label: key}, each
