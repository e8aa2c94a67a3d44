"""Where the secrets of a device stand in its file: kept in place of them, so that they can be read again from there."""

from typing import NamedTuple

from overhang.exposure.secrets import Holdings
from overhang.model.stored_secret import Form, StoredSecret

#: The number of a secret's form, and where in the bytes of the file its text begins and how long it is; None for no
#: secret.
Place = tuple[int, int, int] | None
_FORMS = tuple(Form)


class Whereabouts(NamedTuple):
    """Where each secret of a device's holdings stands: those stored for its items, and those that are shared."""

    stored: tuple[tuple[Place, ...], ...]
    shared: tuple[tuple[str, Place], ...]

    @classmethod
    def of(cls, held: Holdings, data: bytes) -> "Whereabouts | None":
        """Those in the bytes of a file; None where a secret does not stand there as it is."""
        try:
            return cls(
                tuple(tuple(_place(each, data) for each in several) for several in held.stored),
                tuple((name, _place(each, data)) for name, each in held.shared),
            )
        except ValueError:
            return None

    def again(self, held: Holdings, data: bytes) -> Holdings:
        """The holdings with their secrets, from the bytes of the same file."""
        return held._replace(
            stored=[[_read(each, data) for each in several] for several in self.stored],
            shared=tuple((name, found) for name, each in self.shared if (found := _read(each, data)) is not None),
        )


def _place(secret: StoredSecret | None, data: bytes) -> Place:
    """Raises ValueError where the secret is not in the file as it is."""
    if secret is None:
        return None
    text = secret.text.encode("utf-8", "surrogatepass")
    return _FORMS.index(secret.form), data.index(text), len(text)


def _read(place: Place, data: bytes) -> StoredSecret | None:
    if place is None:
        return None
    form, begin, size = place
    return StoredSecret(_FORMS[form], data[begin : begin + size].decode("utf-8", "surrogatepass"))
