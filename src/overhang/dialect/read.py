"""Reading a text through a dialect: each line becomes the statements that it means, in the place that it stands in.

First every line is matched by itself; then those that depend on other lines are settled, and all is said in the order
of the text. A line that nothing in the dialect fits is not understood, and puts in doubt what stands beside it.
"""

import bisect
import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import NamedTuple

from overhang.dialect.backwards import phrase
from overhang.dialect.layout import Node, Text
from overhang.dialect.means import SECRET_AFTER, Filled, Meaning, Piece, fill, parse_filled
from overhang.dialect.model import NEVER, Block, Candidate, Dialect, Fact, Part, Translation
from overhang.dialect.pattern import Hole, Mismatch, Tail
from overhang.secrets import Form, mask
from overhang.sheet.build import Builder
from overhang.sheet.lexer import STRUCK, strike
from overhang.sheet.load import Sheet
from overhang.sheet.reader import Misread, Parsed, Reading, Stated, parse_line
from overhang.sheet.write import word
from overhang.text import Diagnostic, Level, Span

#: So many statements one line of a text may become; a dialect that makes more of it is not right.
MOST_STATEMENTS = 4_000
_MOST_IN_ALL = 300_000
_SHOWN = 2_000
_OPEN, _PASSED, _UNREAD = range(3)
Values = Mapping[str, str]
_NONE: Values = {}
#: Opens a maker's own masking, by the name that a package registered it under. Raises ValueError.
Openers = Mapping[str, Callable[[str], str]]


class Became(NamedTuple):
    """What became of a line: ``how`` is said, passed, unread, or noted (it says nothing by itself)."""

    how: str
    statements: tuple[str, ...] = ()
    why: str = ""


class Context(NamedTuple):
    """What stands under a line is read as: the kind of block, the values of its holes, and which block of the text."""

    state: int
    block: str = ""
    values: Values = _NONE
    instance: int = 0
    secret: frozenset[str] = frozenset()


class Hit(NamedTuple):
    """A line that a translation, or the head of a block, fits. ``options``: the first that holds is taken."""

    node: Node
    options: tuple["Option", ...]
    instance: int
    taken: bool
    text: tuple[tuple[int, str], ...] = ()


class Option(NamedTuple):
    """One translation that fits a line, with the values of all holes; ``left`` are the words left for its parts."""

    target: Translation | Block
    values: Values
    left: tuple[str, ...] = ()


class Ready(NamedTuple):
    """A statement filled in and parsed, and as it is shown to people."""

    filled: Filled
    head: Parsed
    inner: Parsed | None
    shown: str


class Seen(NamedTuple):
    """A line that something may depend on."""

    line: int
    values: Values
    instance: int


class Match(NamedTuple):
    """What fits a line by itself. ``exact``: it took text as it is written, which its words do not tell."""

    options: tuple[Option, ...]
    head: Option | None
    facts: tuple[tuple[Fact, Values], ...]
    passed: bool
    near: str
    exact: bool = False


def read_dialect_text(dialect: Dialect, text: str, file: str, openers: Openers | None = None) -> Sheet:
    """Read a text; what is wrong with it becomes diagnostics."""
    return Run(dialect, text, file, openers or {}).sheet()


