"""A device that stands in: its running configuration, the wrong answers so far, who is in, and what a session can do.

Nothing here knows of sockets. A door (SSH, Telnet, the web, a port) opens a ``Seat`` for each connection, drives its
visit, and says when it is over.
"""

from collections import deque
from collections.abc import Callable, Mapping
from typing import Any, NamedTuple

from overhang.changes.change import NOT_THERE, NOT_UNDERSTOOD, SheetChange
from overhang.errors import OverhangError
from overhang.exposure import resolve
from overhang.language import ParsedConfig, unparse
from overhang.language.parsed_config import read_sheet
from overhang.language.unparser import unparse_value
from overhang.model import Address, Saved
from overhang.model.vocabulary import PORTS, VTY_WAYS, way_label
from overhang.profiles import UNKNOWN
from overhang.project import Project
from overhang.simulation import Attempt, LockoutState, ResolvedDevice, Result
from overhang.simulation.idle import idle_after
from overhang.simulation.visit import Moment, Visit
from overhang.stand_in.clock import Clocklike
from overhang.stand_in.events import Event

_CHANGE = "change"


class Keeper:
    """Where a device keeps its running and its saved configuration. This one keeps them nowhere."""

    def keep(self, which: str, text: str) -> None:
        """Keep a text as ``running`` or ``saved``."""


class Setting(NamedTuple):
    """What an attempt says of the world around a device: VTYs in use, servers that are down, what servers hold."""

    busy: frozenset[int] = frozenset()
    down: frozenset[str] = frozenset()
    servers: Mapping[str, Mapping[str, Mapping[str, Any]]] | None = None
    ssh_versions: tuple[int, ...] = (2,)
    algorithms: Mapping[str, tuple[str, ...]] | None = None


def _untold(event: Event) -> None:
    del event


class Seat:
    """One connection to a device: its visit, where it comes from, and how it is ended from outside."""

    def __init__(self, number: int, visit: Visit, peer: str, since: Moment) -> None:
        self.number, self.visit, self.peer, self.since = number, visit, peer, since
        self.hang_up: Callable[[], None] = lambda: None
        self.reported = False
        #: whether the session goes on when the connection ends, as one of the web does
        self.outlives = False

    @property
    def via(self) -> str:
        """The way."""
        return self.visit.attempt.via

    @property
    def is_in(self) -> bool:
        """Whether there is a session: the login is over, and admitted."""
        return not self.visit.question and self.visit.outcome == "admitted"


