"""Console, auxiliary port and VTYs: what they ask, and whether that is what it seems."""

from collections.abc import Iterator

from overhang.login import words
from overhang.login.result import Because
from overhang.login.setting import VTY_WAYS, EntryView
from overhang.rules.case import Case, Spot, listed, origins_of, vtys_label
from overhang.rules.model import Finding
from overhang.rules.remedies import block, spelt, vty_heads, word
from overhang.rules.severity import Takes
from overhang.rules.strangers import cause_of, rewritten, spell, strangers

_NOBODYS = (words.LANDS_ENTRY, words.LANDS_SERVICE, words.LANDS_UNSAID)


def check_never_asked(case: Case) -> Iterator[Finding]:
    """Entries' passwords that no login is asked for."""
    by_line: dict[Because, list[EntryView]] = {}
    for view in [*case.setting.ports.values(), *case.vtys()]:
        if view.keyhole is not None and view.keyhole.origin != view.block.doubt and view.closed is None:
            by_line.setdefault(view.keyhole.origin, []).append(view)
    for origin, views in by_line.items():
        keyhole = views[0].keyhole
        if keyhole is None or origin in case.asked("somebody"):
            continue
        numbers = {view.number for view in views if view.number is not None}
        spots = [
            spot
            for spot in case.spots()
            if spot.view is not None and ((spot.numbers and numbers & set(spot.numbers)) or spot.view in views)
        ]
        inside = [each for each in strangers(case) if each.spot in spots]
        label = views[0].spoken if not numbers else vtys_label(sorted(numbers))
        because: list[Because] = [origin]
        because += [view.check.origin if view.check is not None else view.unsaid_check.origin for view in views]
        message = f"a password is set on {label} and never asked for"
        if inside:
            level = max(each.way.level for each in inside)
            message += f": a stranger walks in and is at level {level}"
            because += [each for found in inside for each in origins_of(found.result.trace, "checking")]
        else:
            message += ": it guards nothing and is left lying about"
        heads = vty_heads(sorted(numbers)) if numbers else [f"entry {views[0].unsaid_key.removeprefix('unsaid-')}"]
        remedy = [each for head in heads for each in block(head, "drop password")]
        if inside:
            remedy += case.remedies.check_users(each.spot for each in inside)
        ways = [each.way for each in inside]
        causes = dict.fromkeys(cause_of(spot) for spot in spots)
        yield case.opened("password-never-asked", message, because, ways, Takes.NOTHING, remedy, *causes)


def check_shared_password(case: Case) -> Iterator[Finding]:
    """Entries that ask for one password which all share, by themselves or as a method of a list."""
    asked: dict[tuple[str, Because], list[tuple[Spot, list[Because]]]] = {}
    for spot in case.spots():
        if spot.view is None or spot.view.keyhole is None:
            continue
        rows = case.needing(spot.view.keyhole.item, spot.rows)
        result = case.shown(spot, rows[0]) if rows else None
        if result is None:
            continue
        by_list = next((step for step in result.trace if step.words == words.CHECK_METHODS), None)
        rule = (
            "fallback-entry-password" if by_list else "vty-shares-password" if spot.numbers else "port-shares-password"
        )
        origin = by_list.origin if by_list else spot.view.keyhole.origin
        asked.setdefault((rule, origin), []).append((spot, origins_of(result.trace, "checking")))
    for (rule, _), found in asked.items():
        spots = [spot for spot, _ in found]
        rows = [
            row
            for spot in spots
            if spot.view and spot.view.keyhole
            for row in case.needing(spot.view.keyhole.item, spot.rows)
        ]
        labels = list(dict.fromkeys(spot.label for spot in spots))
        verb = "ask" if len(labels) > 1 or len(spots[0].numbers) > 1 else "asks"
        level = max(row.level for row in rows)
        when = " once nobody else answers" if rule == "fallback-entry-password" else ""
        message = (
            f"{listed(labels)} {verb} for one password that everybody shares{when}: it gets passed around, "
            f"nobody can tell who came, and it leads to level {level}"
        )
        if rule == "fallback-entry-password":
            remedy = _without_entry_password(case)
        else:
            # it may be one that stands in several places; here it is enough that this entry no longer asks for it
            heads = dict.fromkeys(head for spot in spots for head in (vty_heads(spot.numbers) or [f"entry {spot.via}"]))
            remedy = [each for head in heads for each in block(head, "drop password")] + case.remedies.check_users(
                spots
            )
        because = [origin for _, origins in found for origin in origins]
        yield case.opened(rule, message, because, rows, Takes.LEARNING, remedy, *dict.fromkeys(map(cause_of, spots)))


