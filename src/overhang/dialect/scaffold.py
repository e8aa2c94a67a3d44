"""Starts a dialect from configurations: detects the layout, groups the lines by shape."""

import re
from collections import Counter
from collections.abc import Iterator, Sequence

from overhang.dialect.line_shapes import Shape, shapes_of
from overhang.dialect.model import Layout
from overhang.dialect.tokenizer import Node, Text

_MOST_SHAPES = 60
_TYPES = {
    "<number>": "number",
    "<range>": "range",
    "<address>": "address",
    "<prefix>": "prefix",
    "<date>": "date",
    "<word>": "word",
}


def detect_layout(texts: Sequence[str]) -> Layout:
    """The layout that texts seem to have."""
    lines = [line for text in texts for line in text.splitlines() if line.strip()]
    comments = tuple(_comments(lines))
    body = [line for line in lines if not (comments and line.lstrip().startswith(comments))]
    bare = [line.strip() for line in body]
    count = max(1, len(bare))
    opens = sum(line.endswith("{") for line in bare)
    if opens > 1 and opens >= sum(line in ("}", "};") for line in bare) * 0.5:
        others = [line for line in bare if not line.endswith(("{", "}", "};"))]
        ends = ";" if sum(line.endswith(";") for line in others) * 2 > len(others) else ""
        return Layout("braces", comments, ends=ends)
    headings = _headings(bare)
    if headings:
        return Layout("sections", comments, headings=headings)
    if sum(line[0] in " \t" for line in body) * 20 >= count:
        closers = [
            word for word, number in Counter(line for line in bare if " " not in line).items() if number * 10 > count
        ]
        return Layout("indented", comments, closers=tuple(closers[:2]))
    verbs = Counter(line.split()[0] for line in bare).most_common(3)
    if verbs and sum(number for _, number in verbs[:2]) * 20 >= count * 19 and verbs[0][1] > 3:
        take_back = verbs[1][0] if len(verbs) > 1 and not verbs[1][0].istitle() else ""
        return Layout("flat", comments, say=verbs[0][0], take_back=take_back)
    return Layout("flat", comments)


def _comments(lines: Sequence[str]) -> Iterator[str]:
    starts: Counter[str] = Counter()
    for line in lines:
        found = re.match(r"\s*([^\w\s\[\]{}()\"'|<>=]{1,3})(?=\s*\w)", line)
        if found:
            starts[found[1]] += 1
    for sign, number in starts.most_common(4):
        bare = sum(line.strip() == sign for line in lines)
        if number > 1 or (not bare and number * 50 >= len(lines)):
            yield sign


def _headings(lines: Sequence[str]) -> tuple[tuple[str, str], ...]:
    found: Counter[tuple[str, str]] = Counter()
    for line in lines:
        match = re.fullmatch(r"([\[(<*=+-]{1,4}) ?[\w][^\[\]()<>*=]*?([\])>*=+-]{1,4})", line)
        if match:
            found[match[1], match[2]] += 1
    return tuple(sorted((pair for pair, number in found.most_common(2) if number > 1), key=lambda each: len(each[0])))


def scaffold_dialect(texts: Sequence[tuple[str, str]], name: str) -> str:
    """The text of a first dialect, from (file name, text) pairs. No value of theirs stands in it."""
    layout = detect_layout([text for _, text in texts])
    heads: list[tuple[int, Sequence[str]]] = []
    inside: dict[str, list[tuple[int, Sequence[str]]]] = {}
    first_words: Counter[str] = Counter()
    for _, text in texts:
        reader = Text(layout, text)
        nodes = list(reader.nodes())
        parents = {node.parent for node in nodes}
        for index, node in enumerate(nodes):
            words = _said(layout, node)
            if not words:
                continue
            first_words[words[0]] += 1
            if index in parents:
                heads.append((node.line, words))
            else:
                inside.setdefault(_path(layout, nodes, node), []).append((node.line, words))
    known = frozenset(word for word, number in first_words.items() if number > 1)
    head = [*_head(layout, name), "", *_recognise([file for file, _ in texts]), "", *_profile()]
    return "\n".join([*head, *_lines(layout, shapes_of(heads, known), inside, known)]) + "\n"


