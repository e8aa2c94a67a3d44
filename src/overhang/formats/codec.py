"""Between statements and data of the module ``overhang-access``: made from the schema, no statement is named here.

The labels of a statement's syntax are the names of its nodes. Data is as RFC 7951 has it: 64-bit numbers are strings,
an empty leaf is ``[None]``.
"""

import enum
from collections.abc import Iterable, Iterator, Mapping
from functools import cached_property
from typing import Any, NamedTuple

from overhang.formats.data_tree import Node
from overhang.language.ir import Statement
from overhang.language.schema import SCHEMA
from overhang.language.spec import CompiledSpec, Schema
from overhang.language.syntax import Captures, Part, checked_secret, write
from overhang.model.stored_secret import FORMS_WITH_TEXT, Form, StoredSecret

MODULE = "overhang-access"
_POSITION = "position"
_TRUTHS = {"true": True, "false": False}


class Shape(enum.Enum):
    """What kind of node a statement is."""

    FLAG = "flag"
    LEAF = "leaf"
    LEAF_LIST = "leaf-list"
    SECRET = "secret"
    RECORD = "record"
    FAMILY = "family"


def secret_data(secret: StoredSecret) -> dict[str, Any]:
    """A stored password as data."""
    return {"form": secret.form.value, **({"text": secret.text} if secret.form in FORMS_WITH_TEXT else {})}


def read_secret(node: Node) -> StoredSecret:
    """The stored password of a node. Raises ValueError."""
    word, text = node.value("form"), node.value("text")
    form = next((form for form in Form if form.value == word), None)
    if form is None:
        raise ValueError(f"expected one of {', '.join(each.value for each in Form)}")
    if form not in FORMS_WITH_TEXT:
        return StoredSecret(form)
    if text is None:
        raise ValueError("the text of the password is missing")
    return checked_secret(form, text)


class Field(NamedTuple):
    """One statement and its node."""

    row: CompiledSpec

    @property
    def node(self) -> str:
        """The name of the node."""
        return self.row.spec.node or self.row.keywords[0]

    @property
    def shape(self) -> Shape:
        """What kind of node it is."""
        spec, parts = self.row.spec, self.parts
        if spec.by_family:
            return Shape.FAMILY
        if not parts:
            return Shape.FLAG
        if set(parts) != {""} or spec.adds:
            return Shape.RECORD
        if any(part.secret for part in parts[""]):
            return Shape.SECRET
        return Shape.LEAF_LIST if any(part.repeated for part in parts[""]) else Shape.LEAF

    @property
    def parts(self) -> dict[str, list[Part]]:
        """The parts that capture, by label, each once."""
        found: dict[str, list[Part]] = {}
        for alternative in self.row.alternatives:
            for part in alternative:
                if part.label is not None and part not in found.setdefault(part.label, []):
                    found[part.label].append(part)
        return found

    # -- to data -------------------------------------------------------------------------------------------------------

    def encode(self, captures: Mapping[str, Any]) -> Any:
        """The data of a statement, without its position."""
        shape, parts = self.shape, self.parts
        if shape is Shape.FLAG:
            return [None]
        if shape is Shape.LEAF_LIST:
            value = captures[""]
            return [self._leaf(parts[""], each) for each in (value if isinstance(value, tuple) else (value,))]
        if shape in (Shape.LEAF, Shape.SECRET):
            return self._leaf(parts[""], captures[""])
        found: dict[str, Any] = {}
        for label, value in captures.items():
            data = self._leaf(parts[label], value)
            if label == "" and isinstance(data, dict):
                found.update(data)
            elif data is not None:
                found[label] = data
        return found

    def _leaf(self, parts: Iterable[Part], value: Any) -> Any:
        if isinstance(value, StoredSecret):
            return secret_data(value)
        if any(part.keyword and part.value == value and isinstance(value, type(part.value)) for part in parts):
            return self.row.spec.data.get(value, value) if isinstance(value, str) else value
        terminal = next(part.terminal for part in parts if part.terminal is not None)
        return terminal.to_data(value)

    # -- from data -----------------------------------------------------------------------------------------------------

    def decode(self, nodes: list[Node]) -> Statement:
        """The statement of its nodes (several for a leaf-list). Raises ValueError."""
        captures = self._captures(nodes)
        self._settle(captures)
        return Statement(self.row.spec, captures, self.row.spec.codec.decode(captures))

    def _captures(self, nodes: list[Node]) -> Captures:
        shape, parts, node = self.shape, self.parts, nodes[0]
        if shape is Shape.FLAG:
            return {}
        if shape is Shape.SECRET:
            return {"": read_secret(node)}
        if shape is Shape.LEAF:
            return {"": self._value(parts[""], node)}
        if shape is Shape.LEAF_LIST:
            values = tuple(self._value(parts[""], each) for each in nodes)
            if len(set(values)) < len(values):
                raise ValueError("this is given twice")
            alone = [part.value for part in parts[""] if part.keyword]
            return {"": values[0] if len(values) == 1 and values[0] in alone else values}
        node.one(_POSITION)
        captures: Captures = {}
        for label, options in parts.items():
            if any(part.secret for part in options):
                inner = node if label == "" else node.one(label)
                if inner is not None:
                    captures[label] = read_secret(inner)
                continue
            found = node.one(label) if label else None
            if found is not None:
                captures[label] = self._value(options, found)
        return captures

    def _value(self, parts: Iterable[Part], node: Node) -> Any:
        text = node.text or ""
        words: list[str] = []
        for part in parts:
            if not part.keyword:
                continue
            if isinstance(part.value, bool):
                if text in _TRUTHS:
                    return _TRUTHS[text]
                words += [] if words else ["true", "false"]
                continue
            data = self.row.spec.data.get(part.value, part.value)
            if data == text:
                return part.value
            words += [data] if data is not None else []
        terminal = next((part.terminal for part in parts if part.terminal is not None), None)
        if terminal is not None:
            return terminal.read_data(text)
        raise ValueError(f"expected one of {', '.join(words)}")

    def _settle(self, captures: Captures) -> None:
        """Add the keyword that stands for a node that is left out, where that makes a statement. Raises ValueError."""
        unsaid = [
            (label, part.value)
            for label, options in self.parts.items()
            for part in options
            if label not in captures and part.keyword and self.row.spec.data.get(part.value, part.value) is None
        ]
        for added in ({}, *({label: value} for label, value in unsaid)):
            try:
                write(self.row.alternatives, captures | added)
            except ValueError:
                continue
            captures.update(added)
            return
        raise ValueError(f"the nodes do not make a statement `{self.row.spec.shown}`")


