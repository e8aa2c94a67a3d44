"""The step to a higher level: unguarded, shut for everybody, or guarded by what counts for nothing."""

from collections.abc import Iterator

from overhang.audit.context import AccessPoint, RuleContext, listed
from overhang.audit.findings import Finding
from overhang.audit.fixes import block, word
from overhang.audit.rules.unauthenticated import rewritten, spell
from overhang.audit.severity import AttackerEffort
from overhang.exposure import AccessPath
from overhang.model.vocabulary import PORTS
from overhang.simulate import Result
from overhang.simulate.reasons import Reason, Stage
from overhang.simulate.result import Provenance

_FREE = {
    Reason.BARE_ADMITS: "no-enable-secret",
    Reason.BARE_ACCOUNTS: "low-account-let-up",
    Reason.METHOD_NOTHING: "elevation-asks-nothing",
}


def check_unguarded(context: RuleContext) -> Iterator[Finding]:
    """Elevation that asks for nothing."""
    found: dict[str, list[tuple[AccessPoint, AccessPath, Result, Provenance]]] = {}
    for point in context.access_points():
        for path in point.paths:
            if path.level < 15 or path.after_login == 15:
                continue
            result = context.shown(point, path)
            free = next((s for s in reversed(result.trace) if s.stage == Stage.ELEVATION), None) if result else None
            if result is not None and free is not None and free.code in _FREE:
                found.setdefault(_FREE[free.code], []).append((point, path, result, free.origin))
    for rule, group in found.items():
        paths = [path for _, path, _, _ in group]
        level = max(path.level for path in paths)
        who = "anybody" if any(not path.needs for path in paths) else "whoever can log in"
        where = listed(point.label if point.via in PORTS else point.way_label for point, _, _, _ in group)
        because: list[Provenance] = [origin for _, _, _, origin in group]
        fix = block(f"elevation {level}", "password withheld")
        if rule == "no-enable-secret":
            device = context.device.facts.block.origin
            because += [device] if device is not None else []
            stuck = _stuck(context)
            message = f"no password guards level {level}: {who} reaches it by {where}"
            message += f", and a low account stays low for ever by {listed(stuck)}" if stuck else ""
        elif rule == "low-account-let-up":
            message = f"no account of level {level} can be used, so {who} is simply let up to it by {where}"
            fix = block("user your-name", "password withheld", f"level {level}")
        else:
            message = f"the method list for elevation asks for nothing: {who} reaches level {level} by {where}"
            fix = _elevation_lists(context) + (fix if level not in context.resolved.elevations else [])
        free = [path for path in paths if not path.needs]  # who can log in, otherwise, need not learn anything more
        effort = AttackerEffort.NOTHING if free else AttackerEffort.LEARNING
        yield context.opened(rule, message, because, free or paths, effort, fix, also=paths)


def _stuck(context: RuleContext) -> list[str]:
    """The ways by which an account gets in and never up, since no password is set."""
    found = []
    for point in context.access_points():
        top = next((path for path in point.paths if path.needs and path.level < 15), None)
        if top is None or point.view is None or any(path.level == 15 for path in point.paths):
            continue
        asked = top._replace(level=top.after_login)
        result = context.shown(point, asked, elevate=15)
        if result is not None and any(step.code == Reason.BARE_DENIES for step in result.trace):
            found.append(point.label if point.via in PORTS else point.way_label)
    return list(dict.fromkeys(found))


def _elevation_lists(context: RuleContext) -> list[str]:
    said = []
    for (kind, name), methods in context.device.lists.items():
        if kind == "elevation" and any(each.value.kind == "nothing" for each in methods.methods):
            kept = [
                "elevation-password" if each.value.kind == "nothing" else spell(each.value) for each in methods.methods
            ]
            said += rewritten(kind, name, kept)
    return said


def check_stuck(context: RuleContext) -> Iterator[Finding]:
    """Devices that people get into, and where nobody ever reaches level 15."""
    if not context.paths or any(path.level == 15 for path in context.exposure.paths) or not context.exposure.complete:
        return
    where = _stuck(context)
    if not where:
        return
    top = max(path.level for path in context.paths)
    message = (
        f"nobody gets above level {top}: no password for level 15 is set, and without one {listed(where)} "
        "lets nobody up"
    )
    device = context.device.facts.block.origin
    because: list[Provenance] = [device] if device is not None else []
    because += [account.level.origin for account in context.resolved.accounts if account.level is not None]
    fix = block("elevation 15", "password withheld")
    yield context.shut("stuck-low", message, because, fix, everybody=True)


