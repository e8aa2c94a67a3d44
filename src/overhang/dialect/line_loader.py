"""What blocks and translations of a dialect's file have in common: lines, meanings, and what has to hold for them."""

from collections.abc import Callable, Iterable, Mapping
from typing import Any

from overhang.dialect.layout_marks import label_pattern, without_leader
from overhang.dialect.model import BadDialect, BlockType, Candidate, Condition, Layout, Meaning, SourceRef, Test
from overhang.dialect.pattern import BadPattern, Hole, Pattern, compile_patterns
from overhang.dialect.settings import Settings
from overhang.dialect.template import BadTemplate, Template, compile_templates, fill, parse_filled
from overhang.language.parser import Misread
from overhang.text import did_you_mean
from overhang.text.toml_file import TomlProblem

_MOST_PATTERNS = 20_000
_MOST_TRIALS = 64
_MOST_DEEP = 8
_TEST_KEYS = "line contains inside all any none hole least most is".split()
_A_TEST = "expected a line, a list of them, or a table with one of line, contains, any, all, none, hole"
Holes = dict[str, Hole]


class LineLoader(Settings):
    """Compiles lines, meanings and conditions; ``entries`` are what can stand in each kind of block."""

    def __init__(self, file: str, lines: tuple[str, ...]) -> None:
        super().__init__(lines)
        self.file = file
        self.lines = lines
        self.plan = Layout()
        self.blocks: dict[str, BlockType] = {}
        #: for each kind of block, what its values stand for in meanings
        self.values: dict[str, Mapping[str, str]] = {}
        self.facts = 0
        self.patterns = 0
        self.entries: dict[str, list[Candidate]] = {"": []}
        self.anywhere: dict[str, list[tuple[Pattern, Condition]]] = {}

    # -- lines ---------------------------------------------------------------------------------------------------------

    def compiled(self, text: str, place: SourceRef) -> list[Pattern]:
        """The forms of a line; what is wrong with it is noted."""
        labels = label_pattern(self.plan)
        try:
            found = compile_patterns(
                text if labels is None else without_leader(text, labels, self.plan.label_ends), self.notation
            )
        except BadPattern as wrong:
            self.bad(place.line, f"{place.label}: {wrong}")
            return []
        self.patterns += len(found)
        if self.patterns > _MOST_PATTERNS:
            raise BadDialect(self.file, [TomlProblem(place.line, f"more than {_MOST_PATTERNS:,} forms of lines")])
        return found

    def no_block(self, name: str, known: Iterable[str]) -> str:
        """The message about a block that is not there."""
        near = did_you_mean(name, sorted(known))
        return f"there is no block {name}" + (f"; did you mean {near}?" if near else "")

    def holes_of(self, block: str) -> Mapping[str, Hole]:
        """The holes that a block and those around it have."""
        return self.blocks[block].holes if block in self.blocks else {}

    def values_of(self, block: str) -> Mapping[str, str]:
        """The values of a block and those around it."""
        found: dict[str, str] = {}
        while block in self.blocks:
            found = {**self.values.get(block, {}), **found}
            block = self.blocks[block].inside
        return found

    # -- meanings ------------------------------------------------------------------------------------------------------

    def means(
        self, table: Mapping[str, Any], key: str, place: SourceRef, block: str, holes: Holes
    ) -> tuple[list[Template], tuple[Meaning, ...]]:
        """The statements that are always meant, and those that need something more."""
        value = table.get(key, "")
        always: list[str] = []
        found: list[Meaning] = []
        for each in value if isinstance(value, list) else [value]:
            if isinstance(each, str):
                always.append(each)
            elif isinstance(each, dict) and isinstance(each.get("say"), str):
                self.known(each, ("say", "when", "unless"), "", f"{place.label}: {key}: ")
                inner = dict(holes)
                needs = self.needs(each, block, place, inner)
                templates = self.templates(self.with_values(each["say"], block), inner, place)
                found.append(Meaning(tuple(templates), needs))
                if not needs:
                    self.bad(place.line, f"{place.label}: {key}: say without when and unless; write it as a text")
            else:
                why = "expected statements of a sheet, or { say = ..., when = ..., unless = ... }"
                self.bad(place.line, f"{place.label}: {key}: {why}")
                return [], ()
        return self.templates(self.with_values("\n".join(always), block), holes, place), tuple(found)

    def with_values(self, text: str, block: str) -> str:
        """A meaning with the values of its blocks put in."""
        for name, value in self.values_of(block).items():
            text = text.replace(f"{{{name}}}", value)
        return text

    def templates(self, text: str, holes: Mapping[str, Hole], place: SourceRef) -> list[Template]:
        """Statements with holes; what is wrong with them is noted."""
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

    # -- conditions ----------------------------------------------------------------------------------------------------

    def needs(self, table: Mapping[str, Any], inside: str, place: SourceRef, holes: Holes) -> tuple[Test, ...]:
        """What ``when`` and ``unless`` ask for; the holes of the lines that must be there are added."""
        found: list[Test] = []
        self.known_holes = holes
        if "when" in table:
            test = self.test(table["when"], ("when", inside), place, holes, 0)
            found += [] if test is None else [test]
        if "unless" in table:
            test = self.test(table["unless"], ("unless", inside), place, None, 0)
            each = () if test is None else test.parts if test.kind == "all" else (test,)
            if isinstance(table["unless"], list):  # none of the lines of a list may be there
                found += [Test("none", part.text, parts=(part,)) for part in each]
            else:
                found += [] if test is None else [Test("none", test.text, parts=(test,))]
        return tuple(found)

    def test(
        self, value: Any, around: tuple[str, str], place: SourceRef, holes: Holes | None, depth: int
    ) -> Test | None:
        """One condition, or several joined; None, and a problem, where it is none."""
        key, inside = around
        label = f"{place.label}: {key}"
        if isinstance(value, str):
            value = {"line": value}
        if isinstance(value, list):
            value = {"all": value}
        if not isinstance(value, dict) or depth > _MOST_DEEP:
            self.bad(place.line, f"{label}: {_A_TEST}")
            return None
        self.known(value, _TEST_KEYS, "", f"{label}: ")
        kinds = [each for each in ("line", "contains", "all", "any", "none", "hole") if each in value]
        if len(kinds) != 1:
            self.bad(place.line, f"{label}: {_A_TEST}")
            return None
        kind = kinds[0]
        if kind in ("line", "contains"):
            fact = self.fact(value, kind, around, place, holes)
            if fact is None:
                return None
            where = f" in {fact.block}" if not fact.beside else ""
            said = f"a line that contains {value[kind]}" if fact.anywhere else value[kind]
            return Test("line", f"{said}{where}", fact)
        if kind == "hole":
            return self.comparison(value, label, place, holes, inside)
        several = value[kind] if isinstance(value[kind], list) else [value[kind]]
        inner = None if kind == "none" else holes
        parts = [self.test(each, around, place, inner, depth + 1) for each in several]
        if not parts:
            self.bad(place.line, f"{label}: {kind}: {_A_TEST}")
        joined = {"all": " and ", "any": " or ", "none": " or "}[kind]
        text = joined.join(each.text for each in parts if each is not None)
        return Test(kind, f"no {text}" if kind == "none" else text, parts=tuple(each for each in parts if each))

    def comparison(
        self, value: Mapping[str, Any], label: str, place: SourceRef, holes: Holes | None, inside: str
    ) -> Test | None:
        """A hole compared with numbers or words."""
        name = value["hole"]
        least, most, words = value.get("least"), value.get("most"), value.get("is", [])
        words = [words] if isinstance(words, str) else words
        numbers = all(each is None or (isinstance(each, int) and not isinstance(each, bool)) for each in (least, most))
        right = isinstance(name, str) and numbers and isinstance(words, list)
        if not right or (bool(words) == (least is not None or most is not None)):
            self.bad(place.line, f"{label}: hole: expected least and most, which are numbers, or is, which are words")
            return None
        known = holes if holes is not None else self.known_holes
        if name not in known and name not in self.holes_of(inside):
            self.bad(place.line, f"{label}: hole: {name} is not a hole of the line")
        if words:
            return Test("word", f"{name} {' or '.join(map(str, words))}", hole=name, words=frozenset(map(str, words)))
        bounds = [f"at least {least}"] if least is not None else []
        bounds += [f"at most {most}"] if most is not None else []
        return Test("number", f"{name} {' and '.join(bounds)}", hole=name, least=least, most=most)

    #: the holes of the line whose conditions are being read
    known_holes: Mapping[str, Hole] = {}

    def fact(
        self, spec: Mapping[str, Any], key: str, around: tuple[str, str], place: SourceRef, holes: Holes | None
    ) -> Condition | None:
        """A line that has to be there, or words anywhere in one; its holes are added to ``holes``."""
        what, inside = around
        label = f"{place.label}: {what}"
        text, block = spec[key], str(spec.get("inside", inside))
        if not isinstance(text, str):
            self.bad(place.line, f"{label}: {_A_TEST}")
            return None
        if block and block not in self.blocks:
            self.bad(place.line, f"{label}: {self.no_block(block, self.blocks)}")
            return None
        back = self.plan.take_back
        if back and text.split()[:1] == [back]:
            better = "; under unless the line itself says that it must not be there" if what == "when" else ""
            self.bad(place.line, f"{label}: a line that {back} takes back is never there{better}")
            return None
        patterns = tuple(self.compiled(text, place))
        beside = "inside" not in spec
        names = set(holes_in(patterns)) | (set() if beside else set(self.holes_of(block)))
        anywhere = key == "contains"
        fact = Condition(self.facts, block, beside, patterns, tuple(sorted(names)), anywhere)
        self.facts += 1
        if holes is not None:
            holes.update({**self.holes_of(block), **holes_in(patterns), **holes})
        if anywhere:
            self.anywhere.setdefault(block, []).extend((pattern._replace(open=True), fact) for pattern in patterns)
        else:
            self.entries.setdefault(block, []).extend(Candidate(pattern, fact) for pattern in patterns)
        return fact


def holes_in(patterns: Iterable[Pattern]) -> dict[str, Hole]:
    """The holes of lines, by name."""
    return {hole.name: hole for pattern in patterns for hole in pattern.names()}


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
                parse_filled(filled, drop=template.drop)
        except Misread as found:
            wrong = wrong or found
            continue
        return None
    if wrong is None:
        return None
    hint = wrong.hint() if callable(wrong.hint) else wrong.hint
    return str(wrong) + (f"; {hint}" if hint else "")
