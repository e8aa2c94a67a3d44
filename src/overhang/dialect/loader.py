"""Reading a dialect from its TOML file: everything is checked, and every mistake is located in that file."""

import re
from collections.abc import Iterable, Mapping
from typing import Any

from overhang.dialect.ambiguity import ambiguous
from overhang.dialect.hole_types import TYPES
from overhang.dialect.line_loader import Holes, LineLoader, holes_in
from overhang.dialect.model import (
    NEVER,
    BadDialect,
    BlockType,
    Candidate,
    Candidates,
    Condition,
    Dialect,
    Layout,
    Memory,
    Part,
    SourceRef,
    Translation,
)
from overhang.dialect.pattern import Hole, Pattern
from overhang.dialect.settings import TOP_KEYS
from overhang.text.toml_file import TomlProblem, parse_toml

_LARGEST = 4_000_000
_TRANSLATE = ("line inside means taken-back with when unless each text until opener sort-by again").split()
_BLOCK = "head inside means pass-over values".split()
_AGAIN = ("first", "last")
#: The keys that recognising a maker's text needs.
_RECOGNISING = ("name", "about", "layout", "recognise")


def read_dialect(data: bytes, file: str, *, recognising: bool = False) -> Dialect:
    """Read a dialect from the bytes of its file. Raises BadDialect.

    With ``recognising`` only the recognition part is compiled, which takes a tenth of the time.
    """
    parsed = parse_toml(data, _LARGEST, "dialect")
    if isinstance(parsed, TomlProblem):
        raise BadDialect(file, [parsed])
    table, lines = parsed
    if recognising:
        table = {key: table[key] for key in _RECOGNISING if key in table}
    loader = _Loader(file, lines)
    dialect = loader.dialect(table)
    if loader.problems:
        raise BadDialect(file, sorted(set(loader.problems)))
    return dialect


