"""What the people of a project can do on a device: which ways in are open to them where they sit."""

from overhang.exposure.paths import AccessPath, AccessPaths
from overhang.model.vocabulary import PORTS
from overhang.project import Person, Project


def can_take(found: AccessPaths, path: AccessPath, person: Person, project: Project) -> bool:
    """Whether a person knows enough for a way, and sits where it can be taken; who sits nowhere is anywhere."""
    if not found.credentials.within(path.needs, frozenset(person.knows)):
        return False
    if not person.sits:
        return True
    if path.sources is None or path.via in PORTS:
        return path.via in person.sits
    networks = [prefix for endpoint in person.sits for prefix in project.networks.get(endpoint, ())]
    return any(path.sources & found.address_classes.holding(each.family, each.low, each.high) for each in networks)


def levels_of(found: AccessPaths, person: Person, project: Project) -> dict[str, int]:
    """The highest level that a person surely reaches by each way that is open to them, all servers being up."""
    levels: dict[str, int] = {}
    for path in found.paths:
        if path.sure and path.states & 1 and can_take(found, path, person, project):
            levels[path.via] = max(path.level, levels.get(path.via, -1))
    return levels
