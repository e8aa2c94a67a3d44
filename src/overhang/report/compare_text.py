"""Two states of a network compared, for people: the verdict, then each device that differs."""

from collections.abc import Callable, Iterator, Sequence
from typing import NamedTuple

from overhang.auditing.wording import listed
from overhang.changes.compare import Comparison, DeviceComparison, longer_open
from overhang.difference import PersonChange, StatementChange, WayChange
from overhang.difference.ways import Ways
from overhang.exposure import AccessPaths
from overhang.exposure.phrases import busy_phrase, from_phrase, needs_phrase, states_phrase
from overhang.model.values import Saved
from overhang.model.vocabulary import way_label
from overhang.report.lines import Line, count, cut, safe, wrap

#: Words of our own that a verdict may begin with; a name stays as it is.
OURS = ("after", "anyone", "cannot", "idle", "nobody", "nothing", "whoever")
_MOST_NAMED = 3
_MOST_ROWS = 30
_MOST_STATEMENTS = 60
#: The word for what became of a stored password, which is not shown.
SECRETS = {"kept": "the same password", "changed": "another password", "unknown": "perhaps another password"}


Say = Callable[[PersonChange], str]


class Words(NamedTuple):
    """How a comparison is put: ``now`` stands before what is gained, ``start`` before everything."""

    now: str = "now "
    start: str = ""


PLAIN = Words()
RESTART = Words("", "after a restart ")


def words_of(*, restart: bool) -> Words:
    """How it is put: as one state against another, or as what a power cut does."""
    return RESTART if restart else PLAIN


# -- the verdict -------------------------------------------------------------------------------------------------------


def verdict(comparison: Comparison, *, restart: bool = False) -> tuple[str, str]:
    """What it comes to, in one sentence, and its style."""
    words = words_of(restart=restart)
    unable = sum(bool(device.problem) for device in comparison.devices) + len(comparison.unreadable)
    parts = [f"cannot compare {count(unable, 'device')}"] if unable else []
    gains = list(_gains(comparison, words))
    losses = list(_losses(comparison))
    parts += gains + losses
    several = len(comparison.devices) > 1
    longer = [each for each in comparison.devices if each.difference and longer_open(each.difference)]
    if longer:
        where = f" on {_names(longer)}" if several else ""
        parts.append(f"idle sessions stay open for longer{where}")
    unsure = sum(not change.sure for device in comparison.devices for change in _changes(device))
    if not parts:
        parts.append(_nothing(comparison, unsure))
    elif unsure:
        parts.append(f"{count(unsure, 'difference is', 'differences are')} not certain")
    style = "high" if unable or gains else "medium" if losses or longer or unsure else "good"
    text = words.start + "; ".join(parts)
    return (text[0].upper() + text[1:] if text.split()[0] in OURS else text), style


def _nothing(comparison: Comparison, unsure: int) -> str:
    number = len(comparison.devices)
    if unsure:
        return (
            f"nobody surely gains or loses access, but {count(unsure, 'difference is', 'differences are')} not certain"
        )
    if not all(each.difference is not None and each.difference.understood for each in comparison.devices):
        return "nobody gains or loses access, as far as known; not everything was understood"
    if all(each.same for each in comparison.devices):
        return f"nothing differs on {count(number, 'device')}" if number != 1 else "nothing differs"
    return "nobody gains or loses access" + (f" on {count(number, 'device')}" if number != 1 else "")


def _names(devices: Sequence[DeviceComparison]) -> str:
    names = [safe(each.name) for each in devices]
    return listed(names) if len(names) <= _MOST_NAMED else count(len(names), "device")


