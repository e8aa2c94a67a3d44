"""Reading a dialect from its TOML file: everything is checked, and every mistake is located in that file."""

import re
from collections.abc import Callable, Iterable, Mapping
from typing import Any

from overhang.dialect.hole_types import TYPES
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
from overhang.dialect.pattern import BadPattern, Hole, Pattern, compile_patterns
from overhang.dialect.settings import TOP_KEYS, Settings
from overhang.dialect.template import BadTemplate, Template, compile_templates, fill, parse_filled
from overhang.language.parser import Misread
from overhang.text import did_you_mean
from overhang.text.toml_file import TomlProblem, parse_toml

_LARGEST = 4_000_000
_MOST_PATTERNS = 20_000
_MOST_TRIALS = 64
_TRANSLATE = "line inside means taken-back with when unless each otherwise text until opener".split()


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


class _Loader(Settings):
    def __init__(self, file: str, lines: tuple[str, ...]) -> None:
        super().__init__(lines)
        self.file = file
        self.lines = lines
        self.blocks: dict[str, BlockType] = {}
        self.facts = 0
        self.patterns = 0
        self.entries: dict[str, list[Candidate]] = {"": []}
        #: the word of the layout that takes a line back
        self.back = ""

    def dialect(self, table: Mapping[str, Any]) -> Dialect:
        self.known(table, TOP_KEYS, "", "")
        name = self.word(table, "name", "")
        if not re.fullmatch(r"[a-z][a-z0-9-]*", name):
            self.bad(self.places.of("", "name"), "name: expected a name of lower-case letters, digits and -")
        layout = self.layout(self.table(table, "layout"))
        self.back = layout.take_back
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
            if (found := self.translation(each, index, layout)) is not None
        ]
        self.pass_over("", self.texts(table, "pass-over"), self.places.of("", "pass-over"))
        self.ambiguous()
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
            {block: _candidates(entries) for block, entries in self.entries.items()},
            self.samples(table),
            self.texts(recognise, "files", "recognise"),
            tuple(marks),
            {"profile": self.places.of("", "profile"), "always": self.places.of("", "always")}
            | {"never-carries": self.places.of("", "never-carries")},
            Memory(),
        )

    # -- blocks and lines ----------------------------------------------------------------------------------------------

    def compiled(self, text: str, place: SourceRef) -> list[Pattern]:
        try:
            found = compile_patterns(text, self.notation)
        except BadPattern as wrong:
            self.bad(place.line, f"{place.label}: {wrong}")
            return []
        self.patterns += len(found)
        if self.patterns > _MOST_PATTERNS:
            raise BadDialect(self.file, [TomlProblem(place.line, f"more than {_MOST_PATTERNS:,} forms of lines")])
        return found

    def read_blocks(self, table: Mapping[str, Any]) -> None:
        raw = {name: each if isinstance(each, dict) else {"head": each} for name, each in table.items()}
        done: set[str] = set()
        for name in raw:
            self.block(name, raw, done, ())

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
        self.known(each, ("head", "inside", "means", "pass-over"), f"blocks.{name}", f"{place.label}: ")
        head = each.get("head")
        if not isinstance(head, str):
            self.bad(place.line, f"{place.label}: head: expected the line that begins the block")
            return
        patterns = self.compiled(head, place)
        holes = {**self.holes_of(inside), **_holes(patterns)}
        templates = self.templates(self.means(each, "means", place), holes, place)
        found = BlockType(name, place, inside, tuple(patterns), tuple(templates), holes)
        self.blocks[name] = found
        self.entries.setdefault(name, [])
        self.entries.setdefault(inside, []).extend(Candidate(pattern, found) for pattern in patterns)
        self.pass_over(name, self.texts(each, "pass-over", f"blocks.{name}"), place.line)

    def no_block(self, name: str, known: Iterable[str]) -> str:
        near = did_you_mean(name, sorted(known))
        return f"there is no block {name}" + (f"; did you mean {near}?" if near else "")

    def holes_of(self, block: str) -> Mapping[str, Hole]:
        return self.blocks[block].holes if block in self.blocks else {}

    def pass_over(self, block: str, texts: Iterable[str], line: int) -> None:
        for text in texts:
            if text == "*":
                self.bad(line, "pass-over: name at least one word; a pattern of holes alone would hide unknown lines")
                continue
            text = text if text.endswith("...") else f"{text} ..."
            for pattern in self.compiled(text, SourceRef(line, f"pass-over {text}")):
                self.entries.setdefault(block, []).append(Candidate(pattern, None))

    def means(self, table: Mapping[str, Any], key: str, place: SourceRef) -> str:
        value = table.get(key, "")
        if isinstance(value, list) and all(isinstance(each, str) for each in value):
            return "\n".join(value)
        if not isinstance(value, str):
            self.bad(place.line, f"{place.label}: {key}: expected statements of a sheet")
            return ""
        return value

    def templates(self, text: str, holes: Mapping[str, Hole], place: SourceRef) -> list[Template]:
        try:
            found = compile_templates(text, holes)
        except BadTemplate as wrong:
            self.bad(place.line, f"{place.label}: means: {wrong}")
            return []
        for template in found:
            mistake = _trial(template, holes)
            if mistake is not None:
                self.bad(place.line, f"{place.label}: means: {mistake}")
        return found

    def translation(self, table: Mapping[str, Any], index: int, layout: Layout) -> Translation | None:
        place = SourceRef(self.places.of_item("translate", index), f"translation {index + 1}")
        self.known(table, _TRANSLATE, f"translate.{index}", f"{place.label}: ")
        line, inside = table.get("line"), str(table.get("inside", ""))
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
        holes: dict[str, Hole] = {**self.holes_of(inside), **_holes(patterns)}
        partners = self.facts_of(table, "with", inside, place, holes)
        needs = self.facts_of(table, "when", inside, place, holes)
        bars = self.facts_of(table, "unless", inside, place, None)
        text, until, patterns = self.free_text(table, place, holes, patterns)
        otherwise = self.otherwise(table, place, holes)
        parts = self.parts(table, place, holes)
        if bool(parts) != any(each.open for each in patterns) and not text:
            self.bad(place.line, f"{place.label}: each: needs a line that ends in ..., and such a line needs each")
        templates = self.templates(self.means(table, "means", place), holes, place)
        back = table.get("taken-back")
        taken = None if back is None else tuple(self.templates(self.means(table, "taken-back", place), holes, place))
        if taken is not None and not layout.take_back:
            self.bad(place.line, f"{place.label}: taken-back: the layout has no take-back")
        secret = frozenset().union(*(each.secret for each in (*templates, *(taken or ()))))
        found = Translation(
            place,
            inside,
            tuple(patterns),
            tuple(templates),
            holes,
            taken,
            partners,
            needs,
            bars,
            parts,
            otherwise,
            text,
            until,
            self.word(table, "opener", ""),
            secret,
        )
        self.entries.setdefault(inside, []).extend(Candidate(pattern, found) for pattern in patterns)
        return found

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

    def otherwise(self, table: Mapping[str, Any], place: SourceRef, holes: Mapping[str, Hole]) -> Mapping[str, str]:
        """The sheet's words for holes that the line leaves out."""
        otherwise = table.get("otherwise", {})
        if not isinstance(otherwise, dict) or not all(isinstance(each, str) for each in otherwise.values()):
            self.bad(place.line, f"{place.label}: otherwise: expected a table of holes and the words of a sheet to use")
            otherwise = {}
        for name in otherwise:
            if name not in holes:
                self.bad(place.line, f"{place.label}: otherwise: {name} is not a hole of the line")
        return otherwise

    def parts(self, table: Mapping[str, Any], place: SourceRef, holes: Mapping[str, Hole]) -> tuple[Part, ...]:
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
            if any(pattern.loose >= 0 or pattern.open for pattern in patterns):
                self.bad(place.line, f"{place.label}: each: part: a part must have a fixed number of words")
                continue
            inner = {**holes, **_holes(patterns)}
            templates = self.templates(self.means(each, "means", place), inner, place)
            found.append(Part(tuple(sorted(patterns, key=_longest_first)), tuple(templates), inner))
        return tuple(found)

    def facts_of(
        self, table: Mapping[str, Any], key: str, inside: str, place: SourceRef, holes: dict[str, Hole] | None
    ) -> tuple[Condition, ...]:
        """The lines that a translation depends on; their holes are added to ``holes``."""
        value = table.get(key, [])
        found = []
        for each in value if isinstance(value, list) else [value]:
            spec = {"line": each} if isinstance(each, str) else each
            if not isinstance(spec, dict) or not isinstance(spec.get("line"), str):
                self.bad(place.line, f"{place.label}: {key}: expected a line, or {{ line = ..., inside = ... }}")
                continue
            self.known(spec, ("line", "inside"), "", f"{place.label}: {key}: ")
            block = str(spec.get("inside", inside))
            if block and block not in self.blocks:
                self.bad(place.line, f"{place.label}: {key}: {self.no_block(block, self.blocks)}")
                continue
            patterns = tuple(self.compiled(spec["line"], place))
            back = self.back
            if back and spec["line"].split()[:1] == [back]:
                better = "; under unless the line itself says that it must not be there" if key == "when" else ""
                self.bad(place.line, f"{place.label}: {key}: a line that {back} takes back is never there{better}")
                continue
            beside = "inside" not in spec
            names = set(_holes(patterns)) | (set() if beside else set(self.holes_of(block)))
            fact = Condition(self.facts, block, beside, patterns, tuple(sorted(names)))
            self.facts += 1
            if holes is not None:
                holes.update({**self.holes_of(block), **_holes(patterns), **holes})
            self.entries.setdefault(block, []).extend(Candidate(pattern, fact) for pattern in patterns)
            found.append(fact)
        return tuple(found)

    def ambiguous(self) -> None:
        """Two translations of one line, or two heads of a block, that are ambiguous."""
        for entries in self.entries.values():
            seen: dict[object, list[tuple[Pattern, Translation | BlockType]]] = {}
            for pattern, target in entries:
                if isinstance(target, Translation | BlockType):
                    alike = seen.setdefault((type(target), pattern.literals, pattern.rank), [])
                    for other, earlier in alike:
                        self.compare(pattern, target, other, earlier)
                    alike.append((pattern, target))

    def compare(
        self, pattern: Pattern, target: Translation | BlockType, other: Pattern, earlier: Translation | BlockType
    ) -> None:
        """Report two patterns, equally exact, that fit the same line."""
        held = any(isinstance(each, Translation) and each.conditional for each in (earlier, target))
        if held or earlier is target or pattern.open != other.open or not _overlap(pattern, other):
            return
        place = earlier.place
        if _shape(pattern) == _shape(other):
            why = f"this can never match: every such line is taken by {place.label} on line {place.line}"
        else:
            why = f"ambiguous with {place.label} on line {place.line}: some lines match both equally well"
        self.bad(target.place.line, f"{target.place.label}: {why}")


