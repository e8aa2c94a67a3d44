"""The exit codes of the program, and the errors that carry one."""

from overhang.errors import OverhangError

CLEAN, FOUND, FAILED, NOT_UNDERSTOOD, INTERNAL, UNWRITTEN, INTERRUPTED = 0, 1, 2, 3, 70, 74, 130

EXITS = (
    "exit codes: 0 clean; 1 findings, or an expectation that does not hold; 2 wrong usage or unreadable input; "
    "3 not fully understood, under --strict; 70 internal error; 74 output not written"
)


class UserError(OverhangError):
    """Wrong usage: one line that says what, where, and what to do. Exit 2."""


class OutputError(OverhangError):
    """Output that could not be written, to a file or to standard output. Exit 74."""
