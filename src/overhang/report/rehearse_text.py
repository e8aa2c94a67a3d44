"""A change rehearsed, for people: the verdict, each statement that does something, the end, and a safe order."""

from collections.abc import Iterator

from overhang.auditing.wording import listed
from overhang.changes.rehearse import LockOut, Opening, Rehearsal, Step
from overhang.report.compare_text import (
    device_lines,
    person_words,
    way_words,
)
from overhang.report.lines import Line, count, cut, safe, wrap

_MOST_ROWS = 8
_MOST_NAMED = 3


def verdict(rehearsal: Rehearsal) -> tuple[str, str]:
    """What it comes to, in one sentence, and its style."""
    parts = [*_locked(rehearsal), *_stranded(rehearsal), *_opened(rehearsal)]
    if rehearsal.ceased:
        parts.append(f"{count(len(rehearsal.ceased), 'expectation ceases', 'expectations cease')} to hold")
    bad = bool(parts)
    if not parts:
        watched = bool(rehearsal.end.difference and rehearsal.end.difference.people) or rehearsal.session is not None
        parts.append(
            "nobody is locked out" if watched else "no way in is lost" if not _loses(rehearsal) else _lost(rehearsal)
        )
        parts.append("nothing is opened")
    if rehearsal.return_unknown:
        parts.append("whether this session could come back cannot be told")
    if rehearsal.doubts:
        parts.append(f"{count(rehearsal.doubts, 'statement')} in doubt")
    elif not rehearsal.understood and not rehearsal.return_unknown:
        parts.append("as far as known; not everything was understood")
    style = "high" if bad else "medium" if not rehearsal.understood else "good"
    text = "; ".join(parts)
    return (text[0].upper() + text[1:] if text.split()[0] in _OURS else text), style


#: Words of our own that a verdict may begin with; a name stays as it is.
_OURS = ("access", "anyone", "nobody", "no", "something", "the", "this", "if", "whoever")


def _loses(rehearsal: Rehearsal) -> bool:
    return any(step.lost for step in rehearsal.steps)


def _lost(rehearsal: Rehearsal) -> str:
    number = sum(len(step.lost) for step in rehearsal.steps)
    return f"{count(number, 'access path is', 'access paths are')} lost, and no person is named who could be locked out"


def _locked(rehearsal: Rehearsal) -> Iterator[str]:
    for each in rehearsal.lock_outs[:_MOST_NAMED]:
        yield lock_out_words(each)
    if len(rehearsal.lock_outs) > _MOST_NAMED:
        more = len({each.name for each in rehearsal.lock_outs[_MOST_NAMED:]})
        yield f"so it is for {count(more, 'other person', 'other people')}"


def lock_out_words(each: LockOut) -> str:
    """A lock-out in words."""
    word = "is locked out" if each.sure else "may be locked out"
    if each.healed is None:
        return f"{safe(each.name)} {word} from line {each.line} on"
    return f"{safe(each.name)} {word} from line {each.line} until line {each.healed}"


def _stranded(rehearsal: Rehearsal) -> Iterator[str]:
    lines = rehearsal.stranded
    if not lines:
        return
    last = rehearsal.steps[-1]
    if last.comes_back is False:
        low = f"; you come back at level {last.level} only" if last.level is not None else ""
        yield f"this session cannot come back once line {_first_of_last_run(rehearsal)} is typed{low}"
    else:
        yield f"if this session ends after line {lines[0]}, you cannot come back until a later line heals it"


def _first_of_last_run(rehearsal: Rehearsal) -> int:
    first = rehearsal.steps[-1].line
    for step in reversed(rehearsal.steps):
        if step.comes_back is not False:
            break
        first = step.line
    return first


def _opened(rehearsal: Rehearsal) -> Iterator[str]:
    lasting = [each for each in rehearsal.openings if each.closed is None]
    moment = [each for each in rehearsal.openings if each.closed is not None]
    if lasting:
        yield f"{count(len(lasting), 'access path is', 'access paths are')} opened to what was known before"
    if moment:
        first = moment[0]
        yield f"something is open from line {first.line} until line {first.closed}"


