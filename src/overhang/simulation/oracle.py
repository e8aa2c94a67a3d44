"""Answers to the questions of the decision. The decision never reads an attempt's answers itself: it asks an oracle.
``AttemptOracle`` answers for one person
with what that person knows and types. Where a value is unknown it follows every answer: the decision is run again from
the start for each, with the answers before it kept (``branch`` and ``advance``).
"""

from abc import ABC, abstractmethod
from collections.abc import Hashable, Iterable, Sequence
from typing import Any, NamedTuple

from overhang.model import Address, Configured, Hours, PublicKey
from overhang.model.stored_secret import Form
from overhang.model.verification import opens
from overhang.simulation.reasons import Reason, Stage
from overhang.simulation.resolve import ResolvedDevice
from overhang.simulation.result import Attempt, FromAttempt, Provenance, Step
from overhang.simulation.source_lists import ResolvedSourceList
from overhang.simulation.views import Credential, ResolvedEntry


class Doubt(NamedTuple):
    """A question in doubt: its step in the trace, and which of its answers was followed."""

    step: Step
    choice: int
    choices: int


class ServerAnswer(NamedTuple):
    """The answer of a server that is up; ``level`` is None where it gives none."""

    accepts: bool
    level: int | None = None
    typed: bool = True


class Oracle(ABC):
    """The questions, and the reruns for each answer to those in doubt."""

    #: whether the person answers each question once, so that it is never too often
    answers_once = False
    #: whether only who may get in matters, and how far: of what is in doubt, what keeps somebody out is not followed
    widest = False

    def __init__(self) -> None:
        self.doubts: list[Doubt] = []
        self._at = 0
        self._settled: dict[Hashable, Any] = {}

    def restart(self) -> None:
        """Begin another run with the answers that ``advance`` left."""
        self._at = 0
        self._settled = {}

    @property
    def asked(self) -> int:
        """How many questions this run has asked."""
        return len(self._settled)

    def advance(self) -> bool:
        """Go on to the next combination of answers; false when all have been followed."""
        while self.doubts:
            last = self.doubts[-1]
            if last.choice + 1 < last.choices:
                self.doubts[-1] = last._replace(choice=last.choice + 1)
                return True
            self.doubts.pop()
        return False

    def branch(self, question: Hashable, options: Sequence[Any], step: Step) -> Any:
        """One of ``options``, each in turn; the same question has the same answer within a run."""
        if question in self._settled:
            return self._settled[question]
        if self._at == len(self.doubts):
            self.doubts.append(Doubt(step, 0, len(options)))
        answer = options[self.doubts[self._at].choice]
        self._at += 1
        self._settled[question] = answer
        return answer

    def levels(self, options: Sequence[int | None], *, compared: bool) -> Sequence[int | None]:
        """Those of the levels that somebody may have, where that is not known, that have to be followed; ``compared``:
        something else than how far it leads hangs on the level."""
        del compared
        return options

    @abstractmethod
    def offer(self, texts: tuple[str, ...], index: int) -> None:
        """The person now answers with the text number ``index`` of ``texts``, or with none."""

    @abstractmethod
    def offers_text(self) -> str | None:
        """What is typed now; None for nothing."""

    def offered(self, count: int) -> Iterable[int]:
        """The numbers of the communities, from 1, that what is offered may be; the others need not be asked about."""
        return range(1, count + 1)

    @abstractmethod
    def opens(self, credential: Credential) -> bool:
        """Whether what the person knows or types now opens a stored password."""

    @abstractmethod
    def holds_key(self, item: str, keys: Sequence[Configured[PublicKey]]) -> PublicKey | bool:
        """Whether the person holds a private key of one of ``keys``, known as ``item``; the key where it is offered."""

    @abstractmethod
    def holds_certificate(self, item: str, authority: PublicKey, name: str) -> bool:
        """Whether the person holds a key that ``authority`` has certified for the account ``name``."""

    @abstractmethod
    def goes_to(self, addresses: frozenset[str], destination: Address | None) -> bool:
        """Whether the login goes to one of these addresses of the device."""

    @abstractmethod
    def within(self, hours: Configured[Hours]) -> bool:
        """Whether the clock of the device shows a time within ``hours``."""

    @abstractmethod
    def source_family(self) -> int:
        """4 or 6."""

    @abstractmethod
    def source_in(self, sources: ResolvedSourceList) -> tuple[bool, Provenance]:
        """Whether a list allows the source, and the line that says so."""

    @abstractmethod
    def free(self, vtys: list[ResolvedEntry]) -> list[ResolvedEntry]:
        """The VTYs that are free, in order."""

    @abstractmethod
    def is_up(self, address: str, group: str, name: str | None) -> bool:
        """Whether an AAA server of ``group`` answers to the account ``name`` and what is typed now."""

    @abstractmethod
    def server_says(self, group: str, name: str | None) -> ServerAnswer:
        """The answer of a server of ``group`` that is up to the account ``name`` and what is typed now."""


