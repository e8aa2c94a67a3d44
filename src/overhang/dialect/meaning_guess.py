"""Guesses what lines of an unknown language mean, from words of the trade, the look of values, and their neighbours.

A guess is never more than a suggestion: each comes with the words that led to it, so that its reader can judge.
"""

import re
from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from itertools import islice
from typing import NamedTuple

from overhang.dialect.trade_words import FIELDS, KINDS, FieldRow
from overhang.model import parse_address, parse_prefix

_SPLIT = re.compile(r"[-_.:=/\s]+")
_UNITS = frozenset("s sec secs second seconds m min mins minute minutes h hour hours d day days".split())
_WAYS = frozenset("ssh telnet http https shell wire web page console chair".split())
_PORTS = frozenset("22 23 80 443 161 1812 1813 49 8080 8443 8022 2022 2222 830".split())
_BITS = frozenset("512 768 1024 2048 3072 4096".split())
_WORDS: Mapping[str, frozenset[str]] = {
    "on": frozenset("on yes true enable enabled active up open awake".split()),
    "off": frozenset("off no false disable disabled inactive down closed gone suspended shut".split()),
    "never": frozenset("never forever stays unlimited".split()),
    "users": frozenset("users local accounts crew people members staff persons".split()),
    "nobody": frozenset("nothing none nobody anyone anybody noone".split()),
    "password-word": frozenset("password word secret passphrase ".split()),
    "any": frozenset("any all everyone everybody * anywhere".split()),
    "kind": frozenset("router switch appliance bridge gateway firewall".split()),
    "login": frozenset("key password phrase tag public-key".split()),
    "itself": frozenset("itself self self-signed".split()),
    "algorithm": frozenset("rsa dsa ecdsa ed25519".split()),
    "protocol": frozenset("radius tacacs tacacs+ diameter ldap".split()),
    "text": frozenset(),
}
_ENTRIES = tuple(kind for kind in KINDS if kind.startswith("entry"))
#: Kinds of blocks that have names.
_NAMED = ("user", "role", "servers", "sources", "methods", "door")
_MOST = 3
#: So many lines of a block are looked at to tell its kind.
_MOST_JUDGED = 12
_LEAST_SCORE = 2.0
#: How much the kind of the block around a line counts.
_KIND_WEIGHT = 2.5


class Look(NamedTuple):
    """One word of a line: itself, in small letters, and what its value may be."""

    text: str
    looks: frozenset[str]


class GuessLine(NamedTuple):
    """One line to guess at: its words, the words of the lines that it stands in, and whether others stand in it."""

    words: tuple[Look, ...]
    around: tuple[tuple[Look, ...], ...] = ()
    heads: bool = False


class Guess(NamedTuple):
    """What a line may mean: the kind of block, the statement with ``{}`` for values, how likely, and the words that
    say so. ``at`` are the numbers of the words that are its values."""

    kind: str
    statement: str
    score: float
    because: tuple[str, ...]
    at: tuple[int, ...]
    #: the look of its values
    value: str = ""


def look_at(word: str, *, quoted: bool = False) -> Look:
    """What a word may be."""
    lower = word.lower()
    looks = {name for name, words in _WORDS.items() if lower in words}
    if re.fullmatch(r"\$[0-9a-z]{1,6}\$.+", word):
        looks.add("hash")
    elif re.fullmatch(r"[0-9a-f]{8,}|(?=.*\d)(?=.*[a-f])[0-9a-f]{6,}", lower) and len(word) % 2 == 0:
        looks.add("masked")
    elif re.fullmatch(r"AAAA[0-9A-Za-z+/=]{40,}", word):
        looks.add("key")
    elif word and set(word) <= {"*", "x"} and len(word) > 2:
        looks.add("struck")
    looks |= _numeric(word)
    looks |= _address(word)
    if re.fullmatch(r"\d{4}-\d\d-\d\d|\d{1,2}[./]\d{1,2}[./]\d{4}", word):
        looks.add("date")
    if re.fullmatch(r"[a-z0-9-]+(\.[a-z0-9-]+)+", lower) and not looks and not lower[0].isdigit():
        looks.add("domain")
    if re.fullmatch(r"[A-Z][a-z]+/[A-Z][A-Za-z_]+", word):
        looks.add("zone")
    if re.match(r"(?i)aead_|aes\d|chacha|3des", word):
        looks.add("cipher")
    if lower in _WAYS:
        looks.add("ways")
    if quoted and " " in word:
        looks.add("text")
    return Look(lower, frozenset(looks))