def rehearse_lines(rehearsal: Rehearsal, width: int, *, long: bool = False) -> Iterator[Line]:
    """The whole report."""
    sentence, style = verdict(rehearsal)
    for piece in wrap(sentence, width):
        yield [(piece, style)]
    yield []
    device = rehearsal.base.side
    name, files = cut(device.name, 40), f"{device.file} with {rehearsal.change.file}"
    yield [(name, "bold"), ("  " + cut(files, width - len(name) - 2), "dim")]
    quiet = 0
    for step in rehearsal.steps:
        lines = list(_step(rehearsal, step, width))
        if not lines and not long:
            quiet += 1
            continue
        yield from _head(step, width)
        yield from lines
    if quiet:
        yield [(f"  {count(quiet, 'statement changes', 'statements change')} nobody's access", "dim")]
    yield []
    for opening in rehearsal.openings[:_MOST_ROWS]:
        yield from _hung("opens", opening_words(opening), "high", width)
    if rehearsal.openings:
        yield []
    yield [("After the whole change", "bold")]
    yield from list(device_lines(rehearsal.end, width))[1:]
    if rehearsal.end.same:
        yield [("  nothing differs", "dim")]
    yield []
    yield from _order(rehearsal, width)
    if rehearsal.stranded:
        for piece in wrap("Have a timed return to the old configuration ready before the first line is typed.", width):
            yield [(piece, "medium")]


def _head(step: Step, width: int) -> Iterator[Line]:
    for number, piece in enumerate(wrap(step.statement, width - 8)):
        yield [(f"{step.line if number == 0 else '':>5}  ", "dim"), (piece, "bold")]


def _step(rehearsal: Rehearsal, step: Step, width: int) -> Iterator[Line]:
    """What a statement does."""
    if step.remark:
        yield from _hung("doubt", step.remark, "medium", width)
    found = step.difference
    if found is not None:
        for label, changes, paths in (("gained", step.gained, found.ways.new), ("lost", step.lost, found.ways.old)):
            for change in changes[:_MOST_ROWS]:
                free = label == "gained" and not change.path.needs
                yield from _hung(label, way_words(change, paths), "high" if free else "", width)
            if len(changes) > _MOST_ROWS:
                yield from _hung("", f"and {count(len(changes) - _MOST_ROWS, 'more row')}", "dim", width)
        for person in step.people:
            yield from _hung("person", person_words(person), "", width)
    for lock in rehearsal.lock_outs:
        if lock.line == step.line:
            heal = f"; line {lock.healed} lets them in again" if lock.healed is not None else ""
            word = "is locked out" if lock.sure else "may be locked out"
            yield from _hung("lock-out", f"{lock.name} {word} from here on{heal}", "high", width)
        elif lock.healed == step.line:
            yield from _hung("healed", f"{lock.name} gets in again, locked out since line {lock.line}", "good", width)
    if step.comes_back is False and (step.line in rehearsal.stranded):
        low = f", but at level {step.level} in place of {rehearsal.session}" if step.level is not None else ""
        text = f"you come back{low}" if low else "if this session ends here, you cannot come back"
        yield from _hung("session", text, "high", width)
    elif step.comes_back is None and rehearsal.in_session:
        yield from _hung("session", "whether you could come back cannot be told", "medium", width)


def _hung(label: str, text: str, style: str, width: int) -> Iterator[Line]:
    for number, piece in enumerate(wrap(text, width - 19)):
        yield [(f"       {label if number == 0 else '':<9} ", "dim"), (piece, style)]


def opening_words(opening: Opening) -> str:
    """Something opened, in words."""
    until = f"until line {opening.closed}" if opening.closed is not None else "and stays"
    return f"from line {opening.line} {until}: {way_words(opening.change, opening.ways.new)}"


def _order(rehearsal: Rehearsal, width: int) -> Iterator[Line]:
    units = rehearsal.change.units
    if rehearsal.order is None:
        for piece in wrap(f"No safe order: {rehearsal.why_no_order}", width):
            yield [(piece, "medium")]
        return
    if list(rehearsal.order) == list(range(len(units))):
        return
    yield [("A safe order of the same statements, by their lines", "bold")]
    for piece in wrap(listed([str(units[number].line) for number in rehearsal.order]), width - 2):
        yield [("  " + piece, "good")]
    for number in rehearsal.order[:20]:
        yield [(f"{units[number].line:>5}  ", "dim"), (cut(units[number].shown, width - 8), "")]
    if len(units) > 20:
        yield [(f"       and {count(len(units) - 20, 'more')}; --reorder FILE writes them all", "dim")]
    yield []
