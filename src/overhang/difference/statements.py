"""Which statements of two configurations differ in what they mean, whatever each is written in.

Order, layout and comments are no difference, where order has no meaning; nor is the language: a sheet and a maker's
text of the same meaning are equal.
"""

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from difflib import SequenceMatcher
from itertools import groupby
from typing import Any, NamedTuple

from overhang.difference.secrets import compared
from overhang.language import SCHEMA, ParsedConfig
from overhang.language.ir import Statement
from overhang.language.normalise import Normaliser, held_blocks
from overhang.language.schema import INCOMPLETE
from overhang.language.spec import BlockSpec, Keep, StatementSpec
from overhang.language.terminals import encode_vty_range
from overhang.language.unparser import struck, unparse_statement
from overhang.model import Another, Configured, Device, Family, PublicKey, SourceRule, StoredSecret
from overhang.model.hash_budget import HashBudget
from overhang.text import Origin

#: Fields whose values mean something by their order.
_ORDERED = frozenset({"rules", "methods", "servers", "communities", "lines"})
#: Fields that list words with the preferred ones first.
_PREFERRED = frozenset({"ciphers", "macs", "exchanges", "host_key_kinds", "key_kinds"})
_NORMAL = Normaliser(secrets=True)


class StatementChange(NamedTuple):
    """One statement that came, went or changed: inside which block, as a sheet has it, passwords struck out.

    ``old`` or ``new`` is None where the other came or went. ``secret`` tells of a stored password whether it is
    ``kept``, ``changed``, or ``unknown``; it is None where there is none on both sides. ``field`` is what the model
    calls what it sets. ``whole``: the block itself came or went, with all that it says.
    """

    block: str
    old: str | None
    new: str | None
    old_origin: Origin | None
    new_origin: Origin | None
    secret: str | None = None
    field: str = ""
    values: tuple[Any, Any] = (None, None)
    whole: bool = False

    @property
    def kind(self) -> str:
        """``added``, ``removed`` or ``changed``."""
        return "added" if self.old is None else "removed" if self.new is None else "changed"

    def __repr__(self) -> str:
        return f"StatementChange({self.kind}, {self.block!r}, {self.old!r}, {self.new!r})"


class _Said(NamedTuple):
    """One statement of a device: the value that counts, how it reads, and where it stands."""

    value: Any
    statement: Statement | None
    origin: Origin | None

    @property
    def text(self) -> str:
        """The statement, its passwords struck out; a line of a banner as a sheet has it."""
        return f"| {self.value}" if self.statement is None else unparse_statement(struck(self.statement))


#: A block's fields, each with what is said of it, in order.
_Fields = dict[str, list[_Said]]


class _Block(NamedTuple):
    title: str
    origin: Origin | None
    fields: _Fields


def statement_changes(
    old: ParsedConfig | None, new: ParsedConfig | None, budget: HashBudget
) -> tuple[StatementChange, ...]:
    """The statements that differ, in the order of the language."""
    sides = [{} if each is None else _blocks(each.stated) for each in (old, new)]
    found: list[StatementChange] = []
    vtys: dict[int, list[StatementChange]] = {}
    for key in dict.fromkeys((*sides[0], *sides[1])):
        one, other = sides[0].get(key), sides[1].get(key)
        if one == other:
            continue  # whatever it says
        changes = list(_of_block(key, one and one.block(), other and other.block(), budget))
        if (one is None or other is None) and SCHEMA.blocks[key[0]].keep is not Keep.ONE:
            changes = [each._replace(whole=True) for each in changes]
        if key[0] == "vty":
            vtys[key[1]] = changes
        else:
            found += changes
    found += _joined(vtys)
    order = {name: place for place, name in enumerate(SCHEMA.blocks)}
    return tuple(sorted(found, key=lambda change: order[_kind(change.block)]))


def _kind(title: str) -> str:
    words = title.split()
    if words[0] == "entry":
        return "vty" if words[1] == "vty" else "port"
    return words[0]


