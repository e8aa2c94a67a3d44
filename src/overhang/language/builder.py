"""Builds a device from statements: they add, replace or remove, with warnings.

The state between is a table of blocks, each a table of fields, so that the same statements can be given over an
existing device's blocks again. VTYs are kept by number, since each statement about a range holds for every number in
it.
"""

from collections.abc import Iterable, Iterator, Sequence
from typing import Any

from overhang.language.block_state import BlockState, Key, families_of, field_of, key_of
from overhang.language.ir import PlacedStatement, Program, Remark, Statement
from overhang.language.normalise import held_blocks
from overhang.language.schema import INCOMPLETE, SCHEMA
from overhang.language.spec import BlockSpec, Keep, Schema
from overhang.language.unparser import unparse_statement
from overhang.language.vty_states import VtyStates
from overhang.model import Another, Configured, Device, Entry, Family, Prefix, StoredSecret
from overhang.model.device import Override
from overhang.model.vocabulary import PORTS
from overhang.text import Origin

_HIGHEST = 15
_NOTHING_TO_DROP = "there is nothing to take back"


class Builder:
    """Collects statements about one device; ``device()`` gives what they amount to.

    ``remarks`` are what is odd about lines; ``quiet``: what is merged or replaced goes without, since it was not a
    person who wrote it twice.
    """

    def __init__(self, file: str, *, quiet: bool = False, schema: Schema = SCHEMA) -> None:
        self.file = file
        self.quiet = quiet
        self.schema = schema
        #: whether a statement says that the device may hold more than is stated
        self.incomplete = False
        #: whether blocks that another file began are from now on known by the line of this one
        self.claims = False
        self.remarks: list[Remark] = []
        #: the lines that take back what is not there
        self.missed: list[int] = []
        self._blocks: dict[Key, BlockState] = {}
        self._vtys = VtyStates()
        self._written: tuple[Statement | None, str] = (None, "")
        self._unread_users: Origin | None = None

    # -- adding --------------------------------------------------------------------------------------------------------

    @classmethod
    def over(cls, device: Device, file: str, *, schema: Schema = SCHEMA) -> "Builder":
        """A builder that holds a device already, so that statements of another file change it."""
        builder = cls(file, schema=schema)
        kept = {each.later: each for each in device.overrides}
        for block in schema.blocks.values():
            if block.keep is Keep.BY_NUMBER:
                for number, entry in device.vtys.items():
                    builder._vtys.learn(number, block, entry)
                continue
            for captures, value in held_blocks(block, device):
                if value.block.origin is not None or value.block.doubt is not None:
                    state = BlockState.of(block, value, captures)
                    statement = Statement(schema.by_field["", block.name].spec, captures)
                    state.title = statement
                    key = key_of(block, statement, state.origin)
                    builder._blocks[key] = state
        for state in (*builder._blocks.values(), *builder._vtys.by_number.values()):
            for field, said in state.fields.items():
                each = said._asdict() if isinstance(said, Family) else {"": said}
                for family, one in each.items():
                    if isinstance(one, Configured) and not isinstance(one.value, StoredSecret) and one in kept:
                        state.overrides[f"{field} {family}".strip()] = kept[one]
        builder._unread_users = device.unread_users
        return builder

    def add(self, program: Program) -> None:
        """Take in the statements of a program, in their order."""
        for _ in self.steps(program):
            pass

    def steps(self, program: Program) -> Iterator[int]:
        """Take in the statements of a program one by one; after each its index is given, and the device may be asked
        for."""
        targets: list[list[BlockState]] = []
        self._vtys.forget_headers()
        texts: dict[int, list[tuple[int, str]]] = {}
        for owner, line, text in program.texts:
            texts.setdefault(owner, []).append((line, text))
        for index, placed in enumerate(program.statements):
            states = self._one(placed, targets, program.doubts.get(index))
            targets.append(states)
            for line, text in texts.get(index, ()):
                for state in states:
                    state.fields.setdefault("lines", []).append(text)
                    state.fields.setdefault("origins", []).append(Origin(self.file, line))
            yield index
        if program.profile_unread is not None and ("device", None) in self._blocks:
            origin = Origin(self.file, program.profile_unread)
            self._blocks["device", None].fields["profile_unread"] = origin
        for kind, line in program.suspected.items():
            self._suspect(kind, Origin(self.file, line))

    def _suspect(self, kind: str, origin: Origin) -> None:
        """A line that was not understood may be about blocks of a kind: what they do not set is in doubt."""
        head = kind.split()
        name = head[0] if head else ""
        if name == "user":
            self._unread_users = self._unread_users or origin
            return
        for state in self._entries(head[1:], origin) if name == "entry" else self._of_kind(name, origin):
            state.doubt = state.doubt or origin

    def _entries(self, which: Sequence[str], origin: Origin) -> Iterable[BlockState]:
        """A port, or all VTYs; where there is no VTY, one, since there may be some."""
        if which and which[0] in PORTS:
            return [self._blocks.setdefault(("port", which[0]), BlockState(origin, {"port": which[0]}))]
        if not self._vtys.by_number:
            self._vtys.open((0, 0), origin, -1)
        return self._vtys.by_number.values()

    def _of_kind(self, name: str, origin: Origin) -> Iterable[BlockState]:
        """The blocks of a kind, the one of which there is always one, or the highest elevation."""
        block = self.schema.blocks.get(name)
        states = [state for key, state in self._blocks.items() if key[0] == name]
        if states or block is None:
            return states
        if block.keep is Keep.ONE:
            return [self._blocks.setdefault((name, None), BlockState(origin, {}))]
        if name == "elevation":
            return [self._blocks.setdefault((name, _HIGHEST), BlockState(origin, {"level": _HIGHEST}))]
        return ()

    def has(self, block: str, field: str) -> bool:
        """Whether something fills a field of a block that a device has one of."""
        state = self._blocks.get((block, None))
        return state is not None and field in state.fields

    def _one(self, placed: PlacedStatement, targets: list[list[BlockState]], doubt: int | None) -> list[BlockState]:
        statement, line = placed.statement, placed.line
        if not statement.spec.opens:
            states = targets[placed.owner]
            self._vtys.under(placed.owner, states)
            if self._is_plain(statement):
                self._fill_plain(states, statement, Origin(self.file, line))
                return []
            for place, state in enumerate(states):
                self._fill(state, statement, line, quiet=place > 0)
            return []
        if statement.drop:
            self._drop_block(statement, line)
            return []
        states = list(self._open(placed, len(targets)))
        if doubt is not None:
            for state in states:
                state.doubt = state.doubt or Origin(self.file, doubt)
        return states

    def _open(self, placed: PlacedStatement, number: int) -> Iterator[BlockState]:
        """The blocks that a header is about; ``number`` is its own among the statements."""
        statement, line = placed.statement, placed.line
        block = self.schema.blocks[statement.spec.opens]
        origin = Origin(self.file, line)
        if block.keep is Keep.BY_NUMBER:
            numbers = statement.captures["range"]
            if placed.drops_inside:
                yield from self._vtys.within(numbers)
                return
            if self._vtys.known(numbers):
                self._warn(line, "these VTYs have a block already; the two are merged")
            yield from self._vtys.open(numbers, origin, number)
            return
        key = key_of(block, statement, origin)
        state = self._blocks.get(key)
        if placed.drops_inside:
            if state is None:
                self._missing(line)
            else:
                yield state
            return
        if state is None:
            state = self._blocks[key] = BlockState(origin, statement.captures)
            state.title = statement
        else:
            self._again(block, state, statement, origin)
        if self.claims and state.origin.file != self.file:
            state.origin = origin
        if block.name == "device" and "name" in statement.captures:
            self._name(state, statement.captures["name"], origin)
        yield state

    def _again(self, block: BlockSpec, state: BlockState, statement: Statement, origin: Origin) -> None:
        """A block is begun that is there already."""
        if block.name == "banner":
            self._warn(origin.line, "this banner is given twice; the later one holds")
            state.fields.clear()
            state.origin = origin
        elif "protocol" in state.head and state.head["protocol"] != statement.captures["protocol"]:
            self._warn(origin.line, "a group has one protocol; the first one holds")
        else:
            self._warn(origin.line, "this block is on line {} already; the two are merged", state.origin.line)

    def _name(self, state: BlockState, name: str, origin: Origin) -> None:
        if "name" in state.fields:
            self._warn(origin.line, "the device has a name already; the later one holds")
        state.fields["name"] = Configured(name, origin)

    def _fill(self, state: BlockState, statement: Statement, line: int, *, quiet: bool) -> None:
        """A statement that does more than give a field one value."""
        spec = statement.spec
        if spec.field == INCOMPLETE:
            self._mark(state, statement, line)
            return
        if statement.drop:
            self._drop_value(state, statement, line, quiet=quiet)
            return
        origin = Origin(self.file, line)
        if spec.adds:
            value = statement.value
            if spec.field == "others" and state.range:
                value = self._vtys.numbered(value, state.range, origin)
                held = state.fields.get("others", [])  # the same password again is known by its later range
                state.fields["others"] = [each for each in held if _without_place(each.value) != statement.value]
            if self.claims:  # what a file says takes the place of what another one said for all devices
                given = state.fields.get(spec.field, [])
                state.fields[spec.field] = [each for each in given if each.origin.file == self.file]
            state.fields.setdefault(spec.field, []).append(Configured(value, origin))
            if spec.field == "rules" and statement.value.prefix is not None and statement.value.prefix.has_host_bits:
                self._warn(line, "the prefix has host bits; {} is used", statement.value.prefix)
            return
        self._fill_family(state, statement, origin, quiet=quiet)

    @staticmethod
    def _is_plain(statement: Statement) -> bool:
        """Whether a statement gives a field one value, in the place of the one that it had."""
        spec = statement.spec
        return not (spec.field == INCOMPLETE or statement.drop or spec.adds or spec.by_family)

    def _fill_plain(
        self, states: Sequence[BlockState], statement: Statement, origin: Origin, *, quiet: bool = False
    ) -> None:
        """Give a field of some blocks one value: a statement about VTYs is about hundreds of them."""
        field, secret = field_of(statement), statement.spec.secret
        said = Configured(statement.value, origin)
        for state in states:
            earlier = state.fields.get(field)
            if earlier is not None:
                if not quiet:
                    self._warn_again(origin.line, earlier.origin.line)
                if earlier.origin.file != origin.file:
                    state.overrides.pop(field, None)  # what another file replaced is no more
                if not secret and state.ranges.get(field) == state.range:
                    self._override(state, field, statement, earlier, said)
            quiet = True
            state.ranges[field] = state.range
            state.fields[field] = said
            if field == "password":
                state.password_range = state.range

    def _mark(self, state: BlockState, statement: Statement, line: int) -> None:
        """The block may hold more than is stated, or no longer."""
        state.doubt = None if statement.drop else Origin(self.file, line)
        state.after = statement.captures.get("lines", 0)
        self.incomplete = self.incomplete or not statement.drop

    def _override(
        self, state: BlockState, field: str, statement: Statement, earlier: Configured[Any], later: Configured[Any]
    ) -> None:
        """Note that a value replaces another that the same file gave under the same header."""
        if earlier.origin.file == later.origin.file and earlier.value != later.value:
            if self._written[0] is not statement:  # one statement may be about hundreds of VTYs
                self._written = statement, unparse_statement(statement)
            if not isinstance(state.title, str):
                state.title = unparse_statement(state.title)
            state.overrides[field] = Override(state.title, self._written[1], earlier, later)

    def _fill_family(self, state: BlockState, statement: Statement, origin: Origin, *, quiet: bool) -> None:
        family: Family = state.fields.get(statement.spec.field, Family())
        for name in families_of(statement):
            earlier = getattr(family, name)
            if earlier is not None and not quiet:
                self._warn_again(origin.line, earlier.origin.line)
            later = Configured(statement.captures["list"], origin)
            field = f"{statement.spec.field} {name}"
            if earlier is not None and state.ranges.get(field) == state.range:
                self._override(state, field, statement, earlier, later)
            state.ranges[field] = state.range
            family = family._replace(**{name: later})
        state.fields[statement.spec.field] = family

    # -- taking back ---------------------------------------------------------------------------------------------------

    def _drop_block(self, statement: Statement, line: int) -> None:
        block = self.schema.blocks[statement.spec.opens]
        if block.keep is Keep.BY_NUMBER:
            if not self._vtys.drop(statement.captures["range"]):
                self._missing(line)
            return
        wanted = key_of(block, statement, Origin(self.file, line))
        keys = [
            key
            for key in self._blocks
            if key == wanted or (key[0] == wanted[0] and isinstance(key[1], Origin) and isinstance(wanted[1], Origin))
        ]
        for key in keys:
            del self._blocks[key]
        if not keys:
            self._missing(line)

    def _drop_value(self, state: BlockState, statement: Statement, line: int, *, quiet: bool) -> None:
        spec = statement.spec
        if spec.adds:
            kept = state.fields.get(spec.field, [])
            same = _without_place if spec.field == "others" else _itself
            left = [each for each in kept if statement.captures and same(each.value) != statement.value]
            found = len(left) < len(kept)
            state.fields[spec.field] = left
        elif spec.by_family:
            before = state.fields.get(spec.field, Family())
            after = before._replace(**dict.fromkeys(families_of(statement)))
            for name in families_of(statement):
                state.overrides.pop(f"{spec.field} {name}", None)
            found = after != before
            state.fields[spec.field] = after
        else:
            both = spec.block == "elevation" and spec.field == "password" and not statement.captures
            fields = ("strong", "plain") if both else (field_of(statement),)
            gone = [state.fields.pop(field, None) for field in fields]
            for field in fields:
                state.overrides.pop(field, None)
            found = any(each is not None for each in gone)
            if "password" in fields:
                state.password_range = ""
        if not found and not quiet:
            self._missing(line)

    # -- results -------------------------------------------------------------------------------------------------------

    def _missing(self, line: int) -> None:
        """A statement takes back what is not there."""
        self.missed.append(line)
        self._warn(line, _NOTHING_TO_DROP)

    def _warn_again(self, line: int, earlier: int) -> None:
        self._warn(line, "this is set on line {} already; the later one holds", earlier)

    def _warn(self, line: int, message: str, about: int | Prefix | None = None) -> None:
        if not self.quiet:
            self.remarks.append(Remark(line, message, about))

    def device(self) -> Device:
        """The device as far as its statements give it."""
        found: dict[str, Any] = {}
        by_name: dict[str, list[tuple[Any, BlockState]]] = {}
        for (name, which), state in self._blocks.items():
            by_name.setdefault(name, []).append((which, state))
        for block in self.schema.blocks.values():
            if block.keep is Keep.BY_NUMBER:
                found[block.attribute] = self._vtys.built(block)
                continue
            made = {which: state.built(block) for which, state in by_name.get(block.name, ())}
            if block.keep is Keep.ONE:
                found[block.attribute] = made.get(None) or block.model()
            elif block.keep is Keep.IN_ORDER:
                found[block.attribute] = tuple(made.values())
            elif block.attribute:
                found[block.attribute] = made
            else:  # a field of its own for each
                for port in PORTS:
                    found[port] = made.get(port, Entry())._replace(item=f"entry:{port}")
        built = [*self._blocks.values(), *self._vtys.by_number.values()]
        overrides = dict.fromkeys(each for state in built for each in state.overrides.values())
        return Device(file=self.file, overrides=tuple(overrides), unread_users=self._unread_users, **found)


def _without_place(another: Another) -> Another:
    return another._replace(under="", number=0)


def _itself(value: Any) -> Any:
    return value
