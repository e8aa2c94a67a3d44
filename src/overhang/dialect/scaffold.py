"""Starts a dialect from configurations: its layout, its kinds of lines, and what each may mean.

Whatever is a guess is commented out and says what it goes by: the reader decides.
"""

import re
from collections import Counter
from collections.abc import Collection, Iterator, Mapping, Sequence
from typing import NamedTuple

from overhang.dialect.layout_guess import LayoutGuess, TextForm, guess_layout, without_texts
from overhang.dialect.line_shapes import TRADE, shape_of
from overhang.dialect.meaning_guess import Guess, GuessLine, Look, guess, kinds_of_block, look_at
from overhang.dialect.model import Layout
from overhang.dialect.tokenizer import Node, Text
from overhang.dialect.trade_words import KINDS

_MOST_SHAPES = 60
#: A first word made of several, as in ``door.3.open``.
_MADE = re.compile(r"[a-z]+(\.([a-z-]+|\d+))+", re.IGNORECASE)
_MOST_BLOCKS = 80
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


def detect_layout(texts: Sequence[str]) -> Layout:
    """The layout that texts seem to have."""
    return guess_layout(texts).layout


class KindOfLine(NamedTuple):
    """Lines of one shape in one place: the shape, how often, the first line, and what it may mean.

    ``begins`` is the first word with its numbers left out, where it is made of several with signs between them.
    """

    shape: tuple[str, ...]
    begins: str
    often: int
    first: int
    guesses: tuple[Guess, ...]


class KindOfBlock(NamedTuple):
    """Blocks whose heads have one shape: a name for them, the kind they stand in, the lines in them."""

    name: str
    shape: tuple[str, ...]
    often: int
    first: int
    inside: str
    guesses: tuple[Guess, ...]


class Sorted(NamedTuple):
    """The lines of texts by their kinds. ``meant`` are the guesses for each statement of a line, by text and line."""

    blocks: list[KindOfBlock]
    lines: dict[str, list[KindOfLine]]
    meant: dict[tuple[int, int], list[list[Guess]]]


class _Line(NamedTuple):
    text: int
    node: Node
    words: list[str]
    outer: "tuple[_Line, ...]"
    looks: tuple[Look, ...]
    heads: bool
    around: tuple[tuple[Look, ...], ...] = ()
    path: tuple[tuple[str, ...], ...] = ()


def scaffold_dialect(texts: Sequence[tuple[str, str]], name: str) -> str:
    """The text of a first dialect, from (file name, text) pairs. No value of theirs stands in it."""
    found = guess_layout([text for _, text in texts])
    kinds = sort_lines(found, [text for _, text in texts])
    head = [*_head(found, name), "", *_recognise([file for file, _ in texts]), "", *_profile()]
    return "\n".join([*head, *_blocks(kinds), *_texts(found.texts), *_lines(found.layout, kinds)]) + "\n"


# -- sorting lines -----------------------------------------------------------------------------------------------------


def sort_lines(found: LayoutGuess, texts: Sequence[str]) -> Sorted:
    """The lines of texts by their shapes and places, with what they may mean."""
    lines = [line for number, text in enumerate(texts) for line in _lines_of(found.layout, number, without_texts(text))]
    known = frozenset(word for word, times in Counter(line.words[0] for line in lines).items() if times > 1)
    named = _named_by_first(lines)
    shape = {id(line.node): shape_of(line.words, known, any_first=id(line.node) not in named) for line in lines}
    lines = _with_pseudo_blocks(lines) if found.layout.form == "flat" else _with_paths(lines, shape)
    kinds = _kinds_by_path(lines)
    blocks: list[KindOfBlock] = []
    names: dict[tuple[tuple[str, ...], ...], str] = {(): ""}
    sorted_lines: dict[str, list[KindOfLine]] = {}
    meant: dict[tuple[int, int], list[list[Guess]]] = {}
    guessed: dict[int, list[Guess]] = {}
    groups: dict[tuple[tuple[tuple[str, ...], ...], bool, tuple[str, ...], str], list[_Line]] = {}
    for line in lines:
        groups.setdefault((line.path, line.heads, shape[id(line.node)], _begins(line, named)), []).append(line)
    for (path, heads, form, _), same in groups.items():
        around = kinds.get((*path, form), {}) if heads else kinds.get(path, {})
        if heads and _is_container(same, lines):
            around = {}
        guesses = _guesses(same, around)
        for line in same:
            meant.setdefault((line.text, line.node.line), []).append(guesses)
        guessed[id(same)] = guesses
        if heads and (*path, form) not in names and len(blocks) < _MOST_BLOCKS:
            names[(*path, form)] = f"block{len(blocks) + 1}"
            inside = names.get(path, "")
            blocks.append(KindOfBlock(names[(*path, form)], form, len(same), same[0].node.line, inside, tuple(guesses)))
    for (path, heads, form, _word), same in groups.items():
        if not heads and path in names:
            begins = _begins(same[0], named) if _MADE.fullmatch(same[0].words[0]) else ""
            each = KindOfLine(form, begins, len(same), same[0].node.line, tuple(guessed[id(same)]))
            sorted_lines.setdefault(names[path], []).append(each)
    for several in sorted_lines.values():
        several.sort(key=lambda each: (-_best(each.guesses), -each.often, each.first))
        del several[_MOST_SHAPES:]
    return Sorted(blocks, sorted_lines, meant)


