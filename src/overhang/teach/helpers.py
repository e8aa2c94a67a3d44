"""What recurs in makers' languages and is a program: templates, dittos, numbered places, references, ranges, masks."""

from collections.abc import Callable, Collection, Iterable, Iterator, Mapping
from typing import Generic, TypeVar

from overhang.model import Address, parse_address
from overhang.teach.tree import Statement, StepProblem

Key = Callable[[Statement], object]
_MOST_PREFIXES = 4_096
_MOST_DEEP = 100


def first_word(statement: Statement) -> str:
    """What makes two statements the same one where nothing else is said."""
    return statement.head


def join(block: Statement) -> None:
    """Make one of the blocks inside a block that have the same words, at any depth; the first takes in the others."""
    found: dict[tuple[str, ...], Statement] = {}
    for each in list(block.children):
        if each.is_block:
            first = found.setdefault(tuple(each.words), each)
            if first is not each:
                first.merge(each)
    for each in found.values():
        join(each)


def pour(
    template: Statement,
    into: Statement,
    *,
    key: Key = first_word,
    also: Collection[str] = (),
    closed: Callable[[Statement], bool] | None = None,
) -> None:
    """Put copies of what stands in a template into a block, as far as the block does not say it itself.

    A statement is poured where the block has none with the same ``key``; those whose first word is among ``also`` are
    poured in any case. A block is poured into the one with the same words, which is made where there is none. What an
    earlier template poured counts as said by the block. Nothing is poured into a block that ``closed`` is true for.
    """
    if closed is not None and closed(into):
        return
    blocks = {tuple(each.words): each for each in into.children if each.is_block}
    said = {key(each) for each in into.children if not each.is_block}
    added: list[Statement] = []
    for each in template.children:
        if each.is_block:
            words = tuple(each.words)
            if words not in blocks:
                blocks[words] = each.made(*each.words, opens=True)
                added.append(blocks[words])
            pour(each, blocks[words], key=key, also=also, closed=closed)
        elif each.head in also or key(each) not in said:
            added.append(each.copy())
    into.add(*added)


def fill_dittos(rows: Iterable[list[str]], sign: str, unsaid: Collection[str] = ("",)) -> Iterator[list[str]]:
    """Rows of a table with the value from above in place of each ditto sign, and "" for what is unsaid."""
    above: list[str] = []
    for row in rows:
        filled = []
        for at, cell in enumerate(row):
            same = above[at] if at < len(above) else ""
            filled.append(same if cell == sign else "" if cell in unsaid else cell)
        above = filled
        yield filled


Item = TypeVar("Item")


class Places(Generic[Item]):
    """Things at numbered places, from 1 and without gaps: one that is put in moves the others, and so does a strike."""

    def __init__(self, items: Iterable[Item] = ()) -> None:
        self._items = list(items)

    def __iter__(self) -> Iterator[Item]:
        return iter(self._items)

    def __len__(self) -> int:
        return len(self._items)

    def at(self, place: int) -> Item | None:
        """What stands at a place; None where nothing does."""
        return self._items[place - 1] if 1 <= place <= len(self._items) else None

    def add(self, item: Item) -> None:
        """Put something behind the last."""
        self._items.append(item)

    def insert(self, place: int, item: Item) -> None:
        """Put something before what stands at a place; beyond the last, behind it."""
        self._items.insert(max(place - 1, 0), item)

    def replace(self, place: int, item: Item) -> bool:
        """Put something in the place of another; whether there was one."""
        if not 1 <= place <= len(self._items):
            return False
        self._items[place - 1] = item
        return True

    def strike(self, place: int) -> Item | None:
        """Take away what stands at a place; those behind it move up. None where nothing stands there."""
        return self._items.pop(place - 1) if 1 <= place <= len(self._items) else None


