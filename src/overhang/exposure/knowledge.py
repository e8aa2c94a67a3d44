"""What people know, over all devices of a run: whoever knows a secret on one device knows every lock that it opens."""

from collections.abc import Sequence
from typing import NamedTuple

from overhang.exposure import AccessPaths
from overhang.exposure.secrets import Holdings, SecretIndex, find_secrets
from overhang.model.hash_budget import PER_RUN, HashBudget
from overhang.project import Person, Project
from overhang.simulation import ResolvedDevice


class Examined(NamedTuple):
    """One device of a run: its configuration resolved, its access paths, the project that holds for it."""

    resolved: ResolvedDevice
    found: AccessPaths
    project: Project


class Knowledge:
    """The secrets of a run, and what each person knows of them.

    ``untried`` counts the pairs of a clear text and a hash that could not be compared: somebody may know more.
    """

    def __init__(self, devices: Sequence[Examined], budget: HashBudget | None = None) -> None:
        self._devices = devices
        held = [Holdings.of(each.resolved, each.found) for each in devices]
        budget = budget or HashBudget(PER_RUN)
        for each in devices:
            budget.learn(each.resolved.hashes)
        self.index: SecretIndex = find_secrets(held, budget)
        self.untried = self.index.untried
        self._known: dict[tuple[str, str], frozenset[int]] = {}

    def of(self, device: int, person: Person) -> Person:
        """A person with all that they know on one of the devices."""
        own = self._devices[device]
        known = self._secrets(own.project, person)
        numbered = zip(own.found.credentials.names, self.index.of[device], strict=False)
        more = sorted({name for names, secret in numbered if secret in known for name in names} - set(person.knows))
        return person._replace(knows=(*person.knows, *more)) if more else person

    def people_of(self, device: int) -> Project:
        """The project of a device, with its people as they are there."""
        project = self._devices[device].project
        return project._replace(people={name: self.of(device, each) for name, each in project.people.items()})

    def readable(self, device: int) -> frozenset[str]:
        """The items of a device whose secret some configuration of the run discloses."""
        shown = frozenset[int]().union(*self.index.disclosed)
        numbered = zip(self._devices[device].found.credentials.names, self.index.of[device], strict=False)
        return frozenset(name for names, secret in numbered if secret in shown for name in names)

    def _secrets(self, project: Project, person: Person) -> frozenset[int]:
        """The numbers of the secrets that a person knows on any device under their project."""
        key = (project.file, person.name)
        if key not in self._known:
            self._known[key] = frozenset(
                secret
                for each, of in zip(self._devices, self.index.of, strict=True)
                if each.project.file == project.file
                for names, secret in zip(each.found.credentials.names, of, strict=False)
                if any(name in person.knows for name in names)
            )
        return self._known[key]


def untried_words(untried: int) -> str:
    """What is said where pairs of a clear text and a hash could not be compared."""
    pairs = f"{untried} pair{'s' if untried != 1 else ''} of a clear text and a hash"
    return f"{pairs} could not be compared, which would take too long; somebody may know more than is told"