def _said(layout: Layout, node: Node) -> list[str]:
    skip = bool(node.words) and node.words[0] in (layout.say, layout.take_back)
    return node.words[1:] if skip else node.words


def _path(layout: Layout, nodes: Sequence[Node], node: Node) -> str:
    if node.parent < 0:
        return ""
    return str(shapes_of([(1, _said(layout, nodes[node.parent]))])[0])


def _recognise(files: Sequence[str]) -> Iterator[str]:
    """By the endings of the files that it was begun from, or by their names."""
    names = dict.fromkeys(file.replace("\\", "/").rsplit("/", 1)[-1] for file in files)
    patterns = dict.fromkeys(f"*.{name.rsplit('.', 1)[1]}" if "." in name.strip(".") else name for name in names)
    yield "[recognise]              # by file name, next to this dialect; lines = [...] recognises by content"
    yield f"files = [{', '.join(map(_quoted, patterns))}]"


def _profile() -> Iterator[str]:
    yield "[profile]"
    yield 'base = "entry-first"    # what holds where nothing is configured; overhang profiles shows every value'


def _head(layout: Layout, name: str) -> Iterator[str]:
    yield "# A first dialect, made from samples. docs/dialects.md explains each part; overhang dialect try shows"
    yield "# what it makes of a configuration. Remove the # from a translation and fill in what its line means."
    yield f'name = "{name}"'
    yield 'about = ""'
    yield ""
    yield "[layout]"
    yield f'form = "{layout.form}"'
    for key, value in (("comments", layout.comments), ("closers", layout.closers)):
        if value:
            yield f"{key} = [{', '.join(map(_quoted, value))}]"
    for key, text in (("say", layout.say), ("take-back", layout.take_back), ("ends", layout.ends)):
        if text:
            yield f"{key} = {_quoted(text)}"
    if layout.headings:
        yield f"headings = [{', '.join(_quoted(f'{before}*{after}') for before, after in layout.headings)}]"


def _lines(
    layout: Layout,
    heads: Sequence[Shape],
    inside: dict[str, list[tuple[int, Sequence[str]]]],
    known: frozenset[str],
) -> Iterator[str]:
    names = {}
    for number, shape in enumerate(heads[:_MOST_SHAPES], 1):
        names[str(shape)] = f"block{number}"
        yield ""
        yield f"# {_often(shape)}"
        yield f"# [blocks.block{number}]"
        yield f"# head = {_quoted(_pattern(shape))}"
    for path, lines in sorted(inside.items(), key=lambda each: (each[0] != "", -len(each[1]))):
        for shape in shapes_of(lines, known)[:_MOST_SHAPES]:
            yield ""
            yield f"# {_often(shape)}"
            yield "# [[translate]]"
            if path:
                yield f'# inside = "{names.get(path, path)}"'
            verb = f"{layout.say} " if layout.say else ""
            yield f"# line = {_quoted(verb + _pattern(shape))}"
            yield '# means = ""'


def _often(shape: Shape) -> str:
    return f"{shape.often:,} line{'s' if shape.often != 1 else ''}, the first is line {shape.first}"


def _pattern(shape: Shape) -> str:
    """The shape as a line with holes."""
    counts: Counter[str] = Counter()
    words = []
    for word in shape.words:
        kind = _TYPES.get(word)
        if kind is None:
            words.append(f'{{"{word}"}}' if any(sign in word for sign in "[]{}") else word)
            continue
        counts[kind] += 1
        words.append(f"{{{kind}{counts[kind]}:{kind}}}")
    return " ".join(words)


def _quoted(text: str) -> str:
    """A text as TOML writes it."""
    if "'" not in text and ("\\" in text or '"' in text):
        return f"'{text}'"
    return '"' + text.replace("\\", "\\\\").replace('"', '\\"') + '"'
