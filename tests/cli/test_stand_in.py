"""The built program standing in for devices, and real clients that come to it: well-behaved ones and others."""

import contextlib
import json
import os
import re
import shutil
import signal
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest

from tests.cli.test_terminal import typed
from tests.conftest import Ran

Write = Callable[[str, str | bytes], Path]
SHEET = """\
device quay:
    domain tidewater.example
entry console:
    check password
    password readable boat
entry vty 0-4:
    check users
    accept ssh telnet
    from office
telnet: on
ssh: host-key ed25519
web:
    http on
    check users
user lena:
    password readable gull
    level 15
sources office: allow 10.64.1.0/24
"""


class Running:
    """A run of ``overhang stand-in``: its process, its doors, its folder and its log."""

    def __init__(self, process: "subprocess.Popen[str]", folder: Path, log: Path) -> None:
        self.process, self.folder, self._log = process, folder, log
        self.shown = ""
        assert process.stdout is not None
        for line in process.stdout:
            self.shown += line
            if line.startswith("Keys and sheets"):
                break
        doors = json.loads((folder / "stand-ins.json").read_text()) if (folder / "stand-ins.json").exists() else []
        self.ports = {each["way"]: each["port"] for each in doors}

    def events(self) -> list[dict[str, Any]]:
        return [json.loads(line) for line in self._log.read_text().splitlines()]

    def connect(self, way: str, peer: str = "127.0.0.9") -> socket.socket:
        return socket.create_connection(("127.0.0.1", self.ports[way]), 10, (peer, 0))

    def end(self) -> tuple[int, str]:
        self.process.send_signal(signal.SIGINT)
        out, err = self.process.communicate(timeout=20)
        self.shown += out
        return self.process.returncode, err


@contextlib.contextmanager
def standing_in(tmp_path: Path, *options: str, sheet: str = SHEET) -> Iterator[Running]:
    (tmp_path / "quay.sheet").write_text(sheet)
    words = ["stand-in", "quay.sheet", "--folder", "run", "--log", "log", "--source", "10.64.1.7=127.0.0.9"]
    process = subprocess.Popen(
        [sys.executable, "-m", "overhang", *words, *options],
        cwd=tmp_path, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
    )  # fmt: skip
    try:
        yield Running(process, tmp_path / "run", tmp_path / "log")
    finally:
        process.kill()
        process.wait()
        for stream in (process.stdout, process.stderr):
            assert stream is not None
            stream.close()


def read_until(connection: socket.socket, end: bytes) -> bytes:
    data = b""
    connection.settimeout(10)
    while end not in data:
        piece = connection.recv(4096)
        if not piece:
            break
        data += piece
    return data


def telnet(running: Running, name: str, password: str, *lines: str) -> str:
    with running.connect("telnet") as connection:
        shown = read_until(connection, b"name: ")
        connection.sendall(name.encode() + b"\r\n")
        shown += read_until(connection, b"password: ")
        connection.sendall(password.encode() + b"\r\n")
        for line in lines:
            shown += read_until(connection, b", level 15: ")
            connection.sendall(line.encode() + b"\r\n")
        return (shown + read_until(connection, b"\0")).decode("utf-8", "replace")


def test_a_trainee_hardens_a_device(tmp_path: Path, overhang: Callable[..., Ran]) -> None:
    with standing_in(tmp_path, "--with-secrets") as running:
        shown = telnet(running, "lena", "gull", "change telnet: off", "change drop web: http", "save", "leave")
        assert "Saved." in shown
        with pytest.raises(ConnectionRefusedError):
            running.connect("telnet")
        code, err = running.end()
        events = running.events()
    assert (code, err) == (0, "")
    assert [(each["event"], each["outcome"], each["level"]) for each in events[:2]] == [
        ("login", "admitted", 15),
        ("leave", "", None),
    ]
    kept = "".join(path.read_text() for path in (tmp_path / "log", tmp_path / "run" / "stand-ins.json")) + running.shown
    assert "gull" not in kept
    compared = overhang("compare", "quay.sheet", "run/quay/saved.sheet", "--now", "2026-11-26")
    assert "Telnet" in compared.out
    assert {path.name for path in tmp_path.iterdir()} == {"quay.sheet", "run", "log"}
    assert all(os.stat(path).st_mode & 0o077 == 0 for path in [tmp_path / "run", *(tmp_path / "run").rglob("*")])
    refused = overhang("stand-in", "quay.sheet", "--folder", "run", "--for", "1s")
    assert (refused.code, "its passwords are real ones; say --with-secrets" in refused.err) == (2, True)
    with standing_in(tmp_path, "--with-secrets") as again:  # it goes on from what was saved
        assert "goes on from what was saved" in again.shown
        assert "telnet" not in again.shown.split("Keys and")[0].split("goes on")[0]


