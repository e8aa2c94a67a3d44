"""The history of a network's configurations, for people and for tables: each commit and what it did to access."""

import csv
import io
from collections import Counter
from collections.abc import Iterator
from typing import Any

from overhang import __version__
from overhang.auditing.wording import listed
from overhang.changes.history import History, Moment, Worst
from overhang.model.vocabulary import way_label
from overhang.report.audit_tables import cell_text
from overhang.report.compare_data import device_value
from overhang.report.compare_text import OURS, expectation_words, verdict
from overhang.report.lines import Line, count, cut, wrap
from overhang.text.json_text import json_text
from overhang.text.printable import Printable, safe

_MOST_NAMED = 4
_COLUMNS = (
    "commit",
    "when",
    "who",
    "note",
    "device",
    "file",
    "gained",
    "lost",
    "locked_out",
    "new_findings",
    "gone_findings",
    "problem",
    "worst_device",
    "worst",
)


def history_lines(history: History, width: int) -> Iterator[Line]:
    """The whole report, newest first."""
    yield [(headline(history), "bold")]
    yield []
    for moment in history.moments:
        yield from _moment(moment, width)
    if history.cut:
        text = "The repository holds only the newest part of its history; what was before is not told."
        yield from ([(piece, "medium")] for piece in wrap(text, width))


def headline(history: History) -> str:
    """What there is, in one sentence."""
    if not history.moments:
        return "No commit changed anything there"
    opening = sum(
        any(device.difference is not None and device.difference.gained for device in moment.comparison.devices)
        for moment in history.moments
    )
    last = history.moments[0]
    text = f"{count(len(history.moments), 'commit')}, {opening} of them opened something"
    return f"{text}; now the worst is {worst_words(last.worst)}"


def _moment(moment: Moment, width: int) -> Iterator[Line]:
    commit = moment.commit
    head = f"{commit.when:%Y-%m-%d %H:%M}  {commit.hash[:10]}  "
    yield [(head, "dim"), (cut(f"{commit.who}: {commit.note}", width - len(head)), "bold")]
    sentence, style = moment_verdict(moment)
    yield from ([("    " + piece, style)] for piece in wrap(sentence, width - 4))
    for line in _findings(moment):
        yield from ([("    " + piece, "")] for piece in wrap(line, width - 4))
    for device in moment.comparison.devices:
        for change in device.expectations:
            text = f"{device.name}: {expectation_words(change.before, change.after)}: {change.say}"
            style = "good" if change.after else "high" if change.ceases else "medium"
            yield from ([("    " + piece, style)] for piece in wrap(text, width - 4))
        if device.problem:
            yield from ([("    " + piece, "high")] for piece in wrap(f"{device.name}: {device.problem}", width - 4))
    yield [(f"    worst then: {cut(worst_words(moment.worst), width - 16)}", "dim")]
    yield []


def moment_verdict(moment: Moment) -> tuple[str, str]:
    """What a commit did to access, in one sentence, and its style."""
    if not moment.comparison.devices:
        return "no device of this folder changed", "dim"
    sentence, style = verdict(moment.comparison)
    only = [device.name for device in moment.comparison.devices]
    if len(only) > 1:
        return sentence, style
    first = sentence.split()[0]  # a name stays as it is
    return f"{safe(only[0])}: {sentence[0].lower() + sentence[1:] if first.lower() in OURS else sentence}", style


def _findings(moment: Moment) -> Iterator[str]:
    devices = moment.comparison.devices
    new = Counter(each.rule for device in devices for each in device.findings.new)
    gone = Counter(each.rule for device in devices for each in device.findings.gone)
    changed = new & gone  # of one rule before and after, by other lines
    for label, counted in (("new", new - changed), ("gone", gone - changed), ("changed", changed)):
        held = list(counted.elements())
        if held:
            names = list(dict.fromkeys(held))
            more = f" and {len(names) - _MOST_NAMED} more" if len(names) > _MOST_NAMED else ""
            told = ", ".join(names[:_MOST_NAMED]) + more if more else listed(names)
            yield f"{count(len(held), 'finding')} {label}: {told}"


def worst_words(worst: Worst | None) -> str:
    """An exposure in words."""
    if worst is None:
        return "nothing that is certain"
    each = worst.exposure
    return f"{safe(worst.device)}: {way_label(each.via)} to level {each.level}, knowing {each.needs}"


def history_json(history: History) -> Printable:
    """The history as JSON."""
    value = {
        "overhang": __version__,
        "verdict": headline(history),
        "complete": not history.cut,
        "commits": [_value(moment) for moment in history.moments],
        "left_out": list(history.left_out),
    }
    return json_text(value)


def _value(moment: Moment) -> dict[str, Any]:
    commit = moment.commit
    return {
        "hash": commit.hash,
        "when": commit.when.isoformat(),
        "who": commit.who,
        "note": commit.note,
        "verdict": moment_verdict(moment)[0],
        "devices": [device_value(device) for device in moment.comparison.devices],
        "worst": None if moment.worst is None else {"device": moment.worst.device, **moment.worst.exposure._asdict()},
        "exposures": [
            {"file": file, "device": name, "exposure": None if exposure is None else exposure._asdict()}
            for file, (name, exposure) in sorted(moment.exposures.items())
        ],
    }


def history_csv(history: History) -> Printable:
    """A row for each device of each commit."""
    made = io.StringIO()
    writer = csv.writer(made, lineterminator="\n")
    writer.writerow(_COLUMNS)
    for moment in history.moments:
        for device in moment.comparison.devices:
            found = device.difference
            out = [each.name for each in found.people if each.locked_out] if found is not None else []
            row = (
                moment.commit.hash,
                moment.commit.when.isoformat(),
                moment.commit.who,
                moment.commit.note,
                device.name,
                device.new or device.old or "",
                len(found.gained) if found is not None else "",
                len(found.lost) if found is not None else "",
                " ".join(out),
                len(device.findings.new),
                len(device.findings.gone),
                device.problem,
                moment.worst.device if moment.worst is not None else "",
                f"{moment.worst.exposure.letter}{moment.worst.exposure.level}" if moment.worst is not None else "",
            )
            writer.writerow([cell_text(each) for each in row])
    return Printable(made.getvalue())
