"""Writing statements as a sheet: stable order, one layout; reading what is written gives the same device.

What a sheet holds besides its statements (comments, blank lines, the order of blocks) is not kept.
"""

from collections.abc import Callable, Iterator
from typing import Any

from overhang.language.ir import Statement
from overhang.language.lexer import quote_word
from overhang.language.normalise import NormalBlock, Normaliser
from overhang.language.schema import SCHEMA
from overhang.language.spec import Schema
from overhang.language.syntax import write
from overhang.model import Device, StoredSecret
from overhang.model.stored_secret import Form
from overhang.text import STRUCK

_PLAIN = Normaliser(secrets=True)
_WITHHELD = StoredSecret(Form.WITHHELD)


def statement_words(statement: Statement, schema: Schema = SCHEMA) -> list[str]:
    """The words of a statement, without quotes; of one that drops everything of its kind, its keyword alone."""
    row = schema.by_field[statement.spec.block, statement.spec.opens or statement.spec.field]
    if statement.drop and not statement.captures:
        return [row.keywords[0]]
    return write(row.alternatives, statement.captures)


def unparse_statement(statement: Statement, schema: Schema = SCHEMA) -> str:
    """One statement as a sheet has it, without a header's colon and without ``drop``."""
    return " ".join(map(quote_word, statement_words(statement, schema)))


def withheld(statement: Statement) -> Statement:
    """A statement with ``withheld`` in place of every stored password."""
    return _without(statement, lambda _: _WITHHELD)


def struck(statement: Statement) -> Statement:
    """A statement with ``***`` in place of the text of every stored password, for showing."""
    return _without(statement, lambda secret: StoredSecret(secret.form, STRUCK))


def _without(statement: Statement, instead: Callable[[StoredSecret], StoredSecret]) -> Statement:
    captures = {
        label: instead(value) if isinstance(value, StoredSecret) else value
        for label, value in statement.captures.items()
    }
    return statement._replace(captures=captures)


def unparse_value(block: str, field: str, value: Any) -> str:
    """The statement that fills a field of a block with a value, as a sheet has it."""
    return unparse_statement(_PLAIN.statement(block, field, value))


def unparse(device: Device, *, secrets: bool, schema: Schema = SCHEMA) -> str:
    """The whole sheet. Without ``secrets``, ``withheld`` stands for every stored password that has a text."""
    blocks = Normaliser(secrets=secrets, schema=schema).blocks(device)
    return "\n\n".join("\n".join(_lines(block, schema)) for block in blocks) + "\n"


def _lines(block: NormalBlock, schema: Schema) -> Iterator[str]:
    header = unparse_statement(block.header, schema)
    inner = [unparse_statement(each, schema) for each in block.body]
    if block.header.drop or any(each.drop for each in block.body):
        yield f"drop {header}" + "".join(f": {line}" for line in inner)
        return
    yield f"{header}:"
    yield from (f"    {line}" for line in inner)
    yield from (f"    | {line}" if line else "    |" for line in block.lines)
