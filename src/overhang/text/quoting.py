"""Lines of a file, and what of them may be shown.

A file holds other people's passwords. So the text of its lines leaves this module in one way only: a reader vouches for
spans of a line, and the quoted line is made of these. What no reader has vouched for is not shown.
"""

from collections.abc import Callable, Iterator, Sequence
from typing import NamedTuple, NewType

#: Text of a source line that may be shown: made here and nowhere else.
Shown = NewType("Shown", str)
#: What stands in place of what is not shown.
STRUCK = "***"
#: A quoted line is cut here.
LONGEST_SHOWN = 2_000
NOTHING = Shown("")


class Vouched(NamedTuple):
    """What a reader vouches for on a line: spans as (first, behind the last), counted in characters from 0.

    What stands behind ``end`` is left out without a mark, as a comment is; None: nothing is.
    """

    spans: Sequence[tuple[int, int]]
    end: int | None = None


#: Says what of a line, by its number from 1, may be shown.
Voucher = Callable[[int], Vouched]


class SourceLines:
    """The lines of one file. They are counted freely, and quoted as far as a reader vouches for them."""

    def __init__(self, lines: Sequence[str], voucher: Voucher) -> None:
        self._lines = lines
        self._voucher = voucher
        self._quoted: dict[int, Shown] = {}

    def __len__(self) -> int:
        return len(self._lines)

    def quote(self, number: int) -> Shown:
        """Line ``number`` (from 1) as it may be shown, its indentation kept; "" where there is no such line."""
        found = self._quoted.get(number)
        if found is None:
            known = 0 < number <= len(self._lines)
            found = quoted(self._lines[number - 1].rstrip("\r"), self._voucher(number)) if known else NOTHING
            self._quoted[number] = found
        return found

    def digest(self, number: int) -> bytes:
        """What tells line ``number`` from others and does not give it away: a SHA-256 of it blanks aside."""
        import hashlib  # few runs compare lines

        text = self._lines[number - 1].strip() if 0 < number <= len(self._lines) else ""
        return hashlib.sha256(text.encode("utf-8", "surrogatepass")).digest()

    def reveal(self, number: int) -> Shown:
        """Line ``number`` as it stands, passwords and all: for those who asked to see them."""
        return Shown(self._lines[number - 1])


def revealed(text: str) -> Shown:
    """A part of a line as it stands, passwords and all: for those who asked to see them."""
    return Shown(text)


def quoted(line: str, vouched: Vouched) -> Shown:
    """``line`` made of the spans that are vouched for, with ``***`` where something is missing between them."""
    end = len(line) if vouched.end is None else min(vouched.end, len(line))
    return Shown("".join(_pieces(line, vouched, end)).rstrip(" \t"))


def struck(line: str) -> Shown:
    """A line of which nothing is vouched for: its indentation, and that something stands there."""
    return Shown(_gap(line).rstrip(" \t"))


def _pieces(line: str, vouched: Vouched, end: int) -> Iterator[str]:
    at = size = 0
    for first, behind in (*sorted(vouched.spans), (end, end)):
        first, behind = min(first, end), min(behind, end)
        if first > at:
            gap = _gap(line[at:first])
            yield gap
            size += len(gap)
        if behind > max(first, at):
            piece = line[max(first, at) : behind]
            yield piece[: max(0, LONGEST_SHOWN - size)]
            size += len(piece)
        at = max(at, behind)
        if size > LONGEST_SHOWN:
            yield "…"
            return


def _gap(text: str) -> str:
    """What stands in place of a text that is not shown: the blanks around it stay."""
    inner = text.strip(" \t")
    if not inner:
        return text
    before = len(text) - len(text.lstrip(" \t"))
    after = len(text) - len(text.rstrip(" \t"))
    return text[:before] + STRUCK + (text[-after:] if after else "")


def all_but(struck: Sequence[tuple[int, int]], end: int) -> list[tuple[int, int]]:
    """The spans of a line up to ``end`` that lie between those of ``struck``."""
    spans, at = [], 0
    for first, behind in (*sorted(struck), (end, end)):
        if first > at:
            spans.append((at, first))
        at = max(at, behind)
    return spans