def test_every_account_has_a_made_up_password(tmp_path: Path) -> None:
    with standing_in(tmp_path) as running:
        password = re.findall(r"user:lena +(\S+)", running.shown)[0]
        assert "Other users of this machine" in running.shown
        with running.connect("telnet") as connection:
            connection.sendall(b"lena\r\ngull\r\n")
            assert b"Not accepted" in read_until(connection, b"Try again.")
        assert "quay, level 15: " in telnet(running, "lena", password, "sheet", "leave")
        assert password not in (tmp_path / "log").read_text()
        running.end()


def test_a_session_of_the_web_outlives_its_connection(tmp_path: Path) -> None:
    with standing_in(tmp_path, "--with-secrets") as running:

        def request(text: str) -> str:
            with running.connect("http") as connection:
                connection.sendall(text.replace("\n", "\r\n").encode())
                return read_until(connection, b"</form>").decode()

        form = "name=lena&password=gull"
        head = f"Content-Type: application/x-www-form-urlencoded\nContent-Length: {len(form)}\n\n"
        shown = request(f"POST /login HTTP/1.1\nHost: x\n{head}{form}")
        cookie = re.findall(r"Set-Cookie: ([^;]+);", shown)[0]
        assert "<li>level 15</li>" in request(f"GET / HTTP/1.1\nHost: x\nCookie: {cookie}\n\n")
        assert '<input name="name"' in request("GET / HTTP/1.1\nHost: x\n\n")
        assert "You have left." in request(f"POST /leave HTTP/1.1\nHost: x\nCookie: {cookie}\nContent-Length: 0\n\n")
        assert '<input name="name"' in request(f"GET / HTTP/1.1\nHost: x\nCookie: {cookie}\n\n")
        assert running.end() == (0, "")
        outcomes = [(each["event"], each["outcome"]) for each in running.events()]
        assert outcomes.count(("login", "unfinished")) == 4
        assert outcomes.index(("login", "admitted")) < outcomes.index(("leave", ""))


HOSTILE = {
    "nothing": b"",
    "garbage": bytes(range(256)) * 40,
    "an endless line": b"a" * 1_000_000,
    "half a request": b"POST /login HTTP/1.1\r\nContent-Length: 100\r\n\r\nname=",
    "a large form": b"POST /login HTTP/1.1\r\nContent-Length: 10000000\r\n\r\n" + b"a" * 200_000,
    "half of SSH": b"SSH-2.0-none\r\n\0\0\1",
}


def test_hostile_clients_harm_nobody(tmp_path: Path) -> None:
    with standing_in(tmp_path, "--with-secrets") as running:
        for way in ("telnet", "ssh", "http"):
            for data in HOSTILE.values():
                with contextlib.suppress(ConnectionError, TimeoutError), running.connect(way) as connection:
                    connection.sendall(data)
                    connection.settimeout(0.05)
                    connection.recv(100)
        assert "quay, level 15: " in telnet(running, "lena", "gull", "leave")
        listening = subprocess.run(
            ["cat", f"/proc/{running.process.pid}/net/tcp"], capture_output=True, text=True, check=True
        )
        mine = {
            os.readlink(f"/proc/{running.process.pid}/fd/{each}")
            for each in os.listdir(f"/proc/{running.process.pid}/fd")
        }
        own = [line.split() for line in listening.stdout.splitlines()[1:]]
        own = [each for each in own if f"socket:[{each[9]}]" in mine]
        assert own
        assert all(each[1].split(":")[0].endswith("7F") for each in own)  # 127.0.0.0/8, the least byte first
        code, err = running.end()
        assert (code, err) == (0, "")


