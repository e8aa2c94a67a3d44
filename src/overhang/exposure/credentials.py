"""Items of knowledge: which a device has, and which are one because their passwords are provably equal."""

from overhang.model.stored_secret import Form, StoredSecret
from overhang.model.verification import plain_text, the_same
from overhang.simulate.resolve import ResolvedDevice

_MOST_TRIES = 500


class CredentialIndex:
    """The items of a device, numbered; provably equal ones have one number and all their names."""

    def __init__(self, resolved: ResolvedDevice) -> None:
        self._numbers: dict[str, int] = {}
        self.names: list[list[str]] = []
        self.stored: list[list[StoredSecret | None]] = []
        self.untried = 0
        groups: dict[object, list[tuple[str, StoredSecret | None]]] = {}
        for item, stored in _stored_credentials(resolved):
            groups.setdefault(_likeness(item, stored), []).append((item, stored))
        self._join_hashes(groups)
        for account in resolved.accounts:
            if account.keys:
                likeness = ("key", *sorted(each.value[:2] for each in account.keys))
                groups.setdefault(likeness, []).append((f"key:{account.name}", None))
        for members in groups.values():
            for item, stored in members:
                if item not in self._numbers:
                    self._add(item, stored, members[0][0])

    def _join_hashes(self, groups: dict[object, list[tuple[str, StoredSecret | None]]]) -> None:
        plains = [key for key in groups if isinstance(key, tuple) and key[0] == "plain"]
        tries = 0
        for key in [key for key in groups if isinstance(key, tuple) and key[0] == Form.HASHED.value]:
            hashed = groups[key][0][1]
            for plain in plains:
                other = groups[plain][0][1]
                tries += 1
                if tries > _MOST_TRIES:
                    self.untried += 1
                elif hashed is not None and other is not None and the_same(hashed, other):
                    groups[plain] += groups.pop(key)
                    break

    def _add(self, item: str, stored: StoredSecret | None, first: str) -> None:
        number = self._numbers.get(first)
        if number is None:
            number = len(self.names)
            self.names.append([])
            self.stored.append([])
        self._numbers[item] = number
        self.names[number].append(item)
        self.stored[number].append(stored)

    def has(self, item: str) -> bool:
        """Whether the item has a number already."""
        return item in self._numbers

    def number(self, item: str) -> int:
        """The number of an item; one that is not the device's own (a server's) gets the next."""
        found = self._numbers.get(item)
        if found is None:
            self._add(item, None, item)
            found = self._numbers[item]
        return found

    def known_as(self, number: int) -> str:
        """The item by all its names, ``a=b`` where several are one."""
        return "=".join(sorted(self.names[number]))

    def within(self, numbers: frozenset[int], knows: frozenset[str]) -> bool:
        """Whether somebody who knows ``knows`` knows all these items, by any of their names."""
        return all(any(name in knows for name in self.names[number]) for number in numbers)


def _stored_credentials(resolved: ResolvedDevice) -> list[tuple[str, StoredSecret | None]]:
    device = resolved.device
    found: dict[str, StoredSecret | None] = {}
    for entry in (device.console, device.auxiliary, *device.vtys.values()):
        if entry.password is not None:
            found.setdefault(entry.item, entry.password.value)
    for level, credential in resolved.elevations.items():
        found[f"elevation:{level}"] = credential.stored
    for account in resolved.accounts:
        if account.credential is not None:
            found[account.credential.item] = account.credential.stored
    for number, said in enumerate(device.snmp.communities, 1):
        found[f"community:{number}"] = said.value.password
    return list(found.items())


def _likeness(item: str, stored: StoredSecret | None) -> object:
    if stored is None or stored.form in (Form.WITHHELD, Form.NONE, Form.FACTORY):
        return item
    plain = plain_text(stored)
    if plain:
        return ("plain", plain)
    return item if plain == "" else (stored.form.value, stored.text)
