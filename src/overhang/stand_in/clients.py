"""Real clients, which make one login and say how it ended: SSH, Telnet, the web, and the ports."""

import asyncio
import contextlib
import os
import re
import socket
import ssl
import sys
import tempfile
from collections.abc import Mapping
from typing import Any, NamedTuple

import asyncssh

from overhang.stand_in.dialog import ENDS
from overhang.stand_in.ssh import known_algorithms
from overhang.stand_in.telnet import TelnetDecoder

_PROMPT = re.compile(r", level (\d+|unknown): \Z")
_QUESTION = re.compile(r"(?:^|\n)(name(?: \([^)]*\))?|password(?: for level \d+)?): \Z")
_ENDS = (*((text, outcome) for outcome, text in ENDS.items() if outcome != "refused"), ("Can't tell", "unknown"))
_TIMEOUT = 20.0
_NONE = "\x04"


class Errand(NamedTuple):
    """What a client is to do: where it connects to and from, and with what. ``elevate_texts`` are for elevation."""

    via: str
    address: str
    port: int
    peer: str
    name: str | None = None
    texts: tuple[str, ...] = ()
    keys: tuple[Any, ...] = ()
    elevate: int | None = None
    elevate_name: str | None = None
    elevate_texts: tuple[str, ...] = ()
    algorithms: Mapping[str, tuple[str, ...]] | None = None


class Seen(NamedTuple):
    """What a client has seen: the outcome, the level at the end, how an elevation ended, what was typed of what there
    was to type, and what was shown; what was typed is left out of it."""

    outcome: str
    level: int | None = None
    elevation: str | None = None
    named: bool = False
    typed: int = 0
    elevate_typed: int = 0
    transcript: str = ""


class Talk:
    """One conversation: what was shown, what was typed, and what that came to."""

    def __init__(self, errand: Errand) -> None:
        self.errand = errand
        self.shown = ""
        self._tail = ""
        self.named = False
        self.typed = self.elevate_typed = 0
        self._lifting = self._lifted = False
        self.level: int | None = None
        self.elevation: str | None = None
        self.is_in = False

    def heard(self, text: str) -> str | None:
        """What to type after something more was shown; None to wait, "" at the end."""
        self.shown += text
        self._tail += text.replace("\r\n", "\n")
        question = _QUESTION.search(self._tail)
        prompt = _PROMPT.search(self._tail)
        if question is None and prompt is None:
            return None
        before, self._tail = self._tail, ""
        if prompt is not None:
            return self._at_prompt(prompt.group(1), before)
        return self._answer(question.group(1) if question is not None else "")

    def _answer(self, question: str) -> str:
        errand = self.errand
        if question.startswith("name"):
            if not self._lifting:
                self.named = True
            return self._typing((errand.elevate_name if self._lifting else errand.name) or "")
        texts, typed = (errand.elevate_texts, self.elevate_typed) if self._lifting else (errand.texts, self.typed)
        if typed < len(texts):
            if self._lifting:
                self.elevate_typed += 1
            else:
                self.typed += 1
            return self._typing(texts[typed])
        return self._typing(_NONE, "(nothing)")

    def _typing(self, text: str, shown: str = "(typed)") -> str:
        self.shown += shown + "\n"
        return text if text == _NONE else text + "\r\n"

    def _at_prompt(self, level: str, before: str) -> str:
        errand = self.errand
        self.is_in = True
        self.level = None if level == "unknown" else int(level)
        if self._lifting:
            self.elevation = "granted" if "You have level" in before.replace("Denied. You", "") else "denied"
            if "Can't tell" in before:
                self.elevation = "unknown"
            self._lifting = False
        elif errand.elevate is not None and not self._lifted:
            self._lifting = self._lifted = True
            by = f" as {errand.elevate_name}" if errand.elevate_name is not None else ""
            line = f"elevate {errand.elevate}{by}\r\n"
            self.shown += line
            return line
        return ""

    def seen(self, *, by_reset: bool = False) -> Seen:
        """How it ended."""
        outcome = "refused" if by_reset or not self.shown else "denied"
        if self.is_in and not self._lifting:
            outcome = "admitted"
        else:
            for text, ends in _ENDS:
                if text in self._tail:
                    outcome = ends
        level = self.level if outcome == "admitted" else None
        elevation = self.elevation if outcome == "admitted" else ("denied" if self._lifted else None)
        return Seen(outcome, level, elevation, self.named, self.typed, self.elevate_typed, self.shown)


