"""The reader of XML-encoded instance data, as NETCONF carries it (RFC 6241); docs/models.md says of which modules."""

from overhang.formats.data_format import DataReader
from overhang.formats.xml_tree import NAMESPACES, XmlVoucher, read_xml

READER = DataReader(
    "xml",
    "the same as XML: a <config>, or the <data> of a NETCONF reply (RFC 6241)",
    b"<",
    tuple(uri.encode() for uri in NAMESPACES),
    read_xml,
    XmlVoucher.lines,
)
