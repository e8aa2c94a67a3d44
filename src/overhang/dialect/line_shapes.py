"""Lines by their shape, so that a thousand lines become a few kinds of line: and without what may be a secret.

Of a line that nobody understood any word may be a password. So a word is shown only where it begins a line, or belongs
to the trade; all others are shown by what they look like, and so is everything behind a word about secrets.
"""

import re
from collections.abc import Iterable, Sequence
from typing import NamedTuple

from overhang.model import parse_prefix

_PLAIN = re.compile(r"[A-Za-z][A-Za-z_-]{0,29}[:={]?")
_SECRETIVE = re.compile(
    r"pass|secret|key|cred|communit|token|pin|hash|crypt|cipher-text|phrase|seed|auth|shared", re.IGNORECASE
)
#: Words of the trade, which nobody would take for somebody's password.
TRADE = frozenset(
    (
        "access accept account accounts acl action activate active add address admin administrator after agent all "
        "allow always and any area asked at attempt attempts audit authentication authorization auxiliary banner "
        "before block bridge broadcast by certificate channel check class classes client clock close closed "
        "configuration connection console count day days default delay deny description destination device disable "
        "disabled domain down dynamic enable enabled encryption entry every expire expires failed failure "
        "failures file filter first for forever format from full gateway global group groups guest high host hostname "
        "hour hours http https icmp idle if in inactive index input inside interface internal interval ip ipv4 ipv6 "
        "is key-exchange keys kind last level limit line lines link list listen local location lock locked log "
        "logging login logins logout low mask max maximum member members message method methods minimum minute "
        "minutes mode module monitor mtu multicast name name-server neighbor net network never next no none normal "
        "not ntp number of off on only open operator or order outbound output outside owner peer period permit "
        "permissions policy port ports pool prefix priority privilege privileges process profile protocol protocols "
        "proxy queue radius range rate read read-only read-write redundancy reject remote reply report request "
        "required reset retries retry right rights role roles root route router rule rules secondary seconds secure "
        "security server servers service services session sessions shutdown site size snmp source speed ssh start "
        "state static status stop string subnet switch syslog system tacacs tag tcp telnet terminal then time timeout "
        "timer times to trace traffic trap trunk trust type udp unit unless until up update use user users "
        "using value version versions via view virtual vlan vty wait warn web when with without write yes zone "
    ).split()
)


class Shape(NamedTuple):
    """One kind of line: its words (one in angle brackets stands for any word of that kind), how often, and where."""

    words: tuple[str, ...]
    often: int
    first: int

    def __str__(self) -> str:
        return " ".join(self.words)


def shape_of(words: Sequence[str], known: frozenset[str] = frozenset(), *, any_first: bool = True) -> tuple[str, ...]:
    """The shape of a line; ``known`` are further words that may be shown. ``any_first``: so may whatever begins it."""
    shown: list[str] = []
    hidden = False
    for index, word in enumerate(words):
        plain = word.rstrip(":={").lower()
        keyword = bool(_PLAIN.fullmatch(word)) and ((any_first and index == 0) or plain in TRADE or plain in known)
        if len(word) == 1 and not word.isalnum():
            keyword = not hidden
        shown.append(word if keyword and not hidden else _kind(word) if not hidden else "<word>")
        hidden = hidden or (_SECRETIVE.search(plain) is not None and _PLAIN.fullmatch(word) is not None)
    return tuple(shown)


def _kind(word: str) -> str:
    if word.isascii() and word.isdigit():
        return "<number>"
    if re.fullmatch(r"\d+-\d+", word):
        return "<range>"
    if re.fullmatch(r"\d{4}-\d\d-\d\d", word):
        return "<date>"
    if ":" in word or "." in word:
        try:
            parse_prefix(word)
        except ValueError:
            return "<word>"
        return "<prefix>" if "/" in word else "<address>"
    return "<word>"


def shapes_of(
    lines: Iterable[tuple[int, Sequence[str]]], known: frozenset[str] = frozenset(), *, any_first: bool = True
) -> list[Shape]:
    """The shapes of numbered lines, the most frequent first."""
    found: dict[tuple[str, ...], list[int]] = {}
    for number, words in lines:
        if words:
            found.setdefault(shape_of(words, known, any_first=any_first), []).append(number)
    shapes = [Shape(words, len(numbers), numbers[0]) for words, numbers in found.items()]
    return sorted(shapes, key=lambda each: (-each.often, each.first))
