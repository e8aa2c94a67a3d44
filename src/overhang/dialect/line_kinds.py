"""Sorts the lines of configurations nobody knows by their shapes and places, with what each kind of line may mean."""

import re
from collections import Counter
from collections.abc import Collection, Iterator, Mapping, Sequence
from typing import NamedTuple

from overhang.dialect.layout_guess import LayoutGuess, without_texts
from overhang.dialect.layouts import laid_out
from overhang.dialect.line_shapes import TRADE, shape_of
from overhang.dialect.meaning_guess import Guess, GuessLine, Look, guess, kinds_of_block, look_at
from overhang.dialect.model import Layout
from overhang.dialect.tokenizer import Node
from overhang.dialect.trade_words import KINDS

_MOST_SHAPES = 60
_MOST_BLOCKS = 80
#: A first word made of several, as in ``door.3.open``.
_MADE = re.compile(r"[a-z]+(\.([a-z-]+|\d+))+", re.IGNORECASE)


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
    every = list(laid_out(layout, text).nodes())
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
