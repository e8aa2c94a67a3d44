"""The VTYs of a device while it is built: each by its number, since statements about ranges may overlap.

A password is known by the range in the header that it was given under, so that has to be remembered of each VTY.
"""

from collections.abc import Iterable, Sequence
from typing import Any

from overhang.language.block_state import BlockState
from overhang.language.spec import BlockSpec
from overhang.language.terminals import encode_vty_range
from overhang.model import Another, Entry
from overhang.text import Origin


class VtyStates:
    """The states of VTYs. ``by_number`` holds them, alike ones too."""

    def __init__(self) -> None:
        self.by_number: dict[int, BlockState] = {}
        self._ranges: set[tuple[int, int]] = set()
        #: the range in each header, by its number among the statements, and the last such header
        self._spelt: dict[int, str] = {}
        self._under = -1
        #: where the further passwords of each range were given
        self._further: dict[str, list[Origin]] = {}

    def learn(self, number: int, block: BlockSpec, entry: Entry) -> None:
        """Take in a VTY of a device that is there, and under which ranges its passwords were given."""
        state = self.by_number[number] = BlockState.of(block, entry, {})
        if entry.password is not None:
            state.password_range = entry.item.removeprefix("entry:vty ")
        for said in entry.others:
            given = self._further.setdefault(said.value.under, [])
            while len(given) < said.value.number:
                given.append(Origin("", 0))
            given[said.value.number - 1] = said.origin

    # -- headers -------------------------------------------------------------------------------------------------------

    def known(self, numbers: tuple[int, int]) -> bool:
        """Whether a header gave this range before."""
        return numbers in self._ranges

    def within(self, numbers: tuple[int, int]) -> list[BlockState]:
        """Those of a range that there are."""
        return [self.by_number[number] for number in _each(numbers) if number in self.by_number]

    def open(self, numbers: tuple[int, int], origin: Origin, header: int) -> list[BlockState]:
        """All of a range, made where there are none; ``header`` is the number of the statement that gives it."""
        self._ranges.add(numbers)
        for number in _each(numbers):
            if number not in self.by_number:
                self.by_number[number] = BlockState(origin, {})
        states = self.within(numbers)
        self._spelt[header] = encode_vty_range(numbers)
        self._name(states, header)
        return states

    def under(self, header: int, states: Sequence[BlockState]) -> None:
        """What follows stands under a header, perhaps after others that came since."""
        if header != self._under and header in self._spelt:
            self._name(states, header)

    def forget_headers(self) -> None:
        """Statements are counted anew."""
        self._spelt.clear()

    def _name(self, states: Iterable[BlockState], header: int) -> None:
        self._under = header
        spelt = self._spelt[header]
        title = f"entry vty {spelt}"
        for state in states:
            state.range, state.title = spelt, title

    def drop(self, numbers: tuple[int, int]) -> bool:
        """Let go of a range; whether there was any of it."""
        gone = [number for number in _each(numbers) if number in self.by_number]
        for number in gone:
            del self.by_number[number]
        return bool(gone)

    # -- further passwords ---------------------------------------------------------------------------------------------

    def numbered(self, another: Another, under: str, origin: Origin) -> Another:
        """A further password: all that one statement gives it to have one number."""
        given = self._further.setdefault(under, [])
        if not given or given[-1] != origin:
            given.append(origin)
        return another._replace(under=under, number=len(given))

    def _renumber(self) -> None:
        """Number the further passwords of each range without gaps, where some were taken back."""
        left: dict[str, set[int]] = {}
        for state in self.by_number.values():
            for each in state.fields.get("others", ()):
                left.setdefault(each.value.under, set()).add(each.value.number)
        places = {
            under: {number: place for place, number in enumerate(sorted(numbers), 1)} for under, numbers in left.items()
        }
        for state in self.by_number.values():
            for index, each in enumerate(state.fields.get("others", ())):
                number = places[each.value.under][each.value.number]
                state.fields["others"][index] = each._replace(value=each.value._replace(number=number))

    # -- results -------------------------------------------------------------------------------------------------------

    def built(self, block: BlockSpec) -> dict[int, Any]:
        """The VTYs by number; neighbours that say the same are one value."""
        self._renumber()
        found: dict[int, Any] = {}
        before: BlockState | None = None
        made: Any = None
        for number, state in sorted(self.by_number.items()):
            if before is None or not before.says_the_same(state):
                made = state.built(block)
            found[number] = made
            before = state
        return found


def _each(numbers: tuple[int, int]) -> range:
    return range(numbers[0], numbers[1] + 1)
