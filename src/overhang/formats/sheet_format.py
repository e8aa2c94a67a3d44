"""The reader of sheets, this project's own language (docs/sheet.md)."""

from overhang.language import SCHEMA, ParsedConfig, read_bytes

ENDING = ".sheet"
_LOOKED_AT = 40
_WORDS = frozenset((*SCHEMA.keywords(""), "drop"))


class SheetReader:
    """Reads sheets."""

    name = "sheet"
    about = "sheets, this project's own language; recognised by file name or by their first lines"

    def recognises(self, data: bytes, file: str) -> bool:
        """By the name; else a third at least of the first statements must begin as those of a sheet do."""
        if file.endswith(ENDING):
            return True
        if b"\0" in data:
            return False
        lines = data[:8192].decode("utf-8-sig", "replace").split("\n")
        heads = [line.rstrip() for line in lines if line.strip() and line[0] not in " \t#"][:_LOOKED_AT]
        right = sum(line.split()[0].rstrip(":") in _WORDS and (line.endswith(":") or ": " in line) for line in heads)
        return right * 3 >= max(1, len(heads))

    def read(self, data: bytes, file: str) -> ParsedConfig:
        """Read it. Raises Unreadable."""
        return read_bytes(data, file)


READER = SheetReader()