class Run:
    """One text being read.

    ``became`` tells what became of each line, ``fired`` counts uses by the line of the dialect.
    """

    def __init__(self, dialect: Dialect, text: str, file: str, openers: Openers) -> None:
        self.dialect, self.file, self.openers = dialect, file, openers
        self.text = Text(dialect.layout, text)
        self.became: dict[int, Became] = {}
        self.fired: dict[int, int] = {}
        self.unread: dict[int, tuple[str, int, tuple[str, ...]]] = {}
        self.secrets: dict[int, list[str]] = {}
        self.hits: list[Hit] = []
        self.seen: dict[int, list[Seen]] = {}
        self.index: dict[tuple[int, tuple[str, ...]], dict[tuple[object, ...], list[Seen]]] = {}
        self.waiting: dict[int, tuple[int, tuple[str, ...], tuple[int, ...]]] = {}
        self.used: set[int] = set()
        self.outer: list[int] = [-1]
        self.known: dict[tuple[object, ...], int] = {}
        self.reading = Reading([], [], {}, [], [], 0)
        self.heads: dict[str, int] = {}
        self.said: dict[str, set[str]] = {}
        self.by_instance: dict[int, set[int]] = {}
        self.by_value: dict[str, list[tuple[int, frozenset[str]]]] = {}
        self.by_first: dict[str, set[int]] = {}
        self.total = 0

    # -- the whole -----------------------------------------------------------------------------------------------------

    def sheet(self) -> Sheet:
        """The device, and all that is to be told about its text."""
        contexts: list[Context] = []
        for node in self.text.nodes():
            outer = contexts[node.parent] if node.parent >= 0 else Context(_OPEN)
            contexts.append(self.node(node, outer))
        self.settle()
        for line, reason in self.text.problems:
            self.wrong(line, reason, 0, ())
        self.doubt()
        dialect = self.dialect
        builder = Builder(dialect.file, self.quote, quiet=True)
        builder.say(self.always())
        builder.file = self.file
        unread = sorted(self.unread)
        self.reading.unread.extend(unread)
        builder.say(self.reading)
        builder.file = dialect.file
        self.never(builder)
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

    def always(self) -> Reading:
        """What the dialect says of each device, whatever its text says."""
        reading = Reading([], [], {}, [], [], 0)
        dialect = self.dialect
        if dialect.profile is not None:
            line = dialect.places["profile"]
            head = parse_line("", "device:")
            reading.statements.append(Stated(line, -1, head))
            stated = parse_line("device", f"profile {word(dialect.profile.name)}")
            reading.statements.append(Stated(line, len(reading.statements) - 1, stated))
        for meaning in dialect.always:
            for filled in fill(meaning, {}, {}):
                head, inner = parse_filled(filled)
                reading.statements.append(Stated(dialect.places["always"], -1, head))
                if inner is not None:
                    owner = len(reading.statements) - 1
                    reading.statements.append(Stated(dialect.places["always"], owner, inner))
        return reading

    def never(self, builder: Builder) -> None:
        """Say that nobody can tell, of what such texts do not carry and this one has not said."""
        slots = {"host-keys": ("ssh", "host_keys"), "certificate": ("web", "certificate")}
        for name in self.dialect.never:
            block, slot = slots[name]
            state = builder.blocks.get((block, ()))
            if state is not None and slot in state.slots:
                continue
            head, inner = NEVER[name]
            line = self.dialect.places["never-carries"]
            parsed = parse_line("", head)
            statement = parse_line(parsed.statement.opens, inner)
            builder.say(Reading([Stated(line, -1, parsed), Stated(line, 0, statement)], [], {}, [], [], 0))

    # -- one line ------------------------------------------------------------------------------------------------------

    def node(self, node: Node, outer: Context) -> Context:
        """Take in one line; what stands under it is read in the context that this gives."""
        if outer.state == _PASSED:
            self.became[node.line] = Became("passed")
            return outer
        if outer.state == _UNREAD:
            self.wrong(node.line, "it stands under a line that was not understood", outer.instance, node.words, node)
            return outer
        words, taken = self.verb(node)
        if words is None:
            self.wrong(node.line, f"a line begins with {self.dialect.layout.say}", outer.instance, node.words, node)
            return outer._replace(state=_UNREAD)
        if not words:
            return self.block_without_head(node, outer)
        skipped = len(node.words) - len(words)
        if self.dialect.layout.form == "flat":
            return self.flat(node, outer, words, taken=taken, skipped=skipped)
        match = self.match(outer.block, words, self.tail_of(node, skipped))
        return self.take(node, outer, match, taken=taken)

    def block_without_head(self, node: Node, outer: Context) -> Context:
        self.wrong(node.line, "nothing is said here but what begins or takes back a line", outer.instance, (), node)
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

    def match(self, block: str, words: Sequence[str], tail: Tail | None) -> Match:
        """What fits these words in a kind of block."""
        key = ("match", block, *words)
        found: Match | None = self.dialect.memory.get(key)
        if found is None:
            found = self._match(block, words, tail)
            if not found.exact:
                self.dialect.memory.keep(key, found)
        return found

    def _match(self, block: str, words: Sequence[str], tail: Tail | None) -> Match:
        options: list[Option] = []
        facts: list[tuple[Fact, Values]] = []
        head: Option | None = None
        passed, furthest, near, exact = False, -1, "", False
        for pattern, target in self.of_first(block, words[0]):
            exact = exact or pattern.raw
            result = pattern.match(words, tail)
            if isinstance(result, Mismatch):
                if result.at > furthest and target is not None:
                    furthest, near = result.at, result.reason
                continue
            values, used = result
            if target is None:
                passed = True
            elif isinstance(target, Fact):
                facts.append((target, values))
            elif isinstance(target, Block):
                head = head or Option(target, values)
            elif not options or self.goes_on(options[-1]):
                left = tuple(words[used:])
                if not target.parts or not left or _parts(target, left) is not None:
                    options.append(Option(target, values, left))
                elif furthest < used:
                    furthest, near = used, "no part of the translation fits what follows"
        return Match(tuple(options), head, tuple(facts), passed, near, exact)

    def goes_on(self, option: Option) -> bool:
        """Whether another translation may be looked for behind this one."""
        return isinstance(option.target, Translation) and option.target.conditional

    def of_first(self, block: str, first: str) -> Iterator[Candidate]:
        found = self.dialect.candidates.get(block)
        if found is not None:
            first = first.lower() if self.dialect.layout.ignore_case else first
            yield from found.by_first.get(first, ())
            yield from found.others

    def flat(self, node: Node, outer: Context, words: list[str], *, taken: bool, skipped: int) -> Context:
        """A line that carries its whole path: its blocks are what it begins with."""
        context, at = outer, 0
        while True:
            found = self.longest_head(context.block, words[at:])
            if found is None:
                break
            option, used = found
            inner = self.enter(context, option)
            match = (
                self.match(inner.block, words[at + used :], self.tail_of(node, skipped + at + used))
                if at + used < len(words)
                else None
            )
            deeper = at + used < len(words) and self.longest_head(inner.block, words[at + used :]) is not None
            if match is None or not (match.options or match.facts or match.passed or deeper):
                break
            self.fire(option.target.place.line)
            context, at = inner, at + used
        match = self.match(context.block, words[at:], self.tail_of(node, skipped + at))
        return self.take(node, context, match, taken=taken)

    def longest_head(self, block: str, words: Sequence[str]) -> tuple[Option, int] | None:
        if not words:
            return None
        for pattern, target in self.of_first(block, words[0]):
            if isinstance(target, Block):
                result = pattern._replace(open=True).match(words)
                if not isinstance(result, Mismatch):
                    return Option(target, result[0]), result[1]
        return None

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

    def take(self, node: Node, outer: Context, match: Match, *, taken: bool) -> Context:
        """Note what fits a line."""
        for fact, values in match.facts:
            known = {**outer.values, **values} if outer.values else values
            self.seen.setdefault(fact.number, []).append(Seen(node.line, known, outer.instance))
        inner = outer._replace(state=_UNREAD)
        if match.head is not None:
            inner = self.enter(outer, match.head, node)
            block = match.head.target
            self.fire(block.place.line)
            if block.meanings:
                whole = match.head._replace(values=inner.values)
                self.hits.append(Hit(node, (whole,), inner.instance, taken))
            else:
                self.became[node.line] = Became("noted")
        if match.options:
            self.translated(node, outer, match.options, taken=taken)
            return inner
        if match.head is not None:
            return inner
        if match.passed:
            self.became[node.line] = Became("passed")
            return outer._replace(state=_PASSED)
        if match.facts:
            numbers = tuple(fact.number for fact, _ in match.facts)
            self.waiting[node.line] = (outer.instance, tuple(node.words), numbers)
            self.became[node.line] = Became("noted")
            return inner
        self.wrong(node.line, match.near or "no translation fits this line", outer.instance, node.words, node)
        return inner

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
                self.wrong(node.line, "the text that begins here is never ended", outer.instance, node.words, node)
                return
            text = tuple(found)
        self.hits.append(Hit(node, whole, outer.instance, taken, text))

    def hide(self, node: Node, option: Option) -> None:
        """Keep in mind what is not to be shown of a line."""
        target = option.target
        secrets: list[str] = []
        if isinstance(target, Translation):
            secrets = [option.values[name] for name in target.secret if option.values.get(name)]
            if target.parts and option.left:
                for part, values in _parts(target, option.left) or ():
                    secrets += [values[name] for meaning in part.meanings for name in meaning.secret if name in values]
        if secrets:
            for line in range(node.line, node.last + 1):
                self.secrets.setdefault(line, []).extend(secrets)

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
        for line, (instance, words, numbers) in self.waiting.items():
            if line not in self.used and partners.issuperset(numbers):
                self.wrong(line, "it goes with another line, which does not stand beside it", instance, words)

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
            self.wrong(hit.node.line, why.removeprefix("not understood: "), hit.instance, hit.node.words, hit.node)
        else:
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
            found = self.find(fact, hit, values)
            if found is None:
                return (
                    None,
                    f"not understood: {fact.patterns[0].text if fact.patterns else 'a line'} is missing beside it",
                )
            values.update({**found.values, **values})
            partners.append(found.line)
        for fact in target.needs:
            found = self.find(fact, hit, values)
            if found is None:
                return None, f"it holds where {fact.patterns[0].text} stands, which does not"
            values.update({**found.values, **values})
        for fact in target.bars:
            if self.find(fact, hit, values) is not None:
                return None, f"it holds where {fact.patterns[0].text} does not stand, which does"
        self.used.update(partners)
        for line in partners:
            self.secrets.setdefault(line, []).extend(values[name] for name in target.secret if name in values)
        return values, ""

    def find(self, fact: Fact, hit: Hit, values: Values) -> Seen | None:
        """The line that a fact tells of: the nearest behind the hit, else the nearest before it."""
        every = self.seen.get(fact.number)
        if not every:
            return None
        shared = tuple(sorted(name for name in every[0].values if name in values))
        key = (fact.number, shared)
        table = self.index.get(key)
        if table is None:
            table = self.index[key] = {}
            for each in every:
                of = (each.instance if fact.beside else None, *(each.values.get(name) for name in shared))
                table.setdefault(of, []).append(each)
        found = table.get((hit.instance if fact.beside else None, *(values[name] for name in shared)))
        if not found:
            return None
        at = bisect.bisect_right(found, hit.node.line, key=lambda each: each.line)
        return found[at] if at < len(found) else found[-1]

    # -- saying --------------------------------------------------------------------------------------------------------

    def say(self, hit: Hit, option: Option, target: Translation) -> None:
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
            for part, found in _parts(target, option.left) or ():
                said += self.emit(hit, Option(part_target(target, part), {**values, **found}), part.meanings) or []
        if said:
            self.became[hit.node.line] = Became("said", tuple(said))
        elif said is not None and (meanings or target.parts):
            place = target.place
            why = f"what it leaves out is needed for all that it means; see {place.label}, line {place.line}"
            self.wrong(hit.node.line, f"{why} of {self.dialect.file}", hit.instance, hit.node.words, hit.node)
        elif said is not None:
            self.became[hit.node.line] = Became("noted")

    def emit(self, hit: Hit, option: Option, meanings: Sequence[Meaning]) -> list[str] | None:
        """Say statements; what was said, or None where one was wrong, which then is told."""
        said: list[str] = []
        for meaning in meanings:
            try:
                for each in self.ready(meaning, option):
                    self.total += 1
                    if len(said) >= MOST_STATEMENTS or self.total > _MOST_IN_ALL:
                        raise Misread(f"the dialect makes more than {MOST_STATEMENTS:,} statements of it", 1, 1)
                    self.state(hit, option, meaning, each)
                    said.append(each.shown)
            except Misread as wrong:
                place = option.target.place
                why = f"{wrong}; see {place.label}, line {place.line} of {self.dialect.file}"
                self.wrong(hit.node.line, why, hit.instance, hit.node.words, hit.node)
                return None
        if said:
            earlier = self.became.get(hit.node.line)
            before = earlier.statements if earlier is not None and earlier.how == "said" else ()
            self.became[hit.node.line] = Became("said", (*before, *said))
        return said

    def ready(self, meaning: Meaning, option: Option) -> Sequence[Ready]:
        """The statements of a meaning, parsed; with secrets that are blanked or can be opened put in their place."""
        values, target = option.values, option.target
        if meaning.secret:
            secret = [name for name in meaning.secret if name in values]
            if any(values[name] in self.dialect.blanked for name in secret):
                return _parsed(_withheld(meaning), values, target.holes)
            if isinstance(target, Translation) and target.opener in self.openers:
                form = _form_at(meaning)
                if form is not None and (form.fixed or values.get(form.holes[0])) == Form.MASKED_ELSEWHERE.value:
                    opened = self.opened(values, secret, target.opener)
                    if opened is not None:
                        return _parsed(_masked(meaning, form), opened, target.holes)
        memory = self.dialect.memory
        key = ("say", id(meaning), *map(values.get, meaning.holes))
        found: Sequence[Ready] | None = memory.get(key)
        if found is None:
            found = _parsed(meaning, values, target.holes)
            memory.keep(key, found)
        return found

    def opened(self, values: Values, secret: Sequence[str], opener: str) -> Values | None:
        """The values with secrets in our own masking, opened by what a package brings; None where it cannot."""
        try:
            return {**values, **{name: mask(self.openers[opener](values[name])) for name in secret}}
        except ValueError:
            return None

    def state(self, hit: Hit, option: Option, meaning: Meaning, each: Ready) -> None:
        line, head = hit.node.line, each.filled.head
        owner = self.heads.get(head)
        statements = self.reading.statements
        if owner is None:
            statements.append(Stated(line, -1, each.head))
            owner = self.heads[head] = len(statements) - 1
            self.said[head] = set()
        self.remember(hit, option, meaning, owner)
        if each.inner is not None:
            statements.append(Stated(line, owner, each.inner))
            self.said[head].add(each.inner.statement.slot)
        elif each.filled.text is not None:
            own = hit.text and any(meaning.text == f"{{{name}}}" for name in option.values)
            numbered = hit.text if own else [(line, text) for text in each.filled.text.split("\n")]
            self.reading.texts.extend((owner, number, text) for number, text in numbered)

    def take_back(self, hit: Hit, option: Option, meanings: Sequence[Meaning]) -> None:
        """Drop what was said before; where nothing was, nobody can tell what taking it back means."""
        dropped: list[str] = []
        for meaning in meanings:
            try:
                for each in self.ready(meaning, option):
                    self.drop(hit, each)
                    dropped.append(f"drop {each.shown}")
            except Misread as wrong:
                self.wrong(hit.node.line, str(wrong), hit.instance, hit.node.words, hit.node)
                return
        self.became[hit.node.line] = Became("said", tuple(dropped))

    def drop(self, hit: Hit, each: Ready) -> None:
        """Take one statement back. Raises Misread where it was not said."""
        head, line, statements = each.filled.head, hit.node.line, self.reading.statements
        slots = self.said.get(head)
        if slots is None or (each.inner is not None and each.inner.statement.slot not in slots):
            why = "it takes back what was not said before; a translation can tell by taken-back what that means"
            raise Misread(why, 1, 1)
        if each.inner is None:
            statements.append(Stated(line, -1, each.head._replace(drop=True)))
            del self.heads[head], self.said[head]
        else:
            back = each.inner._replace(drop=True)
            statements.append(Stated(line, -1, each.head._replace(inner=back)))
            statements.append(Stated(line, len(statements) - 1, back))

    # -- what was not understood ---------------------------------------------------------------------------------------

    def remember(self, hit: Hit, option: Option, meaning: Meaning, owner: int) -> None:
        """So that a line which is not understood can put in doubt what it may be about."""
        if hit.instance:
            self.by_instance.setdefault(hit.instance, set()).add(owner)
        values = frozenset([option.values[name] for name in meaning.naming if option.values.get(name)])
        if values:
            of = self.by_value.setdefault(min(values), [])
            if not of or of[-1] != (owner, values):
                of.append((owner, values))
        elif not hit.instance and hit.node.words:
            self.by_first.setdefault(hit.node.words[0], set()).add(owner)

    def wrong(self, line: int, why: str, instance: int, words: Sequence[str], node: Node | None = None) -> None:
        """A line is not understood."""
        self.unread.setdefault(line, (why, instance, tuple(words)))
        self.became[line] = Became("unread", (), why)
        if node is not None:
            for more in range(node.line + 1, node.last + 1):
                self.unread.setdefault(more, ("it goes on with a line that was not understood", instance, ()))

    def doubt(self) -> None:
        """Put in doubt the blocks that lines not understood stand in, or speak of."""
        doubts = self.reading.doubts
        for line, (_, instance, words) in sorted(self.unread.items()):
            owners: set[int] = set()
            at = instance
            while at > 0 and not owners:
                owners |= self.by_instance.get(at, set())
                at = self.outer[at]
            if not owners and words:
                owners |= self.by_first.get(words[0], set())
                held = set(words)
                for each in held:
                    owners.update(owner for owner, values in self.by_value.get(each, ()) if values <= held)
            for owner in owners:
                doubts[owner] = min(doubts.get(owner, line), line)

    def quote(self, line: int) -> str:
        """A line without its secrets; of one that was not understood, no more than its first word."""
        raw = self.text.lines[line - 1]
        if line in self.unread:
            return guarded(raw)
        for secret in sorted(self.secrets.get(line, ()), key=len, reverse=True):
            raw = _struck(raw, secret)
        return raw

    def diagnostic(self, line: int, why: str) -> Diagnostic:
        text = self.quote(line)[:_SHOWN]
        column = len(text) - len(text.lstrip()) + 1
        end = max(column + 1, len(text.rstrip()) + 1)
        hint = "" if why.startswith("it ") else f"teach it to {self.dialect.file}, or pass over it"
        return Diagnostic(Level.ERROR, Span(self.file, line, column, end), why, text, hint)


