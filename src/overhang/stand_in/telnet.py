"""Telnet, as far as a login needs it: RFC 854 with the options echo (857) and suppress-go-ahead (858); every other is
refused (855).

A client sends lines and echoes them itself. While a password is asked for the server says that it will echo, and does
not. Nothing that a client sends is kept beyond one line of bounded length.
"""

import asyncio
import enum
from collections.abc import Iterator

from overhang.stand_in.dialog import Ask
from overhang.stand_in.drive import Gone

IAC, DONT, DO, WONT, WILL, SB, IP, SE = 255, 254, 253, 252, 251, 250, 244, 240
ECHO, SUPPRESS_GO_AHEAD = 1, 3
LONGEST_LINE = 4_096

_ANSWERS = {DO: (WILL, WONT), WILL: (DO, DONT), DONT: (WONT, WONT), WONT: (DONT, DONT)}


class _At(enum.Enum):
    TEXT, COMMAND, OPTION, INSIDE, INSIDE_COMMAND = range(5)


class TelnetDecoder:
    """Takes commands out of what comes over a connection (RFC 854). What stands inside a subnegotiation is dropped."""

    def __init__(self) -> None:
        self._at = _At.TEXT
        self._verb = 0

    def feed(self, data: bytes) -> Iterator[int | tuple[int, int]]:
        """Each byte of text, and each command with its option (0 where it has none)."""
        for byte in data:
            if self._at is _At.TEXT:
                if byte == IAC:
                    self._at = _At.COMMAND
                else:
                    yield byte
            elif self._at is _At.COMMAND:
                self._at = _At.TEXT
                if byte == IAC:
                    yield byte
                elif byte == SB:
                    self._at = _At.INSIDE
                elif WILL <= byte <= DONT:
                    self._verb, self._at = byte, _At.OPTION
                else:
                    yield byte, 0
            elif self._at is _At.OPTION:
                self._at = _At.TEXT
                yield self._verb, byte
            elif self._at is _At.INSIDE:
                self._at = _At.INSIDE_COMMAND if byte == IAC else _At.INSIDE
            else:
                self._at = _At.TEXT if byte == SE else _At.INSIDE


class TelnetLine:
    """A Telnet connection as lines; ``limit`` gives how long an answer may take, in real seconds, None for ever."""

    def __init__(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        self._reader, self._writer = reader, writer
        self._decoder = TelnetDecoder()
        self._items: Iterator[int | tuple[int, int]] = iter(())
        #: the options that are on, by who does them: WILL for this side, DO for the other
        self._on: set[tuple[int, int]] = set()
        self._ignore_feed = False
        self.limit: float | None = None

    def say(self, text: str) -> None:
        """Show lines."""
        self._write(text + "\n")

    def _write(self, text: str) -> None:
        data = text.encode("utf-8", "replace").replace(b"\n", b"\r\n").replace(b"\xff", b"\xff\xff")
        self._writer.write(data)

    def _command(self, verb: int, option: int) -> None:
        self._writer.write(bytes((IAC, verb, option)))

    async def ask(self, question: Ask) -> str | None:
        """A line; None for the end of input on an empty one (the character 4). Raises Gone."""
        self._write(question.prompt)
        if question.secret:
            self._on.add((WILL, ECHO))
            self._command(WILL, ECHO)
        try:
            async with asyncio.timeout(self.limit):
                await self._writer.drain()
                return await self._line()
        except TimeoutError:
            raise Gone("the time is over") from None
        except (ConnectionError, OSError):
            raise Gone from None
        finally:
            if question.secret:
                self._on.discard((WILL, ECHO))
                self._command(WONT, ECHO)
                self._write("\n")

    async def _line(self) -> str | None:
        found = bytearray()
        while True:
            item = next(self._items, None)
            if item is None:
                data = await self._reader.read(4_096)
                if not data:
                    raise Gone
                self._items = self._decoder.feed(data)
                continue
            if isinstance(item, tuple):
                self._obey(*item)
                continue
            after_return, self._ignore_feed = self._ignore_feed, item == 13
            if item in (10, 0) and after_return:
                continue  # the second half of an end of line
            if item in (10, 13):
                return found.decode("utf-8", "replace")
            if item == 4 and not found:
                return None
            if item == 3:
                raise Gone
            if item in (8, 127):
                del found[-1:]
            elif item != 0:
                found.append(item)
            if len(found) > LONGEST_LINE:
                raise Gone(f"a line of more than {LONGEST_LINE} bytes")

    def _obey(self, verb: int, option: int) -> None:
        """Answer a command: a change of an option, once (RFC 854: no acknowledging of what holds already)."""
        if verb == IP:
            raise Gone
        if verb not in _ANSWERS:
            return
        agree, refuse = _ANSWERS[verb]
        side = WILL if verb in (DO, DONT) else DO
        if verb in (DO, WILL):
            if (side, option) in self._on:
                return
            if option == SUPPRESS_GO_AHEAD:
                self._on.add((side, option))
                self._command(agree, option)
            elif not (side == WILL and option == ECHO):
                self._command(refuse, option)
        elif (side, option) in self._on:
            self._on.discard((side, option))
            self._command(refuse, option)