class Machine:
    """See the module. ``tell`` is given each event; where ``real_servers`` is set, AAA servers are really asked.
    Without ``limits`` any number of connections is taken."""

    def __init__(
        self,
        config: ParsedConfig,
        project: Project,
        clock: Clocklike,
        tell: Callable[[Event], None] = _untold,
        keeper: Keeper | None = None,
        *,
        limits: bool = True,
        resolved: ResolvedDevice | None = None,
    ) -> None:
        self.limits = limits
        self.config, self.project, self.clock = config, project, clock
        self.tell = tell
        self.real_servers = False
        #: the usernames that these hold
        self.server_names: frozenset[str] = frozenset()
        self.resolved = resolved or resolve(config, project)
        self.states = [LockoutState()]
        self.seats: dict[int, Seat] = {}
        self.setting = Setting(servers=project.servers)
        #: what has to be done whenever the configuration changes, as opening and closing doors
        self.changed: list[Callable[[], None]] = []
        self._keeper = keeper or Keeper()
        self._number = 0
        self._arrivals: dict[str, deque[float]] = {}
        self.running = _text(config)
        self.saved = self.running
        #: why the sheets could not be kept, "" where they are
        self.trouble = ""
        self._keep("running", self.running)

    def _keep(self, which: str, text: str) -> None:
        try:
            self._keeper.keep(which, text)
            self.trouble = ""
        except OverhangError as problem:
            self.trouble = str(problem)

    @property
    def name(self) -> str:
        """The device's name."""
        return self.config.device.name

    def now(self) -> Moment:
        """The moment on the device."""
        return self.clock.now()

    # -- connections -------------------------------------------------------------------------------------------------

    def limit(self, via: str) -> str:
        """Why no further connection is taken now: too many sessions, or too many within a minute; "" where one is.

        Asking counts as a connection.
        """
        service = {"ssh": self.config.device.ssh, "telnet": self.config.device.telnet}.get(via)
        if service is None or not self.limits:
            return ""
        at = self.now().at
        arrivals = self._arrivals.setdefault(via, deque())
        while arrivals and arrivals[0] <= at - 60:
            arrivals.popleft()
        if service.rate is not None and len(arrivals) >= service.rate.value:
            return f"more than {service.rate.value} connections within a minute"
        if service.sessions is not None:
            there = sum(seat.via == via for seat in self.seats.values())
            if there >= service.sessions.value:
                return f"{service.sessions.value} sessions are there already"
        if service.rate is not None:
            arrivals.append(at)
        return ""

    def open(
        self, via: str, peer: str, source: Address | None, destination: Address | None, name: str | None = None
    ) -> Seat:
        """A connection that has just come. Its visit has not arrived yet; the seat counts from now on."""
        held = {seat.visit.vty for seat in self.seats.values() if seat.via in VTY_WAYS} - {None}
        setting = self.setting
        attempt = Attempt(
            via,
            self.now().when,
            source,
            destination,
            name,
            ssh_versions=setting.ssh_versions,
            busy=setting.busy | {number for number in held if number is not None},
            down=setting.down,
            servers=setting.servers,
            algorithms=setting.algorithms if via == "ssh" else None,
        )
        self._number += 1
        seat = Seat(self._number, Visit(self, attempt, real_servers=self.real_servers), peer, self.now())
        self.seats[seat.number] = seat
        return seat

    def close(self, seat: Seat) -> None:
        """A connection is over."""
        if self.seats.pop(seat.number, None) is None:
            return
        if not seat.reported:
            self.report(seat)
        elif seat.is_in:
            self._event(seat, "leave", "", None)

    def report(self, seat: Seat, refused: str = "") -> None:
        """The login of a seat has ended, one way or another; ``refused``: since nothing could be agreed on, and why."""
        if not seat.reported:
            seat.reported = True
            result = seat.visit.result
            if refused:
                self._event(seat, "login", "refused", None, refused)
            elif seat.visit.question and not seat.visit.answered:
                self._event(seat, "login", "unfinished", None)
            else:
                self._event(seat, "login", result.outcome if result is not None else "refused", result)

    def limited(self, via: str, peer: str, source: Address | None, why: str) -> None:
        """A connection was not taken for a limit."""
        self.tell(
            Event(
                self.now().when, "limit", self.name, via, peer, _shown(source), None, None, "refused", None, None, why
            )
        )

    def idle(self, seat: Seat) -> float | None:
        """After how many seconds of the device an idle session ends; None for never, and where that is not known."""
        found = idle_after(self.resolved, seat.visit.attempt, seat.visit.since.endpoint)
        return None if found.value is UNKNOWN or found.value is None else float(found.value)

    def finish_within(self, via: str) -> float | None:
        """How many seconds of the device a login may take; None for any."""
        said = self.config.device.ssh.finish_within if via == "ssh" else None
        return None if said is None or said.value is None else float(said.value)

    def _event(self, seat: Seat, what: str, outcome: str, result: Result | None, why: str = "") -> None:
        attempt = seat.visit.attempt
        step = result.decided if result is not None else None
        self.tell(
            Event(
                self.now().when,
                what,
                self.name,
                attempt.via,
                seat.peer,
                _shown(attempt.source),
                self._known(attempt.elevate_name if what == "elevation" and attempt.elevate_name else attempt.name),
                seat.visit.vty,
                outcome,
                result.level if result is not None else None,
                step,
                step.reason if step is not None else why,
            )
        )

    def _known(self, name: str | None) -> str | None:
        """A username where some account has it; any other may be a password that was typed in the wrong place."""
        servers = self.project.servers or {}
        there = name in self.resolved.named or name in self.server_names
        there = there or any(name in accounts for accounts in servers.values())
        return name if there else None

    # -- what a session can do ---------------------------------------------------------------------------------------

    def desk(self, seat: Seat) -> "SeatDesk":
        """What the session of a seat can do."""
        return SeatDesk(self, seat)

    def apply(self, lines: list[str], who: str | None) -> list[str]:
        """Statements, in effect at once; what is wrong with them, and then nothing is changed."""
        change = SheetChange(self.config, "\n".join(lines) + "\n", _CHANGE)
        applied = list(change.steps())
        wrong = [each.remark for each in applied if each.remark and each.remark != NOT_THERE]
        if wrong:
            return [each.removeprefix(f"{NOT_UNDERSTOOD}: ") for each in wrong]
        if not applied:
            return []
        self._take(self._dated(applied[-1].config, "changed", who))
        if self.trouble:
            return [self.trouble]
        return [each.remark for each in applied if each.remark]

    def _take(self, config: ParsedConfig) -> None:
        """A configuration, in effect from now on: its text is the running sheet."""
        self._run(_text(config), config)
        self._keep("running", self.running)

    def _run(self, text: str, config: ParsedConfig) -> None:
        read = read_sheet(text, f"{self.name}, running")
        self.config = read._replace(profiles=config.profiles, assumed=config.assumed)
        self.running = text
        self.resolved = resolve(self.config, self.project)
        for each in self.changed:
            each()

    def _dated(self, config: ParsedConfig, field: str, who: str | None) -> ParsedConfig:
        """The configuration with the moment and the name of whoever has changed or saved it."""
        moment = Saved(self.now().when.replace(microsecond=0), who)
        line = f"device: {unparse_value('device', field, moment)}\n"
        return [each.config for each in SheetChange(config, line, _CHANGE).steps()][-1]

    def save_as_started(self) -> None:
        """What the device starts with is what it goes back to."""
        self._keeper.keep("saved", self.saved)

    def save(self, who: str | None) -> None:
        """Keep what is in effect."""
        self._take(self._dated(self.config, "saved", who))
        self.saved = self.running
        self._keep("saved", self.saved)

    def restart(self) -> None:
        """Go back to what was saved; every session ends, and no failure counts any more."""
        self.states = [LockoutState()]
        for seat in list(self.seats.values()):
            seat.hang_up()
        self._run(self.saved, self.config)
        self._keep("running", self.running)


