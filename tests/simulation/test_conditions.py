"""Source lists against a plain reading of their lines, times of day, and the names of items."""

import datetime
from collections.abc import Mapping

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from overhang.language import read_sheet
from overhang.language.terminals import decode_days, decode_hours
from overhang.model import Address, Configured, Hours, Prefix, SourceList, SourceRule
from overhang.model.address import masked_ranges, ranges_of_mask
from overhang.model.blocks import BlockInfo
from overhang.model.items import item, named_in
from overhang.simulation.source_lists import resolve_lists
from overhang.text import Origin

NAMES = ("a", "b", "c", "gone")
SPACE = 64


def host(value: int) -> Prefix:
    return Prefix(4, value, value, 32, value)


@st.composite
def rules(draw: st.DrawFn, place: int) -> SourceRule:
    """A line of list number ``place``, which refers to later lists alone."""
    act = draw(st.sampled_from(("allow", "deny", "leave", "ask")))
    others = NAMES[place + 1 :]
    if act == "ask":
        return SourceRule(act, other=draw(st.sampled_from(others)))
    kind = draw(st.sampled_from(("any", "range", "mask", "list", "prefix")))
    start = draw(st.integers(0, SPACE - 1))
    if kind == "any":
        return SourceRule(act)
    if kind == "list":
        return SourceRule(act, other=draw(st.sampled_from(others)))
    if kind == "mask":
        return SourceRule(act, host(start), mask=host(draw(st.integers(0, SPACE - 1))))
    if kind == "range":
        return SourceRule(act, host(start), host(draw(st.integers(start, SPACE - 1))))
    return SourceRule(act, Prefix(4, start & ~7, start | 7, 29, start))


@st.composite
def devices(draw: st.DrawFn) -> dict[str, SourceList]:
    found = {}
    for place, name in enumerate(NAMES[:3]):
        lines = draw(st.lists(rules(place), max_size=5))
        said = tuple(Configured(rule, Origin("t", 10 * place + at)) for at, rule in enumerate(lines))
        end = draw(st.sampled_from((None, True, False)))
        at_end = None if end is None else Configured(end, Origin("t", 99))
        found[name] = SourceList(name, BlockInfo(Origin("t", 90)), said, at_end)
    return found


def plainly(lists: Mapping[str, SourceList], name: str, value: int, missing: bool) -> bool | None:
    """What the lines of a list say of an address, one after another; None where it decides nothing."""
    if name not in lists:
        return missing or None
    for said in lists[name].rules:
        rule = said.value
        if rule.act == "ask":
            inner = plainly(lists, rule.other or "", value, missing)
            if inner is not None:
                return inner
            continue
        if rule.other is not None:
            matches = ends(lists, rule.other, value, missing)
        elif rule.prefix is None:
            matches = True
        elif rule.last is not None:
            matches = rule.prefix.low <= value <= rule.last.low
        elif rule.mask is not None:
            matches = not (rule.prefix.low ^ value) & ~rule.mask.low
        else:
            matches = Address(4, value) in rule.prefix
        if matches:
            return None if rule.act == "leave" else rule.act == "allow"
    return None


def ends(lists: Mapping[str, SourceList], name: str, value: int, missing: bool) -> bool:
    decided = plainly(lists, name, value, missing)
    if decided is None:
        end = lists[name].at_end if name in lists else None
        return end is not None and end.value
    return decided


@given(devices(), st.booleans())
@settings(max_examples=300, derandomize=True, deadline=None, database=None)
def test_a_source_list_says_what_its_lines_say(lists: dict[str, SourceList], missing: bool) -> None:
    resolved = resolve_lists(lists, missing)
    for name in lists:
        for value in range(SPACE):
            assert resolved[name].decide(Address(4, value))[0] == ends(lists, name, value, missing), (name, value)


def test_lists_in_a_circle_are_in_doubt_and_long_chains_are_followed() -> None:
    lines = "".join(f"sources n{at}: ask n{at + 1}\n" for at in range(3000)) + "sources n3000: allow 10.64.0.0/16\n"
    lists = resolve_lists(read_sheet(lines + "sources a: ask b\nsources b: ask a\n", "t").device.sources, False)
    assert lists["n0"].decide(Address(4, 0x0A400001))[0] is True
    assert lists["n0"].decide(Address(4, 0x0B400001))[0] is False
    assert lists["a"].decide(Address(4, 0x0A400001))[0] is None


@given(st.integers(0, SPACE - 1), st.integers(0, SPACE - 1))
def test_the_ranges_of_a_mask_are_its_addresses(address: int, mask: int) -> None:
    found = masked_ranges(host(address), host(mask))
    assert len(found) == ranges_of_mask(host(mask))
    inside = {value for low, high in found for value in range(low, high + 1)}
    assert inside == {value for value in range(SPACE) if not (value ^ address) & ~mask}


@given(
    st.sampled_from(("user", "key", "certificate", "door")),
    st.text(st.characters(codec="utf-8"), min_size=1),
    st.integers(1, 99),
)
def test_no_two_items_are_called_the_same(kind: str, name: str, number: int) -> None:
    assert named_in(item(kind, name, number)) == (kind, name, number)


@pytest.mark.parametrize(
    ("hours", "days", "inside", "outside"),
    [
        ("08:00-17:30", "mon-fri", ["2026-06-01T08:00", "2026-06-05T17:29"], ["2026-06-01T17:30", "2026-06-06T09:00"]),
        ("22:00-06:00", "fri", ["2026-06-05T22:00", "2026-06-06T05:59"], ["2026-06-05T05:00", "2026-06-06T22:30"]),
        ("22:00-06:00", "", ["2026-06-01T00:00"], ["2026-06-01T12:00"]),
        ("09:00-10:00", "sat-mon", ["2026-06-07T09:30", "2026-06-01T09:30"], ["2026-06-02T09:30"]),
    ],
)
def test_times_of_day(hours: str, days: str, inside: list[str], outside: list[str]) -> None:
    first, last = decode_hours(hours)
    held = Hours(first, last, decode_days(days) if days else ())
    assert [held.hold(datetime.datetime.fromisoformat(each)) for each in inside] == [True] * len(inside)
    assert [held.hold(datetime.datetime.fromisoformat(each)) for each in outside] == [False] * len(outside)
