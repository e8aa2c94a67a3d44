"""The one class that every error of Overhang is of."""


class OverhangError(Exception):
    """Something that the caller can fix; the message is one line that says what, where, and what to do."""


class UnreadableInput(OverhangError):
    """A file, or its content, that cannot be read at all; the message says why and where, and never quotes a value."""
