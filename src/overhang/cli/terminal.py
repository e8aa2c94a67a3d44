"""How reports look: coloured by rich on a terminal, plain anywhere else."""

import os
import sys
from collections.abc import Iterable

from overhang.cli.errors import UserError
from overhang.cli.output import write_out
from overhang.report.lines import NARROWEST, WIDEST, WIDEST_SHOWN, Line, plain
from overhang.text.printable import Printable, data, safe, safe_lines

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

_DRAWN = {"│": "|", "─": "-", "┬": "+", "┼": "+", "┴": "+", "…": "...", "“": '"', "”": '"', "·": "-", "→": "->"}
_ASCII = str.maketrans(_DRAWN)


def coloured() -> bool:
    """Whether standard output is a terminal that wants colour."""
    return sys.stdout.isatty() and not os.environ.get("NO_COLOR") and os.environ.get("TERM") != "dumb"


def width() -> int:
    """How wide a report may be: the terminal's width within limits; into a pipe, the widest."""
    if not sys.stdout.isatty() and "COLUMNS" not in os.environ:
        return WIDEST
    import shutil  # only a terminal has a size

    return max(NARROWEST, min(WIDEST_SHOWN, shutil.get_terminal_size((WIDEST, 24)).columns))


def show(lines: Iterable[Line]) -> None:
    """Print lines."""
    if not coloured():
        for line in lines:
            write_out(spelt(plain([line])))
        return
    import io

    from rich.console import Console
    from rich.text import Text

    made = io.StringIO()  # rich would end the program where a pipe is closed
    console = Console(file=made, force_terminal=True, highlight=False, soft_wrap=True)
    for line in lines:
        console.print(Text.assemble(*((spelt(safe(text)), _STYLES.get(style, "")) for text, style in line)))
    write_out(Printable(made.getvalue()))


def write_data(text: str) -> None:
    """Write a text that a program may read: to a file or a pipe as it is, to a terminal so that nothing steers it."""
    write_out(safe_lines(text) if sys.stdout.isatty() else data(text))


def spelt(text: Printable) -> Printable:
    """``text`` with what reports are drawn with in ASCII, where standard output cannot show more."""
    if text.isascii():
        return text
    try:
        text.encode(sys.stdout.encoding or "utf-8")
    except UnicodeEncodeError:
        return Printable(text.translate(_ASCII))
    return text


def picture_kind(path: str) -> str:
    """The kind of picture that a name asks for: png, svg or pdf. Raises UserError, also where nothing can draw."""
    kind = os.path.splitext(path)[1].lstrip(".").lower()
    if kind not in ("png", "svg", "pdf"):
        raise UserError(f"{path}: the name of a picture ends in .png, .svg or .pdf")
    import importlib.util  # only whoever wants a picture need wait for it

    if importlib.util.find_spec("matplotlib") is None:
        raise UserError("pictures need a further package: pip install 'overhang[charts]'")
    return kind
