"""One login for programs: the same object that a line of many attempts gives."""

import json
from typing import Any

from overhang.simulation import FromAttempt, FromProfile, Provenance, Result, Step

_MOST_KEPT = 50_000


def origin_value(origin: Provenance) -> dict[str, Any]:
    """Where a step comes from."""
    if isinstance(origin, FromProfile):
        return {"profile": origin.profile, "key": origin.key}
    if isinstance(origin, FromAttempt):
        return {"attempt": origin.field}
    return {"file": origin.file, "line": origin.line}


def result_value(result: Result) -> dict[str, Any]:
    """A result as docs/output.md describes it."""
    return {
        "outcome": result.outcome,
        "level": result.level,
        "after_login": result.after_login,
        "elevation": result.elevation,
        "decided_by": origin_value(result.decided_by),
        "reason": result.reason,
        "understood": result.understood,
        "trace": [{"stage": step.stage, "reason": step.reason, **origin_value(step.origin)} for step in result.trace],
    }


class LineWriter:
    """Results as JSON Lines. Steps recur, so their text is kept; results do not, so theirs is not."""

    def __init__(self) -> None:
        self._steps: dict[Step, str] = {}
        self._decided: dict[Step, str] = {}

    def line(self, result: Result) -> str:
        """One result as a line, ended, as ``result_value`` has it."""
        kept = self._steps
        if len(kept) > _MOST_KEPT:
            kept.clear()
            self._decided.clear()
        texts = []
        for step in result.trace:
            text = kept.get(step)
            if text is None:
                value = {"stage": step.stage, "reason": step.reason, **origin_value(step.origin)}
                text = kept[step] = json.dumps(value, ensure_ascii=False)
            texts.append(text)
        decided = self._decided.get(result.decided)
        if decided is None:
            value = {"decided_by": origin_value(result.decided_by), "reason": result.reason}
            decided = self._decided[result.decided] = json.dumps(value, ensure_ascii=False)[1:-1]
        elevation = "null" if result.elevation is None else f'"{result.elevation}"'
        return (
            f'{{"outcome": "{result.outcome}", "level": {_number(result.level)}, '
            f'"after_login": {_number(result.after_login)}, "elevation": {elevation}, {decided}, '
            f'"understood": {"true" if result.understood else "false"}, '
            f'"trace": [{", ".join(texts)}]}}\n'
        )


def _number(value: int | None) -> str:
    return "null" if value is None else str(value)


def login_json(result: Result) -> str:
    """The result as JSON."""
    return json.dumps(result_value(result), indent=2, ensure_ascii=False) + "\n"
