"""The terminals of the sheet language: each turns a word into a value, and the value back into the word and into data.

``decode`` raises ValueError with the reason: one lower-case sentence that quotes nothing, since the word may be a
misplaced password.
"""

import binascii
import datetime
from collections.abc import Callable
from typing import Any, NamedTuple

from overhang.model import Prefix, parse_address, parse_prefix
from overhang.model.durations import format_duration, parse_duration, parse_span
from overhang.model.values import DAYS
from overhang.model.vocabulary import VTY_WAYS, WAYS


class Terminal(NamedTuple):
    """One kind of word.

    ``holds`` is the Python type of its values. ``to_data`` gives the JSON value of a YANG leaf (RFC 7951) and
    ``from_data`` reads a leaf's text; ``yang`` is the leaf's type. ``words`` lists every word there is, if they are
    few.
    """

    name: str
    doc: str
    decode: Callable[[str], Any]
    encode: Callable[[Any], str] = str
    holds: type | tuple[type, ...] = str
    to_data: Callable[[Any], Any] = str
    from_data: Callable[[str], Any] | None = None
    yang: str = "string"
    words: tuple[str, ...] = ()

    def read_data(self, text: str) -> Any:
        """The value of a leaf's text. Raises ValueError."""
        return (self.from_data or self.decode)(text)


def decode_name(text: str) -> str:
    """Any word that is not empty."""
    if not text:
        raise ValueError("a name cannot be empty")
    return text


def decode_vty_range(text: str) -> tuple[int, int]:
    """The first and last of a range of VTY numbers, 0 to 255."""
    first, dash, last = text.partition("-")
    last = last if dash else first
    if not all(part.isascii() and part.isdigit() for part in (first, last)):
        raise ValueError("a range of VTYs is written like 0-3, one VTY like 7")
    if int(first[:10]) > 255 or int(last[:10]) > 255:
        raise ValueError("VTYs are numbered from 0 to 255")
    if int(first) > int(last):
        raise ValueError(f"the range runs backwards; write {int(last)}-{int(first)}")
    return int(first), int(last)


def encode_vty_range(numbers: tuple[int, int]) -> str:
    """``0-3``, or ``7`` where first and last are the same."""
    first, last = numbers
    return f"{first}-{last}" if first != last else str(first)


def decode_date(text: str) -> datetime.date:
    """An ISO 8601 calendar date."""
    try:
        return datetime.date.fromisoformat(text)
    except ValueError:
        raise ValueError("a date is written like 2031-05-17") from None


def decode_moment(text: str) -> datetime.datetime:
    """An ISO 8601 date, or date and time; UTC where no zone is given."""
    try:
        when = datetime.datetime.fromisoformat(text)
    except ValueError:
        raise ValueError("a date and time is written like 2031-05-17T09:30:00Z; a date alone will do") from None
    return when if when.tzinfo else when.replace(tzinfo=datetime.UTC)


def encode_moment(when: datetime.datetime) -> str:
    """ISO 8601, with Z for UTC."""
    return when.isoformat().replace("+00:00", "Z")


def decode_base64(text: str) -> bytes:
    """The bytes behind RFC 4648 base64."""
    import base64  # few devices have keys

    try:
        return base64.b64decode(text, validate=True)
    except (binascii.Error, ValueError):
        raise ValueError("the key is not base64") from None


def _encode_base64(data: bytes) -> str:
    import base64

    return base64.b64encode(data).decode("ascii")


def encode_own_prefix(prefix: Prefix) -> str:
    """A prefix as it was written: for a device's own address the address itself and its length."""
    return f"{prefix.written}/{prefix.length}"


def decode_hours(text: str) -> tuple[int, int]:
    """The minutes from midnight between which a time of day lies."""
    first, dash, last = text.partition("-")
    try:
        start, end = (datetime.time.fromisoformat(part) for part in (first, last))
    except ValueError:
        raise ValueError("a time of day is written like 08:00-17:30") from None
    if not dash or start.second or end.second or start.tzinfo or end.tzinfo or start == end:
        raise ValueError("a time of day is written like 08:00-17:30")
    return start.hour * 60 + start.minute, end.hour * 60 + end.minute


def encode_hours(minutes: tuple[int, int]) -> str:
    """``08:00-17:30``."""
    return "-".join(f"{each // 60:02}:{each % 60:02}" for each in minutes)


def decode_days(text: str) -> tuple[int, ...]:
    """The days of a week, 0 for Monday, of words like ``mon-fri`` or ``sat,sun``."""
    found: set[int] = set()
    for part in text.split(","):
        first, dash, last = part.partition("-")
        if first not in DAYS or (dash and last not in DAYS):
            raise ValueError("days are written like mon-fri or mon,wed,sun")
        start, end = DAYS.index(first), DAYS.index(last if dash else first)
        found.update((start + step) % 7 for step in range((end - start) % 7 + 1))
    return tuple(sorted(found))


def encode_days(days: tuple[int, ...]) -> str:
    """Neighbours as a range, the others one by one."""
    if len(days) > 2 and days[-1] - days[0] == len(days) - 1:
        return f"{DAYS[days[0]]}-{DAYS[days[-1]]}"
    return ",".join(DAYS[day] for day in days)


def decode_host(text: str) -> Prefix:
    """One address, as the prefix that holds it alone."""
    if "/" in text:
        raise ValueError("neither an IPv4 nor an IPv6 address")
    return parse_prefix(text)


def encode_host(prefix: Prefix) -> str:
    """The address."""
    return str(prefix.written)


