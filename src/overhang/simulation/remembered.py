"""Decisions that were made before, of many attempts on one device: most differ in what leads to the same answers.

A decision asks an oracle. So it is kept as the questions that it asked, each with the answer that led to the next; an
attempt that gives the same answers ends the same. What a decision reads of an attempt itself, without asking, is in the
key under which its questions are kept.
"""

import datetime
from collections.abc import Callable, Hashable, Mapping
from functools import partial
from itertools import pairwise
from typing import Any

from overhang.model import Configured, Hours
from overhang.simulation.decide import Decided, decide
from overhang.simulation.lockout import LockoutState
from overhang.simulation.oracle import AttemptOracle, ServerAnswer
from overhang.simulation.resolve import ResolvedDevice
from overhang.simulation.result import Attempt, Provenance, Result
from overhang.simulation.source_lists import ResolvedSourceList
from overhang.simulation.views import Credential

#: So many questions and ends are kept.
_MOST_KEPT = 50_000
#: Stands for all names that mean nothing to the device.
_NOBODY = 0

Asking = Callable[[AttemptOracle], Hashable]


class _Question:
    """A question that was asked, and what each answer to it led to: the next question, or the end."""

    __slots__ = ("answers", "ask")

    def __init__(self, ask: Asking) -> None:
        self.ask = ask
        self.answers: dict[Hashable, _Question | Result] = {}


class _Asked(AttemptOracle):
    """Answers for the person of an attempt, and notes what was asked and answered."""

    def __init__(self, attempt: Attempt, resolved: ResolvedDevice) -> None:
        super().__init__(attempt, resolved)
        self.noted: list[tuple[Asking, Hashable]] = []
        self._noted_text = False

    def _note(self, ask: Asking, answer: Any) -> Any:
        self.noted.append((ask, answer))
        return answer

    def offer(self, texts: tuple[str, ...], index: int) -> None:
        super().offer(texts, index)
        self._noted_text = False
        elevating = texts is self.attempt.elevate_passwords
        self._note(partial(_offer_to_elevate if elevating else _offer, index=index), None)

    def offers_text(self) -> str | None:
        if not self._noted_text:
            self._noted_text = True
            self._note(_whether_text, _whether_text(self))
        return super().offers_text()

    def opens(self, credential: Credential) -> bool:
        found: bool = self._note(partial(AttemptOracle.opens, credential=credential), super().opens(credential))
        return found

    def within(self, hours: Configured[Hours]) -> bool:
        found: bool = self._note(partial(AttemptOracle.within, hours=hours), super().within(hours))
        return found

    def source_family(self) -> int:
        found: int = self._note(AttemptOracle.source_family, super().source_family())
        return found

    def source_in(self, sources: ResolvedSourceList) -> tuple[bool, Provenance]:
        found: tuple[bool, Provenance] = self._note(
            lambda oracle: AttemptOracle.source_in(oracle, sources), super().source_in(sources)
        )
        return found

    def server_says(self, group: str, name: str | None) -> ServerAnswer:
        found: ServerAnswer = self._note(
            lambda oracle: AttemptOracle.server_says(oracle, group, name), super().server_says(group, name)
        )
        return found


def _offer(oracle: AttemptOracle, index: int) -> None:
    oracle.offer(oracle.attempt.passwords, index)


def _offer_to_elevate(oracle: AttemptOracle, index: int) -> None:
    oracle.offer(oracle.attempt.elevate_passwords, index)


def _whether_text(oracle: AttemptOracle) -> Hashable:
    """What a decision makes of what is typed without holding it against anything: it is nothing, empty, or a text."""
    text = AttemptOracle.offers_text(oracle)
    return bool(text) if text is not None else None


class Remembered:
    """Decides attempts on a device whose AAA servers hold the same all the time."""

    def __init__(self, resolved: ResolvedDevice, servers: Mapping[str, Any] | None) -> None:
        self._resolved, self._servers = resolved, servers
        conditions = [each.accounts.value for each in resolved.conditions.values() if each.accounts is not None]
        names = {*resolved.named, *(name for several in conditions for name in several)}
        names.update(name for accounts in (servers or {}).values() for name in accounts)
        if resolved.factory is not None:
            names.add(resolved.factory.name)
        self._names = {name.casefold() for name in names}
        self._begun: dict[Hashable, _Question] = {}
        self._kept = 0
        #: how many attempts were told by others
        self.told = 0

    def decide(self, attempt: Attempt, states: list[LockoutState]) -> Decided:
        """How an attempt ends, as ``decide`` says."""
        key = self._key(attempt)
        if key is None or len(states) > 1 or states[0].key() != _NO_FAILURES:
            return decide(self._resolved, attempt, states)
        result = self._end(key, attempt)
        if result is not None:
            self.told += 1
            return Decided(result, states)
        made: list[_Asked] = []

        def asked(attempt: Attempt, resolved: ResolvedDevice) -> _Asked:
            made.append(_Asked(attempt, resolved))
            return made[-1]

        decided = decide(self._resolved, attempt, states, oracle_of=asked)
        (after, *more) = decided.lockout_states
        if len(made) == 1 and not made[0].doubts and not more and after.key() == _NO_FAILURES:
            self._keep(key, attempt, made[0].noted, decided.result)
        return decided

    def _key(self, attempt: Attempt) -> Hashable:
        """What a decision reads of an attempt without asking; None where that is not told."""
        if (
            attempt.servers is not self._servers
            or attempt.algorithms is not None
            or attempt.during is not None
            or attempt.wrong_before
            or attempt.elevate_wrong_before
        ):
            return None
        name: str | int | None = attempt.name
        if attempt.name is not None and attempt.name.casefold() not in self._names:
            held = any(item.startswith("server:") for item in attempt.knows)  # which may be of this name
            name = attempt.name if held else _NOBODY
        day: datetime.date = attempt.moment.date()
        return (
            attempt.via,
            name,
            attempt.elevate,
            attempt.elevate_name,
            len(attempt.passwords),
            len(attempt.elevate_passwords),
            day,
            attempt.destination,
            attempt.source is None,
            attempt.knows,
            attempt.keys,
            attempt.certificates,
            attempt.ssh_versions,
            attempt.busy,
            attempt.down,
        )

    def _end(self, key: Hashable, attempt: Attempt) -> Result | None:
        """The end that an attempt's answers lead to, if somebody has come there before."""
        at: _Question | Result | None = self._begun.get(key)
        if at is None:
            return None
        oracle = AttemptOracle(attempt, self._resolved)
        while at.__class__ is _Question:
            at = at.answers.get(at.ask(oracle))
        return at if isinstance(at, Result) and not oracle.doubts else None

    def _keep(self, key: Hashable, attempt: Attempt, noted: list[tuple[Asking, Hashable]], result: Result) -> None:
        if not noted or (attempt.name is not None and self._shows(result, attempt.name)):
            return
        if self._kept + len(noted) > _MOST_KEPT:
            self._begun.clear()
            self._kept = 0
        self._kept += len(noted)
        at = self._begun.setdefault(key, _Question(noted[0][0]))
        for (_, answer), (ask, _) in pairwise(noted):
            found = at.answers.setdefault(answer, _Question(ask))
            assert isinstance(found, _Question), "the same answers lead to the same question"
            at = found
        at.answers[noted[-1][1]] = result

    def _shows(self, result: Result, name: str) -> bool:
        """Whether a trace shows a name that stands for others."""
        if name.casefold() in self._names:
            return False
        return any(name in str(word) for step in result.trace for word in step.arguments)


_NO_FAILURES = LockoutState().key()
