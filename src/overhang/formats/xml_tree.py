"""Reading XML-encoded instance data (RFC 7950, 6241) with the line of every element, and without trusting it; and
showing its lines.

A document type is refused outright: it is where entities that grow without bounds and references to other files are
declared, and no configuration needs one (RFC 7950 has none).
"""

import re
from collections.abc import Collection, Iterator
from functools import cached_property
from xml.parsers import expat

from overhang.formats.data_tree import DEEPEST, MOST_NODES, BadData, Node
from overhang.text.quoting import SourceLines, Vouched

#: The modules by their namespaces.
NAMESPACES = {
    "urn:ietf:params:xml:ns:yang:ietf-system": "ietf-system",
    "urn:ietf:params:xml:ns:yang:ietf-system-tacacs-plus": "ietf-system-tacacs-plus",
    "urn:ietf:params:xml:ns:yang:ietf-access-control-list": "ietf-access-control-list",
    "urn:ietf:params:xml:ns:netconf:base:1.0": "ietf-netconf",
    "tag:overhang.example,2026:yang:overhang-access": "overhang-access",
}
_LONGEST = 16_000_000


_NAMESPACE = re.compile("|".join(rf' xmlns="{re.escape(uri)}"' for uri in NAMESPACES))
_CLOSED = re.compile(r"[ \t]*/?>")


def read_xml(data: bytes) -> Node:
    """The tree of a document; its root has no name. Raises BadData.

    Of a node ``begins`` is the line and column (from 0) where it begins, ``ends`` that of its closing tag.
    """
    return _Reader().read(data)


class XmlVoucher:
    """What of the lines of a document may be shown: the tags of the elements that a reader asked for, and their texts
    where those are no secrets and stand there as they are. Attributes are not, nor is a text on a line that was not
    understood."""

    def __init__(self, lines: list[str], root: Node, unread: Collection[int]) -> None:
        self.texts, self.root, self.unread = lines, root, unread

    @classmethod
    def lines(cls, text: str, root: Node, unread: Collection[int]) -> SourceLines:
        """The lines of a document whose tree was read."""
        lines = text.split("\n")
        return SourceLines(lines, cls(lines, root, unread))

    @cached_property
    def vouched(self) -> dict[int, list[tuple[int, int]]]:
        """The spans of each line that may be shown."""
        found: dict[int, list[tuple[int, int]]] = {}
        for node in self.root.every():
            if node.known:
                for number, first, behind in self._spans(node):
                    found.setdefault(number, []).append((first, behind))
        return found

    def _spans(self, node: Node) -> Iterator[tuple[int, int, int]]:
        number, column = node.begins
        if not 0 < number <= len(self.texts):
            return
        yield from self._tag(number, column, "<", node.name)
        last, end = node.ends
        if not 0 < last <= len(self.texts):
            return
        yield from self._tag(last, end, "</", node.name)
        stands = last == number and bool(node.text) and self.texts[last - 1][:end].endswith(f">{node.text}")
        if stands and not node.secret and number not in self.unread:
            yield number, end - len(node.text or ""), end

    def _tag(self, number: int, column: int, sign: str, name: str) -> Iterator[tuple[int, int, int]]:
        line = self.texts[number - 1]
        if not line.startswith(f"{sign}{name}", column):
            return
        end = column + len(sign) + len(name)
        namespace = _NAMESPACE.match(line, end)
        end = namespace.end() if namespace is not None else end
        closed = _CLOSED.match(line, end)
        yield number, column, closed.end() if closed is not None else end

    def __call__(self, number: int) -> Vouched:
        """What may be shown of a line."""
        return Vouched(self.vouched.get(number, ()))


class _Reader:
    def __init__(self) -> None:
        self.root = Node("", "", 1)
        self.stack = [self.root]
        self.texts: list[list[str]] = [[]]
        self.count = self.size = 0
        self.parser = expat.ParserCreate(namespace_separator="}")
        self.parser.buffer_text = True
        self.parser.StartDoctypeDeclHandler = self.doctype
        self.parser.StartElementHandler = self.start
        self.parser.EndElementHandler = self.end
        self.parser.CharacterDataHandler = self.characters

    def read(self, data: bytes) -> Node:
        try:
            self.parser.Parse(data, True)
        except expat.ExpatError as error:
            reason = expat.ErrorString(error.code)
            raise BadData(f"not XML: {reason}", error.lineno) from None
        except (LookupError, ValueError):
            raise BadData("not XML: its encoding is not known", 1) from None
        finally:
            for handler in (
                "StartDoctypeDeclHandler",
                "StartElementHandler",
                "EndElementHandler",
                "CharacterDataHandler",
            ):
                setattr(self.parser, handler, None)  # the parser would hold this, and this the parser, for ever
        return self.root

    def doctype(self, *_: object) -> None:
        raise BadData(
            "a document type is not read: it could make the text grow without bounds, or fetch other files",
            self.parser.CurrentLineNumber,
        )

    def start(self, name: str, _: dict[str, str]) -> None:
        line = self.parser.CurrentLineNumber
        self.count += 1
        if self.count > MOST_NODES:
            raise BadData(f"more than {MOST_NODES:,} elements, more than any device has", line)
        if len(self.stack) > DEEPEST:
            raise BadData(f"nested more than {DEEPEST} deep, more than any device's data", line)
        namespace, brace, local = name.rpartition("}")
        module = NAMESPACES.get(namespace, namespace) if brace else ""
        node = Node(local, module, line)
        node.begins = (line, self.parser.CurrentColumnNumber)
        self.stack[-1].children.append(node)
        self.stack.append(node)
        self.texts.append([])

    def characters(self, text: str) -> None:
        self.size += len(text)
        if self.size > _LONGEST:
            raise BadData("more text than a device's configuration holds", self.parser.CurrentLineNumber)
        self.texts[-1].append(text)

    def end(self, _: str) -> None:
        node = self.stack.pop()
        text = "".join(self.texts.pop())
        node.ends = (self.parser.CurrentLineNumber, self.parser.CurrentColumnNumber)
        if not node.children:
            node.text = text
