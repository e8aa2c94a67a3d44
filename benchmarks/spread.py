"""How the time of following secrets grows with a network: some devices, and twice as many, as ratios side by side.

.venv/bin/python benchmarks/spread.py [DEVICES]             2.0 is straight growth; otherwise 500
"""

import random
import sys
import time
from collections.abc import Callable

from overhang.api import now
from overhang.language import ParsedConfig, read_sheet
from overhang.model.masking import mask
from overhang.project import Project
from overhang.spread.ranking import rank_secrets
from overhang.spread.reach import DEFAULTS
from overhang.spread.start import Start
from overhang.spread.world import World, build_world

SECRETS = 300


def network(devices: int) -> list[tuple[ParsedConfig, Project]]:
    """Devices at 40 places: three accounts each, half of the passwords one-way, most trust one place."""
    chance, project = random.Random(7), Project()
    words = [f"Word-{number}-tern" for number in range(SECRETS)]
    hashes = {word: f"$6$s{number}${'x' * 86}" for number, word in enumerate(words[: SECRETS // 2])}
    made = []
    for number in range(devices):
        lines = [f"device quay-{number}: profile entry-first", "ssh:", "    on", "    host-key ed25519"]
        lines += ["entry vty 0-3:", "    accept ssh", "    check users"]
        if chance.random() < 0.9:
            lines += ["    from near", f"sources near: allow 10.64.{chance.randrange(40)}.0/24"]
        lines += [f"address 10.64.{number % 40}.{number // 40 % 250 + 1}/24: answers ssh"]
        for name in ("lena", "omar", "ines"):
            word = chance.choice(words)
            stored = f"hashed {hashes[word]}" if word in hashes else f"masked {mask(word)}"
            lines += [f"user {name}:", f"    level {chance.choice([1, 1, 5, 15])}", f"    password {stored}"]
        made.append((read_sheet("\n".join([*lines, ""]), f"q{number}.sheet"), project))
    return made


def taken(what: Callable[[], object]) -> float:
    start = time.perf_counter()
    what()
    return time.perf_counter() - start


def times(devices: int) -> dict[str, float]:
    """The seconds that each part takes; hashes have their budget, and no part of this."""
    configs, moment = network(devices), now()
    worlds: list[World] = []
    found = {"paths and secrets": taken(lambda: worlds.append(build_world(configs, moment, 0)))}
    world = worlds[0]
    start = Start(frozenset(), anywhere=True)
    found["every secret ranked"] = taken(lambda: rank_secrets(world, start, DEFAULTS))
    return found


def main() -> None:
    devices = int(sys.argv[1]) if sys.argv[1:] else 500
    times(20)  # what is imported and compiled at first use is not growth
    once, twice = times(devices), times(2 * devices)
    for part, seconds in once.items():
        growth = twice[part] / seconds
        print(f"{part}: {devices:,} to {2 * devices:,} devices: {seconds:.2f} s, then {growth:.1f} times that")


if __name__ == "__main__":
    main()