def _gains(comparison: Comparison, words: Words) -> Iterator[str]:
    several = len(comparison.devices) > 1
    free = [each for each in comparison.devices if _free(each.difference.gained if each.difference else ())]
    if free:
        rows = [row for each in free for row in _free(each.difference.gained if each.difference else ())]
        top = max(row.after or 0 for row in rows)
        ways = listed(list(dict.fromkeys(way_label(row.path.via) for row in rows))[:4])
        where = f" on {_names(free)}" if several else ""
        yield f"anyone {words.now}gets in without a password{where}, by {ways}, to level {top}"
    people = [
        (device, person)
        for device in comparison.devices
        for person in _people(device)
        if (person.after if person.after is not None else -1) > (person.before if person.before is not None else -1)
    ]
    yield from _of_people(people, several, lambda person: f"{words.now}reaches level {person.after}")
    told = {id(device) for device, _ in people} | {id(device) for device in free}
    rest = [each for each in comparison.devices if id(each) not in told and each.difference]
    yield from _of_rows(rest, several, gained=True, now=words.now)


def _of_rows(devices: Sequence[DeviceComparison], several: bool, *, gained: bool, now: str = "") -> Iterator[str]:
    """One clause for rows that no person's clause tells of: the worst of them, and how many there are."""
    held = [
        (each, _sure(each.difference.gained if gained else each.difference.lost)) for each in devices if each.difference
    ]
    held = [(device, rows) for device, rows in held if rows]
    if not held:
        return
    device, rows = min(held, key=lambda pair: (-pair[1][0].path.level, len(pair[1][0].path.needs)))
    row, found = rows[0], device.difference
    paths = found.ways.new if found is not None and gained else found.ways.old if found is not None else None
    knows = f"whoever knows {needs_phrase(paths, row.path)}" if paths is not None and row.path.needs else "anyone"
    way = way_label(row.path.via)
    more = sum(len(each) for _, each in held) - 1
    where = f" on {safe(device.name)}" if several else ""
    tail = f", and {count(more, 'more access path')}" if more else ""
    tail += f" on {count(len(held), 'device')}" if more and len(held) > 1 else ""
    if gained:
        yield f"{knows} {now}gets in by {way} to level {row.path.level}{where}{tail}"
    elif row.after is None:
        yield f"{knows} no longer gets in by {way}{where}{tail}"
    else:
        yield f"{knows} reaches level {row.after} in place of {row.before} by {way}{where}{tail}"


def _losses(comparison: Comparison) -> Iterator[str]:
    several = len(comparison.devices) > 1
    there = [each for each in comparison.devices if each.new is not None]
    out = [(device, person) for device in there for person in _people(device) if person.locked_out]
    yield from _of_people(out, several, lambda _: "can no longer get in")
    lower = [
        (device, person)
        for device in there
        for person in _people(device)
        if person.before is not None and person.after is not None and person.after < person.before
    ]
    yield from _of_people(lower, several, lambda person: f"reaches level {person.after} in place of {person.before}")
    told = {id(device) for device, _ in (*out, *lower)}
    rest = [each for each in there if id(each) not in told]
    yield from _of_rows(rest, several, gained=False)
    gone = [each for each in comparison.devices if each.new is None and not each.problem]
    if gone:
        yield f"{_names(gone)} {'is' if len(gone) == 1 else 'are'} gone"
    came = [each for each in comparison.devices if each.old is None and not each.problem]
    if came:
        yield f"{_names(came)} {'is' if len(came) == 1 else 'are'} only in the new state"


def _of_people(found: Sequence[tuple[DeviceComparison, PersonChange]], several: bool, say: Say) -> Iterator[str]:
    """One clause for each thing that happens to some people on some devices."""
    by_clause: dict[tuple[str, str], list[DeviceComparison]] = {}
    for device, person in found:
        by_clause.setdefault((safe(person.name), say(person)), []).append(device)
    clauses = list(by_clause.items())
    for (name, clause), devices in clauses[:_MOST_NAMED]:
        yield f"{name} {clause}" + (f" on {_names(devices)}" if several else "")
    if len(clauses) > _MOST_NAMED:
        more = {name for (name, _), _ in clauses[_MOST_NAMED:]}
        yield f"so it is for {count(len(more), 'other person', 'other people')}"


