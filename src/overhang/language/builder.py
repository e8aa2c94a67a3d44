"""From statements to a device: what adds up, what replaces, what is taken back, and the warnings about it.

The state between is a table of blocks, each a table of slots, so that the same statements can be said over an existing
device's blocks again. VTYs are kept by number, since each statement about a range holds for every number in it.
"""

from collections.abc import Callable, Iterator
from typing import Any

from overhang.language.parser import Parsed, Reading, Stated
from overhang.model import (
    Banner,
    BlockInfo,
    Configured,
    Device,
    DeviceFacts,
    Door,
    Elevation,
    Entry,
    Family,
    Management,
    MethodList,
    OwnAddress,
    Passwords,
    Role,
    ServerGroup,
    Service,
    Snmp,
    SourceList,
    User,
    Web,
)
from overhang.text import Diagnostic, Level, Origin, Span

Key = tuple[str, Any]


class _State:
    """A block while it is being said: where it began, what is in doubt, and its slots."""

    __slots__ = ("doubt", "origin", "slots")

    def __init__(self, origin: Origin) -> None:
        self.origin = origin
        self.doubt: Origin | None = None
        self.slots: dict[str, Any] = {}

    @property
    def block(self) -> BlockInfo:
        return BlockInfo(self.origin, self.doubt)


