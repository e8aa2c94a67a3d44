"""How far what somebody has goes, for people: the verdict, a table by hop, what cuts it, one chain, all secrets."""

import datetime
from collections.abc import Iterator, Sequence

from overhang.auditing.wording import listed
from overhang.model.vocabulary import way_label
from overhang.report.lines import Line, count, cut, wrap
from overhang.spread.cut import Cut
from overhang.spread.ranking import RankedSecret
from overhang.spread.reach import START, Arrival
from overhang.spread.report import SpreadReport, chain_to, fix_statements, fix_words, lines_allowing, order_of_change
from overhang.spread.start import people_knowing
from overhang.spread.world import World

_MOST_ROWS = 400


def verdict(report: SpreadReport) -> str:
    """What it comes to, in one sentence."""
    reach, total = report.reach, count(len(report.world.devices), "device")
    direct, best = report.direct, reach.best
    top = sum(each.level == 15 for each in direct)
    text = f"{reach.start.label}, {reach.start.where}: opens {len(direct)} of {total}, {top} at level 15"
    more = len(best) - len(direct)
    top_in_all = sum(each.level == 15 for each in best.values())
    if more or top_in_all > top:
        hops = max(each.round for each in best.values())
        text += f"; in up to {count(hops, 'hop')} {len(best)}, {top_in_all} at level 15"
    return text


def spread_lines(report: SpreadReport, width: int) -> Iterator[Line]:
    """The verdict, a table by hop, and what cuts it."""
    beyond = report.reach.beyond()
    notes = _notes(report.world, report.reach.start.untried, width)
    style = "high" if any(each.level == 15 for each in beyond.values()) else "medium" if beyond or notes else "good"
    for piece in wrap(verdict(report), width):
        yield [(piece, style)]
    yield from notes
    yield []
    gains = report.gains
    if gains:
        names = min(24, max([6, *(len(report.name(each.device)) for each in gains)]))
        yield [(f"  {'hop':>3}  {'device':<{names}}  {'level':>5}  {'way':<14}  {'how':<40}".rstrip(), "bold")]
        for each in gains[:_MOST_ROWS]:
            yield from _row(report, each, names, width)
        if len(gains) > _MOST_ROWS:
            yield [(f"  and {count(len(gains) - _MOST_ROWS, 'more device')}; --format csv has them all", "dim")]
        yield []
    for found in report.cuts:
        yield from _cut(report, found, width)


def not_followed(world: World, typed: int) -> str:
    """What was left aside, in words, since more may open than is told; empty where nothing was. ``typed`` counts hashes
    that a typed text was not tried with."""
    parts = []
    unsure = sum(place.part.unsure for place in world.devices)
    if unsure:
        parts.append(f"{count(unsure, 'access path')} not followed, which hang on something that is not known")
    index = world.secrets
    if index.untried:
        kinds = ", ".join(
            f"{count(number, 'hash', 'hashes')} of kind {kind}" for kind, number in sorted(index.kinds.items())
        )
        pairs = count(index.untried, "pair")
        parts.append(f"{pairs} of a clear text and a hash not compared ({kinds}); --guess allows more")
    if typed:
        parts.append(f"what was typed could not be tried with {count(typed, 'hash', 'hashes')}")
    if any(not place.part.complete for place in world.devices):
        parts.append("not every access path was found")
    return "not examined: " + "; ".join(parts) if parts else ""


def _notes(world: World, typed: int, width: int) -> list[Line]:
    text = not_followed(world, typed)
    return [[(piece, "medium")] for piece in wrap(text, width)] if text else []


def _row(report: SpreadReport, each: Arrival, names: int, width: int) -> Iterator[Line]:
    style = "high" if each.level == 15 else ""
    way = way_label(each.hop.passage.path.via)
    start = f"  {each.round:>3}  {cut(report.name(each.device), names):<{names}}  "
    how = _how(report, each)
    room = max(24, width - len(start) - 23)
    for index, piece in enumerate(wrap(how, room)):
        if index == 0:
            yield [(start, ""), (f"{each.level:>5}", style), (f"  {cut(way, 14):<14}  ", ""), (piece, "")]
        else:
            yield [(" " * (len(start) + 23), ""), (piece, "")]


def _how(report: SpreadReport, each: Arrival) -> str:
    """By what a hop is possible: from where, and with what, learnt where."""
    knowing = [
        _by_start(report, each, secret)
        if device == START
        else f"{report.secret_at(secret, device)}, read on {report.name(device)}"
        for secret, device in each.learnt
    ]
    return f"{report.where(each)}, {'with ' + '; '.join(knowing) if knowing else 'knowing nothing'}"


