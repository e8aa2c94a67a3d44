"""TOML files that people write: where each key stands, and the checks that every such file needs.

The standard library's reader does not tell on which line a key stands. What is wrong with a file is collected, each
problem with its line, so that all of it can be told at once.
"""

import re
from collections.abc import Iterable, Mapping, Sequence
from typing import Any, NamedTuple

from overhang.text.quoting import STRUCK
from overhang.text.suggest import did_you_mean

_TABLE = re.compile(r"\s*\[(\[?)\s*([^\]]+?)\s*\]")
_KEY = re.compile(r"""\s*("[^"]*"|'[^']*'|[A-Za-z0-9_.-]+)\s*=""")
_FENCE = re.compile('"""|' + "'''")


class TomlPositions:
    """Where the tables and keys of a file stand, as far as it is laid out as people lay it out."""

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


class TomlProblem(NamedTuple):
    """Something wrong with a file: the line, and what is wrong there."""

    line: int
    message: str


def parse_toml(data: bytes, most: int, what: str) -> tuple[Mapping[str, Any], tuple[str, ...]] | TomlProblem:
    """The table of a file and its lines; or why it is none, as where it is larger than ``most`` bytes."""
    import tomllib  # only where there is such a file

    if len(data) > most:
        return TomlProblem(1, f"larger than {most // 1_000_000} MB, which no {what} is")
    try:
        text = data.decode("utf-8")
        return tomllib.loads(text), tuple(text.splitlines())
    except UnicodeDecodeError:
        return TomlProblem(1, "not UTF-8 text")
    except (ValueError, RecursionError) as error:  # a ValueError of its own for a number of thousands of digits
        found = re.search(r"at line (\d+)", str(error))
        known = isinstance(error, tomllib.TOMLDecodeError)
        why = (
            re.sub(r"'.*'|\".*\"", STRUCK, str(error))[:200]
            if known
            else "a number that is too long, or nested too deep"
        )
        return TomlProblem(int(found[1]) if found else 1, f"not TOML: {why}")


_MEANT = "did you mean"
#: Unknown keys that may be shown: nobody's password, and often written here. Another may be one that was misplaced.
_HARMLESS = frozenset({"password", "passwords", "secret", "account", "pass-over", "name", "level", "comment"})


class TomlValidator:
    """Reads values of a file; what is wrong is added to ``problems``, and the reading goes on.

    ``path`` is the table that a key stands in, ``label`` what a message begins with.
    """

    def __init__(self, lines: Sequence[str]) -> None:
        self.places = TomlPositions(lines)
        self.problems: list[TomlProblem] = []

    def bad(self, line: int, message: str) -> None:
        """Note a problem."""
        self.problems.append(TomlProblem(line, message))

    def bad_key(self, path: str, key: str, message: str) -> None:
        """Note a problem with a key of a table."""
        name = ".".join(filter(None, (path, key)))
        self.bad(self.places.of(path, key), f"{name}: {message}")

    def known(self, table: Mapping[str, Any], keys: Iterable[str], path: str, label: str) -> None:
        """Note every key of a table that is none of ``keys``."""
        keys = list(keys)
        for key in table:
            if key not in keys:
                hint = self.hint(key, keys, path)
                shown = key if hint.startswith(_MEANT) or key in _HARMLESS else STRUCK
                self.bad(self.places.of(path, key), f"{label}{shown}: unknown key; {hint}")

    def hint(self, key: str, keys: Sequence[str], path: str) -> str:
        """What to do about an unknown key."""
        del path
        return suggestion(key, keys, f"known here: {', '.join(keys)}")

    def table(self, table: Mapping[str, Any], key: str, path: str = "") -> Mapping[str, Any]:
        """The table under a key; an empty one where there is none."""
        value = table.get(key, {})
        if not isinstance(value, dict):
            name = ".".join(filter(None, (path, key)))
            self.bad(self.places.of(path, key), f"{name}: expected a table, as in [{name}]")
            return {}
        return value

    def tables(self, table: Mapping[str, Any], key: str) -> list[Mapping[str, Any]]:
        """The list of tables under a key."""
        value = table.get(key, [])
        if not isinstance(value, list) or not all(isinstance(each, dict) for each in value):
            self.bad(self.places.of("", key), f"{key}: expected [[{key}]], once for each")
            return []
        return value

    def texts(self, table: Mapping[str, Any], key: str, path: str = "") -> tuple[str, ...]:
        """The list of texts under a key; one text alone will do."""
        value = table.get(key, [])
        value = [value] if isinstance(value, str) else value
        if not isinstance(value, list) or not all(isinstance(each, str) and each for each in value):
            self.bad(self.places.of(path, key), f"{key}: expected a text, or a list of texts")
            return ()
        return tuple(value)

    def word(self, table: Mapping[str, Any], key: str, path: str, otherwise: str = "") -> str:
        """The text under a key."""
        value = table.get(key, otherwise)
        if not isinstance(value, str):
            self.bad(self.places.of(path, key), f"{key}: expected a text")
            return otherwise
        return value


def suggestion(word: str, known: Iterable[str], otherwise: str) -> str:
    """``did you mean X?`` where a known word is near, else ``otherwise``."""
    near = did_you_mean(word, sorted(known))
    return f"{_MEANT} {near}?" if near else otherwise
