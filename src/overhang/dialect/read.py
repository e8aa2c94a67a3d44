"""Reading a text through a dialect: each line becomes the statements that it means, in the place that it stands in.

First every line is matched by itself; then those that depend on other lines are settled, and all is said in the order
of the text. A line that nothing in the dialect fits is not understood, and puts in doubt what stands beside it.
"""

from collections.abc import Iterator, Sequence
from typing import NamedTuple

from overhang.dialect.backwards import phrase
from overhang.dialect.beside import Beside, Seen
from overhang.dialect.hidden import Curtain
from overhang.dialect.layout import Node, Text
from overhang.dialect.matching import Match, Matcher, Option, Values, parts_of
from overhang.dialect.means import Meaning
from overhang.dialect.model import Block, Dialect, Translation
from overhang.dialect.pattern import Tail
from overhang.dialect.ready import MOST_STATEMENTS, Openers, Ready, make_ready
from overhang.dialect.saying import Sayer
from overhang.dialect.standing import say_always, say_never
from overhang.sheet.build import Builder
from overhang.sheet.load import Sheet
from overhang.sheet.reader import Misread
from overhang.text import Diagnostic, Level, Span

_SHOWN = 2_000
#: Types of holes whose value is the text as it stands in the line.
_AS_WRITTEN = ("word", "text", "rest")
_OPEN, _PASSED, _UNREAD = range(3)
_NONE: Values = {}


class Became(NamedTuple):
    """What became of a line: ``how`` is said, passed, unread, or noted (it says nothing by itself)."""

    how: str
    ready: tuple[Ready, ...] = ()
    why: str = ""
    dropped: bool = False
    text: str = ""

    @property
    def statements(self) -> tuple[str, ...]:
        """What was said, for people."""
        if self.text:
            return (f"| {self.text}",)
        return tuple(f"drop {each.shown}" if self.dropped else each.shown for each in self.ready)


class Context(NamedTuple):
    """What stands under a line is read as: the kind of block, the values of its holes, and which block of the text."""

    state: int
    block: str = ""
    values: Values = _NONE
    instance: int = 0


class Hit(NamedTuple):
    """A line that a translation, or the head of a block, fits. ``options``: the first that holds is taken."""

    node: Node
    options: tuple[Option, ...]
    instance: int
    taken: bool
    text: tuple[tuple[int, str], ...] = ()


def read_dialect_text(dialect: Dialect, text: str, file: str, openers: Openers | None = None) -> Sheet:
    """Read a text; what is wrong with it becomes diagnostics."""
    return Run(dialect, text, file, openers or {}).sheet()


