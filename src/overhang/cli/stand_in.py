"""Let devices stand in on this machine: real logins by SSH, Telnet and the web, each decided as it would be."""

import argparse
import asyncio
import contextlib
import gc
import getpass
import json
import queue
import signal
import sys
import threading
from collections.abc import Callable
from typing import Any, TextIO

from overhang.cli.errors import CLEAN, FAILED, NOT_UNDERSTOOD, OutputError, UserError
from overhang.cli.inputs import add_inputs
from overhang.cli.output import check_target, tell
from overhang.cli.reading import read_devices, read_moment
from overhang.cli.terminal import show, width
from overhang.model.durations import parse_span
from overhang.model.vocabulary import PORTS
from overhang.project import Project
from overhang.stand_in.clock import Clock
from overhang.stand_in.dialog import Ask
from overhang.stand_in.doors import hold
from overhang.stand_in.drive import Gone
from overhang.stand_in.events import Event
from overhang.stand_in.machine import Machine
from overhang.stand_in.places import FIRST, Sources, loopback
from overhang.stand_in.run import Folder, Run, Setup

MISSING = "standing in needs further packages: pip install 'overhang[stand-in]'"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of ``overhang stand-in``."""
    add_inputs(parser)
    add = parser.add_argument
    add(
        "--source",
        action="append",
        default=[],
        metavar="ADDRESS=127.0.0.N",
        help="whoever connects from 127.0.0.N comes from ADDRESS (also [here] in the project file)",
    )
    add("--address", default=FIRST, metavar="127.0.0.N", help="the first address of this machine to use")
    add(
        "--ports",
        type=int,
        default=0,
        metavar="N",
        help="the first port; each way of each device takes the next one (default: any)",
    )
    add("--for", dest="lasts", metavar="TIME", help="end after a time, like 90s or 2h (default: when interrupted)")
    about = "the devices' clocks run N times as fast; 60: a minute a second"
    add("--speed", type=float, default=1, metavar="N", help=about)
    add("--folder", metavar="FOLDER", help="keep keys and sheets there, and go on from there another time")
    add(
        "--with-secrets",
        action="store_true",
        help="stand in with the real passwords of the configurations; without it each is replaced by a made-up one",
    )
    about = "let the AAA servers that the devices name stand in too, with the accounts of a TOML file"
    add("--servers", metavar="FILE", help=about)
    add("--log", metavar="FILE", help="also write what happens to a file, as JSON Lines")
    for port in PORTS:
        about = "sit at a device's console, in this terminal" if port == "console" else "sit at its auxiliary port"
        add(f"--{port}", metavar="DEVICE", help=about)
    add("--now", metavar="DATE", help="what the devices' clocks show at the start (default: the clock's)")
    add("--strict", action="store_true", help="exit 3 where a line or a profile was not understood")


def run(options: argparse.Namespace) -> int:
    """Do it."""
    prepare()
    lasts = None if options.lasts is None else _span(options.lasts)
    if not 0 < options.speed <= 100_000:
        raise UserError(f"--speed {options.speed:g}: expected a number above 0, up to 100000")
    if not 0 <= options.ports <= 65_000:
        raise UserError(f"--ports {options.ports}: expected a port up to 65000")
    configs, unreadable = read_devices(options, "stand in for")
    sources = _sources(options, [project for _, project in configs])
    first = loopback(options.address)
    log = _Log(options)
    sits = _sits(options, [config.device.name for config, _ in configs])
    clock = Clock(read_moment(options.now), options.speed)
    folder = Folder(options.folder)
    told = log.told if sits is None else log.written
    accounts = None if options.servers is None else _accounts(options.servers)
    setup = Setup(sources, clock, told, first, options.ports, options.with_secrets, accounts)
    devices = Run(folder, setup)
    try:
        for config, project in configs:
            devices.add(config, project)
        asyncio.run(_whole(devices, lasts, sits))
    finally:
        folder.remove()
        log.close()
    if unreadable:
        return FAILED
    understood = all(each.machine.resolved.understood for each in devices.devices)
    return NOT_UNDERSTOOD if options.strict and not understood else CLEAN


def prepare() -> None:
    """Be ready for connections: the packages are there, what makes cycles is collected, and there may be as many
    sockets as the system lets this process have, since each way of each address needs one. Raises UserError."""
    import resource

    try:
        import asyncssh  # noqa: F401 - whether the packages are there
    except ImportError:
        raise UserError(MISSING) from None
    gc.enable()
    most = resource.getrlimit(resource.RLIMIT_NOFILE)[1]
    with contextlib.suppress(ValueError, OSError):
        resource.setrlimit(resource.RLIMIT_NOFILE, (most, most))


def _span(text: str) -> float:
    try:
        return float(parse_span(text))
    except ValueError as wrong:
        raise UserError(f"--for {text}: {wrong}") from None


def _sources(options: argparse.Namespace, projects: list[Project]) -> Sources:
    """What the project files and the options say of sources."""
    stands: dict[str, str] = {}
    for project in projects:
        stands.update(project.here)
    for each in options.source:
        address, equals, peer = each.rpartition("=")
        if not equals:
            raise UserError(f"--source {each}: expected ADDRESS=127.0.0.N")
        stands[address] = peer
    try:
        return Sources(stands)
    except ValueError as wrong:
        raise UserError(f"--source: {wrong}") from None


def _accounts(path: str) -> dict[str, dict[str, dict[str, Any]]]:
    """What the AAA servers hold: by group and name. A password that the file leaves out is asked for."""
    from overhang.text.toml_file import TomlProblem, parse_toml

    try:
        with open(path, "rb") as stream:
            data = stream.read(1_000_001)
    except OSError as error:
        raise UserError(f"{path}: cannot be read: {error.strerror}") from None
    parsed = parse_toml(data, 1_000_000, "file of accounts")
    if isinstance(parsed, TomlProblem):
        raise UserError(f"{path}:{parsed.line}: {parsed.message}")
    table, lines = parsed
    del lines
    found: dict[str, dict[str, dict[str, Any]]] = {}
    for group, accounts in table.items():
        for name, account in accounts.items() if isinstance(accounts, dict) else ():
            level = account.get("level") if isinstance(account, dict) else None
            right = isinstance(account, dict) and set(account) <= {"password", "level"}
            right = right and isinstance(account.get("password", ""), str)
            if not right or not (level is None or (type(level) is int and 0 <= level <= 15)):
                raise UserError(f"{path}: {group}.{name}: expected a password (text) and a level from 0 to 15, or less")
            password = account.get("password")
            if password is None:
                if not sys.stdin.isatty():
                    raise UserError(f"{path}: {group}.{name} has no password, and there is no terminal to ask for it")
                password = getpass.getpass(f"password of {name} at group {group}: ")
            found.setdefault(group, {})[name] = {"password": password, **({} if level is None else {"level": level})}
        if not isinstance(accounts, dict):
            raise UserError(f"{path}: {group}: expected a table of accounts, as [{group}.NAME]")
    return found


def _sits(options: argparse.Namespace, names: list[str]) -> tuple[str, str] | None:
    """The port, and the device, at which the person in this terminal sits."""
    found = [(port, getattr(options, port)) for port in PORTS if getattr(options, port) is not None]
    if len(found) > 1:
        raise UserError("--console and --auxiliary: one terminal sits at one port")
    if found and found[0][1] not in names:
        from overhang.text import did_you_mean

        near = did_you_mean(found[0][1], names)
        hint = f"; did you mean {near}?" if near else f"; there is {', '.join(sorted(names)[:8])}"
        raise UserError(f"--{found[0][0]} {found[0][1]}: no device is called so{hint}")
    return found[0] if found else None


class _Log:
    """What happens, on standard output and in a file."""

    def __init__(self, options: argparse.Namespace) -> None:
        self._stream: TextIO | None = None
        self._path = options.log
        if options.log is not None:
            check_target(options.log, options)
            try:
                self._stream = open(options.log, "a", encoding="utf-8")  # noqa: SIM115 - open until the run ends
            except OSError as error:
                raise OutputError(f"{options.log}: cannot be written: {error.strerror}") from None

    def told(self, event: Event) -> None:
        """Show an event, and write it."""
        from overhang.report.stand_in_text import event_lines

        self.written(event)
        show(event_lines(event, width()))
        _flush()

    def written(self, event: Event) -> None:
        """Write an event to the file alone."""
        if self._stream is None:
            return
        try:
            self._stream.write(json.dumps(event.value(), ensure_ascii=True) + "\n")
            self._stream.flush()
        except OSError as error:
            tell(f"{self._path}: cannot be written: {error.strerror}; it ends here")
            self._stream = None

    def close(self) -> None:
        """The run is over."""
        if self._stream is not None:
            self._stream.close()


def _flush() -> None:
    from overhang.cli.output import flush_out

    flush_out()


async def _whole(devices: Run, lasts: float | None, sits: tuple[str, str] | None) -> None:
    from overhang.report.stand_in_text import started_lines

    over = asyncio.Event()
    loop = asyncio.get_running_loop()
    for each in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        loop.add_signal_handler(each, over.set)
    try:
        await devices.start()
        show(started_lines(devices, width()))
        _flush()
        timer = loop.call_later(lasts, over.set) if lasts is not None else None
        if sits is not None:
            machine = next(each.machine for each in devices.devices if each.machine.name == sits[1])
            sitting = loop.create_task(_sit(machine, sits[0], devices))
            sitting.add_done_callback(lambda _: over.set())
        await over.wait()
        if timer is not None:
            timer.cancel()
        if sits is not None:
            sitting.cancel()
            await asyncio.gather(sitting, return_exceptions=True)
    finally:
        await devices.stop()


async def _sit(machine: Machine, port: str, devices: Run) -> None:
    """Sit at a port: one login after another, until the terminal ends."""
    line = _Terminal()
    while not line.ended:
        seat = machine.open(port, "this terminal", None, None)
        seat.hang_up = line.leave
        try:
            await hold(machine, seat, line, lambda seconds: setattr(line, "limit", seconds), devices.asker(machine))
        except Gone:
            pass
        finally:
            machine.close(seat)
        await line.ready()


class _Terminal:
    """This terminal as lines; it is read in a thread of its own, which nobody waits for."""

    def __init__(self) -> None:
        self.limit: float | None = None
        self.ended = False
        #: the line that is being read, where nobody waits for it any more
        self._reading: asyncio.Future[str | None] | None = None
        self._waits: asyncio.Task[Any] | None = None
        self._left = False
        self._wanted: queue.SimpleQueue[tuple[Callable[[str], str], str, Any]] = queue.SimpleQueue()
        threading.Thread(target=self._read, daemon=True).start()
        self._loop = asyncio.get_running_loop()

    def _read(self) -> None:
        while True:
            reader, prompt, future = self._wanted.get()
            answer: str | None
            try:
                answer = reader(prompt)
            except EOFError:
                answer = None
            self._loop.call_soon_threadsafe(_settle, future, answer)

    def leave(self) -> None:
        """The device has restarted."""
        self._left = self._waits is not None
        if self._waits is not None:
            self._waits.cancel()

    async def ready(self) -> None:
        """Before the next login: a line that is still being read has to be ended first."""
        if self._reading is not None and not self._reading.done() and not self.ended:
            self.say("Press Enter to go on.")
            self.ended = await self._reading is None
        self.say("")

    def say(self, text: str) -> None:
        """Show lines."""
        show([[(line, "")] for line in text.split("\n")])
        _flush()

    async def ask(self, question: Ask) -> str | None:
        """Ask for a line. Raises Gone."""
        future: asyncio.Future[str | None] = asyncio.get_running_loop().create_future()
        self._reading = future
        self._wanted.put((getpass.getpass if question.secret else input, question.prompt, future))
        self._waits = asyncio.ensure_future(asyncio.wait((future,), timeout=self.limit))
        try:
            await self._waits
        except asyncio.CancelledError:
            if not self._left:
                raise  # the run is over
            self._left = False
            self.say("")
            raise Gone("the device restarts") from None
        if not future.done():
            self.say("")
            raise Gone("the time is over")
        answer = future.result()
        if answer is None and not question.secret:
            self.ended = True
        return answer


def _settle(future: "asyncio.Future[str | None]", answer: str | None) -> None:
    if not future.done():
        future.set_result(answer)
