"""The published masking scheme: it keeps a password from a glance, and from nobody else.

``~`` and the lower-case base32 (RFC 4648, without padding) of the UTF-8 bytes in reverse order, byte i (from 0)
increased by 97 + 31 i modulo 256.
"""

import binascii
from functools import lru_cache


def _shifted(data: bytes, sign: int) -> bytes:
    return bytes((byte + sign * (97 + 31 * index)) % 256 for index, byte in enumerate(data))


def mask(text: str) -> str:
    """The masked form of ``text``."""
    import base64  # few passwords are masked

    shifted = _shifted(text.encode("utf-8")[::-1], 1)
    return "~" + base64.b32encode(shifted).decode("ascii").lower().rstrip("=")


@lru_cache(maxsize=1024)
def unmask(masked: str) -> str:
    """The text behind ``masked``. Raises ValueError, without quoting anything, where it is not a masked form."""
    body = masked[1:]
    if not masked.isascii() or not masked.startswith("~") or body != body.lower() or "=" in body:
        raise ValueError("a masked password is ~ and lower-case base32 without padding")
    import base64

    try:
        data = base64.b32decode(body.upper() + "=" * (-len(body) % 8))
        text = _shifted(data, -1)[::-1].decode("utf-8")
    except (binascii.Error, UnicodeDecodeError):
        raise ValueError("the text behind ~ is not base32 of a masked password") from None
    if mask(text) != masked:
        raise ValueError("the base32 behind ~ has stray bits at its end")
    return text
