"""Starts a dialect from configurations: its layout, its kinds of lines, and what each may mean.

Whatever is a guess is commented out and says what it goes by: the reader decides.
"""

import re
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence

from overhang.dialect.layout_guess import LayoutGuess, TextForm, guess_layout
from overhang.dialect.line_kinds import KindOfLine, Sorted, sort_lines
from overhang.dialect.meaning_guess import Guess
from overhang.dialect.model import Layout

_TYPES = {
    "<number>": "number",
    "<range>": "range",
    "<address>": "address",
    "<prefix>": "prefix",
    "<date>": "date",
    "<word>": "word",
}
#: What a maker's words for ways are in a sheet, where a guess has to name one.
_WAYS = {"shell": "ssh", "wire": "telnet", "page": "http", "web": "https", "chair": "console"}
#: Where the head of a block needs a value that its line does not have.
_OF_TYPE = {"elevation": "number", "entry vty": "range|number", "address": "address|prefix"}
_NAMELESS = {"elevation": "15", "entry vty": "0-4", "address": "192.0.2.1/24"}
_HEADS = {
    "user": "user {}",
    "role": "role {}",
    "servers": "servers radius {}",
    "methods": "methods {} for login",
    "sources": "sources {}",
    "door": "door {}",
    "address": "address {}",
    "elevation": "elevation {}",
    "entry vty": "entry vty {}",
    "banner": "banner before-login",
}


def scaffold_dialect(texts: Sequence[tuple[str, str]], name: str) -> str:
    """The text of a first dialect, from (file name, text) pairs. No value of theirs stands in it."""
    found = guess_layout([text for _, text in texts])
    kinds = sort_lines(found, [text for _, text in texts])
    head = [*_head(found, name), "", *_recognise([file for file, _ in texts]), "", *_profile()]
    return "\n".join([*head, *_blocks(kinds), *_texts(found.texts), *_lines(found.layout, kinds)]) + "\n"


def _recognise(files: Sequence[str]) -> Iterator[str]:
    """By the endings of the files that it was begun from, or by their names."""
    names = dict.fromkeys(file.replace("\\", "/").rsplit("/", 1)[-1] for file in files)
    patterns = dict.fromkeys(f"*.{name.rsplit('.', 1)[1]}" if "." in name.strip(".") else name for name in names)
    yield "[recognise]              # by file name, next to this dialect; lines = [...] recognises by content"
    yield f"files = [{', '.join(map(_quoted, patterns))}]"


def _profile() -> Iterator[str]:
    yield "[profile]                # what holds where nothing is configured; overhang dialect interview asks for it"
    yield 'base = "entry-first"'


def _head(found: LayoutGuess, name: str) -> Iterator[str]:
    layout = found.layout
    yield "# A first dialect, made from samples. docs/dialects.md explains each part; overhang dialect try shows what"
    yield "# it makes of a configuration. What a line may mean is a guess, the likeliest first: judge it, correct it,"
    yield "# and remove the # from what is right."
    yield f'name = "{name}"'
    yield 'about = ""'
    yield ""
    yield "[layout]"
    yield f'form = "{layout.form}"'
    lists = (
        ("comments", layout.comments),
        ("block-comments", layout.block_comments),
        ("dormant", layout.dormant),
        ("closers", layout.closers),
        ("page-breaks", layout.page_breaks),
    )
    for key, value in lists:
        if value:
            yield f"{key} = [{', '.join(map(_quoted, value))}]"
    words = (
        ("say", layout.say),
        ("take-back", layout.take_back),
        ("ends", layout.ends),
        ("signs", layout.signs),
        ("continued", layout.continued),
        ("continues", layout.continues),
        ("leaders", layout.leaders),
        ("label-ends", layout.label_ends),
    )
    for key, text in words:
        if text:
            yield f"{key} = {_quoted(text)}"
    if layout.headings:
        yield f"headings = [{', '.join(_quoted(f'{before}*{after}') for before, after in layout.headings)}]"
    for remark in found.remarks:
        yield f"# {remark}"
    for table in layout.tables:
        yield ""
        yield "[[layout.tables]]"
        yield f"under = {_quoted(table.under)}"
        if table.apart:
            yield f"apart = {_quoted(table.apart)}"
        if table.ditto:
            yield f"ditto = {_quoted(table.ditto)}"
        if table.unsaid[1:]:
            yield f"unsaid = [{', '.join(map(_quoted, table.unsaid[1:]))}]"
        if table.edges:
            yield "edges = true"


def _blocks(kinds: Sorted) -> Iterator[str]:
    for block in kinds.blocks:
        yield ""
        yield f"# {_often(block.often, block.first)}"
        yield f"# [blocks.{block.name}]"
        holes = _Holes(block.name)
        yield f"# head = {_quoted(holes.pattern(block.shape))}"
        if block.inside:
            yield f'# inside = "{block.inside}"'
        yield from _meanings(block.guesses, holes, _Around(kinds, block.inside), heads=True)


def _texts(texts: Sequence[TextForm]) -> Iterator[str]:
    for each in texts:
        ends = "{end}" if each.by_sign else each.ends
        yield ""
        yield "# free text, up to what ends it"
        yield "# [[translate]]"
        yield f"# line = {_quoted(each.begins + (' {end:sign}' if each.by_sign else ''))}"
        yield '# text = "words"'
        yield f"# until = {_quoted(ends)}"
        yield '# means = "banner before-login: | {words}"'


