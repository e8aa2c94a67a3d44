"""A run of devices that stand in: the folder that they keep their things in, their doors, and the end of it all."""

import asyncio
import contextlib
import json
import os
import stat
import tempfile
from collections.abc import Callable, Sequence
from typing import Any, NamedTuple

from overhang.errors import OverhangError
from overhang.language import ParsedConfig
from overhang.language.parsed_config import read_sheet
from overhang.model import Address
from overhang.model.vocabulary import PORTS
from overhang.project import Project
from overhang.stand_in.clock import Clock
from overhang.stand_in.doors import Door, Handler, PortTaken, raise_first, speak_telnet, watch
from overhang.stand_in.drive import Asker, no_servers
from overhang.stand_in.events import Event
from overhang.stand_in.machine import Keeper, Machine
from overhang.stand_in.made_up import Key, MadeUp
from overhang.stand_in.places import Sources, places_of
from overhang.stand_in.servers import Accounts, Servers

#: The file by which a later run knows a folder of an earlier one.
MARK = "stand-ins.json"
#: How the names of folders begin that go with a run; the process and a dash follow.
_PREFIX = "overhang-run-"
_SPOKEN = ("ssh", "telnet", "http", "https")


class NoFolder(OverhangError):
    """A folder that a run cannot keep its things in."""


