"""What a project file says."""

from collections.abc import Mapping
from typing import Any, NamedTuple

from overhang.device import Prefix
from overhang.profiles import BUILTIN, Profile


class Thresholds(NamedTuple):
    """The measures that rules compare with; the reasons for the defaults stand in docs/project.md.

    ``idle``: seconds after which a silent login should have ended. ``rsa_bits``: the smallest RSA or DSA host key.
    """

    idle: int = 600
    rsa_bits: int = 2048


class Person(NamedTuple):
    """Somebody who uses the devices: ``knows`` holds items of knowledge, ``sits`` names of networks or ports."""

    name: str
    knows: tuple[str, ...] = ()
    account: str | None = None
    sits: tuple[str, ...] = ()


class Claim(NamedTuple):
    """Something that should be so. ``who`` are people, or empty for anybody, whatever they know.

    ``reaches``: the level that they must reach; ``below``: the level that they must stay under (0: not get in at all);
    one of the two may be None. ``sources`` are prefixes (None: where the person sits; for anybody, anywhere), and
    ``anywhere`` stands for all addresses. ``servers`` are those that are down, or "up", "down" (all) or "any".
    ``names``, ``kinds`` and ``sites`` choose devices by patterns; an empty one chooses all.
    """

    say: str
    who: tuple[str, ...]
    via: tuple[str, ...]
    reaches: int | None
    below: int | None
    sources: tuple[Prefix, ...] | None
    anywhere: bool
    servers: str | frozenset[str]
    names: tuple[str, ...]
    kinds: tuple[str, ...]
    sites: tuple[str, ...]


class Project(NamedTuple):
    """A project file, or the defaults where there is none (``file`` is "" then).

    ``servers`` is what AAA servers hold, {group: {account: {"level": N or absent}}}, or None where that is not told.
    """

    file: str = ""
    thresholds: Thresholds = Thresholds()
    networks: Mapping[str, tuple[Prefix, ...]] = {}
    people: Mapping[str, Person] = {}
    servers: Mapping[str, Mapping[str, Mapping[str, Any]]] | None = None
    profiles: Mapping[str, Profile] = BUILTIN
    claims: tuple[Claim, ...] = ()