def _without_entry_password(case: Case) -> list[str]:
    said = []
    for (kind, name), methods in case.device.lists.items():
        if kind == "login" and any(each.value.kind == "entry-password" for each in methods.methods):
            kept = ["users" if each.value.kind == "entry-password" else spell(each.value) for each in methods.methods]
            said += rewritten(kind, name, kept)
    return said + case.remedies.accounts(*VTY_WAYS[:1])


def check_unset(case: Case) -> Iterator[Finding]:
    """Entries that ask for a password, or for accounts by SSH, in a way that nobody can pass."""
    told = {
        words.NO_PASSWORD_DROPPED: ("asks-and-none-set", "for a password and none is set: every connection is dropped"),
        words.PASSWORD_NOT_FOR_SSH: (
            "password-over-ssh",
            "for a password alone, and SSH always needs an account: nobody gets in by SSH",
        ),
        words.NO_ACCOUNTS: ("no-account", "for a local account and there is none: nobody gets in"),
    }
    found: dict[tuple[str, object], tuple[list[Spot], list[Because]]] = {}
    for spot in case.spots():
        if spot.rows or not spot.arrives or spot.view is None:
            continue
        for result in case.stranger(spot.via, spot.numbers):
            said = next((step for step in result.trace if step.words in told), None)
            if said is not None and said.words == words.PASSWORD_NOT_FOR_SSH and _others_at(case, spot):
                break
            if said is not None and not any(step.words == words.CHECK_METHODS for step in result.trace):
                where = "" if said.words == words.NO_ACCOUNTS else spot.numbers or spot.via
                spots, because = found.setdefault((said.words, where), ([], []))
                if spot not in spots:
                    spots.append(spot)
                    because += origins_of(result.trace, "checking")
                break
    for (sentence, _), (spots, because) in found.items():
        rule, what = told[sentence]
        labels = list(dict.fromkeys(spot.label for spot in spots))
        verb = "ask" if len(labels) > 1 or len(spots[0].numbers) > 1 else "asks"
        message = f"{listed(labels)} {verb} {what}"
        if rule == "no-account":
            remedy = case.remedies.accounts(*(spot.via for spot in spots))
        elif spots[0].via == "auxiliary":
            remedy = block("entry auxiliary", "closed")
        else:
            remedy = case.remedies.check_users(spots)
            if rule == "password-over-ssh":  # it would be left behind, asked for by nobody
                heads = dict.fromkeys(head for spot in spots for head in vty_heads(spot.numbers))
                remedy = [line for head in heads for line in block(head, "drop password")] + remedy
        others = any(spot.rows for spot in case.spots())
        yield case.shut(
            rule, message, because, remedy, *dict.fromkeys(map(cause_of, spots)), everybody=not others, always=True
        )


def _others_at(case: Case, spot: Spot) -> bool:
    """Whether somebody gets in at the same VTYs by another way."""
    return any(each.rows for each in case.spots() if each.numbers == spot.numbers)


