"""Writing reports: coloured by rich on a terminal, plain anywhere else, to a file all at once or not at all."""

import os
import sys
from collections.abc import Iterable

from overhang.cli.main import UserError
from overhang.report.lines import NARROWEST, WIDEST, Line, plain

_STYLES = {
    "critical": "bold white on red",
    "high": "bold red",
    "medium": "bold yellow",
    "low": "bold cyan",
    "info": "bold blue",
    "good": "bold green",
    "bold": "bold",
    "dim": "dim",
    "code": "italic",
    "said": "bold cyan",
}


def coloured() -> bool:
    """Whether standard output is a terminal that wants colour."""
    return sys.stdout.isatty() and not os.environ.get("NO_COLOR") and os.environ.get("TERM") != "dumb"


def width() -> int:
    """How wide a report may be: the terminal's width within limits; into a pipe, the widest."""
    if not sys.stdout.isatty() and "COLUMNS" not in os.environ:
        return WIDEST
    import shutil  # only a terminal has a size

    return max(NARROWEST, min(WIDEST, shutil.get_terminal_size((WIDEST, 24)).columns))


def show(lines: Iterable[Line]) -> None:
    """Print lines."""
    if not coloured():
        for line in lines:
            sys.stdout.write(plain([line]))
        return
    from rich.console import Console
    from rich.text import Text

    console = Console(highlight=False, soft_wrap=True)
    for line in lines:
        console.print(Text.assemble(*((text, _STYLES.get(style, "")) for text, style in line)))


def write_atomically(path: str, content: str | bytes) -> None:
    """Write a file so that it is there whole or not at all. Raises UserError."""
    data = content.encode("utf-8", "backslashreplace") if isinstance(content, str) else content
    import tempfile  # most runs write no file

    folder = os.path.dirname(path) or "."
    try:
        handle, temporary = tempfile.mkstemp(dir=folder, prefix=".overhang-")
        try:
            with os.fdopen(handle, "wb") as stream:
                stream.write(data)
            os.chmod(temporary, 0o666 & ~_umask())
            os.replace(temporary, path)
        except BaseException:
            os.unlink(temporary)
            raise
    except OSError as error:
        raise UserError(f"{path}: cannot be written: {error.strerror}") from None


def picture_kind(path: str) -> str:
    """The kind of picture that a file's name asks for: png, svg or pdf. Raises UserError."""
    kind = os.path.splitext(path)[1].lstrip(".").lower()
    if kind not in ("png", "svg", "pdf"):
        raise UserError(f"{path}: the name of a picture ends in .png, .svg or .pdf")
    return kind


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask
