"""SSH, through the library asyncssh: keys and passwords are held against the decision, one after another."""

import asyncio
import contextlib
import socket
from collections.abc import Callable, Mapping
from functools import partial
from typing import Any, NamedTuple

import asyncssh

from overhang.model import Device, PublicKey
from overhang.simulation.reasons import Reason
from overhang.simulation.result import Certificate
from overhang.simulation.visit import PASSWORD
from overhang.stand_in.dialog import Ask, Shell, banner, how_it_ended
from overhang.stand_in.doors import Door
from overhang.stand_in.drive import Gone, answered, drive
from overhang.stand_in.machine import Machine, Seat

_SMALLEST_RSA = 1_024
_STAND_IN_RSA = 2_048
#: So many answers are taken over one connection whatever the device allows; nobody types so many.
_MOST_ANSWERS = 50
#: Seconds that a connection may last behind its session.
_LINGER = 2.0


class Algorithms(NamedTuple):
    """What is spoken, as the library takes it; None for whatever it likes. ``notes`` tell what is substituted."""

    exchanges: tuple[str, ...] | None
    ciphers: tuple[str, ...] | None
    macs: tuple[str, ...] | None
    signatures: tuple[str, ...] | None
    notes: tuple[str, ...] = ()


def known_algorithms() -> dict[str, set[str]]:
    """The algorithms that the library has, by kind."""
    from asyncssh.encryption import get_encryption_algs
    from asyncssh.kex import get_kex_algs
    from asyncssh.mac import get_mac_algs
    from asyncssh.public_key import get_public_key_algs

    found = {
        "exchanges": get_kex_algs(),
        "ciphers": get_encryption_algs(),
        "macs": get_mac_algs(),
        "keys": get_public_key_algs(),
    }
    return {kind: {each.decode() for each in names} for kind, names in found.items()}


def algorithms_of(device: Device) -> Algorithms:
    """The algorithms that a device states, as far as the library has them."""
    ssh, known, notes = device.ssh, known_algorithms(), []
    found: list[tuple[str, ...] | None] = []
    for label, said, names in (
        ("key exchanges", ssh.exchanges, known["exchanges"]),
        ("ciphers", ssh.ciphers, known["ciphers"]),
        ("MACs", ssh.macs, known["macs"]),
        ("kinds of key", ssh.key_kinds, known["keys"]),
    ):
        if said is None:
            found.append(None)
            continue
        spoken = tuple(name for name in said.value if name in names)
        left = [name for name in said.value if name not in names]
        if left:
            instead = "" if spoken else "; the library's own are spoken instead"
            notes.append(f"{label} that cannot be spoken: {', '.join(left)}{instead}")
        found.append(spoken or None)
    versions = ssh.versions.value if ssh.versions is not None else ()
    if 1 in versions:
        notes.append("SSH version 1 cannot be spoken; only version 2 is")
    exchanges, ciphers, macs, kinds = found
    return Algorithms(exchanges, ciphers, macs, kinds, tuple(notes))


class HostKeyKind(NamedTuple):
    """A kind of host key as the library makes it: the algorithm, and the size of an RSA or DSA key."""

    algorithm: str
    bits: int | None = None

    @property
    def file(self) -> str:
        """The name of its file."""
        return f"host-{self.algorithm}" + (f"-{self.bits}" if self.bits else "")


def host_keys_of(device: Device) -> tuple[list[HostKeyKind], list[str]]:
    """The host keys that a device states, and what had to be substituted."""
    kinds: list[HostKeyKind] = []
    notes: list[str] = []
    for said in device.ssh.host_keys:
        kind, bits = said.value.kind, said.value.bits
        if kind == "rsa" and (bits or 0) >= _SMALLEST_RSA:
            kinds.append(HostKeyKind("ssh-rsa", bits))
        elif kind == "ecdsa" and bits in (256, 384, 521):
            kinds.append(HostKeyKind(f"ecdsa-sha2-nistp{bits}"))
        elif kind == "ed25519":
            kinds.append(HostKeyKind("ssh-ed25519"))
        elif kind == "rsa":
            kinds.append(HostKeyKind("ssh-rsa", _STAND_IN_RSA))
            notes.append(f"an RSA host key of {bits} bits cannot be made; one of {_STAND_IN_RSA} stands for it")
        elif kind == "unknown":
            notes.append("which host key the device has is unknown; one of ed25519 stands for it")
        else:
            what = f"a host key {kind}" + (f" of {bits} bits" if bits else "")
            notes.append(f"{what} cannot be made; one of ed25519 stands for it")
    if not kinds:
        kinds.append(HostKeyKind("ssh-ed25519"))
    return list(dict.fromkeys(kinds)), notes


def make_host_key(kind: HostKeyKind) -> Any:
    """A new host key of a kind."""
    if kind.bits is None:
        return asyncssh.generate_private_key(kind.algorithm)
    return asyncssh.generate_private_key(kind.algorithm, key_size=kind.bits)


