"""The typed form of ``device.py``, for editors and type checkers: made from the schema by docs/make-reference."""

from collections.abc import Iterator

from overhang.language.schema import SCHEMA

_HEAD = """# Made by docs/make-reference from the schema of the sheet language.
from collections.abc import Sequence
from typing import NamedTuple, Protocol, Self

from overhang.dialect.emitter import Emitter
from overhang.dialect.instantiate import Instantiated
from overhang.dialect.tokenizer import Node as Source
from overhang.teach.tree import Statement

class _Says(Protocol):
    def __call__(self, *words: str, at: Statement | None = None) -> Block: ...

class Said(NamedTuple):
    source: Source
    statement: Instantiated
    owner: int

class Block:
    def __init__(self, device: Device, head: Sequence[str], at: Statement) -> None: ...
    def exists(self) -> Self: ...
    def text(self, text: str, *, at: Statement | None = None) -> Self: ...
    def say(self, *words: str, at: Statement | None = None) -> Self: ...
"""


def stub_text() -> str:
    """The text of ``device.pyi``."""
    return _HEAD + "".join(f"{line}\n" for line in _members())


def _name(word: str) -> str:
    import keyword

    name = word.replace("-", "_")
    return f"{name}_" if keyword.iskeyword(name) else name


def _members() -> Iterator[str]:
    words = sorted({word for kind in SCHEMA.blocks for word in SCHEMA.keywords(kind)})
    for word in words:
        if _name(word) not in ("exists", "text", "say"):
            yield f"    {_name(word)}: _Says"
    yield ""
    yield "class Device:"
    yield "    said: list[Said]"
    yield "    misread: list[tuple[Source, str, frozenset[str]]]"
    yield "    def __init__(self, emitter: Emitter) -> None: ..."
    yield "    def block(self, *words: str, at: Statement) -> Block: ..."
    arguments = "at: Statement, head: Sequence[str], inner: Sequence[str] | None, text: str | None = None"
    yield f"    def say(self, {arguments}) -> bool: ..."
    for word in SCHEMA.keywords(""):
        yield f"    def {_name(word)}(self, *words: str, at: Statement) -> Block: ..."
    yield ""
    yield "def shown_words(said: Said) -> tuple[set[str], set[str]]: ..."
