"""Nothing breaks and nothing leaks: inputs that did, and a short seeded share of the fuzzer."""

import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pytest

from overhang.cli.main import guarded, main
from overhang.formats.json_format import READER as JSON
from tests import fuzz
from tests.conftest import Ran

Run = Callable[..., Ran]
Write = Callable[[str, str | bytes], Path]
LONG = "9" * 5000
OPEN = "entry console: check nothing\n"

#: Files, the command, and the exit code: each ended in a traceback once, or might.
HOSTILE: list[tuple[dict[str, str], str, int]] = [
    ({"a.json": f'{{"overhang-access:access": {{"vty": [{{"first": {LONG}, "last": 3}}]}}}}'}, "audit a.json", 2),
    ({"a.json": '{"overhang-access:access": {"ssh": {"enabled": null}, "vty": [{"first": "٣", "last": "٣"}]}}'}, "audit a.json", 1),
    ({"a.xml": '<config xmlns="urn:ietf:params:xml:ns:netconf:base:1.0"><access xmlns="urn:tidewater:overhang-access">'
               f"<vty><first>{LONG}</first><last>٣</last></vty></access></config>"}, "audit a.xml", 1),
    ({"a.sheet": f"entry vty 0-{LONG}: check users\nelevation ٣:\nssh: port {LONG}\npasswords: lock {LONG}d after 3\n"}, "audit a.sheet", 1),
    ({"a.sheet": OPEN, "overhang.toml": 'profile = ["a"]\n'}, "audit a.sheet", 2),
    ({"a.sheet": OPEN, "overhang.toml": f"[thresholds]\nrsa-bits = {LONG}\n"}, "audit a.sheet", 2),
    ({"a.sheet": OPEN, "overhang.toml": "a = " + "[" * 3000 + "\n"}, "audit a.sheet", 2),
    ({"a.sheet": OPEN, "overhang.toml": '[[expect]]\nsay = 3\nwho = {a=1}\n[people]\nlena=3\n[states]\ns=1\n'}, "expect a.sheet", 2),
    ({"a.sheet": 'device "a$\\\\frac$b":\n' + OPEN}, "picture a.sheet --output p.svg", 0),
    ({"a.sheet": 'device "a$\\\\frac$b":\n' + OPEN}, "picture a.sheet --show login --output p.png", 0),
    ({"a.sheet": 'device "a$\\\\frac$b":\n' + OPEN}, "picture a.sheet --show checklist --output p.pdf", 0),
    ({"a.txt": "a {\n" * 3000 + "}\n" * 3000}, "dialect start a.txt", 0),
    *(({"a.dialect.toml": f'name = "a"\n{body}\n'}, "dialect check a.dialect.toml", 1) for body in (
        '[dates]\nday = "%Q%"', "[dates]\nday = 3", "[layout]\nform = 3", "[recognise]\nlines = 3", "[tables]\na = 3",
        "[blocks]\na = 3", "[[translate]]\nline = 3", "translate = 3", "[profile]\nbase = 3", "[[sample]]\ntext = 3", "pass-over = 3")),
]  # fmt: skip


@pytest.mark.parametrize(("files", "words", "code"), HOSTILE, ids=range(len(HOSTILE)))
def test_what_is_hostile_or_broken_ends_in_a_known_way(
    files: dict[str, str], words: str, code: int, write: Write, tmp_path: Path, monkeypatch: pytest.MonkeyPatch,
    capsys: pytest.CaptureFixture[str],
) -> None:  # fmt: skip
    monkeypatch.chdir(tmp_path)
    for name, text in files.items():
        write(name, text)
    assert guarded(words.split()) == code
    said = capsys.readouterr()
    assert "internal error" not in said.err
    assert max(map(len, said.err.splitlines()), default=0) < 600


def test_a_misplaced_secret_in_a_project_file_is_not_shown(overhang: Run, write: Write) -> None:
    write("a.sheet", OPEN)
    for text in (f'{fuzz.CANARY} = "x"', f'password = "{fuzz.CANARY}"', f"[people.lena]\n{fuzz.CANARY} = 1", f"a = {fuzz.CANARY}",
                 f'a = {{{fuzz.CANARY} = 1, {fuzz.CANARY} = 2}}', f'idle = "{fuzz.CANARY}"', f'[thresholds]\nidle = "{fuzz.CANARY}"'):  # fmt: skip
        write("overhang.toml", text + "\n")
        ran = overhang("audit", "a.sheet")
        assert (ran.code, fuzz.CANARY in ran.out + ran.err) == (2, False), text
        assert ran.err.count("\n") == 1


@pytest.mark.slow
def test_broken_inputs_of_every_reader_show_no_secret_and_no_traceback(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(tmp_path)
    for seed in range(70):
        path, words, wrong = fuzz.attempt(seed, tmp_path)
        assert wrong == "", (seed, path, words)


def test_the_fuzzer_notices_what_is_shown(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    monkeypatch.setattr(fuzz, "SECRETS", ("site {}", "device {}:"))
    assert any(fuzz.attempt(seed, tmp_path)[2] for seed in range(40))


def test_a_long_line_with_many_secrets_is_shown_without_them() -> None:
    user = '{"name": "u<N>", "overhang-access:password": {"form": "readable", "text": "canary <N>"}, "no": 1}'
    for size in (2, 800):
        users = ", ".join(user.replace("<N>", str(each)) for each in range(size))
        text = f' {{"ietf-system:system": {{"authentication": {{"user": [{users}]}}}}}}'
        config = JSON.read(text.encode(), "a.json")
        assert len(config.diagnostics) == 1
        shown = config.diagnostics[-1].text
        assert shown.startswith(' {"ietf-system:system": {"authentication": {"user": [{"name": ***')
        assert "canary" not in shown
        assert len(shown) < 2100


def test_a_folder_that_has_gone_is_told(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    (tmp_path / "gone").mkdir()
    (tmp_path / "a.sheet").write_text("device a:\n    profile switch\n")
    monkeypatch.chdir(tmp_path / "gone")
    (tmp_path / "gone").rmdir()
    assert main(["audit", str(tmp_path / "a.sheet")]) == 2
    told = "overhang: the folder that this runs in is not there any more; change to another\n"
    assert capsys.readouterr() == ("", told)
    assert main(["rules", "ssh-off"]) == 0


@pytest.mark.parametrize("stream", ["2>&-", "2>/dev/full", "2>&- >&-", "2>/dev/full >/dev/full"])
def test_a_closed_or_full_standard_error_keeps_the_exit_code(stream: str, write: Write, tmp_path: Path) -> None:
    write("a.sheet", OPEN)
    both = stream.count(">") > 1 and stream.split()[-1].startswith(">")
    for words, code in (
        ("audit missing.sheet", 74 if both else 2),
        ("audit --formt x", 2),
        ("audit a.sheet", 74 if both else 1),
    ):
        command = f"exec {sys.executable} -m overhang {words} {stream}"
        done = subprocess.run(["bash", "-c", command], cwd=tmp_path, stdout=subprocess.DEVNULL, check=False)
        assert done.returncode == code, (words, stream)


def test_debug_shows_where_and_no_values(monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]) -> None:
    def fails(options: object) -> int:
        raise RuntimeError(f"{fuzz.CANARY} {options}")

    monkeypatch.setattr("overhang.cli.rules.run", fails)
    assert guarded(["rules"]) == 70
    assert capsys.readouterr().err.count("\n") == 1
    assert guarded(["--debug", "rules"]) == 70
    said = capsys.readouterr().err
    assert "tests.cli.test_robust:" in said
    assert "in fails" in said
    assert fuzz.CANARY not in said
