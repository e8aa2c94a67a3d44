"""The reader of XML-encoded instance data, as NETCONF carries it (RFC 6241); docs/models.md says of which modules."""

from overhang.models.tree import BadData
from overhang.models.xml_tree import NAMESPACES, read_xml
from overhang.readers.model_data import HEAD, device_of, located
from overhang.sheet import Sheet, Unreadable

_MARKS = tuple(uri.encode() for uri in NAMESPACES)


class XmlReader:
    """Reads instance data as XML."""

    name = "xml"
    about = "the same as XML: a <config>, or the <data> of a NETCONF reply (RFC 6241)"

    def recognises(self, data: bytes, file: str) -> bool:
        """By an angle bracket and the namespace of one of the modules, or of NETCONF."""
        del file
        head = data[:HEAD]
        return head.lstrip(b"\xef\xbb\xbf \t\r\n")[:1] == b"<" and any(mark in head for mark in _MARKS)

    def read(self, data: bytes, file: str) -> Sheet:
        """Read it. Raises Unreadable."""
        try:
            root = read_xml(data)
        except BadData as problem:
            raise Unreadable(located(problem)) from None
        return device_of(root, data.decode("utf-8", "replace"), file, self.name)


READER = XmlReader()
