"""What a reader of another format finds: statements of the sheet language, and lines that it does not understand."""

from typing import NamedTuple


class Line(NamedTuple):
    """One statement of the sheet language, and the line of the file that it comes from.

    ``head`` is the block with its colon, ``inner`` what is said in it: a statement, a line of a banner behind ``| ``,
    or None where the block is only begun.
    """

    line: int
    head: str
    inner: str | None = None


class Unread(NamedTuple):
    """A line that was not understood, why, and the head of the block that it puts in doubt, if it stands in one."""

    line: int
    why: str
    head: str = ""