class Builder:
    """Collects statements about one device; ``device()`` gives what they amount to.

    ``quote`` shows a line without its secrets. ``quiet``: what is merged or replaced goes without a warning, since it
    was not a person who said it twice.
    """

    def __init__(self, file: str, quote: Callable[[int], str], *, quiet: bool = False) -> None:
        self.file = file
        self.quote = quote
        self.quiet = quiet
        #: whether blocks that another file began are from now on known by the line of this one
        self.expectations = False
        self.blocks: dict[Key, _State] = {}
        self.vtys: dict[int, _State] = {}
        self.ranges: set[tuple[int, int]] = set()
        self.warnings: list[Diagnostic] = []

    # -- saying ----------------------------------------------------------------------------------------------------

    def say(self, reading: Reading) -> None:
        """Take in the statements of a reading, in their order."""
        targets: list[list[_State]] = []
        for index, stated in enumerate(reading.statements):
            targets.append(self._one(stated, targets, reading.doubts.get(index)))
        if reading.profile_unread is not None and ("device", ()) in self.blocks:
            self.blocks["device", ()].slots["profile_unread"] = Origin(self.file, reading.profile_unread)
        for owner, line, text in reading.texts:
            for state in targets[owner]:
                state.slots.setdefault("lines", []).append((line, text))

    def _one(self, stated: Stated, targets: list[list[_State]], doubt: int | None) -> list[_State]:
        parsed, line = stated.parsed, stated.line
        if not parsed.statement.opens:
            for place, state in enumerate(targets[stated.owner]):
                self._slot(state, parsed, line, quiet=place > 0)
            return []
        if parsed.drop:
            self._drop_block(parsed, line)
            return []
        states = list(self._open(parsed, line))
        if doubt is not None:
            for state in states:
                state.doubt = state.doubt or Origin(self.file, doubt)
        return states

    def _open(self, parsed: Parsed, line: int) -> Iterator[_State]:
        values, slot = parsed.values, parsed.statement.slot
        origin = Origin(self.file, line)
        taking_back = parsed.inner is not None and parsed.inner.drop
        if slot == "vty":
            yield from self._open_vtys(values[0], origin, taking_back=taking_back)
            return
        key = _key(parsed, origin)
        if taking_back:
            if key in self.blocks:
                yield self.blocks[key]
            else:
                self._warn(line, "there is nothing to take back")
            return
        state = self.blocks.get(key) or _State(origin)
        if self.expectations and state.origin.file != self.file:
            state.origin = origin
        if key in self.blocks and slot == "banner":
            self._warn(line, "this banner is said again; the later one holds")
            state.slots.clear()
            state.origin = origin
        elif key in self.blocks and not (slot == "servers" and state.slots["protocol"] != values[0]):
            self._warn(line, f"this block was begun on line {state.origin.line} already; the two are merged")
        if slot == "servers":
            if state.slots.get("protocol", values[0]) != values[0]:
                self._warn(line, "a group has one protocol; the first one said holds")
            state.slots.setdefault("protocol", values[0])
        if slot == "device" and values:
            if "name" in state.slots:
                self._warn(line, "the device has a name already; the later one holds")
            state.slots["name"] = Configured(values[0], origin)
        self.blocks[key] = state
        yield state

    def _open_vtys(self, numbers: tuple[int, int], origin: Origin, *, taking_back: bool) -> Iterator[_State]:
        first, last = numbers
        if taking_back:
            yield from (self.vtys[number] for number in range(first, last + 1) if number in self.vtys)
            return
        if numbers in self.ranges:
            self._warn(origin.line, "these VTYs have a block already; the two are merged")
        self.ranges.add(numbers)
        for number in range(first, last + 1):
            state = self.vtys.setdefault(number, _State(origin))
            state.slots["range"] = f"{first}-{last}" if first != last else str(first)
            yield state

    def _slot(self, state: _State, parsed: Parsed, line: int, *, quiet: bool) -> None:
        statement = parsed.statement
        if parsed.drop:
            self._drop_slot(state, parsed, line, quiet=quiet)
            return
        value = Configured(statement.make(parsed.values), Origin(self.file, line))
        if statement.adds:
            state.slots.setdefault(statement.slot, []).append(value)
            if statement.slot == "rules" and value.value.prefix is not None and value.value.prefix.has_host_bits:
                self._warn(line, f"the prefix has host bits; {value.value.prefix} is meant")
            return
        for slot in _slots_of(state, parsed):
            if slot in state.slots and not quiet:
                earlier = state.slots[slot].origin.line
                self._warn(line, f"this was said on line {earlier} already; the later one holds")
            state.slots[slot] = value._replace(value=parsed.values[0]) if slot.startswith("from") else value
            if slot == "password" and "range" in state.slots:
                state.slots["item"] = "entry:vty " + state.slots["range"]

    # -- taking back -----------------------------------------------------------------------------------------------

    def _drop_block(self, parsed: Parsed, line: int) -> None:
        slot, values = parsed.statement.slot, parsed.values
        if slot == "vty":
            first, last = values[0]
            gone = [self.vtys.pop(number, None) for number in range(first, last + 1)]
            if not any(gone):
                self._warn(line, "there is nothing to take back")
            return
        wanted = _key(parsed, Origin(self.file, line))
        keys = [
            key for key in self.blocks if key == wanted or (slot == "address" == key[0] and _both_unknown(key, wanted))
        ]
        for key in keys:
            del self.blocks[key]
        if not keys:
            self._warn(line, "there is nothing to take back")

    def _drop_slot(self, state: _State, parsed: Parsed, line: int, *, quiet: bool) -> None:
        statement = parsed.statement
        found = False
        if statement.adds:
            kept = state.slots.get(statement.slot, [])
            wanted = statement.make(parsed.values) if parsed.values else None
            left = [said for said in kept if parsed.values and said.value != wanted]
            found = len(left) < len(kept)
            state.slots[statement.slot] = left
        else:
            for slot in _slots_of(state, parsed):
                found = state.slots.pop(slot, None) is not None or found
                if slot == "password" and "range" in state.slots:
                    state.slots.pop("item", None)
        if not found and not quiet:
            self._warn(line, "there is nothing to take back")

    # -- results ---------------------------------------------------------------------------------------------------

    def _warn(self, line: int, message: str) -> None:
        if self.quiet:
            return
        text = self.quote(line)
        column = len(text) - len(text.lstrip(" ")) + 1
        span = Span(self.file, line, column, max(column + 1, len(text) + 1))
        self.warnings.append(Diagnostic(Level.WARNING, span, message, text[:2000]))

    def _of(self, slot: str) -> Iterator[tuple[Any, _State]]:
        for key, state in self.blocks.items():
            if key[0] == slot:
                yield key[1], state

    def _single(self, slot: str, kind: Any) -> Any:
        state = self.blocks.get((slot, ()))
        return kind() if state is None else kind(block=state.block, **_fields(state))

    def device(self) -> Device:
        """The device as far as it has been said."""
        vtys = {number: Entry(block=state.block, **_fields(state)) for number, state in sorted(self.vtys.items())}
        return Device(
            file=self.file,
            facts=self._single("device", DeviceFacts),
            console=_port(self.blocks.get(("port", ("console",))), "console"),
            auxiliary=_port(self.blocks.get(("port", ("auxiliary",))), "auxiliary"),
            vtys=vtys,
            elevations={
                values[0]: Elevation(state.block, state.slots.get("strong"), state.slots.get("plain"))
                for values, state in self._of("elevation")
            },
            users={v[0]: User(name=v[0], block=s.block, **_fields(s)) for v, s in self._of("user")},
            roles={v[0]: Role(name=v[0], block=s.block, **_fields(s)) for v, s in self._of("role")},
            lists={key: MethodList(key[0], key[1], s.block, **_fields(s)) for key, s in self._of("methods")},
            groups={name: ServerGroup(name=name, block=s.block, **_fields(s)) for name, s in self._of("servers")},
            sources={v[0]: SourceList(name=v[0], block=s.block, **_fields(s)) for v, s in self._of("sources")},
            ssh=self._single("ssh", Service),
            telnet=self._single("telnet", Service),
            web=self._single("web", Web),
            snmp=self._single("snmp", Snmp),
            doors={v[0]: Door(name=v[0], block=s.block, **_fields(s)) for v, s in self._of("door")},
            passwords=self._single("passwords", Passwords),
            management=self._single("management", Management),
            addresses=tuple(
                OwnAddress(None if isinstance(key, Origin) else key[0], block=s.block, **_fields(s))
                for key, s in self._of("address")
            ),
            banners={
                v[0]: Banner(s.block, tuple(text for _, text in s.slots.get("lines", ())))
                for v, s in self._of("banner")
            },
        )


