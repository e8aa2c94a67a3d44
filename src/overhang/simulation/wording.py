"""Where a step of a login comes from, in words and as data: the same for reports and for devices that stand in."""

from typing import Any

from overhang.simulation.result import FromAttempt, FromProfile, Provenance
from overhang.text import Origin


def place_of(origin: Provenance) -> str:
    """Where a step comes from, in words."""
    if isinstance(origin, FromProfile):
        return f"profile {origin.profile}: {origin.key}"
    if isinstance(origin, FromAttempt):
        return "the attempt itself"
    if isinstance(origin, Origin) and origin.file.endswith(".dialect.toml"):
        return f"{origin.file.replace(chr(92), '/').rsplit('/', 1)[-1]}, line {origin.line}"
    return f"line {origin.line}" if isinstance(origin, Origin) and origin.line else "the sheet"


def origin_value(origin: Provenance) -> dict[str, Any]:
    """Where a step comes from."""
    if isinstance(origin, FromProfile):
        return {"profile": origin.profile, "key": origin.key}
    if isinstance(origin, FromAttempt):
        return {"attempt": origin.field}
    return {"file": origin.file, "line": origin.line}
