"""Console, auxiliary port and VTYs: what they ask, and whether that is what it seems."""

from collections.abc import Iterator

from overhang.audit.context import AccessPoint, RuleContext, listed, origins_of, vtys_label
from overhang.audit.findings import Finding
from overhang.audit.fixes import block, spelt, vty_heads, word
from overhang.audit.rules.unauthenticated import dedup_key, rewritten, spell, unauthenticated
from overhang.audit.severity import AttackerEffort
from overhang.model.vocabulary import VTY_WAYS
from overhang.simulate.reasons import Reason, Stage
from overhang.simulate.resolve import ResolvedEntry
from overhang.simulate.result import Provenance

_NOBODYS = (Reason.LANDS_ENTRY, Reason.LANDS_SERVICE, Reason.LANDS_UNSAID)


def check_never_asked(context: RuleContext) -> Iterator[Finding]:
    """Entries' passwords that no login is asked for."""
    by_line: dict[Provenance, list[ResolvedEntry]] = {}
    for view in [*context.resolved.ports.values(), *context.vtys()]:
        if view.credential is not None and view.credential.origin != view.block.doubt and view.closed is None:
            by_line.setdefault(view.credential.origin, []).append(view)
    for origin, views in by_line.items():
        credential = views[0].credential
        if credential is None or origin in context.asked("somebody"):
            continue
        numbers = {view.number for view in views if view.number is not None}
        access_points = [
            point
            for point in context.access_points()
            if point.view is not None and ((point.numbers and numbers & set(point.numbers)) or point.view in views)
        ]
        inside = [each for each in unauthenticated(context) if each.point in access_points]
        label = views[0].spoken if not numbers else vtys_label(sorted(numbers))
        because: list[Provenance] = [origin]
        because += [view.check.origin if view.check is not None else view.unsaid_check.origin for view in views]
        message = f"a password is set on {label} and never asked for"
        if inside:
            level = max(each.path.level for each in inside)
            message += f": a stranger walks in and is at level {level}"
            because += [each for found in inside for each in origins_of(found.result.trace, Stage.AUTHENTICATION)]
        else:
            message += ": it guards nothing and is left lying about"
        heads = vty_heads(sorted(numbers)) if numbers else [f"entry {views[0].unsaid_key.removeprefix('unsaid-')}"]
        fix = [each for head in heads for each in block(head, "drop password")]
        if inside:
            fix += context.fixes.check_users(each.point for each in inside)
        exposure = [each.path for each in inside]
        dedup_keys = dict.fromkeys(dedup_key(point) for point in access_points)
        yield context.opened(
            "password-never-asked", message, because, exposure, AttackerEffort.NOTHING, fix, *dedup_keys
        )


def check_shared_password(context: RuleContext) -> Iterator[Finding]:
    """Entries that ask for one password which all share, by themselves or as a method of a list."""
    asked: dict[tuple[str, Provenance], list[tuple[AccessPoint, list[Provenance]]]] = {}
    for point in context.access_points():
        if point.view is None or point.view.credential is None:
            continue
        paths = context.needing(point.view.credential.item, point.paths)
        result = context.shown(point, paths[0]) if paths else None
        if result is None:
            continue
        by_list = next((step for step in result.trace if step.code == Reason.CHECK_METHODS), None)
        rule = (
            "fallback-entry-password" if by_list else "vty-shares-password" if point.numbers else "port-shares-password"
        )
        origin = by_list.origin if by_list else point.view.credential.origin
        asked.setdefault((rule, origin), []).append((point, origins_of(result.trace, Stage.AUTHENTICATION)))
    for (rule, _), found in asked.items():
        access_points = [point for point, _ in found]
        paths = [
            path
            for point in access_points
            if point.view and point.view.credential
            for path in context.needing(point.view.credential.item, point.paths)
        ]
        labels = list(dict.fromkeys(point.label for point in access_points))
        verb = "ask" if len(labels) > 1 or len(access_points[0].numbers) > 1 else "asks"
        level = max(path.level for path in paths)
        when = " once nobody else answers" if rule == "fallback-entry-password" else ""
        message = (
            f"{listed(labels)} {verb} for one password that everybody shares{when}: it gets passed around, "
            f"nobody can tell who came, and it leads to level {level}"
        )
        if rule == "fallback-entry-password":
            fix = _without_entry_password(context)
        else:
            # it may be one that stands in several places; here it is enough that this entry no longer asks for it
            heads = dict.fromkeys(
                head for point in access_points for head in (vty_heads(point.numbers) or [f"entry {point.via}"])
            )
            fix = [each for head in heads for each in block(head, "drop password")] + context.fixes.check_users(
                access_points
            )
        because = [origin for _, origins in found for origin in origins]
        yield context.opened(
            rule, message, because, paths, AttackerEffort.LEARNING, fix, *dict.fromkeys(map(dedup_key, access_points))
        )


