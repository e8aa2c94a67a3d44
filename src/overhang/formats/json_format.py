"""The reader of JSON-encoded instance data (RFC 7951); docs/models.md says of which modules."""

from overhang.formats.data_format import DataReader
from overhang.formats.data_tree import Node
from overhang.formats.json_tree import JsonVoucher, read_json
from overhang.language.parsed_config import decode

_MODULES = ("ietf-system", "ietf-access-control-list", "overhang-access")


def _parse(data: bytes) -> Node:
    return read_json(decode(data))


READER = DataReader(
    "json",
    "instance data of ietf-system, ietf-access-control-list and overhang-access as JSON (RFC 7951)",
    b"{",
    tuple(f'"{module}:'.encode() for module in _MODULES),
    _parse,
    JsonVoucher.lines,
)
