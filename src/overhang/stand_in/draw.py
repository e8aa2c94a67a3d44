"""Attempts at a device, drawn so that each way and each outcome that the device has occurs."""

import datetime
import random
from collections import defaultdict

from overhang.model import Address, parse_address
from overhang.model.items import item
from overhang.model.vocabulary import PORTS
from overhang.project import Project
from overhang.simulation import Attempt, ResolvedDevice, decide
from overhang.stand_in.prove import Trial

_WAYS = ("console", "auxiliary", "ssh", "telnet", "http", "https")
_ANYWHERE = "203.0.113.9"
_WRONG = "a wrong answer"
_DRAWN_FOR_ONE, _FEWEST = 30, 600


def draw(
    resolved: ResolvedDevice, project: Project, number: int, moment: datetime.datetime, chance: random.Random
) -> list[Trial]:
    """``number`` attempts, those of each way and outcome as many as there are to be had."""
    drawer = _Drawer(resolved, project, moment, chance)
    found: dict[tuple[str, str, str | None], list[Attempt]] = defaultdict(list)
    for _ in range(max(_FEWEST, number * _DRAWN_FOR_ONE)):
        attempt = drawer.attempt()
        result = decide(resolved, attempt).result
        kept = found[attempt.via, result.outcome, result.elevation]
        if len(kept) < number and attempt not in kept:
            kept.append(attempt)
    chosen: list[Attempt] = []
    kinds = list(found.values())
    while len(chosen) < number and any(kinds):
        for kind in kinds:
            if kind and len(chosen) < number:
                chosen.append(kind.pop())
    return [Trial(place, attempt) for place, attempt in enumerate(chosen, 1)]


class _Drawer:
    """Draws attempts at one device."""

    def __init__(
        self, resolved: ResolvedDevice, project: Project, moment: datetime.datetime, chance: random.Random
    ) -> None:
        self._resolved, self._moment, self._chance = resolved, moment, chance
        device = resolved.device
        self._sources = resolved.source_classes() or [parse_address(_ANYWHERE)]
        self._own = [Address(each.prefix.family, each.prefix.host) for each in device.addresses if each.prefix]
        self._names = [*device.users, "nobody"]
        self._levels = sorted({15, *device.elevations})
        self._servers = [server.value.address for group in device.groups.values() for server in group.servers]
        self._held = project.servers
        self._items = [each.item for each in resolved.locks() if each.item]
        if self._held is not None:
            self._names += [name for accounts in self._held.values() for name in accounts if name not in device.users]

    def attempt(self) -> Attempt:
        """One attempt."""
        chance, resolved = self._chance, self._resolved
        via = chance.choice(_WAYS)
        name = chance.choice(self._names)
        knows = self._knows(name) if chance.random() < 0.75 else frozenset()
        wrong = chance.choice((0, 0, 0, 1, 2, 4))
        elevate = chance.choice((None, None, *self._levels)) if via not in ("http", "https") else None
        at_port = via in PORTS
        return Attempt(
            via,
            self._moment,
            None if at_port else chance.choice(self._sources),
            chance.choice(self._own) if self._own and not at_port else None,
            name if via == "ssh" or chance.random() < 0.9 else None,
            (_WRONG,) * wrong if not knows else (),
            knows=knows,
            elevate=elevate,
            elevate_passwords=(_WRONG,) * chance.choice((0, 0, 1, 3)) if elevate is not None else (),
            busy=frozenset(range(chance.choice((0, 0, 0, 1, len(resolved.vtys(0)))))),
            down=frozenset(self._servers) if self._held is None or chance.random() < 0.3 else frozenset(),
            servers=self._held,
        )

    def _knows(self, name: str) -> frozenset[str]:
        """What such a person knows: their own password and key, perhaps something more."""
        own = {item("user", name), item("key", name)}
        if self._held is not None:
            own |= {f"server:{group}/{name}" for group, accounts in self._held.items() if name in accounts}
        if self._items and self._chance.random() < 0.6:
            own.add(self._chance.choice(self._items))
        if self._chance.random() < 0.5:
            own |= {f"elevation:{level}" for level in self._levels}
        return frozenset(own)
