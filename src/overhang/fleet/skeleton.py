"""The structure of a device told by its statements, before the device is built.

Statements that differ only in names, addresses, secrets and lines, and in which of these the same are equal, build
devices that differ only in these. So of devices with one skeleton, one is built and gone through (``structure.py``):
where each thing that stands in its places comes from among the statements is then known of the others too.
"""

from collections.abc import Iterator, Mapping, Sequence
from typing import NamedTuple

from overhang.fleet.structure import (
    Frame,
    Structure,
    Surroundings,
    Unlike,
    Walk,
    assembled,
    key_of,
    own_names,
    places_of,
)
from overhang.language.ir import PlacedStatement, Remark, Statement
from overhang.language.parsed_config import Outline
from overhang.model import Device, Prefix, StoredSecret

_MOST_KEPT = 20_000


class Shape(NamedTuple):
    """What a statement is made of: the same ``key`` for all that differ only in words, addresses and secrets."""

    key: bytes
    words: tuple[str, ...]
    prefixes: tuple[Prefix, ...]
    secrets: tuple[StoredSecret, ...]


class Skeleton(NamedTuple):
    """A device's statements as a key, and what stands in their places; ``called`` are the device's name and those of
    its accounts."""

    key: bytes
    names: tuple[str, ...]
    lines: tuple[int, ...]
    prefixes: tuple[Prefix, ...]
    secrets: tuple[StoredSecret, ...]
    called: tuple[str, ...]


class Mould(NamedTuple):
    """What is known of a device by its skeleton: its frame, and where what stands in its places comes from.

    ``remarks`` are what is odd about its lines, which the skeleton knows by their places.
    """

    frame: Frame
    lines: tuple[int, ...]
    prefixes: tuple[int, ...]
    secrets: tuple[int, ...]
    remarks: tuple[tuple[int, str, int | None, int | None], ...]

    @classmethod
    def of(
        cls,
        skeleton: Skeleton,
        device: Device,
        frame: Frame,
        structure: Structure,
        remarks: Sequence[Remark],
    ) -> "Mould":
        """That of a device that was built of a skeleton. Raises Unlike where not all of it comes from there."""
        if structure.names != skeleton.names or (device.name, *device.users) != skeleton.called:
            raise Unlike("names that its statements do not tell")
        try:
            return cls(
                frame,
                places_of(structure.lines, skeleton.lines),
                places_of(structure.prefixes, skeleton.prefixes),
                places_of(structure.secrets, skeleton.secrets),
                tuple(_placed(each, skeleton) for each in remarks),
            )
        except (KeyError, ValueError):
            raise Unlike("something that its statements do not tell") from None

    def structure(self, skeleton: Skeleton, file: str, around: Surroundings, more: tuple[object, ...]) -> Structure:
        """The structure of another device of the same skeleton. Raises Unlike."""
        if own_names(skeleton.names, {*self.frame.words, *skeleton.names}, around) != skeleton.names:
            raise Unlike("names that may be meant otherwise")
        parts = (
            skeleton.names,
            tuple([skeleton.lines[place] for place in self.lines]),
            tuple([skeleton.prefixes[place] for place in self.prefixes]),
            tuple([skeleton.secrets[place] for place in self.secrets]),
        )
        return assembled(self.frame, parts, file, skeleton.called, around, more)

    def remarked(self, skeleton: Skeleton) -> Iterator[Remark]:
        """What is odd about the lines of such a device."""
        for line, message, other, prefix in self.remarks:
            about = None if other is None else skeleton.lines[other]
            yield Remark(skeleton.lines[line], message, about if prefix is None else skeleton.prefixes[prefix])


def _placed(remark: Remark, skeleton: Skeleton) -> tuple[int, str, int | None, int | None]:
    line, message, about = remark
    prefix = skeleton.prefixes.index(about) if isinstance(about, Prefix) else None
    other = skeleton.lines.index(about) if isinstance(about, int) else None
    return skeleton.lines.index(line), message, other, prefix


class Skeletons:
    """Tells skeletons of a run: what a statement is made of is worked out once for all texts that it stands in."""

    def __init__(self) -> None:
        self._shapes: dict[int, tuple[Statement, Shape]] = {}  # by identity, which the first of each pair keeps

    def of(self, outline: Outline, around: Surroundings) -> Skeleton:
        """The skeleton of a plain sheet. Raises Unlike."""
        program = outline.program
        shapes = [self._shape(placed.statement) for placed in program.statements]
        words = [word for shape in shapes for word in shape.words]
        words += [text for _, _, text in program.texts]
        called = tuple(_called(program.statements))
        names = own_names([*called, *_servers(program.statements)], set(words), around)
        at = {name: place for place, name in enumerate(names)}
        found = [placed.line for placed in program.statements] + [line for _, line, _ in program.texts]
        lines = tuple(sorted(set(found)))
        prefixes = [prefix for shape in shapes for prefix in shape.prefixes]
        secrets = [secret for shape in shapes for secret in shape.secrets]
        different, held = tuple(dict.fromkeys(prefixes)), tuple(dict.fromkeys(secrets))
        content = (
            b"".join([shape.key for shape in shapes]),
            tuple([placed.owner for placed in program.statements]),
            tuple([owner for owner, _, _ in program.texts]),
            tuple([at.get(word, word) for word in words]),
            places_of(found, lines),
            places_of(prefixes, different),
            tuple([(prefix.family, prefix.length, prefix.host == prefix.low) for prefix in different]),
            places_of(secrets, held),
        )
        return Skeleton(key_of(content), names, lines, different, held, called)

    def _shape(self, statement: Statement) -> Shape:
        known = self._shapes.get(id(statement))
        if known is not None:
            return known[1]
        made = _shape_of(statement)
        if len(self._shapes) >= _MOST_KEPT:
            self._shapes.clear()
        self._shapes[id(statement)] = statement, made
        return made


def _shape_of(statement: Statement) -> Shape:
    walk = Walk("")
    captures: Mapping[str, object] = statement.captures
    for each in captures.values():
        walk.go(each)
    atoms = tuple(("word",) if each.__class__ is str else each for each in walk.atoms)
    forms = tuple((each.form.value, each.one_way, not each.text) for each in walk.secrets)
    spec = statement.spec
    key = key_of((spec.block, spec.syntax, tuple(captures), atoms, forms))
    words = tuple(each for each in walk.atoms if each.__class__ is str)
    return Shape(key, words, tuple(walk.prefixes), tuple(walk.secrets))


def _called(statements: list[PlacedStatement]) -> Iterator[str]:
    """The name of the device, and those of its accounts. Raises Unlike for a device that has none."""
    named = [
        each.statement.captures["name"]
        for each in statements
        if each.statement.spec.opens == "device" and "name" in each.statement.captures
    ]
    if not named:
        raise Unlike("a device that is called as its file")
    yield named[-1]
    yield from dict.fromkeys(
        each.statement.captures["name"] for each in statements if each.statement.spec.opens == "user"
    )


def _servers(statements: list[PlacedStatement]) -> Iterator[str]:
    """What AAA servers are called."""
    for each in statements:
        spec = each.statement.spec
        if spec.block == "servers" and spec.field == "servers":
            yield each.statement.value.address
