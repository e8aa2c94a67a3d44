"""The marks of a layout: comments, quotes, signs, and what leads from a label to its value."""

import re

from overhang.dialect.model import Layout


def label_pattern(layout: Layout) -> re.Pattern[str] | None:
    """What a line ``Label ......: value`` fits, where the layout has such lines: its label, and its value."""
    leader, ends = re.escape(layout.leaders), re.escape(layout.label_ends)
    if not leader and not ends:
        return None
    leading = f"(?:{leader}){{2,}}" if leader else "(?!)"
    if not ends:
        return re.compile(rf"(\s*\S.*?)\s*{leading}\s*(.*)")
    return re.compile(rf"(\s*\S.*?)\s*(?:{leading}\s*)?{ends}(?:\s+|$)(.*)")


def without_leader(line: str, pattern: re.Pattern[str], ends: str) -> str:
    """A line with its label, what ends the label as a word of its own, and its value."""
    found = pattern.fullmatch(line)
    return line if found is None else " ".join(filter(None, (found[1], ends, found[2])))


def comment_pattern(layout: Layout) -> re.Pattern[str]:
    """Where in a line a block comment begins, the group "begin", and what may hold its sign: quotes, comments."""
    parts = [f"(?P<begin>{re.escape(layout.block_comments[0])})"]
    if layout.comments:
        parts.append(f"^[^\\S\n]*(?:{any_of(layout.comments)}).*")
    if layout.trailing_comments:
        parts.append(f"(?:(?<=\\s)|^)(?:{any_of(layout.trailing_comments)}).*")
    if layout.quotes:
        parts.append(quoted(layout.quotes, several_lines=False))
    return re.compile("|".join(parts))


def splitter(layout: Layout) -> re.Pattern[str]:
    """The words of a line: a comment that ends it, quoted words, signs, others."""
    parts = []
    if layout.trailing_comments:
        parts.append(f"(?P<comment>(?<!\\S)(?:{any_of(layout.trailing_comments)}).*)")
    if layout.quotes:
        parts.append(f"(?P<quoted>{quoted(layout.quotes)})")
    signs = (
        layout.signs + layout.between + (layout.open + layout.close + layout.ends if layout.form == "braces" else "")
    )
    if signs:
        parts.append(f"(?P<sign>[{re.escape(signs)}])")
    parts.append(f"(?P<word>[^\\s{re.escape(signs)}]+)")
    return re.compile("|".join(parts))


def braces_pattern(layout: Layout, *, comments: bool = True) -> re.Pattern[str]:
    """The words, signs and comments of a text in braces; ``comments``: block comments too, by what begins them."""
    parts = ["(?P<newline>\n)"]
    if layout.comments:
        parts.append(f"(?P<comment>^[^\\S\n]*(?:{any_of(layout.comments)}).*)")
        parts.insert(0, parts.pop())
    if layout.trailing_comments:
        parts.insert(0, f"(?P<remark>(?:(?<=\\s)|^)(?:{any_of(layout.trailing_comments)}).*)")
    begins = layout.block_comments[0] if layout.block_comments and comments else ""
    if begins:
        parts.insert(0, f"(?P<begin>{re.escape(begins)})")
    if layout.quotes:
        parts.append(f"(?P<quoted>{quoted(layout.quotes)})")
    parts += [f"(?P<open>{re.escape(layout.open)})", f"(?P<close>{re.escape(layout.close)})"]
    if layout.ends:
        parts.append(f"(?P<ends>{re.escape(layout.ends)})")
    if layout.signs:
        parts.append(f"(?P<sign>[{re.escape(layout.signs)}])")
    sign = f"[^\\s{re.escape(layout.open + layout.close + layout.ends + layout.signs)}]"
    parts.append(f"(?P<word>(?:(?!{re.escape(begins)}){sign})+)" if begins else f"(?P<word>{sign}+)")
    return re.compile("|".join(parts), re.MULTILINE)


def any_of(words: tuple[str, ...]) -> str:
    """One of several words, as a pattern."""
    return "|".join(map(re.escape, words))


def quoted(quotes: str, *, several_lines: bool = True) -> str:
    """What is in quotes, ``\\`` taking the meaning of the sign after it; on one line only where that is said."""
    ends = "" if several_lines else "\\n"
    signs = [re.escape(sign) for sign in quotes]
    return "|".join(rf"{sign}[^{sign}\\{ends}]*(?:\\.[^{sign}\\{ends}]*)*{sign}" for sign in signs)


def unquoted(text: str) -> str:
    """A word without its quotes."""
    inner = text[1:-1]
    return re.sub(r"\\(.)", r"\1", inner, flags=re.DOTALL) if "\\" in inner else inner
