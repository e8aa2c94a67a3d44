"""Which locks of a whole network have one secret: provably equal passwords, keys and shared secrets.

Equal texts are found at once: the same clear text behind any form, the same hash, the same foreign masking, the same
public key. Then clear texts that stand anywhere in the network are tried against the hashes, the cheapest first, within
the budget of the run; a pair is tried once.
"""

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import NamedTuple, Protocol, TypeVar

from overhang.exposure import AccessPaths
from overhang.model.hash_budget import HashBudget
from overhang.model.stored_secret import Form, StoredSecret
from overhang.model.verification import cost_of, plain_text
from overhang.simulation import ResolvedDevice

T = TypeVar("T")

_ALONE = (Form.WITHHELD, Form.NONE, Form.FACTORY, Form.UNOPENABLE, Form.OPAQUE)


class Holdings(NamedTuple):
    """What of one device its secrets are found by: its items, by number, each with all its names and what is stored for
    each of them.

    ``keys`` and ``servers`` tell by name what makes a key, or an account of a server, the same one on two devices;
    ``shared`` are the secrets that it shares with its AAA servers.
    """

    names: Sequence[Sequence[str]]
    stored: Sequence[Sequence[StoredSecret | None]]
    keys: Mapping[str, object]
    servers: Mapping[str, object]
    shared: Sequence[tuple[str, StoredSecret]]

    @classmethod
    def of(cls, resolved: ResolvedDevice, found: AccessPaths) -> "Holdings":
        """Those of a device that was explored."""
        names = found.credentials.names
        servers = [each for several in names for each in several if each.startswith("server:")]
        return cls(
            names,
            found.credentials.stored,
            public_keys(resolved),
            {each: server_key(resolved, each) for each in servers},
            tuple(shared_secrets(resolved)),
        )


class Lock(NamedTuple):
    """One item of a device: what knowing its secret opens. ``readable``: the configuration discloses it."""

    device: int
    item: str
    readable: bool


class Secret(NamedTuple):
    """One distinct secret: its number, the locks that it opens, the first of which names it."""

    number: int
    locks: tuple[Lock, ...]


class SecretIndex(NamedTuple):
    """All secrets of a network. ``of`` gives for each device the secret of each of its items' numbers, ``disclosed``
    those that its configuration shows readable, or masked our own way.

    ``untried`` counts the pairs of a clear text and a hash that the budget did not allow, ``left`` are the hashes among
    them, ``kinds`` counts these by their kind.
    """

    secrets: tuple[Secret, ...]
    of: tuple[tuple[int, ...], ...]
    disclosed: tuple[frozenset[int], ...]
    texts: Mapping[int, str]
    hashes: Mapping[int, tuple[StoredSecret, ...]]
    untried: int
    kinds: Mapping[str, int]
    left: frozenset[str]

    def opened_by(self, typed: str, budget: HashBudget) -> tuple[frozenset[int], int]:
        """The secrets that a typed text is, for sure; and how many hashes it could not be tried with."""
        found = {number for number, text in self.texts.items() if text == typed}
        left = 0
        for number, several in sorted(self.hashes.items(), key=lambda each: _cost(each[1][0])):
            for stored in several:
                answer = budget.opens(stored, typed)
                left += answer is None
                if answer:
                    found.add(number)
                    break
        return frozenset(found), left


def _cost(stored: StoredSecret) -> int:
    return cost_of(stored.text)[0]


class _Sets:
    """Sets that are joined: each thing's representative is the least of its set."""

    def __init__(self) -> None:
        self._above: dict[object, object] = {}

    def find(self, thing: object) -> object:
        above = self._above.setdefault(thing, thing)
        while above != self._above[above]:
            self._above[above] = self._above[self._above[above]]
            above = self._above[above]
        self._above[thing] = above
        return above

    def join(self, one: object, other: object) -> None:
        self._above[self.find(one)] = self.find(other)


class Along(Protocol):
    """Goes through things one after another, and may show how far it is; ``what`` is being done with them."""

    def __call__(self, things: Sequence[T], what: str) -> Iterable[T]:
        """The things, in their order."""


def silently(things: Sequence[T], what: str) -> Iterable[T]:
    """Go through things without showing it."""
    del what
    return things


def find_secrets(devices: Sequence[Holdings], budget: HashBudget, along: Along = silently) -> SecretIndex:
    """The secrets of devices."""
    sets = _Sets()
    texts: dict[str, object] = {}
    hashes: dict[str, StoredSecret] = {}
    for device, held in enumerate(devices):
        for number, several in enumerate(held.stored):
            mine = (device, number)
            sets.find(mine)
            for name in held.names[number]:
                if name in held.keys:
                    sets.join(mine, ("key", held.keys[name]))
                if name in held.servers:
                    sets.join(mine, ("server", held.servers[name]))
            for stored in several:
                if stored is None or stored.form in _ALONE:
                    continue
                plain = plain_text(stored)
                if plain:
                    texts.setdefault(plain, ("text", plain))
                    sets.join(mine, ("text", plain))
                elif stored.form is Form.HASHED:
                    hashes.setdefault(stored.text, stored)
                    sets.join(mine, (stored.form.value, stored.text))
                elif plain is None:
                    sets.join(mine, (stored.form.value, stored.text))
        for name, stored in held.shared:
            plain = plain_text(stored)
            if plain:
                texts.setdefault(plain, ("text", plain))
                sets.join(("shared", device, name), ("text", plain))
    untried, left = _try_hashes(texts, hashes, sets, budget, along)
    return _numbered(devices, sets, hashes, untried, left)


