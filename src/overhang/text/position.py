"""Where something stands: values that every part of a device carries to the report."""

from typing import NamedTuple


class Origin(NamedTuple):
    """The statement that something came from: a file as the user named it, and a line counted from 1."""

    file: str
    line: int

    def __str__(self) -> str:
        return f"{self.file}:{self.line}"


class Span(NamedTuple):
    """A run of characters on one line. Columns count characters from 1; ``end`` is the first one after the run."""

    file: str
    line: int
    column: int
    end: int
