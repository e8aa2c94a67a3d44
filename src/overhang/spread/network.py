"""The secrets of an audit's devices together: which passwords are one, how far each goes, which hashes were left."""

import functools
from collections.abc import Mapping, Sequence

from overhang.auditing.fleet import NetworkSecrets
from overhang.auditing.results import NotExamined
from overhang.auditing.wording import counted
from overhang.model.hash_budget import HashBudget, together_of
from overhang.project import Project
from overhang.spread.ranking import Ranking
from overhang.spread.reach import Limits
from overhang.spread.start import Start
from overhang.spread.world import NetworkPart, World, world_of

#: What trying the clear texts of a network against its hashes may cost in an audit that was asked to spend more on its
#: devices: a sixth of that.
_PART = 6


def network_of(parts: Sequence[NetworkPart], projects: Mapping[str, Project]) -> World:
    """The network of devices that were audited; what was tried for one of them is not tried again."""
    asked = [each.thresholds.guess for each in projects.values() if each.thresholds.guess is not None]
    budget = HashBudget(max(asked) // _PART, asked=True) if asked else together_of(len(parts))
    for part in parts:
        budget.learn(part.hashes)
    return world_of(parts, projects, budget)


def secrets_of(world: World) -> NetworkSecrets:
    """The secrets of a network, as rules across devices look at them."""
    of = {
        (world.devices[lock.device].part.file, lock.item): secret.number
        for secret in world.secrets.secrets
        for lock in secret.locks
    }

    @functools.cache
    def ranking() -> Ranking:
        reads = min(place.project.thresholds.reads for place in world.devices)
        return Ranking(world, Start(frozenset(), anywhere=True), Limits(reads))

    @functools.cache
    def reach(secret: int) -> tuple[int, int]:
        ranked = ranking().of(secret)
        return (ranked.reaches, ranked.reaches_15) if ranked is not None else (0, 0)

    return NetworkSecrets(of, reach)


def untried_note(world: World) -> tuple[NotExamined | None, frozenset[str]]:
    """What to note of the devices of some files: that hashes of theirs could not be tried with the clear texts of the
    others."""
    index = world.secrets
    if not index.left:
        return None, frozenset()
    kinds = ", ".join(
        f"{counted(number, 'hash', 'hashes')} of kind {kind}" for kind, number in sorted(index.kinds.items())
    )
    what = f"{counted(index.untried, 'pair')} of a clear text and a hash of the network ({kinds})"
    note = NotExamined(what, "comparing them costs more than there is for a run; --guess gives more to that")
    return note, frozenset(
        place.part.file
        for place in world.devices
        if any(each is not None and each.text in index.left for several in place.part.locks.stored for each in several)
    )
