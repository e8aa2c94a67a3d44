"""How far what somebody has goes: over a whole network, hop by hop, and what closes it.

The names are imported on first use: most of them are of no use to an audit of one device.
"""

import importlib
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from overhang.spread.reach import Arrival, Hop, Reach, spread_from
    from overhang.spread.start import Start, know_item
    from overhang.spread.world import World, build_world

_HOMES = {
    **dict.fromkeys(("Arrival", "Hop", "Reach", "spread_from"), "reach"),
    **dict.fromkeys(("Start", "know_item"), "start"),
    **dict.fromkeys(("World", "build_world"), "world"),
}

__all__ = ["Arrival", "Hop", "Reach", "Start", "World", "build_world", "know_item", "spread_from"]


def __getattr__(name: str) -> Any:
    if name not in _HOMES:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    return getattr(importlib.import_module(f"overhang.spread.{_HOMES[name]}"), name)
