"""Reading XML-encoded instance data (RFC 7950, 6241) with the line of every element, and without trusting it.

A document type is refused outright: it is where entities that grow without bounds and references to other files are
declared, and no configuration needs one (RFC 7950 has none).
"""

from xml.parsers import expat

from overhang.formats.data_tree import DEEPEST, MOST_NODES, BadData, Node

#: The modules by their namespaces.
NAMESPACES = {
    "urn:ietf:params:xml:ns:yang:ietf-system": "ietf-system",
    "urn:ietf:params:xml:ns:yang:ietf-system-tacacs-plus": "ietf-system-tacacs-plus",
    "urn:ietf:params:xml:ns:yang:ietf-access-control-list": "ietf-access-control-list",
    "urn:ietf:params:xml:ns:netconf:base:1.0": "ietf-netconf",
    "tag:overhang.example,2026:yang:overhang-access": "overhang-access",
}
_LONGEST = 16_000_000


def read_xml(data: bytes) -> Node:
    """The tree of a document; its root has no name. Raises BadData."""
    return _Reader().read(data)


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
        if not node.children:
            node.text = text
