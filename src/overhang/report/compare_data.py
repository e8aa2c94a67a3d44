"""Two states of a network compared, for programs and for merge requests; docs/changes.md describes the JSON."""

from collections.abc import Iterator
from typing import Any

from overhang import __version__
from overhang.changes.compare import Comparison, DeviceComparison, longer_open
from overhang.difference import Difference, PersonChange, StatementChange, WayChange
from overhang.exposure import AccessPaths
from overhang.report.audit_json import finding_value
from overhang.report.audit_tables import md
from overhang.report.compare_text import (
    expectation_words,
    person_words,
    record_words,
    statement_words,
    summary,
    verdict,
    way_words,
)
from overhang.report.ways_json import way_value
from overhang.text import Origin
from overhang.text.json_text import json_text
from overhang.text.printable import Printable

_MOST_IN_MARKDOWN = 40


def compare_json(comparison: Comparison, *, restart: bool = False) -> Printable:
    """The comparison as JSON."""
    value = {
        "overhang": __version__,
        "verdict": verdict(comparison, restart=restart)[0],
        "moment": comparison.moment.isoformat(timespec="seconds"),
        "devices": [device_value(device) for device in comparison.devices],
        "unreadable": [each._asdict() for each in comparison.unreadable],
        "left_out": list(comparison.left_out),
    }
    return json_text(value)


def device_value(device: DeviceComparison) -> dict[str, Any]:
    """One device."""
    value: dict[str, Any] = {
        "name": device.name,
        "old_name": device.old_name or None,
        "old": device.old,
        "new": device.new,
        "problem": device.problem or None,
    }
    found = device.difference
    if found is not None:
        value |= difference_value(found)
    value["findings"] = {
        "new": [finding_value(each) for each in device.findings.new],
        "gone": [finding_value(each) for each in device.findings.gone],
        "kept": device.findings.kept,
    }
    value["expectations"] = [each._asdict() for each in device.expectations]
    return value


def difference_value(found: Difference) -> dict[str, Any]:
    """What differs between two devices."""
    statements: dict[str, list[dict[str, Any]]] = {"added": [], "removed": [], "changed": []}
    for change in found.statements:
        statements[change.kind].append(statement_value(change))
    return {
        "gained": [way_change_value(found.ways.new, each) for each in found.gained],
        "lost": [way_change_value(found.ways.old, each) for each in found.lost],
        "people": [person_value(each) for each in found.people],
        "statements": statements,
        "secrets": dict(sorted(found.secrets.items.items())),
        "not_compared": found.secrets.untried,
        "longer_open": [statement_value(each) for each in longer_open(found)],
        "records": [
            {"kind": kind, "when": saved.when and saved.when.isoformat(), "by": saved.by, "note": saved.note}
            for kind, saved in found.records
        ],
        "understood": found.understood,
        "incomplete": found.why_incomplete or None,
    }


def way_change_value(found: AccessPaths, change: WayChange) -> dict[str, Any]:
    """A row gained or lost: as access paths have it, with both levels."""
    return {**way_value(found, change.path), "before": change.before, "after": change.after}


def person_value(person: PersonChange) -> dict[str, Any]:
    """What changes for a person."""
    return {
        "name": person.name,
        "before": person.before,
        "after": person.after,
        "ways": [{"via": via, "before": before, "after": after} for via, before, after in person.ways],
        "relearn": list(person.relearn),
        "perhaps_relearn": list(person.perhaps),
        "sure": person.sure,
    }


def statement_value(change: StatementChange) -> dict[str, Any]:
    """A statement that differs, passwords struck out."""
    return {
        "block": change.block,
        "old": change.old,
        "new": change.new,
        "old_at": _origin(change.old_origin),
        "new_at": _origin(change.new_origin),
        "secret": change.secret,
    }


def _places(change: StatementChange) -> str:
    """The lines of a statement, in the old state and the new one."""
    told = [f"line {each.line}" for each in (change.old_origin, change.new_origin) if each is not None and each.line]
    return " → ".join(told)


def _origin(origin: Origin | None) -> dict[str, Any] | None:
    return None if origin is None or not origin.line else {"file": origin.file, "line": origin.line}


# -- Markdown ----------------------------------------------------------------------------------------------------------


def compare_markdown(comparison: Comparison, *, restart: bool = False) -> Printable:
    """The comparison as Markdown, short enough for a merge request."""
    return Printable("\n".join(_markdown(comparison, restart)) + "\n")


def _markdown(comparison: Comparison, restart: bool) -> Iterator[str]:
    yield f"**{md(verdict(comparison, restart=restart)[0])}**"
    for device in comparison.devices:
        if device.same:
            continue
        yield ""
        yield f"### {md(device.name)}"
        yield ""
        if device.problem:
            yield f"- cannot compare: {md(device.problem)}"
        yield from _listed(_items(device))
    for each in comparison.unreadable:
        yield f"\ncannot read {md(each.file)}: {md(each.error)}"
    yield ""
    yield md(summary(comparison))


def _listed(items: Iterator[str]) -> Iterator[str]:
    told = list(items)
    yield from (f"- {each}" for each in told[:_MOST_IN_MARKDOWN])
    if len(told) > _MOST_IN_MARKDOWN:
        yield f"- and {len(told) - _MOST_IN_MARKDOWN} more; the JSON has them all"


def _items(device: DeviceComparison) -> Iterator[str]:
    found = device.difference
    if found is None:
        return
    if device.old_name:
        yield f"was called {md(device.old_name)}"
    if device.old is None or device.new is None:
        yield f"only in the {'new' if device.old is None else 'old'} state"
    if found.why_incomplete:
        yield md(found.why_incomplete)
    for change in found.gained:
        yield f"gained: {md(way_words(change, found.ways.new))}"
    for change in found.lost:
        yield f"lost: {md(way_words(change, found.ways.old))}"
    yield from (md(person_words(each)) for each in found.people if each.changed)
    for held in device.expectations:
        yield f"{expectation_words(held.before, held.after)}: {md(held.say)}"
    for finding in device.findings.new:
        yield f"new finding, {finding.severity.word}: `{finding.rule}` {md(finding.message)}"
    for finding in device.findings.gone:
        yield f"gone: `{finding.rule}`"
    for each in found.statements:
        yield f"statement {each.kind}: {md(statement_words(each))}"
    for kind, saved in found.records:
        yield md(record_words(kind, saved))


def rows_for_page(device: DeviceComparison) -> dict[str, Any]:
    """What a page shows of a device: its rows as cells, for the template."""
    found = device.difference
    if found is None:
        return {"ways": [], "people": [], "expectations": [], "statements": [], "records": []}
    ways = [
        (kind, way_words(each, paths), not each.path.needs, each.sure)
        for kind, changes, paths in (("gained", found.gained, found.ways.new), ("lost", found.lost, found.ways.old))
        for each in changes
    ]
    return {
        "ways": ways,
        "people": [(person_words(each), each.locked_out) for each in found.people if each.changed],
        "statements": [(each.kind, statement_words(each), _places(each)) for each in found.statements],
        "expectations": [f"{expectation_words(each.before, each.after)}: {each.say}" for each in device.expectations],
        "records": [record_words(kind, saved) for kind, saved in found.records],
    }
