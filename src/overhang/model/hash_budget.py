"""What trying hashes may cost, and which stored passwords are provably the same, as far as that goes.

The cost is reckoned from the hashes, not taken from a clock, so that a run is the same everywhere.
"""

import hashlib
from collections.abc import Collection, Iterable, Mapping, Sequence
from typing import TypeVar

from overhang.model.stored_secret import Form, StoredSecret
from overhang.model.verification import COMMON_MEMORY, cost_of, opens, plain_text

T = TypeVar("T")

#: By default a device may cost this, in units of about a millisecond of a common hash; and all devices of a run that.
PER_DEVICE, PER_RUN = 1_000, 30_000
#: So that an audit of many devices takes no longer for it, their share falls with the square of their number, to this
#: for all of them together; what they have to be held against one another falls on, to a tenth of that.
_FALLING, _AT_LEAST = 600_000, 2_000


class HashBudget:
    """What trying hashes may still cost for one device, in units of about a millisecond of a common hash.

    Whatever tries a hash of the device asks here: names, passwords in clear text, common passwords. A pair that was
    tried costs nothing again. ``asked``: somebody set the budget, so hashes that take much memory are tried too.
    """

    def __init__(self, units: int = PER_DEVICE, *, asked: bool = False) -> None:
        self.units = self.left = units
        self.asked = asked
        #: the budgets under which whatever was asked of this one would have come to the same
        self.least, self.most = 0, 2**62
        self._remembered: tuple[bytes, Mapping[bytes, bool | None]] = (b"", {})
        self._learnt: dict[bytes, bool | None] = {}
        self._tried: dict[str, dict[str, bool | None]] = {}
        self._openers: dict[str, str] = {}

    def fresh(self) -> "HashBudget":
        """A budget of the same size, of which nothing is spent."""
        return HashBudget(self.units, asked=self.asked)

    def affords(self, stored: StoredSecret) -> bool:
        """Whether one more password can be tried with a stored one; only hashes cost anything."""
        if stored.form is not Form.HASHED:
            return True
        cost, memory = cost_of(stored.text)
        if memory > COMMON_MEMORY and not self.asked:
            return False
        needed = self.units - self.left + cost
        if cost <= self.left:
            self.least = max(self.least, needed)
            return True
        self.most = min(self.most, needed - 1)
        return False

    def opens(self, stored: StoredSecret, typed: str) -> bool | None:
        """Whether ``typed`` opens ``stored``; None where that is unknown, or trying costs more than is left."""
        if stored.form is not Form.HASHED:
            return opens(stored, typed)
        answers = self._tried.setdefault(stored.text, {})
        if typed not in answers and self._remembered[1]:
            key, known = self._remembered
            pair = pair_digest(key, stored.text, typed)
            if pair in known:
                answers[typed] = known[pair]
        if typed not in answers:
            if not self.affords(stored):
                return None
            self.left -= cost_of(stored.text)[0]
            answers[typed] = opens(stored, typed, most=None)
            if answers[typed]:
                self._openers[stored.text] = typed
        return answers[typed]

    def learn(self, other: "HashBudget") -> None:
        """Take over what another budget's pairs came to, so that none of them is tried again."""
        for text, answers in other._tried.items():
            self._tried.setdefault(text, {}).update(answers)
        self._openers.update(other._openers)
        key, known = other._remembered
        if known:
            self._learnt.update(known if self._learnt else {**self._remembered[1], **known})
            self._remembered = (key, self._learnt)

    def digests(self, key: bytes) -> dict[bytes, bool | None]:
        """What pairs of a hash and a text came to, by digests of the pairs that open neither."""
        pairs = ((text, typed, answer) for text, answers in self._tried.items() for typed, answer in answers.items())
        found = {pair_digest(key, text, typed): answer for text, typed, answer in pairs}
        return {**found, **{_opened_digest(key, text): True for text in self._openers}}

    @classmethod
    def remembering(cls, key: bytes, digests: Mapping[bytes, bool | None]) -> "HashBudget":
        """A budget that can try nothing, and knows the answers behind some digests."""
        budget = cls(0)
        budget._remembered = (key, digests)
        return budget

    def tried(self, stored: StoredSecret | None, plains: Sequence[tuple[str, str]]) -> int:
        """How many of some clear texts were tried with a hash."""
        tried = self._tried.get(stored.text) if stored is not None else None
        return 0 if tried is None else sum(plain[1] in tried for plain in plains)

    def opener(self, stored: StoredSecret | None) -> str | None:
        """What was found to open a hash, if anything was."""
        return None if stored is None else self._openers.get(stored.text)

    def opener_among(self, stored: StoredSecret, texts: Collection[str]) -> str | None:
        """That of some texts that was found to open a hash, if one was."""
        found = self._openers.get(stored.text)
        key, known = self._remembered
        if found is None and _opened_digest(key, stored.text) in known:
            found = next((text for text in texts if known.get(pair_digest(key, stored.text, text))), None)
        return found if found is not None and found in texts else None


