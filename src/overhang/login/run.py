"""One run of the decision: what it is about, whom it asks, what happened so far."""

from collections.abc import Sequence
from typing import Any

from overhang.device import Block, Said
from overhang.login import words
from overhang.login.asker import Asker
from overhang.login.failures import Failures
from overhang.login.result import Attempt, Because, Fact, FromAttempt, Step
from overhang.login.setting import Setting
from overhang.profiles import KEYS, UNKNOWN
from overhang.text import Origin

_step = tuple.__new__  # steps are made by the million; this is half the time of calling Step
_NOTHING_ASKED: frozenset[str] = frozenset()


class Run:
    """See the module. Each ``note`` adds a step; ``stop`` adds the last one and the outcome."""

    __slots__ = ("asked", "asker", "attempt", "failures", "outcome", "setting", "stage", "steps")

    def __init__(self, setting: Setting, attempt: Attempt, asker: Asker, failures: Failures) -> None:
        self.setting = setting
        self.attempt = attempt
        self.asker = asker
        self.failures = failures
        self.steps: list[Step] = []
        self.outcome = ""
        self.asked = _NOTHING_ASKED
        self.stage = words.CHECKING

    def note(self, stage: str, sentence: str, origin: Because, *arguments: Any) -> None:
        """Add a step."""
        self.steps.append(_step(Step, (stage, sentence, origin, arguments, "")))

    def offer(self, texts: tuple[str, ...], index: int) -> None:
        """The person turns to their next answer; what is asked for from now on is a new question."""
        if "password" in self.asked:
            self.asked = self.asked - {"password"}
        self.asker.offer(texts, index)

    def ask(self, what: str, sentence: str, origin: Because, *arguments: Any) -> None:
        """Note that a "name" or a "password" is asked for: the person sees one question each, whoever looks at it."""
        seen = what in self.asked
        self.steps.append(_step(Step, (self.stage, sentence, origin, arguments, "" if seen else what)))
        if not seen:
            self.asked = self.asked | {what}

    def nothing(self) -> FromAttempt:
        """What a denial comes from where a password is asked for and none is offered."""
        return FromAttempt("elevate_password" if self.stage == words.ELEVATING else "password")

    def stop(self, outcome: str, stage: str, sentence: str, origin: Because, *arguments: Any) -> None:
        """Add the step that ends the attempt."""
        self.steps.append(Step(stage, sentence, origin, arguments))
        self.outcome = outcome

    def settle(self, fact: Fact, key: str) -> Any:
        """The value of a fact that a profile key describes; where it is unknown, each value in its turn."""
        if fact.value is not UNKNOWN:
            return fact.value
        return self.choose(KEYS[key].options, fact.origin, KEYS[key].about, key)

    def settle_level(self, fact: Fact, about: str) -> int | None:
        """A level; where it is unknown, each level in its turn, and None for none of its own."""
        if fact.value is not UNKNOWN:
            return int(fact.value)
        found: int | None = self.choose((None, *range(16)), fact.origin, about)
        return found

    def choose(self, options: Sequence[Any], origin: Because, about: str, question: str = "") -> Any:
        """Each of ``options`` in its turn, where what ``origin`` leaves unsaid is in doubt."""
        sentence = words.UNSURE_UNREAD if isinstance(origin, Origin) else words.UNSURE_UNSAID
        if origin == self.setting.unknown_profile:
            sentence = words.UNSURE_PROFILE
        return self.asker.fork((origin, question or about), options, Step(words.ARRIVING, sentence, origin, (about,)))

    def maybe(self, block: Block, about: str) -> bool:
        """Whether a block that could not be wholly read says something after all: false for one that could."""
        return block.doubt is not None and bool(self.choose((False, True), block.doubt, about))

    def allowed_from(self, said: Said[str], what: str, stage: str = words.ARRIVING) -> tuple[bool, Step]:
        """Whether the source list named by ``said`` allows the source, and the step that tells why."""
        sources = self.setting.lists.get(said.value)
        if sources is None:
            allows = self.settle(self.setting.facts["missing-list"], "missing-list") == "allow"
            sentence = words.LIST_MISSING_ALLOWS if allows else words.LIST_MISSING_DENIES
            return allows, Step(stage, sentence, said.origin, (said.value, what))
        allows, origin = self.asker.source_in(sources)
        sentence = words.LIST_ALLOWS if allows else words.LIST_DENIES
        if not allows and origin == sources.origin:
            sentence = words.LIST_SILENT
        return allows, Step(stage, sentence, origin, (said.value, what))
