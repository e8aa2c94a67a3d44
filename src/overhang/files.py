"""What files are called that the product looks for, and which files a folder holds: without reading any of them."""

import errno
import os
import stat

TYPE_CHECKING = False
if TYPE_CHECKING:  # the typing module takes longer than this one
    from collections.abc import Callable, Iterator

PROJECT = "overhang.toml"
DIALECT = ".dialect.toml"
#: The step of a dialect in Python lies beside it under this ending.
STEP = ".dialect.py"
CHANGE = ".change"
#: A cache of audits: its file, the key of its digests, and all files that it may consist of.
CACHE, CACHE_KEY = "audits.sqlite", "key"
CACHE_FILES = (CACHE, f"{CACHE}-wal", f"{CACHE}-shm", CACHE_KEY)


def files_below(folder: str, problem: "Callable[[OSError], object] | None" = None) -> "Iterator[str]":
    """The files of a folder and those below, in the order of their names, but for hidden ones and caches. ``problem``
    is given what cannot be listed."""
    for here, folders, files in os.walk(folder, onerror=problem):
        folders[:] = sorted(name for name in folders if not name.startswith("."))
        ours = CACHE_FILES if CACHE in files else ()
        for name in sorted(files):
            if not name.startswith(".") and name not in ours:
                yield os.path.join(here, name)


def open_regular(path: str) -> int | None:
    """Open a file to read it, by its number; None for a pipe, a socket or a device, which is never waited for. Raises
    OSError, for a folder too."""
    mode = os.stat(path).st_mode
    if stat.S_ISDIR(mode):
        raise IsADirectoryError(errno.EISDIR, os.strerror(errno.EISDIR), path)
    if not stat.S_ISREG(mode):
        return None
    handle = os.open(path, os.O_RDONLY | getattr(os, "O_NONBLOCK", 0) | getattr(os, "O_BINARY", 0))
    if stat.S_ISREG(os.fstat(handle).st_mode):
        return handle
    os.close(handle)
    return None


def read_whole(handle: int, most: int) -> bytes:
    """What an open file holds, of more than ``most`` bytes one more than that. Raises OSError.

    Many small files are read: asking the system directly takes a quarter of the time of a stream.
    """
    data = os.read(handle, min(os.fstat(handle).st_size, most) + 1)
    if len(data) > most or not data:
        return data
    parts = [data]
    while sum(map(len, parts)) <= most and (data := os.read(handle, 1 << 20)):
        parts.append(data)
    return b"".join(parts)[: most + 1]


def beside(folder: str) -> list[str]:
    """The dialects that lie in a folder, and their steps; none where it cannot be listed."""
    try:
        names = os.listdir(folder)
    except OSError:
        return []
    return sorted(os.path.join(folder, name) for name in names if name.endswith((DIALECT, STEP)))
