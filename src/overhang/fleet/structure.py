"""The structure of a device: all that its audit depends on, without what its names, addresses, secrets and lines are.

Two devices of one structure differ only in these: their names stand in the same order among all words, the ends of
their address ranges in the same order among all ends, their lines in the same order; the same of their secrets are
equal, and each is known as well, as costly and as common as the other's. What rules say of one, they then say of the
other with names, addresses and lines of its own (``likeness.py``).
"""

import datetime
import enum
import hashlib
import marshal
import re
from bisect import bisect
from collections.abc import Hashable, Iterable, Iterator, Mapping
from fnmatch import translate
from functools import cache, cached_property
from typing import Any, NamedTuple

from overhang.auditing.fixes import NEW_NETWORK
from overhang.auditing.rules.accounts import ROLE_NAMES
from overhang.auditing.rules.passwords import common, rounds_of
from overhang.language.schema import SCHEMA
from overhang.model import Address, Device, Prefix, ServerGroup, StoredSecret
from overhang.model.address import parse_address, parse_prefix
from overhang.model.stored_secret import Form
from overhang.model.verification import cost_of, malformed, plain_text, scheme_of
from overhang.profiles import BUILTIN
from overhang.project import Project
from overhang.text import Origin

#: Words of ours that a name of a device may be held against.
_OURS = ("somebody", "anything", "anybody", "unread account on line")
#: A name that is a plain word wherever it stands; others are taken as they are.
_PLAIN = re.compile(r"[^\W_](?:[\w.:-]{0,39}[\w.-])?")
_ADDRESS = re.compile(r"(\d+\.\d+\.\d+\.\d+|[0-9A-Fa-f]*:[0-9A-Fa-f.]*:[0-9A-Fa-f:.]*)(?:/(\d+))?")
#: Letters and numbers that no device has which is told by another: they stand for names and lines (``likeness.py``).
MARKED, FIRST_LINE = re.compile("[\ua000-\ua4cf]"), 7_000_000_000
_LIKE_A_LINE = re.compile(r"7\d{9}")
TOP = {4: 1 << 32, 6: 1 << 128}
_MOST_PREFIXES = 400
_LINE, _SECRET, _PREFIX, _SAME = ("line",), ("secret",), ("prefix",), ("same",)


class Unlike(Exception):
    """A device whose structure is not told: something in it is too uncommon."""


class Structure(NamedTuple):
    """A device's structure as a key, and what stands in its places: names, lines in order, prefixes and secrets."""

    key: bytes
    names: tuple[str, ...]
    lines: tuple[int, ...]
    prefixes: tuple[Prefix, ...]
    secrets: tuple[StoredSecret, ...]


class Frame(NamedTuple):
    """What of a device is the same for all whose statements are: its ``digest``, and the words in it that are no names
    of its own, in order."""

    digest: bytes
    words: tuple[str, ...]


class Surroundings:
    """What of a project names and addresses of devices may be held against; ``number`` tells it from those of other
    projects of a run."""

    def __init__(self, project: Project, number: int = 0) -> None:
        self.project, self.number = project, number
        words = {each for each in _words_in(project._replace(profiles={})) if each}
        self.words = sorted({*words, *ROLE_NAMES, *_OURS})
        self.text = "\0".join(self.words).casefold()
        self.patterns = [re.compile(translate(each)).match for each in sorted(words) if set(each) & set("*?[")]
        self.management = [prefix for name in project.management for prefix in project.networks[name]]
        #: the networks that reports may name beside a device's own
        self.prefixes = [each for several in project.networks.values() for each in several]
        self.prefixes.append(parse_prefix(NEW_NETWORK))

    @cached_property
    def known(self) -> Mapping[str, int]:
        """The most common passwords, each with its place."""
        return {word: place for place, word in enumerate(common())}

    def matches(self, name: str) -> tuple[bool, ...]:
        """Which of the project's patterns a name fits."""
        return tuple(pattern(name) is not None for pattern in self.patterns)


def _words_in(value: object) -> Iterator[str]:
    if isinstance(value, str):
        yield value
    elif isinstance(value, Mapping):
        for each in (*value.keys(), *value.values()):
            yield from _words_in(each)
    elif isinstance(value, (tuple, list, frozenset)):
        for each in value:
            yield from _words_in(each)


