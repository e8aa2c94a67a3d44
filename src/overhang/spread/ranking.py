"""Each secret of a network ranked: how many devices it opens by itself, and with hops; and whom its change touches."""

from collections.abc import Iterator
from typing import NamedTuple

from overhang.exposure.secrets import Along, silently
from overhang.spread.reach import START, Limits, Spreading
from overhang.spread.start import Start
from overhang.spread.world import World


class RankedSecret(NamedTuple):
    """One secret. ``opens`` and ``opens_15`` count the devices that it opens by itself and those of them at level 15;
    ``reaches`` and ``reaches_15`` with hops; each beyond what nobody needs to know anything for. ``readable`` counts
    the devices whose configuration discloses it."""

    secret: int
    locks: int
    devices: int
    readable: int
    opens: int
    opens_15: int
    reaches: int
    reaches_15: int

    @property
    def rank(self) -> tuple[int, ...]:
        """Sorts secrets, those that open most first."""
        return (-self.reaches_15, -self.reaches, -self.opens_15, -self.opens, -self.readable, self.secret)


class Ranking:
    """What secrets open, each beyond what nobody needs to know anything for; ``start`` says from where."""

    def __init__(self, world: World, start: Start, limits: Limits) -> None:
        self._world, self._start = world, start
        self._nothing = Spreading(world, start._replace(secrets=frozenset()), limits)
        self._base = self._nothing.run()

    def of(self, secret: int) -> RankedSecret | None:
        """One secret; None where it opens nothing."""
        reach = self._nothing.after(self._start._replace(secrets=frozenset({secret}))).run()
        if not reach.arrivals:
            return None
        alone = {
            each.device: each.level
            for each in reach.arrivals
            if each.round == 1 and all(learnt == START for _, learnt in each.learnt)
        }
        base = self._base.best
        better = [each for device, each in reach.best.items() if device not in base or each.level > base[device].level]
        locks = self._world.secrets.secrets[secret].locks
        return RankedSecret(
            secret,
            len(locks),
            len({lock.device for lock in locks}),
            len({lock.device for lock in locks if lock.readable}),
            len(alone),
            sum(level == 15 for level in alone.values()),
            len(better),
            sum(each.level == 15 for each in better),
        )


def rank_secrets(world: World, start: Start, limits: Limits, along: Along = silently) -> list[RankedSecret]:
    """Every secret that opens something, the gravest first; ``start`` says from where."""
    ranking = Ranking(world, start, limits)
    found = [
        ranked
        for secret in along(sorted(world.needing), "ranking secrets")
        if (ranked := ranking.of(secret)) is not None
    ]
    return sorted(found, key=lambda each: each.rank)


def locked_out(world: World, secret: int) -> Iterator[str]:
    """The devices on which every way to level 15 needs this secret: change it there last, and in a session that stays
    open."""
    for place in world.devices:
        top = [passage.needs for passage in place.passages if passage.path.level == 15]
        if top and all(secret in needs for needs in top):
            yield place.name
