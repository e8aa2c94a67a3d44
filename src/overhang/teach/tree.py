"""The lines of a configuration as a tree that a step may change: each statement with what stands under it."""

from collections.abc import Callable, Collection, Iterable, Iterator, Sequence
from typing import NamedTuple

from overhang.dialect.tokenizer import Node as Source

#: A word of ``select`` that stands for any word.
ANY = "*"
_MOST = 300_000


class StepProblem(Exception):
    """What a step cannot do; the message holds no value of a configuration."""


class Origin(NamedTuple):
    """Where a statement comes from: the statement of the text, and how many lines it takes up."""

    source: Source

    @property
    def line(self) -> int:
        """The number of its first line, from 1."""
        return self.source.line


class Statement:
    """One statement: its words, and the statements in its block. Copies and made ones keep the line they come from."""

    __slots__ = ("_state", "children", "opens", "origin", "parent", "words")

    def __init__(self, words: Sequence[str], origin: Origin, state: "State", *, opens: bool = False) -> None:
        #: whether it is written as a block, even where nothing stands in it
        self.opens = opens
        self.words = list(words)
        self.children: list[Statement] = []
        self.parent: Statement | None = None
        self.origin = origin
        self._state = state
        state.statements.append(self)

    def __repr__(self) -> str:
        return f"<statement of line {self.line} with {len(self.words)} words>"  # a word may be a password

    # -- looking -------------------------------------------------------------------------------------------------------

    @property
    def line(self) -> int:
        """The line of the text that it comes from, from 1."""
        return self.origin.line

    @property
    def head(self) -> str:
        """Its first word; "" where it has none."""
        return self.words[0] if self.words else ""

    def word(self, number: int, otherwise: str = "") -> str:
        """A word by its number, from 0."""
        return self.words[number] if -len(self.words) <= number < len(self.words) else otherwise

    def rest(self, number: int) -> str:
        """Everything from a word on, as it is written, blanks and all; "" where there is no such word."""
        source = self.origin.source
        if source.raw is None or self.words != source.words:
            return " ".join(self.words[number:])
        return self._state.tail(source.raw, number)

    def is_(self, *words: str) -> bool:
        """Whether it begins with these words; ``"*"`` stands for any."""
        return len(self.words) >= len(words) and all(
            word in (ANY, mine) for word, mine in zip(words, self.words, strict=False)
        )

    def select(self, *words: str) -> list["Statement"]:
        """The statements in its block that begin with these words; ``"*"`` stands for any."""
        return [each for each in self.children if each.is_(*words)]

    def first(self, *words: str) -> "Statement | None":
        """The first of ``select``."""
        return next(iter(self.select(*words)), None)

    def last(self, *words: str) -> "Statement | None":
        """The last of ``select``."""
        return next(reversed(self.select(*words)), None)

    def value(self, *words: str, otherwise: str = "") -> str:
        """The word behind ``words`` in the last statement of the block that begins so."""
        found = self.last(*words)
        return otherwise if found is None else found.word(len(words), otherwise)

    def walk(self) -> Iterator["Statement"]:
        """All statements below it, each before those in its block."""
        left = list(reversed(self.children))
        while left:
            each = left.pop()
            yield each
            left += reversed(each.children)

    # -- changing ------------------------------------------------------------------------------------------------------

    def add(self, *statements: "Statement") -> None:
        """Put statements at the end of its block; they leave the place that they had."""
        self.insert(len(self.children), *statements)

    def insert(self, at: int, *statements: "Statement") -> None:
        """Put statements into its block, before the one of number ``at``; they leave the place that they had."""
        for each in statements:
            if each is self or self.is_below(each):
                raise StepProblem("a block cannot be put into itself")
            if each.parent is self and self.children.index(each) < at:
                at -= 1
            each.remove()
            each.parent = self
            self.children.insert(at, each)
            at += 1

    def is_below(self, other: "Statement") -> bool:
        """Whether it stands somewhere in the block of another."""
        at = self.parent
        while at is not None and at is not other:
            at = at.parent
        return at is other

    def remove(self) -> None:
        """Take it out of its place, to be put elsewhere; one that is put nowhere counts as not understood."""
        if self.parent is not None:
            del self.parent.children[self.parent.children.index(self)]
            self.parent = None

    def copy(self) -> "Statement":
        """The same with all below it, in no place yet; each copy keeps the line that it comes from."""
        made = Statement(self.words, self.origin, self._state, opens=self.opens)
        self._state.count()
        for each in self.children:
            made.add(each.copy())
        return made

    def made(self, *words: str, opens: bool = False) -> "Statement":
        """A new statement, or a block, that comes from the line of this one, in no place yet."""
        self._state.count()
        return Statement(words, self.origin, self._state, opens=opens)

    @property
    def is_block(self) -> bool:
        """Whether it is written as a block, or something stands under it."""
        return self.opens or bool(self.children)

    def merge(self, other: "Statement") -> None:
        """Take in what stands in the block of another, which is then gone."""
        self.add(*other.children)
        other.take()

    def reorder(self, key: Callable[["Statement"], "int | str | tuple[int | str, ...]"]) -> None:
        """Sort the statements in its block; of equal ones the earlier stays first."""
        self.children.sort(key=key)

    # -- ending --------------------------------------------------------------------------------------------------------

    def take(self) -> None:
        """It is read: no translation sees it, or anything below it, and it counts as understood."""
        self._leave("read by the step")

    def drop(self) -> None:
        """It does not matter: no translation sees it, or anything below it, and it counts as ignored."""
        self._leave("ignored by the step")

    def doubt(self, why: str = "the step does not understand it", *, about: Collection[str] = ()) -> None:
        """It is not understood, nor is anything below it; what it belongs to is put in doubt.

        ``about`` are the kinds of blocks that it may be about, as their heads begin: ``user``, ``web``, ``entry vty``.
        """
        for each in (self, *self.walk()):
            self._state.doubts.append((each.origin.source, why, frozenset(about)))
        self.remove()

    def _leave(self, how: str) -> None:
        for each in (self, *self.walk()):
            self._state.gone[id(each.origin.source)] = how
        self.remove()


