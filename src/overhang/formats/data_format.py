"""What the readers of both encodings of instance data share: from a tree to a device."""

from collections.abc import Callable, Collection

from overhang.formats.assemble import Source, assemble
from overhang.formats.data_reader import read_model
from overhang.formats.data_tree import BadData, Node
from overhang.language import ParsedConfig
from overhang.profiles import KEYS, UNKNOWN, Profile
from overhang.text import SourceLines, UnreadableInput

_HEAD = 65_536
#: Standard modules alone leave much unconfigured, and what a device then does is not known.
UNSTATED = Profile(
    "unstated", "what the device does where nothing is configured is unknown", dict.fromkeys(KEYS, UNKNOWN)
)


class DataReader:
    """Reads one encoding: a text that begins with ``first`` and holds one of ``marks`` near its top, by ``parse``.

    ``parse`` makes a tree of the bytes, and raises BadData; ``lines`` tells what of the lines may be shown.
    """

    def __init__(
        self,
        name: str,
        about: str,
        first: bytes,
        marks: tuple[bytes, ...],
        parse: Callable[[bytes], Node],
        lines: Callable[[str, Node, Collection[int]], SourceLines],
    ) -> None:
        self.name, self.about = name, about
        self._first, self._marks, self._parse, self._lines = first, marks, parse, lines

    def recognises(self, data: bytes, file: str) -> bool:
        """By its first sign, and the name of one of the modules."""
        del file
        head = data[:_HEAD]
        return head.lstrip(b"\xef\xbb\xbf \t\r\n").startswith(self._first) and any(mark in head for mark in self._marks)

    def read(self, data: bytes, file: str) -> ParsedConfig:
        """Read it. Raises UnreadableInput."""
        try:
            model = read_model(root := self._parse(data))
        except BadData as problem:
            raise UnreadableInput(f"{problem}, on line {problem.line}" if problem.line else str(problem)) from None
        unread = {each.line for each in model.collected.unread}
        lines = self._lines(data.decode("utf-8-sig", "replace"), root, unread)
        return assemble(Source(file, lines, self.name), model.collected, UNSTATED if model.standard else None)
