"""The one class that every error of Overhang is of: in a module that imports nothing, since every start needs it."""


class OverhangError(Exception):
    """Something that the caller can fix; the message is one line that says what, where, and what to do."""
