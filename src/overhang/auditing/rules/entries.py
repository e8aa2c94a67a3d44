"""Checks that ports and VTYs share: each rule about one of them asks these."""

from collections.abc import Callable, Iterator

from overhang.auditing import fixes
from overhang.auditing.context import AccessPoint, RuleContext
from overhang.auditing.findings import Finding, origins_of
from overhang.auditing.rules.common import Unauthenticated, by_cause, check_keys, labels_of, unauthenticated, verb
from overhang.auditing.severity import AttackerEffort
from overhang.auditing.wording import listed, vtys_label
from overhang.model.vocabulary import PORTS, VTY_WAYS
from overhang.simulation import Provenance, Reason, Result, Stage
from overhang.simulation.views import ResolvedEntry

#: Levels that no account decides.
_NOT_BY_ACCOUNT = (Reason.LANDS_ENTRY, Reason.LANDS_SERVICE, Reason.LANDS_UNSAID)


# -- who gets in without knowing anything ------------------------------------------------------------------------------


def no_authentication(context: RuleContext, wanted: Callable[[AccessPoint], bool]) -> Iterator[Finding]:
    """Access points that ask for nothing; those with a password of their own are reported as ignoring it."""
    for group in by_cause(unauthenticated(context), Reason.CHECK_NOTHING):
        views = [each.point.view for each in group if each.point.view is not None]
        ignored = any(view.credential is not None and view.credential.origin != view.block.doubt for view in views)
        if wanted(group[0].point) and not ignored:
            yield anyone(context, group, "for no password")


def anyone_passes(
    context: RuleContext, reason: Reason, what: str, wanted: Callable[[AccessPoint], bool] = lambda _: True
) -> Iterator[Finding]:
    """Access points that let anyone in for one reason."""
    for group in by_cause(unauthenticated(context), reason):
        if wanted(group[0].point):
            yield anyone(context, group, what)


def anyone(context: RuleContext, group: list[Unauthenticated], what: str) -> Finding:
    """A finding about access points that ask ``what`` and let anyone in."""
    points = [each.point for each in group]
    level = max(each.path.level for each in group)
    who = "anyone at the port" if points[0].via in PORTS else "anyone who connects"
    message = f"{listed(labels_of(points))} {verb(points, 'asks', 'ask')} {what}: {who} gets level {level}"
    stages = (Stage.AUTHENTICATION, Stage.ELEVATION)
    because = [origin for each in group for origin in origins_of(each.result.trace, *stages)]
    fix = fixes.check_users(context, points)
    if points[0].via == "auxiliary" and not context.used("auxiliary"):
        fix = fixes.block("entry auxiliary", "closed")
    paths = [each.path for each in group]
    return context.opened(message, because, paths, AttackerEffort.NOTHING, fix, *check_keys(points))


# -- what nobody can pass ----------------------------------------------------------------------------------------------


def nobody_passes(context: RuleContext, reason: Reason, what: str) -> Iterator[Finding]:
    """Ports and VTYs where every login ends for one reason."""
    if not context.exposure.complete:
        return  # somebody may pass by a path that was not found
    found: dict[object, tuple[list[AccessPoint], list[Provenance]]] = {}
    for point in context.access_points:
        if point.paths or not point.arrives or point.view is None:
            continue
        result = _ends_by(context, point, reason)
        if result is not None:
            where = "" if reason is Reason.NO_ACCOUNTS else point.numbers or point.via
            points, because = found.setdefault(where, ([], []))
            points.append(point)
            because += origins_of(result.trace, Stage.AUTHENTICATION)
    others = any(point.paths for point in context.access_points)
    for points, because in found.values():
        message = f"{listed(labels_of(points))} {verb(points, 'asks', 'ask')} {what}"
        fix = _passable(context, points, reason)
        keys = check_keys(points)
        yield context.locked_out(message, because, fix, *keys, everybody=not others, always=True)


_TELLING = (Reason.NO_PASSWORD_DROPPED, Reason.PASSWORD_NOT_FOR_SSH, Reason.NO_ACCOUNTS)


def _ends_by(context: RuleContext, point: AccessPoint, reason: Reason) -> Result | None:
    for result in context.unauthenticated(point.via, point.numbers):
        codes = [step.code for step in result.trace]
        first = next((code for code in codes if code in _TELLING), None)
        if first is Reason.PASSWORD_NOT_FOR_SSH and _others_at(context, point):
            return None
        if first is not None and Reason.CHECK_METHODS not in codes:
            return result if first is reason else None
    return None


def _others_at(context: RuleContext, point: AccessPoint) -> bool:
    """Whether a login succeeds at the same VTYs by another way."""
    return any(each.paths for each in context.access_points if each.numbers == point.numbers)


def _passable(context: RuleContext, points: list[AccessPoint], reason: Reason) -> list[str]:
    if reason is Reason.NO_ACCOUNTS:
        return fixes.accounts(context, *(point.via for point in points))
    if points[0].via == "auxiliary":
        return fixes.block("entry auxiliary", "closed")
    fix = fixes.check_users(context, points)
    if reason is Reason.PASSWORD_NOT_FOR_SSH:  # it would be left behind, asked for by nobody
        heads = (head for point in points for head in fixes.entry_heads(point))
        fix += fixes.blocks(heads, "drop password")
    return fix


# -- passwords of entries ----------------------------------------------------------------------------------------------