def _without_entry_password(context: RuleContext) -> list[str]:
    said = []
    for (kind, name), methods in context.device.lists.items():
        if kind == "login" and any(each.value.kind == "entry-password" for each in methods.methods):
            kept = ["users" if each.value.kind == "entry-password" else spell(each.value) for each in methods.methods]
            said += rewritten(kind, name, kept)
    return said + context.fixes.accounts(*VTY_WAYS[:1])


def check_unset(context: RuleContext) -> Iterator[Finding]:
    """Entries that ask for a password, or for accounts by SSH, in a way that nobody can pass."""
    told = {
        Reason.NO_PASSWORD_DROPPED: (
            "asks-and-none-set",
            "for a password and none is set: every connection is dropped",
        ),
        Reason.PASSWORD_NOT_FOR_SSH: (
            "password-over-ssh",
            "for a password alone, and SSH always needs an account: nobody gets in by SSH",
        ),
        Reason.NO_ACCOUNTS: ("no-account", "for a local account and there is none: nobody gets in"),
    }
    found: dict[tuple[Reason, object], tuple[list[AccessPoint], list[Provenance]]] = {}
    for point in context.access_points():
        if point.paths or not point.arrives or point.view is None:
            continue
        for result in context.stranger(point.via, point.numbers):
            said = next((step for step in result.trace if step.code in told), None)
            if said is not None and said.code == Reason.PASSWORD_NOT_FOR_SSH and _others_at(context, point):
                break
            if said is not None and not any(step.code == Reason.CHECK_METHODS for step in result.trace):
                where = "" if said.code == Reason.NO_ACCOUNTS else point.numbers or point.via
                access_points, because = found.setdefault((said.code, where), ([], []))
                if point not in access_points:
                    access_points.append(point)
                    because += origins_of(result.trace, Stage.AUTHENTICATION)
                break
    for (sentence, _), (access_points, because) in found.items():
        rule, what = told[sentence]
        labels = list(dict.fromkeys(point.label for point in access_points))
        verb = "ask" if len(labels) > 1 or len(access_points[0].numbers) > 1 else "asks"
        message = f"{listed(labels)} {verb} {what}"
        if rule == "no-account":
            fix = context.fixes.accounts(*(point.via for point in access_points))
        elif access_points[0].via == "auxiliary":
            fix = block("entry auxiliary", "closed")
        else:
            fix = context.fixes.check_users(access_points)
            if rule == "password-over-ssh":  # it would be left behind, asked for by nobody
                heads = dict.fromkeys(head for point in access_points for head in vty_heads(point.numbers))
                fix = [line for head in heads for line in block(head, "drop password")] + fix
        others = any(point.paths for point in context.access_points())
        yield context.shut(
            rule,
            message,
            because,
            fix,
            *dict.fromkeys(map(dedup_key, access_points)),
            everybody=not others,
            always=True,
        )


def _others_at(context: RuleContext, point: AccessPoint) -> bool:
    """Whether somebody gets in at the same VTYs by another way."""
    return any(each.paths for each in context.access_points() if each.numbers == point.numbers)


