"""One login for programs: the same object that a line of many attempts gives."""

import json
from collections.abc import Callable
from typing import Any

from overhang.simulation import Result, Step
from overhang.simulation.wording import origin_value
from overhang.text.json_text import escape_json, json_text
from overhang.text.printable import Printable

_MOST_KEPT, _MOST_LINES = 50_000, 5_000


def step_value(step: Step) -> dict[str, Any]:
    """A step of the trace."""
    return {"stage": step.stage, "reason": step.reason, **origin_value(step.origin)}


def result_value(result: Result, value_of: Callable[[Step], dict[str, Any]] = step_value) -> dict[str, Any]:
    """A result as docs/output.md describes it; ``value_of`` gives its steps."""
    return {
        "outcome": result.outcome,
        "level": result.level,
        "after_login": result.after_login,
        "elevation": result.elevation,
        "decided_by": origin_value(result.decided_by),
        "reason": result.reason,
        "understood": result.understood,
        "trace": [value_of(step) for step in result.trace],
    }


class LineWriter:
    """Results as JSON Lines. Steps recur, and so do results, so what they come to is kept."""

    def __init__(self) -> None:
        self._lines: dict[int, tuple[Result, Printable]] = {}  # by identity: a result is large to compare
        self._steps: dict[Step, dict[str, Any]] = {}
        self._encode = json.JSONEncoder(ensure_ascii=False, check_circular=False).encode

    def line(self, result: Result, right: bool | None = None) -> Printable:
        """One result as a line, ended, as ``result_value`` has it; ``right``: whether it is what the line expects."""
        known = self._lines.get(id(result)) if right is None else None
        if known is not None:
            return known[1]
        if len(self._steps) > _MOST_KEPT:
            self._steps.clear()
        value = result_value(result, self._step)
        if right is not None:
            value["as_expected"] = right
        line = Printable(escape_json(self._encode(value)) + "\n")
        if right is None:
            if len(self._lines) >= _MOST_LINES:
                self._lines.clear()
            self._lines[id(result)] = result, line
        return line

    def _step(self, step: Step) -> dict[str, Any]:
        value = self._steps.get(step)
        if value is None:
            value = self._steps[step] = step_value(step)
        return value


def login_json(result: Result) -> Printable:
    """The result as JSON."""
    return json_text(result_value(result))
