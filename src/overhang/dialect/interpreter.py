"""Reading a text through a dialect: each line becomes the statements that it means, in the place that it stands in.

First every line is matched by itself (``scan``); then those that depend on other lines are settled, and all statements
are emitted in the order of the text. A line that nothing in the dialect matches is not understood, and puts its block
in doubt.
"""

from collections.abc import Callable, Sequence
from typing import NamedTuple

from overhang.dialect.conditions import Place, Verdict, holding
from overhang.dialect.device_defaults import add_always, add_unknown
from overhang.dialect.emitter import Emitter
from overhang.dialect.instantiate import MOST_STATEMENTS, Instantiated, Openers, instantiate
from overhang.dialect.kinds import kinds_of
from overhang.dialect.line_index import IndexedLine
from overhang.dialect.matcher import Option, PartMatch, Values, parts_of
from overhang.dialect.model import BlockType, Dialect, Meaning, SourceRef, Test, Translation
from overhang.dialect.ordering import in_order
from overhang.dialect.redactor import Reading, shown_dialect
from overhang.dialect.scan import OUTERMOST, LineMatch, LineOutcome, Scan
from overhang.dialect.template import Template
from overhang.dialect.tokenizer import Node, Text
from overhang.dialect.unparser import phrase
from overhang.language.builder import Builder
from overhang.language.parsed_config import ParsedConfig
from overhang.language.parser import Misread
from overhang.text import Diagnostic, Level, Span


class StepResult(NamedTuple):
    """What a step made of a text.

    ``nodes`` are the statements that translations read; ``said`` those that it said itself, each with the words that
    may be shown and those that may not; ``doubts`` what is not understood, why, and what it may be about; ``gone`` what
    else became of the rest. ``spelt`` are words that the step's code spells out, so that they are nobody's secret where
    a statement begins with one.
    """

    nodes: Sequence[Node]
    said: Sequence[tuple[Node, Instantiated, set[str], set[str]]] = ()
    doubts: Sequence[tuple[Node, str, frozenset[str]]] = ()
    gone: Sequence[tuple[Node, str]] = ()
    spelt: frozenset[str] = frozenset()


Step = Callable[[Sequence[Node], Text, Emitter], StepResult]


class Helpers(NamedTuple):
    """What reading needs beside a dialect: what opens a maker's masking, and the dialect's step, where it has one."""

    openers: Openers
    step: Step | None = None


#: For a dialect that needs nothing beside it.
ALONE = Helpers({})


def read_dialect_text(dialect: Dialect, text: str, file: str, helpers: Helpers = ALONE) -> ParsedConfig:
    """Read a text; what is wrong with it becomes diagnostics. Raises UnreadableInput where the dialect's step fails."""
    return Interpreter(dialect, text, file, helpers).parsed()


