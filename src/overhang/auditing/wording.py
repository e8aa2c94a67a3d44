"""Small pieces of sentences that findings share."""

from collections.abc import Iterable


def listed(words: Iterable[str], most: int = 5) -> str:
    """``a``, ``a and b``, ``a, b and c``; of more than ``most``, the first and how many more; each once."""
    found = list(dict.fromkeys(words))
    if len(found) > most:
        return f"{', '.join(found[: most - 1])} and {len(found) - most + 1} more"
    return found[0] if len(found) == 1 else f"{', '.join(found[:-1])} and {found[-1]}"


def counted(number: int, thing: str, things: str = "") -> str:
    """``1 device``, ``2 devices``."""
    return f"{number:,} {thing if number == 1 else things or thing + 's'}"


def runs_of(numbers: Iterable[int]) -> list[tuple[int, int]]:
    """Numbers, in order, as runs of neighbours: first and last of each."""
    runs: list[tuple[int, int]] = []
    for number in numbers:
        if runs and number == runs[-1][1] + 1:
            runs[-1] = (runs[-1][0], number)
        else:
            runs.append((number, number))
    return runs


def vtys_label(numbers: Iterable[int]) -> str:
    """``VTY 7``, ``VTY 0-3``, ``VTY 0-3 and 8-15``."""
    return "VTY " + listed(f"{first}-{last}" if first != last else str(first) for first, last in runs_of(numbers))
