"""The network that something spreads over: devices with their access paths, and the secrets that they share."""

import datetime
from collections.abc import Iterable, Mapping, Sequence
from typing import NamedTuple

from overhang.exposure import AccessPath, AccessPaths, find_paths, resolve
from overhang.exposure.secrets import Along, SecretIndex, find_secrets, silently
from overhang.language import ParsedConfig
from overhang.model import Address
from overhang.model.hash_budget import PER_RUN, HashBudget, share_of
from overhang.model.vocabulary import PORTS
from overhang.project import Project
from overhang.simulation import ResolvedDevice

#: Ways whose sessions give a shell, from which one goes on to other devices; and those that may show a configuration.
SHELLS = ("console", "auxiliary", "ssh", "telnet")
READS = (*SHELLS, "http", "https")

Made = tuple[ParsedConfig, Project, ResolvedDevice, AccessPaths]


class Passage(NamedTuple):
    """One access path of a device, with the secrets that it needs. ``sources`` are classes of its sources, None at a
    port; ``wide``: an address that no list names may take it."""

    device: int
    number: int
    path: AccessPath
    needs: frozenset[int]
    wide: bool


class Place(NamedTuple):
    """One device of the network. ``own`` are its addresses, ``networks`` the prefixes that they are in."""

    name: str
    file: str
    config: ParsedConfig
    project: Project
    resolved: ResolvedDevice
    paths: AccessPaths
    passages: tuple[Passage, ...]
    own: tuple[Address, ...]
    networks: tuple[tuple[int, int, int], ...]
    unsure: int


class World(NamedTuple):
    """A whole network.

    ``names`` are its devices' names, ``needing`` the passages that need each secret; ``apart`` are pairs of networks
    between which nothing passes, each a set of address ranges.
    """

    devices: tuple[Place, ...]
    secrets: SecretIndex
    names: tuple[str, ...]
    needing: Mapping[int, tuple[Passage, ...]]
    apart: tuple[tuple[tuple[tuple[int, int, int], ...], tuple[tuple[int, int, int], ...]], ...] = ()

    def connected(self, source: Address, place: Place) -> bool:
        """Whether an address reaches some address of a device."""
        if not self.apart or not place.own:
            return True
        return any(not self._parted(source, target) for target in place.own)

    def _parted(self, one: Address, other: Address) -> bool:
        return any(
            (_in(one, first) and _in(other, second)) or (_in(one, second) and _in(other, first))
            for first, second in self.apart
        )


def _in(address: Address, ranges: Sequence[tuple[int, int, int]]) -> bool:
    return any(family == address.family and low <= address.value <= high for family, low, high in ranges)


def build_world(
    configs: Iterable[tuple[ParsedConfig, Project]],
    moment: datetime.datetime,
    guess: int | None = None,
    along: Along = silently,
) -> World:
    """The network of some devices at a moment; ``guess`` is what trying hashes may cost in the whole run, in units of
    about a millisecond; ``along`` may show how far it is."""
    given = list(configs)
    budget = HashBudget(PER_RUN if guess is None else guess, asked=guess is not None)
    share = share_of(0, 1)  # hashes are tried once for the whole network, below
    made: list[Made] = []
    for config, project in along(given, "following access paths"):
        resolved = resolve(config, project, share)
        made.append((config, project, resolved, find_paths(resolved, moment, project.servers)))
    return world_of(made, budget, along)


def world_of(made: Sequence[Made], budget: HashBudget, along: Along = silently) -> World:
    """The network of devices that were resolved and explored already."""
    index = find_secrets([(resolved, found) for _, _, resolved, found in made], budget, along)
    places = tuple(_place(number, each, index) for number, each in enumerate(made))
    projects = {project.file: project for _, project, _, _ in made}
    apart = tuple(pair for project in projects.values() for pair in _apart(project))
    return World(places, index, tuple(place.name for place in places), _needing(places), apart)


def _apart(project: Project) -> list[tuple[tuple[tuple[int, int, int], ...], tuple[tuple[int, int, int], ...]]]:
    def ranges(name: str) -> tuple[tuple[int, int, int], ...]:
        return tuple((each.family, each.low, each.high) for each in project.networks.get(name, ()))

    return [(ranges(one), ranges(other)) for one, other in project.apart]


def _place(number: int, made: Made, index: SecretIndex) -> Place:
    config, project, resolved, found = made
    passages: list[Passage] = []
    unsure = 0
    of = index.of[number]
    for at, path in enumerate(found.paths):
        if not path.sure:
            unsure += 1
        elif not path.needs_busy and path.states & found.all_up:
            wide = path.sources is not None and found.address_classes.wide(path.sources)
            needs = frozenset(of[each] for each in path.needs)
            passages.append(Passage(number, at, path, needs, wide or path.via in PORTS))
    known = [own.prefix for own in resolved.addresses if own.prefix is not None]
    return Place(
        config.device.name,
        config.device.file,
        config,
        project,
        resolved,
        found,
        tuple(passages),
        tuple(Address(prefix.family, prefix.host) for prefix in known),
        tuple((prefix.family, prefix.low, prefix.high) for prefix in known),
        unsure,
    )


def _needing(places: Iterable[Place]) -> Mapping[int, tuple[Passage, ...]]:
    """The passages that need each secret."""
    found: dict[int, list[Passage]] = {}
    for place in places:
        for passage in place.passages:
            for secret in passage.needs:
                found.setdefault(secret, []).append(passage)
    return {secret: tuple(several) for secret, several in found.items()}