def _numeric(word: str) -> set[str]:
    found: set[str] = set()
    if word.isascii() and word.isdigit():
        found |= {"number", "time"}
        found |= {"level"} if int(word[:9]) <= 15 else set()
        found |= {"port"} if word in _PORTS else set()
        found |= {"bits"} if word in _BITS else set()
        found |= {"version"} if word in ("1", "2", "3") else set()
        found |= {"never"} if word == "0" else set()
        found |= {"on"} if word == "1" else {"off"} if word == "0" else set()
    if re.fullmatch(r"\d+(-|\.\.|:|~)\d+", word):
        found.add("range")
    if re.fullmatch(r"(\d+[smhd])+|\d{1,2}:\d\d(:\d\d)?", word):
        found.add("time")
    if re.fullmatch(r"(rsa|dsa|ecdsa)[-:/](512|768|1024|2048|3072|4096)", word.lower()):
        found.add("bits")
    return found


def _address(word: str) -> set[str]:
    try:
        if "/" in word:
            parse_prefix(word)
            return {"prefix"}
        if ":" not in word and word.count(".") != 3:
            return set()
        address = parse_address(word)
    except ValueError:
        return set()
    found = {"address"}
    if address.family == 4 and address.value:
        inverse = address.value ^ 0xFFFFFFFF
        if inverse & (inverse + 1) == 0:
            found = {"mask"}
        elif address.value & (address.value + 1) == 0:
            found = {"wildcard"}
    return found


# -- scoring -----------------------------------------------------------------------------------------------------------


def guess(line: GuessLine, kinds: Mapping[str, float]) -> list[Guess]:
    """What a line may mean, the likeliest first; ``kinds`` is how likely each kind of block is around it, or for the
    head of a block, for that block."""
    said = [(at, part) for at, look in enumerate(line.words) for part in (*_SPLIT.split(look.text), look.text)]
    words = {part for _, part in said if part}
    found: dict[tuple[str, str], Guess] = {}
    for row in FIELDS:
        each = _score(row, line, words, kinds)
        if each is None or each.score < _LEAST_SCORE:
            continue
        key = (each.kind, each.statement)
        if key not in found or found[key].score < each.score:
            found[key] = each
    if line.heads:
        for kind in sorted(kinds, key=lambda each: -kinds[each])[:_MOST]:
            said_by = sorted(words & KINDS[kind]) or [f"what stands in it, which looks like {kind}"]
            score = _LEAST_SCORE + _KIND_WEIGHT * kinds[kind]
            at = tuple(at for at, look in enumerate(line.words) if at and _is(look, "word", line, at))[:1]
            each = found.get((kind, "head"))
            if kinds[kind] > 0.5 and (each is None or each.score < score):
                found[kind, "head"] = Guess(kind, "head", score, tuple(said_by), each.at if each is not None else at)
    return sorted(found.values(), key=lambda each: -each.score)[:_MOST]


def _score(row: FieldRow, line: GuessLine, words: set[str], kinds: Mapping[str, float]) -> Guess | None:
    """How well a line fits a statement; None where it lacks the value for it."""
    if (
        (row.statement == "head") != line.heads
        and row.statement == "head"
        and row.kind not in ("user", "address", "banner")
    ):
        return None
    lone = len(line.words) == 1
    places = [at for at in range(len(line.words)) if at or lone]
    values = [at for at in places if _is(line.words[at], row.value, line, at)] if row.value else []
    if row.value and not values:
        return None
    common = sorted(words & row.words)
    about = sorted(words & KINDS.get(row.kind, frozenset()) - set(common))
    kind, near = _kind_of(row, kinds)
    specific = row.value not in ("", "word", "number", "on", "off", "text")
    score = 1.6 * len(common[:2]) + 0.8 * len(about[:2]) + _KIND_WEIGHT * near
    score += 1.5 if specific else 0.4 if row.value else 0.2
    if row.value in ("hash", "key", "ways", "bits", "domain", "mask", "wildcard", "cipher", "struck"):
        score += 1.5
    if not (common or about or near > 0.3) and not (specific and row.value in ("hash", "domain", "ways", "bits")):
        return None
    if line.heads and row.statement != "head":
        score -= 2
    because = [*common, *about]
    if specific:
        because.append(f"a value that looks like {_NAMES.get(row.value, 'a ' + row.value)}")
    if near > 0.3:
        because.append(f"its neighbours, which look like those of {kind}")
    return Guess(kind, row.statement, score, tuple(because), tuple(_values(row, values)), row.value)