class SeatDesk:
    """What one session can do at its device."""

    def __init__(self, machine: Machine, seat: Seat) -> None:
        self._machine, self._seat = machine, seat

    def me(self, visit: Visit) -> list[str]:
        """Who is in this session."""
        attempt = visit.attempt
        lines = [f"device {self._machine.name}", f"name {attempt.name or '(none)'}", f"level {visit.level}"]
        lines.append(f"way {way_label(attempt.via)}" + (f", VTY {visit.vty}" if visit.vty is not None else ""))
        if attempt.via not in PORTS:
            lines.append(f"from {_shown(attempt.source) or 'an unknown address'} ({self._seat.peer})")
        return lines

    def others(self) -> list[str]:
        """Who else is in: name, way, source, VTY, since when, one line for each."""
        there = [seat for seat in self._machine.seats.values() if seat is not self._seat]
        return [_line_of(seat) for seat in there] or ["nobody else"]

    def sheet(self) -> list[str]:
        """The device as it stands, secrets struck out."""
        return unparse(self._machine.config.stated, secrets=False).rstrip("\n").split("\n")

    def change(self, lines: list[str], visit: Visit) -> list[str]:
        """Statements, in effect at once."""
        return self._machine.apply(lines, visit.attempt.name)

    def save(self, visit: Visit) -> str:
        """Keep what is in effect."""
        self._machine.save(visit.attempt.name)
        return self._machine.trouble or "Saved."

    def restart(self, visit: Visit) -> None:
        """Go back to what was saved."""
        del visit
        self._machine.restart()

    def elevated(self, visit: Visit) -> None:
        """An elevation has ended."""
        result = visit.result
        if result is not None:
            outcome = result.elevation or result.outcome
            self._machine._event(self._seat, "elevation", outcome, result)


def _line_of(seat: Seat) -> str:
    visit = seat.visit
    where = f"VTY {visit.vty}" if visit.vty is not None else "no VTY"
    who = (visit.attempt.name or "(no name)") if seat.is_in else "(not logged in yet)"
    source = _shown(visit.attempt.source) or seat.peer
    return f"{who}, {way_label(seat.via)} from {source}, {where}, since {seat.since.when:%H:%M:%S}"


def _shown(source: Address | None) -> str | None:
    return None if source is None else str(source)


def _text(config: ParsedConfig) -> str:
    return unparse(config.stated, secrets=True)