class AttemptOracle(Oracle):
    """Answers for the person of one attempt."""

    def __init__(self, attempt: Attempt, resolved: ResolvedDevice) -> None:
        super().__init__()
        self.attempt = attempt
        self._resolved = resolved
        self._text: str | None = None

    def offer(self, texts: tuple[str, ...], index: int) -> None:
        self._text = texts[index] if index < len(texts) else None

    def offers_text(self) -> str | None:
        return self._text

    def opens(self, credential: Credential) -> bool:
        if credential.item in self.attempt.knows or credential.stored.form is Form.FACTORY:
            return True
        if self._text is None:
            return False
        answer = opens(credential.stored, self._resolved.typed(self._text))
        if answer is None:
            step = Step(Stage.AUTHENTICATION, Reason.UNSURE_PASSWORD, credential.origin, (credential.label,))
            return bool(self.branch((credential.item, self._text), (True, False), step))
        return answer

    def holds_key(self, item: str, keys: Sequence[Configured[PublicKey]]) -> PublicKey | bool:
        offered = {each[:2]: each for each in self.attempt.keys}
        found = next((offered[said.value[:2]] for said in keys if said.value[:2] in offered), None)
        return found if found is not None else item in self.attempt.knows

    def holds_certificate(self, item: str, authority: PublicKey, name: str) -> bool:
        return item in self.attempt.knows or any(
            each.authority[:2] == authority[:2] and name in each.names for each in self.attempt.certificates
        )

    def goes_to(self, addresses: frozenset[str], destination: Address | None) -> bool:
        if destination is not None:
            return str(destination) in addresses
        step = Step(Stage.REACHABILITY, Reason.UNSURE_DESTINATION, FromAttempt("to"))
        return bool(self.branch(("to", addresses), (True, False), step))

    def within(self, hours: Configured[Hours]) -> bool:
        if self.attempt.during is not None:
            return hours.value in self.attempt.during
        local = self._resolved.local_time(self.attempt.moment)
        if local is not None:
            return hours.value.hold(local)
        step = Step(Stage.AUTHENTICATION, Reason.UNSURE_TIME, hours.origin)
        return bool(self.branch(("hours", hours.value), (True, False), step))

    def source_family(self) -> int:
        return self._source(Reason.UNSURE_FAMILY).family

    def source_in(self, sources: ResolvedSourceList) -> tuple[bool, Provenance]:
        if self.attempt.source is None:
            alike = sources.alike()
            allowed, origin = alike if alike is not None else sources.decide(self._source_for(sources))
        else:
            allowed, origin = sources.decide(self.attempt.source)
        if allowed is None:
            about = f"whether list {sources.name} allows the source"
            step = Step(Stage.REACHABILITY, Reason.UNSURE_UNREAD, origin, (about,))
            allowed = bool(self.branch(("list", sources.name), (True, False), step))
        return allowed, origin

    def _source_for(self, sources: ResolvedSourceList) -> Address:
        return self._source(Reason.UNSURE_SOURCE, sources.name)

    def _source(self, code: Reason, *arguments: str) -> Address:
        """The source; where none is given, one of each kind that some list tells from the others."""
        if self.attempt.source is not None:
            return self.attempt.source
        step = Step(Stage.REACHABILITY, code, FromAttempt("from"), arguments)
        found: Address = self.branch("source", self._resolved.source_classes(), step)
        return found

    def free(self, vtys: list[ResolvedEntry]) -> list[ResolvedEntry]:
        busy = self.attempt.busy
        return [vty for vty in vtys if vty.number not in busy] if busy else vtys

    def is_up(self, address: str, group: str, name: str | None) -> bool:
        del group, name
        return address not in self.attempt.down

    def server_says(self, group: str, name: str | None) -> ServerAnswer:
        held = self.attempt.servers
        item = f"server:{group}/{name}"
        if held is not None:
            account = held.get(group, {}).get(name) if name is not None else None
            if account is None:
                return ServerAnswer(False, typed=self._text is not None)
            level = account.get("level")
            if item in self.attempt.knows or (self._text is not None and self._text == account.get("password")):
                return ServerAnswer(True, level)
            if self._text is None or "password" in account:
                return ServerAnswer(False, typed=self._text is not None)
            return ServerAnswer(self._in_doubt(item, group), level)
        if item in self.attempt.knows:
            return ServerAnswer(True)
        if self._text is None or name is None:
            return ServerAnswer(False, typed=self._text is not None)
        return ServerAnswer(self._in_doubt(item, group))

    def _in_doubt(self, item: str, group: str) -> bool:
        step = Step(Stage.AUTHENTICATION, Reason.UNSURE_SERVER, FromAttempt("servers"), (group,))
        return bool(self.branch((item, self._text), (True, False), step))