def _named_by_first(lines: Sequence[_Line]) -> set[int]:
    """The heads of blocks that begin with a name and not with a keyword: no two beside each other begin alike."""
    heads: dict[tuple[int, int], list[_Line]] = {}
    for line in lines:
        if line.heads and line.outer:
            heads.setdefault((id(line.outer[-1].node), len(line.words)), []).append(line)
    found: set[int] = set()
    for several in heads.values():
        words = [line.words[0] for line in several]
        if len(words) > 1 and len(set(words)) == len(words) and not any(_is_keyword(word) for word in words):
            found |= {id(line.node) for line in several}
    return found


def _is_keyword(word: str) -> bool:
    """Whether a word is one of the trade, so that a block is a kind and not a name."""
    return any(part in TRADE or any(part in words for words in KINDS.values()) for part in word.lower().split("-"))


def _is_container(heads: Sequence[_Line], lines: Sequence[_Line]) -> bool:
    """Whether blocks hold other blocks alone."""
    owners = {id(line.node) for line in heads}
    inner = [line.heads for line in lines if line.outer and id(line.outer[-1].node) in owners]
    return bool(inner) and all(inner)


def _begins(line: _Line, named: Collection[int]) -> str:
    """What makes lines with one shape different kinds all the same: the word that they begin with, without numbers."""
    return "" if id(line.node) in named else re.sub(r"\d+", "#", line.words[0])


def _best(guesses: Sequence[Guess]) -> float:
    return guesses[0].score if guesses else 0.0


def _lines_of(layout: Layout, number: int, text: str) -> Iterator[_Line]:
    every = list(Text(layout, text).nodes())
    parents = {node.parent for node in every}
    outers: list[tuple[_Line, ...]] = []
    for index, node in enumerate(every):
        words = _said(layout, node)
        outer = outers[node.parent] if 0 <= node.parent < index else ()
        heads = index in parents or node.opens
        line = _Line(number, node, words, outer, tuple(look_at(word, quoted=" " in word) for word in words), heads)
        outers.append((*outer, line) if heads and words else outer)
        if words and not node.dormant:
            yield line


def _with_paths(lines: Sequence[_Line], shape: Mapping[int, tuple[str, ...]]) -> list[_Line]:
    """Lines with the shapes of the heads that they stand under, and what these look like."""
    return [
        line._replace(
            path=tuple(shape.get(id(each.node), ()) for each in line.outer),
            around=tuple(each.looks for each in line.outer),
        )
        for line in lines
    ]


def _said(layout: Layout, node: Node) -> list[str]:
    skip = bool(node.words) and node.words[0] in (layout.say, layout.take_back)
    return node.words[1:] if skip else node.words


def _with_pseudo_blocks(lines: Sequence[_Line]) -> list[_Line]:
    """Lines that carry their whole path: what several of them begin with is taken for their block, to judge them by."""
    firsts = Counter(line.words[0] for line in lines)
    pairs = Counter(tuple(line.words[:2]) for line in lines if len(line.words) > 2)
    found = []
    for line in lines:
        size = 2 if len(line.words) > 2 and pairs[tuple(line.words[:2])] > 1 else 1 if firsts[line.words[0]] > 1 else 0
        around = (line.looks[:size],) if size else ()
        path = (("=", *line.words[:size]),) if size else ()
        found.append(line._replace(path=path, around=around))
    return found


def _kinds_by_path(lines: Sequence[_Line]) -> dict[tuple[tuple[str, ...], ...], Mapping[str, float]]:
    """How likely each kind of block is for every place, by its head and the lines in it."""
    heads: dict[tuple[tuple[str, ...], ...], list[Look]] = {}
    inside: dict[tuple[tuple[str, ...], ...], list[GuessLine]] = {}
    outer: dict[tuple[tuple[str, ...], ...], tuple[tuple[Look, ...], ...]] = {}
    for line in lines:
        for depth in range(1, len(line.path) + 1):
            if line.around[depth - 1 : depth]:
                heads.setdefault(line.path[:depth], list(line.around[depth - 1]))
        if line.path:
            inside.setdefault(line.path, []).append(GuessLine(line.looks, line.around, line.heads))
            outer.setdefault(line.path, line.around)
    found: dict[tuple[tuple[str, ...], ...], Mapping[str, float]] = {}
    for path, children in inside.items():
        above = [look for looks in outer[path][:-1] for look in looks]
        found[path] = kinds_of_block([*heads.get(path, ()), *above], children)
    return found


def _guesses(same: Sequence[_Line], kinds: Mapping[str, float]) -> list[Guess]:
    """What lines of one shape may mean: by the first few of them together."""
    totals: dict[tuple[str, str], list[Guess]] = {}
    for line in same[:5]:
        for each in guess(GuessLine(line.looks, line.around, line.heads), kinds):
            totals.setdefault((each.kind, each.statement), []).append(each)
    ranked = sorted(totals.values(), key=lambda several: -sum(each.score for each in several))
    return [several[0] for several in ranked[:3]]


# -- writing -----------------------------------------------------------------------------------------------------------


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
