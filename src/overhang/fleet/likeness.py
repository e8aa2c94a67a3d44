"""A structure is analysed once: of devices that are alike, the rules run on one, and the others are told by it.

The one is run with names that can be found again wherever they appear (two letters of a script that no name is written
in stand behind each, which changes neither its order nor its kind), with lines far beyond any file, and with its own
addresses and secrets. Of what comes of it, a likeness is made: every name, line and address in it is a place to fill
in. Where something is in it that cannot be told so, devices of that structure are audited one by one. What hangs on
more than the structure (how wide a set of addresses is, what trying a hash comes to) is asked again of each.
"""

import contextlib
import datetime
from collections.abc import Callable, Mapping, Sequence
from typing import Any, NamedTuple

from overhang.auditing.context import RuleContext
from overhang.auditing.fleet import compared_secrets
from overhang.auditing.runner import Judged, judged, loose_doubt
from overhang.auditing.severity import outside_of
from overhang.exposure import AccessPath, AccessPaths, resolve
from overhang.exposure.address_classes import AddressClasses
from overhang.exposure.phrases import from_phrase
from overhang.exposure.secrets import Holdings
from overhang.fleet.examine import Subject, depends_on
from overhang.fleet.filling import FILE, SOURCES, Fill, Filling, Planner, marked
from overhang.fleet.skeleton import Mould, Skeletons
from overhang.fleet.structure import (
    FIRST_LINE,
    MARKED,
    Structure,
    Surroundings,
    Unlike,
    framed,
    places_of,
    structure_of,
)
from overhang.language import ParsedConfig
from overhang.language.parsed_config import Outline, OutlinedText, SourceText
from overhang.model import Address, Prefix, StoredSecret
from overhang.model.hash_budget import HashBudget
from overhang.model.stored_secret import Form
from overhang.model.verification import plain_text
from overhang.model.vocabulary import PORTS
from overhang.project import Project
from overhang.simulation.source_lists import Piece
from overhang.spread.world import NetworkPart
from overhang.text import Origin

#: So many structures are known again when they are met, and so many are analysed: each takes memory.
_MOST_MET, _MOST_ANALYSED = 100_000, 1_000


class Likeness(NamedTuple):
    """What devices of one structure have in common: what is said of them, and what is to be asked of each again.

    ``compared`` are the places of the secrets that are compared with those of other devices; ``depends`` is as an
    ``Examined`` has it.
    """

    judged: Fill
    part: Fill
    compared: tuple[int, ...]
    depends: str
    pieces: Sequence[tuple[int, Callable[[Filling], int], Callable[[Filling], int], int]]
    wide: Mapping[int, bool]
    outside: Mapping[int, bool]
    lengths: Sequence[tuple[Fill, tuple[int, ...]]]
    tries: Sequence[tuple[bool, int, Fill | str, bool | None]]


class Part(NamedTuple):
    """What of a device's part of its network is alike. ``stored`` and ``shared`` hold secrets by their place in the
    structure, or themselves where they have no text; ``own`` the device's addresses by the place of their prefix."""

    names: tuple[tuple[str, ...], ...]
    stored: tuple[tuple[int | Form | None, ...], ...]
    keys: tuple[tuple[str, object], ...]
    servers: tuple[tuple[str, object], ...]
    shared: tuple[tuple[str, int | Form | None], ...]
    own: tuple[int, ...]
    paths: tuple[tuple[int, AccessPath, bool], ...]
    unsure: int
    complete: bool


# -- making one --------------------------------------------------------------------------------------------------------


class _Marking:
    """Puts marks in place of a device's names, lines and file."""

    def __init__(self, structure: Structure, file: str, mark: str) -> None:
        self._names = dict(zip(structure.names, marked(structure), strict=True))
        self._lines = {line: FIRST_LINE + place for place, line in enumerate(structure.lines)}
        self._file, self._mark = file, mark

    def of(self, value: Any) -> Any:
        """A value with marks."""
        if isinstance(value, str):
            return self._mark if value == self._file else self._names.get(value, value)
        if isinstance(value, Origin):
            return Origin(self._mark, self._lines[value.line]) if value.file == self._file else value
        if isinstance(value, (StoredSecret, Prefix)):
            return value
        if isinstance(value, tuple):
            return tuple.__new__(type(value), [self.of(each) for each in value])
        if isinstance(value, Mapping):
            return {self.of(key): self.of(each) for key, each in value.items()}
        return value


