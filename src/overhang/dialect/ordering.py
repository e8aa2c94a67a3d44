"""The order in which lines count: rules with numbers, and lines of which a second one replaces the first."""

from collections.abc import Callable, Sequence

from overhang.dialect.matcher import Option
from overhang.dialect.model import Translation
from overhang.dialect.scan import LineMatch
from overhang.dialect.template import Template


def in_order(
    matches: Sequence[LineMatch], value_of: Callable[[LineMatch, Option, str], str]
) -> tuple[list[LineMatch], dict[int, int]]:
    """The lines as they count; and for those that do not, by their place, the line that counts instead.

    ``value_of`` gives the value of a hole of a line, which may stand in a line that goes with it.
    """
    sorted_, instead = list(matches), dict[int, int]()
    numbers: dict[int, tuple[int, str]] = {}
    groups: dict[object, list[int]] = {}
    alike: dict[tuple[object, ...], list[int]] = {}
    for index, each in enumerate(matches):
        option = None if each.taken else _ordered(each)
        if option is None or not isinstance(option.target, Translation):
            continue
        target, named = option.target, _named(option)
        number = value_of(each, option, target.sort_by) if target.sort_by else ""
        if target.sort_by:
            numbers[index] = _number(number)
            groups.setdefault((each.instance if not target.partners else 0, named), []).append(index)
        if target.again:
            key = number if target.sort_by else target.place.line
            alike.setdefault((target.again, each.instance, named, key), []).append(index)
    for key_of, indices in alike.items():
        counts = indices[0] if key_of[0] == "first" else indices[-1]
        instead.update({id(matches[at].node): matches[counts].node.line for at in indices if at != counts})
    for indices in groups.values():
        by_number = sorted(indices, key=numbers.__getitem__)
        for place, at in zip(indices, by_number, strict=True):
            sorted_[place] = matches[at]
    return sorted_, instead


def _ordered(match_: LineMatch) -> Option | None:
    """The translation of a line that says something about order."""
    for each in match_.options:
        if isinstance(each.target, Translation) and (each.target.sort_by or each.target.again):
            return each
    return None


def _named(option: Option) -> tuple[object, ...]:
    """What the statements of a line are about: the block that they stand in."""
    templates: Sequence[Template] = option.target.every
    if not templates:
        return ()
    head = templates[0].head
    return tuple(option.values.get(text, "") if hole else text for piece in head for hole, text in piece.parts)


def _number(text: str) -> tuple[int, str]:
    return (int(text), "") if text.isdigit() else (1 << 62, text)