def check_lands_high(case: Case) -> Iterator[Finding]:
    """Entries where every login lands at level 15, whoever it is."""
    found: dict[tuple[str, Because], list[tuple[Spot, list[Because]]]] = {}
    for spot in case.spots():
        if spot.view is None:
            continue
        row = next((row for row in spot.rows if row.needs and row.after_login == 15), None)
        result = case.shown(spot, row) if row is not None else None
        if result is None:
            continue
        landing = next((step for step in reversed(result.trace) if step.stage == words.LANDING), None)
        if landing is not None and landing.words in _NOBODYS:
            rule = "vty-lands-high" if spot.numbers else "port-lands-high"
            found.setdefault((rule, landing.origin), []).append((spot, origins_of(result.trace, "landing")))
    for (rule, _), group in found.items():
        spots = [spot for spot, _ in group]
        rows = [row for spot in spots for row in spot.rows if row.needs and row.after_login == 15]
        labels = list(dict.fromkeys(spot.label for spot in spots))
        message = (
            f"a login at {listed(labels)} lands at level 15, whoever it is: no second step guards the highest level"
        )
        heads = dict.fromkeys(head for spot in spots for head in _landing_heads(case, spot))
        remedy = [each for head in heads for each in block(head, "level 1")]
        if 15 not in case.setting.elevations:
            remedy += block("elevation 15", "password withheld")
        yield case.opened(rule, message, [each for _, origins in group for each in origins], rows, Takes.EFFORT, remedy)


def _landing_heads(case: Case, spot: Spot) -> list[str]:
    if spot.service is not None and spot.service.level is not None:
        return [case.remedies.service_head(spot)]
    return vty_heads(spot.numbers) or [f"entry {spot.via}"]


def check_auxiliary(case: Case) -> Iterator[Finding]:
    """An auxiliary port that takes logins and that nobody of the project uses."""
    spot = next((each for each in case.spots() if each.via == "auxiliary"), None)
    if spot is None or not spot.rows or case.used("auxiliary"):
        return
    level = max(row.level for row in spot.rows)
    message = f"the auxiliary port takes logins, to level {level}, and nobody is said to use it"
    view = spot.view
    because = [view.check.origin if view.check else view.unsaid_check.origin] if view is not None else []
    remedy = block("entry auxiliary", "closed")
    yield case.opened("auxiliary-open", message, because, spot.rows, Takes.EFFORT, remedy, cause_of(spot))


def check_unconfigured_vtys(case: Case) -> Iterator[Finding]:
    """VTYs that exist, and that no statement names although it names others."""
    named = case.device.vtys
    if not named:
        return
    for group in case.vty_groups():
        numbers = group[0].numbers
        if any(number in named for number in numbers) or not any(spot.arrives for spot in group):
            continue
        rows = [row for spot in group for row in spot.rows]
        free = [row for row in rows if not row.needs]
        dropped = "" if rows else ", and what they ask for nobody can give"
        level = f", to level {max(row.level for row in rows)}" if rows else ""
        message = f"{vtys_label(numbers)} exist and no statement names them: they take logins{level}{dropped}"
        model = next((spot.view for each in case.vty_groups() for spot in each if spot.numbers[0] in named), None)
        lines = like(case, model) if model is not None else ["closed"]
        remedy = [each for head in vty_heads(numbers) for each in block(head, *lines)]
        because: list[Because] = [case.setting.facts["vtys"].origin]
        view = group[0].view
        because += [view.unsaid_check.origin, view.accept.origin] if view is not None else []
        tokens = [cause_of(group[0]), ("telnet", numbers), ("anyone", numbers), ("weak", numbers)]
        yield case.opened(
            "vty-not-configured",
            message,
            because,
            free or rows,
            Takes.NOTHING if free else Takes.EFFORT,
            remedy,
            *tokens,
        )


def like(case: Case, view: EntryView) -> list[str]:
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
    entry = case.device.vtys.get(view.number) if view.number is not None else None
    idle = entry.idle if entry is not None else None
    if idle is not None:
        lines.append("idle " + ("never" if idle.value is None else spelt(idle.value)))
    return lines
