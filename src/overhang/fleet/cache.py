"""What earlier runs found out, kept on this machine: one SQLite file, and the key of its digests.

Several runs may use it at once, and a run that is killed leaves it whole. No password is in it: digests under the key
stand for them. What is read from it counts only where its own digest under the key is right.
"""

import contextlib
import hashlib
import os
import pickle
import sqlite3
import time
import zlib
from collections.abc import Iterable, Iterator, Sequence
from typing import Any, NamedTuple

from overhang.files import CACHE, CACHE_FILES, CACHE_KEY
from overhang.fleet import answers
from overhang.fleet.answers import KEY_SIZE, Answer
from overhang.text import OverhangError

#: Beyond so many bytes what was not used for longest goes.
LARGEST = 512 * 1024 * 1024
_DIGEST, _BUSY, _DAY = 16, 20, 86_400
_SCHEMA = """
CREATE TABLE IF NOT EXISTS device (
    key BLOB NOT NULL, moment TEXT NOT NULL, least INTEGER NOT NULL, most INTEGER NOT NULL,
    used INTEGER NOT NULL, value BLOB NOT NULL, more BLOB NOT NULL, PRIMARY KEY (key, moment, least)
) WITHOUT ROWID;
CREATE TABLE IF NOT EXISTS network (
    key BLOB PRIMARY KEY, used INTEGER NOT NULL, value BLOB NOT NULL
) WITHOUT ROWID;
"""


class CacheProblem(OverhangError):
    """A cache that cannot be used; the message is one line."""


class Valid(NamedTuple):
    """When an answer holds again: at which ``moment`` ("" at any), and under which budgets for hashes."""

    moment: str = ""
    least: int = 0
    most: int = 2**62


class Kept(NamedTuple):
    """What is kept of a device: the value that every run needs, the moment at which it holds, and the other value as it
    is kept: see ``Cache.more_of``."""

    value: Any
    moment: str
    more: bytes


class Contents(NamedTuple):
    """What a cache holds: so many devices, networks and whole answers, in so many bytes; the day of the last use of the
    device that was not used for longest."""

    devices: int
    networks: int
    answers: int
    size: int
    oldest: int | None


