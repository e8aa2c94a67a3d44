"""The program on a real pseudo-terminal, and its commands in the process of the test."""

import os
import pty
import select
import sys
import time
from collections.abc import Callable
from pathlib import Path

import pytest

from overhang.cli.main import COMMANDS, main
from overhang.demo import demo_files
from tests.conftest import Ran

SECRET = "Kipper-77"


def typed(arguments: list[str], answers: list[tuple[str, str]], folder: Path) -> tuple[int, str]:
    """Run the program on a pseudo-terminal; after each prompt type its answer. The exit code, and all that was shown."""
    child, terminal = pty.fork()
    if child == 0:
        os.chdir(folder)
        os.execve(sys.executable, [sys.executable, "-m", "overhang", *arguments], {**os.environ, "NO_COLOR": "1"})
    shown, waiting = "", list(answers)
    end = time.monotonic() + 60
    while time.monotonic() < end:
        ready, _, _ = select.select([terminal], [], [], 1)
        try:
            piece = os.read(terminal, 65536) if ready else None
        except OSError:
            break
        if piece == b"":
            break
        shown += (piece or b"").decode()
        if waiting and shown.endswith(waiting[0][0]):
            os.write(terminal, waiting.pop(0)[1].encode() + b"\n")
            shown += "\n"
    os.close(terminal)
    _, status = os.waitpid(child, 0)
    assert waiting == [], shown
    return os.waitstatus_to_exitcode(status), shown


def test_a_password_is_asked_twice_and_never_shown(tmp_path: Path) -> None:
    prompts = [("password: ", SECRET), ("again: ", SECRET)]
    code, shown = typed(["password", "--form", "masked"], prompts, tmp_path)
    assert (code, SECRET in shown) == (0, False)
    stored = shown.split("password masked ")[1].strip()
    code, shown = typed(["password", "--open"], [("stored form: ", f"masked {stored}")], tmp_path)
    assert (code, shown.strip().splitlines()[-1]) == (0, SECRET)


def test_two_passwords_that_differ_make_nothing(tmp_path: Path) -> None:
    code, shown = typed(["password"], [("password: ", SECRET), ("again: ", "Kipper-78")], tmp_path)
    assert (code, "the two passwords differ; nothing was made" in shown, "Kipper" in shown) == (2, True, False)


def test_a_login_asks_for_what_the_device_asks_for(tmp_path: Path) -> None:
    (tmp_path / "a.sheet").write_text(f"entry console:\n    check password\n    password readable {SECRET}\n")
    prompts = [("password: ", SECRET), ("a, level 1: ", "why"), ("a, level 1: ", "quit")]
    code, shown = typed(["login", "a.sheet", "--via", "console"], prompts, tmp_path)
    assert (code, "is correct" in shown, SECRET in shown) == (0, True, False)
    code, shown = typed(["login", "a.sheet", "--via", "console"], [("password: ", "x")] * 4, tmp_path)
    assert (code, "Login denied." in shown, shown.count("Try again")) == (0, True, 3)
    code, shown = typed(["login", "a.sheet"], [("way (a number): ", "1"), ("password: ", "\x04")], tmp_path)
    assert (code, "nothing is typed" in shown) == (0, True)


IN_PROCESS = [
    ["audit", "harbour", "--now", "2026-11-23"],
    ["audit", "northquay/north-edge.sheet", "--format", "junit", "--now", "2026-11-23"],
    ["cache"],
    ["compare", "harbour", "heron", "--now", "2026-11-23"],
    ["completion", "bsh"],
    ["dialect", "list"],
    ["dialect", "try", "gannet/isle-ramp.mrm"],
    ["expect", "southpier", "--now", "2026-11-23"],
    ["history", "harbour"],
    ["login", "harbour/harbour-gate.sheet", "--via", "telnet", "--from", "10.64.1.7", "--now", "2026-11-23"],
    ["mend", "southpier", "--now", "2026-11-23"],
    ["password", "--form", "hased"],
    ["picture", "heron", "--output", "p.gif"],
    ["profiles", "appliance"],
    ["prove", "heron/heron-deck.sheet", "--generate", "3", "--now", "2026-11-23"],
    ["rehearse", "harbour/harbour-gate.sheet", "northquay/north-quay.sheet", "--now", "2026-11-23"],
    ["rules", "telnet-accepted"],
    ["sheet", "gannet/isle-ramp.mrm", "--to", "json"],
    ["spread", ".", "--knows", "harbour-core/entry:vty 8-11", "--from", "198.51.100.9", "--now", "2026-11-23"],
    ["stand-in", "harbour/harbour-gate.sheet", "--source", "10.64.1.7=192.0.2.1"],
    ["trust"],
    ["ways", "heron", "--to", "15", "--now", "2026-11-23"],
    ["demo", "harbour/harbour-gate.sheet"],
]


@pytest.mark.parametrize("arguments", IN_PROCESS, ids=[each[0] for each in IN_PROCESS])
def test_the_built_program_says_what_its_code_says(
    overhang: Callable[..., Ran],
    arguments: list[str],
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
    capsys: pytest.CaptureFixture[str],
) -> None:
    for path, data in demo_files().items():
        target = tmp_path / path
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_bytes(data)
    monkeypatch.chdir(tmp_path)
    monkeypatch.delenv("COLUMNS", raising=False)
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "own"))
    try:
        code = main(arguments)
    except SystemExit as ended:
        code = int(ended.code or 0)
    out, err = capsys.readouterr()
    assert {each[0] for each in IN_PROCESS} == set(COMMANDS)
    assert overhang(*arguments) == Ran(code, out, err)
    assert (bool(out), bool(err)) != (False, False)


def test_an_elevation_is_asked_for_as_often_as_the_device_asks(tmp_path: Path) -> None:
    sheet = "entry console:\n    check nothing\n    level 1\nelevation 15: password readable gull\n"
    (tmp_path / "quay.sheet").write_text(sheet)
    prompts = [("password for level 15: ", "tern")] * 2
    login = ["login", "quay.sheet", "--via", "console", "--elevate", "15"]
    code, shown = typed(login, [*prompts, ("level 1: ", "why"), ("level 1: ", "quit")], tmp_path)
    assert (code, "Denied. You have level 1." in shown, "is refused after 2 wrong" in shown) == (0, True, True)
    assert "tern" not in shown
    code, shown = typed([*login, "--knows", "user:lena"], prompts, tmp_path)
    assert (code, "is refused after 2 wrong" in " ".join(shown.split())) == (0, True)
