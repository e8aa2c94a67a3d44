"""The access paths that a finding opens, in words."""

from collections.abc import Sequence

from overhang.auditing.results import Opened
from overhang.model.vocabulary import PORTS, way_label


def opened_phrases(opens: Sequence[Opened]) -> list[str]:
    """The access paths that a finding opens; those that differ only in the knowledge needed share a line."""
    groups: dict[Opened, list[str]] = {}
    for each in opens:
        groups.setdefault(each._replace(needs=""), []).append(each.needs)
    return [_phrase(each, list(dict.fromkeys(needs))) for each, needs in groups.items()]


def _phrase(opened: Opened, needs: list[str]) -> str:
    where = ", ".join(opened.sources)
    if opened.via in PORTS:
        start = f"at the {opened.via}" + (" port" if opened.via == "auxiliary" else "")
    else:
        start = f"{way_label(opened.via)} {f'from {where}'}"
    known = (
        needs[0] if len(needs) == 1 else f"{needs[0]}, or {needs[1] if len(needs) == 2 else f'{len(needs) - 1} others'}"
    )
    level = (
        f"level {opened.level}"
        if opened.level == opened.after_login
        else f"level {opened.after_login}, then {opened.level}"
    )
    when = f" (servers {opened.servers})" if opened.servers else ""
    when += f" ({opened.hours})" if opened.hours else ""
    known = "without a password" if needs == ["nothing"] else f"knowing {known}"
    busy = f" ({opened.busy})" if opened.busy else ""
    return f"{start}{busy}, {known}: {level}{when}"
