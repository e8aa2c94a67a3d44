"""AAA servers that stand in, and how a device that stands in asks them over the network.

RADIUS is spoken by the library pyrad, TACACS+ by this program's own code on both sides. A server whose address has a
file ``down-ADDRESS`` in the run's folder does not answer.
"""

import asyncio
import io
import os
import socket
from collections.abc import Callable, Mapping
from typing import Any, NamedTuple

from overhang.model.device import Server
from overhang.model.verification import plain_text
from overhang.simulation.visit import Exchange, ServerReply
from overhang.stand_in import tacacs
from overhang.stand_in.machine import Machine

#: Seconds that a device waits for a server, and how often it asks, where its configuration says nothing.
TIMEOUT, TRIES = 5.0, 2
_NETWORK = "127.0.2"
_CLIENTS = "127.0.3"

#: RFC 2865 and 2869; 136 is the level of management, RFC 5607.
_DICTIONARY = """
ATTRIBUTE User-Name 1 string
ATTRIBUTE User-Password 2 octets
ATTRIBUTE NAS-IP-Address 4 ipaddr
ATTRIBUTE Reply-Message 18 string
ATTRIBUTE NAS-Identifier 32 string
ATTRIBUTE Message-Authenticator 80 octets
ATTRIBUTE Management-Privilege-Level 136 integer
"""

#: What servers hold: by group and name, a password and perhaps a level.
Accounts = Mapping[str, Mapping[str, Mapping[str, Any]]]


class Listening(NamedTuple):
    """A server that stands in: which one, the group that it answers for, and where it listens."""

    address: str
    protocol: str
    here: str
    port: int


