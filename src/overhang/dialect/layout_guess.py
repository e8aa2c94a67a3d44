"""Guesses the layout of texts: blocks, comments, tables, prints, free text, lines that go on, what takes back."""

import re
from collections import Counter
from collections.abc import Iterator, Sequence
from itertools import pairwise, takewhile
from typing import NamedTuple

from overhang.dialect.model import Layout, TableForm

_COMMENT_PAIRS = (("/*", "*/"), ("(*", "*)"), ("<!--", "-->"), ("{-", "-}"), ("#|", "|#"), ("<#", "#>"))
_TEXT_WORDS = re.compile(r"banner|greet|notice|message|motd|welcome|legend|chalk|text|board", re.IGNORECASE)
_PRINT = re.compile(r"\s*\S.*?\s*([.·_])\1{2,}\s*([:=]?)\s")
_PAGE = re.compile(r"(?i)^\W*(?:(?:.*\s)?page\s+\d+\b.*|[a-z]+ \d+ (?:of|/) \d+\W*)$")
#: Words in quotes, and a block in braces on one line: a brace inside a word begins none.
_QUOTED, _BRACES = re.compile(r"\"[^\"]*\""), re.compile(r"(?:^|\s)\{.*\}")
_TAKES_BACK = frozenset("no not non undo un delete remove unset clear without cancel forget strip".split())
_SEPARATOR = re.compile(r"\s(->|=>|:=|=)\s|^[\w.-]+(=)\S")


class TextForm(NamedTuple):
    """Free text in a configuration: the line that begins it, and what ends it."""

    begins: str
    ends: str
    #: whether what ends it stands at the end of the line that begins it
    by_sign: bool


class LayoutGuess(NamedTuple):
    """A layout, the free text that was found, and remarks about what may be otherwise."""

    layout: Layout
    texts: tuple[TextForm, ...] = ()
    remarks: tuple[str, ...] = ()


def guess_layout(texts: Sequence[str]) -> LayoutGuess:
    """The layout that texts seem to have."""
    every = [line for text in texts for line in text.splitlines()]
    pair = next((each for each in _COMMENT_PAIRS if _has_pair(texts, each)), ())
    kept, found_texts = _without_texts(every)
    lines = [line for line in _without_blocks(kept, pair) if line.strip()]
    continues = _continues(lines)
    lines = [line for line in lines if not continues or not line.strip().startswith(continues)]
    dormant, comments = _signs(lines)
    body = [line for line in lines if not (comments and line.lstrip().startswith(comments))]
    pages = _page_breaks(body)
    body = [line for line in body if not _PAGE.match(line)]
    begun = [line for before, line in pairwise(["", *body]) if not before.rstrip().endswith("\\")]
    layout = _form(begun, Layout(comments=comments, dormant=dormant, block_comments=pair, page_breaks=pages))
    if continues and layout.form != "braces":
        layout = layout._replace(continues=continues)
    layout = _more(body, layout)
    remarks = [f"{each} before a line may also be a comment: then name it under comments" for each in dormant]
    return LayoutGuess(layout, tuple(found_texts), tuple(remarks))


def _has_pair(texts: Sequence[str], pair: tuple[str, str]) -> bool:
    return any(re.search(rf"(?m)^\s*{re.escape(pair[0])}", text) and pair[1] in text for text in texts)


def _without_blocks(lines: Sequence[str], pair: Sequence[str]) -> list[str]:
    """The lines without comments of several words."""
    if not pair:
        return list(lines)
    text = "\n".join(lines)
    pattern = re.compile(f"{re.escape(pair[0])}.*?{re.escape(pair[1])}", re.DOTALL)
    return pattern.sub(" ", text).split("\n")


def without_texts(text: str) -> str:
    """A text with the lines of its free text left empty."""
    lines = text.split("\n")
    found = list(lines)
    at = 0
    while at < len(lines):
        form = _text_form(lines[at], lines[at + 1 : at + 61])
        at += 1
        end = next((n for n in range(at, len(lines)) if _ends_text(lines[n], form)), None) if form else None
        if end is not None:
            found[at : end + 1] = [""] * (end + 1 - at)
            at = end + 1
    return "\n".join(found)


def _without_texts(lines: Sequence[str]) -> tuple[list[str], list[TextForm]]:
    """The lines without free text, and what begins and ends it."""
    kept: list[str] = []
    found: list[TextForm] = []
    at = 0
    while at < len(lines):
        line = lines[at]
        kept.append(line)
        at += 1
        form = _text_form(line, lines[at : at + 60])
        if form is None:
            continue
        end = next((n for n in range(at, len(lines)) if _ends_text(lines[n], form)), None)
        if end is not None:
            found.append(form)
            at = end + 1
    return kept, found