class SpeakSsh:
    """Speaks SSH for one device; ``keys`` are its host keys."""

    def __init__(self, machine: Machine, keys: list[Any]) -> None:
        self._machine, self._keys = machine, keys
        self._options: tuple[Device, Mapping[str, Any]] | None = None

    async def __call__(self, door: Door, connection: socket.socket, seat: Seat) -> None:
        """Until the connection is over."""
        machine = self._machine
        within = machine.finish_within("ssh") or machine.idle(seat)
        owner = _Owner(door, machine, seat)
        conn = None
        try:
            conn = await asyncssh.run_server(
                connection,
                server_factory=lambda: owner,
                server_host_keys=self._keys,
                process_factory=owner.session,
                login_timeout=0 if within is None else max(0.01, machine.clock.real(within)),
                server_version="Overhang",
                agent_forwarding=False,
                kbdint_auth=False,
                allow_scp=False,
                x11_forwarding=False,
                compression_algs=None,
                gss_host=None,
                **self._spoken(),
            )
            await conn.wait_closed()
        except asyncssh.KeyExchangeFailed:
            owner.refused = True
        except (OSError, asyncssh.Error, asyncio.IncompleteReadError):
            pass
        finally:
            if conn is not None:
                conn.abort()
            owner.over()

    def _spoken(self) -> Mapping[str, Any]:
        device = self._machine.config.device
        if self._options is None or self._options[0] is not device:
            spoken = algorithms_of(device)
            options = {
                "kex_algs": spoken.exchanges,
                "encryption_algs": spoken.ciphers,
                "mac_algs": spoken.macs,
                "signature_algs": spoken.signatures,
            }
            self._options = device, {name: list(value) for name, value in options.items() if value}
        return self._options[1]


