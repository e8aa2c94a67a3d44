"""A login as it is lived: one question after another, each answer decided when it is given.

The decision takes all answers of a person at once. A ``Visit`` gives it one answer at a time and goes on from there, so
that failures count when they happen, and other logins may come between.
"""

import datetime
from collections.abc import Mapping
from typing import NamedTuple, Protocol

from overhang.model import PublicKey
from overhang.simulation.decide import Decided, Since, decide
from overhang.simulation.lockout import LockoutState
from overhang.simulation.oracle import AttemptOracle, ServerAnswer
from overhang.simulation.reasons import Reason, Stage
from overhang.simulation.resolve import ResolvedDevice
from overhang.simulation.result import Attempt, Certificate, Result, Step


class Moment(NamedTuple):
    """A moment on a device: the date and time, and the seconds since it began to run."""

    when: datetime.datetime
    at: float


class Live(Protocol):
    """A device that runs: how it stands now, the wrong answers so far, and its clock."""

    resolved: ResolvedDevice
    states: list[LockoutState]

    def now(self) -> Moment:
        """The moment."""
        ...


class Exchange(NamedTuple):
    """A question to an AAA server: may this name in, with this text?

    ``repr`` leaves the text out.
    """

    group: str
    address: str
    name: str
    text: str

    def __repr__(self) -> str:
        return f"Exchange({self.group!r}, {self.address!r})"


class ServerReply(NamedTuple):
    """What a server replied; ``up`` is false where it did not."""

    up: bool
    accepts: bool = False
    level: int | None = None


class Unasked(Exception):
    """The decision needs the reply of a server that has not been asked yet."""

    def __init__(self, exchange: Exchange) -> None:
        super().__init__("a server has to be asked first")
        self.exchange = exchange


class _LiveOracle(AttemptOracle):
    """Answers as ``AttemptOracle`` does, with what real servers replied."""

    def __init__(self, attempt: Attempt, resolved: ResolvedDevice, replies: Mapping[Exchange, ServerReply]) -> None:
        super().__init__(attempt, resolved)
        self._replies = replies
        self._first: dict[str, str] = {}

    def _reply(self, address: str, group: str, name: str) -> ServerReply:
        exchange = Exchange(group, address, name, self.offers_text() or "")
        if exchange not in self._replies:
            raise Unasked(exchange)
        return self._replies[exchange]

    def is_up(self, address: str, group: str, name: str | None) -> bool:
        if name is None or self.offers_text() is None:
            return True  # the questions are put before a server is; whether it replies turns out then
        up = self._reply(address, group, name).up
        if up:
            self._first[group] = address
        return up

    def server_says(self, group: str, name: str | None) -> ServerAnswer:
        if name is None or self.offers_text() is None:
            return ServerAnswer(False, typed=False)
        if group not in self._first:
            return ServerAnswer(False)  # one that was not understood may be up; nobody can ask it
        reply = self._reply(self._first[group], group, name)
        return ServerAnswer(reply.accepts, reply.level)


#: What may be asked next.
NAME, PASSWORD = "name", "password"


