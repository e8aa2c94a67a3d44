"""The web pages of a device that stands in: a form to log in, then what the person may see."""

import asyncio
import datetime
import ipaddress
import secrets
import socket
import ssl
import tempfile
from collections.abc import Awaitable, Callable
from functools import partial
from html import escape
from typing import Any, NamedTuple

from aiohttp import web
from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec, rsa

from overhang.model import Device
from overhang.stand_in.dialog import how_it_ended, reasons
from overhang.stand_in.doors import Door
from overhang.stand_in.drive import answered
from overhang.stand_in.machine import Machine, Seat

_COOKIE = "overhang-session"
_LARGEST = 16_384
#: So many sessions of a device's pages are kept; a further one ends the oldest, which nobody need have left.
_MOST_SESSIONS = 1_000
_ECDSA: dict[int | None, Any] = {256: ec.SECP256R1, 384: ec.SECP384R1, 521: ec.SECP521R1}
_SMALLEST_RSA, _STAND_IN_RSA = 1_024, 2_048
_STATUS = {"denied": 401, "refused": 403, "dropped": 503, "unknown": 503}


# -- the certificate ---------------------------------------------------------------------------------------------------


class Certified(NamedTuple):
    """A certificate and its key as PEM, and what had to be substituted."""

    pem: bytes
    notes: tuple[str, ...]


def make_certificate(device: Device, now: datetime.datetime) -> Certified:
    """A certificate as the device states it: who issued it, its key, its dates."""
    said = device.web
    notes = []
    key, note = _key_of(device)
    notes += [note] if note else []
    name = x509.Name([x509.NameAttribute(x509.NameOID.COMMON_NAME, device.name[:64])])
    issuer, signer = name, key
    if said.certificate is not None and said.certificate.value == "issued":
        issuer = x509.Name([x509.NameAttribute(x509.NameOID.COMMON_NAME, "made-up authority")])
        signer = ec.generate_private_key(ec.SECP256R1())
        notes.append("its certificate is issued by a made-up authority")
    elif said.certificate is not None and said.certificate.value == "unknown":
        notes.append("who issued its certificate is unknown; it signs its own")
    first, last = now - datetime.timedelta(days=1), now + datetime.timedelta(days=365)
    if said.certificate_valid is not None:
        first, last = (
            datetime.datetime.combine(day, datetime.time(), datetime.UTC)
            for day in (said.certificate_valid.value.start, said.certificate_valid.value.end)
        )
        last += datetime.timedelta(hours=23, minutes=59, seconds=59)
    made = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(issuer)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(first)
        .not_valid_after(last)
        .add_extension(x509.SubjectAlternativeName([x509.IPAddress(ipaddress.ip_address("127.0.0.1"))]), False)
        .sign(signer, hashes.SHA256())
    )
    pem = made.public_bytes(serialization.Encoding.PEM) + key.private_bytes(
        serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()
    )
    return Certified(pem, tuple(notes))


def _key_of(device: Device) -> tuple[Any, str]:
    said = device.web.certificate_key
    kind, bits = (said.value.kind, said.value.bits) if said is not None else ("ecdsa", 256)
    if kind == "ecdsa" and bits in _ECDSA:
        return ec.generate_private_key(_ECDSA[bits]()), ""
    if kind == "rsa" and bits is not None and bits >= _SMALLEST_RSA:
        return rsa.generate_private_key(65_537, bits), ""
    note = f"a certificate with a key {kind} of {bits} bits cannot be made; RSA of {_STAND_IN_RSA} bits stands for it"
    return rsa.generate_private_key(65_537, _STAND_IN_RSA), note


def tls_of(device: Device, pem_file: str) -> tuple[ssl.SSLContext, list[str]]:
    """The TLS of a device, with the certificate in a file; and what had to be substituted."""
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    context.set_ciphers("DEFAULT@SECLEVEL=0")  # a device may have a small key
    context.load_cert_chain(pem_file)
    notes = []
    said = device.web.tls
    versions = [version for version in (said.value if said is not None else ()) if version in ("1.2", "1.3")]
    left = [version for version in (said.value if said is not None else ()) if version not in ("1.2", "1.3")]
    if left:
        notes.append(f"TLS {', '.join(left)} is not spoken here" + ("" if versions else "; 1.2 and 1.3 are"))
    if versions:
        context.minimum_version = ssl.TLSVersion.TLSv1_2 if "1.2" in versions else ssl.TLSVersion.TLSv1_3
        context.maximum_version = ssl.TLSVersion.TLSv1_3 if "1.3" in versions else ssl.TLSVersion.TLSv1_2
    return context, notes


def tls_in_memory(device: Device, now: datetime.datetime) -> ssl.SSLContext:
    """The TLS of a device with a certificate that nothing keeps; the library reads it from a file all the same."""
    with tempfile.NamedTemporaryFile(prefix="overhang-", suffix=".pem") as file:
        file.write(make_certificate(device, now).pem)
        file.flush()
        return tls_of(device, file.name)[0]


# -- the pages ---------------------------------------------------------------------------------------------------------


