"""How far what somebody has goes: over a whole network, hop by hop, and what closes it."""

from overhang.spread.reach import Arrival, Hop, Reach, spread_from
from overhang.spread.start import Start, know_item
from overhang.spread.world import World, build_world

__all__ = ["Arrival", "Hop", "Reach", "Start", "World", "build_world", "know_item", "spread_from"]