class Visit:
    """One login, and then the session. ``question`` says what is asked next: a name, a password, or nothing ("").

    ``attempt`` holds what is known of the person at the start: the way, the source, perhaps the name. Where the device
    asks AAA servers that are real, ``real_servers`` is true, and ``Unasked`` is raised by whatever is answered; put the
    reply into ``replies``, and answer again.
    """

    def __init__(self, live: Live, attempt: Attempt, *, real_servers: bool = False) -> None:
        self._live = live
        self.attempt = attempt
        self.replies: dict[Exchange, ServerReply] | None = {} if real_servers else None
        self.question = ""
        #: whether a name that is asked for need not be given
        self.optional = False
        self.result: Result | None = None
        #: every step so far
        self.steps: list[Step] = []
        #: how far it came: what was reached, and the session
        self.since = Since()
        #: whether anything was answered at all
        self.answered = False
        self._named = attempt.name is not None
        self._wrong = 0
        self._lifting = False
        #: the steps, and the last trace, of what has been answered; what only waits for an answer is told anew
        self._before: list[Step] = []
        self._settled: tuple[Step, ...] = ()

    # -- what happens ------------------------------------------------------------------------------------------------

    def arrive(self) -> None:
        """Connect. Afterwards there is a question, or a result."""
        pause = self._live.resolved.device.management.pause
        if pause is not None:
            self._live.states = [each.copy() for each in self._live.states]
            for each in self._live.states:
                each.paused(pause.value, self._live.now().at)  # one that has ended is over for whoever comes now
        decided = self._decide(self.attempt)
        result = decided.result
        self._ask_on(result)
        guest = any(step.code is Reason.GUEST for step in result.trace)
        if not self._named and self.question != NAME and (guest or self.question):
            # A name may be given, and need not: guests have none, nor has whoever is known by a password alone.
            asked = self._asked(self._decided(self.attempt._replace(name="")).result)
            self.optional = NAME in asked
            self.question = NAME if self.optional else PASSWORD
        self._keep(decided)

    def give_name(self, name: str | None) -> None:
        """Answer with a username; None for none."""
        self._named = self.answered = True
        if self._lifting:
            self.attempt = self.attempt._replace(elevate_name=name)
        else:
            self.attempt = self.attempt._replace(name=name)
        self._go_on()

    def give_password(self, text: str | None) -> None:
        """Answer with a text; None for nothing at all. One that is not right may be followed by another question."""
        self.answered = True
        texts = () if text is None else (text,)
        if self._lifting:
            attempt = self.attempt._replace(elevate_passwords=texts, elevate_wrong_before=self._wrong)
        else:
            attempt = self.attempt._replace(passwords=texts, wrong_before=self._wrong)
        decided = self._decide(attempt)
        if text is not None and decided.waits and not self._through(decided.result):
            self._wrong += 1
            self._live.states = decided.lockout_states
            return
        self.question = ""
        self._keep(decided)

    def give_both(self, name: str | None, text: str | None) -> None:
        """Answer with a username and a text at once, as a form or an SSH client does, whether asked for or not."""
        self._named = True
        self.attempt = self.attempt._replace(name=name)
        self.question = PASSWORD
        self.give_password(text)

    def give_up(self) -> None:
        """Answer no more: the result stands as it is."""
        self.question = ""

    def give_key(self, key: PublicKey) -> Result:
        """Offer a key of which the person has proved to hold the private one, or one that does not fit. SSH only."""
        self.attempt = self.attempt._replace(keys=(*self.attempt.keys, key))
        return self._after_key()

    def give_certificate(self, certificate: Certificate) -> Result:
        """Offer a certified key, proved to be held."""
        self.attempt = self.attempt._replace(certificates=(*self.attempt.certificates, certificate))
        return self._after_key()

    def _after_key(self) -> Result:
        self.answered = True
        self.attempt = self.attempt._replace(passwords=(), wrong_before=self._wrong)
        return self._go_on()

    def elevate(self, level: int, name: str | None = None) -> None:
        """Ask for a level. ``name``: the account to elevate by, where it is another than the one that logged in."""
        self._lifting, self._wrong, self._named = True, 0, True
        self._before, self._settled = self.steps, self.since.steps
        self.attempt = self.attempt._replace(elevate=level, elevate_name=name, elevate_passwords=())
        if name is None and self.attempt.name is None:
            probe = self._decided(self.attempt._replace(elevate_name=""))
            if NAME in self._asked(probe.result):
                self._named, self.question = False, NAME
                return
        self._go_on()

    # -- how it stands -----------------------------------------------------------------------------------------------

    @property
    def outcome(self) -> str:
        """How it ends as it stands: admitted, denied, refused, dropped or unknown."""
        return self.result.outcome if self.result is not None else ""

    @property
    def level(self) -> int | None:
        """The level of the session, elevation included; None where there is none or it cannot be told."""
        return self.result.level if self.result is not None else None

    @property
    def vty(self) -> int | None:
        """The VTY that it takes."""
        taken = [step.arguments[0] for step in self.steps if step.code is Reason.VTY_TAKES]
        return int(taken[-1]) if taken else None

    @property
    def sure(self) -> bool:
        """Whether nothing about how far it came is in doubt."""
        return self.since.endpoint is not None

    @property
    def tried(self) -> int:
        """How many wrong answers were given to what is asked now."""
        return self._wrong

    # -- deciding ----------------------------------------------------------------------------------------------------

    def _decided(self, attempt: Attempt) -> Decided:
        moment = self._live.now()
        attempt = attempt._replace(moment=moment.when, at=moment.at)
        replies = self.replies
        since = self.since if self._lifting else self.since.at_prompt()
        if replies is None:
            return decide(self._live.resolved, attempt, self._live.states, since=since)
        return decide(
            self._live.resolved,
            attempt,
            self._live.states,
            since=since,
            oracle_of=lambda attempt, resolved: _LiveOracle(attempt, resolved, replies),
        )

    def _decide(self, attempt: Attempt) -> Decided:
        """Decide, and keep the steps, and how far it came."""
        decided = self._decided(attempt)
        trace = decided.result.trace
        same = 0
        while same < min(len(self._settled), len(trace)) and self._settled[same] == trace[same]:
            same += 1
        if self._wrong and not self._lifting:
            same = min(same, self.since.reached)  # each try is told
        self.steps = [*self._before, *trace[same:]]
        self.result = decided.result
        typed = attempt.elevate_passwords if self._lifting else attempt.passwords
        if typed or (self.since.session is not None and not self._lifting):
            self._before, self._settled = self.steps, trace
        found = decided.since
        if not self._lifting:
            self.attempt = attempt
            self.since = found if found is not None else Since()  # in doubt, the next answer is decided from the start
        return decided

    def _asked(self, result: Result) -> set[str]:
        stage = Stage.ELEVATION if self._lifting else Stage.AUTHENTICATION
        return {step.asked for step in result.trace if step.stage is stage and step.asked}

    def _go_on(self) -> Result:
        """Decide and find what is asked next, where nothing has been typed."""
        decided = self._decide(self.attempt)
        self._ask_on(decided.result)
        self._keep(decided)
        return decided.result

    def _keep(self, decided: Decided) -> None:
        """Keep the failures as they stand now, unless something is still asked and all of it may come to nothing."""
        if self.question:
            return
        self._live.states = decided.lockout_states
        session, level = self.since.session, decided.result.level
        if self._lifting and session is not None and level is not None:
            self.since = self.since._replace(session=session._replace(level=level))

    def _ask_on(self, result: Result) -> None:
        asked = self._asked(result)
        if NAME in asked and not self._named:
            self.question = NAME
        else:
            self.question = PASSWORD if PASSWORD in asked else ""

    def _through(self, result: Result) -> bool:
        return result.elevation == "granted" if self._lifting else result.outcome == "admitted"


class Stopped:
    """A device on which the clock stands still: for one login, looked at on its own."""

    def __init__(self, resolved: ResolvedDevice, moment: datetime.datetime, at: float = 0) -> None:
        self.resolved = resolved
        self.states = [LockoutState()]
        self._moment = Moment(moment, at)

    def now(self) -> Moment:
        """The moment, always the same."""
        return self._moment
