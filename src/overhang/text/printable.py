"""Text that is safe to print.

Names, values and messages may hold anything: what steers a terminal, turns the direction of writing round, or hides.
Whatever the program prints is of the type ``Printable``, and only what makes text safe for where it goes makes one: the
functions here for a terminal, and the writers of JSON, CSV, XML, HTML and Markdown for theirs.
"""

import unicodedata
from typing import NewType

#: Text that has been made safe for where it is printed.
Printable = NewType("Printable", str)

_HIDDEN = ("Cc", "Cf", "Cs", "Co", "Cn", "Zl", "Zp")


def safe(text: str) -> Printable:
    """One line with everything that could steer a terminal made visible."""
    if text.isascii() and text.isprintable():
        return Printable(text)
    return Printable("".join(map(_visible, text)))


def safe_lines(text: str) -> Printable:
    """Several lines with everything that could steer a terminal made visible."""
    return Printable("\n".join(map(safe, text.split("\n"))))


def data(text: str) -> Printable:
    """Data for a file or a pipe, which get it as it is; on a terminal it would not be safe."""
    return Printable(text)


def _visible(character: str) -> str:
    if unicodedata.category(character) in _HIDDEN:
        code = ord(character)
        return f"\\x{code:02x}" if code < 256 else f"\\u{code:04x}"
    return character