class _Recording(HashBudget):
    """A budget that is asked about marked names, asks another about the names themselves, and remembers what."""

    def __init__(self, inner: HashBudget, structure: Structure) -> None:
        super().__init__(inner.units, asked=inner.asked)
        self.inner = inner
        self.tries: list[tuple[bool, int, tuple[str, int] | str, bool | None]] = []
        self._secrets = {each.text: place for place, each in reversed([*enumerate(structure.secrets)])}
        self._names = {each.casefold(): place for place, each in enumerate(marked(structure))}
        self._real = structure.names
        self._plains = {plain: place for place, each in enumerate(structure.secrets) if (plain := plain_text(each))}

    def affords(self, stored: StoredSecret) -> bool:
        answer = self.inner.affords(stored)
        if stored.text in self._secrets:
            self.tries.append((False, self._secrets[stored.text], "", answer))
        return answer

    def opens(self, stored: StoredSecret, typed: str) -> bool | None:
        what: tuple[str, int] | str = typed
        if stored.text not in self._secrets:
            raise Unlike("a secret that is none of the device's")
        if typed in self._names:
            what = ("name", self._names[typed])
            typed = self._real[what[1]].casefold()
        elif typed in self._plains:
            what = ("plain", self._plains[typed])
        elif MARKED.search(typed):
            raise Unlike("part of a name is tried")
        answer = self.inner.opens(stored, typed)
        self.tries.append((True, self._secrets[stored.text], what, answer))
        return answer

    def tried(self, stored: StoredSecret | None, plains: Sequence[tuple[str, str]]) -> int:
        return self.inner.tried(stored, plains)

    def opener(self, stored: StoredSecret | None) -> str | None:
        return self.inner.opener(stored)


def likeness_of(
    config: ParsedConfig,
    structure: Structure,
    around: Surroundings,
    moment: datetime.datetime,
    hashes: HashBudget,
) -> Likeness:
    """What devices of a structure have in common, made of one of them. Raises Unlike."""
    project = around.project
    device = config.device
    # a device without a name is called as its file
    mark = FILE if device.facts.name is not None else marked(structure)[structure.names.index(device.name)] + ".sheet"
    analysed = _Marking(structure, device.file, mark).of(device)
    for name, each in zip(structure.names, marked(structure), strict=True):
        if around.matches(name) != around.matches(each):
            raise Unlike("a pattern that tells a marked name apart")
    recording = _Recording(hashes, structure)
    resolved = resolve(config._replace(device=analysed), project, recording)
    context = RuleContext(resolved, project, moment)
    doubt = loose_doubt(config)
    found = judged(context, config._replace(device=analysed), doubt, lambda path: _sources(context.exposure, path))
    part = NetworkPart.of((config._replace(device=analysed), project, resolved, context.exposure))
    if any(MARKED.search(" ".join((word, *map(str, known)))) for word, known in context.likened):
        raise Unlike("a name that looks like another")
    classes = context.exposure.address_classes
    planner = Planner(structure, mark, around.prefixes, classes.asked_lengths)
    places = {each: place for place, each in enumerate(structure.secrets)}
    prefixes = {each: place for place, each in enumerate(structure.prefixes)}
    common = Part(
        tuple(map(tuple, part.locks.names)),
        tuple(tuple(_place(each, places) for each in several) for several in part.locks.stored),
        tuple(part.locks.keys.items()),
        tuple(part.locks.servers.items()),
        tuple((name, _place(each, places)) for name, each in part.locks.shared),
        tuple(prefixes[own.prefix] for own in resolved.addresses if own.prefix is not None),
        part.paths,
        part.unsure,
        part.complete,
    )
    tries = [
        (opening, secret, _filled(what) if isinstance(what, tuple) else what, answer)
        for opening, secret, what, answer in recording.tries
    ]
    lengths = [(planner.range(key), found) for key, found in classes.asked_lengths.items()]
    return Likeness(
        planner.plan(found),
        planner.plan(common),
        places_of(compared_secrets(device), structure.secrets),
        depends_on(device, project, hours=bool(resolved.hours)),
        [planner.piece(each) for each in classes.pieces],
        dict(classes.asked_wide),
        dict(context.asked_outside),
        lengths,
        tries,
    )


