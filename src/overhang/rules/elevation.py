"""The step to a higher level: unguarded, shut for everybody, or guarded by what counts for nothing."""

from collections.abc import Iterator

from overhang.login import Result, words
from overhang.login.result import Because
from overhang.login.setting import PORTS
from overhang.rules.case import Case, Spot, listed
from overhang.rules.model import Finding
from overhang.rules.remedies import block, word
from overhang.rules.severity import Takes
from overhang.rules.strangers import rewritten, spell
from overhang.ways import Way

_FREE = {
    words.BARE_ADMITS: "no-enable-secret",
    words.BARE_ACCOUNTS: "low-account-let-up",
    words.METHOD_NOTHING: "elevation-asks-nothing",
}


def check_unguarded(case: Case) -> Iterator[Finding]:
    """Elevation that asks for nothing."""
    found: dict[str, list[tuple[Spot, Way, Result, Because]]] = {}
    for spot in case.spots():
        for row in spot.rows:
            if row.level < 15 or row.after_login == 15:
                continue
            result = case.shown(spot, row)
            free = next((s for s in reversed(result.trace) if s.stage == words.ELEVATING), None) if result else None
            if result is not None and free is not None and free.words in _FREE:
                found.setdefault(_FREE[free.words], []).append((spot, row, result, free.origin))
    for rule, group in found.items():
        rows = [row for _, row, _, _ in group]
        level = max(row.level for row in rows)
        who = "anybody" if any(not row.needs for row in rows) else "whoever can log in"
        where = listed(spot.label if spot.via in PORTS else spot.way_label for spot, _, _, _ in group)
        because: list[Because] = [origin for _, _, _, origin in group]
        remedy = block(f"elevation {level}", "password withheld")
        if rule == "no-enable-secret":
            device = case.device.facts.block.origin
            because += [device] if device is not None else []
            stuck = _stuck(case)
            message = f"no password guards level {level}: {who} reaches it by {where}"
            message += f", and a low account stays low for ever by {listed(stuck)}" if stuck else ""
        elif rule == "low-account-let-up":
            message = f"no account of level {level} can be used, so {who} is simply let up to it by {where}"
            remedy = block("user your-name", "password withheld", f"level {level}")
        else:
            message = f"the method list for elevation asks for nothing: {who} reaches level {level} by {where}"
            remedy = _elevation_lists(case) + (remedy if level not in case.setting.elevations else [])
        free = [row for row in rows if not row.needs]  # who can log in, otherwise, need not learn anything more
        takes = Takes.NOTHING if free else Takes.LEARNING
        yield case.opened(rule, message, because, free or rows, takes, remedy, also=rows)


def _stuck(case: Case) -> list[str]:
    """The ways by which an account gets in and never up, since no password is set."""
    found = []
    for spot in case.spots():
        top = next((row for row in spot.rows if row.needs and row.level < 15), None)
        if top is None or spot.view is None or any(row.level == 15 for row in spot.rows):
            continue
        asked = top._replace(level=top.after_login)
        result = case.shown(spot, asked, elevate=15)
        if result is not None and any(step.words == words.BARE_DENIES for step in result.trace):
            found.append(spot.label if spot.via in PORTS else spot.way_label)
    return list(dict.fromkeys(found))


def _elevation_lists(case: Case) -> list[str]:
    said = []
    for (kind, name), methods in case.device.lists.items():
        if kind == "elevation" and any(each.value.kind == "nothing" for each in methods.methods):
            kept = [
                "elevation-password" if each.value.kind == "nothing" else spell(each.value) for each in methods.methods
            ]
            said += rewritten(kind, name, kept)
    return said


def check_stuck(case: Case) -> Iterator[Finding]:
    """Devices that people get into, and where nobody ever reaches level 15."""
    if not case.rows or any(row.level == 15 for row in case.ways.ways) or not case.ways.complete:
        return
    where = _stuck(case)
    if not where:
        return
    top = max(row.level for row in case.rows)
    message = (
        f"nobody gets above level {top}: no password for level 15 is set, and without one {listed(where)} "
        "lets nobody up"
    )
    device = case.device.facts.block.origin
    because: list[Because] = [device] if device is not None else []
    because += [account.level.origin for account in case.setting.accounts if account.level is not None]
    remedy = block("elevation 15", "password withheld")
    yield case.shut("stuck-low", message, because, remedy, everybody=True)


