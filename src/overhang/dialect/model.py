"""A dialect: what a file teaches about one maker's language, compiled."""

from collections.abc import Mapping
from typing import Any, NamedTuple

from overhang.dialect.pattern import Hole, Notation, Pattern
from overhang.dialect.template import Template
from overhang.profiles import Profile
from overhang.text import OverhangError
from overhang.text.toml_file import TomlProblem

FORMS = ("indented", "braces", "flat", "sections")
#: What a maker's texts may never export, and the statement that marks it as unknown.
NEVER: Mapping[str, tuple[str, str, Mapping[str, str]]] = {
    "host-keys": ("ssh", "host_keys", {"kind": "unknown"}),
    "certificate": ("web", "certificate", {"": "unknown"}),
}


class TableForm(NamedTuple):
    """How a table is written.

    ``under`` is the form of the line that begins it, ``apart`` parts its cells ("": they stand below the header's),
    ``edges``: also at both ends of a row. ``own_rows``: each row is a block of its own, whatever its key.
    """

    under: str
    apart: str = ""
    key: str = ""
    ditto: str = ""
    unsaid: tuple[str, ...] = ("",)
    escape: str = ""
    edges: bool = False
    own_rows: bool = False
    dormant: tuple[str, ...] = ()


class Layout(NamedTuple):
    """How a text is laid out: see docs/dialects.md."""

    form: str = "indented"
    comments: tuple[str, ...] = ()
    trailing_comments: tuple[str, ...] = ()
    take_back: str = ""
    say: str = ""
    quotes: str = '"'
    signs: str = ""
    open: str = "{"
    close: str = "}"
    ends: str = ""
    headings: tuple[tuple[str, str], ...] = ()
    closers: tuple[str, ...] = ()
    ignore_case: bool = False
    continued: str = ""
    block_comments: tuple[str, ...] = ()
    continues: str = ""
    page_breaks: tuple[str, ...] = ()
    leaders: str = ""
    label_ends: str = ""
    between: str = ""
    dormant: tuple[str, ...] = ()
    join_blocks: bool = False
    tables: tuple[TableForm, ...] = ()


class SourceRef(NamedTuple):
    """Where something stands in the dialect's own file, and what to call it in messages."""

    line: int
    label: str


class Condition(NamedTuple):
    """A line that something else depends on.

    ``beside``: only in the very same block as that. ``names`` are the holes that both lines may share. ``anywhere``:
    the words may stand anywhere in the line.
    """

    number: int
    block: str
    beside: bool
    patterns: tuple[Pattern, ...]
    names: tuple[str, ...]
    anywhere: bool = False


class Test(NamedTuple):
    """What has to hold for something to apply.

    ``kind``: ``line`` (there is such a line), ``all``, ``any`` and ``none`` of ``parts``, ``number`` (a hole is within
    bounds), ``word`` (a hole is one of ``words``). ``text`` is how it is written.
    """

    kind: str
    text: str
    fact: Condition | None = None
    parts: tuple["Test", ...] = ()
    hole: str = ""
    least: int | None = None
    most: int | None = None
    words: frozenset[str] = frozenset()


class Meaning(NamedTuple):
    """Statements that are meant where ``needs`` hold."""

    templates: tuple[Template, ...]
    needs: tuple[Test, ...]


class Part(NamedTuple):
    """One of the parts that may follow on a line, in any order and number."""

    patterns: tuple[Pattern, ...]
    templates: tuple[Template, ...]
    holes: Mapping[str, Hole]


