"""The network that something spreads over: devices with their access paths, and the secrets that they share."""

import datetime
from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import NamedTuple

from overhang.exposure import AccessPath, AccessPaths, find_paths, resolve
from overhang.exposure.address_classes import AddressClasses
from overhang.exposure.credentials import stored_credentials
from overhang.exposure.secrets import Along, Holdings, SecretIndex, find_secrets, shared_secrets, silently
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


class NetworkPart(NamedTuple):
    """What of one device a network is made of, without the device: small, and fit to be sent and kept.

    ``paths`` are the certain access paths that hold with all servers up and no VTY in use, each with its number and
    whether an address that no list names may take it; ``space`` is what their sources are sets of. ``own`` are the
    device's addresses, ``networks`` the prefixes that they are in, ``hashes`` what trying its hashes came to.
    """

    name: str
    file: str
    project: str
    locks: Holdings
    paths: tuple[tuple[int, AccessPath, bool], ...]
    space: AddressClasses
    own: tuple[Address, ...]
    networks: tuple[tuple[int, int, int], ...]
    unsure: int
    complete: bool
    hashes: HashBudget
    #: whether its secrets are left out
    bare: bool = False

    @classmethod
    def of(cls, made: Made) -> "NetworkPart":
        """That of a device that was resolved and explored."""
        config, project, resolved, found = made
        known = [own.prefix for own in resolved.addresses if own.prefix is not None]
        return cls(
            config.device.name,
            config.device.file,
            project.file,
            Holdings.of(resolved, found),
            tuple(_passable(found)),
            found.address_classes,
            tuple(Address(prefix.family, prefix.host) for prefix in known),
            tuple((prefix.family, prefix.low, prefix.high) for prefix in known),
            sum(not path.sure for path in found.paths),
            found.complete,
            resolved.hashes,
        )

    def with_secrets(self, resolved: ResolvedDevice) -> "NetworkPart":
        """The same part with the secrets that a device has in the places of its items."""
        held = stored_credentials(resolved)
        stored = [[held.get(name) for name in names] for names in self.locks.names]
        return self.holding(self.locks._replace(stored=stored, shared=tuple(shared_secrets(resolved))))

    def holding(self, locks: Holdings) -> "NetworkPart":
        """The same part with its items and their secrets."""
        return self._replace(locks=locks, bare=False)

    def without_secrets(self) -> "NetworkPart":
        """The same part without what is stored for its items, and what their hashes came to."""
        locks = self.locks._replace(stored=[[None] * len(names) for names in self.locks.names], shared=())
        return self._replace(locks=locks, hashes=HashBudget(0), bare=True)


def _passable(found: AccessPaths) -> Iterator[tuple[int, AccessPath, bool]]:
    for at, path in enumerate(found.paths):
        if path.sure and not path.needs_busy and path.states & found.all_up:
            wide = path.sources is not None and found.address_classes.wide(path.sources)
            yield at, path, wide or path.via in PORTS


class Passage(NamedTuple):
    """One access path of a device, with the secrets that it needs. ``sources`` are classes of its sources, None at a
    port; ``wide``: an address that no list names may take it."""

    device: int
    number: int
    path: AccessPath
    needs: frozenset[int]
    wide: bool


class Place(NamedTuple):
    """One device of the network: its part of it, and its passages. ``made`` is the device itself, None where only the
    part was kept."""

    part: NetworkPart
    project: Project
    passages: tuple[Passage, ...]
    made: Made | None = None

    @property
    def name(self) -> str:
        """The device's name."""
        return self.part.name

    @property
    def own(self) -> tuple[Address, ...]:
        """Its addresses."""
        return self.part.own

    @property
    def device(self) -> Made:
        """The device itself: its configuration, project, values and access paths."""
        assert self.made is not None, "only the device's part of the network was kept"
        return self.made


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
    parts = [NetworkPart.of(each) for each in made]
    return world_of(parts, {project.file: project for _, project in given}, budget, along, made)


def world_of(
    parts: Sequence[NetworkPart],
    projects: Mapping[str, Project],
    budget: HashBudget,
    along: Along = silently,
    made: Sequence[Made] = (),
) -> World:
    """The network of devices' parts; ``projects`` are those that hold for them, by file, ``made`` the devices
    themselves where they are kept."""
    index = find_secrets([part.locks for part in parts], budget, along)
    places = tuple(
        Place(part, projects[part.project], _passages(number, part, index), made[number] if made else None)
        for number, part in enumerate(parts)
    )
    apart = tuple(pair for project in projects.values() for pair in _apart(project))
    return World(places, index, tuple(place.name for place in places), _needing(places), apart)


def _apart(project: Project) -> list[tuple[tuple[tuple[int, int, int], ...], tuple[tuple[int, int, int], ...]]]:
    def ranges(name: str) -> tuple[tuple[int, int, int], ...]:
        return tuple((each.family, each.low, each.high) for each in project.networks.get(name, ()))

    return [(ranges(one), ranges(other)) for one, other in project.apart]


def _passages(number: int, part: NetworkPart, index: SecretIndex) -> tuple[Passage, ...]:
    of = index.of[number]
    return tuple(
        Passage(number, at, path, frozenset(of[each] for each in path.needs), wide) for at, path, wide in part.paths
    )


def _needing(places: Iterable[Place]) -> Mapping[int, tuple[Passage, ...]]:
    """The passages that need each secret."""
    found: dict[int, list[Passage]] = {}
    for place in places:
        for passage in place.passages:
            for secret in passage.needs:
                found.setdefault(secret, []).append(passage)
    return {secret: tuple(several) for secret, several in found.items()}