def ignored_passwords(context: RuleContext) -> Iterator[Finding]:
    """Entries' passwords that no login is asked for."""
    by_line: dict[Provenance, list[ResolvedEntry]] = {}
    for view in [*context.resolved.ports.values(), *context.vtys]:
        if view.credential is not None and view.credential.origin != view.block.doubt and view.closed is None:
            by_line.setdefault(view.credential.origin, []).append(view)
    for origin, views in by_line.items():
        if origin in context.asked("somebody"):
            continue
        numbers = {view.number for view in views if view.number is not None}
        points = [
            point
            for point in context.access_points
            if point.view is not None and (numbers & set(point.numbers) or point.view in views)
        ]
        inside = [each for each in unauthenticated(context) if each.point in points]
        label = views[0].spoken if not numbers else vtys_label(sorted(numbers))
        because: list[Provenance] = [origin]
        because += [view.check.origin if view.check is not None else view.unsaid_check.origin for view in views]
        message = f"a password is set on {label} but no login asks for it"
        if inside:
            message += f": anyone gets level {max(each.path.level for each in inside)} without it"
            because += [each for found in inside for each in origins_of(found.result.trace, Stage.AUTHENTICATION)]
        else:
            message += ": it protects nothing and is exposed in every copy of the configuration"
        heads = fixes.vty_heads(sorted(numbers)) or [f"entry {views[0].unsaid_key.removeprefix('unsaid-')}"]
        fix = fixes.blocks(heads, "drop password")
        if inside:
            fix += fixes.check_users(context, (each.point for each in inside))
        paths = [each.path for each in inside]
        yield context.opened(message, because, paths, AttackerEffort.NOTHING, fix, *check_keys(points))


def shared_passwords(context: RuleContext, kind: str) -> Iterator[Finding]:
    """Entries that ask for one shared password: of kind ``port``, ``vty``, or ``fallback`` as a method of a list."""
    asked: dict[Provenance, list[tuple[AccessPoint, list[Provenance]]]] = {}
    for point in context.access_points:
        if point.view is None or point.view.credential is None:
            continue
        paths = context.needing(point.view.credential.item, point.paths)
        result = context.shown(point, paths[0]) if paths else None
        if result is None:
            continue
        by_list = next((step for step in result.trace if step.code is Reason.CHECK_METHODS), None)
        if kind == ("fallback" if by_list else "vty" if point.via in VTY_WAYS else "port"):
            origin = by_list.origin if by_list else point.view.credential.origin
            asked.setdefault(origin, []).append((point, origins_of(result.trace, Stage.AUTHENTICATION)))
    for found in asked.values():
        points = [point for point, _ in found]
        paths = [
            path
            for point in points
            if point.view is not None and point.view.credential is not None
            for path in context.needing(point.view.credential.item, point.paths)
        ]
        level = max(path.level for path in paths)
        when = ", once no method before it answers" if kind == "fallback" else ""
        message = (
            f"{listed(labels_of(points))} {verb(points, 'asks', 'ask')} for one shared password{when}: it gets passed "
            f"around, logins cannot be told apart, and it leads to level {level}"
        )
        if kind == "fallback":
            fix = _without_entry_password(context)
        else:
            # it may be one that stands in several places; here it is enough that this entry no longer asks for it
            heads = (head for point in points for head in fixes.entry_heads(point))
            fix = fixes.check_users(context, points) + fixes.blocks(heads, "drop password")
        because = [origin for _, origins in found for origin in origins]
        yield context.opened(message, because, paths, AttackerEffort.SECRET_EXPOSED, fix, *check_keys(points))


def _without_entry_password(context: RuleContext) -> list[str]:
    lines = []
    for methods in context.device.lists.values():
        if methods.purpose == "login" and any(each.value.kind == "entry-password" for each in methods.methods):
            lines += fixes.replaced(methods, "entry-password", "users")
    return lines + fixes.accounts(context, "ssh")


# -- the level of a login ----------------------------------------------------------------------------------------------


def default_level_15(context: RuleContext, *, at_vtys: bool) -> Iterator[Finding]:
    """Entries where every login gets level 15, whoever it is."""
    found: dict[Provenance, list[tuple[AccessPoint, list[Provenance]]]] = {}
    for point in context.access_points:
        if point.view is None or (point.via in VTY_WAYS) is not at_vtys:
            continue
        path = next((path for path in point.paths if path.needs and path.after_login == 15), None)
        result = context.shown(point, path) if path is not None else None
        if result is None:
            continue
        level = next((step for step in reversed(result.trace) if step.stage is Stage.AUTHORIZATION), None)
        if level is not None and level.code in _NOT_BY_ACCOUNT:
            found.setdefault(level.origin, []).append((point, origins_of(result.trace, Stage.AUTHORIZATION)))
    for group in found.values():
        points = [point for point, _ in group]
        paths = [path for point in points for path in point.paths if path.needs and path.after_login == 15]
        message = (
            f"every login at {listed(labels_of(points))} gets level 15, whoever it is: no enable secret protects the "
            "highest level"
        )
        fix = fixes.blocks((head for point in points for head in _level_heads(point)), "level 1")
        if 15 not in context.resolved.elevations:
            fix += fixes.elevation(15)
        because = [each for _, origins in group for each in origins]
        yield context.opened(message, because, paths, AttackerEffort.SECRET_NEEDED, fix)


def _level_heads(point: AccessPoint) -> list[str]:
    if point.service is not None and point.service.level is not None:
        return [fixes.service_head(point)]
    return fixes.entry_heads(point)
