"""Access paths in words: from where, what one needs to know, and in which state of the servers. Names are as
configured; whoever prints them makes them safe for a terminal.
"""

from collections.abc import Sequence

from overhang.exposure.address_classes import AddressClasses
from overhang.exposure.paths import AccessPath, AccessPaths
from overhang.model import Hours
from overhang.model.items import named_in
from overhang.model.vocabulary import PORTS, way_label

_MOST_PREFIXES = 3


def from_phrase(found: AccessPaths, path: AccessPath) -> list[str]:
    """From where a way can be taken, in a few pieces."""
    if path.sources is None or path.via in PORTS:
        return ["at the port"]
    return sources_phrase(found.address_classes, path.sources)


def sources_phrase(classes: AddressClasses, sources: int) -> list[str]:
    """A set of sources in a few pieces."""
    prefixes = classes.prefixes(sources)
    if prefixes == ["0.0.0.0/0", "::/0"]:
        return ["anywhere"]
    names = {"0.0.0.0/0": "anywhere IPv4", "::/0": "anywhere IPv6"}
    if classes.wide(sources) and len(prefixes) > _MOST_PREFIXES:
        return ["almost everywhere"]
    pieces = [names.get(prefix, prefix) for prefix in prefixes[:_MOST_PREFIXES]]
    if len(prefixes) > _MOST_PREFIXES:
        pieces.append(f"and {len(prefixes) - _MOST_PREFIXES} more")
    return pieces


def busy_phrase(path: AccessPath) -> str:
    """Through which VTYs a path leads where others must be in use for that; "" where none need be."""
    if not path.needs_busy:
        return ""
    taken = numbers_phrase(path.needs_busy)
    return f"VTY {numbers_phrase(path.vtys)}, once {taken} {'is' if len(path.needs_busy) == 1 else 'are'} taken"


def numbers_phrase(numbers: Sequence[int]) -> str:
    """Numbers in order, runs of neighbours put together: ``0-3,7``."""
    runs: list[list[int]] = []
    for number in numbers:
        if runs and runs[-1][1] + 1 == number:
            runs[-1][1] = number
        else:
            runs.append([number, number])
    return ",".join(f"{first}-{last}" if last > first else str(first) for first, last in runs)


def needs_phrase(found: AccessPaths, path: AccessPath) -> str:
    """What one needs to know, in words."""
    if not path.needs:
        return "nothing"
    parts = [item_phrase(found, number) for number in sorted(path.needs, key=lambda number: _order(found, number))]
    return " and ".join(parts)


def _order(found: AccessPaths, number: int) -> tuple[bool, str]:
    names = sorted(found.credentials.names[number])
    return any(name.startswith("elevation:") for name in names), names[0]


def item_phrase(found: AccessPaths, number: int) -> str:
    """One item in words, with its form in the configuration where that discloses it."""
    names = sorted(found.credentials.names[number])
    phrase = " = ".join(item_words(name) for name in names)
    forms = found.forms(number)
    if forms:
        phrase += f" ({'clear text' if 'readable' in forms else 'reversible'} in the configuration)"
    return phrase


def item_words(item: str) -> str:
    kind, name, number = named_in(item)
    further = f" {number}" if number > 1 else ""
    if kind == "elevation":
        return f"the enable secret{further}" if name == "15" else f"the password{further} for level {name}"
    if kind == "server":
        group, _, account = item.partition(":")[2].partition("/")
        return f"{'some account' if account == '*' else account}'s password at {group}"
    if kind in ("entry", "service", "door"):
        label = "web" if kind == "service" and name == "web" else name.replace("vty", "VTY")
        return f"the {way_label(label) if kind == 'service' else label} password{further}"
    phrases = {
        "user": f"{name}'s password",
        "key": f"{name}'s key",
        "certificate": f"a certificate for {name}",
        "community": f"community {name}",
    }
    return phrases[kind] + further if kind in phrases else item


def hours_phrase(found: AccessPaths, path: AccessPath) -> str:
    """At which times of day a path holds, in words; "" for all."""
    holds = found.hours(path)
    if not holds:
        return ""
    inside = set(holds[0]).intersection(*holds[1:])
    every = frozenset[Hours]().union(*found.times)
    outside = every.difference(*holds)
    parts = [f"during {each.text}" for each in sorted(inside)] + [f"outside {each.text}" for each in sorted(outside)]
    return ", ".join(parts) if parts else f"at {len(holds)} of {len(set(found.times))} times of day"


def states_phrase(found: AccessPaths, path: AccessPath) -> str:
    """In which states of the servers, and when, a path holds, in words; "" for always."""
    return ", ".join(filter(None, (servers_phrase(found, path), hours_phrase(found, path))))


def servers_phrase(found: AccessPaths, path: AccessPath) -> str:
    """In which states of the servers a path holds, in words; "" for all."""
    down = found.down(path)
    every = found.all_down
    states = set(found.states)
    if len(down) == len(states):
        return ""
    if down == [sorted(every)]:
        return "all down"
    if len(down) == len(states) - 1 and sorted(every) not in down:
        return "any up"
    if len(down) == 1:
        return f"down: {', '.join(down[0]) or 'none'}"
    common = set(down[0]).intersection(*down)
    return f"down: {', '.join(sorted(common))}" if common else f"{len(down)} of {len(states)} states"
