"""The reader of JSON-encoded instance data (RFC 7951); docs/models.md says of which modules."""

from overhang.models.json_tree import read_json
from overhang.models.tree import BadData
from overhang.readers.model_data import HEAD, MODULES, device_of, located
from overhang.sheet import Sheet, Unreadable
from overhang.sheet.load import decode


class JsonReader:
    """Reads instance data as JSON."""

    name = "json"
    about = "instance data of ietf-system, ietf-access-control-list and overhang-access as JSON (RFC 7951)"

    def recognises(self, data: bytes, file: str) -> bool:
        """By a brace and the name of one of the modules."""
        del file
        head = data[:HEAD]
        return head.lstrip(b"\xef\xbb\xbf \t\r\n")[:1] == b"{" and any(
            b'"' + module + b":" in head for module in MODULES
        )

    def read(self, data: bytes, file: str) -> Sheet:
        """Read it. Raises Unreadable."""
        text = decode(data)
        try:
            root = read_json(text)
        except BadData as problem:
            raise Unreadable(located(problem)) from None
        return device_of(root, text, file, self.name)


READER = JsonReader()