def _of_block(
    key: tuple[str, Any], old: _Block | None, new: _Block | None, budget: HashBudget
) -> Iterator[StatementChange]:
    title = (new or old or _Block("", None, {})).title
    fields = [each.fields if each is not None else {} for each in (old, new)]
    keeps = SCHEMA.blocks[key[0]].keep
    if (old is None or new is None) and keeps is not Keep.ONE and key[0] not in ("port", "vty"):
        there = old or new
        if there is not None and not there.fields:
            gone, came = (None, title) if old is None else (title, None)
            yield StatementChange(title, gone, came, old and old.origin, new and new.origin)
    changes: list[StatementChange] = []
    for field in dict.fromkeys((*fields[0], *fields[1])):
        before, after = fields[0].get(field, []), fields[1].get(field, [])
        row = SCHEMA.by_field.get((key[0], field))
        if len(before) == len(after) == 1 and (row is None or not row.spec.adds) and field not in _ORDERED:
            pairs: Iterable[tuple[_Said | None, _Said | None]] = [(before[0], after[0])]
            pairs = [] if before[0].value == after[0].value else pairs
        else:
            pairs = _unequal(field, before, after)
        for one, other in pairs:
            change = _change(title, field, one, other, budget)
            if " " in field and changes and change[:3] == changes[-1][:3]:  # one statement is about IPv4 and IPv6
                changes[-1] = changes[-1]._replace(field=field.split()[0])
                continue
            changes.append(change)
    yield from changes


def _change(title: str, field: str, old: _Said | None, new: _Said | None, budget: HashBudget) -> StatementChange:
    stored = [_stored(each) for each in (old, new)]
    secret = None
    if stored[0] is not None and stored[1] is not None:
        secret = compared(stored[0], stored[1], budget)
    return StatementChange(
        title,
        None if old is None else old.text,
        None if new is None else new.text,
        None if old is None else old.origin,
        None if new is None else new.origin,
        secret,
        field,
        (None if old is None else _plain(old), None if new is None else _plain(new)),
    )


def _plain(said: _Said) -> Any:
    """A value, where it is no secret."""
    return None if _stored(said) is not None else said.value


def _stored(said: _Said | None) -> StoredSecret | None:
    if said is None or not isinstance(said.value, tuple):
        return None
    if isinstance(said.value, StoredSecret):
        return said.value
    return next((each for each in said.value if isinstance(each, StoredSecret)), None)


def _unequal(
    field: str, before: Sequence[_Said], after: Sequence[_Said]
) -> Iterator[tuple[_Said | None, _Said | None]]:
    """What of a list came and went."""
    one, other = [each.value for each in before], [each.value for each in after]
    if field in _ORDERED:
        for _, first, last, low, high in SequenceMatcher(None, one, other, autojunk=False).get_opcodes():
            if one[first:last] != other[low:high]:
                yield from ((each, None) for each in before[first:last])
                yield from ((None, each) for each in after[low:high])
        return
    for sign, these, those in ((0, before, other), (1, after, one)):
        left = Counter(those)
        for each in these:
            if left[each.value]:
                left[each.value] -= 1
            else:
                yield (each, None) if sign == 0 else (None, each)


def _joined(vtys: dict[int, list[StatementChange]]) -> Iterator[StatementChange]:
    """The changes of VTYs; those of neighbours that are alike are one."""

    def bare(number: int) -> list[StatementChange]:
        return [each._replace(block="", old_origin=None, new_origin=None) for each in vtys[number]]

    numbers = sorted(vtys)
    for _, several in groupby(enumerate(numbers), key=lambda pair: (pair[1] - pair[0], bare(pair[1]))):
        run = [number for _, number in several]
        title = f"entry vty {encode_vty_range((run[0], run[-1]))}"
        yield from (each._replace(block=title) for each in vtys[run[0]])


