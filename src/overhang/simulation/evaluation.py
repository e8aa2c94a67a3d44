"""One run of the decision: the attempt, the oracle it asks, and the trace so far."""

from collections.abc import Sequence
from typing import Any

from overhang.model import BlockInfo, Configured
from overhang.profiles import KEYS, UNKNOWN
from overhang.simulation.lockout import LockoutState
from overhang.simulation.oracle import Oracle
from overhang.simulation.reasons import Reason, Stage
from overhang.simulation.resolve import ResolvedDevice
from overhang.simulation.result import Attempt, FromAttempt, Provenance, Resolved, Step
from overhang.text import Origin

#: The keys of profiles that give a level, and what a level may be.
LEVELS = frozenset({"unsaid-account-level", "unsaid-level", "unsaid-level-console", "bare-elevation-level"})
EVERY_LEVEL = (None, *range(16))
#: Keys about where logins arrive at all, and the value under which more of them do than under the others.
WIDEST: dict[str, tuple[Any, ...]] = {
    "unsaid-ssh": ("on",),
    "unsaid-telnet": ("on",),
    "unsaid-http": ("on",),
    "unsaid-https": ("on",),
    "unsaid-versions": ((1, 2),),
    "wants-identity": (False,),
}
_NOTHING_ASKED: frozenset[str] = frozenset()


class Evaluation:
    """See the module. Each ``note`` adds a step; ``stop`` adds the last one and the outcome."""

    __slots__ = ("asked", "attempt", "lockout", "oracle", "outcome", "resolved", "stage", "steps", "waits")

    def __init__(self, resolved: ResolvedDevice, attempt: Attempt, oracle: Oracle, lockout: LockoutState) -> None:
        self.resolved = resolved
        self.attempt = attempt
        self.oracle = oracle
        self.lockout = lockout
        self.steps: list[Step] = []
        self.outcome = ""
        self.asked = _NOTHING_ASKED
        self.stage = Stage.AUTHENTICATION
        #: whether it ended only since the person answered no more: another answer would be taken
        self.waits = False

    def note(self, stage: Stage, code: Reason, origin: Provenance, *arguments: Any) -> None:
        """Add a step."""
        self.steps.append(Step(stage, code, origin, arguments))

    def offer(self, texts: tuple[str, ...], index: int) -> None:
        """Go on to the person's next answer; what is asked for from now on is a new question."""
        if "password" in self.asked:
            self.asked = self.asked - {"password"}
        self.oracle.offer(texts, index)

    def ask(self, what: str, code: Reason, origin: Provenance, *arguments: Any) -> None:
        """Note that a "name" or a "password" is asked for; several methods that use one answer make one prompt."""
        seen = what in self.asked
        self.steps.append(Step(self.stage, code, origin, arguments, "" if seen else what))
        if not seen:
            self.asked = self.asked | {what}

    def nothing(self) -> FromAttempt:
        """What a denial comes from where a password is asked for and none is offered."""
        return FromAttempt("elevate_password" if self.stage == Stage.ELEVATION else "password")

    def stop(self, outcome: str, stage: Stage, code: Reason, origin: Provenance, *arguments: Any) -> None:
        """Add the step that ends the attempt."""
        self.steps.append(Step(stage, code, origin, arguments))
        self.outcome = outcome

    def settle(self, fact: Resolved, key: str, *, compared: bool = True) -> Any:
        """The value of a fact that a profile key describes; where it is unknown, each value in its turn. ``compared``
        is about levels: see ``Oracle``."""
        if fact.value is not UNKNOWN:
            return fact.value
        options: Sequence[Any] = KEYS[key].options
        if key in LEVELS:
            options = self.oracle.levels(options, compared=compared)
        return self.choose(options, fact.origin, KEYS[key].about, key, WIDEST.get(key))

    def tries(self, fact: Resolved, key: str) -> int:
        """How many answers are taken; of somebody who makes one, it does not matter how many more there might be."""
        if fact.value is UNKNOWN and self.oracle.answers_once:
            return int(max(KEYS[key].options))
        return int(self.settle(fact, key))

    def settle_level(self, fact: Resolved, about: str, *, compared: bool = True) -> int | None:
        """A level; where it is unknown, each level in its turn, and None for none of its own."""
        if fact.value is not UNKNOWN:
            return int(fact.value)
        return self.choose_level(fact.origin, about, compared=compared)

    def choose_level(self, origin: Provenance, about: str, *, compared: bool = True) -> int | None:
        """Each level in its turn, and None for none, where a line that was not understood may give one."""
        found: int | None = self.choose(self.oracle.levels(EVERY_LEVEL, compared=compared), origin, about)
        return found

    def choose(
        self,
        options: Sequence[Any],
        origin: Provenance,
        about: str,
        question: str = "",
        widest: Sequence[Any] | None = None,
    ) -> Any:
        """Each of ``options`` in turn, where a value that ``origin`` does not set is in doubt. ``widest`` are those by
        which somebody gets in, and as far, as by any other, where some are known to be that."""
        if widest is not None and self.oracle.widest:
            options = widest
        known = self.resolved.questions.get((origin, about, question))
        if known is None:
            code = Reason.UNSURE_UNREAD if isinstance(origin, Origin) else Reason.UNSURE_UNSAID
            if origin == self.resolved.unknown_profile:
                code = Reason.UNSURE_PROFILE
            known = (origin, question or about), Step(Stage.REACHABILITY, code, origin, (about,))
            self.resolved.questions[origin, about, question] = known
        return self.oracle.branch(known[0], options, known[1])

    def maybe(self, block: BlockInfo, about: str, question: str = "") -> bool:
        """Whether the lines of a block that were not understood set something; false for a block that was
        understood."""
        return block.doubt is not None and bool(self.choose((False, True), block.doubt, about, question))

    def allowed_from(self, said: Configured[str], what: str, stage: Stage = Stage.REACHABILITY) -> tuple[bool, Step]:
        """Whether the source list named by ``said`` allows the source, and the step that shows why."""
        sources = self.resolved.lists.get(said.value)
        if sources is None:
            allows = self.settle(self.resolved.facts["missing-list"], "missing-list") == "allow"
            code = Reason.LIST_MISSING_ALLOWS if allows else Reason.LIST_MISSING_DENIES
            return allows, Step(stage, code, said.origin, (said.value, what))
        allows, origin = self.oracle.source_in(sources)
        code = Reason.LIST_ALLOWS if allows else Reason.LIST_DENIES
        if origin == sources.end:
            code = Reason.LIST_END_ALLOWS if allows else Reason.LIST_SILENT
        if not allows and sources.silent:
            code = Reason.LIST_DROPS
        return allows, Step(stage, code, origin, (said.value, what))
