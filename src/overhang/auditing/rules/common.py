"""What rules of several topics ask: who gets in without knowing anything, and why; and small helpers."""

from collections.abc import Iterable, Iterator
from typing import NamedTuple

from overhang.auditing.context import AccessPoint, RuleContext
from overhang.auditing.findings import DedupKey
from overhang.exposure import AccessPath
from overhang.model.vocabulary import DOOR, PORTS, WEB_WAYS
from overhang.simulation import Provenance, Reason, Result, Stage, Step

#: What lets anyone in without a credential.
_LETS_IN = frozenset(
    {
        Reason.CHECK_NOTHING,
        Reason.NO_PASSWORD_ADMITS,
        Reason.METHOD_NOTHING,
        Reason.LIST_UNDEFINED_ADMITS,
        Reason.END_ADMITS,
        Reason.GUEST,
        Reason.NO_PROMPT,
        Reason.UNSET_ADMITS,
        Reason.NOT_ASKED,
        Reason.BARE_TIER,
        Reason.NO_PASSWORD_NEEDED,
        Reason.RIGHT_PASSWORD,
        Reason.ELEVATION_UNSET_ADMITS,
        Reason.COMMUNITY_RIGHT,
    }
)


class Unauthenticated(NamedTuple):
    """An access path that needs no credential: where, the path, a login that shows it, and the deciding step."""

    point: AccessPoint
    path: AccessPath
    result: Result
    step: Step


def unauthenticated(context: RuleContext) -> list[Unauthenticated]:
    """Every access path that needs no credential."""
    return context.keep("unauthenticated", lambda: list(_find(context)))


def _find(context: RuleContext) -> Iterator[Unauthenticated]:
    for point in context.access_points:
        for path in point.unauthenticated:
            result = context.shown(point, path)
            if result is None:
                continue
            steps = [each for each in result.trace if each.stage is Stage.AUTHENTICATION and each.code in _LETS_IN]
            if steps:
                yield Unauthenticated(point, path, result, steps[-1])


def by_cause(found: Iterable[Unauthenticated], *reasons: Reason) -> Iterator[list[Unauthenticated]]:
    """Those that one of the reasons lets in, together where it is the same statement and kind of access point."""
    groups: dict[tuple[Provenance, str], list[Unauthenticated]] = {}
    for each in found:
        if each.step.code in reasons:
            via = each.point.via
            kind = via if via in PORTS or via.startswith(DOOR) else "web" if via in WEB_WAYS else ""
            groups.setdefault((each.step.origin, kind), []).append(each)
    yield from groups.values()


def through(context: RuleContext, origin: Provenance) -> list[Unauthenticated]:
    """Those whose login comes by a statement."""
    return [each for each in unauthenticated(context) if origin in {step.origin for step in each.result.trace}]


def check_keys(points: Iterable[AccessPoint]) -> list[DedupKey]:
    """What stands for "who passes the check" at several access points, each once."""
    return list(dict.fromkeys(point.check_key for point in points))


def labels_of(points: Iterable[AccessPoint]) -> list[str]:
    """What people call several access points, each once."""
    return list(dict.fromkeys(point.label for point in points))


def crossing(context: RuleContext, paths: Iterable[AccessPath]) -> str:
    """What crosses the network where logins by these paths are not encrypted."""
    names = {name for path in paths for name in context.names_of(path)}
    if any(name.startswith(("user:", "server:")) for name in names):
        return "usernames and passwords cross"
    return "passwords cross" if names else "everything that is typed crosses"


def verb(points: Iterable[AccessPoint], one: str, many: str) -> str:
    """The form of a verb behind access points."""
    found = list(points)
    return many if len(labels_of(found)) > 1 or len(found[0].numbers) > 1 else one