class Walk:
    """Goes through a device once: ``atoms`` is what it is made of, with marks for what is told apart."""

    def __init__(self, file: str) -> None:
        self.file = file
        self.atoms: list[Any] = []
        self.lines: list[int] = []
        self.prefixes: list[Prefix] = []
        self.secrets: list[StoredSecret] = []

    @property
    def numbers(self) -> list[int]:
        """The numbers in it, and 0."""
        return [0, *(each for each in self.atoms if each.__class__ is int)]

    def go(self, value: Any) -> None:
        if value is None or value.__class__ in _SIMPLE:
            self.atoms.append(value)
            return
        kind = value.__class__
        if kind is Origin:
            self._origin(value)
        elif kind is StoredSecret:
            self.atoms.append(_SECRET)
            self.secrets.append(value)
        elif kind is Prefix:
            self.atoms.append(_PREFIX)
            self.prefixes.append(value)
        elif issubclass(kind, tuple):
            self.atoms.append((kind.__name__, len(value)))
            atoms = self.atoms
            for each in value:
                if each is None:
                    atoms.append(None)
                else:
                    self.go(each)
        elif issubclass(kind, Mapping):
            self.atoms.append(("map", len(value)))
            last = None
            for key, each in value.items():
                self.go(key)
                if each == last:
                    self.atoms.append(_SAME)  # VTYs of one range
                else:
                    self.go(each)
                last = each
        elif issubclass(kind, enum.Enum):
            self.atoms.append((kind.__name__, value.name))
        elif issubclass(kind, (datetime.date, datetime.timedelta)):
            self.atoms.append((kind.__name__, repr(value)))
        else:
            raise Unlike(kind.__name__)

    def _origin(self, origin: Origin) -> None:
        if origin.file != self.file:
            self.atoms.append(("elsewhere", origin.file, origin.line))
            return
        self.atoms.append(_LINE)
        self.lines.append(origin.line)


_SIMPLE = frozenset({str, int, bool, bytes, float})


@cache
def vocabulary() -> frozenset[str]:
    """The words that mean something in themselves: a name that is one of them is taken as it is."""
    said = [*_words_in(tuple((row.syntax, row.data) for row in SCHEMA.rows)), *(repr(each) for each in BUILTIN.items())]
    return frozenset(word.casefold() for text in said for word in re.findall(r"[\w-]+", text)) | ROLE_NAMES


def structure_of(device: Device, around: Surroundings, more: tuple[object, ...]) -> Structure:
    """The structure of a device; ``more`` is what else its audit depends on. Raises Unlike."""
    return framed(device, around, more)[1]


def framed(device: Device, around: Surroundings, more: tuple[object, ...]) -> tuple[Frame, Structure]:
    """The structure of a device, and what of it is the same whatever stands in its places. Raises Unlike."""
    if device.passwords.letters is not None:
        raise Unlike("passwords that count in part")
    walk = Walk(device.file)
    for each in device[1:]:
        walk.go(each)
    words = {each for each in walk.atoms if each.__class__ is str}
    if len(walk.prefixes) > _MOST_PREFIXES:
        raise Unlike("many prefixes")
    names = own_names(_named(device), words, around)
    if device.facts.name is None and device.name not in names:
        raise Unlike("a file whose name means something")
    at = {name: ("name", place) for place, name in enumerate(names)}
    atoms = tuple(at.get(each, each) if each.__class__ is str else each for each in walk.atoms)
    words.difference_update(names)
    every = "\0".join(words)
    if MARKED.search(every) or _LIKE_A_LINE.search(every) or max(walk.numbers) >= FIRST_LINE:
        raise Unlike("what looks like a mark")
    if any(addresses_in("\0".join(each for each in words if ":" in each or each.count(".") > 2))):
        raise Unlike("an address in a word")
    lines = tuple(sorted(set(walk.lines)))
    prefixes, secrets = tuple(dict.fromkeys(walk.prefixes)), tuple(dict.fromkeys(walk.secrets))
    places = (places_of(walk.lines, lines), places_of(walk.prefixes, prefixes), places_of(walk.secrets, secrets))
    frame = Frame(key_of((atoms, places)), tuple(sorted(words)))
    parts = (names, lines, prefixes, secrets)
    return frame, assembled(frame, parts, device.file, (device.name, *device.users), around, more)


Parts = tuple[tuple[str, ...], tuple[int, ...], tuple[Prefix, ...], tuple[StoredSecret, ...]]


def assembled(
    frame: Frame, parts: Parts, file: str, called: Iterable[str], around: Surroundings, more: tuple[object, ...]
) -> Structure:
    """The structure of a device of which a frame is known, and what stands in its places: names, lines, prefixes and
    secrets. ``called`` are the device's name and those of its accounts. Raises Unlike."""
    names, lines, prefixes, secrets = parts
    every = "\0".join(names)
    if MARKED.search(every) or _LIKE_A_LINE.search(every):
        raise Unlike("what looks like a mark")
    if file in names or file in frame.words:
        raise Unlike("a file that is called as something in it")
    content = (
        frame.digest,
        _order_of(names, frame.words, around),
        _order_of_addresses(prefixes, around),
        tuple(_facts_of(secrets, called, names, around)),
        repr(more),
    )
    return Structure(key_of(content), names, lines, prefixes, secrets)


