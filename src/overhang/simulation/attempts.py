"""Many attempts as JSON Lines: each line an attempt, all of them one sequence. docs/attempts.md is the contract."""

import datetime
import json
import math
from collections.abc import Callable, Iterable, Iterator, Mapping
from functools import lru_cache
from typing import Any, NamedTuple

from overhang.model import Address, PublicKey, parse_address
from overhang.model.vocabulary import is_way
from overhang.simulation.lockout import LockoutState
from overhang.simulation.remembered import Remembered
from overhang.simulation.resolve import ResolvedDevice
from overhang.simulation.result import OUTCOMES, Attempt, Certificate, Result
from overhang.text import OverhangError, did_you_mean

_LONGEST_SEQUENCE = 1e12
_DECODE = json.JSONDecoder().raw_decode


class BadAttempt(OverhangError):
    """A line that is no attempt; the message names the field and never its value, which may be a password."""


class Expected(NamedTuple):
    """How an attempt should end: any of these outcomes, and where it is admitted at this level; empty for any."""

    outcomes: tuple[str, ...]
    level: int | None = None

    def __str__(self) -> str:
        text = " or ".join(self.outcomes)
        return text if self.level is None else f"{text} at level {self.level}"

    def met_by(self, result: Result) -> bool:
        """Whether a result is what is expected."""
        right = result.outcome in self.outcomes
        return right and (self.level is None or result.outcome != "admitted" or result.level == self.level)


#: What a line that states nothing expects.
ANY_END = Expected(())


def decode_line(line: str) -> dict[str, Any]:
    """The object on one line. Raises BadAttempt."""
    try:
        line = line.strip()
        value, end = _DECODE(line)
    except (ValueError, RecursionError):
        raise BadAttempt("not JSON") from None
    if end != len(line):
        raise BadAttempt("not JSON")
    if not isinstance(value, dict):
        raise BadAttempt("not an object")
    return value


def split_expected(fields: dict[str, Any]) -> tuple[str, Expected]:
    """Take the device and the expectation out of the fields of an attempt."""
    device = fields.pop("device", "") if "device" in fields else ""
    if "expect" not in fields and "expect_level" not in fields:
        return device, ANY_END
    return device, Expected(fields.pop("expect", ()), fields.pop("expect_level", None))


class Sequence:
    """Attempts one after another on one device: failures, the time and the date at the start carry on."""

    def __init__(self, resolved: ResolvedDevice, start: datetime.datetime, servers: Mapping[str, Any] | None) -> None:
        self._remembered = Remembered(resolved, servers)
        self._start = self._moment = start
        self._servers = servers
        self._at: float = 0
        self._lockout_states = [LockoutState()]
        #: the name that lines may give the device, "" for any; and how the last attempt should end
        self.device = ""
        self.expected = ANY_END

    def run(self, line: str) -> Result:
        """Decide the attempt on one line. Raises BadAttempt; the sequence is then as it was."""
        attempt, reset = self.attempt(line)
        return self.decide(attempt, reset=reset)

    def decide(self, attempt: Attempt, *, reset: bool = False) -> Result:
        """Decide an attempt after those before it; ``reset``: as if none had been."""
        if reset:
            self._lockout_states = [LockoutState()]
        decided = self._remembered.decide(attempt, self._lockout_states)
        self._lockout_states = decided.lockout_states
        return decided.result

    def attempt(self, line: str) -> tuple[Attempt, bool]:
        """The attempt on one line, and whether it forgets those before it. Raises BadAttempt."""
        fields = read_fields(decode_line(line))
        device, self.expected = split_expected(fields)
        if device and self.device and device != self.device:
            raise BadAttempt("device: is another one than the one that is read")
        at, start = self._at, self._start
        if "at" in fields:
            at = fields.pop("at")
            if at < self._at:
                raise BadAttempt("at: runs backwards")
        if "now" in fields:
            start = fields.pop("now")
        if at != self._at or start is not self._start:
            try:
                self._moment = start + datetime.timedelta(seconds=at)
            except OverflowError:
                raise BadAttempt("at: beyond the calendar") from None
            self._at, self._start = at, start
        reset = "reset" in fields and bool(fields.pop("reset"))
        if "servers" not in fields:
            fields["servers"] = self._servers
        return Attempt(moment=self._moment, at=at, **fields), reset


def run_lines(sequence: Sequence, lines: Iterable[str]) -> Iterator[Result | BadAttempt]:
    """The result of each line, or why it is no attempt."""
    for line in lines:
        try:
            yield sequence.run(line)
        except BadAttempt as problem:
            yield problem


def read_fields(value: Mapping[str, Any]) -> dict[str, Any]:
    """The fields of an attempt, as ``Attempt`` names them. Raises BadAttempt."""
    fields: dict[str, Any] = {}
    known = _FIELDS
    for key, each in value.items():
        if key not in known:
            near = did_you_mean(key, known) if key.isprintable() else None
            raise BadAttempt("an unknown key" + (f"; did you mean {near}?" if near else ""))
        if each is None:
            continue
        name, read, form = known[key]
        try:
            fields[name] = read(each)
        except (ValueError, TypeError, KeyError):
            raise BadAttempt(f"{key}: expected {form}") from None
    if "via" not in fields:
        raise BadAttempt("via: is missing")
    return fields


