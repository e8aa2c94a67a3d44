"""The step to a higher level: without a password, impossible, or protected by what does not count."""

from collections.abc import Iterator

from overhang.auditing import fixes
from overhang.auditing.context import AccessPoint, RuleContext
from overhang.auditing.findings import Fault, Finding
from overhang.auditing.registry import Topic
from overhang.auditing.rules.passwords import groups_of_equal, with_equals
from overhang.auditing.severity import AttackerEffort
from overhang.auditing.wording import listed
from overhang.exposure import AccessPath, backup_reader
from overhang.model import Elevation
from overhang.simulation import Provenance, Reason, Stage

rule = Topic("elevation", 3)
Free = tuple[AccessPoint, AccessPath, Provenance]


def _free(context: RuleContext, reason: Reason) -> list[Free]:
    """Where level 15 is reached without being asked, for one reason, with the statement that has it so."""

    def find() -> dict[Reason, list[Free]]:
        found: dict[Reason, list[Free]] = {}
        for point in context.access_points:
            for path in point.paths:
                if path.level < 15 or path.after_login == 15:
                    continue
                result = context.shown(point, path)
                steps = [step for step in result.trace if step.stage is Stage.ELEVATION] if result is not None else []
                if steps:
                    found.setdefault(steps[-1].code, []).append((point, path, steps[-1].origin))
        return found

    return context.keep("free elevation", find).get(reason, [])


def _finding(context: RuleContext, found: list[Free], message: str, fix: list[str], *because: Provenance) -> Finding:
    """``message`` has a place for who and one for where."""
    paths = [path for _, path, _ in found]
    free = [path for path in paths if not path.needs]  # who can log in, otherwise, need not learn anything more
    who = "anyone" if free else "anyone who can log in"
    text = message.format(who, listed(point.place for point, _, _ in found))
    effort = AttackerEffort.NOTHING if free else AttackerEffort.SECRET_EXPOSED
    origins = [*(origin for _, _, origin in found), *because]
    return context.opened(text, origins, free or paths, effort, fix, also=paths)


@rule("no-enable-secret")
def no_enable_secret(context: RuleContext) -> Iterator[Finding]:
    """Level 15 without a password, for lack of one."""
    found = _free(context, Reason.BARE_ADMITS)
    if found:
        level = max(path.level for _, path, _ in found)
        stuck = _stuck(context)
        more = f"; by {listed(stuck)} a lower account can never reach it" if stuck else ""
        device = context.device.facts.block.origin
        because: list[Provenance] = [device] if device is not None else []
        message = f"no password protects level {level}: {{0}} reaches it by {{1}}{more}"
        yield _finding(context, found, message, fixes.elevation(level), *because)


@rule("elevation-without-account")
def elevation_without_account(context: RuleContext) -> Iterator[Finding]:
    """Level 15 without a password, since no account of that level can be used."""
    found = _free(context, Reason.BARE_ACCOUNTS)
    if found:
        level = max(path.level for _, path, _ in found)
        message = f"no account of level {level} can be used, so elevation asks for nothing: {{0}} reaches it by {{1}}"
        fix = fixes.block("user your-name", "password withheld", f"level {level}")
        yield _finding(context, found, message, fix)


@rule("elevation-no-authentication")
def elevation_no_authentication(context: RuleContext) -> Iterator[Finding]:
    """Level 15 without a password, by a method list that asks for nothing."""
    found = _free(context, Reason.METHOD_NOTHING)
    if found:
        level = max(path.level for _, path, _ in found)
        message = f"the method list for elevation asks for nothing: {{0}} reaches level {level} by {{1}}"
        fix = []
        for methods in context.device.lists.values():
            if methods.purpose == "elevation" and any(each.value.kind == "nothing" for each in methods.methods):
                fix += fixes.replaced(methods, "nothing", "elevation-password")
        fix += fixes.elevation(level) if level not in context.resolved.elevations else []
        yield _finding(context, found, message, fix)


