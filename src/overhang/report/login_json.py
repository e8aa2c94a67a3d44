"""One login for programs: the same object that a line of many attempts gives."""

import json
from typing import Any

from overhang.login import Because, FromAttempt, FromProfile, Result


def origin_value(origin: Because) -> dict[str, Any]:
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


def login_json(result: Result) -> str:
    """The result as JSON."""
    return json.dumps(result_value(result), indent=2, ensure_ascii=False) + "\n"