async def log_in(errand: Errand, connection: socket.socket | None = None) -> Seen:
    """Do an errand. ``connection`` is one that is there already, to a port."""
    if errand.via == "ssh":
        return await _by_ssh(errand)
    if errand.via in ("http", "https"):
        return await _by_web(errand)
    return await _by_telnet(errand, connection)


# -- Telnet, and the ports ---------------------------------------------------------------------------------------------


async def _by_telnet(errand: Errand, connection: socket.socket | None) -> Seen:
    talk = Talk(errand)
    try:
        async with asyncio.timeout(_TIMEOUT):
            if connection is not None:
                reader, writer = await asyncio.open_connection(sock=connection)
            else:
                reader, writer = await asyncio.open_connection(errand.address, errand.port, local_addr=(errand.peer, 0))
            try:
                await _talk(talk, reader, writer)
            finally:
                writer.close()
                with contextlib.suppress(OSError):
                    await writer.wait_closed()
    except TimeoutError:
        return talk.seen()._replace(outcome="silent")
    except OSError:
        return talk.seen(by_reset=not talk.shown)
    return talk.seen()


async def _talk(talk: Talk, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
    decoder = TelnetDecoder()
    given_up = 0
    while True:
        data = await reader.read(65_536)
        if not data:
            return
        text = bytes(each for each in decoder.feed(data) if isinstance(each, int)).decode("utf-8", "replace")
        answer = talk.heard(text)
        if answer is None:
            continue
        if answer == "":
            writer.write(b"leave\r\n")
            return
        given_up += answer == _NONE
        if given_up > 3:
            return
        writer.write(answer.encode("utf-8"))


# -- SSH ---------------------------------------------------------------------------------------------------------------


class _Client(asyncssh.SSHClient):
    """Types one text after another, and offers keys in their order."""

    def __init__(self, talk: Talk) -> None:
        self._talk = talk
        # of a certified key the certificate alone is offered, not the bare key as well
        self._keys = [asyncssh.load_keypairs([key])[0] for key in talk.errand.keys]

    def public_key_auth_requested(self) -> Any:
        return self._keys.pop(0) if self._keys else None

    def password_auth_requested(self) -> str | None:
        talk = self._talk
        if talk.typed >= len(talk.errand.texts):
            return None
        talk.typed += 1
        talk.shown += "password: (typed)\n"
        return talk.errand.texts[talk.typed - 1]


async def _by_ssh(errand: Errand) -> Seen:
    talk = Talk(errand)
    talk.named = True
    client = _Client(talk)
    names = {"exchanges": "kex_algs", "ciphers": "encryption_algs", "macs": "mac_algs"}
    spoken = {**{kind: sorted(known_algorithms()[kind]) for kind in names}, **(errand.algorithms or {})}
    options = {names[kind]: list(each) for kind, each in spoken.items() if kind in names}
    try:
        async with asyncio.timeout(_TIMEOUT):
            conn = await asyncssh.connect(
                errand.address,
                errand.port,
                local_addr=(errand.peer, 0),
                client_factory=lambda: client,
                known_hosts=None,
                username=errand.name or "",
                agent_path=None,
                client_keys=None,
                config=None,
                preferred_auth=("publickey", "password"),
                gss_host=None,
                **options,
            )
            async with conn:
                process = await conn.create_process(term_type=None)
                while True:
                    text = await process.stdout.read(65_536)
                    if not text:
                        break
                    answer = talk.heard(text)
                    if answer == "":
                        process.stdin.write("leave\n")
                        break
                    if answer == _NONE:
                        process.stdin.write_eof()
                    elif answer is not None:
                        process.stdin.write(answer.replace("\r\n", "\n"))
    except TimeoutError:
        return talk.seen()._replace(outcome="silent")
    except asyncssh.PermissionDenied as denied:
        return _ssh_ended(talk, denied.reason, "denied")
    except asyncssh.KeyExchangeFailed as failed:
        return _ssh_ended(talk, failed.reason, "refused")
    except asyncssh.DisconnectError as error:
        lost = isinstance(error, asyncssh.ConnectionLost)
        return _ssh_ended(talk, error.reason, "refused" if lost and not talk.shown else "dropped")
    except (OSError, asyncssh.Error):
        return talk.seen(by_reset=True)
    return talk.seen()


def _ssh_ended(talk: Talk, reason: str, otherwise: str) -> Seen:
    outcome = next((ends for text, ends in _ENDS if reason.startswith(text)), otherwise)
    talk.shown += reason + "\n"
    return talk.seen()._replace(outcome=outcome, level=None, elevation=None)


# -- the ssh program ---------------------------------------------------------------------------------------------------


async def by_program(errand: Errand, program: str = "ssh") -> Seen:
    """An errand by SSH done by the OpenSSH client of the system, which asks a helper for each password."""
    talk = Talk(errand)
    talk.named = True
    with tempfile.TemporaryDirectory(prefix="overhang-") as folder:
        helper, left, keys = os.path.join(folder, "ask"), os.path.join(folder, "left"), []
        _write(left, "".join(text + "\n" for text in errand.texts))
        _write(helper, f"#!{sys.executable} -S\nimport sys\n{_HELPER}", 0o700)
        for number, offered in enumerate(errand.keys):
            path = os.path.join(folder, f"key{number}")
            key, certificate = offered if isinstance(offered, tuple) else (offered, None)
            keys += ["-i", path]
            _write(path, key.export_private_key().decode())
            _write(f"{path}.pub", key.export_public_key().decode())
            if certificate is not None:
                _write(f"{path}-cert.pub", certificate.export_certificate().decode())
        for kind, names in (errand.algorithms or {}).items():
            keys += ["-o", f"{_SPOKEN[kind]}={','.join(names)}"]
        command = [
            program, "-F", "none", "-T", "-b", errand.peer, "-p", str(errand.port), *keys,
            "-o", "StrictHostKeyChecking=no", "-o", "UserKnownHostsFile=/dev/null", "-o", "IdentitiesOnly=yes",
            "-o", "IdentityAgent=none", "-o", "NumberOfPasswordPrompts=100",
            "-o", "PreferredAuthentications=publickey,password", "-l", errand.name or "", errand.address,
        ]  # fmt: skip
        if not errand.keys:
            command[1:1] = ["-o", "IdentityFile=none"]
        environment = {
            "PATH": os.environ.get("PATH", ""), "SSH_ASKPASS": helper, "SSH_ASKPASS_REQUIRE": "force",
            "OVERHANG_LEFT": left, "HOME": folder, "DISPLAY": "none",
        }  # fmt: skip
        process = await asyncio.create_subprocess_exec(
            *command, stdin=asyncio.subprocess.PIPE, stdout=asyncio.subprocess.PIPE, stderr=asyncio.subprocess.PIPE,
            env=environment,
        )  # fmt: skip
        try:
            async with asyncio.timeout(_TIMEOUT):
                return await _with_program(talk, process, left)
        except TimeoutError:
            return talk.seen()._replace(outcome="silent")
        finally:
            if process.returncode is None:
                process.kill()
                await process.wait()


_SPOKEN = {"exchanges": "KexAlgorithms", "ciphers": "Ciphers", "macs": "MACs"}
_HELPER = """
import os
path = os.environ["OVERHANG_LEFT"]
with open(path) as stream:
    lines = stream.read().split("\\n")[:-1]
if not lines:
    sys.exit(1)
with open(path, "w") as stream:
    stream.write("".join(line + "\\n" for line in lines[1:]))
print(lines[0])
"""


def _write(path: str, text: str, mode: int = 0o600) -> None:
    with os.fdopen(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, mode), "w", encoding="utf-8") as stream:
        stream.write(text)


