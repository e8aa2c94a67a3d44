"""Durations as text: the one codec that sheets, profiles, project files, dialects and options share."""

import re

#: Seconds in each unit, the largest unit first, with the letter that stands for it.
UNITS = ((86400, "d"), (3600, "h"), (60, "m"), (1, "s"))
_NAMES = {86400: "day", 3600: "hour", 60: "minute", 1: "second"}
_DURATION = re.compile(r"(?:(\d{1,9})d)?(?:(\d{1,9})h)?(?:(\d{1,9})m)?(?:(\d{1,9})s)?", re.ASCII)


def parse_duration(text: str) -> int | None:
    """Read ``90s``, ``2m30s``, ``12h``, ``90d`` as seconds, and ``never`` as None.

    Raises ValueError, one lower-case sentence, for other text and for a duration of zero.
    """
    if text == "never":
        return None
    found = _DURATION.fullmatch(text)
    if found is None or not text:
        raise ValueError("a duration is written like 90s, 2m30s, 12h, 90d or never")
    seconds = sum(int(number) * size for number, (size, _) in zip(found.groups("0"), UNITS, strict=True))
    if not seconds:
        raise ValueError("a duration is longer than zero; leave the statement out or write never")
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
    for size, unit in UNITS:
        count, seconds = divmod(seconds, size)
        parts += [f"{count}{unit}"] if count else []
    return "".join(parts)


def describe_duration(seconds: int) -> str:
    """Write seconds for a sentence: ``10 minutes``, ``1 day``, ``90 seconds``."""
    for size, _ in UNITS:
        if seconds % size == 0 and seconds >= size:
            count = seconds // size
            return f"{count} {_NAMES[size]}{'s' if count != 1 else ''}"
    return f"{seconds} seconds"
