"""What a spread came to, as one value for every format."""

import datetime
from collections.abc import Sequence
from typing import NamedTuple

from overhang.exposure.phrases import item_words
from overhang.exposure.witness import Witness
from overhang.spread.cut import Cut, Fix, cut_of
from overhang.spread.ranking import RankedSecret, locked_out
from overhang.spread.reach import START, Arrival, Limits, Reach, chain_of, spread_from
from overhang.spread.start import Start
from overhang.spread.world import World
from overhang.text import Origin


class SpreadReport(NamedTuple):
    """One spread: the network, the start, all that is reached, what cuts it (empty where that was not asked for)."""

    world: World
    limits: Limits
    reach: Reach
    cuts: tuple[Cut, ...] = ()

    @property
    def direct(self) -> list[Arrival]:
        """What the start opens by itself, the best of each device."""
        found: dict[int, Arrival] = {}
        for each in self.reach.arrivals:
            alone = each.round == 1 and (each.device not in found or each.level > found[each.device].level)
            if alone:
                found[each.device] = each
        return list(found.values())

    @property
    def gains(self) -> list[Arrival]:
        """For each device the first arrival at its highest level, in the order of hops."""
        return sorted(self.reach.best.values(), key=lambda each: (each.round, -each.level, self.name(each.device)))

    def name(self, device: int) -> str:
        """What a device is called."""
        return self.world.names[device]

    def secret(self, number: int) -> str:
        """A secret in words, by its first lock."""
        lock = self.world.secrets.secrets[number].locks[0]
        return f"{item_words(lock.item)} on {self.name(lock.device)}"

    def secret_at(self, number: int, device: int, via: str = "") -> str:
        """A secret in words, by its lock on a device; of several by one of the way that it is used at."""
        items = [lock.item for lock in self.world.secrets.secrets[number].locks if lock.device == device]
        place = "entry:vty" if via in ("ssh", "telnet") else f"entry:{via}"
        items.sort(key=lambda item: not item.startswith(place))
        return item_words(items[0]) if items else self.secret(number)

    def where(self, arrival: Arrival) -> str:
        """From where a hop is taken, in words."""
        hop = arrival.hop
        if hop.passage.path.sources is None:
            return "at the port"
        if hop.origin == START:
            return self.reach.start.where
        return f"from {self.name(hop.origin)} ({hop.source})"


def spread_report(world: World, start: Start, limits: Limits, *, cut: bool) -> SpreadReport:
    """Follow a start through a network, and where wanted find what cuts it. Raises ImportError where that needs a
    package that is missing."""
    reach = spread_from(world, start, limits)
    cuts: tuple[Cut, ...] = ()
    if cut and reach.beyond():
        levels = [15, 0] if any(each.level == 15 for each in reach.beyond().values()) else [0]
        cuts = tuple(cut_of(world, start, limits, level) for level in levels)
    return SpreadReport(world, limits, reach, cuts)


def chain_to(report: SpreadReport, device: int) -> list[Arrival]:
    """The hops that lead to a device at the highest level reached; empty where it is not reached."""
    best = report.reach.best.get(device)
    return [] if best is None else chain_of(report.reach, best)


def lines_allowing(report: SpreadReport, arrival: Arrival, moment: datetime.datetime) -> list[Origin]:
    """The lines of a device that let a hop through: those of a login that shows it."""
    place = report.world.devices[arrival.device]
    path = arrival.hop.passage.path
    source = arrival.hop.source
    if source is None and path.sources:
        source = place.part.space.example(path.sources)
    _, project, resolved, found = place.device
    shown = Witness(resolved, found, moment, project.servers).find(
        path,
        source,
        frozenset(),
        [frozenset()],
        lambda result: result.outcome == "admitted" and result.level == path.level,
    )
    if shown is None:
        return []
    origins = [step.origin for step in shown[1].trace]
    return list(dict.fromkeys(each for each in origins if isinstance(each, Origin) and each.line))


def fix_words(report: SpreadReport, fix: Fix) -> str:
    """A change in words."""
    from overhang.model.vocabulary import way_label

    if fix.kind == "change":
        locks = report.world.secrets.secrets[fix.secret].locks
        devices = len({lock.device for lock in locks})
        many = f", which is {len(locks)} locks on {devices} device{'s' if devices != 1 else ''}" if locks[1:] else ""
        return f"change {report.secret(fix.secret)}{many}; a different one for each, stored one-way"
    if fix.kind == "hide":
        return f"store one-way what {report.name(fix.device)} shows readable or masked"
    return f"close {way_label(fix.via)} of {report.name(fix.device)} to where this comes from, or require more there"


def fix_statements(report: SpreadReport, fix: Fix) -> list[tuple[str, list[str]]]:
    """A change as statements of a sheet, for each device that it touches; none where it takes a choice."""
    if fix.kind != "change":
        return []
    found: dict[int, list[str]] = {}
    for lock in report.world.secrets.secrets[fix.secret].locks:
        head = _head_of(lock.item)
        if head:
            found.setdefault(lock.device, []).extend([f"{head}:", "    password withheld"])
    return [(report.name(device), lines) for device, lines in found.items()]


def _head_of(item: str) -> str:
    kind, _, name = item.partition(":")
    if " 2" in name or kind not in ("user", "entry", "elevation", "door", "service"):
        return ""
    return name if kind == "service" else f"{kind} {name}"


def order_of_change(world: World, ranked: Sequence[RankedSecret]) -> list[tuple[RankedSecret, list[str]]]:
    """In which order to change secrets: the gravest first; with each the devices on which it is the only way to level
    15, which are done last and from a session that stays open."""
    return [(each, sorted(locked_out(world, each.secret))) for each in ranked]