class State:
    """What a step did with the statements of one text, whatever became of them."""

    def __init__(self, sources: Sequence[Source], tail: Callable[[str, int], str]) -> None:
        self.sources = sources
        self.tail = tail
        self.gone: dict[int, str] = {}
        #: all that were made, wherever they stand
        self.statements: list[Statement] = []
        self.doubts: list[tuple[Source, str, frozenset[str]]] = []
        self._made = 0

    def count(self) -> None:
        """One more statement was made."""
        self._made += 1
        if self._made > _MOST:
            raise StepProblem(f"it makes more than {_MOST:,} statements of one text, which no device has")


class Tree(Statement):
    """All statements of a text: those of its top level are the children."""

    __slots__ = ()

    def __init__(self, sources: Sequence[Source], tail: Callable[[str, int], str]) -> None:
        state = State(sources, tail)
        super().__init__((), Origin(Source(1, 1, -1, [], None)), state)
        made: list[Statement] = []
        for source in sources:
            each = Statement(source.words, Origin(source), state, opens=source.opens)
            parent = made[source.parent] if source.parent >= 0 else self
            made.append(each)
            if not source.dormant:
                each.parent = parent
                parent.children.append(each)

    @property
    def state(self) -> State:
        """What became of its statements."""
        return self._state


def flattened(tree: Tree) -> list[Source]:
    """The statements as the translations read them: each behind the one that it stands under."""
    found: list[Source] = []
    left: list[tuple[Statement, int]] = [(each, -1) for each in reversed(tree.children)]
    while left:
        each, parent = left.pop()
        source = each.origin.source
        raw = source.raw if each.words == source.words else None
        text = source.text if raw is not None or each.words == source.words else None
        left += [(child, len(found)) for child in reversed(each.children)]
        found.append(Source(source.line, source.last, parent, each.words, raw, text, False, each.opens))
        if len(found) > _MOST:
            raise StepProblem(f"it makes more than {_MOST:,} statements of one text, which no device has")
    return found


def dissolve(tree: Tree) -> None:
    """Part all statements from each other: they point up and down, and nothing would ever free them."""
    made, tree.state.statements = tree.state.statements, []
    for each in made:  # copies stand in no tree, and may hold each other all the same
        each.children, each.parent = [], None


def lost(tree: Tree, used: Iterable[int], kept: Iterable[int]) -> Iterator[Source]:
    """The statements of the text that a step neither left in the tree, nor said, nor took, dropped or doubted."""
    state = tree.state
    known = {*used, *kept, *state.gone, *(id(source) for source, _, _ in state.doubts)}
    asleep: set[int] = set()
    for index, source in enumerate(state.sources):
        if source.dormant or source.parent in asleep:
            asleep.add(index)
        elif id(source) not in known:
            yield source


def origins(tree: Tree) -> set[int]:
    """The statements of the text that something in the tree comes from."""
    return {id(each.origin.source) for each in tree.walk()}