class SpeakWeb:
    """Speaks HTTP for one device; HTTPS with a TLS context."""

    def __init__(self, machine: Machine, tls: ssl.SSLContext | None = None) -> None:
        self._machine, self._tls = machine, tls
        self._sessions: dict[str, Seat] = {}
        self._timers: dict[str, asyncio.TimerHandle] = {}

    async def __call__(self, door: Door, connection: socket.socket, seat: Seat) -> None:
        """Until the connection is over. A session that was begun over it lives on, until it is left or idle."""
        loop = asyncio.get_running_loop()
        one = _Connection(self, door, seat)
        server = web.Server(one.guarded, access_log=None, keepalive_timeout=75, max_line_size=8_190)
        gone = asyncio.Event()
        handler = _Watched(server(), gone.set)
        idle = self._machine.idle(seat)
        try:
            limit = None if idle is None else self._machine.clock.real(idle)
            async with asyncio.timeout(limit):
                transport, _ = await loop.connect_accepted_socket(
                    lambda: handler, connection, ssl=self._tls, ssl_handshake_timeout=None if self._tls is None else 20
                )
                seat.hang_up = transport.abort
                await gone.wait()
        except (OSError, TimeoutError):
            pass
        finally:
            await server.shutdown(0.5)
            if one.seat is not None:
                self._machine.report(one.seat)
                self._machine.close(one.seat)

    def session(self, token: str | None) -> Seat | None:
        """The seat of a session that is still there."""
        seat = self._sessions.get(token or "")
        return seat if seat is not None and seat.number in self._machine.seats else None

    def begin(self, seat: Seat) -> str:
        """A new session; the text that its browser shows from now on."""
        if len(self._sessions) >= _MOST_SESSIONS:
            self.end(next(iter(self._sessions)))
        token = secrets.token_urlsafe(24)
        self._sessions[token] = seat
        seat.outlives = True
        seat.hang_up = partial(self.end, token)
        self.used(token)
        return token

    def used(self, token: str) -> None:
        """A session was used: it is idle from now on."""
        timer = self._timers.pop(token, None)
        if timer is not None:
            timer.cancel()
        idle = self._machine.idle(self._sessions[token])
        if idle is not None:
            real = self._machine.clock.real(idle)
            self._timers[token] = asyncio.get_running_loop().call_later(real, self.end, token)

    def end(self, token: str) -> None:
        """A session is over."""
        timer = self._timers.pop(token, None)
        if timer is not None:
            timer.cancel()
        seat = self._sessions.pop(token, None)
        if seat is not None:
            self._machine.close(seat)


class _Watched(asyncio.Protocol):
    """A protocol that says when its connection is over."""

    def __init__(self, inner: asyncio.Protocol, over: Callable[[], None]) -> None:
        self._inner, self._over = inner, over

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        self._inner.connection_made(transport)

    def data_received(self, data: bytes) -> None:
        self._inner.data_received(data)

    def eof_received(self) -> bool | None:
        return self._inner.eof_received()

    def pause_writing(self) -> None:
        self._inner.pause_writing()

    def resume_writing(self) -> None:
        self._inner.resume_writing()

    def connection_lost(self, exc: Exception | None) -> None:
        self._inner.connection_lost(exc)
        self._over()