class Codec:
    """The fields of every block under a schema."""

    def __init__(self, schema: Schema = SCHEMA) -> None:
        self.schema = schema

    @cached_property
    def fields(self) -> Mapping[str, tuple[Field, ...]]:
        """The statements of each kind of block with their nodes."""
        return {block: tuple(map(Field, rows)) for block, rows in self.schema.table.items()}

    def encode(self, statements: Iterable[Statement]) -> dict[str, Any]:
        """The data of the statements of one block."""
        found: dict[str, Any] = {}
        for each in statements:
            field = Field(self.schema.by_field[each.spec.block, each.spec.field])
            if each.spec.by_family:
                families = (each.captures["family"],) if "family" in each.captures else ("ipv4", "ipv6")
                found.setdefault(field.node, {}).update(dict.fromkeys(families, each.captures["list"]))
            elif each.spec.adds:
                entries = found.setdefault(field.node, [])
                entries.append({_POSITION: len(entries) + 1, **field.encode(each.captures)})
            else:
                found[field.node] = field.encode(each.captures)
        return found

    def decode(self, block: str, node: Node) -> Iterator[tuple[int, Statement | str]]:
        """The statements that a block's node holds, each with its line; in place of one, why it is none."""
        for field in self.fields[block]:
            nodes = list(node.all(field.node, MODULE))
            if not nodes:
                continue
            if field.shape is Shape.FAMILY:
                yield from self._family(field, nodes[0])
                continue
            for group in [nodes] if field.shape is Shape.LEAF_LIST else [[each] for each in nodes]:
                try:
                    yield group[0].line, field.decode(group)
                except ValueError as wrong:
                    yield group[0].line, str(wrong)

    @staticmethod
    def _family(field: Field, node: Node) -> Iterator[tuple[int, Statement | str]]:
        for family in ("ipv4", "ipv6"):
            found = node.one(family)
            if found is not None:
                if found.text:
                    yield found.line, Statement(field.row.spec, {"list": found.text, "family": family})
                else:
                    yield found.line, "a name cannot be empty"


CODEC = Codec()
