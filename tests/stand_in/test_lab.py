"""The lab of docs/stand-ins.md, step by step: through the built program, at its console and with real clients."""

import asyncio
import os
import pty
import re
import select
import shutil
import sys
import time
from pathlib import Path

import pytest

from overhang.stand_in.clients import Errand, by_program, log_in

ROOT = Path(__file__).parents[2]
PAGE = (ROOT / "docs" / "stand-ins.md").read_text()


class Console:
    """The console of the lab's router, on a pseudo-terminal."""

    def __init__(self, folder: Path, arguments: list[str]) -> None:
        self._child, self._terminal = pty.fork()
        if self._child == 0:
            os.chdir(folder)
            os.execve(sys.executable, [sys.executable, "-m", "overhang", *arguments], {**os.environ, "NO_COLOR": "1"})
        self.shown = ""

    def until(self, *ends: str) -> str:
        """Wait for one of some prompts; the one that came."""
        deadline, fresh = time.monotonic() + 30, ""
        while time.monotonic() < deadline:
            ready, _, _ = select.select([self._terminal], [], [], 0.5)
            if ready:
                piece = os.read(self._terminal, 65536).decode()
                self.shown += piece
                fresh += piece
            found = [end for end in ends if fresh.endswith(end)]
            if found:
                return found[0]
        raise AssertionError(self.shown)

    def type(self, text: str) -> None:
        os.write(self._terminal, text.encode() + (b"" if text == "\x04" else b"\n"))

    def end(self) -> int:
        self.type("\x04")
        code = os.waitstatus_to_exitcode(os.waitpid(self._child, 0)[1])
        os.close(self._terminal)
        return code


def steps() -> list[tuple[str, list[str], list[list[str]]]]:
    """Each step: its title, its statements, and the cells of its rows."""
    found = []
    for part in PAGE.split("\n### ")[1:]:
        title, _, rest = part.partition("\n")
        statements = [line[4:] for line in rest.split("\n") if line.startswith("    ")]
        rows = [line for line in rest.split("\n") if re.match(r"\| (works|must not) ", line)]
        found.append((title, statements, [[cell.strip() for cell in row.strip("|").split("|")] for row in rows]))
    return found


def at_console(console: Console, row: list[str]) -> str:
    _, _, _, name, passwords, secret, _ = row
    console.type("leave")
    console.until("name: ")
    console.type(name)
    for each in passwords.split(", "):
        console.until("password: ")
        console.type(each)
    ended = console.until("password: ", "level 1: ", "name: ")
    if ended == "password: ":
        console.type("\x04")
        console.until("name: ")
        return "denied"
    if not secret:
        return "level 1"
    console.type("elevate")
    console.until("password for level 15: ")
    console.type(secret)
    ended = console.until("password for level 15: ", "level 15: ")
    if ended == "level 15: ":
        return "level 15"
    console.type("\x04")
    return console.until("level 1: ", "level 15: ").rstrip(": ")


def by_client(row: list[str]) -> str:
    _, by, source, name, passwords, secret, _ = row
    errand = Errand(
        by, "127.0.0.1", PORTS[by], source, name or None, tuple(passwords.split(", ")) if passwords else (),
        elevate=15 if secret else None, elevate_texts=(secret,) if secret else (),
    )  # fmt: skip
    seen = asyncio.run((by_program if by == "ssh" and shutil.which("ssh") else log_in)(errand))
    return f"level {seen.level}" if seen.outcome == "admitted" else seen.outcome


FIRST = 20_000 + os.getpid() % 20_000
PORTS = {"ssh": FIRST, "telnet": FIRST + 1}


def lab_command() -> list[str]:
    command = next(line.strip() for line in PAGE.split("\n") if "examples/lab/new-gate.sheet --folder lab" in line)
    return command.replace("4100", str(FIRST)).replace("examples/lab/", f"{ROOT}/examples/lab/").split()[1:]


def test_the_page_has_ten_steps() -> None:
    assert len(steps()) == 10
    for title, statements, rows in steps():
        assert statements, title
        assert {row[0] for row in rows} == {"works", "must not"}, title


@pytest.mark.skipif(sys.platform != "linux", reason="needs 127.0.0.0/8 and pseudo-terminals")
def test_from_the_box_to_a_hardened_router(tmp_path: Path) -> None:
    console = Console(tmp_path, lab_command())
    console.until("new-gate, level 1: ")
    console.type("elevate")
    console.until("level 15: ")
    for number, (title, statements, rows) in enumerate(steps(), 1):
        console.type("change")
        for line in [*statements, ""]:
            console.until("change: ", "    ... ")
            console.type(line)
        console.until("level 15: ")
        if number == 10:
            console.type("save")
            console.until("level 15: ")
            console.type("restart")
            console.until("name: ")
        for row in rows:
            got = at_console(console, row) if row[1] == "console" else by_client(row)
            assert got == row[6], (title, row, console.shown[-2000:])
            if row[1] == "console":
                elevated(console, logged_in=got != "denied")
    assert console.end() == 0


def elevated(console: Console, *, logged_in: bool) -> None:
    """Be at level 15 at the console again."""
    if not logged_in:
        console.type("lena")
        console.until("password: ")
        console.type("Cleat-over-bow-7")
        console.until("level 1: ")
    console.type("elevate")
    if console.until("password for level 15: ", "level 15: ") == "password for level 15: ":
        console.type("Quay-light-is-green")
        console.until("level 15: ")
