"""The doors of devices that stand in: sockets on this machine, and what happens when somebody connects.

Whether a connection is taken at all is decided before a byte is sent: one that is refused is reset, as if nothing
listened there.
"""

import asyncio
import contextlib
import logging
import socket
import struct
from collections.abc import Callable, Iterable
from typing import Any, Protocol

from overhang.errors import OverhangError
from overhang.stand_in.dialog import Shell, log_in
from overhang.stand_in.drive import Asker, Gone, Line, drive
from overhang.stand_in.machine import Machine, Seat
from overhang.stand_in.places import Place, Sources
from overhang.stand_in.telnet import TelnetLine

#: So many connections to one door may wait at a time; further ones are reset.
MOST_WAITING = 512
_MOST_TRIES = 20


class PortTaken(OverhangError):
    """A port that cannot be had."""


class Handler(Protocol):
    """Speaks one protocol over a connection that was taken."""

    async def __call__(self, door: "Door", connection: socket.socket, seat: Seat) -> None:
        """Until it is over."""
        ...


class Door:
    """One way into one device, at the same port of each of its places. It listens while the device's service is on."""

    def __init__(
        self, machine: Machine, via: str, places: list[Place], port: int, sources: Sources, handler: Handler, ask: Asker
    ) -> None:
        self.machine, self.via, self.places = machine, via, places
        self.ask = ask
        self.port = port
        self._sources, self._handler = sources, handler
        #: bound sockets, one for each place: while none listens, nobody else gets the port, and connecting is refused
        self._sockets: list[socket.socket] = []
        self._accepting: list[asyncio.Task[None]] = []
        self._tasks: set[asyncio.Task[None]] = set()
        #: faults of this program that a connection has met; the run ends with the first of them
        self.problems: list[BaseException] = []

    @property
    def wanted(self) -> bool:
        """Whether the device's service is on, or nobody can tell."""
        service = self.machine.resolved.services.get(self.via)
        return service is not None and service.on.value != "off"

    def settle(self) -> None:
        """Listen, or stop listening, as the device's configuration says now. Raises PortTaken."""
        if self.wanted and not self._accepting:
            self.take_port()
            loop = asyncio.get_running_loop()
            for place, each in zip(self.places, self._sockets, strict=True):
                each.listen(128)
                each.setblocking(False)
                self._accepting.append(loop.create_task(self._accept(place, each)))
        elif not self.wanted and self._accepting:
            self._shut()
            self.take_port()

    def take_port(self) -> None:
        """Keep the port that was asked for, or one that is free, at every place. Raises PortTaken."""
        if self._sockets:
            return
        for left in reversed(range(_MOST_TRIES)):
            try:
                self._sockets = self._bound(self.port)
            except OSError as error:
                if self.port or not left:
                    where = f"{self.machine.name}, {self.via}: {self.places[0].here} port {self.port}"
                    raise PortTaken(f"{where} cannot be had: {error.strerror}; choose others (--ports)") from None
            else:
                self.port = self._sockets[0].getsockname()[1]
                return

    def _bound(self, port: int) -> list[socket.socket]:
        found: list[socket.socket] = []
        try:
            for place in self.places:
                each = socket.socket(socket.AF_INET, socket.SOCK_STREAM)
                found.append(each)
                each.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
                each.bind((place.here, port))
                port = each.getsockname()[1]
        except OSError:
            for each in found:
                each.close()
            raise
        return found

    def _shut(self) -> None:
        for task in self._accepting:
            task.cancel()
        for each in self._sockets:
            each.close()
        self._accepting, self._sockets = [], []

    async def close(self) -> None:
        """Stop listening, and end every connection."""
        self._shut()
        for task in list(self._tasks):
            task.cancel()
        await asyncio.gather(*self._tasks, return_exceptions=True)

    async def _accept(self, place: Place, listening: socket.socket) -> None:
        loop = asyncio.get_running_loop()
        while True:
            try:
                connection, peer = await loop.sock_accept(listening)
            except OSError:  # out of files, or the other side has gone already
                await asyncio.sleep(0.05)
                continue
            if len(self._tasks) >= MOST_WAITING:
                reset(connection)
                continue
            task = loop.create_task(self._serve(connection, peer[0], place))
            self._tasks.add(task)
            task.add_done_callback(self._served)

    def _served(self, task: "asyncio.Task[None]") -> None:
        self._tasks.discard(task)
        problem = None if task.cancelled() else task.exception()
        if problem is not None:
            self.problems.append(problem)

    async def _serve(self, connection: socket.socket, peer: str, place: Place) -> None:
        machine, source = self.machine, self._sources.of(peer)
        connection.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)  # or each prompt waits for an acknowledgement
        why = machine.limit(self.via)
        if why:
            machine.limited(self.via, peer, source, why)
            reset(connection)
            return
        seat = machine.open(self.via, peer, source, place.own)
        try:
            seat.visit.arrive()
            if seat.visit.outcome == "refused":
                reset(connection)
                return
            await self._handler(self, connection, seat)
        finally:
            with contextlib.suppress(OSError):
                connection.close()
            if not seat.outlives:
                machine.close(seat)


def watch(door_problems: list[BaseException]) -> None:
    """Keep quiet what libraries say of odd clients, which may quote what was typed; collect faults of this program."""
    for name in ("asyncssh", "aiohttp", "asyncio"):
        logging.getLogger(name).setLevel(logging.CRITICAL + 1)

    def met(loop: asyncio.AbstractEventLoop, context: dict[str, Any]) -> None:
        del loop
        problem = context.get("exception")
        if isinstance(problem, Exception) and not isinstance(problem, OSError):
            door_problems.append(problem)

    asyncio.get_running_loop().set_exception_handler(met)


def raise_first(doors: Iterable[Door]) -> None:
    """Raise what went wrong inside a connection, if anything did."""
    for door in doors:
        for problem in door.problems:
            raise problem


def reset(connection: socket.socket) -> None:
    """End a connection as if nobody had listened."""
    with contextlib.suppress(OSError):
        connection.setsockopt(socket.SOL_SOCKET, socket.SO_LINGER, struct.pack("ii", 1, 0))
        connection.close()


async def speak_telnet(door: Door, connection: socket.socket, seat: Seat) -> None:
    """Telnet: the login, then the shell."""
    reader, writer = await asyncio.open_connection(sock=connection, limit=65_536)
    seat.hang_up = writer.close
    line = TelnetLine(reader, writer)

    def limit(seconds: float | None) -> None:
        line.limit = seconds

    try:
        await hold(door.machine, seat, line, limit, door.ask)
        await asyncio.wait_for(writer.drain(), 5)
    except (Gone, ConnectionError, TimeoutError):
        pass
    finally:
        writer.close()


async def hold(machine: Machine, seat: Seat, line: Line, limit: Callable[[float | None], None], ask: Asker) -> None:
    """A login and its session over a connection that shows lines. ``limit`` is told how long an answer may take."""
    within = machine.idle(seat)  # whoever says nothing at the prompt holds a VTY as an idle session does
    limit(None if within is None else machine.clock.real(within))
    visit = seat.visit
    try:
        await drive(log_in(visit, machine.config.device), line, ask)
    finally:
        machine.report(seat)
    if visit.outcome != "admitted":
        return
    idle = machine.idle(seat)
    limit(None if idle is None else machine.clock.real(idle))
    try:
        await drive(Shell(visit, machine.name, machine.desk(seat)).run(), line, ask)
    except Gone as gone:
        if gone.why:
            line.say(f"Closed: {gone.why}.")
        raise