def _sources(exposure: AccessPaths, path: AccessPath) -> tuple[str, ...]:
    """A place to fill in for where a path can be taken from; a port is one everywhere."""
    if path.sources is None or path.via in PORTS:
        return tuple(from_phrase(exposure, path))
    return (f"{SOURCES[0]}{path.sources:x}{SOURCES[1]}",)


def _place(stored: StoredSecret | None, places: Mapping[StoredSecret, int]) -> int | Form | None:
    """A secret by its place; one that stands for a password that is not known has none."""
    if stored is None or stored in places:
        return None if stored is None else places[stored]
    if stored.text:
        raise Unlike("a secret that is none of the device's")
    return stored.form


def _secret(place: int | Form | None, secrets: Sequence[StoredSecret]) -> StoredSecret | None:
    if isinstance(place, Form):
        return StoredSecret(place)
    return None if place is None else secrets[place]


def _filled(what: tuple[str, int]) -> Fill:
    kind, place = what
    if kind == "name":
        return lambda filling: filling.names[place].casefold()
    return lambda filling: plain_text(filling.secrets[place])


# -- using one ---------------------------------------------------------------------------------------------------------


class Told(NamedTuple):
    """What there is to say of a device that was told by another: its text, what was judged, the secrets that are
    compared with those of other devices, and its part of the network; ``depends`` is as an ``Examined`` has it."""

    text: SourceText
    judged: Judged
    secrets: Sequence[StoredSecret]
    part: NetworkPart
    depends: str


def told_by(
    likeness: Likeness,
    text: SourceText,
    file: str,
    structure: Structure,
    around: Surroundings,
    hashes: HashBudget,
    *,
    asked: bool = False,
) -> Told | None:
    """What there is to say of a device of the structure; None where something that was asked of the first is answered
    otherwise for it. ``asked``: it is the first, of which everything was asked."""
    secrets = structure.secrets
    filling = Filling(structure, file)
    filling.classes = classes = AddressClasses(
        [Piece(family, low(filling), high(filling), signature) for family, low, high, signature in likeness.pieces]
    )
    if not (asked or _answered(likeness, filling, around, hashes)):
        return None
    common: Part = likeness.part(filling)
    locks = Holdings(
        [list(each) for each in common.names],
        [[_secret(each, secrets) for each in several] for several in common.stored],
        dict(common.keys),
        dict(common.servers),
        tuple((name, found) for name, each in common.shared if (found := _secret(each, secrets)) is not None),
    )
    known = [structure.prefixes[place] for place in common.own]
    said: Judged = likeness.judged(filling)
    part = NetworkPart(
        said.device,
        file,
        around.project.file,
        locks,
        common.paths,
        classes,
        tuple(Address(prefix.family, prefix.host) for prefix in known),
        tuple((prefix.family, prefix.low, prefix.high) for prefix in known),
        common.unsure,
        common.complete,
        hashes,
    )
    return Told(text, said, [secrets[place] for place in likeness.compared], part, likeness.depends)


def _answered(likeness: Likeness, filling: Filling, around: Surroundings, hashes: HashBudget) -> bool:
    """Whether what hangs on more than the structure comes to the same for a device."""
    classes = filling.classes
    if any(classes.wide(chosen) != found for chosen, found in likeness.wide.items()):
        return False
    if likeness.outside:
        outside = outside_of(around.management, classes)
        if any(outside(chosen) != found for chosen, found in likeness.outside.items()):
            return False
    for part, lengths in likeness.lengths:
        where = part(filling)
        classes.prefixes_of(*where)
        if classes.asked_lengths[where] != lengths:
            return False
    for opening, place, what, answer in likeness.tries:
        stored = filling.secrets[place]
        typed = what if isinstance(what, str) else what(filling)
        if (hashes.opens(stored, typed) if opening else hashes.affords(stored)) != answer:
            return False
    return True