class Servers:
    """The servers of a run. ``is_down`` tells of an address whether it does not answer now."""

    def __init__(self, accounts: Accounts, folder: str, real: Callable[[float], float]) -> None:
        self._accounts, self._folder, self._real = accounts, folder, real
        self._machines: dict[str, tuple[Machine, str]] = {}
        self._here: dict[tuple[str, str], Listening] = {}
        self._open: list[Callable[[], None]] = []
        self._tasks: set[asyncio.Task[None]] = set()

    def is_down(self, address: str) -> bool:
        """Whether a server is told not to answer."""
        return os.path.exists(os.path.join(self._folder, f"down-{address.replace(':', '_')}"))

    def listing(self) -> list[Listening]:
        """The servers."""
        return list(self._here.values())

    def serve(self, machine: Machine) -> None:
        """Stand in for the servers of a device, too."""
        self._machines[machine.name] = machine, f"{_CLIENTS}.{len(self._machines) % 250 + 1}"

    async def start(self) -> None:
        """Open what listens. Raises OSError."""
        for machine, _ in self._machines.values():
            for group in machine.config.device.groups.values():
                for server in group.servers:
                    await self._listen(group.protocol, server.value)

    async def _listen(self, protocol: str, server: Server) -> None:
        key = protocol, server.address
        if key in self._here:
            return
        here = f"{_NETWORK}.{len(self._here) % 250 + 1}"
        if protocol == "radius":
            port = await self._radius(server.address, here)
        else:
            listening = await asyncio.start_server(
                lambda reader, writer: self._tacacs(server.address, reader, writer), here, 0
            )
            port = listening.sockets[0].getsockname()[1]
            self._open.append(listening.close)
        self._here[key] = Listening(server.address, protocol, here, port)

    def stop(self) -> None:
        """Close what listens."""
        for close in self._open:
            close()

    # -- who holds what ----------------------------------------------------------------------------------------------

    def _client(self, peer: str, address: str, protocol: str) -> tuple[str, bytes] | None:
        """The group for which a device asks a server, and the secret that they share."""
        for machine, here in self._machines.values():
            if here != peer:
                continue
            for group in machine.config.device.groups.values():
                for server in group.servers:
                    if group.protocol == protocol and server.value.address == address:
                        return group.name, shared_secret(server.value)
        return None

    def _account(self, group: str, name: str, text: str) -> tuple[bool, int | None]:
        account = self._accounts.get(group, {}).get(name)
        if account is None or account.get("password") != text or not text:
            return False, None
        return True, account.get("level")

    # -- RADIUS ------------------------------------------------------------------------------------------------------

    async def _radius(self, address: str, here: str) -> int:
        from pyrad.server import RemoteHost
        from pyrad.server_async import DatagramProtocolServer, ServerAsync, ServerType

        servers = self

        class Answering(ServerAsync):  # type: ignore[misc]
            """Answers requests for a login."""

            def handle_auth_packet(self, protocol: Any, request: Any, peer: tuple[str, int]) -> None:
                servers._radius_request(address, protocol, request, peer)

            def handle_acct_packet(self, protocol: Any, request: Any, peer: Any) -> None:
                """Nothing is recorded."""

            def handle_coa_packet(self, protocol: Any, request: Any, peer: Any) -> None:
                """Nothing is changed."""

            def handle_disconnect_packet(self, protocol: Any, request: Any, peer: Any) -> None:
                """Nobody is disconnected."""

        hosts = {}
        for machine, peer in self._machines.values():
            del machine
            found = self._client(peer, address, "radius")
            if found is not None:
                hosts[peer] = RemoteHost(peer, found[1], peer)
        server = Answering(hosts=hosts, dictionary=_dictionary(), logger_name="overhang.radius")
        server.logger.disabled = True  # it would print what cannot be decoded
        held = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        held.bind((here, 0))
        port = int(held.getsockname()[1])
        protocol = DatagramProtocolServer(
            here, port, server.logger, server, ServerType.Auth, hosts, server.handle_auth_packet
        )
        transport, _ = await asyncio.get_running_loop().create_datagram_endpoint(lambda: protocol, sock=held)
        self._open.append(transport.close)
        return port

    def _radius_request(self, address: str, protocol: Any, request: Any, peer: tuple[str, int]) -> None:
        from pyrad import packet

        found = self._client(peer[0], address, "radius")
        if found is None or self.is_down(address):
            return
        names, texts = request.get("User-Name", [""]), request.get("User-Password", [b""])
        accepts, level = self._account(found[0], str(names[0]), str(request.PwDecrypt(texts[0])))
        reply = request.CreateReply()
        reply.code = packet.AccessAccept if accepts else packet.AccessReject
        if accepts and level is not None:
            reply["Management-Privilege-Level"] = level
        protocol.send_response(reply, peer)

    # -- TACACS+ -----------------------------------------------------------------------------------------------------

    async def _tacacs(self, address: str, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        peer = writer.get_extra_info("peername")[0]
        found = self._client(peer, address, "tacacs")
        try:
            if found is None or self.is_down(address):
                return
            async with asyncio.timeout(30):
                packet = await _read_packet(reader, found[1])
                writer.write(tacacs.packed(self._tacacs_answer(packet, found[0]), found[1]))
                await writer.drain()
        except (OSError, tacacs.BadPacket, asyncio.IncompleteReadError, TimeoutError):
            pass  # whoever sends no packet gets no answer
        finally:
            writer.close()

    def _tacacs_answer(self, packet: tacacs.Packet, group: str) -> tacacs.Packet:
        header = tacacs.reply_header(packet.header)
        if packet.header.kind == tacacs.AUTHENTICATION:
            start = tacacs.read_start(packet.body)
            accepts, _ = self._account(group, start.user, start.password)
            return tacacs.Packet(header, tacacs.reply_body(tacacs.PASS if accepts else tacacs.FAIL))
        user, _ = tacacs.read_request(packet.body)
        account = self._accounts.get(group, {}).get(user)
        if account is None:
            return tacacs.Packet(header, tacacs.response_body(tacacs.AUTHOR_FAIL, None))
        return tacacs.Packet(header, tacacs.response_body(tacacs.PASS_ADD, account.get("level")))

    # -- a device asks -----------------------------------------------------------------------------------------------

    def asker(self, machine: Machine) -> Callable[[Exchange], Any]:
        """What asks servers for a device."""

        async def ask(exchange: Exchange) -> ServerReply:
            group = machine.config.device.groups.get(exchange.group)
            listening = None if group is None else self._here.get((group.protocol, exchange.address))
            if group is None or listening is None:
                return ServerReply(False)
            server = next(each.value for each in group.servers if each.value.address == exchange.address)
            _, here = self._machines[machine.name]
            asked = _Asked(here, listening, shared_secret(server), exchange)
            said = group.timeout.value if group.timeout is not None else None
            wait = self._real(TIMEOUT if said is None else float(said))
            for _ in range(group.tries.value if group.tries is not None else TRIES):
                try:
                    async with asyncio.timeout(wait):
                        return await (_ask_radius if group.protocol == "radius" else _ask_tacacs)(asked)
                except (TimeoutError, OSError, tacacs.BadPacket, asyncio.IncompleteReadError):
                    continue
            return ServerReply(False)

        return ask


class _Asked(NamedTuple):
    """What is asked: from where, of which server, with which secret."""

    here: str
    server: Listening
    secret: bytes
    exchange: Exchange


def shared_secret(server: Server) -> bytes:
    """The secret that a device shares with a server; empty where none can be read."""
    text = plain_text(server.secret) if server.secret is not None else None
    return (text or "").encode()


def _dictionary() -> Any:
    from pyrad.dictionary import Dictionary

    return Dictionary(io.StringIO(_DICTIONARY))


class _Reply(asyncio.DatagramProtocol):
    def __init__(self, fits: Callable[[bytes], bool]) -> None:
        self._fits = fits
        self.data: asyncio.Future[bytes] = asyncio.get_running_loop().create_future()

    def datagram_received(self, data: bytes, addr: Any) -> None:
        del addr
        if not self.data.done() and self._fits(data):
            self.data.set_result(data)

    def error_received(self, exc: Exception) -> None:
        if not self.data.done():
            self.data.set_exception(exc)


async def _ask_radius(asked: _Asked) -> ServerReply:
    from pyrad import packet

    request = packet.AuthPacket(code=packet.AccessRequest, secret=asked.secret, dict=_dictionary())
    request["User-Name"] = asked.exchange.name
    request["User-Password"] = request.PwCrypt(asked.exchange.text)
    request["NAS-Identifier"] = "overhang"
    request.add_message_authenticator()
    raw = request.RequestPacket()

    def fits(data: bytes) -> bool:
        try:
            return bool(request.VerifyReply(request.CreateReply(packet=data), data))
        except packet.PacketError:
            return False

    loop = asyncio.get_running_loop()
    transport, reply = await loop.create_datagram_endpoint(
        lambda: _Reply(fits), local_addr=(asked.here, 0), remote_addr=(asked.server.here, asked.server.port)
    )
    try:
        transport.sendto(raw)
        data = await reply.data
    finally:
        transport.close()
    answer = request.CreateReply(packet=data)
    levels = answer.get("Management-Privilege-Level", [None])
    level = levels[0] if isinstance(levels[0], int) and 0 <= levels[0] <= 15 else None
    return ServerReply(True, answer.code == packet.AccessAccept, level)


async def _read_packet(reader: asyncio.StreamReader, secret: bytes) -> tacacs.Packet:
    header = tacacs.read_header(await reader.readexactly(tacacs.size_of_header()))
    body = await reader.readexactly(header.length)
    return tacacs.Packet(header, tacacs.obfuscated(header, body, secret))


async def _ask_tacacs(asked: _Asked) -> ServerReply:
    start = tacacs.Start(asked.exchange.name, asked.exchange.text, "overhang", "")
    reply = await _exchange(asked, tacacs.AUTHENTICATION, tacacs.start_body(start))
    if tacacs.read_reply(reply.body) != tacacs.PASS:
        return ServerReply(True)
    response = await _exchange(asked, tacacs.AUTHORIZATION, tacacs.request_body(start.user, start.port, ""))
    status, level = tacacs.read_response(response.body)
    return ServerReply(True, status in (tacacs.PASS_ADD, 0x02), level)


async def _exchange(asked: _Asked, kind: int, body: bytes) -> tacacs.Packet:
    header = tacacs.new_session(kind)
    reader, writer = await asyncio.open_connection(asked.server.here, asked.server.port, local_addr=(asked.here, 0))
    try:
        writer.write(tacacs.packed(tacacs.Packet(header, body), asked.secret))
        await writer.drain()
        answer = await _read_packet(reader, asked.secret)
    finally:
        writer.close()
    if answer.header[:3] != tacacs.reply_header(header)[:3] or answer.header.session != header.session:
        raise tacacs.BadPacket("the answer to something else")
    return answer
