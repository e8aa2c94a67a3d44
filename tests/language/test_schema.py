"""The schema: one more row, and every form of the language knows the statement."""

from typing import NamedTuple

from overhang.formats.codec import Codec
from overhang.formats.data_tree import Node
from overhang.formats.json_tree import read_json
from overhang.formats.yang_module import module_text
from overhang.language import SCHEMA
from overhang.language.builder import Builder
from overhang.language.parser import LineParser, parse_program
from overhang.language.reference import reference_tables
from overhang.language.spec import StatementSpec
from overhang.language.unparser import unparse
from overhang.model import BlockInfo, Configured
from overhang.model.blocks import NO_BLOCK


class Snmp(NamedTuple):
    """The model of ``snmp:`` with one more field."""

    block: BlockInfo = NO_BLOCK
    on: Configured[bool] | None = None
    versions: Configured[tuple[int, ...]] | None = None
    communities: tuple[Configured[object], ...] = ()
    patience: Configured[int] | None = None


def test_a_leaf_statement_is_one_row_and_its_field() -> None:
    row = StatementSpec("snmp", "patience DURATION", "patience", "how long it waits")
    schema = SCHEMA.with_rows([row], [SCHEMA.blocks["snmp"]._replace(model=Snmp)])
    lines = LineParser(schema)

    program = parse_program("snmp:\n    on\n    patience 5m\n    patienc 5m\n", "t", lines)
    assert [f"{each.message}; {each.hint}" for each in program.diagnostics] == [
        "unknown statement; did you mean patience?"
    ]
    builder = Builder("t", schema=schema)
    builder.add(program)
    device = builder.device()
    patience: Configured[int] = device.snmp.patience  # type: ignore[attr-defined]
    assert (patience.value, patience.origin.line) == (300, 3)
    assert unparse(device, secrets=True, schema=schema) == "snmp:\n    on\n    incomplete\n    patience 5m\n"

    codec = Codec(schema)
    data = codec.encode([each.statement for each in program.statements if each.owner >= 0])
    assert data == {"enabled": True, "patience": "300"}
    node: Node = read_json('{"overhang-access:snmp": {"enabled": true, "patience": "300"}}').children[0]
    found = [found for _, found in codec.decode("snmp", node)]
    assert found == [each.statement for each in program.statements if each.owner >= 0]

    assert "| `patience DURATION` | how long it waits | replaces |" in reference_tables(schema)
    assert "leaf patience {\n        type duration;" in module_text(schema)