def _text_form(line: str, after: Sequence[str]) -> TextForm | None:
    """What ends the free text that a line begins, if it does: a sign at its end that stands alone later, or a mirrored
    fence of signs."""
    words = line.split()
    fence = {"<<<": ">>>", "[[[": "]]]"}.get(line.strip())
    if fence is not None:
        return TextForm(line.strip(), fence, False)
    if len(words) < 2 or not _TEXT_WORDS.search(line):
        return None
    last = words[-1]
    single = len(last) == 1 and not last.isalnum() and last not in "{}()[];:,"
    if single and any(each.strip() == last or each.rstrip().endswith(last) for each in after):
        return TextForm(" ".join(words[:-1]), last, True)
    if last.isupper() and len(last) > 2 and any(each.strip() == last for each in after):
        return TextForm(" ".join(words[:-1]), last, False)
    return None


def _ends_text(line: str, form: TextForm) -> bool:
    return line.rstrip().endswith(form.ends) if form.by_sign else line.strip() == form.ends


def _continues(lines: Sequence[str]) -> str:
    """The sign of lines that go on with the one above: more values stand behind it, or the one above is not done."""
    found: Counter[str] = Counter()
    for above, line in pairwise(lines):
        match = re.match(r"\s*([&+>|^~])\s+(\S.*)", line)
        if match is None:
            continue
        values = all(re.search(r"\d", word) for word in match[2].split())
        if values or above.rstrip().endswith(","):
            found[match[1]] += 1
    sign, number = found.most_common(1)[0] if found else ("", 0)
    return sign if number and number == sum(line.strip().startswith(sign + " ") for line in lines) else ""


def _signs(lines: Sequence[str]) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """The signs that make a line dormant, and those that make it a comment.

    A sign is taken for dormancy where most of what follows it begins as other lines do.
    """
    starts: dict[str, list[str]] = {}
    firsts = Counter(line.split()[0] for line in lines)
    for line in lines:
        found = re.match(r"\s*(\([a-z]\)|(?:'(?=\s)|[^\w\s\[\]{}()\"'|<>=$.]{1,3})\w*)\s*(.*)", line)
        if (
            found
            and found[1].isprintable()
            and (not re.search(r"\w", found[1]) or found[1][1:].isalpha() or found[1][0] == "(")
        ):
            sign = re.match(r"[^\w\s]+", found[1])
            again = sum(each.lstrip().startswith(found[1] + " ") for each in lines) > 1
            word = found[1] if sign is None or again else sign.group()
            rest = line.strip().removeprefix(word).strip()
            starts.setdefault(word, []).append(rest)
    dormant, comments = [], []
    for word, rests in sorted(starts.items(), key=lambda each: -len(each[1]))[:4]:
        named = [rest for rest in rests if rest]
        alike = sum(firsts.get(rest.split()[0], 0) > 0 and _structured(rest) for rest in named)
        if named and alike * 2 >= len(named):
            dormant.append(word)
        elif word[-1:].isalnum() or not any(_prose(rest) or not rest for rest in rests):
            continue
        elif len(rests) > 1 or (named and len(rests) * 50 >= len(lines)):
            comments.append(word)
    return tuple(dormant), tuple(comments)


def _structured(text: str) -> bool:
    """Whether a text looks like a statement, and not like a sentence."""
    return len(text.split()) <= 6 and not text.endswith((".", "!", "?"))


def _prose(text: str) -> bool:
    return len(text.split()) > 1 or text.isalpha()


def _page_breaks(lines: Sequence[str]) -> tuple[str, ...]:
    found = Counter(re.sub(r"\d+", "*", line.strip()) for line in lines if _PAGE.match(line))
    return tuple(form for form, number in found.items() if number > 1)


def _form(body: Sequence[str], layout: Layout) -> Layout:
    """The form of blocks."""
    bare = [line.strip() for line in body]
    count = max(1, len(bare))
    unquoted = [_QUOTED.sub('""', line) for line in bare]
    opens = sum(line.endswith("{") or bool(_BRACES.search(line)) for line in unquoted)
    if opens > 1 and any("}" in line for line in unquoted):
        others = [line for line in bare if not line.endswith(("{", "}", "};"))]
        inside = sum(";" in line for line in bare)
        ends = ";" if sum(line.endswith(";") for line in others) * 2 > len(others) or inside * 3 > count else ""
        return layout._replace(form="braces", ends=ends, page_breaks=())
    headings = _headings(bare)
    if headings:
        return layout._replace(form="sections", headings=headings)
    if sum(line[0] in " \t" for line in body) * 20 >= count:
        closers = [
            word for word, number in Counter(line for line in bare if " " not in line).items() if number * 10 > count
        ]
        return layout._replace(form="indented", closers=tuple(closers[:2]))
    verbs = Counter(line.split()[0] for line in bare).most_common(3)
    if verbs and sum(number for _, number in verbs[:2]) * 20 >= count * 19 and verbs[0][1] > 3:
        take_back = verbs[1][0] if len(verbs) > 1 and not verbs[1][0].istitle() else ""
        return layout._replace(form="flat", say=verbs[0][0], take_back=take_back)
    return layout._replace(form="flat")