class Run:
    """One text being read.

    ``became`` tells what became of each line where that is traced, ``fired`` counts uses by the line of the dialect.
    """

    def __init__(self, dialect: Dialect, text: str, file: str, openers: Openers, *, tracing: bool = False) -> None:
        self.dialect, self.file, self.openers, self.tracing = dialect, file, openers, tracing
        self.text = Text(dialect.layout, text)
        self.became: dict[int, Became] = {}
        self.fired: dict[int, int] = {}
        self.unread: dict[int, tuple[str, int, tuple[str, ...]]] = {}
        self.curtain = Curtain(self.text.lines, (dialect.layout.say, dialect.layout.take_back))
        self.matcher = Matcher(dialect)
        self.sayer = Sayer()
        self.hits: list[Hit] = []
        self.beside = Beside()
        self.waiting: dict[int, tuple[Node, int, tuple[int, ...]]] = {}
        self.used: set[int] = set()
        self.closed: dict[int, Context] = {}
        self.outer: list[int] = [-1]
        self.known: dict[tuple[object, ...], int] = {}

    # -- the whole -----------------------------------------------------------------------------------------------------

    def sheet(self) -> Sheet:
        """The device, and all that is to be told about its text."""
        contexts: list[Context] = []
        for node in self.text.nodes():
            outer = contexts[node.parent] if node.parent >= 0 else Context(_OPEN)
            contexts.append(self.node(node, outer))
        self.settle()
        for line, reason in self.text.problems:
            self.wrong(line, reason, 0)
        for line, (_, instance, words) in sorted(self.unread.items()):
            self.sayer.doubt(line, words, list(self.around(instance)))
        dialect = self.dialect
        builder = Builder(dialect.file, self.quote, quiet=True)
        builder.say(say_always(dialect))
        builder.file = self.file
        unread = sorted(self.unread)
        self.sayer.reading.unread.extend(unread)
        builder.claims = True
        builder.say(self.sayer.reading)
        builder.claims = False
        builder.file = dialect.file
        say_never(dialect, builder)
        builder.file = self.file
        diagnostics = [self.diagnostic(line, why) for line, (why, _, _) in sorted(self.unread.items())]
        profiles = {dialect.profile.name: dialect.profile} if dialect.profile is not None else {}
        return Sheet(
            builder.device(),
            tuple(diagnostics),
            self.text.lines,
            tuple(unread),
            max(0, self.text.counted - len(unread)),
            f"dialect {dialect.name}",
            self.quote,
            profiles,
            {dialect.file: dialect.lines},
            lambda lines: phrase(dialect, lines),
        )

    # -- one line ------------------------------------------------------------------------------------------------------

    def node(self, node: Node, outer: Context) -> Context:
        """Take in one line; what stands under it is read in the context that this gives."""
        if outer.state == _PASSED:
            self.pass_over(node, 1)
            return outer
        if outer.state == _UNREAD:
            self.wrong(node.line, "it stands under a line that was not understood", outer.instance, node)
            return outer
        words, taken = self.verb(node)
        if words is None:
            self.wrong(node.line, f"a line begins with {self.dialect.layout.say}", outer.instance, node)
            return outer._replace(state=_UNREAD)
        if not words:
            return self.block_without_head(node, outer)
        skipped = len(node.words) - len(words)
        if self.dialect.layout.form == "flat":
            return self.flat(node, outer, words, taken=taken, skipped=skipped)
        match = self.matcher.match(outer.block, words, self.tail_of(node, skipped))
        return self.take(node, outer, match, taken=taken, skipped=skipped)

    def block_without_head(self, node: Node, outer: Context) -> Context:
        self.wrong(node.line, "nothing is said here but what begins or takes back a line", outer.instance, node)
        return outer._replace(state=_UNREAD)

    def verb(self, node: Node) -> tuple[list[str] | None, bool]:
        """The words of a line without what says it or takes it back; None where it needs such a word and has none."""
        layout, words = self.dialect.layout, node.words
        if layout.take_back and words and words[0] == layout.take_back:
            whole = self.dialect.candidates.get("")
            if whole is None or layout.take_back not in whole.by_first:
                return words[1:], True
        if layout.say:
            return (words[1:], False) if words and words[0] == layout.say else (None, False)
        return words, False

    def tail_of(self, node: Node, skipped: int) -> Tail | None:
        raw = node.raw
        return None if raw is None else lambda at: self.text.tail(raw, at + skipped)

    def flat(self, node: Node, outer: Context, words: list[str], *, taken: bool, skipped: int) -> Context:
        """A line that carries its whole path: its blocks are what it begins with."""
        context, at = outer, 0
        while True:
            found = self.matcher.longest_head(context.block, words[at:])
            if found is None:
                break
            option, used = found
            inner = self.enter(context, option)
            match = (
                self.matcher.match(inner.block, words[at + used :], self.tail_of(node, skipped + at + used))
                if at + used < len(words)
                else None
            )
            deeper = at + used < len(words) and self.matcher.longest_head(inner.block, words[at + used :]) is not None
            if match is None or not (match.options or match.facts or match.passed or deeper):
                break
            self.fire(option.target.place.line)
            context, at = inner, at + used
        match = self.matcher.match(context.block, words[at:], self.tail_of(node, skipped + at))
        return self.take(node, context, match, taken=taken, skipped=skipped + at)

    def enter(self, outer: Context, option: Option, node: Node | None = None) -> Context:
        """The context inside a block. In a flat text the same words are the same block, elsewhere each is its own."""
        block = option.target
        key: tuple[object, ...] = (outer.instance, block.place.line, *option.values.values())
        if node is not None:
            key = (node.line, node.parent)
        instance = self.known.get(key)
        if instance is None:
            instance = self.known[key] = len(self.outer)
            self.outer.append(outer.instance)
        name = block.name if isinstance(block, Block) else ""
        return Context(_OPEN, name, {**outer.values, **option.values} if outer.values else option.values, instance)

    def take(self, node: Node, outer: Context, match: Match, *, taken: bool, skipped: int) -> Context:
        """Note what fits a line."""
        for fact, values in match.facts:
            known = {**outer.values, **values} if outer.values and not fact.beside else values
            self.beside.note(fact, Seen(node.line, known, outer.instance))
        inner = self.closed.get(outer.instance)
        if inner is None:
            inner = self.closed[outer.instance] = Context(_UNREAD, instance=outer.instance)
        if match.head is not None:
            inner = self.enter(outer, match.head, node)
            block = match.head.target
            self.fire(block.place.line)
            if block.meanings:
                whole = match.head._replace(values=inner.values)
                self.hits.append(Hit(node, (whole,), inner.instance, taken))
            else:
                if self.tracing:
                    self.became[node.line] = Became("noted")
        if match.options:
            self.translated(node, outer, match.options, taken=taken)
            return inner
        if match.head is not None:
            return inner
        if match.passed:
            self.pass_over(node, match.passed + skipped)
            return outer._replace(state=_PASSED)
        if match.facts:
            numbers = tuple(fact.number for fact, _ in match.facts)
            self.waiting[node.line] = (node, outer.instance, numbers)
            self.curtain.guard(node.line, node.last, skipped + 1)
            if self.tracing:
                self.became[node.line] = Became("noted")
            return inner
        self.wrong(node.line, match.near or "no translation fits this line", outer.instance, node)
        return inner

    def pass_over(self, node: Node, keep: int) -> None:
        """A line that is knowingly not read; what it holds is not shown either, but for its first words."""
        if self.tracing:
            self.became[node.line] = Became("passed")
        self.curtain.guard(node.line, node.last, keep)

    def translated(self, node: Node, outer: Context, options: Sequence[Option], *, taken: bool) -> None:
        whole = tuple(
            Option(target, {**outer.values, **values} if outer.values else values, left)
            for target, values, left in options
        )
        for option in whole:
            self.hide(node, option)
        text: tuple[tuple[int, str], ...] = ()
        target = whole[0].target
        if isinstance(target, Translation) and target.text:
            found = self.free_text(node, target, whole[0])
            if found is None:
                self.wrong(node.line, "the text that begins here is never ended", outer.instance, node)
                return
            text = tuple(found)
            how = "said" if target.meanings else "passed"
            for line, words in text:
                if line != node.line:
                    if self.tracing:
                        self.became[line] = Became(how, text=words if target.meanings else "")
                    if not target.meanings:
                        self.curtain.guard(line, line, 0)
        self.hits.append(Hit(node, whole, outer.instance, taken, text))

    def hide(self, node: Node, option: Option) -> None:
        """Keep in mind what is not to be shown of a line."""
        target = option.target
        if not isinstance(target, Translation) or not (target.secret or not target.meanings):
            return
        secrets = [option.values[name] for name in target.secret if option.values.get(name)]
        if target.parts and option.left:
            for part, values in parts_of(target, option.left) or ():
                secrets += [values[name] for meaning in part.meanings for name in meaning.secret if name in values]
        if not (target.meanings or target.parts or target.taken_back):
            self.curtain.guard(node.line, node.last, len(node.words) - len(option.left))
        if secrets:
            self.curtain.hide(node, secrets)
        if any(target.holes[name].type.name not in _AS_WRITTEN for name in target.secret):
            self.curtain.guard(node.line, node.last, 1)  # what was read is not what stands there

    def free_text(self, node: Node, target: Translation, option: Option) -> list[tuple[int, str]] | None:
        named = target.until[1:-1] if target.until.startswith("{") else ""
        if not named:
            return self.text.take_text(None, target.until, sign=False)
        sign = option.values[named]
        begun = self.text.tail(node.raw or "", len(node.words) - len(option.left) - 1)
        return self.text.take_text(begun.partition(sign)[2], sign, sign=True)

    def fire(self, line: int) -> None:
        self.fired[line] = self.fired.get(line, 0) + 1

    # -- what depends on other lines -----------------------------------------------------------------------------------

    def settle(self) -> None:
        """Say all that holds, in the order of the text."""
        for hit in self.hits:
            self.settle_one(hit)
        partners = {fact.number for each in self.dialect.translations for fact in each.partners}
        for line, (node, instance, numbers) in self.waiting.items():
            if line not in self.used and partners.issuperset(numbers):
                self.wrong(line, "it goes with another line, which does not stand beside it", instance, node)

    def settle_one(self, hit: Hit) -> None:
        why = ""
        for option in hit.options:
            target = option.target
            if isinstance(target, Block):
                say = self.take_back if hit.taken else self.emit
                say(hit, option, target.meanings)
                return
            values, missing = self.holds(hit, option)
            if values is not None:
                self.fire(target.place.line)
                self.say(hit, option if values is option.values else option._replace(values=values), target)
                return
            why = why or missing
        if why.startswith("not understood: "):
            self.wrong(hit.node.line, why.removeprefix("not understood: "), hit.instance, hit.node)
        else:
            if self.tracing:
                self.became[hit.node.line] = Became("noted", (), why)
            for option in hit.options:
                self.fire(option.target.place.line)

    def holds(self, hit: Hit, option: Option) -> tuple[Values | None, str]:
        """The values with those of the lines that it depends on; or None and why it does not hold."""
        target = option.target
        if not isinstance(target, Translation) or not target.conditional:
            return option.values, ""
        values = dict(option.values)
        partners = []
        for fact in target.partners:
            found = self.beside.find(fact, hit.node.line, hit.instance, values)
            if found is None:
                return (
                    None,
                    f"not understood: {fact.patterns[0].text if fact.patterns else 'a line'} is missing beside it",
                )
            values.update({**found.values, **values})
            partners.append(found.line)
        for fact in target.needs:
            found = self.beside.find(fact, hit.node.line, hit.instance, values)
            if found is None:
                return None, f"it holds where {fact.patterns[0].text} stands, which does not"
            values.update({**found.values, **values})
        for fact in target.bars:
            if self.beside.find(fact, hit.node.line, hit.instance, values) is not None:
                return None, f"it holds where {fact.patterns[0].text} does not stand, which does"
        self.used.update(partners)
        for line in partners:
            self.curtain.show(line)
            self.curtain.hide(line, [values[name] for name in target.secret if name in values])
        return values, ""

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
            if self.tracing:
                self.became[hit.node.line] = Became("said", tuple(said))
        elif said is not None and (meanings or target.parts):
            place = target.place
            why = f"what it leaves out is needed for all that it means; see {place.label}, line {place.line}"
            self.wrong(hit.node.line, f"{why} of {self.dialect.file}", hit.instance, hit.node)
        elif said is not None and self.tracing:
            self.became[hit.node.line] = Became("noted")

    def emit(self, hit: Hit, option: Option, meanings: Sequence[Meaning]) -> list[Ready] | None:
        """Say statements; what was said, or None where one was wrong, which then is told."""
        said: list[Ready] = []
        line, first = hit.node.line, self.plain(hit.node.words)[:1]
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
                self.wrong(line, why, hit.instance, hit.node)
                return None
        if said and self.tracing:
            earlier = self.became.get(line)
            self.became[line] = Became("said", (*earlier.ready, *said) if earlier is not None else tuple(said))
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
                self.wrong(hit.node.line, str(wrong), hit.instance, hit.node)
                return
        if self.tracing:
            self.became[hit.node.line] = Became("said", tuple(dropped), dropped=True)

    # -- what was not understood ---------------------------------------------------------------------------------------

    def wrong(self, line: int, why: str, instance: int, node: Node | None = None) -> None:
        """A line is not understood, nor are those that go on with it."""
        words = tuple(self.plain(node.words)) if node is not None else ()
        self.unread.setdefault(line, (why, instance, words))
        if self.tracing:
            self.became[line] = Became("unread", (), why)
        if node is not None:
            for more in range(node.line + 1, node.last + 1):
                self.unread.setdefault(more, ("it goes on with a line that was not understood", instance, ()))

    def plain(self, words: Sequence[str]) -> Sequence[str]:
        """Words without the one that says or takes back."""
        layout = self.dialect.layout
        return words[1:] if words and words[0] in (layout.say, layout.take_back) else words

    def around(self, instance: int) -> Iterator[int]:
        """A block of the text, and those that it stands in."""
        while instance > 0:
            yield instance
            instance = self.outer[instance]

    def quote(self, line: int) -> str:
        """A line without its secrets; of one that was not understood, no more than its first word."""
        return self.curtain.quote(line, unread=line in self.unread)

    def diagnostic(self, line: int, why: str) -> Diagnostic:
        """What is told of a line that was not understood."""
        text = self.quote(line)[:_SHOWN]
        column = len(text) - len(text.lstrip()) + 1
        end = max(column + 1, len(text.rstrip()) + 1)
        hint = "" if why.startswith("it ") else f"teach it to the dialect {self.dialect.name}, or pass over it"
        return Diagnostic(Level.ERROR, Span(self.file, line, column, end), why, text, hint)
