"""Access paths for people: a table for each device, worst first."""

from collections.abc import Iterator, Sequence
from typing import NamedTuple

from overhang.exposure import AccessPath, AccessPaths
from overhang.exposure.phrases import busy_phrase, from_phrase, needs_phrase, states_phrase
from overhang.model.vocabulary import way_label
from overhang.report.lines import Line, count, cut, safe, wrap


class DeviceWays(NamedTuple):
    """The access paths of one device that were asked for. ``understood`` is false where a line was not read;
    ``secrets`` numbers the secrets of the whole run by the items of the device, where several are compared."""

    name: str
    file: str
    found: AccessPaths
    ways: list[AccessPath]
    understood: bool
    secrets: tuple[int, ...] = ()


def ways_lines(devices: Sequence[DeviceWays], unreadable: int, width: int) -> Iterator[Line]:
    """The whole report."""
    yield _verdict(devices)
    yield []
    for device in devices:
        yield [(cut(device.name, 40), "bold"), ("  " + cut(device.file, width - len(device.name) - 4), "dim")]
        if not device.understood:
            yield [("  not fully understood; see overhang audit", "medium")]
        if not device.found.complete:
            yield [(f"  some paths may be missing: {device.found.why_incomplete}", "medium")]
        if device.found.credentials.untried:
            text = (
                count(device.found.credentials.untried, "comparison")
                + " of a password with a hash not made: too costly"
            )
            yield [(f"  {text}", "medium")]
        if not device.ways:
            yield [("  no way in", "good")]
        else:
            yield from _table(device, width)
        yield []
    yield [(summary(devices, unreadable), "")]


def _verdict(devices: Sequence[DeviceWays]) -> Line:
    for sure, sentence in (
        (True, "Anyone gets in without a password"),
        (False, "Anyone may get in without a password"),
    ):
        free = [(device, way) for device in devices for way in device.ways if not way.needs and way.sure is sure]
        if free:
            names = {device.name for device, _ in free}
            where = safe(free[0][0].name) if len(names) == 1 else count(len({each.file for each, _ in free}), "device")
            top = max(way.level for _, way in free)
            return [(sentence, "high" if sure else "medium"), (f" at {where}, to level {top}", "bold")]
    sentence = "Nobody gets in without a credential" if any(device.ways for device in devices) else "No access path"
    if all(device.understood and device.found.complete for device in devices):
        return [(sentence, "good")]
    return [(f"{sentence} as far as known; not everything was understood", "medium")]


def _table(device: DeviceWays, width: int) -> Iterator[Line]:
    rows = [_cells(device.found, way) for way in device.ways]
    with_state = any(row[4] for row in rows)
    via = max(3, *(len(row[0]) for row in rows))
    source = min(33 if with_state else 39, max(12, *(len(line) for row in rows for line in row[1])))
    state = min(24, max(7, *(len(row[4]) for row in rows))) if with_state else 0
    needs = width - via - source - state - (19 if with_state else 15)
    heading = "when" if len(set(device.found.times)) > 1 else "servers"
    head = f"  {'way':<{via}}  {'from':<{source}}  {'least knowledge':<{needs}}    level"
    yield [(head + (f"    {heading:<{state}}" if with_state else ""), "bold")]
    for (word, sources, known, level, when), way in zip(rows, device.ways, strict=True):
        columns = [[word], sources, wrap(known, needs), [level], wrap(when, state) if when else [""]]
        for place in range(max(map(len, columns))):
            part = [column[place] if place < len(column) else "" for column in columns]
            style = ("high" if way.level == 15 else "medium") if not way.needs else ""
            yield [
                (f"  {part[0]:<{via}}  {cut(part[1], source):<{source}}  ", ""),
                (f"{part[2]:<{needs}}", style),
                (f"  {part[3]:>7}", "bold" if way.level == 15 else ""),
                (f"    {part[4]}" if with_state else "", "dim"),
            ]


def _cells(found: AccessPaths, way: AccessPath) -> tuple[str, list[str], str, str, str]:
    label = safe(way_label(way.via))
    level = str(way.level) if way.level == way.after_login else f"{way.after_login} → {way.level}"
    known = needs_phrase(found, way)
    if not way.sure:
        known += " (not certain)"
    return label, _sources(found, way), known, level, states_phrase(found, way)


def _sources(found: AccessPaths, way: AccessPath) -> list[str]:
    lines = from_phrase(found, way)
    if way.needs_busy:
        lines += wrap(busy_phrase(way), 33)
    if way.to is not None:
        lines.append("to " + ", ".join(way.to[:2]) + (f" and {len(way.to) - 2} more" if len(way.to) > 2 else ""))
    return lines


def summary(devices: Sequence[DeviceWays], unreadable: int) -> str:
    """One line that a person can quote."""
    ways = [way for device in devices for way in device.ways]
    to_top = sum(way.level == 15 for way in ways)
    free = sum(not way.needs and way.sure for way in ways)
    unsure = sum(not way.sure for way in ways)
    paths = f"{count(len(ways), 'access path')}, {to_top} to level 15, {free} without a credential"
    text = f"{count(len(devices), 'device')}: {paths}" + (f", {unsure} not certain" if unsure else "")
    return text + (f"; {count(unreadable, 'file')} unreadable" if unreadable else "")