class Interpreter:
    """One text being read; ``scan`` holds what was found in its lines."""

    def __init__(self, dialect: Dialect, text: str, file: str, helpers: Helpers, *, tracing: bool = False) -> None:
        self.dialect, self.file, self.openers, self.step = dialect, file, helpers.openers, helpers.step
        self.scan = Scan(dialect, text, tracing=tracing)
        self.emitter = Emitter()
        self.used: set[int] = set()
        #: translations and blocks that mean the same statements wherever they stand, by their identity
        self._plain = plain_of(dialect)
        #: kinds of blocks that a step says lines which it does not understand may be about
        self.about: dict[int, frozenset[str]] = {}

    def parsed(self) -> ParsedConfig:
        """The device, with the diagnostics of its text."""
        dialect = self.dialect
        if self.step is None:
            self.scan.run()
        else:
            self.take_step(self.step)
        self.settle()
        for line, reason, outer in self.scan.text.problems:
            context = self.scan.contexts[outer] if 0 <= outer < len(self.scan.contexts) else OUTERMOST
            self.scan.wrong(line, reason, context.instance)
        for line, (_, instance, words) in sorted(self.scan.unread.items()):
            kinds = kinds_of(dialect, self.scan.block_of(instance), words) | self.about.get(line, frozenset())
            self.emitter.doubt(line, words, list(self.scan.around(instance)), kinds)
        builder = Builder(dialect.file, quiet=True)
        add_always(dialect, builder)
        builder.file = self.file
        unread = sorted(self.scan.unread)
        silent = tuple(sorted({line for line, _ in self.scan.silent - self.scan.said} - set(unread)))
        self.emitter.program.unread.extend(unread)
        builder.claims = True
        builder.add(self.emitter.program)
        builder.claims = False
        builder.file = dialect.file
        add_unknown(dialect, builder)
        builder.file = self.file
        diagnostics = [self.diagnostic(line, why) for line, (why, _, _) in sorted(self.scan.unread.items())]
        profiles = {dialect.profile.name: dialect.profile} if dialect.profile is not None else {}
        return ParsedConfig(
            builder.device(),
            tuple(diagnostics),
            self.scan.redactor.lines,
            tuple(unread),
            max(0, self.scan.text.counted - len(unread) - len(silent)),
            f"dialect {dialect.name}",
            profiles,
            {dialect.file: shown_dialect(dialect)},
            lambda lines: phrase(dialect, lines),
            program=self.emitter.program,
            silent=silent,
        )

    def take_step(self, step: Step) -> None:
        """Have the dialect's step work on the statements, and read what it leaves."""
        scan = self.scan
        result = step(list(scan.with_texts()), scan.text, self.emitter)
        said: dict[int, list[Instantiated]] = {}
        for node, statement, shown, secret in result.said:
            scan.redactor.vouch(node, shown, secret)
            said.setdefault(id(node), []).append(statement)
            scan.became(node, LineOutcome("said", tuple(said[id(node)])))
        for node, how in result.gone:
            first = node.words[0] if node.words else ""
            scan.redactor.vouch(node, {first} & result.spelt, ())
            if id(node) not in said:
                scan.became(node, LineOutcome("passed", why=how))
        for node, why, about in result.doubts:
            scan.wrong(node.line, why, 0, node)
            self.about[node.line] = self.about.get(node.line, frozenset()) | about
        scan.read(result.nodes)

    def diagnostic(self, line: int, why: str) -> Diagnostic:
        """The message about a line that was not understood."""
        text = self.scan.redactor.lines.quote(line)
        column = len(text) - len(text.lstrip()) + 1
        end = max(column + 1, len(text.rstrip()) + 1)
        hint = "" if why.startswith("it ") else f"add it to the dialect {self.dialect.name}, or list it under pass-over"
        return Diagnostic(Level.ERROR, Span(self.file, line, column, end), why, text, hint)

    # -- what depends on other lines -----------------------------------------------------------------------------------

    def settle(self) -> None:
        """Emit all that applies, in the order of the text, or as numbers order it."""
        matches, instead = self.scan.matches, dict[int, int]()
        if any(each.sort_by or each.again for each in self.dialect.translations):
            matches, instead = in_order(self.scan.matches, self.value_of)
        for match_ in matches:
            if instead and id(match_.node) in instead:
                line = instead[id(match_.node)]
                self.silent(match_, f"it is given more than once; line {line} counts")
                continue
            self.settle_one(match_)
        partners = {fact.number for each in self.dialect.translations for fact in each.partners}
        for line, (node, instance, numbers) in self.scan.waiting.items():
            if line not in self.used and partners.issuperset(numbers):
                self.scan.wrong(line, "it needs another line in the same block, which is missing", instance, node)

    def value_of(self, match_: LineMatch, option: Option, name: str) -> str:
        """The value of a hole, of a line itself or of one that it means something only together with."""
        if name in option.values or not isinstance(option.target, Translation):
            return option.values.get(name, "")
        for fact in option.target.partners:
            found = self.scan.beside.find(fact, match_.node.line, match_.instance, option.values)
            if found is not None and name in found.values:
                return found.values[name]
        return ""

    def settle_one(self, match_: LineMatch) -> None:
        """Emit the first translation that applies; where none does, the line sets nothing or is not understood."""
        lost: list[tuple[SourceRef, str]] = []
        halved = ""
        first = match_.options[0]
        if id(first.target) in self._plain and not match_.taken and not first.left:  # most lines of most texts
            if isinstance(first.target, Translation):
                self.scan.fire(first.target.place.line)
            said = self.emit(match_, first, first.target.templates)
            if said is not None:
                self.told(match_, first, said, ("", ()))
            return
        for option in match_.options:
            target = option.target
            if isinstance(target, BlockType):
                self.say(match_, option, ())
                return
            values, missing, half = self.holds(match_, option)
            if values is not None:
                self.scan.fire(target.place.line)
                with_values = option if values is option.values else option._replace(values=values)
                self.say(match_, with_values, tuple(lost))
                return
            halved = halved or (missing if half and not lost else "")
            lost.append((target.place, missing))
        for option in match_.options:
            self.scan.fire(option.target.place.line)
        if halved:
            self.scan.wrong(match_.node.line, halved, match_.instance, match_.node)
            return
        self.silent(match_, lost[0][1], tuple(lost))

    def silent(self, match_: LineMatch, why: str, lost: tuple[tuple[SourceRef, str], ...] = ()) -> None:
        """Something fits a line, and says nothing here."""
        self.scan.silent.add((match_.node.line, tuple(match_.node.words)))
        self.scan.became(match_.node, LineOutcome("silent", (), why, lost=lost))

    def holds(self, match_: LineMatch, option: Option) -> tuple[Values | None, str, bool]:
        """The values with those of the lines that it depends on; or None, why it does not hold, and whether for want of
        a line that it means something only together with."""
        target = option.target
        if not isinstance(target, Translation) or not target.conditional:
            return option.values, "", False
        values = dict(option.values)
        partners: list[IndexedLine] = []
        for fact in target.partners:
            found = self.scan.beside.find(fact, match_.node.line, match_.instance, values)
            if found is None:
                return None, f"{fact.patterns[0].text} is missing from its block", True
            values.update({**found.values, **values})
            partners.append(found)
        verdict = self.needs(match_, target.needs, values, target.secret)
        if verdict.values is None:
            return None, verdict.why, False
        self.used.update(each.line for each in partners)
        for each in partners:
            self.scan.redactor.read(each.node, Reading(each.at, each.pattern, target.secret))
        return verdict.values, "", False

    def needs(self, match_: LineMatch, tests: Sequence[Test], values: Values, secret: frozenset[str]) -> Verdict:
        """Whether conditions hold for a line."""
        verdict = holding(self.scan.beside, tests, Place(match_.node.line, match_.instance), values)
        for each in verdict.seen if verdict.values is not None else ():
            self.scan.redactor.read(each.node, Reading(each.at, each.pattern, secret))
        return verdict

    # -- saying --------------------------------------------------------------------------------------------------------

    def say(self, match_: LineMatch, option: Option, lost: tuple[tuple[SourceRef, str], ...]) -> None:
        """Emit what a translation, or the head of a block, means, or remove it."""
        target, values = option.target, option.values
        if isinstance(target, Translation) and target.text:
            values = {**values, target.text: "\n".join(text for _, text in match_.text)}
            option = option._replace(values=values)
        parts = parts_of(target, option.left) if isinstance(target, Translation) and option.left else None
        if match_.taken and (isinstance(target, BlockType) or target.taken_back is None):
            self.take_back(match_, option, parts or ())
            return
        templates = target.templates
        if match_.taken and isinstance(target, Translation):
            templates, parts = target.taken_back or (), parts
        said = self.emit(match_, option, templates)
        why = ""
        for meaning in target.meanings if not match_.taken else ():
            verdict = self.needs(match_, meaning.needs, values, _secrets(meaning))
            if verdict.values is None:
                why = why or verdict.why
                lost = (*lost, (target.place, verdict.why))
            elif said is not None:
                more = self.emit(match_, option._replace(values=verdict.values), meaning.templates)
                said = None if more is None else said + more
        for found in parts or ():
            of_part = Option(target._replace(holes=found.part.holes), {**values, **found.values})
            more = self.emit(match_, of_part, found.part.templates) if said is not None else None
            said = None if said is None or more is None else said + more
        if said is not None:
            self.told(match_, option, said, (why, lost))

    def told(
        self,
        match_: LineMatch,
        option: Option,
        said: Sequence[Instantiated],
        missed: tuple[str, tuple[tuple[SourceRef, str], ...]],
    ) -> None:
        """Note what a line came to: statements, nothing since a condition fails, or nothing for want of a value."""
        target, (why, lost) = option.target, missed
        templates = target.templates if not match_.taken or isinstance(target, BlockType) else target.taken_back or ()
        if said:
            if self.dialect.step:  # the same statement may stand in other places too
                self.scan.said.add((match_.node.line, tuple(match_.node.words)))
            if self.scan.tracing:
                self.scan.became(match_.node, LineOutcome("said", tuple(said), place=target.place, lost=lost))
        elif why and isinstance(target, Translation):
            self.silent(match_, why, lost)
        elif why:  # the block is there, whatever its head means
            self.scan.became(match_.node, LineOutcome("noted", (), why, place=target.place, lost=lost))
        elif templates or target.meanings or (isinstance(target, Translation) and target.parts):
            place = target.place
            needed = sorted({name for each in target.every for name in each.holes} - set(option.values))
            holes = ", ".join(f"{{{name}}}" for name in needed)
            wants = f"it leaves out {holes}, without which it means nothing; translate the line without it too"
            see = f"see {place.label}, line {place.line} of {self.dialect.file}"
            self.scan.wrong(match_.node.line, f"{wants}; {see}", match_.instance, match_.node)
        else:
            self.scan.became(match_.node, LineOutcome("noted", place=target.place, lost=lost))

    def emit(self, match_: LineMatch, option: Option, templates: Sequence[Template]) -> list[Instantiated] | None:
        """Emit statements; those emitted, or None where one was wrong, which is reported."""
        said: list[Instantiated] = []
        if not templates:
            return said
        line, first = match_.node.line, self.scan.plain(match_.node.words)[:1]
        for template in templates:
            try:
                for each in instantiate(self.dialect, self.openers, template, option):
                    if len(said) >= MOST_STATEMENTS:
                        raise Misread(f"the dialect makes more than {MOST_STATEMENTS:,} statements of it", 1, 1)
                    if template.drop:
                        self.emitter.drop(line, each, quiet=True)
                        said.append(each)
                        continue
                    owner = self.emitter.state(
                        line, each, self.own_text(match_, template, option) if match_.text else ()
                    )
                    self.emitter.remember(match_.instance, first[0] if first else "", template, option.values, owner)
                    said.append(each)
            except Misread as wrong:
                place = option.target.place
                why = f"{wrong}; see {place.label}, line {place.line} of {self.dialect.file}"
                self.scan.wrong(line, why, match_.instance, match_.node)
                return None
        return said

    def own_text(self, match_: LineMatch, template: Template, option: Option) -> Sequence[tuple[int, str]]:
        """The lines of free text, where a statement consists of them."""
        return match_.text if any(template.text == f"{{{name}}}" for name in option.values) else ()

    def take_back(self, match_: LineMatch, option: Option, parts: Sequence[PartMatch]) -> None:
        """Drop what was set before; where nothing was, the meaning of the removal is unknown.

        Of a line with parts only what these say is dropped. What depends on conditions may have been set or not.
        """
        target = option.target
        pairs = [(template, option, False) for template in target.templates]
        pairs += [(template, option, True) for each in target.meanings for template in each.templates]
        if parts:
            pairs = [
                (template, Option(target._replace(holes=each.part.holes), {**option.values, **each.values}), False)
                for each in parts
                for template in each.part.templates
            ]
        dropped: list[Instantiated] = []
        for template, of, quiet in pairs:
            try:
                for each in instantiate(self.dialect, self.openers, template, of):
                    self.emitter.drop(match_.node.line, each, quiet=quiet)
                    dropped.append(each._replace(dropped=True))
            except Misread as wrong:
                self.scan.wrong(match_.node.line, str(wrong), match_.instance, match_.node)
                return
        self.scan.became(match_.node, LineOutcome("said", tuple(dropped), place=target.place))


def plain_of(dialect: Dialect) -> frozenset[int]:
    """The translations and blocks that hang on no other line, and of which every line means the same statements."""
    found: frozenset[int] | None = dialect.memory.get(("plain",))
    if found is None:
        targets = [each for each in dialect.blocks.values() if not each.meanings]
        plain = {id(each) for each in targets}
        plain |= {id(each) for each in dialect.translations if not (each.conditional or each.meanings or each.text)}
        found = frozenset(plain)
        dialect.memory.keep(("plain",), found)
    return found


def _secrets(meaning: Meaning) -> frozenset[str]:
    return frozenset().union(*(each.secret for each in meaning.templates))
