"""What of the lines of a sheet may be shown."""

import re
from collections.abc import Mapping, Sequence
from functools import cache

from overhang.language.schema import SCHEMA
from overhang.text.quoting import SourceLines, Vouched, all_but

_KEYWORD = re.compile(r"[ \t]*([a-z][a-z0-9-]*):?(?=[ \t]|$)")
#: What the parser found on a line: the places of its secrets, and where its statement ends; or None where all of it is
#: published, as the lines of a banner are. Counted from the first sign that is no blank.
Found = tuple[tuple[tuple[int, int], ...], int] | None


def sheet_lines(lines: Sequence[str], read: Mapping[int, Found]) -> SourceLines:
    """The lines of a sheet; ``read`` says what the parser found on those that it understood."""

    def voucher(number: int) -> Vouched:
        raw = lines[number - 1].rstrip(" \t\r")
        if number not in read:
            return first_word(raw)
        found = read[number]
        if found is None:
            return Vouched(((0, len(raw)),))
        indent = len(raw) - len(raw.lstrip(" "))
        secrets, end = found
        return Vouched(
            all_but([(first + indent, last + indent) for first, last in secrets], end + indent), end + indent
        )

    return SourceLines(lines, voucher)


def first_word(line: str) -> Vouched:
    """Of a line that was not understood any word may be a secret: its first one is shown where it is a keyword."""
    found = _KEYWORD.match(line)
    return Vouched(((0, found.end()),) if found is not None and found.group(1) in _keywords() else ())


@cache
def _keywords() -> frozenset[str]:
    """The first words of all statements."""
    return frozenset({word for block in SCHEMA.table for word in SCHEMA.keywords(block)} | {"drop"})
