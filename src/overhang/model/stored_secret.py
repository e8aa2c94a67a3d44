"""A password as a device stores it."""

import enum
from typing import NamedTuple


class Form(enum.Enum):
    """How a password is kept; the value is the word that the sheet uses for it."""

    READABLE = "readable"
    MASKED = "masked"
    MASKED_ELSEWHERE = "masked-elsewhere"
    HASHED = "hashed"
    OPAQUE = "opaque"
    WITHHELD = "withheld"
    FACTORY = "factory"
    UNOPENABLE = "unopenable"
    NONE = "none"


FORMS_WITH_TEXT = (Form.READABLE, Form.MASKED, Form.MASKED_ELSEWHERE, Form.HASHED, Form.OPAQUE)


class StoredSecret(NamedTuple):
    """A password in one of the forms. ``text`` is what stands in the sheet ("" for forms without text).

    The text never shows in ``repr`` or ``str``, so that neither a log nor an exception can carry it.
    """

    form: Form
    text: str = ""

    def __repr__(self) -> str:
        return f"Stored({self.form.value})"

    def __str__(self) -> str:
        return repr(self)

    @property
    def one_way(self) -> bool:
        """Whether the text cannot be turned back: hashed (RFC 7317's ``$0$`` is not), opaque or withheld."""
        if self.form is Form.HASHED:
            return not self.text.startswith("$0$")
        return self.form in (Form.OPAQUE, Form.WITHHELD)

    @property
    def readable(self) -> bool:
        """Whether the password stands there as it is typed."""
        return self.form is Form.READABLE or (self.form is Form.HASHED and self.text.startswith("$0$"))

    @property
    def masked(self) -> bool:
        """Whether the password is hidden but reversible, by our scheme or another."""
        return self.form in (Form.MASKED, Form.MASKED_ELSEWHERE)