def _key(parsed: Parsed, origin: Origin) -> Key:
    """What makes a block the same block when it is said again: its name; each unknown address is one of its own."""
    slot, values = parsed.statement.slot, parsed.values
    if slot == "device":
        return slot, ()
    if slot == "servers":
        return slot, values[1]
    if slot == "methods":
        return slot, parsed.statement.make(values)
    if slot == "address" and values[0] == "unknown":
        return slot, origin
    return slot, values


def _both_unknown(one: Key, other: Key) -> bool:
    return isinstance(one[1], Origin) and isinstance(other[1], Origin)


def _slots_of(state: _State, parsed: Parsed) -> list[str]:
    """The slots that a statement fills: ``from`` fills one for each family, an elevation's password one of two."""
    statement = parsed.statement
    if statement.slot == "from":
        return ["from-" + parsed.values[1]] if len(parsed.values) > 1 else ["from-ipv4", "from-ipv6"]
    if statement.slot == "password" and statement.block == "elevation":
        if not parsed.values:
            return [slot for slot in ("strong", "plain") if slot in state.slots]
        return ["strong" if parsed.values[0].one_way else "plain"]
    return [statement.slot]


def _fields(state: _State) -> dict[str, Any]:
    fields: dict[str, Any] = {}
    for slot, value in state.slots.items():
        if slot.startswith("from-"):
            continue
        fields[slot] = tuple(value) if isinstance(value, list) else value
    fields.pop("range", None)
    if "from-ipv4" in state.slots or "from-ipv6" in state.slots:
        fields["sources"] = Family(state.slots.get("from-ipv4"), state.slots.get("from-ipv6"))
    return fields


def _port(state: _State | None, kind: str) -> Entry:
    if state is None:
        return Entry(item=f"entry:{kind}")
    return Entry(block=state.block, item=f"entry:{kind}", **_fields(state))
