"""Ways gained and lost agree with what somebody gets by trying on both devices, on random pairs of devices."""

import random

from overhang.difference.joint import joint_addresses
from overhang.difference.secrets import JointSecrets
from overhang.difference.ways import WayChange, Ways, compare_ways
from overhang.exposure import AccessPaths, find_paths
from overhang.exposure.paths import ELSEWHERE
from overhang.model import Address, parse_address
from overhang.model.hash_budget import HashBudget
from overhang.model.vocabulary import PORTS
from tests.support.generator import NOW, SOURCES, WAYS, BruteForce, Made

#: An address that no condition names.
ELSE = parse_address("203.0.113.77")


def key(fact: object) -> object:
    return fact


class Pair:
    """Two devices, explored and compared."""

    def __init__(self, old: Made, new: Made) -> None:
        self.made = (old, new)
        self.found = tuple(find_paths(each.resolved, NOW, each.held) for each in self.made)
        explored = tuple((each.resolved, found) for each, found in zip(self.made, self.found, strict=True))
        self.secrets = JointSecrets((explored[0], explored[1]), HashBudget(100_000))
        self.ways = compare_ways(*explored, self.secrets, (key, key))
        self.brutes = tuple(BruteForce(each, lambda attempt, result: None) for each in self.made)

    def knows(self, side: int, known: frozenset[int]) -> frozenset[str]:
        """The items of a device that somebody knows."""
        names = self.found[side].credentials.names
        return frozenset(
            name
            for own, number in enumerate(self.secrets.of[side])
            if number in known and own < len(names)
            for name in names[own]
        )


def holds(paths: AccessPaths, change: WayChange, via: str, source: Address | None, to: str | None, state: int) -> bool:
    path = change.path
    if path.via != via or not path.states >> state & 1 or (path.to is not None and to not in path.to):
        return False
    return (
        path.sources is None
        or source is None
        or bool(path.sources & paths.address_classes.holding(source.family, source.value, source.value))
    )


def check_pair(old: Made, new: Made, probes: int, chance: random.Random) -> int:
    """Compare rows with a brute force on both sides; the number of comparisons."""
    pair = Pair(old, new)
    ways: Ways = pair.ways
    numbers = sorted({*pair.secrets.of[0], *pair.secrets.of[1]})
    done = 0
    rows = [*ways.gained, *ways.lost]
    for _ in range(probes):
        row = chance.choice(rows) if rows and chance.random() < 0.6 else None
        via = row.path.via if row is not None else chance.choice(WAYS)
        source = None if via in PORTS else parse_address(chance.choice(SOURCES))
        label = chance.choice(joint_addresses([each.resolved for each in pair.made], via).labels)
        state = chance.randrange(len(ways.old.states))
        if row is not None and row.path.sources is not None and chance.random() < 0.8:
            source = ways.old.address_classes.example(row.path.sources)
        if row is not None and chance.random() < 0.8:
            state = next(number for number in range(len(ways.old.states)) if row.path.states >> number & 1)
            label = chance.choice(row.path.to) if row.path.to else label
        known = frozenset(chance.sample(numbers, min(len(numbers), chance.choice((0, 1, 1, 2)))))
        if row is not None:
            known = row.path.needs | (known if chance.random() < 0.5 else frozenset())
        most = max(chance.choice((0, 0, 1, 99)), len(row.path.needs_busy) if row is not None else 0)
        to = _address(via, label)
        if to is ... or (isinstance(to, Address) and source is not None and to.family != source.family and to != ELSE):
            continue  # nobody goes from one family to the other
        levels = []
        for side in (0, 1):
            held = ways.old.times[state] if ways.old.times else None
            hours = pair.made[side].resolved.hours
            during = None if held is None else frozenset(each for each in hours if each in held)
            down = ways.old.states[state] & frozenset().union(*pair.found[side].states)
            levels.append(pair.brutes[side].best(via, source, to, down, pair.knows(side, known), most, during))
        before, after = levels
        done += 1
        where = f"{via=} {source=} {to=} {state=} {known=} {most=} {levels=}\n{old.text}\n---\n{new.text}"
        for more, less, changes, found in (
            (after, before, ways.gained, ways.new),
            (before, after, ways.lost, ways.old),
        ):
            here = [
                change
                for change in changes
                if change.path.needs <= known
                and len(change.path.needs_busy) <= most
                and change.path.level > less
                and holds(found, change, via, source, label, state)
            ]
            assert bool(here) or more <= less, f"nothing says that more is reached: {where}"
            assert more > less or not any(change.sure for change in here), f"it is said, and not so: {where} {here}"
            for change in here:
                if change.sure and change.path.needs == known and len(change.path.needs_busy) == most:
                    other = change.before if changes is ways.gained else change.after
                    assert (-1 if other is None else other) == less, f"another level: {where} {change}"
    return done


def _address(via: str, label: str | None) -> object:
    """The address that a label stands for; ... where there is none to try."""
    if via in PORTS:
        return None
    if label == ELSEWHERE:
        return ELSE
    if label == "unknown":
        return ...
    return None if label is None else parse_address(label)


def pair_of(seed: int) -> tuple[Made, Made, random.Random]:
    chance = random.Random(seed)
    made = Made(seed)
    other = made.changed(chance) if chance.random() < 0.6 else Made(seed + 1_000_000)
    return (made, other, chance) if chance.random() < 0.5 else (other, made, chance)


def check_seeds(first: int, last: int, probes: int = 12) -> int:
    return sum(check_pair(*pair_of(seed)[:2], probes, pair_of(seed)[2]) for seed in range(first, last))


def test_rows_agree_with_brute_force_on_both_sides() -> None:
    assert check_seeds(0, 25) > 150


def test_a_device_differs_in_nothing_from_itself_and_gains_what_the_other_way_round_is_lost() -> None:
    for seed in range(200, 240):
        old, new, _ = pair_of(seed)
        same = Pair(old, old).ways
        assert (same.gained, same.lost) == ((), ()), old.text
        there, back = Pair(old, new).ways, Pair(new, old).ways
        assert _shown(there.gained, there.new) == _shown(back.lost, back.old)
        assert _shown(there.lost, there.old) == _shown(back.gained, back.new)


def _shown(changes: tuple[WayChange, ...], paths: AccessPaths) -> list[object]:
    """Rows without the numbers of joint spaces, which differ by which device comes first."""
    return sorted(
        repr(
            (
                each.path.via,
                None if each.path.sources is None else paths.address_classes.prefixes(each.path.sources),
                each.path.to,
                sorted(paths.credentials.known_as(number) for number in each.path.needs),
                paths.down(each.path),
                each.path.level,
                sorted((-1 if level is None else level) for level in (each.before, each.after)),
                each.sure,
            )
        )
        for each in changes
    )