def check_dead(context: RuleContext) -> Iterator[Finding]:
    """A readable or masked password beside the one-way one that counts."""
    for level, elevation in context.device.elevations.items():
        if elevation.strong is None or elevation.plain is None:
            continue
        form = elevation.plain.value.form.value
        message = (
            f"a {form} password for level {level} is left beside the {elevation.strong.value.form.value} one: it opens "
            f"nothing here, and shows a reader of the configuration what may open something elsewhere"
        )
        paths = context.opened_by({f"elevation:{level}"})
        fix = [f"drop elevation {level}: password", *block(f"elevation {level}", "password withheld")]
        because = (elevation.plain.origin, elevation.strong.origin)
        yield context.opened(
            "dead-readable-password",
            message,
            because,
            paths,
            AttackerEffort.LEARNING,
            fix,
            ("form", elevation.plain.origin),
        )


def check_not_covered(context: RuleContext) -> Iterator[Finding]:
    """Servers that are asked for the login, and not for elevation or web management."""
    login = {
        asked.name: said.origin
        for (kind, _), methods in context.device.lists.items()
        if kind == "login"
        for said in methods.methods
        if (asked := context.device.groups.get(said.value.group or "")) is not None and asked.servers
    }
    if not login:
        return
    group, origin = next(iter(login.items()))
    servers = f"servers {word(group)}"
    elevation = [
        spell(said.value) for (k, _), m in context.device.lists.items() if k == "elevation" for said in m.methods
    ]
    paths = [
        path
        for path in context.paths
        if any(name.startswith("elevation:") for name in context.names_of(path)) and path.level > path.after_login
    ]
    if paths and not any(each.startswith("servers") for each in elevation):
        message = (
            f"group {group} is asked who logs in, and not who elevates: that takes one secret that everybody shares"
        )
        fix = block("methods for elevation", servers, "elevation-password")
        yield context.opened("elevation-not-covered", message, [origin], paths, AttackerEffort.EFFORT, fix)
    for point in context.access_points():
        if point.via not in ("http", "https") or not point.paths:
            continue
        if any(name.startswith("server:") for path in point.paths for name in context.names_of(path)):
            continue
        message = f"group {group} is asked who logs in, and not on the web: accounts that it has shut still work there"
        view = point.service.check if point.service is not None else None
        because = [origin, view.origin if view is not None else context.resolved.web_check().origin]
        fix = block("methods for web", servers, "users") + (block("web", "check methods") if view is not None else [])
        yield context.opened("web-not-covered", message, because, point.paths, AttackerEffort.EFFORT, fix)
        return


def check_forms(context: RuleContext) -> Iterator[Finding]:
    """The enable password that counts is readable or masked."""
    for level, elevation in context.device.elevations.items():
        said = elevation.plain
        if elevation.strong is not None or said is None or not (said.value.readable or said.value.masked):
            continue
        form = "readable" if said.value.readable else "masked"
        how = (
            "whoever sees a copy of the configuration"
            if form == "readable"
            else "masking reverses in an instant, so whoever has a copy"
        )
        needing = context.needing(f"elevation:{level}")
        paths = context.opened_by(shown_items(context), needing)
        message = f"the password for level {level} is stored {form}: {how} has it"
        fix = [f"drop elevation {level}: password", *block(f"elevation {level}", "password withheld")]
        if form == "readable" and context.device.passwords.mask is None:
            fix += block("passwords", "mask yes")
        yield context.opened(
            "enable-not-hashed",
            message,
            [said.origin],
            paths,
            AttackerEffort.LEARNING,
            fix,
            ("form", said.origin),
            also=needing,
        )


def shown_items(context: RuleContext) -> set[str]:
    """The items that a reader of the configuration has: those that stand in it readable or masked."""
    return {
        name
        for number, names in enumerate(context.exposure.credentials.names)
        if context.exposure.forms(number)
        for name in names
    }
