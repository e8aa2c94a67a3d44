"""The first of two passes over a text: what matches each line by itself, and what of it may be shown."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import NamedTuple

from overhang.dialect.instantiate import Instantiated
from overhang.dialect.layouts import laid_out
from overhang.dialect.line_index import IndexedLine, LineIndex
from overhang.dialect.matcher import Match, Matcher, Option, Values
from overhang.dialect.model import BlockType, Dialect, SourceRef, Translation, literals_of
from overhang.dialect.pattern import Mismatch, Tail
from overhang.dialect.redactor import Reading, Redactor
from overhang.dialect.tokenizer import Node

_OPEN, _PASSED, _UNREAD = range(3)
_NONE: Values = {}
_NOTHING: frozenset[str] = frozenset()


class LineOutcome(NamedTuple):
    """The result of a statement.

    ``how`` is said, passed, unread, noted (it sets nothing by itself), or silent (something fits, and says nothing
    here). ``place`` is what fitted, ``lost`` what else did, and why it does not apply.
    """

    how: str
    ready: tuple[Instantiated, ...] = ()
    why: str = ""
    text: str = ""
    place: SourceRef | None = None
    lost: tuple[tuple[SourceRef, str], ...] = ()

    @property
    def statements(self) -> tuple[str, ...]:
        """What was said, for people."""
        if self.text:
            return (f"| {self.text}",)
        return tuple(each.shown for each in self.ready)


class Context(NamedTuple):
    """What stands under a line is read as: the kind of block, the values of its holes, and which block of the text."""

    state: int
    block: str = ""
    values: Values = _NONE
    instance: int = 0


OUTERMOST = Context(_OPEN)


class LineMatch(NamedTuple):
    """A line that a translation, or the head of a block, fits. ``options``: the first that holds is taken."""

    node: Node
    options: tuple[Option, ...]
    instance: int
    taken: bool
    text: tuple[tuple[int, str], ...] = ()


class Scan:
    """One text being scanned.

    ``hits`` are the lines that translations fit, ``beside`` those that others depend on, ``waiting`` those of them that
    nothing else fits. ``unread`` are lines not understood: why, in which block of the text, and their words.
    ``outcomes`` tells what became of each statement where that is traced, ``inside`` in which kind of block its words
    were looked up, ``of_text`` what became of lines of free text, ``order`` tells their order. ``silent``
    are statements that something fits, and that say nothing, ``said`` others; each by its line and its words.
    ``fired`` counts uses by the line of the dialect.
    """

    def __init__(self, dialect: Dialect, text: str, *, tracing: bool) -> None:
        self.dialect, self.tracing = dialect, tracing
        self.text = laid_out(dialect.layout, text)
        self.redactor = Redactor(self.text, (dialect.layout.say, dialect.layout.take_back), literals_of(dialect))
        self._within = secrets_within(dialect)
        self.outcomes: dict[int, tuple[Node, LineOutcome]] = {}
        self.inside: dict[int, tuple[str, Sequence[str]]] = {}
        self.order: dict[int, int] = {}
        self.of_text: dict[int, LineOutcome] = {}
        self.silent: set[tuple[int, tuple[str, ...]]] = set()
        self.said: set[tuple[int, tuple[str, ...]]] = set()
        self.fired: dict[int, int] = {}
        self.unread: dict[int, tuple[str, int, tuple[str, ...]]] = {}
        self.matches: list[LineMatch] = []
        self.beside = LineIndex()
        self.waiting: dict[int, tuple[Node, int, tuple[int, ...]]] = {}
        self._matcher = Matcher(dialect)
        #: whether a line is read as it stands: no word says it or takes it back, and it does not carry its blocks
        self._straight = not (dialect.layout.say or dialect.layout.take_back or dialect.layout.form == "flat")
        self._readings: dict[tuple[int, int, int], Reading] = {}
        self._closed: dict[int, Context] = {}
        self._begun: set[int] = set()
        self._outer: list[int] = [-1]
        self._known: dict[tuple[object, ...], int] = {}
        self._blocks: list[str] = [""]
        self.contexts: list[Context] = []

    def run(self) -> None:
        """Go through the text."""
        self.read(self.text.nodes())

    def read(self, nodes: Iterable[Node]) -> None:
        """Take in statements."""
        contexts = self.contexts
        for node in nodes:
            if self.tracing:
                self.order[id(node)] = len(self.order)
            outer = contexts[node.parent] if node.parent >= 0 else OUTERMOST
            contexts.append(self.node(node, outer))

    def with_texts(self) -> Iterator[Node]:
        """The statements of the text, free text with those that begin it, wherever these stand."""
        openings = [(pattern, each) for each in self.dialect.translations if each.text for pattern in each.patterns]
        for node in self.text.nodes():
            for pattern, target in openings:
                fits = pattern.match(node.words) if node.words and not node.dormant else None
                if isinstance(fits, tuple) and not isinstance(fits, Mismatch):
                    option = Option(target, fits[0], tuple(node.words[fits[1] :]), pattern)
                    found = self.free_text(node, target, option)
                    node = node._replace(text=None if found is None else tuple(found))
                    break
            yield node

    # -- one line ------------------------------------------------------------------------------------------------------

    def node(self, node: Node, outer: Context) -> Context:
        """Take in one line; what stands under it is read in the context that this gives."""
        if self._straight and outer.state == _OPEN and node.words and not node.dormant:  # most lines of most texts
            match = self._matcher.known(outer.block, node.words)
            if match is None:
                match = self._matcher.match(outer.block, node.words, self.tail_of(node, 0))
            return self.take(node, outer, match, taken=False, skipped=0)
        if outer.state == _PASSED:
            self.pass_over(node)
            return outer
        if node.dormant:
            self.became(node, LineOutcome("passed", why="dormant: as if it were not there"))
            return outer._replace(state=_PASSED)
        if outer.state == _UNREAD:
            why = "it is inside a line that was not understood, or that begins no block in this dialect"
            self.wrong(node.line, why, outer.instance, node)
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
        match = self._matcher.match(outer.block, words, self.tail_of(node, skipped))
        return self.take(node, outer, match, taken=taken, skipped=skipped)

    def block_without_head(self, node: Node, outer: Context) -> Context:
        self.wrong(node.line, "the line has only the word that begins it or takes it back", outer.instance, node)
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
        heads: list[tuple[Option, Context]] = []
        while True:
            found = self._matcher.longest_head(context.block, words[at:])
            if found is None:
                break
            option, used = found
            inner = self.enter(context, option)
            match = (
                self._matcher.match(inner.block, words[at + used :], self.tail_of(node, skipped + at + used))
                if at + used < len(words)
                else None
            )
            deeper = at + used < len(words) and self._matcher.longest_head(inner.block, words[at + used :]) is not None
            if match is None or not (match.options or match.facts or match.passed or deeper):
                break
            self.head(node, skipped + at, option)
            context, at = inner, at + used
            heads.append((option, inner))
        match = self._matcher.match(context.block, words[at:], self.tail_of(node, skipped + at))
        if not taken and (match.options or match.facts or match.passed):
            self.begun(node, heads)
        return self.take(node, context, match, taken=taken, skipped=skipped + at)

    def begun(self, node: Node, heads: Iterable[tuple[Option, Context]]) -> None:
        """A line of a flat text is the first one in some blocks: they are there, whatever stands in them."""
        for option, inner in heads:
            if option.target.every and inner.instance not in self._begun:
                self._begun.add(inner.instance)
                whole = option._replace(values=inner.values)
                self.matches.append(LineMatch(node, (whole,), inner.instance, False))

    def enter(self, outer: Context, option: Option, node: Node | None = None) -> Context:
        """The context inside a block. In a flat text the same words are the same block, elsewhere each is its own."""
        block = option.target
        key: tuple[object, ...] = (outer.instance, block.place.line, *option.values.values())
        instance = self._known.get(key) if node is None or self.dialect.layout.join_blocks else None
        if instance is None:
            instance = len(self._outer)
            self._outer.append(outer.instance)
            self._blocks.append(block.name if isinstance(block, BlockType) else "")
            if node is None or self.dialect.layout.join_blocks:
                self._known[key] = instance
        name = block.name if isinstance(block, BlockType) else ""
        return Context(_OPEN, name, {**outer.values, **option.values} if outer.values else option.values, instance)

    def take(self, node: Node, outer: Context, match: Match, *, taken: bool, skipped: int) -> Context:
        """Note what fits a line."""
        if self.tracing:
            self.inside[id(node)] = (outer.block, words_of(node, skipped))
        for fact, values, pattern, at in match.facts:
            known = {**outer.values, **values} if outer.values and not fact.beside else values
            self.beside.note(fact, IndexedLine(node.line, known, outer.instance, node, skipped + at, pattern, taken))
            if not fact.anywhere:
                self.redactor.read(node, Reading(skipped, pattern, None))
        inner = self._closed.get(outer.instance)
        if inner is None:
            inner = self._closed[outer.instance] = Context(_UNREAD, instance=outer.instance)
        if match.head is not None:
            inner = self.enter(outer, match.head, node)
            block = match.head.target
            self.head(node, skipped, match.head)
            if block.every:
                whole = match.head._replace(values=inner.values)
                self.matches.append(LineMatch(node, (whole,), inner.instance, taken))
            else:
                self.became(node, LineOutcome("noted", place=block.place))
        if match.options:
            self.translated(node, outer, match.options, taken=taken, skipped=skipped)
            return inner
        if match.head is not None:
            return inner
        if match.passed is not None:
            self.pass_over(node)
            self.redactor.read(node, Reading(skipped, match.passed, None))
            return outer._replace(state=_PASSED)
        numbers = tuple(fact.number for fact, _, _, _ in match.facts if not fact.anywhere)
        if numbers:
            self.waiting[node.line] = (node, outer.instance, numbers)
            self.became(node, LineOutcome("noted"))
            return inner
        self.wrong(node.line, match.near or self.no_translation(outer, words_of(node, skipped)), outer.instance, node)
        return inner

    def no_translation(self, outer: Context, words: Sequence[str]) -> str:
        """Why nothing fits a line; where it would without its first word, that may be one that takes back."""
        plain = "no translation fits this line"
        if len(words) < 2 or self.dialect.layout.take_back or self.dialect.layout.form == "flat":
            return plain
        rest = self._matcher.match(outer.block, words[1:], None)
        if not (rest.options or rest.facts or rest.head):
            return plain
        return (
            f"{plain}; one would without its first word: if that takes lines back, name it in the layout as take-back"
        )

    def head(self, node: Node, at: int, option: Option) -> None:
        """A line begins a block; what is a secret for something inside it is one here."""
        self.fire(option.target.place.line)
        if option.pattern is not None:
            self.redactor.read(node, Reading(at, option.pattern, self._within.get(option.target.place.line, _NOTHING)))

    def pass_over(self, node: Node) -> None:
        """A line that is knowingly not read: what it holds is not shown either."""
        self.became(node, LineOutcome("passed"))

    def became(self, node: Node, outcome: LineOutcome) -> None:
        """Note what a statement came to, where that is traced."""
        if self.tracing:
            self.outcomes[id(node)] = (node, outcome)

    def translated(self, node: Node, outer: Context, options: Sequence[Option], *, taken: bool, skipped: int) -> None:
        whole = tuple(options)
        if outer.values:
            whole = tuple([option._replace(values={**outer.values, **option.values}) for option in options])
        for option in whole:
            self.told(node, skipped, option)
        text: tuple[tuple[int, str], ...] = ()
        target = whole[0].target
        if isinstance(target, Translation) and target.text:
            found = self.free_text(node, target, whole[0])
            if found is None:
                self.wrong(node.line, "the text that begins here never ends", outer.instance, node)
                return
            text = tuple(found)
            self.published(node, target, text)
        self.matches.append(LineMatch(node, whole, outer.instance, taken, text))

    def published(self, node: Node, target: Translation, text: Sequence[tuple[int, str]]) -> None:
        """Free text is read, or passed over."""
        how = "said" if target.every else "passed"
        for line, words in text:
            if line != node.line and self.tracing:
                self.of_text[line] = LineOutcome(how, text=words if target.every else "")
            if target.every:
                self.redactor.publish(line, words)

    def told(self, node: Node, at: int, option: Option) -> None:
        """Note what may be shown of a line that a translation fits."""
        target = option.target
        if option.pattern is None or not isinstance(target, Translation):
            return
        if target.parts and option.left:
            self.redactor.read(node, Reading(at, option.pattern, target.secret, target))
            return
        key = (at, id(option.pattern), id(target))
        reading = self._readings.get(key)
        if reading is None:
            silent = not (target.every or target.parts or target.taken_back)
            reading = Reading(at, option.pattern, None if silent else target.secret)
            self._readings[key] = reading
        self.redactor.read(node, reading)

    def free_text(self, node: Node, target: Translation, option: Option) -> list[tuple[int, str]] | None:
        if node.text is not None:
            return list(node.text)
        named = target.until[1:-1] if target.until.startswith("{") else ""
        if not named:
            return self.text.take_text(node, target.until, None)
        return self.text.take_text(node, option.values[named], len(node.words) - len(option.left) - 1)

    def fire(self, line: int) -> None:
        self.fired[line] = self.fired.get(line, 0) + 1

    # -- what was not understood ---------------------------------------------------------------------------------------

    def wrong(self, line: int, why: str, instance: int, node: Node | None = None) -> None:
        """A line is not understood, nor are those that go on with it."""
        words = tuple(self.plain(node.words)) if node is not None else ()
        self.unread.setdefault(line, (why, instance, words))
        self.redactor.unread(line)
        if node is None and self.tracing:
            self.of_text[line] = LineOutcome("unread", (), why)
        if node is not None:
            self.became(node, LineOutcome("unread", (), why))
            for more in range(node.line + 1, node.last + 1):
                self.unread.setdefault(more, ("it continues a line that was not understood", instance, ()))
                self.redactor.unread(more)

    def plain(self, words: Sequence[str]) -> Sequence[str]:
        """Words without the one that says or takes back."""
        layout = self.dialect.layout
        return words[1:] if words and words[0] in (layout.say, layout.take_back) else words

    def block_of(self, instance: int) -> str:
        """The kind of a block of the text."""
        return self._blocks[instance]

    def around(self, instance: int) -> Iterator[int]:
        """A block of the text, and those that it stands in."""
        while instance > 0:
            yield instance
            instance = self._outer[instance]


def words_of(node: Node, skipped: int) -> Sequence[str]:
    """The words of a line from number ``skipped`` on."""
    return node.words[skipped:]


def secrets_within(dialect: Dialect) -> Mapping[int, frozenset[str]]:
    """For each kind of block, by its line in the dialect, the holes that are secrets for something inside it."""
    found: Mapping[int, frozenset[str]] | None = dialect.memory.get(("within",))
    if found is None:
        within = {name: set[str]() for name in dialect.blocks}
        for each in dialect.translations:
            block, above = each.block, set[str]()
            while block in dialect.blocks and block not in above:
                above.add(block)
                within[block] |= each.secret.union(
                    *(template.secret for part in each.parts for template in part.templates)
                )
                block = dialect.blocks[block].inside
        found = {block.place.line: frozenset(within[name]) for name, block in dialect.blocks.items()}
        dialect.memory.keep(("within",), found)
    return found
