"""Reading JSON-encoded instance data (RFC 7951) with the line of every value.

The standard library's reader tells no lines, takes duplicate names, and runs out of stack on deep data; so the tokens
are taken one by one here, and it is left to read what a string means.
"""

import json
import re

from overhang.formats.data_tree import DEEPEST, MOST_NODES, BadData, Node

_TOKEN = re.compile(
    r'(?P<space>[ \t\r]+)|(?P<line>\n)|(?P<mark>[{}\[\],:])|(?P<string>"(?:[^"\\\n]|\\.)*")'
    r"|(?P<word>true|false|null)|(?P<number>-?(?:0|[1-9]\d{0,40})(?:\.\d{1,40})?(?:[eE][+-]?\d{1,4})?)"
)


def read_json(text: str) -> Node:
    """The tree of a text; its root has no name. Raises BadData."""
    return _Reader(text).read()


class _Reader:
    def __init__(self, text: str) -> None:
        self.text = text
        self.at = 0
        self.line = 1
        self.count = 0

    def token(self) -> tuple[str, str]:
        while True:
            found = _TOKEN.match(self.text, self.at)
            if found is None:
                if self.at >= len(self.text):
                    return "end", ""
                raise BadData("not JSON: neither a value nor a name", self.line)
            self.at = found.end()
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
                raise BadData(f"the name {name[:60]} is given twice in one object", self.line)
            names.add(name)
            self.expect(":")
            self.value(parent, name, depth)
            mark = self.token()
            if mark == ("mark", "}"):
                return
            if mark != ("mark", ","):
                raise BadData("not JSON: expected , or }", self.line)
            kind, text = self.token()

    def value(self, parent: Node, name: str, depth: int) -> None:
        """One value, added to its parent: of a list every entry."""
        kind, text = self.token()
        if (kind, text) == ("mark", "["):
            self.entries(parent, name, depth)
        else:
            self.single(parent, name, depth, kind, text)

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
        if (kind, text) == ("mark", "{"):
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