async def _with_program(talk: Talk, process: asyncio.subprocess.Process, left: str) -> Seen:
    stdin, stdout, stderr = process.stdin, process.stdout, process.stderr
    if stdin is None or stdout is None or stderr is None:
        return talk.seen()
    said = asyncio.create_task(stderr.read())
    while data := await stdout.read(65_536):
        answer = talk.heard(data.decode("utf-8", "replace"))
        if answer == "":
            stdin.write(b"leave\n")
            stdin.close()
            break
        if answer == _NONE:
            stdin.close()
        elif answer is not None:
            stdin.write(answer.replace("\r\n", "\n").encode())
    text = (await said).decode("utf-8", "replace")
    await process.wait()
    with open(left, encoding="utf-8") as stream:
        talk.typed = len(talk.errand.texts) - len(stream.read().splitlines())
    if talk.is_in:
        return talk.seen()
    ends = [outcome for each, outcome in _ENDS if each in text]
    if ends:
        outcome = ends[0]
    elif "Permission denied" in text:
        outcome = "denied"
    else:
        outcome = "refused"
    talk.shown += text
    return talk.seen()._replace(outcome=outcome, level=None, elevation=None)


# -- the web -----------------------------------------------------------------------------------------------------------

_OUTCOME = re.compile(r'data-outcome="(\w*)"')
_LEVEL = re.compile(r'data-level="(\d+)"')


