"""What a project file says."""

import datetime
from collections.abc import Mapping
from typing import Any, NamedTuple

from overhang.model import Prefix
from overhang.profiles import BUILTIN, Profile
from overhang.project.thresholds import Thresholds


class Person(NamedTuple):
    """A person who uses the devices: ``knows`` holds items of knowledge, ``sits`` names of networks or ports."""

    name: str
    knows: tuple[str, ...] = ()
    account: str | None = None
    sits: tuple[str, ...] = ()


class Expectation(NamedTuple):
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
    #: the moments of a week that it speaks of; None for all
    at: tuple[datetime.datetime, ...] | None = None


class Waiver(NamedTuple):
    """Findings that are accepted: a rule on some devices, why, and through which day.

    ``line`` is where it stands in the project file, 0 where that is not known.
    """

    rule: str
    devices: tuple[str, ...]
    reason: str
    until: datetime.date
    line: int = 0


class Project(NamedTuple):
    """A project file, or the defaults where there is none (``file`` is "" then).

    ``servers`` is what AAA servers hold, {group: {account: {"level": N or absent}}}, or None where that is not told.
    ``management`` names the networks that devices are managed from; ``locked_away`` are patterns of the names and sites
    of devices whose ports only trusted people reach. ``dialects`` tells which dialect (a name, or a file below the
    project file's folder) reads the files whose names a pattern fits.
    ``profile`` is for devices whose text names none.
    """

    file: str = ""
    thresholds: Thresholds = Thresholds()
    networks: Mapping[str, tuple[Prefix, ...]] = {}
    people: Mapping[str, Person] = {}
    servers: Mapping[str, Mapping[str, Mapping[str, Any]]] | None = None
    profiles: Mapping[str, Profile] = BUILTIN
    expectations: tuple[Expectation, ...] = ()
    management: tuple[str, ...] = ()
    locked_away: tuple[str, ...] = ()
    waivers: tuple[Waiver, ...] = ()
    dialects: Mapping[str, str] = {}
    profile: str | None = None
    #: pairs of networks between which no connection passes
    apart: tuple[tuple[str, str], ...] = ()
    #: for devices that stand in, the address of this machine that stands for each of some sources
    here: Mapping[str, str] = {}
