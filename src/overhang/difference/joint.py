"""What two devices are compared over: sources, states of the servers and times, and own addresses of both, cut where
either of them cuts.

A set of each device becomes a set of the joint space, so that the two are compared by operations on integers.
"""

import datetime
from collections.abc import Sequence
from typing import NamedTuple

from overhang.exposure.address_classes import AddressClasses, bits_of
from overhang.exposure.paths import ELSEWHERE, AccessPaths, destinations_of
from overhang.model import Hours
from overhang.model.vocabulary import PORTS
from overhang.simulation import ResolvedDevice
from overhang.simulation.source_lists import Piece

#: Beyond so many joint states of servers and times, only all up, each alone down, and all down are compared.
_MOST_STATES = 4096


class JointSources:
    """The sources of two devices. ``classes`` are the joint ones; a device that is not there cuts nothing."""

    def __init__(self, devices: Sequence[AddressClasses | None]) -> None:
        starts: dict[int, set[int]] = {4: {0}, 6: {0}}
        for each in devices:
            for piece in each.pieces if each is not None else ():
                starts[piece.family].add(piece.low)
        at = [0, 0]
        parts: list[Piece] = []
        numbers: dict[tuple[int, ...], int] = {}
        owners: list[tuple[int, ...]] = []
        for family, top in ((4, (1 << 32) - 1), (6, (1 << 128) - 1)):
            ordered = sorted(starts[family])
            for low, behind in zip(ordered, (*ordered[1:], top + 1), strict=True):
                found = []
                for side, each in enumerate(devices):
                    if each is None:
                        found.append(0)
                        continue
                    pieces = each.pieces
                    while (pieces[at[side]].family, pieces[at[side]].high) < (family, low):
                        at[side] += 1
                    found.append(each.class_of[at[side]])
                key = (family, *found)
                if key not in numbers:
                    numbers[key] = len(numbers)
                    owners.append(tuple(found))
                parts.append(Piece(family, low, behind - 1, numbers[key] << 1 | (family == 6)))
        self.classes = AddressClasses(parts)
        # classes are numbered in the order in which they are met, here as there
        self._of: list[dict[int, int]] = [{}, {}]
        for number, owner in enumerate(owners):
            for side, own in enumerate(owner):
                self._of[side][own] = self._of[side].get(own, 0) | 1 << number
        self._lifted: list[dict[int, int]] = [{}, {}]

    def lift(self, side: int, chosen: int | None) -> int:
        """A set of a device's sources as a joint one; None, at a port, is one bit."""
        if chosen is None:
            return 1
        found = self._lifted[side].get(chosen)
        if found is None:
            found = 0
            for number in bits_of(chosen):
                found |= self._of[side].get(number, 0)
            self._lifted[side][chosen] = found
        return found


class JointStates:
    """The states of two devices' servers and times of day that can hold together.

    ``downs`` and ``times`` tell for each what is down and which hours hold; ``cut``: there are too many, and some were
    left out.
    """

    def __init__(self, devices: Sequence[tuple[ResolvedDevice, AccessPaths] | None]) -> None:
        own = [_states_of(each) for each in devices]
        every = [frozenset[str]().union(*downs) for downs in own]
        pairs = [
            (one, other) for one in own[0] for other in own[1] if one & every[1] == other & every[0]
        ]  # the two agree on the servers that both ask
        pairs.sort(key=lambda pair: (len(pair[0] | pair[1]), sorted(pair[0] | pair[1])))
        times = _times_of(devices)
        self.cut = len(pairs) * len(times) > _MOST_STATES
        if self.cut:
            most = len(every[0] | every[1])
            pairs = [pair for pair in pairs if len(pair[0] | pair[1]) in (0, 1, most)]
        self.downs: list[frozenset[str]] = []
        self.times: list[frozenset[Hours]] = []
        self._index: list[list[int]] = [[], []]
        places = [_places(each) for each in devices]
        for pair in pairs:
            for held in times:
                self.downs.append(pair[0] | pair[1])
                self.times.append(held[0] | held[1])
                for side in (0, 1):
                    self._index[side].append(places[side][pair[side], held[side]])
        self._lifted: list[dict[int, int]] = [{}, {}]

    def lift(self, side: int, chosen: int) -> int:
        """A set of a device's states as a joint one."""
        found = self._lifted[side].get(chosen)
        if found is None:
            found = sum(1 << number for number, own in enumerate(self._index[side]) if chosen >> own & 1)
            self._lifted[side][chosen] = found
        return found