async def _by_web(errand: Errand) -> Seen:
    import aiohttp

    talk = Talk(errand)
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)  # nothing is verified, so no authorities need be read
    context.check_hostname, context.verify_mode = False, ssl.CERT_NONE
    context.set_ciphers("DEFAULT@SECLEVEL=0")
    where = f"{errand.via}://{errand.address}:{errand.port}"
    connector = aiohttp.TCPConnector(local_addr=(errand.peer, 0), ssl=context, limit=1)
    timeout = aiohttp.ClientTimeout(total=_TIMEOUT)
    reached = False
    try:
        jar = aiohttp.CookieJar(unsafe=True)  # addresses may set cookies too
        async with aiohttp.ClientSession(connector=connector, timeout=timeout, cookie_jar=jar) as session:
            async with session.get(f"{where}/") as response:
                text = await response.text()
            reached = True
            outcome = _outcome(talk, text)
            texts: tuple[str | None, ...] = errand.texts or (None,)
            for typed in texts if outcome == "" else ():
                form = {"name": errand.name} if errand.name is not None else {}
                talk.named = True
                if typed is not None:
                    form["password"] = typed
                    talk.typed += 1
                async with session.post(f"{where}/login", data=form) as response:
                    text = await response.text()
                outcome = _outcome(talk, text)
                if outcome != "denied" or "<form" not in text:
                    break
            if outcome == "admitted":
                level = _LEVEL.search(text)
                async with session.post(f"{where}/leave") as response:
                    await response.text()
                talk.level = int(level.group(1)) if level is not None else None
    except TimeoutError:
        return talk.seen()._replace(outcome="silent")
    except (aiohttp.ClientError, OSError) as error:
        talk.shown += f"{type(error).__name__}: {error}\n"
        outcome = "dropped" if reached else "refused"
    elevation = "denied" if outcome == "admitted" and errand.elevate is not None else None
    if elevation is not None and talk.level is not None and errand.elevate is not None and talk.level >= errand.elevate:
        elevation = "granted"
    return Seen(outcome, talk.level, elevation, talk.named, talk.typed, 0, talk.shown)


def _outcome(talk: Talk, text: str) -> str:
    found = _OUTCOME.search(text)
    outcome = found.group(1) if found is not None else "silent"
    talk.shown += f"page: {outcome or 'asks for a login'}\n"
    return outcome