# -- a device as blocks ------------------------------------------------------------------------------------------------


class _Held(NamedTuple):
    """A block as the model has it."""

    name: str
    captures: Mapping[str, Any]
    value: Any

    def block(self) -> _Block:
        """Its statements."""
        spec = SCHEMA.blocks[self.name]
        head = SCHEMA.by_field["", self.name].spec
        fields = _fields(spec, self.value)
        if spec.keep is Keep.BY_NUMBER:
            return _Block(f"entry vty {self.captures['number']}", self.value.block.origin, fields)
        if self.name == "device":
            if self.value.name is not None:
                name = Statement(head, {"name": self.value.name.value})
                fields["name"] = [_Said(self.value.name.value, name, self.value.name.origin)]
            return _Block(self.name, self.value.block.origin, fields)
        return _Block(unparse_statement(Statement(head, self.captures)), self.value.block.origin, fields)


def _blocks(device: Device) -> dict[tuple[str, Any], _Held]:
    """The blocks of a device by what makes them the same ones on another."""
    found: dict[tuple[str, Any], _Held] = {}
    for block in SCHEMA.blocks.values():
        if block.keep is Keep.BY_NUMBER:
            for number, entry in sorted(device.vtys.items()):
                found[block.name, number] = _Held(block.name, {"number": number}, entry)
            continue
        for captures, value in held_blocks(block, device):
            if value.block.origin is None:
                continue
            key: Any = None if block.keep is Keep.ONE else tuple(captures.items())
            while (block.name, key) in found:  # addresses that nobody can tell
                key = (key, "again")
            found[block.name, key] = _Held(block.name, captures, value)
    return found


def _fields(block: BlockSpec, value: Any) -> _Fields:
    """What a block says, by field; what it does not say is not there."""
    found: _Fields = {}
    for row in SCHEMA.table[block.name]:
        spec = row.spec
        if spec.field == INCOMPLETE:
            if value.block.doubt is not None:
                captures = {"lines": value.block.after} if value.block.after else {}
                found[spec.field] = [_Said(value.block.after, Statement(spec, captures), value.block.doubt)]
            continue
        if spec.block == "elevation" and spec.field == "password":
            for name in ("strong", "plain"):
                one = getattr(value, name)
                if one is not None:
                    found[name] = [_Said(one.value, _NORMAL.statement(spec.block, spec.field, one.value), one.origin)]
            continue
        held = getattr(value, spec.field)
        if spec.by_family:
            _family(found, spec, held)
            continue
        several = (held,) if isinstance(held, Configured) else held or ()
        said = [
            _Said(_meant(spec.field, each.value), _NORMAL.statement(block.name, spec.field, each.value), each.origin)
            for each in several
        ]
        if said:
            found[spec.field] = said
    if block.name == "banner":
        pairs = zip(value.lines, value.origins, strict=True)
        found["lines"] = [_Said(line, None, origin) for line, origin in pairs]
    return found


def _family(found: _Fields, spec: StatementSpec, held: Family) -> None:
    """What a family of source lists says, for each address family."""
    alike = held.ipv4 is not None and held.ipv6 is not None and held.ipv4.value == held.ipv6.value
    for family, said in (("ipv4", held.ipv4), ("ipv6", held.ipv6)):
        if said is not None:
            captures = {"list": said.value} if alike else {"list": said.value, "family": family}
            found[f"{spec.field} {family}"] = [_Said(said.value, Statement(spec, captures), said.origin)]


def _meant(field: str, value: Any) -> Any:
    """A value by which statements of one meaning are equal."""
    if isinstance(value, Another):
        return value._replace(under="", number=0)
    if isinstance(value, PublicKey):
        return value._replace(comment="")
    if isinstance(value, SourceRule) and value.prefix is not None:
        return value._replace(prefix=value.prefix._replace(host=value.prefix.low))
    if field not in _PREFERRED and type(value) is tuple:
        return tuple(sorted(value))
    return value
