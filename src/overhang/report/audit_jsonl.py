"""The audit as JSON Lines: a device a line, then what is not of one device, each line an object with its ``type``."""

import json
from collections.abc import Iterator
from typing import Any

from overhang.auditing.report import AuditReport
from overhang.report.audit_json import audit_value
from overhang.text.json_text import escape_json
from overhang.text.printable import Printable


def audit_jsonl(report: AuditReport) -> Printable:
    """The report, the same in content as the one in JSON: a line for the run, each device, each finding across
    devices, and the summary."""
    return Printable("".join(f"{line_text(each)}\n" for each in _values(audit_value(report))))


def line_text(value: dict[str, Any]) -> str:
    """A value as one line."""
    return escape_json(json.dumps(value, ensure_ascii=False, separators=(",", ":")))


def _values(value: dict[str, Any]) -> Iterator[dict[str, Any]]:
    apart = (
        "devices",
        "network",
        "network_waived",
        "rules",
        "unreadable",
        "not_examined",
        "left_out",
        "summary",
        "change",
        "peers",
    )
    yield {"type": "audit", **{key: each for key, each in value.items() if key not in apart}}
    for key, kind in (
        ("devices", "device"),
        ("network", "network"),
        ("network_waived", "network_waived"),
        ("unreadable", "unreadable"),
        ("not_examined", "not_examined"),
        ("peers", "peers"),
    ):
        yield from ({"type": kind, **each} for each in value.get(key, ()))
    yield from ({"type": "left_out", "file": each} for each in value["left_out"])
    yield from ({"type": "rule", "rule": name, **page} for name, page in value["rules"].items())
    if "change" in value:
        yield {"type": "change", **value["change"]}
    yield {"type": "summary", **value["summary"]}