class _Connection:
    """One connection: requests come over it one after another, and wrong answers over it count together."""

    def __init__(self, pages: SpeakWeb, door: Door, seat: Seat) -> None:
        self._pages, self._door, self._machine = pages, door, door.machine
        self.seat: Seat | None = seat
        self._peer, self._attempt = seat.peer, seat.visit.attempt

    async def guarded(self, request: web.BaseRequest) -> web.StreamResponse:
        """One request; a fault of this program is kept for the end of the run, and the library tells nobody of it."""
        try:
            return await self.answer(request)
        except (web.HTTPException, OSError, ValueError):
            return _page(self._machine.name, "<p>The request cannot be read.</p>", 400)
        except Exception as error:
            self._door.problems.append(error)
            raise

    async def answer(self, request: web.BaseRequest) -> web.StreamResponse:
        """One request."""
        token = request.cookies.get(_COOKIE)
        session = self._pages.session(token)
        handler: Callable[[], Awaitable[web.StreamResponse]] | None = None
        if request.path == "/" and request.method in ("GET", "HEAD"):
            handler = partial(self._front, session, token)
        elif request.path == "/login" and request.method == "POST":
            handler = partial(self._login, request)
        elif request.path == "/leave" and request.method == "POST":
            handler = partial(self._leave, token)
        if handler is None:
            return _page(self._machine.name, "<p>There is no such page.</p>", 404)
        return await handler()

    async def _front(self, session: Seat | None, token: str | None) -> web.StreamResponse:
        if session is not None and token is not None:
            self._pages.used(token)
            return _page(self._machine.name, self._inside(session))
        seat = self._here()
        if seat.visit.outcome in ("dropped", "unknown", "refused") and not seat.visit.question:
            return self._ended(seat)
        return _page(self._machine.name, _form(self._machine.config.device))

    def _here(self) -> Seat:
        """The seat of this connection; a new one after a login over it."""
        if self.seat is None:
            self.seat = self._machine.open(self._door.via, self._peer, self._attempt.source, self._attempt.destination)
            self.seat.visit.arrive()
        return self.seat

    async def _login(self, request: web.BaseRequest) -> web.StreamResponse:
        if (request.content_length or 0) > _LARGEST:
            return _page(self._machine.name, "<p>The form is too large.</p>", 413)
        form = await request.post()
        seat = self._here()
        visit = seat.visit
        name, text = form.get("name"), form.get("password")
        given = name if isinstance(name, str) and name else None
        typed = text if isinstance(text, str) else None
        if seat.visit.outcome not in ("dropped", "refused") or seat.visit.question:
            await self._do(seat, partial(visit.give_both, given, typed))
        if visit.question:
            return _page(self._machine.name, _form(self._machine.config.device, again=True), 401, "denied")
        self._machine.report(seat)
        if visit.outcome != "admitted":
            return self._ended(seat)
        self.seat = None
        token = self._pages.begin(seat)
        response = _page(self._machine.name, self._inside(seat), 200, "admitted")
        response.set_cookie(_COOKIE, token, httponly=True, samesite="Strict")
        return response

    async def _do(self, seat: Seat, action: Callable[[], None]) -> None:
        await answered(seat.visit, action, self._door.ask)

    async def _leave(self, token: str | None) -> web.StreamResponse:
        if token is not None:
            self._pages.end(token)
        return _page(self._machine.name, "<p>You have left.</p>" + _form(self._machine.config.device))

    def _ended(self, seat: Seat) -> web.StreamResponse:
        outcome = seat.visit.outcome
        text = f"<p>{escape(how_it_ended(seat.visit.result))}</p>"
        response = _page(self._machine.name, text, _STATUS[outcome], outcome)
        response.force_close()
        return response

    def _inside(self, seat: Seat) -> str:
        visit, desk = seat.visit, self._machine.desk(seat)
        parts = [
            _list("You", desk.me(visit)),
            _list("Who else is in", desk.others()),
            _list("How this login was decided", reasons(visit.steps)),
            f"<h2>The device as it stands</h2><pre>{escape(chr(10).join(desk.sheet()))}</pre>",
            '<form method="post" action="/leave"><button>Leave</button></form>',
        ]
        return f'<div data-level="{visit.level}">{"".join(parts)}</div>'


def _list(title: str, lines: list[str]) -> str:
    return f"<h2>{escape(title)}</h2><ul>" + "".join(f"<li>{escape(line)}</li>" for line in lines) + "</ul>"


def _form(device: Device, *, again: bool = False) -> str:
    stated = device.banners.get("before-login")
    shown = f"<pre>{escape(chr(10).join(stated.lines))}</pre>" if stated is not None and stated.lines else ""
    wrong = "<p>Not accepted. Try again.</p>" if again else ""
    return (
        f'{shown}{wrong}<form method="post" action="/login">'
        '<label>name <input name="name" autocomplete="off" autofocus></label>'
        '<label>password <input name="password" type="password" autocomplete="off"></label>'
        "<button>Log in</button></form>"
    )


_STYLE = """
:root { color-scheme: light dark; --page: #fff; --ink: #1d2126; --line: #dde1e6; --panel: #f6f7f9; --link: #0b5cad; }
@media (prefers-color-scheme: dark) {
  :root { --page: #14171b; --ink: #e6e9ed; --line: #323941; --panel: #1d2228; --link: #7cb7f2; } }
body { margin: 0 auto; padding: 1.5rem 2rem; max-width: 60rem; font: 15px/1.5 system-ui, sans-serif; }
body { background: var(--page); color: var(--ink); }
h1 { font-size: 1.6rem; margin: 0 0 1rem; } h2 { font-size: 1.1rem; margin: 1.4rem 0 .3rem; }
form { display: grid; gap: .6rem; max-width: 22rem; margin-top: 1rem; }
label { display: grid; gap: .15rem; } input, button { font: inherit; padding: .4rem .6rem; }
input { background: var(--panel); color: inherit; border: 1px solid var(--line); border-radius: 3px; }
button { background: var(--link); color: var(--page); border: 0; border-radius: 3px; }
pre { background: var(--panel); border: 1px solid var(--line); border-radius: 3px; padding: .6rem .8rem; }
pre { font: 13px/1.45 ui-monospace, monospace; white-space: pre-wrap; }
ul { margin: .2rem 0; padding-left: 1.2rem; }
footer { margin-top: 2rem; font-size: .85rem; opacity: .7; }
"""


def _page(name: str, body: str, status: int = 200, outcome: str = "") -> web.Response:
    text = (
        f'<!doctype html><html lang="en"><meta charset="utf-8"><title>{escape(name)}</title><style>{_STYLE}</style>'
        f'<body data-outcome="{outcome}"><h1>{escape(name)}</h1>{body}'
        "<footer>This device stands in for one that is described in a file. It runs on this machine alone.</footer>"
    )
    headers = {
        "Cache-Control": "no-store",
        "Content-Security-Policy": "default-src 'none'; style-src 'unsafe-inline'; form-action 'self'",
    }
    return web.Response(text=text, status=status, content_type="text/html", headers=headers)