def check_lands_high(context: RuleContext) -> Iterator[Finding]:
    """Entries where every login lands at level 15, whoever it is."""
    found: dict[tuple[str, Provenance], list[tuple[AccessPoint, list[Provenance]]]] = {}
    for point in context.access_points():
        if point.view is None:
            continue
        path = next((path for path in point.paths if path.needs and path.after_login == 15), None)
        result = context.shown(point, path) if path is not None else None
        if result is None:
            continue
        landing = next((step for step in reversed(result.trace) if step.stage == Stage.AUTHORIZATION), None)
        if landing is not None and landing.code in _NOBODYS:
            rule = "vty-lands-high" if point.numbers else "port-lands-high"
            found.setdefault((rule, landing.origin), []).append((point, origins_of(result.trace, Stage.AUTHORIZATION)))
    for (rule, _), group in found.items():
        access_points = [point for point, _ in group]
        paths = [path for point in access_points for path in point.paths if path.needs and path.after_login == 15]
        labels = list(dict.fromkeys(point.label for point in access_points))
        message = (
            f"a login at {listed(labels)} lands at level 15, whoever it is: no second step guards the highest level"
        )
        heads = dict.fromkeys(head for point in access_points for head in _landing_heads(context, point))
        fix = [each for head in heads for each in block(head, "level 1")]
        if 15 not in context.resolved.elevations:
            fix += block("elevation 15", "password withheld")
        yield context.opened(
            rule, message, [each for _, origins in group for each in origins], paths, AttackerEffort.EFFORT, fix
        )


def _landing_heads(context: RuleContext, point: AccessPoint) -> list[str]:
    if point.service is not None and point.service.level is not None:
        return [context.fixes.service_head(point)]
    return vty_heads(point.numbers) or [f"entry {point.via}"]


def check_auxiliary(context: RuleContext) -> Iterator[Finding]:
    """An auxiliary port that takes logins and that nobody of the project uses."""
    point = next((each for each in context.access_points() if each.via == "auxiliary"), None)
    if point is None or not point.paths or context.used("auxiliary"):
        return
    level = max(path.level for path in point.paths)
    message = f"the auxiliary port takes logins, to level {level}, and nobody is said to use it"
    view = point.view
    because = [view.check.origin if view.check else view.unsaid_check.origin] if view is not None else []
    fix = block("entry auxiliary", "closed")
    yield context.opened("auxiliary-open", message, because, point.paths, AttackerEffort.EFFORT, fix, dedup_key(point))


def check_unconfigured_vtys(context: RuleContext) -> Iterator[Finding]:
    """VTYs that exist, and that no statement names although it names others."""
    named = context.device.vtys
    if not named:
        return
    for group in context.vty_groups():
        numbers = group[0].numbers
        if any(number in named for number in numbers) or not any(point.arrives for point in group):
            continue
        paths = [path for point in group for path in point.paths]
        free = [path for path in paths if not path.needs]
        dropped = "" if paths else ", and what they ask for nobody can give"
        level = f", to level {max(path.level for path in paths)}" if paths else ""
        message = f"{vtys_label(numbers)} exist and no statement names them: they take logins{level}{dropped}"
        model = next((point.view for each in context.vty_groups() for point in each if point.numbers[0] in named), None)
        lines = like(context, model) if model is not None else ["closed"]
        fix = [each for head in vty_heads(numbers) for each in block(head, *lines)]
        because: list[Provenance] = [context.resolved.facts["vtys"].origin]
        view = group[0].view
        because += [view.unsaid_check.origin, view.accept.origin] if view is not None else []
        tokens = [dedup_key(group[0]), ("telnet", numbers), ("anyone", numbers), ("weak", numbers)]
        yield context.opened(
            "vty-not-configured",
            message,
            because,
            free or paths,
            AttackerEffort.NOTHING if free else AttackerEffort.EFFORT,
            fix,
            *tokens,
        )


def like(context: RuleContext, view: ResolvedEntry) -> list[str]:
    """What makes another VTY like this one, passwords left out."""
    lines = []
    if view.check is not None:
        check = view.check.value
        lines.append(f"check {check.kind}" + (f" {word(check.name)}" if check.name else ""))
    accepts = view.accept.value if isinstance(view.accept.value, tuple) else ("ssh",)
    lines.append("accept " + (" ".join(accepts) or "nothing"))
    for said, family in ((view.sources.ipv4, "ipv4"), (view.sources.ipv6, "ipv6")):
        if said is not None:
            both = view.sources.ipv4 == view.sources.ipv6
            line = f"from {word(said.value)}" + ("" if both else f" {family}")
            lines += [line] if line not in lines else []
    entry = context.device.vtys.get(view.number) if view.number is not None else None
    idle = entry.idle if entry is not None else None
    if idle is not None:
        lines.append("idle " + ("never" if idle.value is None else spelt(idle.value)))
    return lines