class Cache:
    """The cache in a folder, which is made where there is none. Raises CacheProblem, from every method."""

    def __init__(self, folder: str) -> None:
        self.folder = folder
        try:
            os.makedirs(folder, mode=0o700, exist_ok=True)
            self.key = _key(os.path.join(folder, CACHE_KEY))
        except OSError as error:
            raise CacheProblem(f"the cache {folder} cannot be used: {error.strerror}") from None
        with self._told():
            self._base = sqlite3.connect(os.path.join(folder, CACHE), timeout=_BUSY, isolation_level=None)
            self._base.execute("PRAGMA auto_vacuum = INCREMENTAL")
            self._base.execute("PRAGMA journal_mode = WAL")
            self._base.execute("PRAGMA synchronous = NORMAL")
            self._base.executescript(_SCHEMA + answers.SCHEMA)
        self.today = int(time.time()) // _DAY
        self._used: dict[str, set[bytes]] = {"device": set(), "network": set(), "answer": set()}

    @contextlib.contextmanager
    def _told(self) -> Iterator[None]:
        try:
            yield
        except sqlite3.Error as error:
            raise CacheProblem(f"the cache {self.folder} cannot be used: {error}") from None

    def close(self) -> None:
        """Note what was used, let go of what is too much, and end."""
        with self._told():
            self._base.execute("BEGIN IMMEDIATE")
            for table, keys in self._used.items():
                rows = [(self.today, key, self.today) for key in keys]
                self._base.executemany(f"UPDATE {table} SET used = ? WHERE key = ? AND used < ?", rows)
            self._base.execute("COMMIT")
            if self._size() > LARGEST:
                self._shrink()
            self._base.close()

    # -- devices -------------------------------------------------------------------------------------------------------

    def device(self, key: bytes, moments: Sequence[str], budget: int) -> Kept | None:
        """What is kept of a device, at one of some moments and under a budget for its hashes. None where nothing is."""
        marks = ", ".join("?" for _ in moments)
        ask = (
            f"SELECT value, moment, more FROM device WHERE key = ? AND least <= ? AND most >= ? AND moment IN ({marks})"
        )
        with self._told():
            row = self._base.execute(ask, (key, budget, budget, *moments)).fetchone()
        value = self._opened("device", key, row)
        return None if value is None else Kept(value, *row[1:])

    def more_of(self, key: bytes, kept: bytes) -> Any | None:
        """The other value that is kept of a device; None where it was damaged."""
        return self._opened("device", key, (kept,))

    def keep_devices(self, rows: Iterable[tuple[bytes, Valid, Any, Any]]) -> None:
        """Keep what was found out of some devices, each as two values: all of them or, where that fails, none."""
        made = [
            (key, *valid, self.today, self._sealed(key, value), self._sealed(key, more))
            for key, valid, value, more in rows
        ]
        with self._told():
            self._base.execute("BEGIN IMMEDIATE")
            self._base.executemany("INSERT OR REPLACE INTO device VALUES (?, ?, ?, ?, ?, ?, ?)", made)
            self._base.execute("COMMIT")

    # -- networks ------------------------------------------------------------------------------------------------------

    def network(self, key: bytes) -> Any | None:
        """What is kept of devices together; None where nothing is."""
        with self._told():
            row = self._base.execute("SELECT value FROM network WHERE key = ?", (key,)).fetchone()
        return self._opened("network", key, row)

    def keep_network(self, key: bytes, value: Any) -> None:
        """Keep what was found out of devices together."""
        with self._told():
            row = (key, self.today, self._sealed(key, value))
            self._base.execute("INSERT OR REPLACE INTO network VALUES (?, ?, ?)", row)

    # -- whole answers -------------------------------------------------------------------------------------------------

    def keep_answer(self, asked: bytes, answer: Answer, state: bytes) -> None:
        """Keep the answer of a whole run; see ``answers.find``."""
        with self._told():
            row = answers.packed(self.key, asked, answer, state)
            self._base.execute(f"INSERT OR REPLACE INTO answer VALUES ({', '.join('?' * len(row))})", row)

    # -- the whole -----------------------------------------------------------------------------------------------------

    def contents(self) -> Contents:
        """What it holds."""
        with self._told():
            devices, oldest = self._base.execute("SELECT count(*), min(used) FROM device").fetchone()
            networks = self._base.execute("SELECT count(*) FROM network").fetchone()[0]
            whole = self._base.execute("SELECT count(*) FROM answer").fetchone()[0]
            return Contents(devices, networks, whole, self._size(), oldest)

    def _size(self) -> int:
        pages = [self._base.execute(f"PRAGMA {name}").fetchone()[0] for name in ("page_count", "page_size")]
        return int(pages[0]) * int(pages[1])

    def _shrink(self) -> None:
        """Let go of the half that was not used for longest, until it fits."""
        while self._size() > LARGEST * 3 // 4:
            for table in self._used:
                count = self._base.execute(f"SELECT count(*) FROM {table}").fetchone()[0]
                oldest = f"SELECT key FROM {table} ORDER BY used LIMIT {max(1, count // 2)}"
                self._base.execute(f"DELETE FROM {table} WHERE key IN ({oldest})")
            self._base.execute("PRAGMA incremental_vacuum").fetchall()
            if self.contents()[:3] == (0, 0, 0):
                return

    def _sealed(self, key: bytes, value: Any) -> bytes:
        content = zlib.compress(pickle.dumps(value, pickle.HIGHEST_PROTOCOL), 1)
        return self._seal(key, content) + content

    def _opened(self, table: str, key: bytes, row: Sequence[bytes] | None) -> Any | None:
        """A value that was kept; None where its seal is wrong: it was damaged, or is not of this machine."""
        if row is None or row[0][:_DIGEST] != self._seal(key, row[0][_DIGEST:]):
            return None
        self._used[table].add(key)
        return pickle.loads(zlib.decompress(row[0][_DIGEST:]))

    def _seal(self, key: bytes, content: bytes) -> bytes:
        return hashlib.blake2b(key + content, key=self.key, digest_size=_DIGEST).digest()


def contents_of(folder: str) -> Contents | None:
    """What the cache in a folder holds; None where there is none. Raises CacheProblem."""
    if not os.path.exists(os.path.join(folder, CACHE)):
        return None
    return Cache(folder).contents()


def remove(folder: str) -> bool:
    """Remove the cache in a folder, its key too; whether there was one. Raises CacheProblem."""
    found = False
    for name in CACHE_FILES:
        try:
            os.unlink(os.path.join(folder, name))
            found = True
        except (FileNotFoundError, NotADirectoryError):
            continue
        except OSError as error:
            raise CacheProblem(f"the cache {folder} cannot be removed: {error.strerror}") from None
    return found


def _key(path: str) -> bytes:
    """The key of this machine's digests, made where there is none. Raises OSError."""
    with contextlib.suppress(FileExistsError):
        fresh = f"{path}.{os.getpid()}"
        try:
            with open(fresh, "xb", opener=lambda name, flags: os.open(name, flags, 0o600)) as stream:
                stream.write(os.urandom(KEY_SIZE))
            os.link(fresh, path)  # whole or not at all, and never over another run's
        finally:
            with contextlib.suppress(FileNotFoundError):
                os.unlink(fresh)
    with open(path, "rb") as stream:
        key = stream.read(KEY_SIZE)
    if len(key) < KEY_SIZE:
        raise OSError(0, f"its file {CACHE_KEY} is damaged; overhang cache --empty makes a new one")
    return key