@pytest.mark.skipif(shutil.which("ssh") is None, reason="there is no ssh program on this machine")
def test_ssh_itself(tmp_path: Path) -> None:
    sheet = SHEET.replace(
        "ssh: host-key ed25519", "ssh:\n    host-key ed25519\n    ciphers aes128-ctr old-cipher\n    tries 2"
    )
    helper = tmp_path / "ask"
    helper.write_text("#!/bin/sh\necho gull\n")
    helper.chmod(0o700)
    with standing_in(tmp_path, "--with-secrets", sheet=sheet) as running:
        assert "ciphers that cannot be spoken: old-cipher" in running.shown

        def ssh(*words: str, name: str = "lena") -> tuple[int, str]:
            options = [
                "-F",
                "none",
                "-b",
                "127.0.0.9",
                "-p",
                str(running.ports["ssh"]),
                "-o",
                "StrictHostKeyChecking=no",
            ]
            options += ["-o", "UserKnownHostsFile=/dev/null", "-o", "NumberOfPasswordPrompts=9", *words]
            done = subprocess.run(
                ["ssh", *options, f"{name}@127.0.0.1", "me"], capture_output=True, text=True, timeout=30, check=False,
                env={**os.environ, "SSH_ASKPASS": str(helper), "SSH_ASKPASS_REQUIRE": "force"}, stdin=subprocess.DEVNULL,
            )  # fmt: skip
            return done.returncode, done.stdout

        assert ssh() == (0, "device quay\nname lena\nlevel 15\nway SSH, VTY 0\nfrom 10.64.1.7 (127.0.0.9)\n")
        assert ssh("-c", "aes256-ctr") == (255, "")
        assert ssh(name="omar") == (255, "")
        code, err = running.end()
        found = [(each["outcome"], each["reason"]) for each in running.events() if each["event"] == "login"]
    assert (code, err) == (0, "")
    assert [found[0], found[2]] == [
        ("admitted", "the password of account lena is correct"),
        ("denied", "the connection is closed after 2 wrong answers"),
    ]
    # A client that finds it out first may be gone before the device has read what it offers.
    assert found[1] in (("refused", "client and device have no algorithm in common"), ("unfinished", ""))


ASHORE = """\
device quay: profile carrying
entry vty 0-4:
    check methods
    accept telnet
telnet: on
methods for login:
    servers ashore
    servers shore
    users
servers radius ashore:
    server 192.0.2.50 shared-secret readable one
    timeout 1s
    tries 2
servers tacacs shore:
    server 192.0.2.60 shared-secret readable two
    timeout 1s
    tries 1
user lena:
    password readable gull
    level 15
"""


def test_servers_are_asked_over_the_network_and_fall_back(tmp_path: Path) -> None:
    (tmp_path / "accounts.toml").write_text(
        '[ashore.lena]\npassword = "tern"\nlevel = 9\n[shore.lena]\npassword = "kelp"\nlevel = 12\n'
        '[ashore.kai]\npassword = "sand"\n'
    )
    (tmp_path / "overhang.toml").write_text('[profiles.carrying]\nbase = "entry-first"\nlists-carry-level = "yes"\n')
    options = ("--with-secrets", "--servers", "accounts.toml", "--speed", "5")
    with standing_in(tmp_path, *options, sheet=ASHORE) as running:
        assert running.shown.count(" for 192.0.2.") == 2

        def login(*passwords: str, name: str = "lena") -> bytes:
            with running.connect("telnet") as connection:
                typed = "".join(each + "\r\n" for each in (name, *passwords, "leave"))
                connection.sendall(typed.encode())
                return read_until(connection, b"\0")

        assert b"level 9: " in login("gull", "tern")
        (running.folder / "down-192.0.2.50").touch()
        assert b"level 12: " in login("kelp")
        (running.folder / "down-192.0.2.60").touch()
        assert b"level 15: " in login("gull")
        (running.folder / "down-192.0.2.50").unlink()
        assert b"level 9: " in login("tern")
        assert b"level 1: " in login("sand", name="kai")
        assert running.end() == (0, "")
        assert [each["name"] for each in running.events() if each["event"] == "login"] == ["lena"] * 4 + ["kai"]
    said = (tmp_path / "log").read_text() + running.shown
    assert not [each for each in ("tern", "kelp", "gull", "sand", 'one"', 'two"') if each in said]


