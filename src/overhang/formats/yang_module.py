"""The YANG module ``overhang-access``, made from the schema: docs/make-reference writes it, and a test compares.

The frame (yang/frame.yang) holds what has no statement of its own: types, keys, and nodes of another layout. A line
``//BLOCK`` in it stands for the nodes of a block's statements.
"""

from collections.abc import Iterator, Sequence
from importlib.resources import files

from overhang.formats.codec import Field, Shape
from overhang.language.schema import SCHEMA
from overhang.language.spec import Schema
from overhang.language.syntax import Part
from overhang.language.terminals import Terminal

_STEP = 2
_LABELS = {
    "kind": "Which of them.",
    "lines": "How many lines of the list come before; without it, none.",
    "list": "The method list; without it the default list.",
    "bits": "The size of the key in bits.",
    "when": "The date and time; without it, never.",
    "by": "Who did it.",
    "note": "What they noted.",
    "group": "The server group.",
    "address": "The address of the server.",
    "port": "The port of the server, where it is not the usual one.",
    "shared-secret": "The shared secret.",
    "allow": "Whether it allows or denies.",
    "prefix": "The addresses; without it, all.",
    "first": "The first of them.",
    "last": "The last of them.",
    "write": "Whether it may write.",
    "from": "The source list that limits it.",
    "for": "For how long.",
    "after": "After so many wrong answers.",
    "within": "Counted within this time.",
    "everywhere": "Logins at the ports stop too.",
    "level": "The level that it gives, where it is not the account's.",
    "where": "The policy that has to hold for it to open.",
    "act": "What it does in place of allowing or denying.",
    "mask": "The bits in which an address may differ.",
    "other": "Another source list.",
    "no": "Where its rejection leads; without it, it ends the list.",
    "next": "The method list that is asked then.",
    "algorithm": "The type of the key.",
    "key-data": "The bytes of the key.",
    "comment": "Its comment, which has no meaning.",
    "until": "Its last day.",
    "hours": "From when until when.",
    "days": "On which days; without it, on all.",
    "except": "The source list that is exempt.",
    "logins": "Whether logins are logged.",
    "servers": "The server group that they are sent to.",
}
_RANGE = (("first", "The first VTY."), ("last", "The last VTY."))


def module_text(schema: Schema = SCHEMA) -> str:
    """The module."""
    lines: list[str] = []
    frame = (files("overhang.formats") / "yang" / "frame.yang").read_text(encoding="utf-8")
    depth = 0
    for line in frame.splitlines():
        if line.startswith("//"):
            lines += (" " * depth + each for each in _marked(schema, line[2:]))
            continue
        depth = len(line) - len(line.lstrip()) + (_STEP if line.endswith("{") else 0) if line.strip() else depth
        depth -= _STEP if line.lstrip().startswith('"') else 0
        lines.append(line)
    return "\n".join(lines) + "\n"


def _marked(schema: Schema, mark: str) -> Iterator[str]:
    if mark == "range":
        for name, doc in _RANGE:
            yield from _node("leaf", name, ["type uint8;"], doc)
    elif mark == "name":
        yield from _node("leaf", "name", ["type name;"], "Its name.")
    else:
        block, _, only = mark.partition(" ")
        left_out = {"user": {"public_keys"}, "vty": {"password", "others"}, "elevation": {"password"}}.get(block, set())
        for row in schema.table[block]:
            if row.spec.field == only or (not only and row.spec.field not in left_out):
                yield from _field(Field(row))


def _field(field: Field) -> Iterator[str]:
    doc = field.row.spec.doc.replace("`", "")
    doc = f"{doc[0].upper()}{doc[1:]}."
    shape, parts = field.shape, field.parts
    if shape is Shape.FLAG:
        yield from _node("leaf", field.node, ["type empty;"], doc)
    elif shape is Shape.LEAF:
        yield from _node("leaf", field.node, list(_type(field, parts[""])), doc)
    elif shape is Shape.LEAF_LIST:
        yield from _node("leaf-list", field.node, [*_type(field, parts[""]), "ordered-by user;"], doc)
    elif shape is Shape.SECRET:
        yield from _node("container", field.node, [_presence(doc)], doc, ["uses stored-password;"])
    elif shape is Shape.FAMILY:
        inner = [
            line
            for family, name in (("ipv4", "IPv4"), ("ipv6", "IPv6"))
            for line in _node("leaf", family, ["type name;"], f"The source list for {name} sources.")
        ]
        yield from _node("container", field.node, [], doc, inner)
    elif field.row.spec.adds:
        position = list(_node("leaf", "position", ["type uint32;"], "Its place in the list."))
        inner = [*position, *_record(field)]
        yield from _node("list", field.node, ['key "position";', "ordered-by user;"], doc, inner)
    else:
        yield from _node("container", field.node, [_presence(doc)], doc, list(_record(field)))


def _record(field: Field) -> Iterator[str]:
    for label, parts in field.parts.items():
        if any(part.secret for part in parts):
            if label == "":
                yield "uses stored-password;"
            else:
                yield from _node(
                    "container", label, [_presence(_LABELS[label])], _LABELS[label], ["uses stored-password;"]
                )
        elif label:
            yield from _node("leaf", label, [*_type(field, parts), *_mandatory(field, label)], _LABELS[label])


def _mandatory(field: Field, label: str) -> Iterator[str]:
    """Whether every alternative captures the label, and none of its keywords is left out of data."""
    always = all(any(part.label == label for part in parts) for parts in field.row.alternatives)
    if always and None not in field.row.spec.data.values():
        yield "mandatory true;"


def _type(field: Field, parts: list[Part]) -> Iterator[str]:
    """The type of a leaf: of its terminal, its keywords, or a union of both."""
    if any(isinstance(part.value, bool) for part in parts):
        yield "type boolean;"
        return
    terminals = [part.terminal for part in parts if part.terminal is not None]
    types = [_terminal_type(terminal) for terminal in terminals]
    data = [field.row.spec.data.get(part.value, part.value) for part in parts if part.keyword]
    words = [word for word in data if word is not None]
    if words and not any(terminal.yang in ("name", "duration") for terminal in terminals):
        types.append(list(_enumeration(words)))
    if len(types) == 1:
        yield from types[0]
        return
    yield "type union {"
    yield from (f"  {line}" for lines in types for line in lines)
    yield "}"


def _terminal_type(terminal: Terminal) -> list[str]:
    if not terminal.yang:
        return list(_enumeration(terminal.words))
    name, brace, restriction = terminal.yang.partition(" { ")
    return [f"type {name} {{", f"  {restriction.removesuffix(' }')}", "}"] if brace else [f"type {name};"]


def _enumeration(words: Sequence[str]) -> Iterator[str]:
    yield "type enumeration {"
    for word in words:
        yield f'  enum "{word}" {{'
        yield from ("    description", f'      "The word {word}.";', "  }")
    yield "}"


def _presence(doc: str) -> str:
    return f'presence "It is set: {doc[0].lower()}{doc[1:].rstrip(".")}.";'


def _node(kind: str, name: str, head: list[str], doc: str, inner: list[str] | None = None) -> Iterator[str]:
    yield f"{kind} {name} {{"
    yield from (f"  {line}" for line in head)
    yield "  description"
    yield f'    "{doc}";'
    yield from (f"  {line}" for line in inner or ())
    yield "}"
