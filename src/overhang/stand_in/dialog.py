"""What a person at a device sees and types, without a terminal or a socket: questions and answers as a generator.

A dialog yields what happens next: something is said, something is asked, or an AAA server has to be asked. Whoever
drives it sends the answer back: a line, or None where the person gives none. So one dialog serves a terminal, Telnet,
SSH and a test.
"""

from collections.abc import Callable, Generator
from functools import partial
from typing import Any, NamedTuple, Protocol, TypeVar

from overhang.model import Device
from overhang.simulation import Result, Step
from overhang.simulation.visit import NAME, Exchange, Unasked, Visit
from overhang.simulation.wording import place_of

T = TypeVar("T")


class Say(NamedTuple):
    """Lines that are shown."""

    text: str


class Ask(NamedTuple):
    """A line that is asked for; a secret one is not echoed. ``within``: it belongs to the login, which has to be
    finished in time; any other may take as long as an idle session lasts."""

    prompt: str
    secret: bool = False
    within: bool = False


class Consult(NamedTuple):
    """An AAA server is asked; the answer is a ``ServerReply``."""

    exchange: Exchange


Effect = Say | Ask | Consult
Dialog = Generator[Effect, Any, T]

_LEVEL_MEANT = 15
#: What a person is told at the end of a login that was not admitted, by its outcome.
ENDS = {
    "refused": "No login is accepted here.",
    "dropped": "Connection closed.",
    "denied": "Login denied.",
}


def with_servers(visit: Visit, action: Callable[[], T]) -> Dialog[T]:
    """Do something with a visit, asking each server whose reply it needs."""
    while True:
        try:
            return action()
        except Unasked as need:
            reply = yield Consult(need.exchange)
            if visit.replies is not None:
                visit.replies[need.exchange] = reply


def banner(device: Device, which: str) -> Dialog[None]:
    """The text that a device shows ``before-login`` or ``after-login``."""
    stated = device.banners.get(which)
    if stated is not None and stated.lines:
        yield Say("\n".join(stated.lines))


def log_in(visit: Visit, device: Device) -> Dialog[None]:
    """From the connection to the end of the login; the visit then tells how it ended."""
    if visit.result is None:
        visit.arrive()
    if visit.outcome != "refused":
        yield from banner(device, "before-login")
    yield from answers(visit, "password: ")
    if visit.outcome == "admitted":
        yield from banner(device, "after-login")
    else:
        yield Say(how_it_ended(visit.result))


def how_it_ended(result: Result | None) -> str:
    """What a person is told of a login that was not admitted. Only what cannot be told has its reason."""
    if result is None:
        return ENDS["dropped"]
    return ENDS.get(result.outcome) or f"{result.reason[:1].upper()}{result.reason[1:]}."


def answers(visit: Visit, prompt: str) -> Dialog[None]:
    """Ask what the device asks, until nothing more is asked."""
    while visit.question:
        if visit.question == NAME:
            name = yield Ask("name (none: press Enter): " if visit.optional else "name: ", within=True)
            yield from with_servers(visit, partial(visit.give_name, name or None))
            continue
        text = yield Ask(prompt, secret=True, within=True)
        if text is None and visit.tried:
            visit.give_up()
            return
        yield from with_servers(visit, partial(visit.give_password, text))
        if visit.question:
            yield Say("Not accepted. Try again.")


# -- the session -------------------------------------------------------------------------------------------------------


class Desk(Protocol):
    """What a session can do beyond elevating: what the device behind it offers."""

    def me(self, visit: Visit) -> list[str]:
        """Who is in this session, at which level, from where."""
        ...

    def others(self) -> list[str]:
        """Who else is in."""
        ...

    def sheet(self) -> list[str]:
        """The device as it stands, secrets struck out."""
        ...

    def change(self, lines: list[str], visit: Visit) -> list[str]:
        """Apply statements; what is wrong with them, nothing where they hold from now on."""
        ...

    def save(self, visit: Visit) -> str:
        """Keep what holds now."""
        ...

    def restart(self, visit: Visit) -> None:
        """Go back to what was saved; every session ends."""
        ...

    def elevated(self, visit: Visit) -> None:
        """An elevation has ended."""
        ...


_ALWAYS = {
    "elevate": "elevate [LEVEL] [as NAME]: ask for a higher level, 15 where none is said",
    "why": "why: how this login was decided",
}
_AT_DEVICE = {
    "me": "me: who you are, and at which level",
    "others": "others: who else is in",
    "sheet": "sheet: the device as it stands, passwords struck out",
    "change": "change [STATEMENT]: a statement of the sheet, in effect at once; alone, several, until an empty line",
    "save": "save: keep what holds now",
    "restart": "restart: go back to what was saved; every session ends",
}
_CHANGING = ("change", "save", "restart")


