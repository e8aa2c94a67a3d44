"""Guesses at what a mistyped word was meant to be."""

from collections.abc import Iterable
from functools import lru_cache


def did_you_mean(word: str, known: Iterable[str]) -> str | None:
    """The one word of ``known`` that is nearest to ``word``, where one is near enough to be worth saying."""
    return _nearest(word, tuple(known))


@lru_cache(maxsize=2000)
def _nearest(word: str, known: tuple[str, ...]) -> str | None:
    if len(word) > 40:
        return None
    import difflib  # only mistakes need it

    folded = {candidate.lower(): candidate for candidate in known}
    if word.lower() in folded:
        return folded[word.lower()]
    close = difflib.get_close_matches(word.lower(), folded, n=1, cutoff=0.66)
    return folded[close[0]] if close else None