def test_more_clients_than_vtys(tmp_path: Path) -> None:
    with standing_in(tmp_path, "--with-secrets", sheet=SHEET + "entry vty 5-15: closed\n") as running:
        there, taken = [], 0
        for _ in range(200):
            with contextlib.suppress(ConnectionResetError):  # refused before the client knew that it was connected
                there.append(running.connect("telnet"))
        for each in there:
            with contextlib.suppress(OSError):
                taken += b"name: " in read_until(each, b"name: ")
        assert taken == 5
        for each in there:
            each.close()
        deadline = time.monotonic() + 10
        while time.monotonic() < deadline:
            with contextlib.suppress(OSError):
                if "level 15" in telnet(running, "lena", "gull", "leave"):
                    break
        else:
            pytest.fail("no VTY was freed")
        open_one = running.connect("telnet")
        read_until(open_one, b"name: ")
        code, err = running.end()  # with a session open
        assert (code, err, read_until(open_one, b"\0")) == (0, "", b"")
        open_one.close()


def test_time_runs_faster_and_idle_sessions_end(tmp_path: Path) -> None:
    sheet = SHEET.replace("    from office\n", "    from office\n    idle 30s\n")
    with standing_in(tmp_path, "--with-secrets", "--speed", "100", "--for", "60s", sheet=sheet) as running:
        with running.connect("telnet") as connection:
            assert b"name: " in read_until(connection, b"name: ")
            began = time.monotonic()
            read_until(connection, b"\0")
            assert time.monotonic() - began < 5
        running.end()


@pytest.mark.parametrize(
    ("options", "code", "message"),
    [
        (["--source", "10.64.1.7=203.0.113.9"], 2, "203.0.113.9: is not in 127.0.0.0/8"),
        (["--source", "10.64.1.7"], 2, "--source 10.64.1.7: expected ADDRESS=127.0.0.N"),
        (["--address", "0.0.0.0"], 2, "0.0.0.0: is not in 127.0.0.0/8"),
        (["--speed", "0"], 2, "--speed 0: expected a number above 0"),
        (["--for", "never"], 2, "--for never: this duration cannot be never"),
        (["--console", "qauy"], 2, "--console qauy: no device is called so; did you mean quay?"),
        (["--folder", "open"], 2, "open: others may read it"),
        (["--folder", "/proc/none"], 2, "/proc/none: cannot be used: "),
        (["--folder", "full"], 2, "full: is no folder of an earlier run"),
        (["--log", "quay.sheet"], 2, "quay.sheet: is an input of this run"),
        (["--servers", "none.toml"], 2, "none.toml: cannot be read"),
        (["--servers", "bad.toml"], 2, "bad.toml: g.lena: expected a password"),
    ],
)
def test_what_cannot_be(
    overhang: Callable[..., Ran], write: Write, options: list[str], code: int, message: str
) -> None:
    write("quay.sheet", SHEET)
    write("full/x", "")
    write("bad.toml", "[g.lena]\nlevel = 99\n")
    (write("open/x", "").parent / "x").unlink()
    os.chmod(write("open/x", "").parent, 0o755)
    (write("open/x", "").parent / "x").unlink()
    ran = overhang("stand-in", "quay.sheet", "--for", "1s", *options)
    assert (ran.code, ran.out) == (code, "")
    assert ran.err.startswith("overhang: ")
    assert message in ran.err
    assert ran.err.count("\n") == 1


def test_what_a_killed_run_left_is_cleared(overhang: Callable[..., Ran], write: Write, tmp_path: Path) -> None:
    write("quay.sheet", SHEET)
    ended = subprocess.run(["sh", "-c", "echo $$"], capture_output=True, text=True, check=True).stdout.strip()
    for process in (ended, str(os.getpid())):
        (write(f"tmp/overhang-run-{process}-x/key", "secret"))
    ran = overhang("stand-in", "quay.sheet", "--for", "1s", env={"TMPDIR": str(tmp_path / "tmp")})
    assert (ran.code, ran.err) == (0, "")
    assert [path.name for path in (tmp_path / "tmp").iterdir()] == [f"overhang-run-{os.getpid()}-x"]


def test_a_port_in_use_is_named(overhang: Callable[..., Ran], write: Write) -> None:
    write("quay.sheet", SHEET)
    with socket.create_server(("127.0.0.1", 0)) as taken:
        port = taken.getsockname()[1]
        ran = overhang("stand-in", "quay.sheet", "--for", "1s", "--ports", str(port))
    assert (ran.code, ran.out) == (2, "")
    assert ran.err == (
        f"overhang: quay, ssh: 127.0.0.1 port {port} cannot be had: Address already in use; choose others (--ports)\n"
    )


