"""The settings of a dialect: layout, types, profile, samples; and how mistakes in its file are collected."""

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from overhang.dialect.hole_types import TYPES, date_type, table_type
from overhang.dialect.model import FORMS, Layout, Sample, SourceRef, TableForm
from overhang.dialect.pattern import Notation
from overhang.profiles import BUILTIN, KEYS, Profile, derive
from overhang.profiles.model import mistakes, text_of
from overhang.text import did_you_mean
from overhang.text.toml_file import TomlValidator

TOP_KEYS = (
    "name about recognise layout profile never-carries blanked always tables dates blocks translate pass-over "
    "pass-over-everywhere step sample"
).split()
_AT_TOP = "it stands at the top of the file, before the first [table]"
LAYOUT_KEYS = (
    "form comments trailing-comments block-comments take-back say quotes signs open close ends headings closers "
    "ignore-case continued continues page-breaks leaders label-ends between dormant join-blocks tables"
).split()
TABLE_KEYS = "under apart key ditto unsaid escape edges own-rows dormant".split()
#: Settings of texts that are read line by line.
_BY_LINE = ("continued", "continues", "page-breaks", "leaders", "label-ends", "between", "tables")


class Settings(TomlValidator):
    """Reads the settings of a dialect's file."""

    def __init__(self, lines: tuple[str, ...]) -> None:
        super().__init__(lines)
        self.notation = Notation(TYPES, "", False)

    def hint(self, key: str, keys: Sequence[str], path: str) -> str:
        """What to do about an unknown key: one that belongs at the top may stand below a table."""
        return _AT_TOP if path and key in TOP_KEYS else super().hint(key, keys, path)

    # -- the settings --------------------------------------------------------------------------------------------------

    def layout(self, table: Mapping[str, Any]) -> Layout:
        self.known(table, LAYOUT_KEYS, "layout", "layout.")
        form = self.word(table, "form", "layout", "indented")
        if form not in FORMS:
            self.bad(self.places.of("layout", "form"), f"layout.form: expected one of {', '.join(FORMS)}")
        headings = []
        for text in self.texts(table, "headings", "layout"):
            before, star, after = text.partition("*")
            if not star or not (before + after).strip():
                self.bad(
                    self.places.of("layout", "headings"),
                    "layout.headings: write a heading with * for its words, as in [*]",
                )
            headings.append((before.strip(), after.strip()))
        if form == "sections" and not headings:
            self.bad(self.places.of("layout", "form"), "layout.headings: the form sections needs headings")
        ignore_case = self.switch(table, "ignore-case", "layout")
        for key in _BY_LINE:
            if key in table and form == "braces":
                self.bad(self.places.of("layout", key), f"layout.{key}: the form braces knows no lines")
        tables = tuple(self.table_forms(table, ignore_case=ignore_case))
        blocks = self.texts(table, "block-comments", "layout")
        if len(blocks) not in (0, 2):
            self.bad(
                self.places.of("layout", "block-comments"),
                "layout.block-comments: expected what begins one and what ends it",
            )
            blocks = ()
        for key in ("open", "close", "ends"):
            if key in table and form != "braces":
                self.bad(self.places.of("layout", key), f"layout.{key}: only the form braces has it")
            if len(self.word(table, key, "layout")) > 1:
                self.bad(self.places.of("layout", key), f"layout.{key}: expected one sign")
        return Layout(
            form,
            self.texts(table, "comments", "layout"),
            self.texts(table, "trailing-comments", "layout"),
            self.word(table, "take-back", "layout"),
            self.word(table, "say", "layout"),
            self.word(table, "quotes", "layout", '"'),
            self.word(table, "signs", "layout"),
            self.word(table, "open", "layout", "{"),
            self.word(table, "close", "layout", "}"),
            self.word(table, "ends", "layout"),
            tuple(headings),
            self.texts(table, "closers", "layout"),
            ignore_case,
            self.word(table, "continued", "layout"),
            blocks,
            self.word(table, "continues", "layout"),
            self.texts(table, "page-breaks", "layout"),
            self.word(table, "leaders", "layout"),
            self.word(table, "label-ends", "layout"),
            self.word(table, "between", "layout"),
            self.texts(table, "dormant", "layout"),
            self.switch(table, "join-blocks", "layout"),
            tables,
        )

    def switch(self, table: Mapping[str, Any], key: str, path: str) -> bool:
        """Whether a key is set to true."""
        value = table.get(key, False)
        if not isinstance(value, bool):
            self.bad(self.places.of(path, key), f"{path}.{key}: expected true or false".lstrip("."))
        return value is True

    def table_forms(self, table: Mapping[str, Any], *, ignore_case: bool) -> Iterator[TableForm]:
        """How tables are written."""
        value = table.get("tables", [])
        line = self.places.of("layout", "tables")
        if not isinstance(value, list) or not all(isinstance(each, dict) for each in value):
            self.bad(line, "layout.tables: expected [[layout.tables]], once for each form of table")
            return
        dormant = self.texts(table, "dormant", "layout")
        for index, each in enumerate(value):
            path = f"layout.tables.{index}"
            self.known(each, TABLE_KEYS, path, "layout.tables: ")
            under = self.word(each, "under", path)
            if not under:
                line = self.places.of_item("layout.tables", index)
                self.bad(line, "layout.tables: under: expected the line that begins the table, * for what varies in it")
            yield TableForm(
                under.lower() if ignore_case else under,
                self.word(each, "apart", path),
                self.word(each, "key", path),
                self.word(each, "ditto", path),
                ("", *self.texts(each, "unsaid", path)),
                self.word(each, "escape", path),
                self.switch(each, "edges", path),
                self.switch(each, "own-rows", path),
                self.texts(each, "dormant", path) or dormant,
            )

    def types(self, table: Mapping[str, Any], *, fold: bool) -> None:
        types = dict(TYPES)
        for name, rows in self.table(table, "tables").items():
            line = self.places.of(f"tables.{name}", "")
            if name in types:
                self.bad(line, f"tables.{name}: a type of this name exists already")
            elif not isinstance(rows, dict) or not rows or not all(isinstance(each, str) for each in rows.values()):
                self.bad(line, f"tables.{name}: expected a table of the maker's words and the sheet's")
            else:
                types[name] = table_type(name, rows, fold=fold)
        for name, form in self.table(table, "dates").items():
            line = self.places.of("dates", name)
            if name in types or not isinstance(form, str) or "%" not in form:
                self.bad(line, f"dates.{name}: expected a new name and a date format, as in '%d.%m.%Y'")
                continue
            try:
                types[name] = date_type(name, form)
                types[name].read(types[name].samples[0])
            except ValueError:
                self.bad(line, f"dates.{name}: this format does not give a day")
        self.notation = Notation(types, "", fold)

    def profile(self, name: str, table: Mapping[str, Any]) -> Profile | None:
        changes = dict(self.table(table, "profile"))
        for key in set(changes) & set(TOP_KEYS):
            self.bad(self.places.of("profile", key), f"profile.{key}: unknown key; {_AT_TOP}")
            del changes[key]
        line = self.places.of("profile", "base")
        if not changes:
            return None
        base = changes.pop("base", None)
        if not isinstance(base, str) or base not in BUILTIN:
            near = did_you_mean(str(base), BUILTIN) if base is not None else None
            self.bad(
                line,
                "profile.base: " + (f"did you mean {near}?" if near else f"expected one of {', '.join(BUILTIN)}"),
            )
            return None
        if not changes:
            return BUILTIN[base]
        texts = {key: text_of(each) for key, each in changes.items()}
        wrong = list(mistakes(texts, KEYS))
        for each in wrong:
            self.bad(self.places.of("profile", each.key), f"profile.{each.key}: {each}")
        return None if wrong else derive(name, BUILTIN[base], texts, KEYS)

    def samples(self, table: Mapping[str, Any]) -> tuple[Sample, ...]:
        found = []
        for index, each in enumerate(self.tables(table, "sample")):
            place = SourceRef(self.places.of_item("sample", index), f"sample {index + 1}")
            self.known(each, ("text", "sheet"), f"sample.{index}", f"{place.label}: ")
            text, sheet = each.get("text"), each.get("sheet")
            if not isinstance(text, str) or not isinstance(sheet, str):
                self.bad(place.line, f"{place.label}: expected a text and the sheet that it means")
                continue
            found.append(Sample(place, text, sheet))
        return tuple(found)
