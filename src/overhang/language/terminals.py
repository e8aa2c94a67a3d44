"""The kinds of word that a statement may hold: each turns text into a value, or raises ValueError with the reason.

A reason is one lower-case sentence that quotes nothing, since the word may be a misplaced password.
"""

import base64
import binascii
import datetime
import re
from collections.abc import Callable
from typing import Any

from overhang.model import parse_address, parse_prefix

Reader = Callable[[str], Any]

WAYS = ("console", "auxiliary", "ssh", "telnet", "http", "https")
VTY_WAYS = ("ssh", "telnet")
_DURATION = re.compile(r"(?:(\d{1,9})d)?(?:(\d{1,9})h)?(?:(\d{1,9})m)?(?:(\d{1,9})s)?")
_UNITS = (86400, 3600, 60, 1)


def duration(text: str) -> int | None:
    """Seconds, or None for ``never``."""
    if text == "never":
        return None
    found = _DURATION.fullmatch(text)
    if found is None or not text:
        raise ValueError("a duration is written like 90s, 2m30s, 12h, 90d or never")
    seconds = sum(int(number) * unit for number, unit in zip(found.groups("0"), _UNITS, strict=True))
    if not seconds:
        raise ValueError("a duration is more than nothing; leave the statement out or say never")
    return seconds


def _number(low: int, high: int, what: str) -> Reader:
    def read(text: str) -> int:
        if not (text.isascii() and text.isdigit()) or not low <= int(text[:10]) <= high:
            raise ValueError(f"{what} is a number from {low} to {high}")
        return int(text)

    return read


def vty_range(text: str) -> tuple[int, int]:
    """The first and last of a range of VTY numbers."""
    first, dash, last = text.partition("-")
    last = last if dash else first
    if not all(part.isascii() and part.isdigit() for part in (first, last)):
        raise ValueError("a range of VTYs is written like 0-3, one VTY like 7")
    if int(first[:10]) > 255 or int(last[:10]) > 255:
        raise ValueError("VTYs are numbered from 0 to 255")
    if int(first) > int(last):
        raise ValueError(f"the range runs backwards; {int(last)}-{int(first)} would be right")
    return int(first), int(last)


def date(text: str) -> datetime.date:
    """An ISO 8601 calendar date."""
    try:
        return datetime.date.fromisoformat(text)
    except ValueError:
        raise ValueError("a date is written like 2031-05-17") from None


def moment(text: str) -> datetime.datetime:
    """An ISO 8601 date, or date and time; without a zone it is taken as UTC."""
    try:
        when = datetime.datetime.fromisoformat(text)
    except ValueError:
        raise ValueError("a moment is written like 2031-05-17T09:30:00Z, or as a date alone") from None
    return when if when.tzinfo else when.replace(tzinfo=datetime.UTC)


def name(text: str) -> str:
    """Any word that is not empty."""
    if not text:
        raise ValueError("a name cannot be empty")
    return text


def answer(text: str) -> str:
    """The name of a way or door; ``all`` and ``nothing`` stand alone."""
    if text in ("all", "nothing"):
        raise ValueError("all and nothing stand alone")
    return name(text)


def base64_bytes(text: str) -> bytes:
    """The bytes behind RFC 4648 base64."""
    try:
        return base64.b64decode(text, validate=True)
    except (binascii.Error, ValueError):
        raise ValueError("the key is not base64") from None


def _one_of(*words: str) -> Reader:
    def read(text: str) -> str:
        if text not in words:
            raise ValueError(f"expected one of {', '.join(words)}")
        return text

    read.words = words  # type: ignore[attr-defined]
    return read


def _version(*numbers: str) -> Reader:
    choose = _one_of(*numbers)
    return lambda text: int(choose(text))


#: Every kind, by the name it has in the syntax of the statements, with what the reference page says of it.
KINDS: dict[str, tuple[Reader, str]] = {
    "NAME": (name, "a word that is not empty"),
    "LIST": (name, "the name of a `sources` list"),
    "GROUP": (name, "the name of a group of servers"),
    "TEXT": (str, "one word, in quotes where it holds blanks or `#`"),
    "LEVEL": (_number(0, 15, "a level"), "0 to 15"),
    "N": (_number(0, 999_999_999, "this"), "a whole number"),
    "COUNT": (_number(1, 999_999_999, "this"), "a whole number from 1"),
    "BITS": (_number(1, 65536, "a key's size"), "a key's size in bits"),
    "PORT": (_number(1, 65535, "a port"), "1 to 65535"),
    "VLAN": (_number(1, 4094, "a VLAN"), "1 to 4094"),
    "RANGE": (vty_range, "VTY numbers, `0-3` or `7`, 0 to 255"),
    "DURATION": (duration, "`90s`, `5m`, `2m30s`, `12h`, `90d`, `never`"),
    "SPAN": (duration, "a DURATION other than `never`"),
    "DATE": (date, "an ISO 8601 date"),
    "MOMENT": (moment, "an ISO 8601 date and time, UTC where no zone is said"),
    "ADDRESS": (lambda text: str(parse_address(text)), "an IPv4 or IPv6 address"),
    "PREFIX": (parse_prefix, "an address, or an address and a prefix length"),
    "WAY": (_one_of(*WAYS), "console, auxiliary, ssh, telnet, http or https"),
    "REMOTE": (_one_of(*VTY_WAYS), "ssh or telnet"),
    "ANSWER": (answer, "a WAY, `snmp` or a door's name"),
    "SSH-VERSION": (_version("1", "2"), "1 or 2"),
    "SNMP-VERSION": (_version("1", "2", "3"), "1, 2 or 3"),
    "TLS-VERSION": (_one_of("1.0", "1.1", "1.2", "1.3"), "1.0, 1.1, 1.2 or 1.3"),
    "BASE64": (base64_bytes, "RFC 4648 base64"),
}


def _span(text: str) -> int:
    seconds = duration(text)
    if seconds is None:
        raise ValueError("this duration cannot be never")
    return seconds


KINDS["SPAN"] = (_span, KINDS["SPAN"][1])
