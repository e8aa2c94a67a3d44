"""Reading JSON-encoded instance data (RFC 7951) with the line of every value, and showing its lines.

The standard library's reader tells no lines, takes duplicate names, and runs out of stack on deep data; so the tokens
are taken one by one here, and it is left to read what a string means.
"""

import bisect
import json
import re
from collections.abc import Collection, Iterator
from functools import cached_property

from overhang.formats.data_tree import DEEPEST, MOST_NODES, NOWHERE, BadData, Node
from overhang.text.quoting import LONGEST_SHOWN, SourceLines, Vouched

_TOKEN = re.compile(
    r'(?P<space>[ \t\r]+)|(?P<line>\n)|(?P<mark>[{}\[\],:])|(?P<string>"[^"\\\n]*(?:\\.[^"\\\n]*)*")'
    r"|(?P<word>true|false|null)|(?P<number>-?(?:0|[1-9]\d{0,40})(?:\.\d{1,40})?(?:[eE][+-]?\d{1,4})?)"
)


#: Of a line no more is looked at to show it.
_LOOKED_AT = 10 * LONGEST_SHOWN


def read_json(text: str) -> Node:
    """The tree of a text; its root has no name. Raises BadData.

    Of a node ``begins`` is the span of its name, ``ends`` that of its text, in characters from the start of the text.
    """
    return _Reader(text).read()


class JsonVoucher:
    """What of the lines of a text may be shown: its marks, the names that a reader asked for, and the values of those
    that are no secrets. Of a line that was not understood no value is."""

    def __init__(self, text: str, root: Node, unread: Collection[int]) -> None:
        self.text, self.root, self.unread = text, root, unread

    @classmethod
    def lines(cls, text: str, root: Node, unread: Collection[int]) -> SourceLines:
        """The lines of a text whose tree was read."""
        return SourceLines(text.split("\n"), cls(text, root, unread))

    @cached_property
    def starts(self) -> list[int]:
        """Where each line starts."""
        return [0, *(found.end() for found in re.finditer("\n", self.text))]

    @cached_property
    def vouched(self) -> set[tuple[int, int]]:
        """The spans of the names and values that may be shown."""
        return set(self._known())

    def _known(self) -> Iterator[tuple[int, int]]:
        for node in self.root.every():
            if node.known:
                yield node.begins
                if not node.secret and node.ends[0] >= 0 and not self._unread(node.ends[0]):
                    yield node.ends

    def _unread(self, at: int) -> bool:
        return bisect.bisect_right(self.starts, at) in self.unread

    def __call__(self, number: int) -> Vouched:
        """What may be shown of a line."""
        start = self.starts[number - 1]
        end = self.starts[number] - 1 if number < len(self.starts) else len(self.text)
        spans = []
        for found in _TOKEN.finditer(self.text, start, min(end, start + _LOOKED_AT)):
            if found.lastgroup in ("mark", "space") or found.span() in self.vouched:
                spans.append((found.start() - start, found.end() - start))
        return Vouched(spans)


class _Reader:
    def __init__(self, text: str) -> None:
        self.text = text
        self.at = 0
        self.begun = 0
        self.line = 1
        self.count = 0

    def token(self) -> tuple[str, str]:
        while True:
            found = _TOKEN.match(self.text, self.at)
            if found is None:
                if self.at >= len(self.text):
                    return "end", ""
                raise BadData("not JSON: neither a value nor a name", self.line)
            self.begun, self.at = found.span()
            kind = found.lastgroup or ""
            if kind == "line":
                self.line += 1
            elif kind != "space":
                return kind, found.group()

    def string(self, text: str) -> str:
        try:
            return str(json.loads(text))
        except ValueError:
            raise BadData("not JSON: a string that cannot be read", self.line) from None

    def expect(self, mark: str) -> None:
        if self.token() != ("mark", mark):
            raise BadData(f"not JSON: expected {mark}", self.line)

    def read(self) -> Node:
        root = Node("", "", 1)
        if self.token() != ("mark", "{"):
            raise BadData("expected an object", self.line)
        self.members(root, 1)
        if self.token()[0] != "end":
            raise BadData("unexpected text after the data; one file holds one device", self.line)
        return root

    def members(self, parent: Node, depth: int) -> None:
        """What stands between the braces of an object."""
        if depth > DEEPEST:
            raise BadData(f"nested more than {DEEPEST} deep, more than any device's data", self.line)
        names: set[str] = set()
        kind, text = self.token()
        if (kind, text) == ("mark", "}"):
            return
        while True:
            if kind != "string":
                raise BadData("not JSON: expected a name in quotes", self.line)
            name = self.string(text)
            if name in names:
                raise BadData("a name is given twice in one object", self.line)
            names.add(name)
            place = (self.begun, self.at)
            self.expect(":")
            self.value(parent, name, place, depth)
            mark = self.token()
            if mark == ("mark", "}"):
                return
            if mark != ("mark", ","):
                raise BadData("not JSON: expected , or }", self.line)
            kind, text = self.token()

    def value(self, parent: Node, name: str, place: tuple[int, int], depth: int) -> None:
        """One value, added to its parent: of a list every entry."""
        first = len(parent.children)
        kind, text = self.token()
        if (kind, text) == ("mark", "["):
            self.entries(parent, name, depth)
        else:
            self.single(parent, name, depth, kind, text)
        for node in parent.children[first : first + 1]:
            node.begins = place

    def entries(self, parent: Node, name: str, depth: int) -> None:
        kind, text = self.token()
        if (kind, text) == ("mark", "]"):
            return
        while True:
            self.single(parent, name, depth, kind, text)
            mark = self.token()
            if mark == ("mark", "]"):
                return
            if mark != ("mark", ","):
                raise BadData("not JSON: expected , or ]", self.line)
            kind, text = self.token()

    def single(self, parent: Node, name: str, depth: int, kind: str, text: str) -> None:
        self.count += 1
        if self.count > MOST_NODES:
            raise BadData(f"more than {MOST_NODES:,} values, more than any device has", self.line)
        module, colon, local = name.partition(":")
        node = Node(local if colon else name, module if colon else parent.module, self.line)
        node.ends = (self.begun, self.at)
        if (kind, text) == ("mark", "{"):
            node.ends = NOWHERE
            self.members(node, depth + 1)
        elif kind == "string":
            node.text = self.string(text)
        elif kind == "word":
            node.text = "" if text == "null" else text
        elif kind == "number":
            node.text = text
        else:
            what = "a list within a list is not instance data" if text == "[" else "not JSON: expected a value"
            raise BadData(what, self.line)
        parent.children.append(node)