class Folder:
    """Where a run keeps keys, certificates and sheets: readable by its owner alone.

    Without a path it is a new one that goes with the run.
    """

    def __init__(self, path: str | None) -> None:
        self.temporary = path is None
        try:
            if path is None:
                _clear_left_behind()
                self.path = tempfile.mkdtemp(prefix=f"{_PREFIX}{os.getpid()}-")
            else:
                self.path = self._given(path)
        except OSError as error:
            raise NoFolder(f"{path or tempfile.gettempdir()}: cannot be used: {error.strerror}") from None

    @staticmethod
    def _given(path: str) -> str:
        if os.path.isdir(path):
            facts = os.stat(path)
            if os.listdir(path) and not os.path.isfile(os.path.join(path, MARK)):
                raise NoFolder(f"{path}: is no folder of an earlier run; name a new one")
            if facts.st_uid != os.getuid() or stat.S_IMODE(facts.st_mode) & 0o077:
                raise NoFolder(f"{path}: others may read it; allow its owner alone (chmod 700)")
        else:
            os.makedirs(path, mode=0o700)
        return path

    def of(self, device: str) -> str:
        """The folder of one device."""
        path = os.path.join(self.path, safe_name(device))
        os.makedirs(path, mode=0o700, exist_ok=True)
        return path

    def write(self, path: str, data: bytes) -> None:
        """Write a file of the run, whole or not at all. Raises NoFolder."""
        temporary = f"{path}.new"
        try:
            handle = os.open(temporary, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
            with os.fdopen(handle, "wb") as stream:
                stream.write(data)
            os.replace(temporary, path)
        except OSError as error:
            raise NoFolder(f"{path}: cannot be written: {error.strerror}") from None

    def remove(self) -> None:
        """Remove what the run has made, where the folder goes with it."""
        if self.temporary:
            import shutil

            shutil.rmtree(self.path, ignore_errors=True)


def _clear_left_behind() -> None:
    """Remove the folders of runs that were killed: they hold keys, and perhaps passwords."""
    import shutil

    for name in os.listdir(tempfile.gettempdir()):
        process = name.removeprefix(_PREFIX).partition("-")[0]
        if not (name.startswith(_PREFIX) and process.isdecimal()):
            continue
        path = os.path.join(tempfile.gettempdir(), name)
        try:
            os.kill(int(process), 0)
        except ProcessLookupError:
            if os.lstat(path).st_uid == os.getuid() and not os.path.islink(path):
                shutil.rmtree(path, ignore_errors=True)
        except (PermissionError, OverflowError):
            continue


def safe_name(device: str) -> str:
    """A device's name as the name of a folder."""
    name = "".join(each if each.isalnum() or each in "-_." else "_" for each in device)
    return name.lstrip(".")[:80] or "device"


class _Kept(Keeper):
    """A device's running and saved sheets as files."""

    def __init__(self, folder: Folder, device: str) -> None:
        self._folder, self._at = folder, folder.of(device)

    def keep(self, which: str, text: str) -> None:
        self._folder.write(os.path.join(self._at, f"{which}.sheet"), text.encode("utf-8"))


class Known(NamedTuple):
    """A password of a stand-in that a person may use: the item that it is, and the text."""

    item: str
    text: str


class StandIn:
    """One device that stands in: the machine, its doors, and what is to be told of it."""

    def __init__(self, machine: Machine, doors: list[Door], known: list[Known], notes: list[str]) -> None:
        self.machine, self.doors, self.known, self.notes = machine, doors, known, notes


class Setup(NamedTuple):
    """What a run is started with.

    ``first`` is the first address and ``ports`` the first port of all doors (0: the system's choice); ``speed`` makes
    the devices' clocks run faster.
    """

    sources: Sources
    clock: Clock
    tell: Callable[[Event], None]
    first: str = "127.0.0.1"
    ports: int = 0
    with_secrets: bool = False
    accounts: Accounts | None = None


class Run:
    """All the devices of a run."""

    def __init__(self, folder: Folder, setup: Setup) -> None:
        self.folder, self.setup = folder, setup
        self.devices: list[StandIn] = []
        #: faults of this program that no door has met
        self.problems: list[BaseException] = []
        self.servers: Servers | None = None
        if setup.accounts is not None:
            self.servers = Servers(setup.accounts, folder.path, setup.clock.real)
        self._port = setup.ports
        self._texts: dict[Key, str] = {}

    def add(self, config: ParsedConfig, project: Project) -> StandIn:
        """Make a device ready. Raises NoFolder, PortTaken."""
        setup, name = self.setup, config.device.name
        if any(safe_name(each.machine.name) == safe_name(name) for each in self.devices):
            raise NoFolder(f"{config.device.file}: another device is called {name}; start them apart")
        where = self.folder.of(name)
        notes: list[str] = []
        config, known, went_on = self._secrets(config, where)
        if went_on:
            notes.append("goes on from what was saved in an earlier run")
        machine = Machine(config, project, setup.clock, setup.tell, _Kept(self.folder, name))
        if self.servers is not None:
            machine.real_servers = True
            held = (self.setup.accounts or {}).values()
            machine.server_names = frozenset(name for accounts in held for name in accounts)
            self.servers.serve(machine)
        machine.save_as_started()
        doors = self._doors(machine, where, notes)
        for door in doors:
            door.take_port()
        notes += _not_spoken(machine)
        made = StandIn(machine, doors, known, notes)
        self.devices.append(made)
        return made

    def _secrets(self, config: ParsedConfig, where: str) -> tuple[ParsedConfig, list[Known], bool]:
        """The configuration with the secrets that it stands in with; those to type; whether it is a saved one."""
        saved, told = os.path.join(where, "saved.sheet"), os.path.join(where, "passwords.json")
        if os.path.isfile(saved) and os.path.isfile(told):
            with open(saved, encoding="utf-8") as stream:
                read = read_sheet(stream.read(), saved)
            with open(told, encoding="utf-8") as stream:
                kept = json.load(stream)
            if kept["real"] and not self.setup.with_secrets:
                raise NoFolder(f"{where}: its passwords are real ones; say --with-secrets, or name another folder")
            known = [Known(*each) for each in kept["known"]]
            return read._replace(profiles=config.profiles, assumed=config.assumed), known, True
        known = []
        if not self.setup.with_secrets:
            made = MadeUp(config.device, self._texts)
            known = known_of(config, made)
            config = config._replace(device=made.device(config.device))
        kept = {"real": self.setup.with_secrets, "known": known}
        self.folder.write(told, json.dumps(kept).encode("utf-8"))
        return config, known, False

    def _doors(self, machine: Machine, where: str, notes: list[str]) -> list[Door]:
        setup, doors = self.setup, []
        own: list[Address] = [
            Address(each.prefix.family, each.prefix.host)
            for each in machine.config.device.addresses
            if each.prefix is not None
        ]
        for via in _SPOKEN:
            handler = self._handler(machine, via, where, notes)
            places = places_of(own, setup.first)
            doors.append(Door(machine, via, places, self._next_port(), setup.sources, handler, self.asker(machine)))
        return doors

    def asker(self, machine: Machine) -> Asker:
        """What asks AAA servers for a device."""
        return no_servers if self.servers is None else self.servers.asker(machine)

    def _next_port(self) -> int:
        if not self._port:
            return 0
        self._port += 1
        return self._port - 1

    def _handler(self, machine: Machine, via: str, where: str, notes: list[str]) -> Handler:
        spoken = machine.resolved.services[via].on.value != "off"
        told: list[str] = []
        handler: Handler = speak_telnet
        if via == "ssh":
            from overhang.stand_in.ssh import SpeakSsh, algorithms_of, host_keys_of

            kinds, told = host_keys_of(machine.config.device)
            told += algorithms_of(machine.config.device).notes
            handler = SpeakSsh(machine, [self._host_key(kind, where) for kind in kinds])
        elif via == "http":
            from overhang.stand_in.web import SpeakWeb

            handler = SpeakWeb(machine)
        elif via == "https":
            from overhang.stand_in.web import SpeakWeb, make_certificate, tls_of

            path = os.path.join(where, "certificate.pem")
            if not os.path.isfile(path):
                made = make_certificate(machine.config.device, self.setup.clock.now().when)
                told += made.notes
                self.folder.write(path, made.pem)
            context, more = tls_of(machine.config.device, path)
            told += more
            handler = SpeakWeb(machine, context)
        if spoken:
            notes += told
        return handler

    def _host_key(self, kind: Any, where: str) -> Any:
        """A host key, made once."""
        import asyncssh

        from overhang.stand_in.ssh import make_host_key

        path = os.path.join(where, kind.file)
        if not os.path.isfile(path):
            self.folder.write(path, make_host_key(kind).export_private_key())
        return asyncssh.read_private_key(path)

    async def start(self) -> None:
        """Open the doors. Raises PortTaken."""
        watch(self.problems)
        if self.servers is not None:
            await self.servers.start()
        for each in self.devices:
            for door in each.doors:
                door.settle()
            each.machine.changed.append(lambda each=each: self._settle(each))  # type: ignore[misc]
        self.folder.write(os.path.join(self.folder.path, MARK), json.dumps(self.listing()).encode("utf-8"))

    def _settle(self, each: StandIn) -> None:
        for door in each.doors:
            with contextlib.suppress(PortTaken):
                door.settle()

    def listing(self) -> list[dict[str, Any]]:
        """The doors, as an object of JSON."""
        return [
            {
                "device": each.machine.name,
                "way": door.via,
                "port": door.port,
                "places": {place.here: None if place.own is None else str(place.own) for place in door.places},
                "on": door.wanted,
            }
            for each in self.devices
            for door in each.doors
        ]

    async def stop(self) -> None:
        """Close every door and end every session."""
        if self.servers is not None:
            self.servers.stop()
        doors: Sequence[Door] = [door for each in self.devices for door in each.doors]
        await asyncio.gather(*(door.close() for door in doors))
        self.folder.remove()
        raise_first(doors)
        for problem in self.problems:
            raise problem


def known_of(config: ParsedConfig, made: MadeUp) -> list[Known]:
    """The made-up passwords of a device, each with the item that it is."""
    device = config.device
    found: dict[str, str] = {}

    def add(item: str, said: Any) -> None:
        if said is None:
            return
        text = made.text_of(said.value, said.origin)
        if text is not None and item:
            found.setdefault(item, text)

    for name, user in device.users.items():
        add(f"user:{name}", user.password)
    for entry in (device.console, device.auxiliary, *device.vtys.values()):
        add(entry.item, entry.password)
    for level, elevation in sorted(device.elevations.items()):
        add(f"elevation:{level}", elevation.counting)
    add("service:ssh", device.ssh.password)
    add("service:telnet", device.telnet.password)
    add("service:web", device.web.password)
    return [Known(*each) for each in found.items()]


def _not_spoken(machine: Machine) -> list[str]:
    """What the device has and does not stand in for."""
    services = machine.resolved.services
    others = [service.label for via, service in services.items() if via not in _SPOKEN and service.on.value == "on"]
    ports = [via for via in PORTS if machine.resolved.ports[via].closed is None]
    notes = [f"not spoken: {', '.join(others)}"] if others else []
    if ports:
        notes.append(f"{' and '.join(ports)}: overhang stand-in ... --{ports[0]} {machine.name}")
    return notes
