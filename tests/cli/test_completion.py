"""What a shell completes, asked as a shell asks; and the pages of the manual, which are made from the same parsers."""

import os
import shutil
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pytest

from overhang.auditing import rule_names
from overhang.cli.main import COMMANDS
from overhang.cli.man_pages import man_pages
from overhang.demo import demo_files
from tests.conftest import Ran

MAN = Path(__file__).parents[2] / "docs" / "man"


@pytest.fixture
def completed(tmp_path: Path) -> Callable[[str], set[str]]:
    for path, data in demo_files().items():
        if path.startswith("harbour/"):
            target = tmp_path / path
            target.parent.mkdir(parents=True, exist_ok=True)
            target.write_bytes(data)

    def ask(line: str) -> set[str]:
        variables = {"_ARGCOMPLETE": "1", "COMP_LINE": line, "COMP_POINT": str(len(line)), "_ARGCOMPLETE_IFS": "\n"}
        variables |= {"_ARGCOMPLETE_STDOUT_FILENAME": "answer", "_ARGCOMPLETE_COMP_WORDBREAKS": ""}
        done = subprocess.run(
            [sys.executable, "-m", "overhang"],
            cwd=tmp_path,
            env={**os.environ, **variables},
            capture_output=True,
            text=True,
            check=False,
        )
        assert (done.returncode, done.stdout) == (0, ""), done
        return {each.strip() for each in (tmp_path / "answer").read_text().split("\n") if each.strip()}

    return ask


def test_a_shell_is_told_how_a_command_line_may_go_on(completed: Callable[[str], set[str]]) -> None:
    rules = set(rule_names())
    assert completed("overhang ") >= set(COMMANDS) | {"--version"}
    assert completed("overhang au") == {"audit"}
    assert completed("overhang audit --ba") == {"--baseline"}
    assert completed("overhang audit --format j") == {"json", "jsonl", "junit"}
    assert completed("overhang rules ssh-") == {each for each in rules if each.startswith("ssh-")}
    several = completed("overhang audit --only ssh-host-key,telnet-")
    assert several == {f"ssh-host-key,{each}" for each in rules if each.startswith("telnet-")} != set()
    assert completed("overhang picture harbour --device harbour-g") == {"harbour-gate"}
    assert completed("overhang spread harbour --knows harbour-gate/us") >= {"harbour-gate/user:lena"}
    assert "user:lena" in completed("overhang login harbour/harbour-gate.sheet --knows us")
    assert completed("overhang login harbour/harbour-gate.sheet --via s") >= {"ssh", "snmp"}
    assert completed("overhang audit harb") == {"harbour/"}
    assert completed("overhang dialect t") == {"try"}
    assert completed("overhang completion ") >= {"bash", "zsh", "fish"}


@pytest.mark.parametrize("shell", ["bash", "zsh", "fish"])
def test_what_a_shell_takes_in(overhang: Callable[..., Ran], shell: str) -> None:
    written = overhang("completion", shell)
    assert (written.code, written.err) == (0, "")
    assert "overhang" in written.out
    if shutil.which(shell):
        checked = subprocess.run([shell, "-n"], input=written.out, text=True, capture_output=True, check=False)
        assert (checked.returncode, checked.stderr) == (0, "")
    assert overhang("completion", "bsh").err == "overhang: no shell is called bsh; did you mean bash?\n"


def test_the_manual_is_made_from_the_parsers(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("COLUMNS", "100")
    assert {path.name: path.read_text() for path in MAN.iterdir()} == man_pages()
    audit = (MAN / "overhang-audit.1").read_text()
    assert "\\fB\\-\\-baseline\\fR \\fIFILE\\fR" in audit
    if shutil.which("man"):
        command = ["man", "--warnings", "-l", str(MAN / "overhang-dialect.1")]
        shown = subprocess.run(
            command, capture_output=True, text=True, check=True, env={**os.environ, "MANPAGER": "cat"}
        )
        assert ("interview" in shown.stdout, shown.stderr) == (True, "")