_NAMES = {
    "hash": "a hash",
    "masked": "a masked password",
    "address": "an address",
    "ways": "ways of logging in",
    "on": "an on",
    "off": "an off",
    "any": "everybody",
    "key": "a public key",
    "time": "a time",
    "users": "local accounts",
}


def _kind_of(row: FieldRow, kinds: Mapping[str, float]) -> tuple[str, float]:
    """The kind of block of a row, and how likely that is here; a row for every entry goes with the likeliest."""
    if row.kind != "entry":
        return row.kind, kinds.get(row.kind, 0.0)
    best = max(_ENTRIES, key=lambda kind: kinds.get(kind, 0.0))
    return best, kinds.get(best, 0.0)


def _is(look: Look, value: str, line: GuessLine, at: int) -> bool:
    """Whether a word is a value of a look."""
    if value == "word":
        plain = not (look.looks - {"kind", "users", "login"})
        return plain and (at > 0 or len(line.words) == 1) and any(each.isalnum() for each in look.text)
    if value == "text":
        return at > 0 and ("text" in look.looks or not look.looks)
    if value == "time":
        follows = line.words[at + 1].text if at + 1 < len(line.words) else ""
        return "time" in look.looks and ("number" not in look.looks or follows in _UNITS or look.text != "0")
    if value == "onoff":
        return bool(look.looks & {"on", "off"})
    if value == "prefix":
        behind = line.words[at + 1 : at + 3]
        return "prefix" in look.looks or ("address" in look.looks and any("wildcard" in w.looks for w in behind))
    return value in look.looks


def _values(row: FieldRow, values: Sequence[int]) -> list[int]:
    """The words that fill the statement's holes."""
    wanted = row.statement.count("{}")
    if row.statement == "head":
        wanted = 1
    return list(values[-wanted:] if row.value in ("word", "text") else values[:wanted]) if wanted else []


def kinds_of_block(head: Sequence[Look], children: Iterable[GuessLine]) -> dict[str, float]:
    """How likely each kind is for a block with this head and these lines in it: from 0 to 1."""
    words = {part for look in head for part in (*_SPLIT.split(look.text), look.text) if part}
    scores: dict[str, float] = defaultdict(float)
    for kind, vocabulary in KINDS.items():
        scores[kind] += 1.5 * len(words & vocabulary)
    if any("range" in look.looks for look in head) or ("to" in words or "through" in words):
        scores["entry vty"] += 2 * sum("number" in look.looks or "range" in look.looks for look in head)
    if any("level" in look.looks for look in head):
        scores["elevation"] += 0.5
    for child in islice(children, _MOST_JUDGED):
        best: dict[str, float] = {}
        for row in FIELDS:
            said = {part for look in child.words for part in (*_SPLIT.split(look.text), look.text) if part}
            each = _score(row, child, said, {})
            if each is not None and row.statement != "head":
                for kind in _ENTRIES if row.kind == "entry" else (each.kind,):
                    best[kind] = max(best.get(kind, 0.0), each.score)
        if any("range" in look.looks for look in child.words):
            best["entry vty"] = best.get("entry vty", 0.0) + 4
        for kind, score in best.items():
            scores[kind] += 0.5 * score
    if len(head) == 1 and not any(words & vocabulary for vocabulary in KINDS.values()):
        for kind in _NAMED:  # the head is a name
            scores[kind] *= 1.6
        for kind in _ENTRIES:
            scores[kind] *= 0.4
    top = max(scores.values(), default=0.0)
    return {kind: score / top for kind, score in scores.items() if score > 0} if top >= 1.5 else {}
