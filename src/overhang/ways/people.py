"""What the people of a project can do on a device: which ways in are open to them where they sit."""

from overhang.login.setting import PORTS
from overhang.project import Person, Project
from overhang.ways.rows import Way, WaysIn


def can_take(found: WaysIn, way: Way, person: Person, project: Project) -> bool:
    """Whether a person knows enough for a way, and sits where it can be taken; who sits nowhere is anywhere."""
    if not found.items.within(way.needs, frozenset(person.knows)):
        return False
    if not person.sits:
        return True
    if way.sources is None or way.via in PORTS:
        return way.via in person.sits
    networks = [prefix for place in person.sits for prefix in project.networks.get(place, ())]
    return any(way.sources & found.space.holding(each.family, each.low, each.high) for each in networks)


def levels_of(found: WaysIn, person: Person, project: Project) -> dict[str, int]:
    """The highest level that a person surely reaches by each way that is open to them, all servers being up."""
    levels: dict[str, int] = {}
    for way in found.ways:
        if way.sure and way.states & 1 and can_take(found, way, person, project):
            levels[way.via] = max(way.level, levels.get(way.via, -1))
    return levels