class Likenesses:
    """The structures that a run has met: each is analysed when it is met for the second time, or at once where that is
    to be expected."""

    def __init__(self, moment: datetime.datetime) -> None:
        self._moment = moment
        #: by the identity of a project, which stands beside, so that it stays the only one of that identity
        self._around: dict[int, tuple[Project, Surroundings]] = {}
        self._met: dict[bytes, Likeness | bool] = {}
        self._analysed = 0
        self._skeletons = Skeletons()
        self._moulds: dict[tuple[str, bytes], Mould] = {}
        #: how many devices were told by another
        self.told = 0

    def tell(self, subject: Subject, hashes: HashBudget, *, at_once: bool = False) -> Told | None:
        """What there is to say of a device; None where it has to be audited by itself, with a budget of its own.
        ``at_once``: more of its structure are to be expected."""
        around = self._surroundings(subject.project)
        try:
            structure, text = self._structure(subject, around)
        except Unlike:
            return None
        likeness = self._met.get(structure.key)
        if likeness is None:
            if len(self._met) >= _MOST_MET:
                return None
            likeness = self._met[structure.key] = True
            if not at_once:
                return None
        asked = likeness is True
        if likeness is True:
            likeness = self._met[structure.key] = self._analyse(subject, structure, around, hashes)
        if not isinstance(likeness, Likeness):
            return None
        told = told_by(likeness, text, subject.file, structure, around, hashes, asked=asked)
        if told is not None:
            self.told += 1
        return told

    def _surroundings(self, project: Project) -> Surroundings:
        """Those of a project, the same for all that are equal."""
        known = self._around.get(id(project))
        if known is None:
            equal = next((around for other, around in self._around.values() if other == project), None)
            known = self._around[id(project)] = project, equal or Surroundings(project, len(self._around))
        return known[1]

    def _analyse(
        self, subject: Subject, structure: Structure, around: Surroundings, hashes: HashBudget
    ) -> Likeness | bool:
        """The likeness of devices of a structure; False where there is none."""
        self._analysed += 1
        if self._analysed > _MOST_ANALYSED:
            return False
        try:
            return likeness_of(subject.config, structure, around, self._moment, hashes)
        except Unlike:
            return False

    def _structure(self, subject: Subject, around: Surroundings) -> tuple[Structure, SourceText]:
        """The structure of a device, and its text: told by its statements, or of the whole device. Raises Unlike."""
        outline = subject.outline
        if outline is None:
            more = _beside(subject.config, around)
            return structure_of(subject.config.device, around, more), subject.config
        more = _beside_sheet(outline, around)
        try:
            skeleton = self._skeletons.of(outline, around)
        except Unlike:
            return structure_of(subject.config.device, around, _beside(subject.config, around)), subject.config
        key = (repr(more), skeleton.key)
        mould = self._moulds.get(key)
        if mould is not None:
            structure = mould.structure(skeleton, outline.file, around, more)
            return structure, OutlinedText(outline, outline.diagnostics(mould.remarked(skeleton)))
        config = subject.config
        frame, structure = framed(config.device, around, more)
        if len(self._moulds) < _MOST_ANALYSED * 4:
            with contextlib.suppress(Unlike):
                self._moulds[key] = Mould.of(skeleton, config.device, frame, structure, subject.remarks)
        return structure, config


def _beside(config: ParsedConfig, around: Surroundings) -> tuple[object, ...]:
    """What an audit depends on beside the device."""
    profiles = [(name, each.values) for name, each in config.profiles.items()]
    assumed = config.assumed and (config.assumed.name, config.assumed.values)
    doubt = loose_doubt(config) if config.unread or config.device.facts.block.declared else False
    return around.number, config.fully_understood, config.incomplete, len(config.unread), doubt, profiles, assumed


def _beside_sheet(outline: Outline, around: Surroundings) -> tuple[object, ...]:
    """The same for a plain sheet."""
    return around.number, True, False, 0, False, [(name, each.values) for name, each in outline.profiles.items()], None
