"""The whole answer of a run, kept for the next run that asks the same of the same files.

It is looked up before anything else of the product is imported, so that this module imports little. An answer holds
where the question, the program, the names and the content of all files that the run has read are as they were, and
where the day matters, on that day.
"""

import hashlib
import os
import sys
import time
import zlib

from overhang.files import CACHE, CACHE_KEY, beside, files_below, open_regular, read_whole
from overhang.fleet.digests import SIZE, content_digest, digest
from overhang.version import VERSION

TYPE_CHECKING = False
if TYPE_CHECKING:  # the typing module takes longer than this one
    from collections.abc import Callable, Iterable, Iterator, Sequence

KEY_SIZE = 32
#: A larger answer is not kept: reading it again would gain little, and displace much.
LARGEST = 64_000_000
SCHEMA = """
CREATE TABLE IF NOT EXISTS answer (
    key BLOB PRIMARY KEY, used INTEGER NOT NULL, day TEXT NOT NULL, state BLOB NOT NULL,
    files BLOB NOT NULL, code INTEGER NOT NULL, value BLOB NOT NULL, seal BLOB NOT NULL
) WITHOUT ROWID;
"""
#: So many files are worth looking for what earlier runs found out.
WORTH_KEEPING = 50
_BUSY, _DAY, _LARGEST_FILE = 20, 86_400, 256 * 1024 * 1024
_NOTHING = b"-" * SIZE


class Answer:
    """What a run wrote, in pieces between which the moment stands, and its exit code.

    ``day``: the day on which it holds, "" for any. ``reading`` is what the run has read.
    """

    def __init__(self, pieces: "Sequence[str]", code: int, day: str, reading: "Reading") -> None:
        self.pieces, self.code, self.day, self.reading = tuple(pieces), code, day, reading


class Reading:
    """What a run reads: the paths that it was given, further files that it read or looked for, and the folders in which
    it looked for dialects."""

    def __init__(self, paths: "Iterable[str]", further: "Iterable[str]", folders: "Iterable[str]") -> None:
        self.paths, self.further, self.folders = tuple(paths), sorted(set(further)), sorted(set(folders))

    def state(self, content_of: "Callable[[str], bytes] | None" = None) -> bytes:
        """The digest of the names and contents of all of it, as it is now or as ``content_of`` knows it."""
        read = content_of or content
        made = hashlib.blake2b(digest_size=SIZE)
        for path in self._files():
            if os.path.islink(path):
                made.update(b"%d>" % len(where := os.fsencode(os.path.realpath(path))) + where)
            made.update(b"%d:" % len(name := os.fsencode(path)) + name + read(path))
        return made.digest()

    def _files(self) -> "Iterator[str]":
        for path in self.paths:
            if os.path.isdir(path):
                yield path
                yield from files_below(path)
            else:
                yield path
        for folder in self.folders:
            yield from beside(folder)
        yield from self.further


def content(path: str) -> bytes:
    """The digest of what a file holds; of nothing where there is none that can be read, and for what is no file."""
    try:
        handle = open_regular(path)
        if handle is None:
            return _NOTHING
        try:
            return content_digest(read_whole(handle, _LARGEST_FILE))
        finally:
            os.close(handle)
    except OSError:
        return _NOTHING


def question(words: "Iterable[str]") -> bytes:
    """What stands for a question: all that its answer depends on but for files, the day and the moment."""
    where = [os.getcwd(), *_installed()]
    return digest(os.fsencode(each) for each in (program(), sys.version, *where, "", *words))


def program() -> str:
    """The program itself: its version, and when its files were written last, for those who work on it."""
    newest, count = 0, 0
    for folder, _, names in os.walk(os.path.dirname(os.path.dirname(__file__))):
        for name in names:
            if name.endswith((".py", ".toml", ".txt")):
                newest, count = max(newest, os.stat(os.path.join(folder, name)).st_mtime_ns), count + 1
    return f"{VERSION} {newest} {count}"


def _installed() -> "Iterator[str]":
    """The packages that could be imported, any of which may add readers; to ask for those that do takes longer."""
    for folder in sys.path:
        yield folder
        try:
            with os.scandir(folder or ".") as entries:
                found = [each for each in entries if each.name.endswith((".dist-info", ".egg-info"))]
                yield from sorted(f"{each.name} {each.stat().st_mtime_ns}" for each in found)
        except OSError:
            continue


def own_folder() -> str:
    """Where the cache of this user is."""
    import platformdirs  # only where there is a cache

    return platformdirs.user_cache_dir("overhang", appauthor=False)


def many(paths: "Iterable[str]") -> bool:
    """Whether so many files lie there that it is worth looking for an answer."""
    number = 0
    for path in paths:
        for _ in files_below(path) if os.path.isdir(path) else (path,):
            number += 1
            if number >= WORTH_KEEPING:
                return True
    return False


def today() -> str:
    """The day that it is, in UTC."""
    return time.strftime("%Y-%m-%d", time.gmtime())


def find(folder: str, asked: bytes, paths: "Sequence[str]", day: str) -> Answer | None:
    """The answer that the cache in a folder has to a question about the files that ``paths`` name; None where it has
    none that holds on a ``day``, and where the cache cannot be used, of which whoever works the answer out tells."""
    import sqlite3  # runs that keep nothing do without

    try:
        if not os.path.exists(os.path.join(folder, CACHE)):
            return None
        with open(os.path.join(folder, CACHE_KEY), "rb") as stream:
            key = stream.read(KEY_SIZE)
        base = sqlite3.connect(os.path.join(folder, CACHE), timeout=_BUSY, isolation_level=None)
        try:
            ask = "SELECT used, day, state, files, code, value, seal FROM answer WHERE key = ? AND day IN ('', ?)"
            row = base.execute(ask, (asked, day)).fetchone()
            if row is None or row[-1] != sealed(key, asked, row[1:-1]):
                return None
            answer = _opened(row, paths)
            if answer.reading.state() != row[2]:
                return None
            used = int(time.time()) // _DAY
            if row[0] < used:
                base.execute("UPDATE answer SET used = ? WHERE key = ?", (used, asked))
            return answer
        finally:
            base.close()
    except (OSError, sqlite3.Error):
        return None


def _opened(row: "Sequence[bytes]", paths: "Sequence[str]") -> Answer:
    further, folders = (os.fsdecode(part).split("\0") for part in zlib.decompress(row[3]).split(b"\0\0"))
    pieces = zlib.decompress(row[5]).decode("utf-8", "surrogatepass").split("\0")
    return Answer(pieces, int(row[4]), str(row[1]), Reading(paths, filter(None, further), filter(None, folders)))


def packed(key: bytes, asked: bytes, answer: Answer, state: bytes) -> "tuple[object, ...]":
    """What is kept of an answer, as a row of the table."""
    reading = answer.reading
    files = b"\0\0".join(os.fsencode("\0".join(each)) for each in (reading.further, reading.folders))
    value = zlib.compress("\0".join(answer.pieces).encode("utf-8", "surrogatepass"), 1)
    row = (answer.day, state, zlib.compress(files, 1), answer.code, value)
    return (asked, int(time.time()) // _DAY, *row, sealed(key, asked, row))


def sealed(key: bytes, asked: bytes, row: "Iterable[object]") -> bytes:
    """The seal of what is kept, under the key of this machine."""
    parts = [each if isinstance(each, bytes) else str(each).encode() for each in row]
    return hashlib.blake2b(digest([asked, *parts]), key=key, digest_size=SIZE).digest()
