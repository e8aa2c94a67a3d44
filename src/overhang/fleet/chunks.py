"""Which files of a run are worked out together: those that look alike, so that one worker analyses what they share."""

import re
from collections import Counter
from collections.abc import Callable, Sequence
from typing import NamedTuple

from overhang.fleet.digests import content_digest
from overhang.text import UnreadableInput

Chunk = tuple[int, ...]

_LARGEST = 100
#: So much of a file is looked at, and of each line that is neither empty nor a remark where it begins and with what.
_LOOKED_AT = 1 << 16
_BEGINNING = re.compile(rb"(?m)^[ \t]*[^\w\s#]*[\w-]+")


class File(NamedTuple):
    """A file to examine, the folder in which it was found, and what it has in common with files that look alike.

    ``alike``: whether there are others in this run, None where nobody has looked.
    """

    folder: str | None
    path: str
    look: bytes = b""
    alike: bool | None = None


def looked_at(files: Sequence[tuple[str | None, str]], bytes_of: Callable[[str], bytes]) -> list[File]:
    """Files, with what they look like."""
    looks = [_look_of(path, bytes_of) for _, path in files]
    number = Counter(looks)
    return [File(folder, path, look, number[look] > 1) for (folder, path), look in zip(files, looks, strict=True)]


def _look_of(path: str, bytes_of: Callable[[str], bytes]) -> bytes:
    """What files that look alike have in common."""
    try:
        return content_digest(b"\n".join(_BEGINNING.findall(bytes_of(path)[:_LOOKED_AT])))
    except UnreadableInput:
        return b""  # whoever examines it says why


def chunks_of(files: Sequence[File], workers: int) -> list[Chunk]:
    """Files in chunks, by their places: several for each of the workers, so that none waits long for the last."""
    size = max(1, min(_LARGEST, len(files) // (workers * 8)))
    alike: dict[bytes, list[int]] = {}
    for place, file in enumerate(files):
        alike.setdefault(file.look, []).append(place)
    chunks: list[Chunk] = []
    waiting: list[int] = []
    for places in alike.values():
        if len(waiting) + len(places) > size:
            chunks += _cut(waiting, size)
            waiting = []
        waiting += places
    return chunks + _cut(waiting, size)


def _cut(places: Sequence[int], size: int) -> list[Chunk]:
    return [tuple(places[start : start + size]) for start in range(0, len(places), size)]
