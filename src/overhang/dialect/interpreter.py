"""Reading a text through a dialect: each line becomes the statements that it means, in the place that it stands in.

First every line is matched by itself (``scan``); then those that depend on other lines are settled, and all statements
are emitted in the order of the text. A line that nothing in the dialect matches is not understood, and puts its block
in doubt.
"""

from collections.abc import Sequence

from overhang.dialect.device_defaults import add_always, add_unknown
from overhang.dialect.emitter import Emitter
from overhang.dialect.instantiate import MOST_STATEMENTS, Instantiated, Openers, instantiate
from overhang.dialect.line_index import IndexedLine
from overhang.dialect.matcher import Option, Values, parts_of
from overhang.dialect.model import BlockType, Dialect, Translation
from overhang.dialect.redactor import Reading, shown_dialect
from overhang.dialect.scan import LineMatch, LineOutcome, Scan
from overhang.dialect.template import Template
from overhang.dialect.unparser import phrase
from overhang.language.builder import Builder
from overhang.language.parsed_config import ParsedConfig
from overhang.language.parser import Misread
from overhang.text import Diagnostic, Level, Span


def read_dialect_text(dialect: Dialect, text: str, file: str, openers: Openers | None = None) -> ParsedConfig:
    """Read a text; what is wrong with it becomes diagnostics."""
    return Interpreter(dialect, text, file, openers or {}).parsed()