def _people(device: DeviceComparison) -> Sequence[PersonChange]:
    return device.difference.people if device.difference is not None else ()


def _sure(changes: Sequence[WayChange]) -> list[WayChange]:
    return [each for each in changes if each.sure]


def _free(changes: Sequence[WayChange]) -> list[WayChange]:
    return [each for each in changes if each.sure and not each.path.needs]


def _changes(device: DeviceComparison) -> Sequence[WayChange]:
    return () if device.difference is None else (*device.difference.gained, *device.difference.lost)


# -- devices -----------------------------------------------------------------------------------------------------------


def compare_lines(comparison: Comparison, width: int, *, restart: bool = False) -> Iterator[Line]:
    """The whole report."""
    sentence, style = verdict(comparison, restart=restart)
    for piece in wrap(sentence, width):
        yield [(piece, style)]
    yield []
    same = 0
    for device in comparison.devices:
        if device.same:
            same += 1
            continue
        yield from device_lines(device, width)
        yield []
    for each in comparison.unreadable:
        yield [(cut(f"cannot read {each.file}: {each.error}", width), "high")]
    yield [(summary(comparison), "")]
    if any(device.difference is not None and not device.difference.understood for device in comparison.devices):
        yield [("not everything was understood; overhang audit shows which lines", "medium")]


def summary(comparison: Comparison) -> str:
    """One line that a person can quote."""
    same = sum(device.same for device in comparison.devices)
    differ = sum(not device.same and not device.problem for device in comparison.devices)
    unable = sum(bool(device.problem) for device in comparison.devices)
    told = f"{differ} {'differs' if differ == 1 else 'differ'}, {same} the same"
    text = f"{count(len(comparison.devices), 'device')}: {told}"
    return text + (f", {unable} cannot be compared" if unable else "")


def device_lines(device: DeviceComparison, width: int) -> Iterator[Line]:
    """All that differs on one device."""
    yield [(cut(device.name, 40), "bold"), ("  " + cut(_files(device), width - min(40, len(device.name)) - 2), "dim")]
    if device.problem:
        for piece in wrap(f"cannot compare: {device.problem}", width - 2):
            yield [("  " + piece, "high")]
        return
    found = device.difference
    if found is None:
        return
    if device.old_name:
        yield [(f"  was called {cut(device.old_name, 40)} before", "")]
    for note in filter(None, (found.why_incomplete, untried_words(found.secrets.untried))):
        for piece in wrap(note, width - 2):
            yield [("  " + piece, "medium")]
    yield from _ways("gained", found.gained, found.ways, found.ways.new, width)
    yield from _ways("lost", found.lost, found.ways, found.ways.old, width)
    for person in found.people:
        if person.changed:
            yield from _hung("person", person_words(person), "medium" if person.locked_out else "", width)
    for change in device.expectations:
        style = "high" if change.ceases else "good" if change.after else "medium"
        yield from _hung("expected", f"{expectation_words(change.before, change.after)}: {change.say}", style, width)
    for finding in device.findings.new:
        yield from _hung(
            "new", f"{finding.severity.word} {finding.rule}: {finding.message}", finding.severity.word, width
        )
    for finding in device.findings.gone:
        yield from _hung("gone", f"{finding.severity.word} {finding.rule}", "good", width)
    yield from _statements(found.statements, width)
    for kind, saved in found.records:
        yield from _hung("record", record_words(kind, saved), "dim", width)


def _files(device: DeviceComparison) -> str:
    if device.problem:
        return device.new or device.old or ""
    if device.old is None:
        return f"{device.new}  only in the new state"
    if device.new is None:
        return f"{device.old}  only in the old state"
    return f"{device.old} → {device.new}" if device.old != device.new else device.new


def untried_words(untried: int) -> str:
    """What is said where hashes were not compared."""
    return f"{count(untried, 'pair')} of a clear text and a hash not compared: too costly" if untried else ""