def last_wins(statements: Iterable[Statement], key: Key = first_word) -> list[Statement]:
    """Of statements with one ``key`` the last, each where it stands."""
    found: dict[object, Statement] = {}
    for each in statements:
        found.pop(key(each), None)
        found[key(each)] = each
    return list(found.values())


def first_wins(statements: Iterable[Statement], key: Key = first_word) -> list[Statement]:
    """Of statements with one ``key`` the first."""
    found: dict[object, Statement] = {}
    for each in statements:
        found.setdefault(key(each), each)
    return list(found.values())


def members(name: str, groups: Mapping[str, Iterable[str]]) -> list[str]:
    """All that a name stands for: a group's members, and those of the groups among them; a name of no group is itself.

    A group that is its own member adds nothing.
    """
    found: dict[str, None] = {}
    done: set[str] = set()
    left = [name]
    while left:
        each = left.pop(0)
        if each in done:
            continue
        done.add(each)
        if each in groups:
            left[:0] = groups[each]
        else:
            found[each] = None
    return list(found)


def numbers(text: str, *, between: str = "-", parted: str = ",", least: int = 0, most: int = 4_095) -> list[int]:
    """The numbers of ``1-3,7``, in order; ``between`` stands inside a range, ``parted`` between ranges.

    Raises ValueError where it is none, or a number is not from ``least`` to ``most``.
    """
    found: set[int] = set()
    for piece in text.split(parted):
        first, sign, last = piece.strip().partition(between)
        low, high = int(first), int(last if sign else first)
        if not least <= low <= high <= most:
            raise ValueError("the range is empty, or beyond its bounds")
        found.update(range(low, high + 1))
    return sorted(found)


def spans(found: Iterable[int]) -> list[str]:
    """Numbers as ranges: 1, 2, 3 and 7 are ``1-3`` and ``7``."""
    ranges: list[list[int]] = []
    for each in sorted(set(found)):
        if ranges and ranges[-1][1] == each - 1:
            ranges[-1][1] = each
        else:
            ranges.append([each, each])
    return [str(low) if low == high else f"{low}-{high}" for low, high in ranges]


def prefixes(address: str, mask: str, *, wild: bool = False) -> list[str]:
    """The prefixes of all addresses that agree with one in the bits of a mask, which may be scattered.

    ``wild``: it is the zeros of the mask that count. Raises ValueError for what is no address, and for a mask that
    would make more than 4,096 prefixes.
    """
    base, bits = parse_address(address), parse_address(mask)
    if base.family != bits.family:
        raise ValueError("the address and its mask are of two families")
    width = 32 if base.family == 4 else 128
    every = (1 << width) - 1
    care = bits.value ^ every if wild else bits.value
    length = width - (((care & -care).bit_length() - 1) if care else width)
    loose = [bit for bit in range(width - length, width) if not care >> bit & 1]
    if 1 << len(loose) > _MOST_PREFIXES:
        raise ValueError(f"the mask makes more than {_MOST_PREFIXES:,} prefixes")
    start = base.value & care
    found = []
    for number in range(1 << len(loose)):
        value = start
        for at, bit in enumerate(loose):
            value |= (number >> at & 1) << bit
        found.append(f"{Address(base.family, value)}/{length}")
    return sorted(found, key=lambda text: (len(text), text))


def inverse_mask(mask: str) -> str:
    """A mask with its ones and zeros exchanged: of the bits that have to agree, those that may differ.

    Raises ValueError for what is no mask.
    """
    found = parse_address(mask)
    every = (1 << (32 if found.family == 4 else 128)) - 1
    return str(Address(found.family, found.value ^ every))


def resolved(name: str, parents: Mapping[str, str]) -> list[str]:
    """A name, the one that it is like, and so on. Raises StepProblem where it comes back to itself."""
    found = [name]
    while (above := parents.get(found[-1])) is not None:
        if above in found or len(found) > _MOST_DEEP:
            raise StepProblem("a name is like itself")
        found.append(above)
    return found