def _stuck(context: RuleContext) -> list[str]:
    """The ways by which an account logs in and never elevates, since no password is set."""
    found = []
    for point in context.access_points:
        top = next((path for path in point.paths if path.needs and path.level < 15), None)
        if top is None or point.view is None or any(path.level == 15 for path in point.paths):
            continue
        asked = top._replace(level=top.after_login)
        result = context.shown(point, asked, elevate=15)
        if result is not None and any(step.code is Reason.BARE_DENIES for step in result.trace):
            found.append(point.place)
    return list(dict.fromkeys(found))


@rule("level-15-unreachable")
def level_15_unreachable(context: RuleContext) -> Iterator[Finding]:
    """Devices that people can log in to, and where nobody ever reaches level 15."""
    exposure = context.exposure
    if not context.paths or any(path.level == 15 for path in exposure.paths) or not exposure.complete:
        return
    where = _stuck(context)
    if not where:
        return
    top = max(path.level for path in context.paths)
    message = (
        f"nobody gets above level {top}: no password for level 15 is set, so elevation by {listed(where)} is refused"
    )
    device = context.device.facts.block.origin
    because: list[Provenance] = [device] if device is not None else []
    because += [account.level.origin for account in context.resolved.accounts if account.level is not None]
    yield context.locked_out(message, because, fixes.elevation(15), everybody=True)


# -- how the password is stored ----------------------------------------------------------------------------------------


def _name(level: int) -> str:
    return "the enable secret" if level == 15 else f"the password for level {level}"


def _form(elevation: Elevation) -> str:
    """How the reversible password of a level is stored."""
    return "in clear text" if elevation.plain is not None and elevation.plain.value.readable else "reversibly"


@rule("unused-enable-password")
def unused_enable_password(context: RuleContext) -> Iterator[Finding]:
    """A clear-text or masked password beside the one-way one that counts."""
    for level, elevation in context.device.elevations.items():
        if elevation.strong is None or elevation.plain is None:
            continue
        message = (
            f"a password for level {level} stored {_form(elevation)} is left beside the "
            f"{elevation.strong.value.form.value} one that counts: it opens nothing here, but shows what may open "
            "something elsewhere"
        )
        paths = context.opened_by({f"elevation:{level}"})
        because = (elevation.plain.origin, elevation.strong.origin)
        key = Fault.STORED.at(elevation.plain.origin)
        fix = fixes.without_readable(context, level)
        yield context.opened(message, because, paths, AttackerEffort.SECRET_EXPOSED, fix, key)


@rule("enable-not-hashed")
def enable_not_hashed(context: RuleContext) -> Iterator[Finding]:
    """The enable password that counts is stored in clear text or masked."""
    for level, elevation in context.device.elevations.items():
        said = elevation.plain
        if elevation.strong is not None or said is None or not (said.value.readable or said.value.masked):
            continue
        needing = context.needing(f"elevation:{level}")
        paths = context.opened_by(backup_reader(context.exposure), needing)
        why = "" if said.value.readable else ", and masking reverses in an instant"
        message = f"{_name(level)} is stored {_form(elevation)}{why}: any copy of the configuration discloses it"
        fix = fixes.new_elevation(context, level)
        if said.value.readable and context.device.passwords.mask is None:
            fix += fixes.block("passwords", "mask yes")
        key = Fault.STORED.at(said.origin)
        yield context.opened(message, [said.origin], paths, AttackerEffort.SECRET_EXPOSED, fix, key, also=needing)


@rule("enable-secret-reused")
def enable_secret_reused(context: RuleContext) -> Iterator[Finding]:
    """An enable secret that is provably another password too."""
    for places in groups_of_equal(context):
        items = {place.item for place in places}
        if len(places) < 2 or not any(item.startswith("elevation:") for item in items):
            continue
        others = listed(place.label for place in places if place.item != "elevation:15")
        message = f"the enable secret is also the password of {others}: knowing one is enough for both"
        fix = [
            line
            for item in sorted(items)
            if item.startswith("elevation:")
            for line in fixes.new_password(context, item)
        ]
        paths = context.opened_by(with_equals(context, items))
        because = [place.said.origin for place in places]
        yield context.opened(message, because, paths, AttackerEffort.SECRET_EXPOSED, fix)
