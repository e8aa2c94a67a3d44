"""Driving a dialog over a connection."""

from collections.abc import Awaitable, Callable
from typing import Any, Protocol

from overhang.simulation.visit import Exchange, ServerReply, Visit
from overhang.stand_in.dialog import Ask, Consult, Dialog, Effect, Say, with_servers

#: Asks an AAA server.
Asker = Callable[[Exchange], Awaitable[ServerReply]]


class Gone(Exception):
    """The other side has left, or its time is over; ``why`` is "" where it left by itself."""

    def __init__(self, why: str = "") -> None:
        super().__init__(why)
        self.why = why


class Line(Protocol):
    """A connection that lines are shown on and typed at."""

    def say(self, text: str) -> None:
        """Show lines."""
        ...

    async def ask(self, question: Ask) -> str | None:
        """Ask for a line; None where the person gives none. Raises Gone."""
        ...


async def drive(dialog: Dialog[None], line: Line, ask_server: Asker) -> None:
    """Hold a dialog over a connection. Raises Gone."""
    answer: Any = None
    while True:
        try:
            effect: Effect = dialog.send(answer)
        except StopIteration:
            return
        answer = None
        if isinstance(effect, Say):
            line.say(effect.text)
        elif isinstance(effect, Consult):
            answer = await ask_server(effect.exchange)
        else:
            answer = await line.ask(effect)


class _Nobody:
    """Nobody sees or types anything."""

    def say(self, text: str) -> None:
        """Nothing is shown."""

    async def ask(self, question: Ask) -> str | None:
        """Nothing is answered."""


async def answered(visit: Visit, action: Callable[[], None], ask_server: Asker) -> None:
    """Do something with a visit, asking each AAA server whose reply it needs."""
    await drive(with_servers(visit, action), _Nobody(), ask_server)


async def no_servers(exchange: Exchange) -> ServerReply:
    """No server is there to be asked."""
    del exchange
    return ServerReply(False)
