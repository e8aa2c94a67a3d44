"""Errors of what is read."""

from overhang.errors import OverhangError


class UnreadableInput(OverhangError):
    """A file, or its content, that cannot be read at all; the message says why and where, and never quotes a value."""
