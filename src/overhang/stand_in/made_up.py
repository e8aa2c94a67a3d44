"""Made-up secrets in place of a device's own, so that nobody learns a real password from a device that stands in.

Which passwords are equal stays as it is, and so does which are empty, open to anything, or to nothing.
"""

import enum
import secrets
from collections.abc import Callable, Collection, Iterator, Mapping
from typing import Any

from overhang.model import Configured, Device, PublicKey
from overhang.model.device import Server
from overhang.model.masking import mask
from overhang.model.stored_secret import Form, StoredSecret
from overhang.model.verification import hash_text, opens, plain_text
from overhang.text import Origin

_AS_THEY_ARE = (Form.NONE, Form.FACTORY, Form.UNOPENABLE)
_WORDS = ("anchor", "beacon", "cutter", "dinghy", "ensign", "fender", "galley", "hawser", "jetty", "lantern", "mizzen")
_DIGITS = "abcdefghkmnpqrstuvwxyz23456789"

#: Equal for secrets that are the same one.
Key = tuple[str, object]


def made_up_text(others: Collection[str], letters: int | None) -> str:
    """A password to type, that nobody guesses and that is none of ``others``. Its first ``letters`` characters tell it
    from them, as far as so few can."""
    for _ in range(1_000):
        text = "".join(secrets.choice(_DIGITS) for _ in range(6)) + "-" + secrets.choice(_WORDS)
        text = text if letters is None else text[:letters]
        if text not in others:
            break
    return text


class MadeUp:
    """The made-up secrets of one device. ``texts`` are those that were given, by what they stand for; devices that
    share them have equal passwords where they had equal ones."""

    def __init__(self, device: Device, texts: dict[Key, str] | None = None) -> None:
        self._letters = device.passwords.letters.value if device.passwords.letters is not None else None
        self._plains = sorted({text for _, each in secrets_of(device) if (text := plain_text(each))})
        self.texts: dict[Key, str] = {} if texts is None or self._letters is not None else texts
        self._stored: dict[tuple[Key, Form], StoredSecret] = {}

    def device(self, device: Device) -> Device:
        """The device with made-up secrets."""
        made: Device = replaced(device, StoredSecret, self._instead)
        return made

    def text_of(self, stored: StoredSecret, origin: Origin | None) -> str | None:
        """What opens the made-up secret that stands for a stored one; None where that one stays as it is."""
        key = self._key(stored, origin)
        return self.texts[key] if key is not None else None

    def text_for(self, device: Device, typed: str) -> str:
        """What to type in place of ``typed``: the made-up secret where it opens one of the device's own."""
        clipped = typed if self._letters is None else typed[: self._letters]
        for origin, stored in secrets_of(device):
            key = self._key(stored, origin)
            if key is None or not typed:
                continue
            plain = plain_text(stored)
            same = plain[: self._letters] == clipped if plain is not None else opens(stored, clipped)
            if same:
                return self.texts[key]
        return typed

    def _key(self, stored: StoredSecret, origin: Origin | None) -> Key | None:
        """What makes secrets the same one, with a text for it; None for what stays as it is."""
        plain = plain_text(stored)
        if stored.form in _AS_THEY_ARE or plain == "":
            return None
        if plain is not None:
            key: Key = "text", plain[: self._letters]
        elif stored.form is Form.HASHED:
            if opens(stored, ""):
                return None
            known = next((text for text in self._plains if opens(stored, text)), None)
            key = ("text", known[: self._letters]) if known is not None else ("hash", stored.text)
        elif stored.form is Form.WITHHELD:
            key = "line", origin  # each stands for one of its own
        else:
            key = "other", stored
        if key not in self.texts:
            self.texts[key] = made_up_text(self.texts.values(), self._letters)
        return key

    def _instead(self, stored: StoredSecret, origin: Origin | None, holder: type) -> StoredSecret:
        key = self._key(stored, origin)
        if key is None:
            return stored
        form = stored.form
        if holder is Server or stored.readable:
            form = Form.READABLE  # a shared secret is sent in no other form
        elif form is not Form.MASKED:
            form = Form.HASHED
        if (key, form) not in self._stored:
            text = self.texts[key]
            written = {Form.READABLE: text, Form.MASKED: mask(text)}.get(form) or hash_text(text, rounds=5_000)
            self._stored[key, form] = StoredSecret(form, written)
        return self._stored[key, form]


def with_keys(device: Device, pair_of: Callable[[PublicKey], PublicKey]) -> Device:
    """The device with other public keys, limits and comments kept."""

    def instead(key: PublicKey, _origin: Origin | None, _holder: type) -> PublicKey:
        other = pair_of(key)
        return key._replace(kind=other.kind, data=other.data)

    made: Device = replaced(device, PublicKey, instead)
    return made


def secrets_of(device: Device) -> Iterator[tuple[Origin | None, StoredSecret]]:
    """Every stored secret of a device, with its line."""
    found: list[tuple[Origin | None, StoredSecret]] = []

    def keep(stored: StoredSecret, origin: Origin | None, _holder: type) -> StoredSecret:
        found.append((origin, stored))
        return stored

    replaced(device, StoredSecret, keep)
    yield from found


def replaced(value: Any, kind: type, instead: Callable[..., Any], origin: Origin | None = None) -> Any:
    """A value with each one of a kind in it, however deep, replaced. ``instead`` gets it, the line that it stands on,
    and the kind of value that holds it. What has none in it stays the same object."""
    return _replaced(value, kind, instead, origin, type(None))


def _replaced(value: Any, kind: type, instead: Callable[..., Any], origin: Origin | None, holder: type) -> Any:
    if isinstance(value, kind):
        return instead(value, origin, holder)
    if isinstance(value, Origin | enum.Enum | str | int | bytes | None):
        return value
    if isinstance(value, Configured):
        origin = value.origin
    if isinstance(value, tuple):
        parts = [_replaced(each, kind, instead, origin, type(value)) for each in value]
        if all(new is old for new, old in zip(parts, value, strict=True)):
            return value
        return type(value)(*parts) if hasattr(value, "_fields") else tuple(parts)
    if isinstance(value, Mapping):
        changed = {name: _replaced(each, kind, instead, origin, type(value)) for name, each in value.items()}
        return value if all(changed[name] is each for name, each in value.items()) else changed
    return value