class Interpreter:
    """One text being read; ``scan`` holds what was found in its lines."""

    def __init__(self, dialect: Dialect, text: str, file: str, openers: Openers, *, tracing: bool = False) -> None:
        self.dialect, self.file, self.openers = dialect, file, openers
        self.scan = Scan(dialect, text, tracing=tracing)
        self.emitter = Emitter()
        self.used: set[int] = set()

    def parsed(self) -> ParsedConfig:
        """The device, with the diagnostics of its text."""
        self.scan.run()
        self.settle()
        for line, reason in self.scan.text.problems:
            self.scan.wrong(line, reason, 0)
        for line, (_, instance, words) in sorted(self.scan.unread.items()):
            self.emitter.doubt(line, words, list(self.scan.around(instance)))
        dialect = self.dialect
        builder = Builder(dialect.file, self.scan.redactor.lines.quote, quiet=True)
        add_always(dialect, builder)
        builder.file = self.file
        unread = sorted(self.scan.unread)
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
            max(0, self.scan.text.counted - len(unread)),
            f"dialect {dialect.name}",
            profiles,
            {dialect.file: shown_dialect(dialect)},
            lambda lines: phrase(dialect, lines),
            program=self.emitter.program,
        )

    def diagnostic(self, line: int, why: str) -> Diagnostic:
        """The message about a line that was not understood."""
        text = self.scan.redactor.lines.quote(line)
        column = len(text) - len(text.lstrip()) + 1
        end = max(column + 1, len(text.rstrip()) + 1)
        hint = "" if why.startswith("it ") else f"add it to the dialect {self.dialect.name}, or list it under pass-over"
        return Diagnostic(Level.ERROR, Span(self.file, line, column, end), why, text, hint)

    # -- what depends on other lines -----------------------------------------------------------------------------------

    def settle(self) -> None:
        """Emit all that applies, in the order of the text."""
        for match_ in self.scan.matches:
            self.settle_one(match_)
        partners = {fact.number for each in self.dialect.translations for fact in each.partners}
        for line, (node, instance, numbers) in self.scan.waiting.items():
            if line not in self.used and partners.issuperset(numbers):
                self.scan.wrong(line, "it needs another line in the same block, which is missing", instance, node)

    def settle_one(self, match_: LineMatch) -> None:
        """Emit the first translation that applies; where none does, the line sets nothing or is not understood."""
        why, halved = "", False
        for option in match_.options:
            target = option.target
            if isinstance(target, BlockType):
                say = self.take_back if match_.taken else self.emit
                say(match_, option, target.templates)
                return
            values, missing, half = self.holds(match_, option)
            if values is not None:
                self.scan.fire(target.place.line)
                self.say(match_, option if values is option.values else option._replace(values=values), target)
                return
            why, halved = (why, halved) if why else (missing, half)
        if halved:
            self.scan.wrong(match_.node.line, why, match_.instance, match_.node)
            return
        if self.scan.tracing:
            self.scan.outcomes[match_.node.line] = LineOutcome("noted", (), why)
        for option in match_.options:
            self.scan.fire(option.target.place.line)

    def holds(self, match_: LineMatch, option: Option) -> tuple[Values | None, str, bool]:
        """The values with those of the lines that it depends on; or None, why it does not hold, and whether for want of
        a line that it means something only together with."""
        target = option.target
        if not isinstance(target, Translation) or not target.conditional:
            return option.values, "", False
        values = dict(option.values)
        partners: list[IndexedLine] = []
        needed: list[IndexedLine] = []
        for fact in target.partners:
            found = self.scan.beside.find(fact, match_.node.line, match_.instance, values)
            if found is None:
                return None, f"{fact.patterns[0].text} is missing from its block", True
            values.update({**found.values, **values})
            partners.append(found)
        for fact in target.needs:
            found = self.scan.beside.find(fact, match_.node.line, match_.instance, values)
            if found is None:
                return None, f"it applies only with {fact.patterns[0].text}, which is missing", False
            values.update({**found.values, **values})
            needed.append(found)
        for fact in target.bars:
            if self.scan.beside.find(fact, match_.node.line, match_.instance, values) is not None:
                return None, f"it does not apply with {fact.patterns[0].text}, which is there", False
        self.used.update(each.line for each in partners)
        for each in (*partners, *needed):
            self.scan.redactor.read(each.node, Reading(each.at, each.pattern, target.secret))
        return values, "", False

    # -- saying --------------------------------------------------------------------------------------------------------

    def say(self, match_: LineMatch, option: Option, target: Translation) -> None:
        """Emit what a translation means, or remove it."""
        values = option.values
        if target.otherwise or target.text:
            values = {**target.otherwise, **values}
            if target.text:
                values[target.text] = "\n".join(text for _, text in match_.text)
            option = option._replace(values=values)
        if match_.taken and target.taken_back is None:
            self.take_back(match_, option, target.templates, self.parts_said(target, option))
            return
        templates = target.templates if not match_.taken else target.taken_back or ()
        said = self.emit(match_, option, templates)
        if target.parts and option.left and said is not None:
            for found in parts_of(target, option.left) or ():
                of_part = Option(target._replace(holes=found.part.holes), {**values, **found.values})
                said += self.emit(match_, of_part, found.part.templates) or []
        if said:
            if self.scan.tracing:
                self.scan.outcomes[match_.node.line] = LineOutcome("said", tuple(said))
        elif said is not None and (templates or target.parts):
            place = target.place
            needed = sorted({name for each in templates for name in each.holes} - set(values))
            holes = ", ".join(f"{{{name}}}" for name in needed)
            why = f"it leaves out {holes}, without which it means nothing; otherwise can give a value for it"
            see = f"see {place.label}, line {place.line} of {self.dialect.file}"
            self.scan.wrong(match_.node.line, f"{why}; {see}", match_.instance, match_.node)
        elif said is not None and self.scan.tracing:
            self.scan.outcomes[match_.node.line] = LineOutcome("noted")

    def emit(self, match_: LineMatch, option: Option, templates: Sequence[Template]) -> list[Instantiated] | None:
        """Emit statements; those emitted, or None where one was wrong, which is reported."""
        said: list[Instantiated] = []
        line, first = match_.node.line, self.scan.plain(match_.node.words)[:1]
        for template in templates:
            try:
                for each in instantiate(self.dialect, self.openers, template, option):
                    if len(said) >= MOST_STATEMENTS:
                        raise Misread(f"the dialect makes more than {MOST_STATEMENTS:,} statements of it", 1, 1)
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
        if said and self.scan.tracing:
            earlier = self.scan.outcomes.get(line)
            self.scan.outcomes[line] = LineOutcome(
                "said", (*earlier.ready, *said) if earlier is not None else tuple(said)
            )
        return said

    def own_text(self, match_: LineMatch, template: Template, option: Option) -> Sequence[tuple[int, str]]:
        """The lines of free text, where a statement consists of them."""
        return match_.text if any(template.text == f"{{{name}}}" for name in option.values) else ()

    @staticmethod
    def parts_said(target: Translation, option: Option) -> list[tuple[Template, Option]]:
        """What the parts on a line mean: where a line that takes back names some, only these are taken back."""
        found = parts_of(target, option.left) if target.parts and option.left else None
        return [
            (template, Option(target._replace(holes=each.part.holes), {**option.values, **each.values}))
            for each in found or ()
            for template in each.part.templates
        ]

    def take_back(
        self,
        match_: LineMatch,
        option: Option,
        templates: Sequence[Template],
        parts: Sequence[tuple[Template, Option]] = (),
    ) -> None:
        """Drop what was set before; where nothing was, the meaning of the removal is unknown."""
        dropped: list[Instantiated] = []
        for template, of in parts or [(template, option) for template in templates]:
            try:
                for each in instantiate(self.dialect, self.openers, template, of):
                    self.emitter.drop(match_.node.line, each)
                    dropped.append(each)
            except Misread as wrong:
                self.scan.wrong(match_.node.line, str(wrong), match_.instance, match_.node)
                return
        if self.scan.tracing:
            self.scan.outcomes[match_.node.line] = LineOutcome("said", tuple(dropped), dropped=True)
