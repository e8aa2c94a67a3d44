"""What every block of the model has, and shapes that several share."""

from typing import NamedTuple

from overhang.model.values import Another, Configured
from overhang.text import Origin

Ways = tuple[str, ...]
Names = tuple[str, ...]
Others = tuple[Configured[Another], ...]


class BlockInfo(NamedTuple):
    """Where a block begins, and the first statement in it that could not be read, if there is one.

    ``doubt`` puts in doubt what the block does not set; in a list whose lines are in order, what comes after the first
    ``after`` of them. It is ``declared`` where a statement says that there may be more.
    ``origin`` is None for a block that the configuration does not have.
    """

    origin: Origin | None = None
    doubt: Origin | None = None
    after: int = 0
    declared: bool = False


class Family(NamedTuple):
    """The source lists asked about IPv4 and about IPv6 sources; None where that family passes unasked."""

    ipv4: Configured[str] | None = None
    ipv6: Configured[str] | None = None


NO_BLOCK = BlockInfo()
ANY_SOURCE = Family()