def guarded(raw: str) -> str:
    """A line that nobody understood, its indentation and first word kept: any of the others may be a secret."""
    body = raw.lstrip()
    first, _, more = body.partition(" ")
    head = raw[: len(raw) - len(body)]
    if not all(each.isalpha() or each in "-_.:{}[]" for each in first) or len(first) > 30:
        return head + STRUCK
    return head + first + (f" {STRUCK}" if more.strip() else "")


def _struck(raw: str, secret: str) -> str:
    for form in {secret, secret.replace("\\", "\\\\").replace('"', '\\"')}:
        for each in filter(None, form.split("\n")):
            whole = re.sub(rf"(?<!\w){re.escape(each)}(?!\w)", STRUCK, raw)
            raw = whole if whole != raw else raw.replace(each, STRUCK)
    return raw


def _parts(target: Translation, words: Sequence[str]) -> list[tuple[Part, Values]] | None:
    """The parts that words amount to, one after another; None where some word fits none."""
    found: list[tuple[Part, Values]] = []
    at = 0
    while at < len(words):
        best: tuple[int, Part, Values] | None = None
        for part in target.parts:
            for pattern in part.patterns:
                size = len(pattern.tokens)
                result = pattern.match(words[at : at + size])
                if not isinstance(result, Mismatch) and (best is None or size > best[0]):
                    best = (size, part, result[0])
        if best is None:
            if len(words[at]) == 1 and not words[at].isalnum():  # a sign between the items of a list
                at += 1
                continue
            return None
        found.append((best[1], best[2]))
        at += best[0]
    return found


