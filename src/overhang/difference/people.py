"""What two devices mean for the people of a project: the level that each reaches before and after, and the ways."""

from typing import NamedTuple

from overhang.difference.secrets import CHANGED, UNKNOWN, JointSecrets
from overhang.exposure import AccessPaths, can_take
from overhang.project import Person, Project


class PersonChange(NamedTuple):
    """One person: the highest level that they surely reach ``before`` and ``after``, None where they do not get in.

    ``ways`` are those whose level changes, each with both levels. ``relearn`` are the items that they know and whose
    secret was changed, ``perhaps`` those of which nobody can tell. Not ``sure``: they may reach more than is told.
    """

    name: str
    before: int | None
    after: int | None
    ways: tuple[tuple[str, int | None, int | None], ...] = ()
    relearn: tuple[str, ...] = ()
    perhaps: tuple[str, ...] = ()
    sure: bool = True

    @property
    def locked_out(self) -> bool:
        """Whether they got in before, and no longer do for sure."""
        return self.before is not None and self.after is None

    @property
    def stopped(self) -> tuple[str, ...]:
        """The ways by which they no longer get in."""
        return tuple(via for via, before, after in self.ways if before is not None and after is None)

    @property
    def changed(self) -> bool:
        """Whether anything changes for them."""
        return bool(self.ways or self.relearn)


def compare_people(
    old: tuple[AccessPaths, Project] | None, new: tuple[AccessPaths, Project] | None, secrets: JointSecrets
) -> tuple[PersonChange, ...]:
    """Everybody whom either project names."""
    sides = [None if each is None else each[1].people for each in (old, new)]
    names = dict.fromkeys(name for people in sides if people is not None for name in people)
    return tuple(_compared(name, old, new, secrets) for name in names)


def _compared(
    name: str, old: tuple[AccessPaths, Project] | None, new: tuple[AccessPaths, Project] | None, secrets: JointSecrets
) -> PersonChange:
    known: dict[str, None] = {}
    levels: list[tuple[dict[str, int], dict[str, int]]] = []
    for each in (old, new):
        person = None if each is None else each[1].people.get(name)
        if each is None or person is None:
            levels.append(({}, {}))
            continue
        known.update(dict.fromkeys(person.knows))
        levels.append(reached(each[0], person, each[1]))
    (before, before_most), (after, after_most) = levels
    ways = []
    for via in dict.fromkeys((*before, *after)):
        if before.get(via) != after.get(via):
            ways.append((via, before.get(via), after.get(via)))
    return PersonChange(
        name,
        max(before.values(), default=None),
        max(after.values(), default=None),
        tuple(ways),
        tuple(item for item in known if secrets.items.get(item) == CHANGED),
        tuple(item for item in known if secrets.items.get(item) == UNKNOWN),
        before == before_most and after == after_most,
    )


def reached(found: AccessPaths, person: Person, project: Project) -> tuple[dict[str, int], dict[str, int]]:
    """The highest level that a person surely reaches by each way, and the highest that they may: with all servers up,
    and no VTY in use."""
    surely: dict[str, int] = {}
    perhaps: dict[str, int] = {}
    for path in found.paths:
        if not path.needs_busy and path.states & found.all_up and can_take(found, path, person, project):
            perhaps[path.via] = max(path.level, perhaps.get(path.via, -1))
            if path.sure:
                surely[path.via] = max(path.level, surely.get(path.via, -1))
    return surely, perhaps