def check_dead(case: Case) -> Iterator[Finding]:
    """A readable or masked password beside the one-way one that counts."""
    for level, elevation in case.device.elevations.items():
        if elevation.strong is None or elevation.plain is None:
            continue
        form = elevation.plain.value.form.value
        message = (
            f"a {form} password for level {level} is left beside the {elevation.strong.value.form.value} one: it opens "
            f"nothing here, and shows a reader of the configuration what may open something elsewhere"
        )
        rows = case.opened_by({f"elevation:{level}"})
        remedy = [f"drop elevation {level}: password", *block(f"elevation {level}", "password withheld")]
        because = (elevation.plain.origin, elevation.strong.origin)
        yield case.opened(
            "dead-readable-password", message, because, rows, Takes.LEARNING, remedy, ("form", elevation.plain.origin)
        )


def check_not_covered(case: Case) -> Iterator[Finding]:
    """Servers that are asked for the login, and not for elevation or web management."""
    login = {
        asked.name: said.origin
        for (kind, _), methods in case.device.lists.items()
        if kind == "login"
        for said in methods.methods
        if (asked := case.device.groups.get(said.value.group or "")) is not None and asked.servers
    }
    if not login:
        return
    group, origin = next(iter(login.items()))
    servers = f"servers {word(group)}"
    elevation = [spell(said.value) for (k, _), m in case.device.lists.items() if k == "elevation" for said in m.methods]
    rows = [
        row
        for row in case.rows
        if any(name.startswith("elevation:") for name in case.names_of(row)) and row.level > row.after_login
    ]
    if rows and not any(each.startswith("servers") for each in elevation):
        message = (
            f"group {group} is asked who logs in, and not who elevates: that takes one secret that everybody shares"
        )
        remedy = block("methods for elevation", servers, "elevation-password")
        yield case.opened("elevation-not-covered", message, [origin], rows, Takes.EFFORT, remedy)
    for spot in case.spots():
        if spot.via not in ("http", "https") or not spot.rows:
            continue
        if any(name.startswith("server:") for row in spot.rows for name in case.names_of(row)):
            continue
        message = f"group {group} is asked who logs in, and not on the web: accounts that it has shut still work there"
        view = spot.service.check if spot.service is not None else None
        because = [origin, view.origin if view is not None else case.setting.web_check().origin]
        remedy = block("methods for web", servers, "users") + (
            block("web", "check methods") if view is not None else []
        )
        yield case.opened("web-not-covered", message, because, spot.rows, Takes.EFFORT, remedy)
        return


def check_forms(case: Case) -> Iterator[Finding]:
    """The enable password that counts is readable or masked."""
    for level, elevation in case.device.elevations.items():
        said = elevation.plain
        if elevation.strong is not None or said is None or not (said.value.readable or said.value.masked):
            continue
        form = "readable" if said.value.readable else "masked"
        how = (
            "whoever sees a copy of the configuration"
            if form == "readable"
            else "masking reverses in an instant, so whoever has a copy"
        )
        needing = case.needing(f"elevation:{level}")
        rows = case.opened_by(shown_items(case), needing)
        message = f"the password for level {level} is stored {form}: {how} has it"
        remedy = [f"drop elevation {level}: password", *block(f"elevation {level}", "password withheld")]
        if form == "readable" and case.device.passwords.mask is None:
            remedy += block("passwords", "mask yes")
        yield case.opened(
            "enable-not-hashed",
            message,
            [said.origin],
            rows,
            Takes.LEARNING,
            remedy,
            ("form", said.origin),
            also=needing,
        )


def shown_items(case: Case) -> set[str]:
    """The items that a reader of the configuration has: those that stand in it readable or masked."""
    return {name for number, names in enumerate(case.ways.items.names) if case.ways.forms(number) for name in names}