def key_of(content: Any) -> bytes:
    """A digest of tuples of words and numbers alone."""
    return hashlib.blake2b(marshal.dumps(content, 2), digest_size=16).digest()


def places_of(found: Iterable[Hashable], among: Iterable[Hashable]) -> tuple[int, ...]:
    """The places of things among others. Raises KeyError."""
    place = {each: number for number, each in enumerate(among)}
    return tuple(place[each] for each in found)


def addresses_in(text: str) -> Iterator[tuple[int, int, Address, int | None]]:
    """The addresses that a text spells out: where each begins and ends, itself, and the prefix length behind it, if
    any. Raises Unlike where it cannot be told."""
    for found in _ADDRESS.finditer(text):
        for word in (found[1], found[1][:-1]):
            try:
                address = parse_address(word)
            except ValueError:
                continue
            length = found[2] if word == found[1] else None
            end = found.end() if length is not None else found.start() + len(word)
            yield found.start(), end, address, None if length is None else int(length)
            break
        else:
            if "::" in found[1]:
                raise Unlike("what may be an address")


def _named(device: Device) -> Iterator[str]:
    """What is called by a name of its own on each device: itself, its accounts, and the servers that it asks."""
    yield device.name
    yield from device.users
    groups: Iterable[ServerGroup] = device.groups.values()
    yield from (each.value.address for group in groups for each in group.servers)


def own_names(found: Iterable[str], words: set[str], around: Surroundings) -> tuple[str, ...]:
    """Those of some names that are no part of any other word, so that wherever they stand, they are meant."""
    wanted = [each for each in dict.fromkeys(found) if _PLAIN.fullmatch(each) and each.casefold() not in vocabulary()]
    others = "\0".join(words.difference(wanted)).casefold() + "\0" + around.text
    folded = [each.casefold() for each in wanted]
    every = "\0".join(folded)
    kept = []
    for name, each in zip(wanted, folded, strict=True):
        if each not in others and every.count(each) == 1:
            kept.append(name)
    return tuple(kept)


def _order_of(names: tuple[str, ...], words: tuple[str, ...], around: Surroundings) -> tuple[object, ...]:
    """Where names stand among one another and among all other words, and which patterns they fit."""
    order = sorted(range(len(names)), key=names.__getitem__)
    places = tuple((bisect(words, each), bisect(around.words, each), around.matches(each)) for each in names)
    return tuple(order), places


def _order_of_addresses(prefixes: tuple[Prefix, ...], around: Surroundings) -> tuple[object, ...]:
    """Where the ends of address ranges stand among one another and among those of the project's networks."""
    ends: dict[int, set[int]] = {4: {0, TOP[4]}, 6: {0, TOP[6]}}
    for each in (*prefixes, *around.prefixes):
        ends[each.family].update(_ends_of(each))
    rank = {family: {end: place for place, end in enumerate(sorted(several))} for family, several in ends.items()}
    ranks = tuple(
        (each.family, each.length, *(rank[each.family][end] for end in _ends_of(each)))
        for each in (*prefixes, *around.prefixes)
    )
    as_text = tuple(sorted(range(len(prefixes)), key=lambda place: str(prefixes[place].written)))
    return ranks, as_text


def _ends_of(prefix: Prefix) -> tuple[int, ...]:
    return prefix.low, prefix.high + 1, prefix.host, prefix.host + 1


def _facts_of(
    secrets: tuple[StoredSecret, ...], called: Iterable[str], names: tuple[str, ...], around: Surroundings
) -> Iterator[object]:
    """All that an audit asks of secrets: which are equal, and what each of them is like."""
    equal: dict[object, int] = {}
    own: list[str] | None = None
    for stored in secrets:
        plain = plain_text(stored)
        alike = equal.setdefault(("plain", plain) if plain else (stored.form.value, stored.text), len(equal))
        guess: tuple[object, ...] = ()
        if plain:
            if own is None:
                own = [each.casefold() for each in called]
            folded = plain.casefold()
            own_name = own.index(folded) if folded in own else -1
            guess = (around.known.get(folded, -1), own_name, plain if plain in _OURS else "", plain == folded)
            if own_name >= 0 and folded in {each.casefold() for each in names}:
                raise Unlike("a password that is a name")  # which is no longer one where the name is marked
            if own_name >= 0 or guess[0] != -1:
                guess += (plain,)
        elif stored.form is Form.HASHED:
            guess = (scheme_of(stored.text), rounds_of(stored.text), *cost_of(stored.text))
        yield stored.form.value, stored.text[:3] == "$0$", plain is None, not plain, malformed(stored), alike, guess
