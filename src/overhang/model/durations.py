"""Durations as text: the one codec that sheets, profiles, project files, dialects and options share."""

import re

#: Each unit, the largest first: its seconds, the letter that stands for it and its name.
NAMED_UNITS = ((86400, "d", "day"), (3600, "h", "hour"), (60, "m", "minute"), (1, "s", "second"))
_DURATION = re.compile(r"(?:(\d{1,9})d)?(?:(\d{1,9})h)?(?:(\d{1,9})m)?(?:(\d{1,9})s)?", re.ASCII)


def sum_of_units(text: str) -> int | None:
    """The seconds of ``2m30s``, zero included; None where the text is not numbers with their units."""
    found = _DURATION.fullmatch(text)
    if found is None or not text:
        return None
    return sum(int(number) * size for number, (size, _, _) in zip(found.groups("0"), NAMED_UNITS, strict=True))


def parse_duration(text: str) -> int | None:
    """Read ``90s``, ``2m30s``, ``12h``, ``90d`` as seconds, and ``never`` as None.

    Raises ValueError, one lower-case sentence, for other text and for a duration of zero.
    """
    if text == "never":
        return None
    seconds = sum_of_units(text)
    if seconds is None:
        raise ValueError("a duration is written like 90s, 2m30s, 12h, 90d or never")
    if not seconds:
        raise ValueError("a duration must be longer than zero; leave the statement out or write never")
    return seconds


def parse_span(text: str) -> int:
    """Read a duration that ends, in seconds. Raises ValueError, also for ``never``."""
    seconds = parse_duration(text)
    if seconds is None:
        raise ValueError("this duration cannot be never")
    return seconds


def format_duration(seconds: int | None) -> str:
    """Write seconds as ``parse_duration`` reads them; None is ``never``."""
    if seconds is None:
        return "never"
    parts = []
    for size, unit, _ in NAMED_UNITS:
        count, seconds = divmod(seconds, size)
        parts += [f"{count}{unit}"] if count else []
    return "".join(parts)


def describe_duration(seconds: int) -> str:
    """Write seconds for a sentence: ``10 minutes``, ``1 day``, ``90 seconds``."""
    for size, _, name in NAMED_UNITS:
        if seconds % size == 0 and seconds >= size:
            count = seconds // size
            return f"{count} {name}{'s' if count != 1 else ''}"
    return f"{seconds} seconds"
