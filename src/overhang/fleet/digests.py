"""Digests of what files hold."""

import hashlib

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable

SIZE = 16


def digest(parts: "Iterable[bytes]") -> bytes:
    """One digest of several parts, each in its place."""
    made = hashlib.blake2b(digest_size=SIZE)
    for part in parts:
        made.update(len(part).to_bytes(8) + part)
    return made.digest()


def content_digest(data: bytes) -> bytes:
    """The digest of a file's bytes."""
    return hashlib.blake2b(data, digest_size=SIZE).digest()