_Place = tuple[frozenset[str], frozenset[Hours]]


def _states_of(device: tuple[ResolvedDevice, AccessPaths] | None) -> list[frozenset[str]]:
    return [frozenset()] if device is None else list(dict.fromkeys(device[1].states))


def _places(device: tuple[ResolvedDevice, AccessPaths] | None) -> dict[_Place, int]:
    if device is None:
        return {(frozenset(), frozenset()): 0}
    found = device[1]
    times = found.times or [frozenset[Hours]()] * len(found.states)
    return {(down, held): number for number, (down, held) in enumerate(zip(found.states, times, strict=True))}


def _times_of(
    devices: Sequence[tuple[ResolvedDevice, AccessPaths] | None],
) -> list[tuple[frozenset[Hours], frozenset[Hours]]]:
    """The times of day of both that hold together at some moment of a week."""
    told: list[tuple[Hours, ...]] = []
    for each in devices:
        apart = each is not None and len(set(each[1].times)) > 1
        told.append(each[0].hours if each is not None and apart else ())
    minutes = sorted({0, *(minute for held in told for hours in held for minute in (hours.first, hours.last))})
    monday = datetime.datetime(2024, 1, 1)
    moments = [monday + datetime.timedelta(days=day, minutes=minute) for day in range(7) for minute in minutes]
    found = [tuple(frozenset(each for each in held if each.hold(moment)) for held in told) for moment in moments]
    return list(dict.fromkeys((one, other) for one, other in found))


class JointAddresses(NamedTuple):
    """The own addresses of two devices that a way is compared at, ``labels``; None for any.

    Where one of them states its addresses and the other none, it is those that are stated.
    """

    labels: tuple[str | None, ...]
    own: tuple[tuple[str | None, ...], tuple[str | None, ...]]

    def lift(self, side: int, to: tuple[str, ...] | None) -> int:
        """The labels, as bits, that a device's access path is open at."""
        own = self.own[side]
        found = 0
        for number, label in enumerate(self.labels):
            known = label in own
            if own in ((None,), ()) or (to is None and ELSEWHERE in own):
                here = to is None
            elif known:
                here = to is None or label in to
            else:
                here = to is not None and ELSEWHERE in to
            found |= here << number
        return found

    def named(self, side: int, chosen: int) -> tuple[str, ...] | None:
        """Labels as an access path has them; None where they are all that the device has."""
        if chosen == self.lift(side, None):
            return None
        return tuple(label or "" for number, label in enumerate(self.labels) if chosen >> number & 1)


def joint_addresses(devices: Sequence[ResolvedDevice | None], via: str) -> JointAddresses:
    """The own addresses that a way is compared at."""
    own: list[tuple[str | None, ...]] = []
    for each in devices:
        own.append(() if each is None else tuple(label for label, _ in destinations_of(each, via)))
    there = [each for each in devices if each is not None]
    stated = [bool(each.addresses) for each in there]
    if via in PORTS or not there:
        labels: tuple[str | None, ...] = (None,)
    elif any(stated) and not all(stated):
        labels = next(held for held, each in zip(own, devices, strict=True) if each is not None and each.addresses)
    else:
        labels = tuple(dict.fromkeys(label for held in own for label in held if label is not None)) or (None,)
        if not any(stated) and labels != (None,):
            labels = (*(label for label in labels if label != ELSEWHERE), ELSEWHERE)
    return JointAddresses(labels, (own[0], own[1]))
