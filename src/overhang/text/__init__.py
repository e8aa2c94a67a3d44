"""Positions in text and remarks on them: the bottom layer, which imports nothing of this package."""

from overhang.errors import OverhangError
from overhang.text.diagnostics import Diagnostic, Level
from overhang.text.errors import UnreadableInput
from overhang.text.position import Origin, Span
from overhang.text.quoting import STRUCK, Shown, SourceLines, Vouched
from overhang.text.suggest import did_you_mean

__all__ = [
    "STRUCK",
    "Diagnostic",
    "Level",
    "Origin",
    "OverhangError",
    "Shown",
    "SourceLines",
    "Span",
    "UnreadableInput",
    "Vouched",
    "did_you_mean",
]
