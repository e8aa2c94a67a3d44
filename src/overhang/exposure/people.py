"""What the people of a project can do on a device: which access paths are open to them from their networks."""

from overhang.exposure.paths import AccessPath, AccessPaths
from overhang.model.vocabulary import PORTS
from overhang.project import Person, Project


def can_take(found: AccessPaths, path: AccessPath, person: Person, project: Project) -> bool:
    """Whether a person knows enough for a path and has a source that it allows; without configured networks, any
    source."""
    if not found.credentials.within(path.needs, frozenset(person.knows)):
        return False
    if not person.sits:
        return True
    if path.sources is None or path.via in PORTS:
        return path.via in person.sits
    networks = [prefix for endpoint in person.sits for prefix in project.networks.get(endpoint, ())]
    return any(path.sources & found.address_classes.holding(each.family, each.low, each.high) for each in networks)


def levels_of(found: AccessPaths, person: Person, project: Project) -> dict[str, int]:
    """The highest level that a person surely reaches by each way that is open to them, at some time of day, with all
    servers up and no VTY in use."""
    levels: dict[str, int] = {}
    for path in found.paths:
        if path.sure and not path.needs_busy and path.states & found.all_up and can_take(found, path, person, project):
            levels[path.via] = max(path.level, levels.get(path.via, -1))
    return levels