def part_target(target: Translation, part: Part) -> Translation:
    """A translation whose holes are those of one of its parts."""
    return target._replace(holes=part.holes)


def _parsed(meaning: Meaning, values: Values, holes: Mapping[str, Hole]) -> Sequence[Ready]:
    """The statements of a meaning. Raises Misread."""
    found = []
    for filled in fill(meaning, values, holes):
        head, inner = parse_filled(filled)
        found.append(Ready(filled, head, inner, _shown(filled, meaning)))
        if len(found) > MOST_STATEMENTS:
            break
    return tuple(found)


def _shown(filled: Filled, meaning: Meaning) -> str:
    """A statement for people, without its secret."""
    if filled.text is not None:
        return f"{filled.head} | {filled.text.partition(chr(10))[0]}"
    if filled.inner is None:
        return filled.head
    return f"{filled.head} {strike(filled.inner).text if meaning.secret else filled.inner}"


def _form_at(meaning: Meaning) -> Piece | None:
    """The word of a statement that tells the form of its password; None where it has none, or is several in one."""
    pieces = meaning.inner or ()
    for index, piece in enumerate(pieces[:-1]):
        if piece.fixed in SECRET_AFTER and len(pieces[index + 1].parts) == 1:
            return pieces[index + 1]
    return None


def _withheld(meaning: Meaning) -> Meaning:
    """The same statement with ``withheld`` for its password."""
    pieces = meaning.inner or ()
    at = next(index for index, piece in enumerate(pieces) if piece.fixed in SECRET_AFTER)
    withheld = Form.WITHHELD.value
    return meaning._replace(inner=(*pieces[: at + 1], Piece(((False, withheld),), False, withheld), *pieces[at + 3 :]))


def _masked(meaning: Meaning, form: Piece) -> Meaning:
    """The same statement with its password in our own masking."""
    masked = Form.MASKED.value
    inner = tuple(Piece(((False, masked),), False, masked) if piece is form else piece for piece in meaning.inner or ())
    return meaning._replace(inner=inner)