def _headings(lines: Sequence[str]) -> tuple[tuple[str, str], ...]:
    found: Counter[tuple[str, str]] = Counter()
    for line in lines:
        match = re.fullmatch(r"([\[(<*=+-]{1,4}) ?[\w][^\[\]()<>*=]*?([\])>*=+-]{1,4})", line)
        if match:
            found[match[1], match[2]] += 1
    return tuple(sorted((pair for pair, number in found.most_common(2) if number > 1), key=lambda each: len(each[0])))


def _more(body: Sequence[str], layout: Layout) -> Layout:
    """What a layout that is read line by line has besides."""
    if layout.form == "braces":
        return layout
    count = max(1, len(body))
    goes_on = sum(line.rstrip().endswith("\\") for line in body)
    layout = layout._replace(continued="\\" if goes_on > 0 else "")
    prints = Counter(found.groups() for line in body if (found := _PRINT.match(line)))
    if prints and sum(prints.values()) * 4 >= count:
        leader, ends = prints.most_common(1)[0][0]
        layout = layout._replace(leaders=leader, label_ends=ends)
    signs = Counter(found[1] or found[2] for line in body if (found := _SEPARATOR.search(line)))
    if signs and signs.most_common(1)[0][1] * 3 >= count and signs.most_common(1)[0][0] == "=":
        layout = layout._replace(signs="=")
    if not layout.take_back:
        layout = layout._replace(take_back=_take_back(body))
    tables = tuple(_tables(body, layout))
    return layout._replace(tables=tables)


def _take_back(body: Sequence[str]) -> str:
    """The word before others that begin lines too, as a word that takes back does."""
    firsts = Counter(line.split()[0] for line in body)
    for word, number in firsts.most_common(12):
        rests = [line.split()[1] for line in body if line.split()[0] == word and len(line.split()) > 1]
        alike = sum(firsts.get(rest, 0) > 0 and rest != word for rest in rests)
        if word.lower() in _TAKES_BACK and rests and alike * 2 >= number:
            return word
    return ""


def _tables(body: Sequence[str], layout: Layout) -> Iterator[TableForm]:
    """Tables below a heading: cells parted by a sign, as many in each line, or cells that stand below each other."""
    forms: dict[tuple[str, str], list[str]] = {}
    for at in range(1, len(body) - 1):
        before, line, below = body[at - 1 : at + 2]
        if "|" in line and below.count("|") == line.count("|") and "|" not in before and before.strip():
            rows = list(takewhile(lambda row: "|" in row, body[at:]))
            cells = [cell.strip() for row in rows for cell in row.split("|")]
            forms.setdefault((_heading_form(before.strip(), layout), "|"), []).extend(cells)
        elif layout.headings and _is_heading(before, layout) and len(_starts(line)) > 1:
            rows = list(takewhile(lambda row: not _is_heading(row, layout), body[at + 1 :]))
            if rows and all(_starts(row) <= _starts(line) for row in rows[:3]):
                cells = [cell for row in rows for cell in re.findall(r"\S+(?: \S+)*", row)]
                forms.setdefault((_heading_form(before.strip(), layout), ""), []).extend(cells)
    for (form, apart), cells in forms.items():
        if not form:
            continue
        ditto = next((sign for sign in ('"', "''", "do.", "=") if cells.count(sign) > 1), "")
        unsaid = tuple(sign for sign in ("-", "--", "n/a", "~", ".") if cells.count(sign) > 1)
        edges = bool(apart) and cells.count("") > len(cells) // 3
        yield TableForm(form, apart, "", ditto, ("", *unsaid), "", edges)


def _starts(line: str) -> set[int]:
    """Where the cells of a line begin, which two blanks part."""
    return {found.start() for found in re.finditer(r"\S+(?: \S+)*", line.expandtabs(8))}


def _is_heading(line: str, layout: Layout) -> bool:
    body = line.strip()
    return any(body.startswith(before) and body.endswith(after) and before for before, after in layout.headings)


def _heading_form(line: str, layout: Layout) -> str:
    """The form of the line that begins a table."""
    for before, after in layout.headings:
        if line.startswith(before) and line.endswith(after):
            return line[len(before) : len(line) - len(after)].strip()
    return line