@lru_cache(maxsize=1024)
def _way(value: Any) -> str:
    if isinstance(value, str) and is_way(value):
        return str(value)
    raise ValueError


def _outcomes(value: Any) -> tuple[str, ...]:
    found = _texts(value)
    if not found or not set(found) <= set(OUTCOMES):
        raise ValueError
    return found


def _text(value: Any) -> str:
    if not isinstance(value, str):
        raise TypeError
    return value


def _address(value: Any) -> Address:
    if not isinstance(value, str):
        raise TypeError
    return parse_address(value)


def _texts(value: Any) -> tuple[str, ...]:
    if isinstance(value, str):
        return (value,)
    if not isinstance(value, list):
        raise TypeError
    return tuple(map(_text, value))


def _items(value: Any) -> frozenset[str]:
    if not isinstance(value, list):
        raise TypeError
    return frozenset(map(_text, value))


def _level(value: Any) -> int:
    if isinstance(value, bool) or not isinstance(value, int) or not 0 <= value <= 15:
        raise ValueError
    return value


def _versions(value: Any) -> tuple[int, ...]:
    if not isinstance(value, list) or any(isinstance(each, bool) or each not in (1, 2) for each in value):
        raise ValueError
    return tuple(value)


def _busy(value: Any) -> frozenset[int]:
    numbers: set[int] = set()
    for each in value.split(",") if isinstance(value, str) else value:
        if isinstance(each, int) and not isinstance(each, bool) and 0 <= each <= 255:
            numbers.add(each)
            continue
        first, dash, last = _text(each).strip().partition("-")
        low, high = int(first), int(last if dash else first)
        if not 0 <= low <= high <= 255:
            raise ValueError
        numbers.update(range(low, high + 1))
    return frozenset(numbers)


def _down(value: Any) -> frozenset[str]:
    return frozenset(str(parse_address(text)) for text in _items(value))


def _servers(value: Any) -> Mapping[str, Any]:
    if not isinstance(value, dict):
        raise TypeError
    for accounts in value.values():
        if not isinstance(accounts, dict):
            raise TypeError
        for account in accounts.values():
            if not isinstance(account, dict) or set(account) - {"password", "level"}:
                raise TypeError
            if account.get("level") is not None:
                _level(account["level"])
            if account.get("password") is not None:
                _text(account["password"])
    return value


def _seconds(value: Any) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value):
        raise TypeError
    if not 0 <= value <= _LONGEST_SEQUENCE:
        raise ValueError
    return value


def _moment(value: Any) -> datetime.datetime:
    moment = datetime.datetime.fromisoformat(_text(value))
    return moment if moment.tzinfo else moment.replace(tzinfo=datetime.UTC)


def _flag(value: Any) -> bool:
    if not isinstance(value, bool):
        raise TypeError
    return value


def _certificates(value: Any) -> tuple[Certificate, ...]:
    if not isinstance(value, list) or any(set(each) != {"authority", "names"} for each in value):
        raise TypeError
    return tuple(Certificate(public_key(_text(each["authority"])), _items(each["names"])) for each in value)


def _algorithms(value: Any) -> Mapping[str, tuple[str, ...]]:
    if not isinstance(value, dict) or set(value) - {"exchanges", "host-keys", "ciphers", "macs", "keys"}:
        raise TypeError
    return {kind: _texts(names) for kind, names in value.items()}


def public_key(text: str) -> PublicKey:
    """A public key as text: TYPE BASE64 [COMMENT]. Raises ValueError."""
    import base64

    kind, data, *_ = text.split()
    return PublicKey(kind, base64.b64decode(data, validate=True))


#: Each key of an attempt: the field it fills, how it is read, and what is expected there.
_FIELDS: dict[str, tuple[str, Callable[[Any], Any], str]] = {
    "via": ("via", _way, "console, auxiliary, ssh, telnet, http, https, snmp or door:NAME"),
    "from": ("source", _address, "an address"),
    "to": ("destination", _address, "an address"),
    "name": ("name", _text, "text"),
    "password": ("passwords", _texts, "text, or a list of texts"),
    "key": ("keys", lambda value: tuple(map(public_key, _texts(value))), "a public key, TYPE BASE64, or a list"),
    "certificates": ("certificates", _certificates, "a list of {authority: TYPE BASE64, names: [...]}"),
    "algorithms": ("algorithms", _algorithms, "{exchanges, host-keys, ciphers, macs, keys: lists of names}"),
    "knows": ("knows", _items, "a list of items of knowledge"),
    "elevate": ("elevate", _level, "a level from 0 to 15"),
    "elevate_name": ("elevate_name", _text, "text"),
    "elevate_password": ("elevate_passwords", _texts, "text, or a list of texts"),
    "ssh_versions": ("ssh_versions", _versions, "a list of 1 and 2"),
    "busy": ("busy", _busy, "VTY numbers, or ranges like 0-3"),
    "down": ("down", _down, "a list of addresses"),
    "servers": ("servers", _servers, "{group: {account: {password, level}}}"),
    "at": ("at", _seconds, "seconds since the start, 0 or more"),
    "now": ("now", _moment, "an ISO 8601 date"),
    "device": ("device", _text, "the file of the device's configuration"),
    "expect": ("expect", _outcomes, f"{', '.join(OUTCOMES)}, or a list of these"),
    "expect_level": ("expect_level", _level, "a level from 0 to 15"),
    "reset": ("reset", _flag, "true or false"),
}
