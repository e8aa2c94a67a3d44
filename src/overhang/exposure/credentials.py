"""Items of knowledge: which a device has, and which are one because their passwords are provably equal."""

from overhang.model.hash_budget import groups_of_equal
from overhang.model.stored_secret import StoredSecret
from overhang.simulation.resolve import ResolvedDevice


class CredentialIndex:
    """The items of a device, numbered; provably equal ones have one number and all their names."""

    def __init__(self) -> None:
        self._numbers: dict[str, int] = {}
        self.names: list[list[str]] = []
        self.stored: list[list[StoredSecret | None]] = []
        #: how many pairs of a clear text and a hash were not compared
        self.untried = 0

    @classmethod
    def of(cls, resolved: ResolvedDevice) -> "CredentialIndex":
        """The items of a device."""
        index = cls()
        index._fill(resolved)
        return index

    @classmethod
    def numbered(cls, names: list[list[str]], stored: list[list[StoredSecret | None]]) -> "CredentialIndex":
        """Items that are numbered already: for each number its names, and what is stored for each."""
        index = cls()
        index.names, index.stored = names, stored
        index._numbers = {name: number for number, several in enumerate(names) for name in several}
        return index

    def _fill(self, resolved: ResolvedDevice) -> None:
        forms = stored_credentials(resolved)
        groups, self.untried = groups_of_equal(forms.items(), resolved.hashes)
        for group in groups:
            for item in group:
                self._add(item, forms[item], group[0])
        by_key: dict[tuple[object, ...], str] = {}
        for account in resolved.accounts:
            for name, held in resolved.key_items(account):
                keys = tuple(sorted(each.value[:2] for each in held))
                self._add(name, None, by_key.setdefault(keys, name))
            for name, _ in resolved.certificate_items(account):
                self._add(name, None, name)

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


def stored_credentials(resolved: ResolvedDevice) -> dict[str, StoredSecret | None]:
    """What is stored for each item of a device that has a password."""
    found: dict[str, StoredSecret | None] = {}
    for credential in resolved.locks():
        found.setdefault(credential.item, credential.stored)
    for number, said in enumerate(resolved.device.snmp.communities, 1):
        found[f"community:{number}"] = said.value.password
    return found