class _Owner(asyncssh.SSHServer):
    """One connection: what the client offers goes to the visit, and the visit says whether that will do."""

    def __init__(self, door: Door, machine: Machine, seat: Seat) -> None:
        self._door, self._machine, self._seat, self._visit = door, machine, seat, seat.visit
        self._conn: Any = None
        self._certified: set[Certificate] = set()
        self._held: set[tuple[str, bytes]] = set()
        #: whether what was proved last is a part of what is wanted, and something else the rest
        self._partial = False
        self._answers = 0
        #: whether the connection is about to be ended: whatever comes behind that is not looked at
        self._ending = False
        self.refused = False

    def connection_made(self, conn: asyncssh.SSHServerConnection) -> None:
        """Set up. The library has no login by a key and something else, so two of its methods are wrapped: the one
        that has seen a signature, and the one that says which methods may go on."""
        self._conn = conn
        self._seat.hang_up = conn.close
        whole: Any = conn
        validate, failure = whole.validate_public_key, whole.send_userauth_failure

        async def signed(username: str, key_data: bytes, message: bytes, signature: bytes) -> bool:
            right = await validate(username, key_data, message, signature)
            if not (right and message):
                return bool(right)
            return await self._key_proved()

        def failed(partial_success: bool) -> None:
            partial_success, self._partial = partial_success or self._partial, False
            failure(partial_success)

        whole.validate_public_key, whole.send_userauth_failure = signed, failed
        self._shown: PublicKey | Certificate | None = None

    def connection_lost(self, exc: Exception | None) -> None:
        """Whichever side finds first that nothing can be agreed on ends the connection."""
        self.refused = self.refused or isinstance(exc, asyncssh.KeyExchangeFailed)

    def over(self) -> None:
        """The connection has ended: a login that was not finished ends as it stands."""
        self._machine.report(self._seat, "client and device have no algorithm in common" if self.refused else "")

    # -- the login ---------------------------------------------------------------------------------------------------

    async def _do(self, action: Callable[[], None]) -> None:
        await answered(self._visit, action, self._door.ask)

    async def begin_auth(self, username: str) -> bool:
        """Whether anything has to be proved by whoever gives this name."""
        visit = self._visit
        if self._ending:
            return True
        text = self._machine.config.device.banners.get("before-login")
        if text is not None and text.lines and not visit.answered:
            self._conn.send_auth_banner("\n".join(text.lines) + "\n")
        await self._do(partial(visit.give_name, username))
        if visit.question == PASSWORD and visit.outcome == "admitted":
            await self._do(partial(visit.give_password, None))  # nothing need be typed
        if visit.question:
            return True
        if visit.outcome == "admitted":
            self._machine.report(self._seat)
            return False
        if visit.outcome in ("dropped", "refused", "unknown"):
            self._end_soon()
        return True

    def _end_soon(self) -> None:
        """End the connection once the answer that is due has been sent."""
        code = asyncssh.DISC_NO_MORE_AUTH_METHODS_AVAILABLE
        if self._visit.outcome != "denied":
            code = asyncssh.DISC_BY_APPLICATION
        text = how_it_ended(self._visit.result)
        self._ending = True
        asyncio.get_running_loop().call_soon(self._disconnect, code, text)

    def _disconnect(self, code: int, text: str) -> None:
        with contextlib.suppress(OSError, asyncssh.Error):
            self._conn.disconnect(code, text)

    def public_key_auth_supported(self) -> bool:
        """Whether keys are taken."""
        return True

    def password_auth_supported(self) -> bool:
        """Whether passwords are taken."""
        return True

    async def validate_public_key(self, username: str, key: asyncssh.SSHKey) -> bool:
        """Whether a key may be proved to be held: any, once. Whether it is of use is decided when it has been."""
        del username
        self._shown = _public(key)
        return self._shown[:2] not in self._held and not self._ending

    async def validate_ca_key(self, username: str, key: asyncssh.SSHKey) -> bool:
        """Whether a certificate may be proved to be held: any, once; the library sees to it that it is for the name."""
        self._shown = Certificate(_public(key), frozenset({username}))
        return self._shown not in self._certified and not self._ending

    async def _key_proved(self) -> bool:
        """The client holds a key that was shown: whether that admits it."""
        visit, shown = self._visit, self._shown
        if self._ending:
            return False
        if isinstance(shown, Certificate):
            self._certified.add(shown)
            visit.give_certificate(shown)
        elif shown is not None and shown[:2] not in self._held:
            self._held.add(shown[:2])
            visit.give_key(shown)
        if visit.question == PASSWORD and visit.outcome == "admitted":
            await self._do(partial(visit.give_password, None))
        if not visit.question and visit.outcome == "admitted":
            self._machine.report(self._seat)
            return True
        if visit.outcome == "unknown" and not visit.question:
            self._end_soon()
        result = visit.result
        if result is not None and result.decided.code is Reason.KEYS_REFUSED and visit.sure:
            self._end_soon()
        codes = {step.code for step in result.trace} if result is not None else set()
        self._partial = bool(codes & {Reason.KEY_RIGHT, Reason.CERTIFIED}) and visit.question == PASSWORD
        return False

    async def validate_password(self, username: str, password: str) -> bool:
        """Whether a password admits the client."""
        del username
        visit = self._visit
        if self._ending:
            return False
        self._answers += 1
        await self._do(partial(visit.give_both, visit.attempt.name, password))
        if not visit.question and visit.outcome == "admitted":
            self._machine.report(self._seat)
            return True
        if not visit.question or self._answers >= _MOST_ANSWERS:
            self._end_soon()
        return False

    # -- the session -------------------------------------------------------------------------------------------------

    async def session(self, process: "asyncssh.SSHServerProcess[str]") -> None:
        """The shell, or one command of it."""
        machine, seat = self._machine, self._seat
        line = _SshLine(process)
        idle = machine.idle(seat)
        line.limit = None if idle is None else machine.clock.real(idle)
        shell = Shell(seat.visit, machine.name, machine.desk(seat))
        code = 0
        try:
            if process.command is not None:
                line.waiting = [process.command, None]
                await drive(shell.run(greet=False), line, self._door.ask)
            else:
                await drive(banner(machine.config.device, "after-login"), line, self._door.ask)
                await drive(shell.run(), line, self._door.ask)
        except Gone as gone:
            code = 1
            if gone.why:
                line.say(f"Closed: {gone.why}.")
        except Exception as error:
            self._door.problems.append(error)
            code = 1
        with contextlib.suppress(OSError, asyncssh.Error):
            process.exit(code)
            asyncio.get_running_loop().call_later(_LINGER, self._conn.close)  # most clients end it before


class _SshLine:
    """The terminal of an SSH session as lines. ``waiting`` are answers that came with the connection."""

    def __init__(self, process: "asyncssh.SSHServerProcess[str]") -> None:
        self._process = process
        self.waiting: list[str | None] = []
        self.limit: float | None = None

    def say(self, text: str) -> None:
        """Show lines."""
        with contextlib.suppress(BrokenPipeError, asyncssh.Error):
            self._process.stdout.write(text + "\n")

    async def ask(self, question: Ask) -> str | None:
        """A line; None at the end of input. Raises Gone."""
        process = self._process
        if self.waiting:
            return self.waiting.pop(0)
        channel: Any = process.channel  # only one with a terminal echoes
        hide = channel.set_echo if question.secret and process.get_terminal_type() is not None else None
        try:
            process.stdout.write(question.prompt)
            if hide is not None:
                hide(False)
            async with asyncio.timeout(self.limit):
                text = await _read_line(process)
        except TimeoutError:
            raise Gone("the time is over") from None
        except (OSError, asyncssh.Error, asyncssh.BreakReceived, asyncssh.SignalReceived):
            raise Gone from None
        finally:
            if hide is not None:
                hide(True)
        return text.rstrip("\r\n") if text else None


async def _read_line(process: "asyncssh.SSHServerProcess[str]") -> str:
    while True:
        try:
            return await process.stdin.readline()
        except asyncssh.TerminalSizeChanged:
            continue


def _public(key: asyncssh.SSHKey) -> PublicKey:
    return PublicKey(key.get_algorithm(), key.public_data)