def public_keys(resolved: ResolvedDevice) -> dict[str, object]:
    """The bytes of the keys behind each item that a private key opens."""
    return {
        name: tuple(sorted(each.value[:2] for each in held))
        for account in resolved.accounts
        for name, held in resolved.key_items(account)
    }


def shared_secrets(resolved: ResolvedDevice) -> Iterator[tuple[str, StoredSecret]]:
    """The shared secrets of a device's AAA servers: no lock of its own, but often somebody's password too."""
    for name, group in sorted(resolved.device.groups.items()):
        for each in group.servers:
            if each.value.secret is not None:
                yield f"shared:{name}/{each.value.address}", each.value.secret


def server_key(resolved: ResolvedDevice, name: str) -> object:
    """What makes an account of a server the same one on two devices: the servers of its group, and its name."""
    group, _, account = name.removeprefix("server:").partition("/")
    held = resolved.device.groups.get(group)
    addresses = tuple(sorted(each.value.address for each in held.servers)) if held is not None else ()
    return (addresses or group, account)


def _try_hashes(
    texts: Mapping[str, object], hashes: Mapping[str, StoredSecret], sets: _Sets, budget: HashBudget, along: Along
) -> tuple[int, set[str]]:
    """Try the clear texts of the network against its hashes, the cheapest hash first."""
    untried, left = 0, set[str]()
    cheapest = sorted(hashes.values(), key=lambda each: (_cost(each), each.text))
    for stored in along(cheapest, "comparing passwords"):
        known = budget.opener_among(stored, texts)
        if known is not None:
            sets.join((stored.form.value, stored.text), texts[known])
            continue
        for number, (text, key) in enumerate(texts.items()):
            answer = budget.opens(stored, text)
            if answer:
                sets.join((stored.form.value, stored.text), key)
                break
            if answer is None and not budget.affords(stored):
                untried += len(texts) - number
                left.add(stored.text)
                break
    return untried, left


def kind_of(text: str) -> str:
    """The kind of a hash, like ``$6$``."""
    return text[:6].rpartition("$")[0] + "$"


def _numbered(
    devices: Sequence[Holdings],
    sets: _Sets,
    hashes: Mapping[str, StoredSecret],
    untried: int,
    left: set[str],
) -> SecretIndex:
    numbers: dict[object, int] = {}
    locks: list[list[Lock]] = []
    texts: dict[int, str] = {}
    held: dict[int, dict[str, StoredSecret]] = {}
    of: list[tuple[int, ...]] = []
    disclosed: list[frozenset[int]] = []
    for device, own in enumerate(devices):
        mine: list[int] = []
        shown: set[int] = set()
        for number, several in enumerate(own.stored):
            root = sets.find((device, number))
            secret = numbers.setdefault(root, len(numbers))
            if secret == len(locks):
                locks.append([])
            mine.append(secret)
            plains = [plain for each in several if each is not None and (plain := plain_text(each))]
            if plains:
                texts[secret] = plains[0]
            for name, stored in zip(own.names[number], several, strict=True):
                readable = stored is not None and bool(plain_text(stored))
                locks[secret].append(Lock(device, name, readable))
                shown |= {secret} if readable else set()
                if stored is not None and stored.text in hashes:
                    held.setdefault(secret, {})[stored.text] = stored
        for name, stored in own.shared:
            if plain_text(stored):
                secret = numbers.setdefault(sets.find(("shared", device, name)), len(numbers))
                if secret == len(locks):
                    locks.append([])
                locks[secret].append(Lock(device, name, True))
                texts[secret] = plain_text(stored) or ""
                shown.add(secret)
        of.append(tuple(mine))
        disclosed.append(frozenset(shown))
    secrets = tuple(Secret(number, tuple(each)) for number, each in enumerate(locks))
    every = {number: tuple(each.values()) for number, each in held.items()}
    kinds = Counter(kind_of(text) for text in left)
    return SecretIndex(secrets, tuple(of), tuple(disclosed), texts, every, untried, kinds, frozenset(left))


def names_of(index: SecretIndex, names: Sequence[str], secrets: Iterable[int]) -> list[str]:
    """What secrets are called: the device and the item of the first lock of each."""
    found = []
    for each in secrets:
        lock = index.secrets[each].locks[0]
        found.append(f"{names[lock.device]}/{lock.item}")
    return found