def _hung(label: str, text: str, style: str, width: int) -> Iterator[Line]:
    """A text with a word before it, in as many lines as it needs."""
    for number, piece in enumerate(wrap(text, width - 13)):
        yield [(f"  {label if number == 0 else '':<9}  ", "dim"), (piece, style)]


def _ways(label: str, changes: Sequence[WayChange], ways: Ways, found: AccessPaths, width: int) -> Iterator[Line]:
    for change in changes[:_MOST_ROWS]:
        style = ("high" if not change.path.needs else "medium") if label == "gained" else ""
        yield from _hung(label, way_words(change, found, of_servers=len(set(ways.new.states)) > 1), style, width)
    if len(changes) > _MOST_ROWS:
        yield from _hung(
            "", f"and {count(len(changes) - _MOST_ROWS, 'more row')}; --format json has them all", "dim", width
        )


def way_words(change: WayChange, found: AccessPaths, *, of_servers: bool = True) -> str:
    """A row in words: by which way, from where, knowing what, which level before and after."""
    path = change.path
    place = ", ".join(from_phrase(found, path))
    source = place if path.sources is None else f"from {place}"
    to = "" if path.to is None else f" to {', '.join(path.to)}"
    when = states_phrase(found, path) if of_servers or found.times else ""
    extra = "".join(f", {each}" for each in (busy_phrase(path), when) if each)
    doubt = "" if change.sure else " (not certain)"
    knows = f"{needs_phrase(found, path)}"
    return f"{way_label(path.via)} {source}{to}, knowing {knows}{extra}: {levels(change.before, change.after)}{doubt}"


def levels(before: int | None, after: int | None) -> str:
    """Two levels in words."""
    told = ["no way in" if level is None else f"level {level}" for level in (before, after)]
    return f"{told[0]} → {told[1]}"


def person_words(person: PersonChange) -> str:
    """What changes for a person."""
    ways = [f"{way_label(via)} {levels(before, after)}" for via, before, after in person.ways]
    if person.before == person.after:
        text = f"{person.name} reaches level {person.after} as before" if ways else f"{person.name} keeps their level"
    else:
        text = f"{person.name}: {levels(person.before, person.after)}"
    text += f" ({'; '.join(ways)})" if ways else ""
    if person.relearn:
        text += f"; has to learn the new secret of {listed(list(person.relearn))}"
    return text + ("" if person.sure else "; may reach more, which depends on something unknown")


def expectation_words(before: bool | None, after: bool | None) -> str:
    """What becomes of an expectation."""
    if after is None:
        return "is no longer about this device"
    if after:
        return "begins to hold"
    return "ceases to hold" if before else "does not hold"


def record_words(kind: str, saved: Saved) -> str:
    """When and by whom a configuration was changed or saved, as it says itself."""
    if saved.when is None:
        return f"{kind} never"
    by = f" by {saved.by}" if saved.by else ""
    note = f": {saved.note}" if saved.note else ""
    return f"{kind} {saved.when:%Y-%m-%d %H:%M}{by}{note}"


def statement_words(change: StatementChange) -> str:
    """A statement that differs, in words, below its block."""
    secret = f"  ({SECRETS[change.secret]})" if change.secret is not None else ""
    if change.kind == "changed":
        same = change.old == change.new
        return f"{change.block}: {change.old}" + ("" if same else f" → {change.new}") + secret
    text = change.new if change.old is None else change.old
    return change.block if text == change.block else f"{change.block}: {text}"


def _statements(changes: Sequence[StatementChange], width: int) -> Iterator[Line]:
    signs = {"added": "+", "removed": "-", "changed": "~"}
    for number, change in enumerate(changes[:_MOST_STATEMENTS]):
        label = "statement" if number == 0 else ""
        yield from _hung(label, f"{signs[change.kind]} {statement_words(change)}", "", width)
    if len(changes) > _MOST_STATEMENTS:
        more = f"and {count(len(changes) - _MOST_STATEMENTS, 'more statement')}; --format json has them all"
        yield from _hung("", more, "dim", width)
