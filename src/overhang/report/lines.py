"""Text for people: lines of styled pieces, which a terminal colours and a pipe does not.

A style is a word for what a piece means ("high", "dim", "good"), never a colour: the terminal has the colours.
"""

import textwrap
from collections.abc import Iterable

from overhang.text.printable import Printable, safe

Piece = tuple[str, str]
Line = list[Piece]

__all__ = ["NARROWEST", "WIDEST", "WIDEST_SHOWN", "Line", "Piece", "count", "cut", "plain", "safe", "wrap"]

#: The narrowest that reports are set, the widest in a file or a pipe, and the widest on a terminal.
NARROWEST, WIDEST, WIDEST_SHOWN = 60, 100, 160


def plain(lines: Iterable[Line]) -> Printable:
    """The lines without styles, each ended."""
    return Printable("".join("".join(safe(text) for text, _ in line).rstrip() + "\n" for line in lines))


def wrap(text: str, width: int) -> list[str]:
    """``text`` in lines of at most ``width`` characters, at least one."""
    return textwrap.wrap(safe(text), max(20, width), break_on_hyphens=False) or [""]


def cut(text: str, width: int) -> str:
    """``text`` made to fit, with an ellipsis where something is missing."""
    text = safe(text)
    return text if len(text) <= width else text[: max(1, width - 1)] + "…"


def count(number: int, thing: str, things: str = "") -> str:
    """``1 device``, ``2 devices``."""
    return f"{number:,} {thing if number == 1 else things or thing + 's'}"
