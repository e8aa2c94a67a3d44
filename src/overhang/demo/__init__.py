"""The demo network of Tidewater Ferries, a company that does not exist, as package data."""

from importlib.resources import files
from importlib.resources.abc import Traversable


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
