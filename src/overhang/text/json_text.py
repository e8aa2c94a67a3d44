"""JSON in which nothing steers a terminal or a program that shows it as it is."""

import json
import re
from collections.abc import Iterator
from typing import Any

from overhang.text.printable import Printable

#: Delete and C1 controls, marks of direction or without width, line and paragraph separators, tags, halves of pairs.
_UNSAFE = re.compile(
    r"[\x7f-\x9f\xad\u061c\u180e\u200b-\u200f\u2028-\u202e\u2060-\u206f\ud800-\udfff\ufeff\ufff9-\ufffb"
    r"\U000e0000-\U000e007f]"
)


#: A list of more things than that is read by programs.
_LONG = 200


def json_text(value: Any, long: str = "") -> Printable:
    """A value as indented JSON with a line end; other languages stay readable. ``long`` is the key of a list that may
    be long: then each of what it holds is one line."""
    return Printable(escape_json("".join(_pieces(value, long, "\n"))) + "\n")


def _pieces(value: Any, long: str, line: str) -> Iterator[str]:
    """The text of a value in pieces; ``line`` is a line end with the indentation that goes before it."""
    if not _has_long(value, long):
        yield json.dumps(value, indent=2, ensure_ascii=False).replace("\n", line)  # none is within a text
        return
    inner = line + "  "
    if isinstance(value, list):
        for number, each in enumerate(value):
            yield ("," if number else "[") + inner
            yield from _pieces(each, long, inner)
        yield line + "]"
        return
    for number, (key, each) in enumerate(value.items()):
        yield f"{',' if number else '{'}{inner}{json.dumps(key, ensure_ascii=False)}: "
        if key == long and _is_long(each):
            yield f"[{inner}  " + f",{inner}  ".join(map(_ON_ONE_LINE, each)) + f"{inner}]"
        else:
            yield from _pieces(each, long, inner)
    yield line + "}"


def _has_long(value: Any, long: str) -> bool:
    """Whether there is a long list of this key in an object, or in one that it holds by way of short lists."""
    if isinstance(value, dict):
        return _is_long(value.get(long)) or any(
            _has_long(each, long) for each in value.values() if isinstance(each, list) and len(each) == 1
        )
    return isinstance(value, list) and len(value) == 1 and _has_long(value[0], long)


def _is_long(value: Any) -> bool:
    return isinstance(value, list) and len(value) > _LONG


_ON_ONE_LINE = json.JSONEncoder(ensure_ascii=False).encode


def escape_json(text: str) -> str:
    """JSON text with such characters of its strings as escapes, which mean the same to every reader."""
    return text if text.isascii() and "\x7f" not in text else _UNSAFE.sub(_escape, text)


def _escape(found: re.Match[str]) -> str:
    units = found[0].encode("utf-16-be", "surrogatepass").hex()
    return "".join(f"\\u{units[start : start + 4]}" for start in range(0, len(units), 4))