class Shell:
    """The small shell of a session. ``desk`` is what the device offers; None where there is only a login to look at.
    ``leave`` is the word that ends it."""

    def __init__(self, visit: Visit, name: str, desk: Desk | None = None, leave: str = "leave") -> None:
        self._visit, self._name, self._desk, self._leave = visit, name, desk, leave
        self._commands = {**_ALWAYS, **(_AT_DEVICE if desk is not None else {}), leave: f"{leave}: end the session"}

    def run(self, *, greet: bool = True) -> Dialog[None]:
        """The session, until it ends."""
        if greet:
            yield Say(f"help lists what can be done here, {self._leave} ends it.")
        while self._visit.outcome == "admitted":
            line = yield Ask(self.prompt())
            if line is None:
                return
            words = line.split()
            if not words:
                continue
            if words[0] in (self._leave, "leave", "quit"):
                return
            if (yield from self._do(words[0], words[1:], line)):
                return

    def why(self) -> Dialog[None]:
        """How the login was decided."""
        yield Say("\n".join(reasons(self._visit.steps)))

    def prompt(self) -> str:
        """The prompt: the device, and the level as a word and a number."""
        level = self._visit.level
        return f"{self._name}, level {level if level is not None else 'unknown'}: "

    def _do(self, word: str, rest: list[str], line: str) -> Dialog[bool]:
        """Do what a line says; true where it ends the session."""
        desk, visit = self._desk, self._visit
        if word == "help":
            yield Say("\n".join(self._commands.values()))
        elif word not in self._commands:
            yield Say(f"{word} is none of: {', '.join(self._commands)}, help")
        elif word == "elevate":
            return (yield from self._elevate(rest))
        elif word == "why":
            yield from self.why()
        elif desk is None:
            return False
        elif word in _CHANGING and visit.level != _LEVEL_MEANT:
            yield Say(f"{word} needs level 15; this session has level {visit.level}")
        elif word == "change":
            yield from self._change(desk, line.strip()[len(word) :].strip())
        elif word == "save":
            yield Say(desk.save(visit))
        elif word == "restart":
            yield Say("Restarting.")
            desk.restart(visit)
            return True
        else:
            yield Say("\n".join({"me": lambda: desk.me(visit), "others": desk.others, "sheet": desk.sheet}[word]()))
        return False

    def _elevate(self, rest: list[str]) -> Dialog[bool]:
        visit, words = self._visit, list(rest)
        text = words.pop(0) if words and words[0] != "as" else str(_LEVEL_MEANT)
        name = " ".join(words[1:]) if len(words) > 1 and words[0] == "as" else None
        if not (text.isdecimal() and int(text) <= _LEVEL_MEANT) or (words and name is None):
            yield Say(self._commands["elevate"])
            return False
        return (yield from elevate(visit, int(text), name, self._desk))

    def _change(self, desk: Desk, statement: str) -> Dialog[None]:
        """One statement, or several with what stands below them, until an empty line."""
        if statement and not statement.endswith(":"):
            yield from self._apply(desk, [statement])
            return
        head = [statement] if statement else []
        while True:
            line = yield Ask("    ... " if head else "change: ")
            if line is None or not line.strip():
                break
            if head and line[:1] in (" ", "|"):
                inner = line.strip()
                if inner.startswith("|"):  # a text is one value: it is given again as a whole
                    head.append(f"    {inner}")
                    yield from self._apply(desk, head)
                else:
                    yield from self._apply(desk, [f"{head[0]} {inner}"])
                continue
            head = [line.strip()] if line.rstrip().endswith(":") else []
            yield from self._apply(desk, [line.strip()])

    def _apply(self, desk: Desk, lines: list[str]) -> Dialog[None]:
        problems = desk.change(lines, self._visit)
        if problems:
            yield Say("\n".join(problems))


def elevate(visit: Visit, level: int, name: str | None, desk: Desk | None = None) -> Dialog[bool]:
    """Ask for a level; true where that ends the session."""
    yield from with_servers(visit, lambda: visit.elevate(level, name))
    yield from answers(visit, f"password for level {level}: ")
    result = visit.result
    if desk is not None:
        desk.elevated(visit)
    if result is None or result.outcome != "admitted":
        yield Say(how_it_ended(result))
        return True
    if result.elevation == "granted":
        yield Say(f"You have level {result.level}.")
    elif result.elevation == "unknown":
        yield Say(how_it_ended(result._replace(outcome="")))
    else:
        yield Say(f"Denied. You have level {result.level}.")
    return False


def reasons(steps: list[Step]) -> list[str]:
    """How a login was decided: a line for each step, with the line or the default behind it."""
    return [f"{step.reason} ({place_of(step.origin)})" for step in steps]
