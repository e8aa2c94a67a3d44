"""What a row of the schema is: a statement, its values in every form, and the block that it stands in or begins.

A value has four forms: what words *capture*, the model's value, a sheet's words, and data of the YANG module. A
``Codec`` goes between captures and value; words and data follow from the captures by the notation's labels, which are
the names of YANG nodes.
"""

import enum
from collections.abc import Callable, Iterable, Mapping, Sequence
from functools import cached_property
from itertools import pairwise
from typing import Any, NamedTuple

from overhang.language.syntax import Alternative, Captures, compile_syntax, without_labels


class Repeat(enum.Enum):
    """What giving a statement again does: the value is the word that the reference page uses."""

    REPLACE = "replaces"
    ADD = "adds"
    MERGE = "merges"


class Codec(NamedTuple):
    """``decode`` makes the model's value of captures, and raises ValueError; ``encode`` makes captures of the value."""

    decode: Callable[[Captures], Any] = lambda captures: captures[""]
    encode: Callable[[Any], Captures] = lambda value: {"": value}


#: A statement that is there or not.
FLAG = Codec(lambda _: True, lambda _: {})


def record(make: Callable[..., Any], labels: str, unset: Mapping[str, str] | None = None) -> Codec:
    """A codec for a named tuple: ``labels`` are pairs LABEL=FIELD; ``unset`` is the keyword that stands for None."""
    pairs = [pair.split("=") for pair in labels.split()]
    words = unset or {}

    def decode(captures: Captures) -> Any:
        fields = {}
        for label, field in pairs:
            if label in captures:
                value = captures[label]
                fields[field] = None if label in words and value == words[label] else value
        return make(**fields)

    def encode(value: Any) -> Captures:
        found: Captures = {}
        for label, field in pairs:
            held = getattr(value, field)
            if held is None:
                held = words.get(label)
            if held is not None and held != "":
                found[label] = held
        return found

    return Codec(decode, encode)


class StatementSpec(NamedTuple):
    """One row of the schema.

    ``block`` is the block it stands in, ``opens`` the block it begins ("" for none). ``field`` is the field of the
    model that it fills. ``node`` names its YANG node, and ``data`` maps keywords to what stands for them in data (None:
    nothing does). ``doc`` is the line of the reference page.
    """

    block: str
    syntax: str
    field: str
    doc: str
    codec: Codec = Codec()
    repeat: Repeat = Repeat.REPLACE
    node: str = ""
    data: Mapping[str, str | None] = {}
    opens: str = ""

    @property
    def shown(self) -> str:
        """The syntax as people read it."""
        return without_labels(self.syntax)

    @property
    def secret(self) -> bool:
        """Whether it holds a stored password."""
        return "FORM" in self.syntax

    @property
    def by_family(self) -> bool:
        """Whether it fills one value for IPv4 and one for IPv6."""
        return ":family" in self.syntax

    @property
    def adds(self) -> bool:
        """Whether giving it again adds another value."""
        return self.repeat is Repeat.ADD


class Keep(enum.Enum):
    """How many blocks of a kind a device has, and by what they are told apart."""

    ONE = "one"
    BY_KEY = "by key"
    BY_NUMBER = "by number"
    IN_ORDER = "in order"


class BlockSpec(NamedTuple):
    """One kind of block: the model of what it holds, the device's field for it, and its YANG node.

    ``head`` are the labels of its header that are fields of the model too, each with its own name; ``key`` tells what
    makes a block the same one again, from what its header captured.
    """

    name: str
    model: Any
    attribute: str
    keep: Keep = Keep.BY_KEY
    head: tuple[str, ...] = ()
    key: Callable[[Captures], Any] = lambda captures: captures.get("name")
    node: str = ""
    shown: str = ""

    @property
    def title(self) -> str:
        """What messages call the block."""
        return self.shown or f"`{self.name}:`"


class CompiledSpec(NamedTuple):
    """A row with its alternatives and the keywords that it begins with."""

    spec: StatementSpec
    alternatives: tuple[Alternative, ...]
    keywords: tuple[str, ...]


class Schema:
    """Every statement and block of the language; whatever reads, writes or explains statements asks one of these."""

    def __init__(self, rows: Sequence[StatementSpec], blocks: Sequence[BlockSpec]) -> None:
        self.rows = tuple(rows)
        self.blocks = {block.name: block for block in blocks}
        self.table: dict[str, list[CompiledSpec]] = {"": [], **{block.name: [] for block in blocks}}
        self.by_field: dict[tuple[str, str], CompiledSpec] = {}
        self._first: dict[tuple[str, str], list[CompiledSpec]] = {}
        self._keywords: dict[str, list[str]] = {}
        for row in rows:
            alternatives = compile_syntax(row.syntax)
            keywords = tuple(dict.fromkeys(parts[0].keyword for parts in alternatives))
            compiled = CompiledSpec(row, alternatives, keywords)
            self.table[row.block].append(compiled)
            self.by_field[row.block, row.opens or row.field] = compiled
            for keyword in keywords:
                self._first.setdefault((row.block, keyword), []).append(compiled)

    def with_rows(self, rows: Iterable[StatementSpec], blocks: Iterable[BlockSpec] = ()) -> "Schema":
        """A schema with more rows, and with blocks in the place of those of the same name."""
        return Schema((*self.rows, *rows), tuple({**self.blocks, **{each.name: each for each in blocks}}.values()))

    def starting(self, block: str, keyword: str) -> Sequence[CompiledSpec]:
        """The statements that may begin with ``keyword`` inside a ``block``."""
        return self._first.get((block, keyword), ())

    def keywords(self, block: str) -> list[str]:
        """Every first word of a ``block``'s statements, sorted."""
        found = self._keywords.get(block)
        if found is None:
            found = self._keywords[block] = sorted({keyword for row in self.table[block] for keyword in row.keywords})
        return found

    def title(self, block: str) -> str:
        """What messages call a kind of block."""
        return self.blocks[block].title if block else "the top of a sheet"

    @cached_property
    def before_secrets(self) -> frozenset[str]:
        """The keywords behind which a stored password stands."""
        found = set()
        for rows in self.table.values():
            for row in rows:
                for parts in row.alternatives:
                    found |= {one.keyword for one, other in pairwise(parts) if other.secret}
        return frozenset(found - {""})