def _decode_answer(text: str) -> str:
    if text in ("all", "nothing"):
        raise ValueError("all and nothing are given alone")
    return decode_name(text)


def _duration_data(seconds: int | None) -> str:
    return "never" if seconds is None else str(seconds)


def _read_duration_data(text: str) -> int | None:
    if text.isascii() and text.isdigit() and int(text[:20]) > 0:
        return int(text[:20])
    return parse_duration(text)


def _read_span_data(text: str) -> int:
    seconds = _read_duration_data(text)
    return parse_span("never") if seconds is None else seconds


def _number(name: str, low: int, high: int, what: str, doc: str, yang: str = "") -> Terminal:
    def decode(text: str) -> int:
        if not (text.isascii() and text.isdigit()) or not low <= int(text[:10]) <= high:
            raise ValueError(f"{what} is a number from {low} to {high}")
        return int(text)

    yang = yang or f'uint32 {{ range "{low}..{high}"; }}'
    return Terminal(name, doc, decode, holds=int, to_data=int, yang=yang)


def _choice(name: str, doc: str, words: tuple[str, ...], yang: str = "") -> Terminal:
    def decode(text: str) -> str:
        if text not in words:
            raise ValueError(f"expected one of {', '.join(words)}")
        return text

    return Terminal(name, doc, decode, words=words, yang=yang)


def _version(name: str, doc: str, *numbers: str) -> Terminal:
    choice = _choice(name, doc, numbers)
    yang = f'uint8 {{ range "{numbers[0]}..{numbers[-1]}"; }}'
    return choice._replace(decode=lambda text: int(choice.decode(text)), holds=int, to_data=int, words=(), yang=yang)


def _listed(*terminals: Terminal) -> dict[str, Terminal]:
    return {each.name: each for each in terminals}


_MOST = 999_999_999

#: Every terminal, by the name that it has in the syntax of a statement.
TERMINALS: dict[str, Terminal] = _listed(
    Terminal("NAME", "a word that is not empty", decode_name, yang="name"),
    Terminal("LIST", "the name of a `sources` list", decode_name, yang="name"),
    Terminal("GROUP", "the name of a server group", decode_name, yang="name"),
    Terminal("TEXT", "one word, in quotes where it holds blanks or `#`", str),
    _number("LEVEL", 0, 15, "a level", "0 to 15", "level"),
    _number("N", 0, _MOST, "this", "a whole number"),
    _number("COUNT", 1, _MOST, "this", "a whole number from 1"),
    _number("BITS", 1, 65536, "a key's size", "a key's size in bits"),
    _number("PORT", 1, 65535, "a port", "1 to 65535", 'inet:port-number { range "1..max"; }'),
    _number("VLAN", 1, 4094, "a VLAN", "1 to 4094"),
    Terminal(
        "RANGE", "VTY numbers, `0-3` or `7`, 0 to 255", decode_vty_range, encode_vty_range, tuple, encode_vty_range
    ),
    Terminal(
        "DURATION",
        "`90s`, `5m`, `2m30s`, `12h`, `90d`, `never`",
        parse_duration,
        format_duration,
        (int, type(None)),
        _duration_data,
        _read_duration_data,
        "duration",
    ),
    Terminal(
        "SPAN", "a DURATION other than `never`", parse_span, format_duration, int, str, _read_span_data, "duration"
    ),
    Terminal("DATE", "an ISO 8601 date", decode_date, holds=datetime.date, yang="day"),
    Terminal(
        "MOMENT",
        "an ISO 8601 date and time, UTC where no zone is given",
        decode_moment,
        encode_moment,
        datetime.datetime,
        encode_moment,
        yang="yang:date-and-time",
    ),
    Terminal(
        "ADDRESS", "an IPv4 or IPv6 address", lambda text: str(parse_address(text)), yang="inet:ip-address-no-zone"
    ),
    Terminal(
        "HOST",
        "one address, of a range or a mask",
        decode_host,
        encode_host,
        Prefix,
        encode_host,
        yang="inet:ip-address-no-zone",
    ),
    Terminal(
        "HOURS",
        "a time of day, `08:00-17:30`; past midnight `22:00-06:00`",
        decode_hours,
        encode_hours,
        tuple,
        encode_hours,
    ),
    Terminal("DAYS", "days of the week, `mon-fri` or `mon,wed,sun`", decode_days, encode_days, tuple, encode_days),
    Terminal(
        "PREFIX", "an address, or an address and a prefix length", parse_prefix, holds=Prefix, yang="inet:ip-prefix"
    ),
    Terminal(
        "OWN-PREFIX",
        "an address of the device, or the address and its prefix length",
        parse_prefix,
        encode_own_prefix,
        Prefix,
        encode_own_prefix,
    ),
    _choice("WAY", "console, auxiliary, ssh, telnet, http or https", WAYS, "way"),
    _choice("REMOTE", "ssh or telnet", VTY_WAYS, "way"),
    Terminal("ANSWER", "a WAY, `snmp` or a door's name", _decode_answer, yang="name"),
    _version("SSH-VERSION", "1 or 2", "1", "2"),
    _version("SNMP-VERSION", "1, 2 or 3", "1", "2", "3"),
    _choice("TLS-VERSION", "1.0, 1.1, 1.2 or 1.3", ("1.0", "1.1", "1.2", "1.3")),
    Terminal("BASE64", "RFC 4648 base64", decode_base64, _encode_base64, bytes, _encode_base64, yang="binary"),
)
