"""What somebody starts with: secrets that they know, places where they sit, addresses that they come from."""

from collections.abc import Mapping, Sequence
from typing import NamedTuple

from overhang.model import Address
from overhang.model.hash_budget import HashBudget
from overhang.model.vocabulary import PORTS
from overhang.project import Project
from overhang.spread.world import World
from overhang.text import OverhangError, did_you_mean


class BadStart(OverhangError):
    """A start that names something that is not there; the message says what, and what may be meant."""


class Start(NamedTuple):
    """Where somebody begins.

    ``secrets`` are numbers of the world's secrets, ``sources`` addresses that they come from, ``networks`` all
    addresses of ranges; without any, they come from an address that no source list names, or with ``anywhere`` from
    whichever is let in. ``ports`` are devices at whose ports they stand, ``sits`` single ports of devices that are
    open to them; with ``nowhere`` they come from no address at all. ``at`` are devices that count as the start
    itself, so that reaching them is nothing new. ``label`` says it in words, ``untried`` counts hashes that a typed
    text could not be tried with.
    """

    secrets: frozenset[int]
    sources: tuple[Address, ...] = ()
    ports: frozenset[int] = frozenset()
    at: frozenset[int] = frozenset()
    label: str = "an outsider who knows nothing"
    untried: int = 0
    anywhere: bool = False
    sits: frozenset[tuple[int, str]] = frozenset()
    nowhere: bool = False
    networks: tuple[tuple[int, int, int], ...] = ()

    @property
    def where(self) -> str:
        """From where, in words."""
        if self.networks:
            return "from where they sit"
        if self.nowhere:
            return "at ports alone"
        if self.sources:
            return "from " + ", ".join(str(each) for each in self.sources[:3]) + (", ..." if self.sources[3:] else "")
        return "from anywhere" if self.anywhere else "from an address that no source list names"


def find_device(world: World, name: str) -> int:
    """The number of a device, by its name or its file. Raises BadStart."""
    for number, device in enumerate(world.devices):
        if name in (device.name, device.part.file):
            return number
    near = did_you_mean(name, [device.name for device in world.devices])
    raise BadStart(f"no device is called {name}" + (f"; did you mean {near}?" if near else ""))


def know_item(world: World, text: str) -> tuple[int, int]:
    """The device and the secret of an item ``DEVICE/ITEM``. Raises BadStart."""
    name, _, item = text.partition("/")
    device = find_device(world, name)
    found = world.devices[device].part.locks
    for number, names in enumerate(found.names):
        if item in names:
            return device, world.secrets.of[device][number]
    near = did_you_mean(item, sorted(each for names in found.names for each in names))
    raise BadStart(f"{name} has no item {item}" + (f"; did you mean {near}?" if near else ""))


def know_typed(world: World, texts: Sequence[str], budget: HashBudget) -> tuple[frozenset[int], int]:
    """The secrets that typed texts are, and how many hashes could not be tried."""
    secrets: set[int] = set()
    untried = 0
    for text in texts:
        found, left = world.secrets.opened_by(text, budget)
        secrets |= found
        untried += left
    return frozenset(secrets), untried


def person_of(
    world: World, project: Project, name: str
) -> tuple[frozenset[int], tuple[tuple[int, int, int], ...], frozenset[tuple[int, str]]]:
    """What a person of the project file knows on every device, the networks where they sit, and at which ports.

    Raises BadStart.
    """
    person = project.people.get(name)
    if person is None:
        near = did_you_mean(name, list(project.people))
        raise BadStart(f"no person of the project file is called {name}" + (f"; did you mean {near}?" if near else ""))
    secrets = frozenset(
        world.secrets.of[number][item]
        for number, device in enumerate(world.devices)
        for item, names in enumerate(device.part.locks.names)
        if any(each in person.knows for each in names)
    )
    networks = [prefix for place in person.sits for prefix in project.networks.get(place, ())]
    ranges = tuple((prefix.family, prefix.low, prefix.high) for prefix in networks)
    ways = [place for place in person.sits if place in PORTS]
    devices = [number for number, device in enumerate(world.devices) if device.project.file == project.file]
    return secrets, ranges, frozenset((number, via) for number in devices for via in ways)


def people_knowing(world: World) -> Mapping[int, list[str]]:
    """For each secret the people of the project files who know it, in the order of their names."""
    found: dict[int, set[str]] = {}
    for project in {place.project.file: place.project for place in world.devices}.values():
        for name in project.people:
            for secret in person_of(world, project, name)[0]:
                found.setdefault(secret, set()).add(name)
    return {secret: sorted(names) for secret, names in found.items()}