def pair_digest(key: bytes, text: str, typed: str) -> bytes:
    """What stands for a pair of a hash and a text that was tried with it, under a key."""
    pair = f"{text}\0{typed}".encode("utf-8", "surrogatepass")
    return hashlib.blake2b(pair, key=key, digest_size=16).digest()


def _opened_digest(key: bytes, text: str) -> bytes:
    """What stands for a hash of which it is known what opens it."""
    return hashlib.blake2b(text.encode("utf-8", "surrogatepass"), key=key, digest_size=16, person=b"opened").digest()


def share_of(asked: int | None, devices: int) -> HashBudget:
    """The budget of each of a run's devices: an equal part of what was asked for, or by default one that is less the
    more there are.

    It depends on nothing but their number, so that it does not matter which is looked at first, or by whom.
    """
    if asked is not None:
        return HashBudget(asked // max(1, devices), asked=True)
    return HashBudget(_share(devices))


def _share(devices: int) -> int:
    return min(PER_DEVICE, max(_AT_LEAST // max(1, devices), _FALLING // max(1, devices**2)))


def together_of(devices: int) -> HashBudget:
    """The budget for holding the passwords of an audit's devices against one another."""
    half = min(_share(devices) * devices, _FALLING // max(1, devices)) // 2
    return HashBudget(min(PER_RUN // 6, max(_AT_LEAST // 10, half)))


def groups_of_equal(secrets: Iterable[tuple[T, StoredSecret | None]], budget: HashBudget) -> tuple[list[list[T]], int]:
    """Things with stored passwords, grouped by provably equal passwords; and how many comparisons were left out.

    Equal texts, behind any form, are found at once. Then each distinct hash is tried with each distinct clear text, as
    far as the budget goes. What has no password (None), an unknown or an empty one stands alone.
    """
    groups: dict[object, list[tuple[T, StoredSecret | None]]] = {}
    for number, (thing, stored) in enumerate(secrets):
        groups.setdefault(_equality_key(stored, number), []).append((thing, stored))
    plains = [key for key in groups if isinstance(key, tuple) and key[0] == "plain"]
    hashes = [key for key in groups if isinstance(key, tuple) and key[0] == Form.HASHED.value]
    untried = 0
    for key in hashes:
        stored = groups[key][0][1]
        known = budget.opener(stored)
        if known is not None and ("plain", known) in groups:
            groups["plain", known] += groups.pop(key)
            continue
        for number, plain in enumerate(plains):
            if stored is None or not budget.affords(stored):
                untried += len(plains) - number - budget.tried(stored, plains[number:])
                break
            if budget.opens(stored, plain[1]):
                groups[plain] += groups.pop(key)
                break
    return [[thing for thing, _ in group] for group in groups.values()], untried


def _equality_key(stored: StoredSecret | None, number: int) -> object:
    if stored is None or stored.form in (Form.WITHHELD, Form.NONE, Form.FACTORY, Form.UNOPENABLE):
        return number
    plain = plain_text(stored)
    if plain:
        return "plain", plain
    return number if plain == "" else (stored.form.value, stored.text)
