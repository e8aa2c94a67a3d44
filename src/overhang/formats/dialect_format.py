"""The reader of texts in makers' languages: one for each dialect; and where dialects are found."""

import os
from collections.abc import Callable, Collection, Sequence
from fnmatch import fnmatchcase
from functools import cached_property, lru_cache
from importlib.resources import files
from itertools import islice

from overhang.dialect.interpreter import Helpers, Step, read_dialect_text
from overhang.dialect.layouts import laid_out
from overhang.dialect.loader import read_dialect
from overhang.dialect.model import BadDialect, Dialect
from overhang.dialect.pattern import Mismatch, Pattern
from overhang.files import DIALECT as ENDING
from overhang.files import STEP
from overhang.language import ParsedConfig
from overhang.language.parsed_config import decode
from overhang.text import UnreadableInput
from overhang.text.toml_file import TomlProblem

_LOOKED_AT = 60
_HEAD = 16_384


class DialectReader:
    """Reads texts through one dialect."""

    def __init__(
        self,
        dialect: Dialect,
        openers: "Callable[[], dict[str, Callable[[str], str]]] | None" = None,
        trusted: Collection[str] = (),
    ) -> None:
        self.dialect = dialect
        self.name = f"dialect {dialect.name}"
        self.about = dialect.about
        self._find_openers = openers
        self._trusted = trusted
        self._sent: bytes | str = b""

    def __reduce__(self) -> tuple[object, ...]:
        """As its text, and its step where that may run; who gets it looks for what opens masking where he is."""
        step: bytes | str = b""
        try:
            step = getattr(self.helpers.step, "source", b"")
        except UnreadableInput as problem:
            step = str(problem)
        return _again, ("\n".join(self.dialect.lines), self.dialect.file, step)

    @cached_property
    def openers(self) -> dict[str, Callable[[str], str]]:
        """What opens the maker's masking; looked for only where a translation names one."""
        if self._find_openers is None or not any(each.opener for each in self.dialect.translations):
            return {}
        return self._find_openers()

    @cached_property
    def helpers(self) -> Helpers:
        """What opens masking, and the dialect's step. Raises UnreadableInput where the step may not run, or cannot."""
        return Helpers(self.openers, self._step() if self.dialect.step else None)

    def _step(self) -> Step:
        from overhang.teach.step import Step
        from overhang.teach.trust import NotAStep, is_trusted, read_step

        path = self.dialect.file.removesuffix(ENDING) + STEP
        if isinstance(self._sent, str):
            raise UnreadableInput(self._sent)
        if self._sent:
            return Step(self._sent, path)
        try:
            data = read_step(path)
            trusted = is_trusted(data, self._trusted)
        except NotAStep as problem:
            raise UnreadableInput(str(problem)) from None
        if not trusted:
            raise UnreadableInput(f"the step {path} is not trusted; read it, then run: overhang trust {path}")
        return Step(data, path)

    def recognises(self, data: bytes, file: str) -> bool:
        """By the file's name, or by a line that only this maker writes."""
        return self.by_name(file) or self.by_content(data)

    def by_name(self, file: str) -> bool:
        """Whether the dialect claims files of this name."""
        name = os.path.basename(file)
        return any(fnmatchcase(name, pattern) for pattern in self.dialect.files)

    def by_content(self, data: bytes) -> bool:
        """Whether one of the first lines is one that the dialect is recognised by."""
        head = data[:_HEAD].decode("utf-8-sig", "replace")
        marks = [mark for mark in self.dialect.marks if _may_stand_in(head, mark)]
        if not marks:
            return False
        layout = self.dialect.layout
        text = laid_out(layout, head)
        for line in text.lines[:_LOOKED_AT]:
            near = [mark for mark in marks if _may_stand_in(line, mark)]
            if near and self._fits(text.split(line.strip()), near):
                return True
        if layout.form == "braces" and layout.ends and not _any_in(head, (layout.ends, layout.open, layout.close)):
            return False  # no statement of it ever ends
        return any(self._fits(node.words, marks) for node in islice(text.nodes(), _LOOKED_AT))

    def _fits(self, words: Sequence[str], marks: Sequence[Pattern]) -> bool:
        """Whether the words of a line are what one of some marks looks like."""
        say = self.dialect.layout.say
        said = words[1:] if say and words[:1] == [say] else words
        return bool(said) and any(not isinstance(mark.match(said), Mismatch) for mark in marks)

    def read(self, data: bytes, file: str) -> ParsedConfig:
        """Read it. Raises Unreadable."""
        return read_dialect_text(self.dialect, decode(data), file, self.helpers)


def _any_in(text: str, signs: Sequence[str]) -> bool:
    return any(sign in text for sign in signs if sign)


def _may_stand_in(text: str, mark: Pattern) -> bool:
    """Whether all words that a line is recognised by are in a text at all, which is told much sooner than where."""
    if "\\" in text:  # a word may be written otherwise
        return True
    text = text.lower() if mark.fold else text
    return all(word is None or word in text for word in mark.literals)


@lru_cache(maxsize=8)
def _again(text: str, file: str, step: bytes | str) -> DialectReader:
    """The reader for a dialect that was sent, with its step, or why that may not run."""
    from overhang.formats.registry import FormatRegistry

    made = DialectReader(read_dialect(text.encode(), file), FormatRegistry().openers)
    made._sent = step
    return made


def load_dialect(path: str, shown: str | None = None, *, recognising: bool = False) -> Dialect:
    """Read a dialect's file, for messages called ``shown``; see ``read_dialect``. Raises BadDialect."""
    try:
        with open(path, "rb") as stream:
            data = stream.read(4_000_001)
    except OSError as error:
        raise BadDialect(path, [TomlProblem(1, f"cannot be opened: {error.strerror}")]) from None
    return read_dialect(data, shown or path, recognising=recognising)


def shipped() -> dict[str, str]:
    """The dialects that come with the product: their files, by name."""
    found = {}
    for item in (files("overhang.dialect") / "shipped").iterdir():
        if item.name.endswith(ENDING):
            found[item.name.removesuffix(ENDING)] = str(item)
    return dict(sorted(found.items()))


def beside(folder: str) -> list[str]:
    """The dialects' files in a folder."""
    try:
        names = [name for name in os.listdir(folder or ".") if name.endswith(ENDING) and name != ENDING]
        return sorted(path for name in names if os.path.isfile(path := os.path.join(folder, name)))
    except OSError:
        return []
