"""The clock of a device that stands in: it runs with the machine's own, or faster, and never jumps."""

import datetime
import time
from collections.abc import Callable
from typing import Protocol

from overhang.simulation.visit import Moment


class Clocklike(Protocol):
    """What tells a device's time."""

    def now(self) -> Moment:
        """The moment on the device."""
        ...

    def real(self, seconds: float) -> float:
        """How long so many seconds of the device last."""
        ...


class SetClock:
    """A clock that shows what it is set to."""

    def __init__(self, moment: Moment) -> None:
        self.moment = moment

    def now(self) -> Moment:
        """The moment on the device."""
        return self.moment

    def real(self, seconds: float) -> float:
        """How long so many seconds of the device last: as long as anywhere."""
        return seconds


class Clock:
    """A clock that starts at ``start`` and runs ``speed`` times as fast as ``ticks``, which counts seconds and never
    runs backwards, whatever happens to the machine's date."""

    def __init__(
        self, start: datetime.datetime, speed: float = 1.0, ticks: Callable[[], float] = time.monotonic
    ) -> None:
        self.start, self.speed = start, speed
        self._ticks = ticks
        self._began = ticks()

    def now(self) -> Moment:
        """The moment on the device."""
        at = (self._ticks() - self._began) * self.speed
        return Moment(self.start + datetime.timedelta(seconds=at), at)

    def real(self, seconds: float) -> float:
        """How long so many seconds of the device last."""
        return seconds / self.speed
