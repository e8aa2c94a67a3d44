"""The names of items of knowledge: a kind and a name, ``user:lena``, and a number behind all but the first."""

import re

_NUMBERED = re.compile(r"(.*) (\d+)", re.DOTALL)
_VTYS = re.compile(r"vty [0-9-]+")


def item(kind: str, name: str, number: int = 1) -> str:
    """The item number ``number`` of a lock, ``user:lena 2``; the first bears none.

    A name that itself looks so is quoted, so that no two items are called the same: ``user:"berth 2"``.
    """
    if _NUMBERED.fullmatch(name) or name[:1] == '"':
        import json  # few names look so

        name = json.dumps(name, ensure_ascii=False)
    return f"{kind}:{name}" + (f" {number}" if number > 1 else "")


def named_in(text: str) -> tuple[str, str, int]:
    """The kind, the name without quotes, and the number of an item."""
    kind, _, name = text.partition(":")
    if name[:1] == '"':
        import json

        try:
            plain, end = json.JSONDecoder().raw_decode(name)
        except ValueError:
            return kind, name, 1
        return kind, str(plain), int(name[end:]) if name[end:].strip().isdigit() else 1
    found = None if kind == "entry" and _VTYS.fullmatch(name) else _NUMBERED.fullmatch(name)
    return (kind, found[1], int(found[2])) if found is not None else (kind, name, 1)
