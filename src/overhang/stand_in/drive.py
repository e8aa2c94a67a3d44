"""Driving a dialog over a connection."""

from collections.abc import Awaitable, Callable
from typing import Any, Protocol, TypeVar

from overhang.simulation.visit import Exchange, ServerReply, Unasked, Visit
from overhang.stand_in.dialog import Ask, Consult, Dialog, Effect, Say

T = TypeVar("T")

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


async def answered(visit: Visit, action: Callable[[], T], ask_server: Asker) -> T:
    """Do something with a visit, asking each AAA server whose reply it needs."""
    while True:
        try:
            return action()
        except Unasked as need:
            reply = await ask_server(need.exchange)
            if visit.replies is not None:
                visit.replies[need.exchange] = reply


async def no_servers(exchange: Exchange) -> ServerReply:
    """No server is there to be asked."""
    del exchange
    return ServerReply(False)
