"""The interface of a reader, for this package and for plug-ins."""

from typing import Protocol

from overhang.language import ParsedConfig


class Reader(Protocol):
    """Reads one format.

    ``name`` is what ``--reader`` calls it, ``about`` one line for people. ``recognises`` tells by the content (and the
    file's name) whether a file is of this format, and never raises. ``read`` gives the device with what was remarked on
    the way; it raises Unreadable, with one line that says what and where, for a file that is no text of the format at
    all, and nothing else.
    """

    name: str
    about: str

    def recognises(self, data: bytes, file: str) -> bool:
        """Whether a file is of this format."""
        ...

    def read(self, data: bytes, file: str) -> ParsedConfig:
        """Read it; ``file`` names it in every origin."""
        ...
