"""Emits statements in the order of the text, removes them where a line negates them, and marks their blocks as doubtful
where a line was not understood."""

from collections.abc import Collection, Mapping, Sequence

from overhang.dialect.instantiate import Instantiated
from overhang.dialect.template import Template
from overhang.language.collector import header_key
from overhang.language.ir import PlacedStatement, Program
from overhang.language.parser import Misread

_MOST_IN_ALL = 300_000


class Emitter:
    """Collects the statements of one text in ``program``."""

    def __init__(self) -> None:
        self.suspected: dict[str, int] = {}
        self.program = Program.empty()._replace(suspected=self.suspected)
        self._heads: dict[object, int] = {}
        self._fields: dict[object, set[str]] = {}
        self._by_instance: dict[int, set[int]] = {}
        self._by_value: dict[str, list[tuple[int, frozenset[str]]]] = {}
        self._by_first: dict[str, set[int]] = {}
        #: the block that the statement before is in
        self._last: object = None

    def state(self, line: int, each: Instantiated, lines: Sequence[tuple[int, str]]) -> int:
        """Emit one statement; the index of its block. ``lines`` are those of free text in it. Raises Misread."""
        head, statements = header_key(each.head), self.program.statements
        if len(statements) > _MOST_IN_ALL:
            raise Misread(f"the text means more than {_MOST_IN_ALL:,} statements, which no device has", 1, 1)
        owner = self._heads.get(head)
        if each.filled.text is not None and owner is not None and (lines or self._last != head):
            owner = None  # a text that is given again replaces the earlier one; lines one after another are one text
        self._last = head
        if owner is None:
            statements.append(PlacedStatement(line, -1, each.head))
            owner = self._heads[head] = len(statements) - 1
            self._fields[head] = set()
        if each.inner is not None:
            statements.append(PlacedStatement(line, owner, each.inner))
            self._fields[head].add(each.inner.spec.field)
        elif each.filled.text is not None:
            numbered = lines or [(line, text) for text in each.filled.text.split("\n")]
            self.program.texts.extend((owner, number, text) for number, text in numbered)
        return owner

    def drop(self, line: int, each: Instantiated, *, quiet: bool = False) -> None:
        """Remove one statement. Raises Misread where it was not set, or with ``quiet`` does nothing."""
        head, statements = header_key(each.head), self.program.statements
        fields = self._fields.get(head)
        if fields is None or (each.inner is not None and each.inner.spec.field not in fields):
            if quiet:
                return
            why = "it takes back something that was not set; taken-back in the translation can state what it means"
            raise Misread(why, 1, 1)
        if each.inner is None:
            statements.append(PlacedStatement(line, -1, each.head._replace(drop=True)))
            del self._heads[head], self._fields[head]
        else:
            statements.append(PlacedStatement(line, -1, each.head, drops_inside=True))
            statements.append(PlacedStatement(line, len(statements) - 1, each.inner._replace(drop=True)))
            if not each.inner.captures:
                fields.discard(each.inner.spec.field)

    def remember(self, instance: int, first: str, template: Template, values: Mapping[str, str], owner: int) -> None:
        """Remembers which lines set a block, so that a line that is not understood can put it in doubt.

        ``instance`` is the block of the text that the statement comes from, ``first`` the first word of its line.
        """
        if instance:
            self._by_instance.setdefault(instance, set()).add(owner)
        named = frozenset([values[name] for name in template.naming if values.get(name)])
        if named:
            of = self._by_value.setdefault(min(named), [])
            if not of or of[-1] != (owner, named):
                of.append((owner, named))
        elif not instance:
            self._by_first.setdefault(first, set()).add(owner)

    def remember_words(self, owner: int, words: Sequence[str]) -> None:
        """Remember a block by the words of its head, so that a line that holds them can put it in doubt."""
        if words:
            self._by_value.setdefault(min(words), []).append((owner, frozenset(words)))

    def doubt(self, line: int, words: Sequence[str], instances: Sequence[int], kinds: Collection[str] = ()) -> None:
        """A line was not understood: put in doubt the blocks that it stands in or names, else those of some kinds."""
        owners: set[int] = set()
        for instance in instances:
            owners = owners or self._by_instance.get(instance, set())
        if not owners and words:
            owners = set(self._by_first.get(words[0], ()))
            held = set(words)
            for each in held:
                owners.update(owner for owner, values in self._by_value.get(each, ()) if values <= held)
        doubts = self.program.doubts
        for owner in owners:
            doubts[owner] = min(doubts.get(owner, line), line)
        for kind in kinds if not owners else ():
            self.suspected[kind] = min(self.suspected.get(kind, line), line)
