"""TACACS+ (RFC 8907), as far as a login needs it: a PAP login, and the authorization that gives the level.

Both sides are written here, so that one is no independent proof of the other.

What is sent is obfuscated with MD5, as the RFC has it (section 4.5), which keeps it from nobody who listens for long.
"""

import hashlib
import secrets
import struct
from typing import NamedTuple

AUTHENTICATION, AUTHORIZATION = 1, 2
PASS, FAIL = 1, 2
PASS_ADD, AUTHOR_FAIL = 0x01, 0x10
_HEADER = struct.Struct("!BBBBII")
_DEFAULT_VERSION, _PAP_VERSION = 0xC0, 0xC1
_LOGIN, _PAP, _SERVICE_LOGIN, _METHOD_TACACS = 1, 2, 1, 6
#: The longest body that is read; the fields of a login are far shorter.
LONGEST = 16_384


class BadPacket(ValueError):
    """A packet that is none, or was obfuscated with another secret."""


class Header(NamedTuple):
    """What stands before a body: section 4.1 of the RFC."""

    version: int
    kind: int
    sequence: int
    flags: int
    session: int
    length: int


class Packet(NamedTuple):
    """A packet: its header, and its body in clear text."""

    header: Header
    body: bytes


class Start(NamedTuple):
    """What a login asks: the name, the password, and where the person comes from."""

    user: str
    password: str
    port: str
    source: str


def size_of_header() -> int:
    """How many bytes a header has."""
    return _HEADER.size


def read_header(data: bytes) -> Header:
    """A header. Raises BadPacket."""
    header = Header(*_HEADER.unpack(data))
    if header.version >> 4 != 0xC or header.kind not in (AUTHENTICATION, AUTHORIZATION) or header.length > LONGEST:
        raise BadPacket("no packet of this protocol")
    return header


def obfuscated(header: Header, body: bytes, secret: bytes) -> bytes:
    """The body, hidden or shown again (RFC 8907, 4.5)."""
    seed = struct.pack("!I", header.session) + secret + bytes((header.version, header.sequence))
    pad, block = b"", b""
    while len(pad) < len(body):
        block = hashlib.md5(seed + block, usedforsecurity=False).digest()
        pad += block
    return bytes(one ^ other for one, other in zip(body, pad, strict=False))


def packed(packet: Packet, secret: bytes) -> bytes:
    """A packet as it is sent."""
    header = packet.header._replace(length=len(packet.body))
    return _HEADER.pack(*header) + obfuscated(header, packet.body, secret)


def new_session(kind: int) -> Header:
    """The header of the first packet of a session."""
    version = _PAP_VERSION if kind == AUTHENTICATION else _DEFAULT_VERSION
    return Header(version, kind, 1, 0, secrets.randbits(32), 0)


def reply_header(header: Header) -> Header:
    """The header of the answer to a packet."""
    return header._replace(sequence=header.sequence + 1)


def _lengths(*fields: bytes) -> bytes:
    if any(len(each) > 255 for each in fields):
        raise BadPacket("a field of more than 255 bytes")
    return bytes(len(each) for each in fields)


def start_body(start: Start) -> bytes:
    """The start of a PAP login (5.1): the password is its data."""
    fields = [text.encode() for text in (start.user, start.port, start.source, start.password)]
    return bytes((_LOGIN, 1, _PAP, _SERVICE_LOGIN)) + _lengths(*fields) + b"".join(fields)


def read_start(body: bytes) -> Start:
    """The start of a login. Raises BadPacket."""
    if len(body) < 8 or body[0] != _LOGIN or body[2] != _PAP:
        raise BadPacket("no login by PAP")
    user, port, source, password = _texts(body[8:], body[4:8])
    return Start(user, password, port, source)


def _texts(data: bytes, lengths: bytes) -> list[str]:
    if sum(lengths) != len(data):
        raise BadPacket("its fields do not fit")
    found, at = [], 0
    for length in lengths:
        try:
            found.append(data[at : at + length].decode())
        except UnicodeDecodeError:
            raise BadPacket("a field is no text") from None
        at += length
    return found


def reply_body(status: int) -> bytes:
    """The answer to a login (5.2)."""
    return struct.pack("!BBHH", status, 0, 0, 0)


def read_reply(body: bytes) -> int:
    """The status of an answer to a login. Raises BadPacket."""
    if len(body) < 6 or body[0] not in (PASS, FAIL):
        raise BadPacket("no answer to a login")
    message, data = struct.unpack("!HH", body[2:6])
    if len(body) != 6 + message + data:
        raise BadPacket("its fields do not fit")
    return body[0]


def request_body(user: str, port: str, source: str) -> bytes:
    """A request for what a shell may do (6.1)."""
    texts = [text.encode() for text in (user, port, source)]
    arguments = [b"service=shell", b"cmd="]
    head = bytes((_METHOD_TACACS, 1, _PAP, _SERVICE_LOGIN))
    return head + _lengths(*texts) + bytes((len(arguments),)) + _lengths(*arguments) + b"".join(texts + arguments)


def read_request(body: bytes) -> tuple[str, list[str]]:
    """Whom a request is about, and its arguments. Raises BadPacket."""
    if len(body) < 8 or len(body) < 8 + body[7]:
        raise BadPacket("no request")
    lengths = body[4:7] + body[8 : 8 + body[7]]
    user, _, _, *arguments = _texts(body[8 + body[7] :], lengths)
    return user, arguments


def response_body(status: int, level: int | None) -> bytes:
    """The answer to a request (6.2), with the level where there is one."""
    arguments = [f"priv-lvl={level}".encode()] if level is not None else []
    head = struct.pack("!BBHH", status, len(arguments), 0, 0)
    return head + _lengths(*arguments) + b"".join(arguments)


def read_response(body: bytes) -> tuple[int, int | None]:
    """The status of an answer, and the level that it gives. Raises BadPacket."""
    if len(body) < 6 or body[0] not in (PASS_ADD, 0x02, AUTHOR_FAIL, 0x11):
        raise BadPacket("no answer to a request")
    count = body[1]
    message, data = struct.unpack("!HH", body[2:6])
    lengths, rest = body[6 : 6 + count], body[6 + count :]
    if len(rest) != message + data + sum(lengths):
        raise BadPacket("its fields do not fit")
    level = None
    for text in _texts(rest[message + data :], lengths):
        name, _, value = text.replace("*", "=", 1).partition("=")
        if name == "priv-lvl" and value.isdecimal() and int(value) <= 15:
            level = int(value)
    return body[0], level
