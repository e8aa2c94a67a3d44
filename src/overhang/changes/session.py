"""The session in which a change is typed, and whether it could log in again."""

import datetime
from typing import NamedTuple

from overhang.difference import Side
from overhang.exposure import can_take
from overhang.model import Address
from overhang.model.vocabulary import PORTS
from overhang.project import Person
from overhang.simulation import Attempt, decide


class Session(NamedTuple):
    """The session in which a change is typed: by which way, from where, under which name, knowing which items."""

    via: str
    source: Address | None = None
    name: str | None = None
    knows: frozenset[str] = frozenset()

    def level(self, side: Side, moment: datetime.datetime) -> tuple[bool | None, int | None]:
        """Whether such a login gets in, and the highest level that it reaches; None where that cannot be told."""
        if self.name is None:
            return self._without_name(side)
        best: int | None = None
        unknown = False
        for typed in ((), ("anything",)):
            for elevate in (None, *range(15, 0, -1)):
                attempt = Attempt(
                    self.via,
                    moment,
                    self.source,
                    name=self.name,
                    passwords=typed,
                    knows=self.knows,
                    elevate=elevate,
                    elevate_name=self.name,
                    elevate_passwords=typed,
                    ssh_versions=(1, 2),
                    servers=side.project.servers,
                )
                result = decide(side.resolved, attempt).result
                unknown = unknown or result.outcome == "unknown" or result.elevation == "unknown"
                if result.outcome == "admitted" and result.level is not None:
                    best = max(result.level, -1 if best is None else best)
                if result.outcome != "admitted" or best == elevate or best == 15:
                    break
        if best is None and unknown:
            return None, None
        return best is not None, best

    def _without_name(self, side: Side) -> tuple[bool | None, int | None]:
        sits = (self.via,) if self.via in PORTS else ()
        person = Person("", tuple(self.knows), None, sits)
        found = side.found
        levels: list[tuple[int, bool]] = []
        for path in found.paths:
            if path.via != self.via or path.needs_busy or not path.states & found.all_up:
                continue
            if path.sources is not None and self.source is not None:
                address = self.source
                if not path.sources & found.address_classes.holding(address.family, address.value, address.value):
                    continue
            if can_take(found, path, person, side.project):
                levels.append((path.level, path.sure))
        best = max((level for level, sure in levels if sure), default=None)
        if best is None and levels:
            return None, None
        return best is not None, best