class _Loader(LineLoader):
    def dialect(self, table: Mapping[str, Any]) -> Dialect:
        self.known(table, TOP_KEYS, "", "")
        name = self.word(table, "name", "")
        if not re.fullmatch(r"[a-z][a-z0-9-]*", name):
            self.bad(self.places.of("", "name"), "name: expected a name of lower-case letters, digits and -")
        layout = self.plan = self.layout(self.table(table, "layout"))
        self.types(table, fold=layout.ignore_case)
        self.notation = self.notation._replace(
            signs=layout.signs + (layout.ends if layout.form != "braces" else ""), fold=layout.ignore_case
        )
        self.read_blocks(self.table(table, "blocks"))
        recognise = self.table(table, "recognise")
        self.known(recognise, ("files", "lines"), "recognise", "recognise.")
        translations = [
            found
            for index, each in enumerate(self.tables(table, "translate"))
            for found in self.translations(each, index, layout)
        ]
        self.pass_over("", self.texts(table, "pass-over"), self.places.of("", "pass-over"))
        for block in ("", *self.blocks):
            self.pass_over(block, self.texts(table, "pass-over-everywhere"), self.places.of("", "pass-over-everywhere"))
        self.problems += [problem for entries in self.entries.values() for problem in ambiguous(entries)]
        always = self.templates(self.word(table, "always", ""), {}, SourceRef(self.places.of("", "always"), "always"))
        never = self.texts(table, "never-carries")
        for each in never:
            if each not in NEVER:
                self.bad(
                    self.places.of("", "never-carries"), f"never-carries: {each}: expected one of {', '.join(NEVER)}"
                )
        marks = [
            pattern
            for text in self.texts(recognise, "lines", "recognise")
            for pattern in self.compiled(text, SourceRef(self.places.of("recognise", "lines"), "recognise.lines"))
        ]
        return Dialect(
            name,
            self.word(table, "about", ""),
            self.file,
            self.lines,
            layout,
            self.notation,
            self.profile(name, table),
            tuple(each for each in never if each in NEVER),
            frozenset(self.texts(table, "blanked")),
            tuple(always),
            self.blocks,
            tuple(translations),
            {
                block: _candidates(self.entries.get(block, []), self.anywhere.get(block, []))
                for block in {**self.entries, **self.anywhere}
            },
            self.samples(table),
            self.texts(recognise, "files", "recognise"),
            tuple(marks),
            {"profile": self.places.of("", "profile"), "always": self.places.of("", "always")}
            | {"never-carries": self.places.of("", "never-carries"), "step": self.places.of("", "step")},
            Memory(),
            self.switch(table, "step", ""),
            frozenset(self.table(table, "profile")) - {"base"},
        )

    # -- blocks --------------------------------------------------------------------------------------------------------

    def read_blocks(self, table: Mapping[str, Any]) -> None:
        raw = {name: each if isinstance(each, dict) else {"head": each} for name, each in table.items()}
        done: set[str] = set()
        for name in raw:
            self.block(name, raw, done, ())
        for name, block in self.blocks.items():  # what a block means may depend on lines in any other
            place = block.place
            holes: Holes = dict(block.holes)
            templates, meanings = self.means(raw[name], "means", place, name, holes)
            found = block._replace(templates=tuple(templates), meanings=meanings, holes=holes)
            self.blocks[name] = found
            entries = self.entries[block.inside]
            entries[:] = [Candidate(each.pattern, found) if each.target is block else each for each in entries]

    def block(self, name: str, raw: Mapping[str, Mapping[str, Any]], done: set[str], trail: tuple[str, ...]) -> None:
        if name in done:
            return
        place = SourceRef(self.places.of(f"blocks.{name}", ""), f"block {name}")
        each = raw[name]
        inside = self.word(each, "inside", f"blocks.{name}")
        if name in trail or (inside and inside not in raw):
            why = "it is inside itself" if name in trail else self.no_block(inside, raw)
            self.bad(place.line, f"{place.label}: inside: {why}")
            done.add(name)
            return
        if inside:
            self.block(inside, raw, done, (*trail, name))
        if name in done:
            return
        done.add(name)
        self.known(each, _BLOCK, f"blocks.{name}", f"{place.label}: ")
        head = each.get("head")
        if not isinstance(head, str):
            self.bad(place.line, f"{place.label}: head: expected the line that begins the block")
            return
        patterns = self.compiled(head, place)
        holes = {**self.holes_of(inside), **holes_in(patterns)}
        values = each.get("values", {})
        if not isinstance(values, dict) or not all(isinstance(text, str) for text in values.values()):
            self.bad(place.line, f"{place.label}: values: expected names, and texts that stand for them in meanings")
            values = {}
        for given in set(values) & set(holes):
            self.bad(place.line, f"{place.label}: values: {given} is a hole of the line already")
        self.values[name] = values
        found = BlockType(name, place, inside, tuple(patterns), (), holes)
        self.blocks[name] = found
        self.entries.setdefault(name, [])
        self.entries.setdefault(inside, []).extend(Candidate(pattern, found) for pattern in patterns)
        self.pass_over(name, self.texts(each, "pass-over", f"blocks.{name}"), place.line)

    def pass_over(self, block: str, texts: Iterable[str], line: int) -> None:
        for text in texts:
            if text == "*":
                self.bad(line, "pass-over: name at least one word; a pattern of holes alone would hide unknown lines")
                continue
            text = text if text.endswith("...") else f"{text} ..."
            for pattern in self.compiled(text, SourceRef(line, f"pass-over {text}")):
                self.entries.setdefault(block, []).append(Candidate(pattern, None))

    # -- translations --------------------------------------------------------------------------------------------------

    def translations(self, table: Mapping[str, Any], index: int, layout: Layout) -> Iterable[Translation]:
        """A translation, once for each kind of block that it stands in."""
        place = SourceRef(self.places.of_item("translate", index), f"translation {index + 1}")
        self.known(table, _TRANSLATE, f"translate.{index}", f"{place.label}: ")
        inside = table.get("inside", "")
        names = inside if isinstance(inside, list) else [inside]
        if not names or not all(isinstance(each, str) for each in names):
            self.bad(place.line, f"{place.label}: inside: expected the name of a block, or a list of names")
            return
        for block in dict.fromkeys(names):
            found = self.translation(table, block, place, layout)
            if found is not None:
                yield found

    def translation(
        self, table: Mapping[str, Any], inside: str, place: SourceRef, layout: Layout
    ) -> Translation | None:
        line = table.get("line")
        if not isinstance(line, str):
            self.bad(place.line, f"{place.label}: line: expected a line of the maker's language, with holes")
            return None
        if inside and inside not in self.blocks:
            self.bad(place.line, f"{place.label}: inside: {self.no_block(inside, self.blocks)}")
            return None
        if any(line.startswith(sign) for sign in layout.comments):
            self.bad(place.line, f"{place.label}: this can never match: it begins like a comment")
            return None
        if layout.say and not line.startswith(layout.say + " ") and not inside:
            self.bad(place.line, f"{place.label}: this can never match: a line begins with {layout.say}")
            return None
        patterns = self.compiled(line.removeprefix(layout.say + " ") if layout.say else line, place)
        if not patterns:
            return None
        holes: Holes = {**self.holes_of(inside), **holes_in(patterns)}
        partners = self.partners(table, inside, place, holes)
        needs = self.needs(table, inside, place, holes)
        text, until, patterns = self.free_text(table, place, holes, patterns)
        parts = self.parts(table, inside, place, holes)
        if bool(parts) != any(each.open for each in patterns) and not text:
            self.bad(place.line, f"{place.label}: each: needs a line that ends in ..., and such a line needs each")
        templates, meanings = self.means(table, "means", place, inside, holes)
        taken = None
        if "taken-back" in table:
            back, more = self.means(table, "taken-back", place, inside, holes)
            taken = tuple(back)
            if more:
                self.bad(place.line, f"{place.label}: taken-back: conditions are for means alone")
            if not layout.take_back:
                self.bad(place.line, f"{place.label}: taken-back: the layout has no take-back")
        found = Translation(
            place,
            inside,
            tuple(patterns),
            tuple(templates),
            holes,
            taken,
            partners,
            needs,
            meanings,
            parts,
            text,
            until,
            self.word(table, "opener", ""),
            sort_by=self.word(table, "sort-by", ""),
            again=self.word(table, "again", ""),
        )
        secret = frozenset().union(*(each.secret for each in (*found.every, *(taken or ()))))
        found = found._replace(secret=secret)
        self.order(found)
        self.entries.setdefault(inside, []).extend(Candidate(pattern, found) for pattern in patterns)
        return found

    def order(self, found: Translation) -> None:
        """Check what says how such lines are put in order, and which counts."""
        place = found.place
        if found.sort_by and found.sort_by not in found.holes:
            self.bad(place.line, f"{place.label}: sort-by: {found.sort_by} is not a hole of the line")
        if found.again and found.again not in _AGAIN:
            self.bad(place.line, f"{place.label}: again: expected {' or '.join(_AGAIN)}, whichever counts")

    def partners(self, table: Mapping[str, Any], inside: str, place: SourceRef, holes: Holes) -> tuple[Condition, ...]:
        """The lines that a translation means something only together with."""
        value = table.get("with", [])
        found = []
        for each in value if isinstance(value, list) else [value]:
            spec = {"line": each} if isinstance(each, str) else each
            if not isinstance(spec, dict) or not isinstance(spec.get("line"), str):
                self.bad(place.line, f"{place.label}: with: expected a line, or {{ line = ..., inside = ... }}")
                continue
            self.known(spec, ("line", "inside"), "", f"{place.label}: with: ")
            fact = self.fact(spec, "line", ("with", inside), place, holes)
            found += [] if fact is None else [fact]
        return tuple(found)

    def free_text(
        self, table: Mapping[str, Any], place: SourceRef, holes: dict[str, Hole], patterns: list[Pattern]
    ) -> tuple[str, str, list[Pattern]]:
        """The name of the free text behind a line, what ends it, and the patterns as they then have to match."""
        text, until = self.word(table, "text", ""), self.word(table, "until", "")
        if bool(text) != bool(until):
            self.bad(place.line, f"{place.label}: text and until are given together: the text's name, and what ends it")
        elif text:
            holes[text] = Hole(text, TYPES["text"])
            named = re.fullmatch(r"\{(.+)\}", until)
            if named and (named[1] not in holes or holes[named[1]].type.name != "sign"):
                self.bad(place.line, f"{place.label}: until: {until} is not a hole of type sign in the line")
            if named:  # the text may begin behind the sign, with any number of words
                patterns = [each._replace(open=True) for each in patterns]
        return text, until, patterns

    def parts(self, table: Mapping[str, Any], inside: str, place: SourceRef, holes: Holes) -> tuple[Part, ...]:
        found = []
        value = table.get("each", [])
        if not isinstance(value, list) or not all(isinstance(each, dict) for each in value):
            self.bad(place.line, f"{place.label}: each: expected a list of {{ part = ..., means = ... }}")
            return ()
        for each in value:
            self.known(each, ("part", "means"), "", f"{place.label}: each: ")
            part = each.get("part")
            if not isinstance(part, str):
                self.bad(place.line, f"{place.label}: each: part: expected words, with holes")
                continue
            patterns = self.compiled(part, place)
            if any(pattern.open or not _ends_in_list(pattern) for pattern in patterns):
                why = "a part has a fixed number of words, or ends in a list"
                self.bad(place.line, f"{place.label}: each: part: {why}")
                continue
            inner: Holes = {**holes, **holes_in(patterns)}
            named = SourceRef(place.line, f"{place.label}: each: part {part}")
            templates, meanings = self.means(each, "means", named, inside, inner)
            if meanings:
                self.bad(place.line, f"{named.label}: conditions are for the means of the line")
            found.append(Part(tuple(sorted(patterns, key=_longest_first)), tuple(templates), inner))
        return tuple(found)


def _ends_in_list(pattern: Pattern) -> bool:
    """Whether a part has a fixed number of words, or a list at its end."""
    last = pattern.tokens[-1].hole
    return pattern.loose < 0 or (pattern.loose == len(pattern.tokens) - 1 and last is not None and last.many)


def _longest_first(pattern: Pattern) -> tuple[int, tuple[int, ...]]:
    return (-len(pattern.tokens), pattern.rank)


def _candidates(entries: list[Candidate], anywhere: list[tuple[Pattern, Condition]]) -> Candidates:
    ordered = sorted(entries, key=lambda each: each.pattern.rank)
    others = tuple(each for each in ordered if each.pattern.first is None)
    by_first: dict[str, list[Candidate]] = {}
    for each in ordered:
        if each.pattern.first is not None:
            by_first.setdefault(each.pattern.first, []).append(each)
    return Candidates({word: tuple(found) for word, found in by_first.items()}, others, tuple(anywhere))