def _shape(pattern: Pattern) -> tuple[object, ...]:
    return tuple(
        part if isinstance(part, str) else (part.type.name, part.many)
        for token in pattern.tokens
        for part in (*token.parts, " ")
    )


def _overlap(one: Pattern, other: Pattern) -> bool:
    """Whether some word fits both at each place, as far as the samples of their types tell."""
    for first, second in zip(one.tokens, other.tokens, strict=True):
        mine, theirs = first.hole, second.hole
        if mine is None or theirs is None:
            if first.parts != second.parts and _shape(one) != _shape(other):
                return False
        elif not (_accepts(mine, theirs) or _accepts(theirs, mine)):
            return False
    return True


def _accepts(hole: Hole, other: Hole) -> bool:
    for sample in other.type.samples:
        try:
            hole.type.read(sample)
        except ValueError:
            continue
        return True
    return False


def _longest_first(pattern: Pattern) -> tuple[int, tuple[int, ...]]:
    return (-len(pattern.tokens), pattern.rank)


def _holes(patterns: Iterable[Pattern]) -> dict[str, Hole]:
    return {hole.name: hole for pattern in patterns for hole in pattern.names()}


def _candidates(entries: list[Candidate]) -> Candidates:
    ordered = sorted(entries, key=lambda each: each.pattern.rank)
    others = tuple(each for each in ordered if each.pattern.first is None)
    by_first: dict[str, list[Candidate]] = {}
    for each in ordered:
        if each.pattern.first is not None:
            by_first.setdefault(each.pattern.first, []).append(each)
    return Candidates({word: tuple(found) for word, found in by_first.items()}, others)


def _trial(template: Template, holes: Mapping[str, Hole]) -> str | None:
    """What is wrong with a statement whatever its holes hold; None where some values make it right."""
    options: list[dict[str, str]] = [{}]
    for name in sorted(template.holes):
        read: Callable[[str], str] = holes[name].type.read
        values = list(dict.fromkeys(read(sample) for sample in holes[name].type.samples))
        options = [{**each, name: value} for value in values for each in options][:_MOST_TRIALS]
    wrong: Misread | None = None
    for values_of in options:
        try:
            for filled in fill(template, values_of, holes):
                parse_filled(filled)
        except Misread as found:
            wrong = wrong or found
            continue
        return None
    if wrong is None:
        return None
    hint = wrong.hint() if callable(wrong.hint) else wrong.hint
    return str(wrong) + (f"; {hint}" if hint else "")
