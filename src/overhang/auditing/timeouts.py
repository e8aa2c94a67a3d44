"""How soon idle sessions end where logins arrive."""

import math
from collections.abc import Iterator

from overhang.auditing import fixes
from overhang.auditing.context import AccessPoint, RuleContext
from overhang.model.vocabulary import PORTS, WEB_WAYS
from overhang.simulation.result import Resolved
from overhang.text import Origin


def timeouts(context: RuleContext, point: AccessPoint) -> Iterator[tuple[str, Resolved, str]]:
    """After how long an idle session at an access point ends, with what people call it and the block that sets it."""
    if point.via in WEB_WAYS:
        web = context.device.web
        yield "web management", context.resolved.said_or(web.idle, "unsaid-idle", web.block), "web"
    if point.view is None:
        return
    if point.via in PORTS:
        yield point.label, point.view.idle, f"entry {point.via}"
        return
    own = {"ssh": context.device.ssh, "telnet": context.device.telnet}[point.via].idle
    entry = point.view.idle
    given = [(Resolved(*own), point.via)] if own is not None else []
    if isinstance(entry.origin, Origin) or not given:
        given += [(entry, head) for head in fixes.entry_heads(point)]
    first = min(given, key=lambda each: each[0].value if isinstance(each[0].value, int) else math.inf)[0]
    yield from ((point.label, idle, head) for idle, head in given if idle == first)