class Translation(NamedTuple):
    """A line and what it means.

    ``partners`` are lines that must stand beside it, ``needs`` is what must hold for it to apply; ``meanings`` are
    those of its statements that need more. ``taken_back`` is None where taking it back means to drop what it says.
    ``until`` ends the free text that follows the line: the value of a hole of that name where it is ``{name}``, else a
    line. ``sort_by`` is the hole that puts such lines in order, ``again`` tells which counts of two alike: ``first``,
    ``last``, or "" for both.
    """

    place: SourceRef
    block: str
    patterns: tuple[Pattern, ...]
    templates: tuple[Template, ...]
    holes: Mapping[str, Hole]
    taken_back: tuple[Template, ...] | None = None
    partners: tuple[Condition, ...] = ()
    needs: tuple[Test, ...] = ()
    meanings: tuple[Meaning, ...] = ()
    parts: tuple[Part, ...] = ()
    text: str = ""
    until: str = ""
    opener: str = ""
    secret: frozenset[str] = frozenset()
    sort_by: str = ""
    again: str = ""

    @property
    def conditional(self) -> bool:
        """Whether other lines, or values, have a say in it."""
        return bool(self.partners or self.needs)

    @property
    def every(self) -> tuple[Template, ...]:
        """All statements that it may mean, without those of its parts."""
        return (*self.templates, *(template for each in self.meanings for template in each.templates))


class BlockType(NamedTuple):
    """A kind of block: the line that begins it, the kind it stands in ("": none), what its being there means."""

    name: str
    place: SourceRef
    inside: str
    patterns: tuple[Pattern, ...]
    templates: tuple[Template, ...]
    holes: Mapping[str, Hole]
    meanings: tuple[Meaning, ...] = ()

    @property
    def every(self) -> tuple[Template, ...]:
        """All statements that its being there may mean."""
        return (*self.templates, *(template for each in self.meanings for template in each.templates))


class Candidate(NamedTuple):
    """A pattern and what it is a pattern of: a Translation, a Block, a Fact, or None for a line to pass over."""

    pattern: Pattern
    target: "Translation | BlockType | Condition | None"


class Candidates(NamedTuple):
    """What can stand inside one kind of block: by first word, and what begins with a hole; the most exact first.

    ``anywhere`` are conditions on words that may stand anywhere in a line.
    """

    by_first: Mapping[str, tuple[Candidate, ...]]
    others: tuple[Candidate, ...]
    anywhere: tuple[tuple[Pattern, Condition], ...] = ()


class Sample(NamedTuple):
    """A text and the sheet that it should give: the dialect's own test."""

    place: SourceRef
    text: str
    sheet: str


class Memory:
    """Results for lines seen before; most lines of a network recur in many of its configurations."""

    LIMIT = 50_000

    def __init__(self) -> None:
        self._held: dict[tuple[object, ...], Any] = {}
        self.get = self._held.get

    def keep(self, key: tuple[object, ...], value: Any) -> None:
        """Remember something; what is remembered never grows beyond a limit."""
        if len(self._held) >= self.LIMIT:
            self._held.clear()
        self._held[key] = value


class Dialect(NamedTuple):
    """A whole dialect. ``lines`` are those of its file, to quote from. ``step``: it has a step in Python
    as well. ``stated`` are the keys of its profile that it gives itself."""

    name: str
    about: str
    file: str
    lines: tuple[str, ...]
    layout: Layout
    notation: Notation
    profile: Profile | None
    never: tuple[str, ...]
    blanked: frozenset[str]
    always: tuple[Template, ...]
    blocks: Mapping[str, BlockType]
    translations: tuple[Translation, ...]
    candidates: Mapping[str, Candidates]
    samples: tuple[Sample, ...]
    files: tuple[str, ...]
    marks: tuple[Pattern, ...]
    places: Mapping[str, int]
    memory: "Memory"
    step: bool = False
    stated: frozenset[str] = frozenset()


def literals_of(dialect: Dialect) -> frozenset[str]:
    """The words that a dialect spells out in its patterns, which may be shown: none of them is somebody's secret."""
    patterns = [pattern for each in dialect.translations for pattern in each.patterns]
    patterns += [pattern for block in dialect.blocks.values() for pattern in block.patterns]
    return frozenset(token.literal for pattern in patterns for token in pattern.tokens if token.literal)


class BadDialect(OverhangError):
    """A dialect that cannot be used, with everything that is wrong with it."""

    def __init__(self, file: str, problems: list[TomlProblem]) -> None:
        super().__init__(file, problems)  # all of it, so that it can be sent
        self.file, self.problems = file, problems

    def __str__(self) -> str:
        first, more = self.problems[0], len(self.problems) - 1
        text = f"{self.file}:{first.line}: {first.message}"
        return text + (f"; and {more} more, see overhang dialect check" if more else "")
