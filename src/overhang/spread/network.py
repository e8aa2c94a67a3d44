"""The secrets of an audit's devices together: which passwords are one, how far each goes, which hashes were left."""

import functools
from collections.abc import Sequence

from overhang.auditing.fleet import NetworkSecrets
from overhang.auditing.results import DeviceAudit, NotExamined
from overhang.auditing.wording import counted
from overhang.model.hash_budget import PER_RUN, HashBudget
from overhang.spread.ranking import Ranking
from overhang.spread.reach import Limits
from overhang.spread.start import Start
from overhang.spread.world import Made, World, world_of

#: What trying the clear texts of a network against its hashes may cost in an audit: a sixth of what its devices may.
_PART = 6


def network_of(made: Sequence[Made]) -> World:
    """The network of devices that were audited; what was tried for one of them is not tried again."""
    asked = [project.thresholds.guess for _, project, _, _ in made if project.thresholds.guess is not None]
    budget = HashBudget(max(asked) // _PART, asked=True) if asked else HashBudget(PER_RUN // _PART)
    for _, _, resolved, _ in made:
        budget.learn(resolved.hashes)
    return world_of(made, budget)


def secrets_of(world: World) -> NetworkSecrets:
    """The secrets of a network, as rules across devices look at them."""
    of = {
        (world.devices[lock.device].file, lock.item): secret.number
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


def with_untried(audits: Sequence[DeviceAudit], world: World) -> list[DeviceAudit]:
    """Audits that say which of their hashes could not be tried with the clear texts of the other devices."""
    index = world.secrets
    if not index.left:
        return list(audits)
    kinds = ", ".join(
        f"{counted(number, 'hash', 'hashes')} of kind {kind}" for kind, number in sorted(index.kinds.items())
    )
    what = f"{counted(index.untried, 'pair')} of a clear text and a hash of the network ({kinds})"
    note = NotExamined(what, "comparing them costs more than there is for a run; --guess gives more to that")
    files = {
        place.file
        for place in world.devices
        if any(
            each is not None and each.text in index.left
            for several in place.paths.credentials.stored
            for each in several
        )
    }
    return [each._replace(not_examined=(*each.not_examined, note)) if each.file in files else each for each in audits]
