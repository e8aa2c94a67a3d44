"""Rows of a table: its columns by their header, cells that are unsaid or the same as above, signs that lost their
meaning."""

import re
from typing import NamedTuple

from overhang.dialect.model import TableForm

_RULES = re.compile(r"[-=+|:_ \t]*(?:--|==|__)[-=+|:_ \t]*")
_NO_KEY = "this row has no key"


class Row(NamedTuple):
    """One line of a table: its key ("" where it has none), the cells that say something, each with its column, and
    what is wrong with it."""

    key: str
    cells: tuple[tuple[str, str], ...] = ()
    wrong: str = ""
    dormant: bool = False


class Columns:
    """The columns of one table, and the cells of the row above, which a later one may repeat."""

    def __init__(self, form: TableForm, names: tuple[str, ...], starts: tuple[int, ...], header: str) -> None:
        self.form, self.names, self.starts = form, names, starts
        self.wrong = ""
        self._header = header.split()
        self._above: dict[str, str] = {}
        self._key = names[0] if names else ""
        if form.key:
            self._key = next((name for name in names if name.lower() == form.key.lower()), "")
            if not self._key:
                self.wrong = f"the header of this table has no column {form.key}, which is its key"
        lower = [name.lower() for name in names]
        if len(set(lower)) < len(lower):
            self.wrong = "two columns of this table have one name"

    @classmethod
    def of(cls, form: TableForm, header: str) -> "Columns":
        """The columns that a header names."""
        if form.apart:
            return cls(form, tuple(_unescaped(cell, form) for cell in _cells(header, form)), (), header)
        found = list(re.finditer(r"\S+(?: \S+)*", header.expandtabs(8)))
        return cls(form, tuple(each.group() for each in found), tuple(each.start() for each in found), header)

    def is_again(self, line: str) -> bool:
        """Whether a line is the header once more, as at the top of a page."""
        return line.split() == self._header

    def row(self, line: str) -> Row:
        """What one line says."""
        form = self.form
        dormant = False
        if form.dormant and line.lstrip().startswith(form.dormant):
            sign = next(each for each in form.dormant if line.lstrip().startswith(each))
            line, dormant = line.replace(sign, " " * len(sign) if not form.apart else "", 1), True
        cells = _cells(line, form) if form.apart else self._by_place(line.expandtabs(8))
        if cells is None:
            return Row("", wrong="a cell of this row runs into the next column")
        if len(cells) > len(self.names):
            return Row("", wrong=f"this row has {len(cells)} cells, and its table has {len(self.names)} columns")
        key, said, now = "", [], {}
        for name, cell in zip(self.names, cells, strict=False):
            if form.ditto and cell == form.ditto:
                value = self._above.get(name, "")
            elif cell in form.unsaid:
                value = ""
            else:
                value = _unescaped(cell, form)
            now[name] = value
            if name == self._key:
                key = value
            elif value:
                said.append((name, value))
        self._above = now
        return Row(key, tuple(said), "", dormant)

    def _by_place(self, line: str) -> list[str] | None:
        """The cells that stand below the header's; None where one runs into the next column."""
        cells = []
        for index, start in enumerate(self.starts):
            if index and start < len(line) and line[start - 1] != " ":
                return None
            end = self.starts[index + 1] if index + 1 < len(self.starts) else len(line)
            cells.append(line[start:end].strip())
        return None if line[: self.starts[0]].strip() else cells


def is_rule(line: str) -> bool:
    """Whether a line only draws a rule across the table."""
    return _RULES.fullmatch(line) is not None


def _cells(line: str, form: TableForm) -> list[str]:
    """The cells of a line, trimmed; a sign of which the meaning was taken away parts none."""
    if not form.escape:
        cells = line.split(form.apart)
    else:
        pattern = re.compile(f"(?:{re.escape(form.escape)}.|(?!{re.escape(form.apart)}).)*")
        cells, at = [], 0
        while True:
            found = pattern.match(line, at)
            cells.append(found.group() if found is not None else "")
            at += len(cells[-1])
            if at >= len(line):
                break
            at += len(form.apart)
    cells = [cell.strip() for cell in cells]
    if form.edges and cells and not cells[0]:
        cells = cells[1:]
    if form.edges and cells and not cells[-1]:
        cells = cells[:-1]
    return cells


def _unescaped(cell: str, form: TableForm) -> str:
    return re.sub(f"{re.escape(form.escape)}(.)", r"\1", cell) if form.escape else cell
