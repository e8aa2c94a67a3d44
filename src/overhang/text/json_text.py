"""JSON in which nothing steers a terminal or a program that shows it as it is."""

import json
import re
from typing import Any

from overhang.text.printable import Printable

#: Delete and C1 controls, marks of direction or without width, line and paragraph separators, tags, halves of pairs.
_UNSAFE = re.compile(
    r"[\x7f-\x9f\xad\u061c\u180e\u200b-\u200f\u2028-\u202e\u2060-\u206f\ud800-\udfff\ufeff\ufff9-\ufffb"
    r"\U000e0000-\U000e007f]"
)


def json_text(value: Any) -> Printable:
    """A value as indented JSON with a line end; other languages stay readable."""
    return Printable(escape_json(json.dumps(value, indent=2, ensure_ascii=False)) + "\n")


def escape_json(text: str) -> str:
    """JSON text with such characters of its strings as escapes, which mean the same to every reader."""
    return text if text.isascii() and "\x7f" not in text else _UNSAFE.sub(_escape, text)


def _escape(found: re.Match[str]) -> str:
    units = found[0].encode("utf-16-be", "surrogatepass").hex()
    return "".join(f"\\u{units[start : start + 4]}" for start in range(0, len(units), 4))
