"""A block of settings seen as keys and values: what is said last, switches, numbers within bounds."""

from collections.abc import Iterable, Mapping

from overhang.teach.device import Block
from overhang.teach.tree import Statement

_SWITCH: Mapping[str, bool] = {"yes": True, "on": True, "true": True, "1": True} | {
    "no": False,
    "off": False,
    "false": False,
    "0": False,
}


class Settings:
    """The statements of one or several blocks by their first word; of two with one word the ``last`` counts.

    ``value`` is the number of the word at which values begin: 1, or 2 where a sign like ``=`` is a word of its own.
    ``fold``: the keys are the same in any case. What is asked for and not there is unsaid.
    """

    def __init__(self, *blocks: Statement | None, value: int = 1, fold: bool = False, last: bool = True) -> None:
        self._value, self._fold = value, fold
        self.statements: dict[str, Statement] = {}
        for block in blocks:
            for each in block.children if block is not None else ():
                key = self._key(each.head)
                if last or key not in self.statements:
                    self.statements[key] = each

    def _key(self, key: str) -> str:
        return key.lower() if self._fold else key

    def __contains__(self, key: str) -> bool:
        return self._key(key) in self.statements

    def at(self, key: str, *others: Statement) -> Statement:
        """The statement of a key, else the first of ``others``: where something comes from. Raises KeyError."""
        found = self.statements.get(self._key(key)) or next(iter(others), None)
        if found is None:
            raise KeyError(key)
        return found

    def text(self, key: str, otherwise: str = "") -> str:
        """The value of a key as it is written, blanks and all."""
        found = self.statements.get(self._key(key))
        return otherwise if found is None else found.rest(self._value)

    def word(self, key: str, otherwise: str = "") -> str:
        """The first word of a value."""
        found = self.statements.get(self._key(key))
        return otherwise if found is None else found.word(self._value, otherwise)

    def words(self, key: str, otherwise: Iterable[str] = ()) -> list[str]:
        """The words of a value."""
        found = self.statements.get(self._key(key))
        return list(otherwise) if found is None else found.words[self._value :]

    def yes(self, key: str, otherwise: bool, words: Mapping[str, bool] = _SWITCH) -> bool:
        """Whether a switch is on; a word that is none counts as unsaid."""
        return words.get(self.text(key).lower(), otherwise)

    def number(self, key: str, otherwise: int, least: int = 0, most: int = 1_000_000_000) -> int:
        """A number; one out of bounds, and what is none, counts as unsaid."""
        text = self.text(key)
        right = text.isascii() and text.isdigit() and len(text) < 12 and least <= int(text) <= most
        return int(text) if right else otherwise


def secrets(block: Block, found: Iterable[tuple[str, str, Statement]]) -> None:
    """Say passwords that all open one lock: each a form, its text, and the statement that it comes from."""
    for number, (form, text, at) in enumerate(found):
        (block.another_password if number else block.password)(form, text, at=at)
