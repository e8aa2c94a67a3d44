"""The quick way to read a line: what nearly every right line is, matched without searching.

Each syntax is spread out into its plain alternatives, sorted by first word and number of words. A line that matches
none is left to the grammar's own matcher, which also knows why; so this changes how fast a sheet is read and nothing
else.
"""

from collections.abc import Callable
from typing import Any

from overhang.language.schema import TABLE, Statement
from overhang.language.syntax import Choice, Kind, Literal, PasswordForm, Sequence, Values
from overhang.language.terminals import KINDS
from overhang.model.masking import unmask
from overhang.model.stored_secret import FORMS_WITH_TEXT, Form, StoredSecret

#: What to do with the next word: compare it, compare and keep it, convert it, or take it as (part of) a password form.
_LITERAL, _SHOWN, _KIND, _FORM, _FORM_TEXT = range(5)
Part = tuple[int, Any]
Alternative = tuple[Statement, tuple[Part, ...]]
_MOST = 64


def _spread(node: Any) -> list[tuple[Part, ...]] | None:
    """The alternatives of a syntax; None where it repeats something and has no fixed number of words."""
    if isinstance(node, Literal):
        return [((_SHOWN if node.shown else _LITERAL, node.word),)]
    if isinstance(node, Kind):
        return [((_KIND, KINDS[node.kind][0]),)]
    if isinstance(node, PasswordForm):
        return [((_FORM_TEXT if form in FORMS_WITH_TEXT else _FORM, form),) for form in Form]
    if isinstance(node, Sequence):
        found: list[tuple[Part, ...]] = [()]
        for part in node.parts:
            tails = _spread(part)
            if tails is None or len(found) * len(tails) > _MOST:
                return None
            found = [head + tail for head in found for tail in tails]
        return found
    if isinstance(node, Choice):
        options: list[tuple[Part, ...]] = []
        for option in node.options:
            spread = _spread(option)
            if spread is None:
                return None
            options += spread
        return [*options, ()] if node.empty else options
    return None


def _table() -> dict[tuple[str, str, int], list[Alternative]]:
    table: dict[tuple[str, str, int], list[Alternative]] = {}
    for block, rows in TABLE.items():
        for row in rows:
            for parts in _spread(row.matcher) or []:
                size = len(parts) + sum(action == _FORM_TEXT for action, _ in parts)
                table.setdefault((block, parts[0][1], size), []).append((row.statement, parts))
    return table


_ALTERNATIVES = _table()


def quick_match(block: str, words: list[str]) -> tuple[Statement, Values] | None:
    """The statement and values that plain words amount to; None where the grammar has to look."""
    for statement, parts in _ALTERNATIVES.get((block, words[0], len(words)), ()):
        values = _match(parts, words)
        if values is not None:
            return statement, values
    return None


def _match(parts: tuple[Part, ...], words: list[str]) -> Values | None:
    values: list[Any] = []
    at = 0
    for action, what in parts:
        word = words[at]
        at += 1
        if action == _KIND:
            reader: Callable[[str], Any] = what
            try:
                values.append(reader(word))
            except ValueError:
                return None
        elif action <= _SHOWN:
            if word != what:
                return None
            if action == _SHOWN:
                values.append(word)
        elif word != what.value:
            return None
        elif action == _FORM:
            values.append(StoredSecret(what))
        else:
            if what is Form.MASKED and not _is_masked(words[at]):
                return None
            values.append(StoredSecret(what, words[at]))
            at += 1
    return tuple(values)


def _is_masked(text: str) -> bool:
    try:
        unmask(text)
    except ValueError:
        return False
    return True
