"""On which line of a TOML file a table or a key stands, which the standard library's reader does not tell."""

import re
from collections.abc import Sequence

_TABLE = re.compile(r"\s*\[(\[?)\s*([^\]]+?)\s*\]")
_KEY = re.compile(r"""\s*("[^"]*"|'[^']*'|[A-Za-z0-9_.-]+)\s*=""")
_FENCE = re.compile('"""|' + "'''")


class TomlPositions:
    """Where the tables and keys of a file are said, as far as it is laid out as people lay it out."""

    def __init__(self, lines: Sequence[str]) -> None:
        self._keys: dict[tuple[str, str], int] = {}
        self._items: dict[str, list[int]] = {}
        path, fence = "", ""
        for number, line in enumerate(lines, 1):
            if not fence:
                path = self._line(number, line, path)
            for found in _FENCE.finditer(line):
                if not fence:
                    fence = found.group()
                elif fence == found.group():
                    fence = ""

    def _line(self, number: int, line: str, path: str) -> str:
        table = _TABLE.match(line)
        if table is not None:
            path = table[2].replace('"', "").replace("'", "")
            if table[1]:
                items = self._items.setdefault(path, [])
                items.append(number)
                path = f"{path}.{len(items) - 1}"
            self._keys.setdefault((path, ""), number)
            self._keys.setdefault(("", path.split(".")[0]), number)
            return path
        key = _KEY.match(line)
        if key is not None:
            self._keys.setdefault((path, key[1].strip("\"'")), number)
        return path

    def of(self, path: str, key: str) -> int:
        """The line of a key of a table, else of the table, else 1."""
        if (path, key) in self._keys:
            return self._keys[path, key]
        if (path, "") in self._keys:
            return self._keys[path, ""]
        outer, _, last = path.rpartition(".")
        return self._keys.get((outer, last), 1)

    def of_item(self, path: str, index: int) -> int:
        """The line where one of a list of tables begins."""
        items = self._items.get(path, [])
        return items[index] if index < len(items) else self.of("", path)

    def of_block(self, name: str) -> int:
        """The line where a block is told of."""
        return self.of(f"blocks.{name}", "")
