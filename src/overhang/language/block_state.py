"""A block while a device is built of statements, and the value of the model that it becomes."""

from collections.abc import Mapping
from typing import Any

from overhang.language.ir import Statement
from overhang.language.spec import BlockSpec, Keep
from overhang.model import BlockInfo, Configured, Family
from overhang.model.device import Override
from overhang.text import Origin

#: The name of a block, and which one of that name it is.
Key = tuple[str, Any]


class BlockState:
    """A block while it is built: its header's captures, where it began, what is in doubt, and its fields."""

    __slots__ = (
        "after",
        "doubt",
        "fields",
        "head",
        "origin",
        "overrides",
        "password_range",
        "range",
        "ranges",
        "title",
    )

    def __init__(self, origin: Origin, head: Mapping[str, Any]) -> None:
        self.origin = origin
        self.head = dict(head)
        self.doubt: Origin | None = None
        #: how many lines in order stand before what is in doubt; None where their line numbers tell
        self.after: int | None = None
        self.fields: dict[str, Any] = {}
        #: the range of the header that a VTY was last named by, and the one that its password was given under
        self.range = self.password_range = ""
        #: what a sheet calls the block, or the statement that says so; the header's range under which each field was
        #: given, and what was replaced
        self.title: str | Statement = ""
        self.ranges: dict[str, str] = {}
        self.overrides: dict[str, Override] = {}

    @classmethod
    def of(cls, block: BlockSpec, value: Any, captures: Mapping[str, Any]) -> "BlockState":
        """A block of a device that is there: the state that is built to it again."""
        info: BlockInfo = value.block
        state = cls(info.origin or Origin("", 0), captures)
        state.doubt = info.doubt
        state.after = info.after if info.declared else None
        for field, held in zip(value._fields, value, strict=True):
            if field in ("block", "item", *block.head) and not isinstance(held, Configured):
                continue
            if type(held) is tuple:
                held = list(held)
            if held is not None and held != [] and held != Family():
                state.fields[field] = held
        return state

    def says_the_same(self, other: "BlockState") -> bool:
        """Whether two blocks without a header of their own say the same, by the same statements."""
        return (
            self.fields == other.fields
            and (self.origin, self.doubt, self.after) == (other.origin, other.doubt, other.after)
            and self.password_range == other.password_range
        )

    def built(self, block: BlockSpec) -> Any:
        """The value of the model."""
        head = {name: self.head.get(name) for name in block.head}
        if head.get("prefix") == "unknown":
            head["prefix"] = None
        item = {"item": f"entry:vty {self.password_range}"} if self.password_range else {}
        fields = {name: tuple(value) if isinstance(value, list) else value for name, value in self.fields.items()}
        after = self._before_doubt() if self.after is None else self.after
        info = BlockInfo(self.origin, self.doubt, after, self.after is not None)
        return block.model(block=info, **head, **item, **fields)

    def _before_doubt(self) -> int:
        """How many of the lines in order stand before the line that is in doubt."""
        doubt = self.doubt
        if doubt is None:
            return 0
        ordered = self.fields.get("rules") or self.fields.get("methods") or ()
        return sum(each.origin.file == doubt.file and each.origin.line < doubt.line for each in ordered)


def key_of(block: BlockSpec, statement: Statement, origin: Origin) -> Key:
    """What makes a block the same one when it is given again; each unknown address is one of its own."""
    if block.keep is Keep.ONE:
        return block.name, None
    key = block.key(dict(statement.captures))
    return block.name, origin if block.keep is Keep.IN_ORDER and key == "unknown" else key


def field_of(statement: Statement) -> str:
    """The field that a statement fills: an elevation's password fills one of two."""
    if statement.spec.block == "elevation" and statement.spec.field == "password" and statement.captures:
        return "strong" if statement.value.one_way else "plain"
    return statement.spec.field


def families_of(statement: Statement) -> tuple[str, ...]:
    """The address families that a statement is about."""
    return (statement.captures["family"],) if "family" in statement.captures else ("ipv4", "ipv6")
