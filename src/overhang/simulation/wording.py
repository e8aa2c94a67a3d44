"""Where a step of a login comes from, in words: one wording for reports and for the devices that stand in."""

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
