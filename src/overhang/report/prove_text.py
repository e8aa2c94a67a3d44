"""Predictions held against real clients, for people and for programs."""

from collections.abc import Iterator, Sequence
from typing import Any

from overhang.model.vocabulary import WAYS, way_label
from overhang.report.lines import Line, count, wrap
from overhang.simulation import Result
from overhang.simulation.wording import origin_value, place_of
from overhang.stand_in.prove import Proof, tally
from overhang.text.json_text import json_text
from overhang.text.printable import Printable

_OUTCOMES = ("admitted", "denied", "dropped", "refused", "unknown")


def proof_lines(proofs: Sequence[Proof], width: int) -> Iterator[Line]:
    """The verdict, a table of ways and outcomes, and each disagreement in full."""
    made = [each for each in proofs if each.seen is not None]
    wrong = [each for each in made if not each.agrees]
    found = tally(proofs)
    if not made:
        yield [("No login could be made", "medium")]
    elif wrong:
        yield [(f"{len(wrong):,} of {count(len(made), 'login')} did not end as predicted", "high")]
    else:
        left = f"; {count(len(proofs) - len(made), 'attempt')} could not be made" if len(made) < len(proofs) else ""
        yield [(f"All {count(len(made), 'login')} ended as predicted", "good"), (left, "medium")]
    if made:
        yield []
        yield [(f"  {'':<14}" + "".join(f"{outcome:>10}" for outcome in _OUTCOMES), "dim")]
        ways = [via for via in WAYS if any(each.trial.attempt.via == via for each in made)]
        for via in ways:
            cells = []
            for outcome in _OUTCOMES:
                right, other = found.agree[via, outcome], found.disagree[via, outcome]
                cells.append(
                    f"{f'{right}' if not other else f'{right} of {right + other}':>10}" if right or other else " " * 10
                )
            yield [(f"  {way_label(via):<14}" + "".join(cells), "")]
    asked = sum(each.asked for each in made)
    if asked:
        yield []
        text = f"{asked} of the attempts have answers that were not asked for; what was asked for is compared"
        yield from ([(line, "dim")] for line in wrap(text, width))
    if found.left_out:
        yield []
        yield [("Not made", "bold")]
        for why, number in sorted(found.left_out.items(), key=lambda each: (-each[1], each[0])):
            yield [(f"  {number:>5}  {why}", "")]
    for each in wrong:
        yield []
        yield from _disagreement(each, width)


def _disagreement(proof: Proof, width: int) -> Iterator[Line]:
    attempt, seen = proof.trial.attempt, proof.seen
    head = f"{proof.device}, attempt {proof.trial.number}: {way_label(attempt.via)}"
    head += f" from {attempt.source}" if attempt.source is not None else ""
    head += f", name {attempt.name}" if attempt.name is not None else ""
    yield [(head, "bold")]
    yield [(f"  predicted: {ending(proof.predicted)}", "")]
    for step in proof.predicted.trace:
        for line in wrap(f"{step.reason} ({place_of(step.origin)})", width - 4):
            yield [("    " + line, "dim")]
    if seen is None:
        return
    level = f", level {seen.level}" if seen.level is not None else ""
    elevation = f", elevation {seen.elevation}" if seen.elevation is not None else ""
    yield [(f"  seen: {seen.outcome}{level}{elevation}", "high")]
    for text in seen.transcript.split("\n"):
        if text.strip():
            yield [("    | ", "dim"), (text.rstrip("\r"), "code")]


def ending(result: Result) -> str:
    """How a login ends, in words."""
    text = result.outcome
    if result.level is not None:
        text += f", level {result.level}"
    return text + (f", elevation {result.elevation}" if result.elevation is not None else "")


def proof_json(proofs: Sequence[Proof]) -> Printable:
    """Every attempt, as docs/stand-ins.md describes it."""
    return json_text({"attempts": [_value(each) for each in proofs]})


def _value(proof: Proof) -> dict[str, Any]:
    attempt, predicted, seen = proof.trial.attempt, proof.predicted, proof.seen
    value: dict[str, Any] = {
        "device": proof.device,
        "attempt": proof.trial.number,
        "via": attempt.via,
        "from": None if attempt.source is None else str(attempt.source),
        "name": attempt.name,
        "predicted": {
            "outcome": predicted.outcome,
            "level": predicted.level,
            "elevation": predicted.elevation,
            "reason": predicted.reason,
            "decided_by": origin_value(predicted.decided_by),
        },
        "seen": None,
        "agrees": proof.agrees,
        "left_out": proof.left_out or None,
    }
    if seen is not None:
        value["seen"] = {"outcome": seen.outcome, "level": seen.level, "elevation": seen.elevation}
    return value