def _lines(layout: Layout, kinds: Sorted) -> Iterator[str]:
    written: set[tuple[str, str]] = set()
    for inside, lines in sorted(kinds.lines.items(), key=lambda each: (each[0] != "", each[0])):
        for line in lines:
            holes = _Holes("")
            verb = f"{layout.say} " if layout.say and not inside else ""
            pattern = verb + _timed(holes.pattern(line.shape, line.begins), line, holes)
            if (inside, pattern) in written:
                continue
            written.add((inside, pattern))
            yield ""
            yield f"# {_often(line.often, line.first)}"
            yield "# [[translate]]"
            if inside:
                yield f'# inside = "{inside}"'
            yield f"# line = {_quoted(pattern)}"
            yield from _meanings(line.guesses, holes, _Around(kinds, inside), heads=False)


class _Holes:
    """The holes of a line: their names, by the number of the word."""

    def __init__(self, block: str) -> None:
        self._block = block
        self.names: dict[int, str] = {}
        self.words: tuple[str, ...] = ()

    def pattern(self, shape: Sequence[str], begins: str = "") -> str:
        """The shape as a line with holes."""
        counts: Counter[str] = Counter()
        self.words = tuple(shape)
        found = []
        for at, word in enumerate(shape):
            if at == 0 and begins and word == "<word>":
                found.append(_dotted(begins))
                continue
            kind = _TYPES.get(word)
            if kind is None:
                found.append(f'{{"{word}"}}' if any(sign in word for sign in "[]{} ") else word)
                continue
            counts[kind] += 1
            self.names[at] = f"{self._block}_{kind}{counts[kind]}" if self._block else f"{kind}{counts[kind]}"
            found.append(f"{{{self.names[at]}:{kind}}}")
        return " ".join(found)


class _Around:
    """The blocks around a line, to name what it is about."""

    def __init__(self, kinds: Sorted, inside: str) -> None:
        self.names: list[str] = []
        by_name = {block.name: block for block in kinds.blocks}
        while inside in by_name:
            holes = _Holes(inside)
            holes.pattern(by_name[inside].shape)
            self.names += holes.names.values()
            inside = by_name[inside].inside


def _meanings(guesses: Sequence[Guess], holes: _Holes, around: _Around, *, heads: bool) -> Iterator[str]:
    """The likeliest meaning, and others to choose from; each with the words that made it likely."""
    if not guesses and not heads:
        yield '# means = ""'
    for number, each in enumerate(guesses):
        text = statement_of(each, holes.names, holes.words, around.names)
        lead = "means =" if number == 0 else "# or means ="
        because = "".join(sign for sign in ", ".join(each.because) if sign.isprintable())
        yield f"# {lead} {_quoted(text)}  # {because}"


def statement_of(each: Guess, names: Mapping[int, str], words: Sequence[str], around: Sequence[str]) -> str:
    """A guess as a statement of a sheet, with the holes of its line put in."""
    values = []
    for at in each.at:
        if at in names:
            values.append(f"{{{names[at]}}}")
        elif at < len(words):
            values.append(_WAYS.get(words[at], words[at]))
    head = _HEADS.get(each.kind, each.kind)
    if "{}" in head:
        own = list(names.values()) if each.statement == "head" else []
        head = head.replace("{}", _about(each.kind, [*own, *around], values if each.statement == "head" else []))
    if each.statement == "head":
        return f"{head}:"
    statement = each.statement
    if each.kind == "device" and statement.startswith("name"):
        return f"device {values[0] if values else 'NAME'}:"
    for value in values:
        statement = statement.replace("{}", value, 1)
    return f"{head}: {statement.replace('{}', '...')}"


def _timed(pattern: str, line: KindOfLine, holes: _Holes) -> str:
    """The line with the unit of the number that is its likeliest meaning's time."""
    if not line.guesses or line.guesses[0].value != "time" or not line.guesses[0].at:
        return pattern
    at = line.guesses[0].at[0]
    unit = line.shape[at + 1].lower() if at + 1 < len(line.shape) else ""
    kind = "seconds" if unit.startswith("s") else "hours" if unit.startswith("h") else "minutes"
    return pattern.replace(f"{{{holes.names.get(at)}:number}}", f"{{{holes.names.get(at)}:{kind}}}")


def _dotted(begins: str) -> str:
    """A first word with holes for its numbers."""
    pieces = begins.split("#")
    return "".join(f"{piece}{{n{at}:number}}" for at, piece in enumerate(pieces[:-1], 1)) + pieces[-1]


def _about(kind: str, holes: Sequence[str], values: Sequence[str]) -> str:
    """What a block is called: by a hole of a type that will do, else by a name to be replaced."""
    wanted = _OF_TYPE.get(kind)
    if wanted is None:
        return next(iter([*values[:1], *(f"{{{name}}}" for name in holes[:1]), "NAME"]))
    fits = [f"{{{name}}}" for name in holes if re.search(rf"(?:{wanted})\d+$", name)]
    if kind == "entry vty" and len(fits) > 1 and "number" in fits[1]:
        return f"{fits[0]}-{fits[1]}"
    return fits[0] if fits else _NAMELESS[kind]


def _often(often: int, first: int) -> str:
    return f"{often:,} line{'s' if often != 1 else ''}, the first is line {first}"


def _quoted(text: str) -> str:
    """A text as TOML writes it."""
    if text.isprintable() and "'" not in text and ("\\" in text or '"' in text):
        return f"'{text}'"
    escaped = text.replace("\\", "\\\\").replace('"', '\\"')
    return '"' + "".join(each if each.isprintable() else f"\\U{ord(each):08x}" for each in escaped) + '"'
