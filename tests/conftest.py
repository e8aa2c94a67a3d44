import os
import subprocess
import sys
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import NamedTuple

import pytest


@pytest.fixture(scope="session", autouse=True)
def own_cache(tmp_path_factory: pytest.TempPathFactory) -> Iterator[None]:
    """No test reads or writes the cache of whoever runs it."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("XDG_CACHE_HOME", str(tmp_path_factory.mktemp("cache")))
        yield


class Ran(NamedTuple):
    code: int
    out: str
    err: str


@pytest.fixture
def overhang(tmp_path: Path) -> Callable[..., Ran]:
    """Runs the built program in a temporary folder, as a person would, with its output into pipes."""

    def run(*arguments: str, stdin: str = "", env: dict[str, str] | None = None) -> Ran:
        variables = {key: value for key, value in os.environ.items() if key not in ("COLUMNS", "NO_COLOR")}
        done = subprocess.run(
            [sys.executable, "-m", "overhang", *arguments],
            cwd=tmp_path,
            input=stdin,
            capture_output=True,
            text=True,
            encoding="utf-8",
            env={**variables, **(env or {})},
            timeout=120,
            check=False,
        )
        return Ran(done.returncode, done.stdout, done.stderr)

    return run


@pytest.fixture
def write(tmp_path: Path) -> Callable[[str, str | bytes], Path]:
    def write(name: str, content: str | bytes) -> Path:
        path = tmp_path / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(content if isinstance(content, bytes) else content.encode())
        return path

    return write
