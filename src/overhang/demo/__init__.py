"""The demo network of Tidewater Ferries, a company that does not exist, as package data."""

import datetime
import tomllib
from importlib.resources import files
from importlib.resources.abc import Traversable
from typing import NamedTuple


class Chapter(NamedTuple):
    """One commit of the demo's history: when, who, the note, and the files that it changes, by their names."""

    when: datetime.datetime
    who: str
    note: str
    files: dict[str, bytes]


def demo_files() -> dict[str, bytes]:
    """The demo's files by their path inside its folder, with / between the parts, sorted."""
    found: dict[str, bytes] = {}
    _collect(files("overhang.demo") / "network", "", found)
    return dict(sorted(found.items()))


def _collect(folder: Traversable, prefix: str, found: dict[str, bytes]) -> None:
    for item in folder.iterdir():
        if item.is_dir():
            _collect(item, f"{prefix}{item.name}/", found)
        else:
            found[prefix + item.name] = item.read_bytes()


def demo_story() -> list[Chapter]:
    """The commits of the demo's history, oldest first."""
    folder = files("overhang.demo") / "story"
    told = tomllib.loads((folder / "story.toml").read_text(encoding="utf-8"))
    found = []
    for each in told["commit"]:
        held: dict[str, bytes] = {}
        _collect(folder / each["folder"], "", held)
        found.append(Chapter(each["when"], each["who"], each["note"], dict(sorted(held.items()))))
    return found
