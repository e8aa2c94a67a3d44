"""Which secrets of two devices are one: provably kept, provably changed, or nobody can tell."""

from collections.abc import Iterator

from overhang.exposure import AccessPaths
from overhang.exposure.credentials import CredentialIndex
from overhang.exposure.secrets import Holdings, SecretIndex, find_secrets
from overhang.model.hash_budget import PER_DEVICE, HashBudget
from overhang.model.stored_secret import Form, StoredSecret
from overhang.model.verification import plain_text
from overhang.simulation import ResolvedDevice

KEPT, CHANGED, UNKNOWN = "kept", "changed", "unknown"
#: Forms that say all there is to know.
_PLAIN = (Form.NONE, Form.FACTORY, Form.UNOPENABLE)
Explored = tuple[ResolvedDevice, AccessPaths]


def compared(old: StoredSecret, new: StoredSecret, budget: HashBudget) -> str:
    """What became of a stored password: ``kept``, ``changed``, or ``unknown``."""
    if old == new:
        return UNKNOWN if old.form is Form.WITHHELD else KEPT
    texts = [plain_text(each) if each.form not in _PLAIN else None for each in (old, new)]
    if old.form in _PLAIN or new.form in _PLAIN:
        factory = Form.FACTORY in (old.form, new.form) and not (old.form in _PLAIN and new.form in _PLAIN)
        return UNKNOWN if factory else CHANGED
    for text, other in ((texts[0], new), (texts[1], old)):
        if text is None:
            continue
        answer = budget.opens(other, text) if other.form is Form.HASHED and not other.readable else None
        if answer is not None:
            return KEPT if answer else CHANGED
    if texts[0] is not None and texts[1] is not None:
        return KEPT if texts[0] == texts[1] else CHANGED
    for one, other in ((old, new), (new, old)):
        text = budget.opener(one)
        answer = None if text is None else budget.opens(other, text)
        if answer is not None:
            return KEPT if answer else CHANGED
    return UNKNOWN


class JointSecrets:
    """The secrets of two devices, either of which may be missing.

    ``of`` gives for each device the joint number of each of its own, ``items`` tells what became of the secret of each
    item that both have, ``indexes`` names the joint numbers as each device does.
    """

    def __init__(self, devices: tuple[Explored | None, Explored | None], budget: HashBudget | None = None) -> None:
        there = [each for each in devices if each is not None]
        budget = budget or HashBudget(PER_DEVICE)
        for each in there:
            budget.learn(each[0].hashes)
        index: SecretIndex = find_secrets([Holdings.of(*each) for each in there], budget)
        self.budget, self.untried = budget, index.untried
        own = iter(index.of)
        numbers = [() if each is None else next(own) for each in devices]
        self.items: dict[str, str] = {}
        same: dict[int, int] = {}
        self._maybe: dict[int, int] = {}
        #: whether of some secret nobody can tell whether it was changed
        self.may_be_one = False
        if devices[0] is not None and devices[1] is not None:
            for name, old, new in _shared(devices[0], devices[1]):
                one, other = numbers[0][old], numbers[1][new]
                told = KEPT if one == other else self._told(devices[0], devices[1], name, budget)
                withheld = told == UNKNOWN and _withheld(devices[0], name) and _withheld(devices[1], name)
                if told == KEPT or withheld:
                    _join(same, one, other)
                if told != CHANGED:
                    _join(self._maybe, one, other)
                    self.may_be_one = self.may_be_one or (told == UNKNOWN and not withheld)
                self.items[name] = told
        self.of = tuple(tuple(_root(same, each) for each in held) for held in numbers)
        self.indexes = tuple(
            self._index(devices, side, max((*self.of[0], *self.of[1]), default=-1) + 1) for side in (0, 1)
        )

    def alike(self, needs: frozenset[int]) -> frozenset[int]:
        """Needs where whatever may be one secret is one."""
        if not self.may_be_one:
            return needs
        return frozenset(_root(self._maybe, each) if each >= 0 else each for each in needs)

    @staticmethod
    def _told(old: Explored, new: Explored, name: str, budget: HashBudget) -> str:
        held = [_stored(each, name) for each in (old, new)]
        if held[0] is None or held[1] is None:
            kind = name.partition(":")[0]
            if kind in ("key", "certificate"):
                return KEPT if _keys(old[0], name) == _keys(new[0], name) else CHANGED
            return KEPT if _servers(old[0], name) == _servers(new[0], name) else UNKNOWN
        return compared(held[0], held[1], budget)

    def _index(self, devices: tuple[Explored | None, Explored | None], side: int, count: int) -> CredentialIndex:
        """The joint secrets by the names that they have on a device, or else on the other."""
        names: list[list[str]] = [[] for _ in range(count)]
        stored: list[list[StoredSecret | None]] = [[] for _ in range(count)]
        for which in (side, 1 - side):
            device = devices[which]
            filled = [bool(each) for each in names]
            for own, number in enumerate(self.of[which]):
                if device is not None and not filled[number]:
                    names[number] += device[1].credentials.names[own]
                    stored[number] += device[1].credentials.stored[own]
        return CredentialIndex.numbered(names, stored)


def _shared(old: Explored, new: Explored) -> Iterator[tuple[str, int, int]]:
    """The items that both devices have, with the number that each has there."""
    numbers = [
        {name: number for number, several in enumerate(each[1].credentials.names) for name in several}
        for each in (old, new)
    ]
    for name, number in numbers[0].items():
        if name in numbers[1]:
            yield name, number, numbers[1][name]


def _stored(device: Explored, name: str) -> StoredSecret | None:
    index = device[1].credentials
    number = index.number(name)
    return index.stored[number][index.names[number].index(name)]


def _withheld(device: Explored, name: str) -> bool:
    stored = _stored(device, name)
    return stored is not None and stored.form is Form.WITHHELD


def _keys(device: ResolvedDevice, name: str) -> object:
    for account in device.accounts:
        for item, held in (*device.key_items(account), *device.certificate_items(account)):
            if item == name:
                return sorted(each.value[:2] for each in held)
    return None


def _servers(device: ResolvedDevice, name: str) -> object:
    group, _, _ = name.removeprefix("server:").partition("/")
    held = device.device.groups.get(group)
    return sorted(each.value.address for each in held.servers) if held is not None else None


def _root(above: dict[int, int], number: int) -> int:
    while above.get(number, number) != number:
        number = above[number]
    return number


def _join(above: dict[int, int], one: int, other: int) -> None:
    one, other = _root(above, one), _root(above, other)
    above[max(one, other)] = min(one, other)
