"""What mends a device, as a file to be pasted: in the maker's words or as statements of a sheet, and its roll-back.

Whatever waits for a choice, or cannot be said in the device's own words, is commented out, so that pasting the file
does nothing half known.
"""

from collections.abc import Iterator

from overhang.changes.mend import Choice, Mend, Part
from overhang.report.lines import Line, count, cut, safe, wrap

_KINDS = {"password": "a new password for {}", "name": "the name of {}", "network": "{}"}
_SHEET = "#"


def choice_words(choice: Choice) -> str:
    """Something to choose, in words."""
    return _KINDS[choice.kind].format(choice.item)


def change_text(mend: Mend, comment: str | None) -> str:
    """The change; ``comment`` is what begins a comment in the device's own language, None for a sheet."""
    return "".join(f"{line}\n" for line in _change(mend, comment))


def _change(mend: Mend, comment: str | None) -> Iterator[str]:
    sign = _SHEET if comment is None else comment
    ready = len(mend.ready)
    yield f"{sign} {safe(mend.name)}: {count(ready, 'remedy', 'remedies')}, each proved in this order; {_waiting(mend)}"
    for choice in mend.choices:
        yield f"{sign} to choose: {safe(choice_words(choice))}"
    for left in mend.left_out:
        yield f"{sign} left out: {left.rule} ({left.severity.word}): {safe(left.why)}"
    for part in mend.parts:
        yield ""
        yield f"{sign} {part.rule} ({part.severity.word}): {safe(part.message)}"
        if part.waits:
            why = ", ".join(safe(choice_words(choice)) for choice in part.choices)
            if why or not _unsaid(mend, part):
                yield f"{sign} waits for {why or 'what stands above it'}"
            else:
                yield f"{sign} the dialect has no words for this; as statements of a sheet:"
        own = mend.language and part.phrased is not None
        lines = (part.phrased or ()) if own else part.lines
        for line in lines:
            yield f"{sign} {safe(line)}" if part.waits else safe(line)


def _unsaid(mend: Mend, part: Part) -> bool:
    return bool(mend.language) and part.phrased is None


def _waiting(mend: Mend) -> str:
    number = len(mend.parts) - len(mend.ready)
    return f"{number} more {'waits' if number == 1 else 'wait'} and {'is' if number == 1 else 'are'} commented out"


def back_text(mend: Mend) -> str:
    """The roll-back, as statements of a sheet; what needs a password from the old configuration is commented out."""
    lines = [f"# takes back the remedies of {safe(mend.name)} that are not commented out"]
    for line in mend.back:
        if " withheld" in line:
            lines += ["# the password stands in the old configuration:", f"# {safe(line)}"]
        else:
            lines += map(safe, line.split("\n"))
    return "".join(f"{line}\n" for line in lines)


def mend_lines(mends: list[Mend], width: int) -> Iterator[Line]:
    """What was found for all devices, for people: the verdict, and what is left out."""
    parts = sum(len(mend.ready) for mend in mends)
    waits = sum(len(mend.parts) - len(mend.ready) for mend in mends)
    left = sum(len(mend.left_out) for mend in mends)
    text = f"{count(parts, 'finding is', 'findings are')} mended on {count(len(mends), 'device')}, each remedy proved"
    text += f"; {count(waits, 'more remedy waits', 'more remedies wait')} for a choice" if waits else ""
    text += f"; {count(left, 'finding is', 'findings are')} left out" if left else ""
    for piece in wrap(text, width):
        yield [(piece, "medium" if waits or left else "good")]
    yield []
    for mend in mends:
        told = f"{len(mend.ready)} mended"
        told += f", {len(mend.parts) - len(mend.ready)} waiting" if len(mend.parts) > len(mend.ready) else ""
        told += f", {len(mend.left_out)} left out" if mend.left_out else ""
        yield [(cut(mend.name, 30), "bold"), (f"  {told}", "dim")]
        for choice in mend.choices:
            yield [(f"  to choose  {cut(choice_words(choice), width - 13)}", "medium")]
        for each in mend.left_out:
            for number, piece in enumerate(wrap(f"{each.rule}: {each.why}", width - 13)):
                yield [(f"  {'left out' if number == 0 else '':<9}  ", "dim"), (piece, "")]
