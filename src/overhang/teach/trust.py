"""Which steps may run: code is trusted by its digest, which the user gives; a step that changes is trusted no more.

A folder of configurations may be somebody else's, so that a step never runs for lying in it, nor because a project file
names its dialect.
"""

import hashlib
import os
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import NamedTuple

from overhang.files import STEP as ENDING
from overhang.text import OverhangError

_NAME = "trusted-steps.txt"
_LARGEST = 1_000_000
_HEAD = "# Steps of dialects that may run: the SHA-256 digest of each, and where it was when it was trusted.\n"


class NotAStep(OverhangError):
    """A file that cannot be trusted, or a list of them that cannot be read or written; the message says why."""


class Trusted(NamedTuple):
    """One step that may run: the digest of its file, and where that was."""

    digest: str
    path: str


def read_step(path: str) -> bytes:
    """The bytes of a step. Raises NotAStep."""
    try:
        with open(path, "rb") as stream:
            data = stream.read(_LARGEST + 1)
    except OSError as error:
        raise NotAStep(f"{path}: cannot be read: {error.strerror}") from None
    if len(data) > _LARGEST:
        raise NotAStep(f"{path}: larger than {_LARGEST // 1_000_000} MB, which no step is")
    return data


def digest_of(data: bytes) -> str:
    """The SHA-256 digest of a step, in hexadecimal."""
    return hashlib.sha256(data).hexdigest()


def list_file() -> Path:
    """The user's own list of trusted steps."""
    import platformdirs  # only where there is a step

    return Path(platformdirs.user_config_dir("overhang", appauthor=False)) / _NAME


def trusted_steps() -> list[Trusted]:
    """What the user's list holds; nothing where there is none. Raises NotAStep."""
    path = list_file()
    try:
        text = path.read_text("utf-8")
    except FileNotFoundError:
        return []
    except (OSError, UnicodeDecodeError) as error:
        raise NotAStep(f"{path}: cannot be read: {getattr(error, 'strerror', None) or 'not UTF-8 text'}") from None
    return list(_read(text))


def _read(text: str) -> Iterator[Trusted]:
    for line in text.splitlines():
        digest, _, path = line.partition("  ")
        if len(digest) == 64 and not line.startswith("#"):
            yield Trusted(digest, path)


def trust(paths: Iterable[str]) -> list[Trusted]:
    """Add steps to the user's list; those that were added. Raises NotAStep."""
    found = []
    for path in paths:
        if not path.endswith(ENDING):
            raise NotAStep(f"{path}: the file name of a dialect's step ends in {ENDING}")
        found.append(Trusted(digest_of(read_step(path)), os.path.realpath(path)))
    paths_now = {each.path for each in found}
    kept = [each for each in trusted_steps() if each.path not in paths_now and each not in found]
    _write([*kept, *found])
    return found


def forget(paths: Iterable[str]) -> list[Trusted]:
    """Take steps off the user's list, by their files' paths; those that were on it. Raises NotAStep."""
    wanted = {os.path.realpath(path) for path in paths}
    every = trusted_steps()
    gone = [each for each in every if each.path in wanted]
    if gone:
        _write([each for each in every if each not in gone])
    return gone


def _write(steps: Iterable[Trusted]) -> None:
    """Replace the list as a whole, so that an interruption leaves the old one."""
    import tempfile  # few runs trust anything

    path = list_file()
    text = _HEAD + "".join(f"{each.digest}  {each.path}\n" for each in steps)
    try:
        path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        handle, name = tempfile.mkstemp(dir=path.parent, prefix=_NAME)
        try:
            with os.fdopen(handle, "w", encoding="utf-8") as stream:
                stream.write(text)
            os.replace(name, path)
        except BaseException:
            os.unlink(name)
            raise
    except OSError as error:
        raise NotAStep(f"{path}: cannot be written: {error.strerror}") from None


def is_trusted(data: bytes, also: Iterable[str] = ()) -> bool:
    """Whether a step may run: its digest is on the user's list, or among ``also``. Raises NotAStep."""
    digest = digest_of(data)
    return digest in also or any(each.digest == digest for each in trusted_steps())
