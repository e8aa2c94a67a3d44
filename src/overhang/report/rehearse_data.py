"""A change rehearsed, for programs; docs/changes.md describes the JSON."""

from typing import Any

from overhang import __version__
from overhang.changes.rehearse import Rehearsal, Step
from overhang.report.compare_data import device_value, person_value, way_change_value
from overhang.report.rehearse_text import verdict
from overhang.text.json_text import json_text
from overhang.text.printable import Printable


def rehearse_json(rehearsal: Rehearsal) -> Printable:
    """The rehearsal as JSON."""
    side, units = rehearsal.base.side, rehearsal.change.units
    value = {
        "overhang": __version__,
        "verdict": verdict(rehearsal)[0],
        "device": side.name,
        "file": side.file,
        "change": rehearsal.change.file,
        "at_once": rehearsal.at_once,
        "steps": [_step(each) for each in rehearsal.steps],
        "lock_outs": [each._asdict() for each in rehearsal.lock_outs],
        "openings": [
            {"line": each.line, "closed": each.closed, **way_change_value(each.ways.new, each.change)}
            for each in rehearsal.openings
        ],
        "stranded": list(rehearsal.stranded),
        "doubts": rehearsal.doubts,
        "understood": rehearsal.understood,
        "end": device_value(rehearsal.end),
        "order": None if rehearsal.order is None else [units[number].line for number in rehearsal.order],
        "why_no_order": rehearsal.why_no_order or None,
    }
    return json_text(value)


def _step(step: Step) -> dict[str, Any]:
    found = step.difference
    return {
        "file": step.file,
        "line": step.line,
        "statement": step.statement,
        "gained": [] if found is None else [way_change_value(found.ways.new, each) for each in step.gained],
        "lost": [] if found is None else [way_change_value(found.ways.old, each) for each in step.lost],
        "people": [person_value(each) for each in step.people],
        "locked_out": list(step.locked_out),
        "comes_back": step.comes_back,
        "level": step.level,
        "remark": step.remark or None,
    }
