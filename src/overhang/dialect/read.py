"""Reading a text through a dialect: each line becomes the statements that it means, in the place that it stands in.

First every line is matched by itself (``scan``); then those that depend on other lines are settled, and all is said
in the order of the text. A line that nothing in the dialect fits is not understood, and puts in doubt what stands
beside it.
"""

from collections.abc import Sequence

from overhang.dialect.backwards import phrase
from overhang.dialect.matching import Option, Values, parts_of
from overhang.dialect.means import Meaning
from overhang.dialect.model import Block, Dialect, Translation
from overhang.dialect.ready import MOST_STATEMENTS, Openers, Ready, make_ready
from overhang.dialect.saying import Sayer
from overhang.dialect.scan import Became, Hit, Scan
from overhang.dialect.standing import say_always, say_never
from overhang.sheet.build import Builder
from overhang.sheet.load import Sheet
from overhang.sheet.reader import Misread
from overhang.text import Diagnostic, Level, Span

_SHOWN = 2_000


def read_dialect_text(dialect: Dialect, text: str, file: str, openers: Openers | None = None) -> Sheet:
    """Read a text; what is wrong with it becomes diagnostics."""
    return Run(dialect, text, file, openers or {}).sheet()


class Run:
    """One text being read; ``scan`` holds what was found in its lines."""

    def __init__(self, dialect: Dialect, text: str, file: str, openers: Openers, *, tracing: bool = False) -> None:
        self.dialect, self.file, self.openers = dialect, file, openers
        self.scan = Scan(dialect, text, tracing=tracing)
        self.sayer = Sayer()
        self.used: set[int] = set()

    def sheet(self) -> Sheet:
        """The device, and all that is to be told about its text."""
        self.scan.run()
        self.settle()
        for line, reason in self.scan.text.problems:
            self.scan.wrong(line, reason, 0)
        for line, (_, instance, words) in sorted(self.scan.unread.items()):
            self.sayer.doubt(line, words, list(self.scan.around(instance)))
        dialect = self.dialect
        builder = Builder(dialect.file, self.scan.quote, quiet=True)
        builder.say(say_always(dialect))
        builder.file = self.file
        unread = sorted(self.scan.unread)
        self.sayer.reading.unread.extend(unread)
        builder.claims = True
        builder.say(self.sayer.reading)
        builder.claims = False
        builder.file = dialect.file
        say_never(dialect, builder)
        builder.file = self.file
        diagnostics = [self.diagnostic(line, why) for line, (why, _, _) in sorted(self.scan.unread.items())]
        profiles = {dialect.profile.name: dialect.profile} if dialect.profile is not None else {}
        return Sheet(
            builder.device(),
            tuple(diagnostics),
            self.scan.text.lines,
            tuple(unread),
            max(0, self.scan.text.counted - len(unread)),
            f"dialect {dialect.name}",
            self.scan.quote,
            profiles,
            {dialect.file: dialect.lines},
            lambda lines: phrase(dialect, lines),
        )

    def diagnostic(self, line: int, why: str) -> Diagnostic:
        """What is told of a line that was not understood."""
        text = self.scan.quote(line)[:_SHOWN]
        column = len(text) - len(text.lstrip()) + 1
        end = max(column + 1, len(text.rstrip()) + 1)
        hint = "" if why.startswith("it ") else f"teach it to the dialect {self.dialect.name}, or pass over it"
        return Diagnostic(Level.ERROR, Span(self.file, line, column, end), why, text, hint)

    # -- what depends on other lines -----------------------------------------------------------------------------------

    def settle(self) -> None:
        """Say all that holds, in the order of the text."""
        for hit in self.scan.hits:
            self.settle_one(hit)
        partners = {fact.number for each in self.dialect.translations for fact in each.partners}
        for line, (node, instance, numbers) in self.scan.waiting.items():
            if line not in self.used and partners.issuperset(numbers):
                self.scan.wrong(line, "it goes with another line, which does not stand beside it", instance, node)

    def settle_one(self, hit: Hit) -> None:
        """Say the first translation that holds; where none does, the line says nothing, or is not understood."""
        why, halved = "", False
        for option in hit.options:
            target = option.target
            if isinstance(target, Block):
                say = self.take_back if hit.taken else self.emit
                say(hit, option, target.meanings)
                return
            values, missing, half = self.holds(hit, option)
            if values is not None:
                self.scan.fire(target.place.line)
                self.say(hit, option if values is option.values else option._replace(values=values), target)
                return
            why, halved = (why, halved) if why else (missing, half)
        if halved:
            self.scan.wrong(hit.node.line, why, hit.instance, hit.node)
            return
        if self.scan.tracing:
            self.scan.became[hit.node.line] = Became("noted", (), why)
        for option in hit.options:
            self.scan.fire(option.target.place.line)

    def holds(self, hit: Hit, option: Option) -> tuple[Values | None, str, bool]:
        """The values with those of the lines that it depends on; or None, why it does not hold, and whether for want of
        a line that it means something only together with."""
        target = option.target
        if not isinstance(target, Translation) or not target.conditional:
            return option.values, "", False
        values = dict(option.values)
        partners = []
        for fact in target.partners:
            found = self.scan.beside.find(fact, hit.node.line, hit.instance, values)
            if found is None:
                return None, f"{fact.patterns[0].text} is missing beside it", True
            values.update({**found.values, **values})
            partners.append(found.line)
        for fact in target.needs:
            found = self.scan.beside.find(fact, hit.node.line, hit.instance, values)
            if found is None:
                return None, f"it holds where {fact.patterns[0].text} stands, which does not", False
            values.update({**found.values, **values})
        for fact in target.bars:
            if self.scan.beside.find(fact, hit.node.line, hit.instance, values) is not None:
                return None, f"it holds where {fact.patterns[0].text} does not stand, which does", False
        self.used.update(partners)
        for line in partners:
            self.scan.curtain.show(line)
            self.scan.curtain.hide(line, [values[name] for name in target.secret if name in values])
        return values, "", False

    # -- saying --------------------------------------------------------------------------------------------------------

    def say(self, hit: Hit, option: Option, target: Translation) -> None:
        """Say what a translation means, or take it back."""
        values = option.values
        if target.otherwise or target.text:
            values = {**target.otherwise, **values}
            if target.text:
                values[target.text] = "\n".join(text for _, text in hit.text)
            option = option._replace(values=values)
        if hit.taken and target.taken_back is None:
            self.take_back(hit, option, target.meanings)
            return
        meanings = target.meanings if not hit.taken else target.taken_back or ()
        said = self.emit(hit, option, meanings)
        if target.parts and option.left and said is not None:
            for part, found in parts_of(target, option.left) or ():
                of_part = Option(target._replace(holes=part.holes), {**values, **found})
                said += self.emit(hit, of_part, part.meanings) or []
        if said:
            if self.scan.tracing:
                self.scan.became[hit.node.line] = Became("said", tuple(said))
        elif said is not None and (meanings or target.parts):
            place = target.place
            why = f"what it leaves out is needed for all that it means; see {place.label}, line {place.line}"
            self.scan.wrong(hit.node.line, f"{why} of {self.dialect.file}", hit.instance, hit.node)
        elif said is not None and self.scan.tracing:
            self.scan.became[hit.node.line] = Became("noted")

    def emit(self, hit: Hit, option: Option, meanings: Sequence[Meaning]) -> list[Ready] | None:
        """Say statements; what was said, or None where one was wrong, which then is told."""
        said: list[Ready] = []
        line, first = hit.node.line, self.scan.plain(hit.node.words)[:1]
        for meaning in meanings:
            try:
                for each in make_ready(self.dialect, self.openers, meaning, option):
                    if len(said) >= MOST_STATEMENTS:
                        raise Misread(f"the dialect makes more than {MOST_STATEMENTS:,} statements of it", 1, 1)
                    owner = self.sayer.state(line, each, self.own_text(hit, meaning, option) if hit.text else ())
                    self.sayer.remember(hit.instance, first[0] if first else "", meaning, option.values, owner)
                    said.append(each)
            except Misread as wrong:
                place = option.target.place
                why = f"{wrong}; see {place.label}, line {place.line} of {self.dialect.file}"
                self.scan.wrong(line, why, hit.instance, hit.node)
                return None
        if said and self.scan.tracing:
            earlier = self.scan.became.get(line)
            self.scan.became[line] = Became("said", (*earlier.ready, *said) if earlier is not None else tuple(said))
        return said

    def own_text(self, hit: Hit, meaning: Meaning, option: Option) -> Sequence[tuple[int, str]]:
        """The lines of free text, where a statement says just them."""
        return hit.text if any(meaning.text == f"{{{name}}}" for name in option.values) else ()

    def take_back(self, hit: Hit, option: Option, meanings: Sequence[Meaning]) -> None:
        """Drop what was said before; where nothing was, nobody can tell what taking it back means."""
        dropped: list[Ready] = []
        for meaning in meanings:
            try:
                for each in make_ready(self.dialect, self.openers, meaning, option):
                    self.sayer.drop(hit.node.line, each)
                    dropped.append(each)
            except Misread as wrong:
                self.scan.wrong(hit.node.line, str(wrong), hit.instance, hit.node)
                return
        if self.scan.tracing:
            self.scan.became[hit.node.line] = Became("said", tuple(dropped), dropped=True)