def test_an_idle_console(tmp_path: Path) -> None:
    (tmp_path / "quay.sheet").write_text(
        SHEET.replace("password readable boat", "password readable boat\n    idle 50s")
    )
    words = ["stand-in", "quay.sheet", "--with-secrets", "--console", "quay", "--speed", "50"]
    prompts = [("password: ", "boat"), ("Press Enter to go on.\r\n", ""), ("password: ", "boat"), ("level 1: ", "\x04")]
    code, shown = typed(words, prompts, tmp_path)
    assert (code, shown.count("Closed: the time is over.")) == (0, 1)


def test_a_console_when_the_device_restarts_and_when_time_is_over(tmp_path: Path) -> None:
    (tmp_path / "quay.sheet").write_text(SHEET)
    words = ["stand-in", "quay.sheet", "--with-secrets", "--console", "quay", "--for", "6s", "--folder", "run"]
    seen: list[str] = []

    def restart() -> None:
        while not (tmp_path / "run" / "stand-ins.json").exists():
            time.sleep(0.1)
        time.sleep(2)
        port = next(
            each["port"]
            for each in json.loads((tmp_path / "run" / "stand-ins.json").read_text())
            if each["way"] == "telnet"
        )
        with socket.create_connection(("127.0.0.1", port), 10, ("127.0.0.9", 0)) as connection:
            connection.sendall(b"lena\r\ngull\r\nrestart\r\n")
            seen.append(str(read_until(connection, b"Restarting.")))

    words += ["--source", "10.64.1.7=127.0.0.9"]
    thread = threading.Thread(target=restart)
    thread.start()
    prompts = [("password: ", "boat"), ("Press Enter to go on.\r\n", ""), ("password: ", "boat")]
    code, shown = typed(words, prompts, tmp_path)
    thread.join()
    assert (code, shown.count("Closed: the device restarts.")) == (0, 1)
    assert "Restarting." in seen[0]


def test_at_the_console(tmp_path: Path) -> None:
    (tmp_path / "quay.sheet").write_text(SHEET)
    words = ["stand-in", "quay.sheet", "--with-secrets", "--console", "quay"]
    prompts = [("password: ", "tern"), ("password: ", "boat"), ("quay, level 1: ", "me"), ("quay, level 1: ", "\x04")]
    code, shown = typed(words, prompts, tmp_path)
    assert (code, "way console" in shown, "Not accepted" in shown, "boat" in shown) == (0, True, True, False)


ATTEMPTS = [
    {"via": "telnet", "from": "10.64.1.7", "name": "lena", "password": ["x", "gull"]},
    {"via": "telnet", "from": "10.64.2.7", "name": "lena", "password": "gull"},
    {"via": "console", "knows": ["entry:console"], "elevate": 15},
    {"via": "snmp", "password": "x"},
]


def test_prove_reads_attempts_and_draws_them(overhang: Callable[..., Ran], write: Write) -> None:
    write("quay.sheet", SHEET)
    write("a.jsonl", "".join(json.dumps(each) + "\n" for each in ATTEMPTS))
    ran = overhang("prove", "quay.sheet", "--attempts", "a.jsonl")
    assert (ran.code, ran.err) == (0, "")
    assert ran.out.startswith("All 3 logins ended as predicted; 1 attempt could not be made\n")
    assert "    1  snmp is not spoken" in ran.out
    ran = overhang("prove", "quay.sheet", "--generate", "12", "--format", "json", "--now", "2026-11-26")
    found = json.loads(ran.out)["attempts"]
    assert (ran.code, len(found), {each["agrees"] for each in found}) == (0, 12, {True})
    assert {each["seen"]["outcome"] for each in found} >= {"admitted", "denied", "refused"}
    for words, message in (
        (["--generate", "0"], "--generate 0: expected a number from 1 to 100000"),
        ([], "one of --attempts FILE and --generate N is needed"),
        (["--attempts", "quay.sheet"], "there is no attempt at any of these devices"),
    ):
        ran = overhang("prove", "quay.sheet", *words)
        assert (ran.code, ran.out, message in ran.err) == (2, "", True)
