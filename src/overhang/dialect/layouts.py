"""Lays a text out by the layout of a dialect."""

from overhang.dialect.brace_text import BraceText
from overhang.dialect.line_text import LineText
from overhang.dialect.model import Layout
from overhang.dialect.tokenizer import Text


def laid_out(layout: Layout, text: str) -> Text:
    """A text laid out by a layout."""
    return BraceText(layout, text) if layout.form == "braces" else LineText(layout, text)
