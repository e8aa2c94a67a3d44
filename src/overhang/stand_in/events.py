"""What happened at a device that stands in: one value for each login and elevation, and never a typed password."""

import datetime
from typing import Any, NamedTuple

from overhang.simulation import Step
from overhang.simulation.wording import origin_value


class Event(NamedTuple):
    """The end of a login, of an elevation or of a session.

    ``what`` is login, elevation, leave or limit. ``peer`` is where the connection came from, ``source`` the address
    that stands for, None at a port. ``name`` is the username where some account has it: whoever types a password in
    its place has not shown it.
    """

    when: datetime.datetime
    what: str
    device: str
    way: str
    peer: str
    source: str | None
    name: str | None
    vty: int | None
    outcome: str
    level: int | None
    step: Step | None
    reason: str

    def value(self) -> dict[str, Any]:
        """The event as an object of JSON, as docs/stand-ins.md describes it."""
        return {
            "time": self.when.isoformat(timespec="milliseconds"),
            "event": self.what,
            "device": self.device,
            "way": self.way,
            "peer": self.peer,
            "source": self.source,
            "name": self.name,
            "vty": self.vty,
            "outcome": self.outcome,
            "level": self.level,
            "reason": self.reason,
            "decided_by": None if self.step is None else origin_value(self.step.origin),
        }
