"""What files are called that the product looks for, and which files a folder holds: without reading any of them."""

import os

TYPE_CHECKING = False
if TYPE_CHECKING:  # the typing module takes longer than this one
    from collections.abc import Callable, Iterator

PROJECT = "overhang.toml"
DIALECT = ".dialect.toml"
#: The step of a dialect in Python lies beside it under this ending.
STEP = ".dialect.py"
CHANGE = ".change"


def files_below(folder: str, problem: "Callable[[OSError], object] | None" = None) -> "Iterator[str]":
    """The files of a folder and those below, in the order of their names, but for hidden ones. ``problem`` is given
    what cannot be listed."""
    for here, folders, files in os.walk(folder, onerror=problem):
        folders[:] = sorted(name for name in folders if not name.startswith("."))
        for name in sorted(files):
            if not name.startswith("."):
                yield os.path.join(here, name)


def beside(folder: str) -> list[str]:
    """The dialects that lie in a folder, and their steps; none where it cannot be listed."""
    try:
        names = os.listdir(folder)
    except OSError:
        return []
    return sorted(os.path.join(folder, name) for name in names if name.endswith((DIALECT, STEP)))