def _by_start(report: SpreadReport, each: Arrival, secret: int) -> str:
    """A secret that is known from the start: by its lock here, and by the one that it is known by."""
    here = report.secret_at(secret, each.device, each.hop.passage.path.via)
    locks = report.world.secrets.secrets[secret].locks
    known = sorted(lock.device for lock in locks if lock.device in report.reach.start.at)
    if not known or each.device in known:
        return here
    return f"{here}, the same as {report.secret_at(secret, known[0])} on {report.name(known[0])}"


def _cut(report: SpreadReport, found: Cut, width: int) -> Iterator[Line]:
    what = "level 15 beyond the start" if found.level == 15 else "anything beyond the start"
    if found.left:
        yield [(f"nothing cuts {what}: {count(found.left, 'device')} would still be reached", "medium")]
        return
    size = count(len(found.fixes), "change")
    exact = "no fewer do" if found.exact else f"at least {found.least} are needed; this may not be the fewest"
    for piece in wrap(f"to stop {what}: {size} ({exact}; run again with them: nothing is reached)", width):
        yield [(piece, "bold")]
    for fix in found.fixes:
        for index, piece in enumerate(wrap(fix_words(report, fix), width - 4)):
            yield [("  - " if index == 0 else "    ", "good"), (piece, "")]
        for device, lines in fix_statements(report, fix)[:4]:
            yield [(f"      {device}: {' '.join(line.strip() for line in lines)}"[:width], "dim")]
    yield []


def chain_lines(report: SpreadReport, device: int, moment: datetime.datetime, width: int) -> Iterator[Line]:
    """One chain in full: each hop, with the lines that allow it."""
    chain = chain_to(report, device)
    if not chain:
        notes = _notes(report.world, report.reach.start.untried, width)
        yield [
            (f"{report.name(device)} is not reached" + (" as far as known" if notes else ""), "" if notes else "good")
        ]
        yield from notes
        return
    last = chain[-1]
    text = f"{report.name(device)} is reached at level {last.level} in {count(last.round, 'hop')}"
    yield [(text, "high" if last.level == 15 else "medium")]
    for each in chain:
        yield []
        way = way_label(each.hop.passage.path.via)
        for index, piece in enumerate(
            wrap(
                f"{each.round}. {report.name(each.device)}, by {way}, to level {each.level}: {_how(report, each)}",
                width,
            )
        ):
            yield [("   " if index else "", ""), (piece, "bold")]
        place = report.world.devices[each.device]
        for origin in lines_allowing(report, each, moment):
            yield [
                (f"     {origin.line:>5} │ ", "dim"),
                (cut(place.device[0].quote_at(origin).strip(), width - 13), "code"),
            ]


def ranking_lines(world: World, ranked: Sequence[RankedSecret], start: str, width: int) -> Iterator[Line]:
    """Every secret that opens something, those first that open most: which passwords to change first."""
    from overhang.exposure.phrases import item_words

    worst = sum(each.reaches_15 > 1 for each in ranked)
    text = f"{count(len(ranked), 'secret')} open something, {start}; {worst} of them more than one device at level 15"
    notes = _notes(world, 0, width)
    yield [(text, "high" if worst else "medium" if notes else "good")]
    yield from notes
    yield []
    people = people_knowing(world)
    yield [("        by itself        with hops         readable", "bold")]
    yield [("  devices  level 15  devices  level 15       on  secret", "bold")]
    for each, alone in order_of_change(world, ranked):
        lock = world.secrets.secrets[each.secret].locks[0]
        name = f"{item_words(lock.item)} on {world.names[lock.device]}"
        if each.locks > 1:
            name += f" and {count(each.locks - 1, 'more lock')} on {count(each.devices, 'device')}"
        figures = (
            f"  {each.opens:>7}  {each.opens_15:>8}  {each.reaches:>7}  {each.reaches_15:>8}  {each.readable:>7}  "
        )
        for index, piece in enumerate(wrap(name, max(30, width - len(figures)))):
            yield [(figures if index == 0 else " " * len(figures), ""), (piece, "")]
        if each.secret in people:
            told = f"to be told: {listed(people[each.secret])}"
            yield [(" " * len(figures), ""), (cut(told, max(30, width - len(figures))), "")]
        if alone:
            last = (
                f"the only way to level 15 on {', '.join(alone[:4])}{', ...' if alone[4:] else ''}: keep a session open"
            )
            yield [(" " * len(figures), ""), (cut(last, max(30, width - len(figures))), "dim")]
    yield []
    text = (
        "change them in this order: the first opens most. Whoever uses a lock of a secret must be told; give each lock "
        "a secret of its own, and try the new one before the old session ends"
    )
    for piece in wrap(text, width):
        yield [(piece, "")]
