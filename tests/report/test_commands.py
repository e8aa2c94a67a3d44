"""Every command line of the README and the pages ends with the exit code that they give."""

import re
import shlex
import shutil
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import pytest

from overhang.cli.main import main
from overhang.fleet import gather

ROOT = Path(__file__).parents[2]
PAGES = [ROOT / "README.md", *sorted((ROOT / "docs").glob("*.md"))]
#: What stands for something that the reader has: a word in capitals, dots, brackets, alternatives.
STANDS_FOR = re.compile(r"(?<![-\w.])[A-Z]{4,}(?![\w.-])|\.\.\.|[\[|]|\b(SHEET|OLD|NEW)\b")
#: What waits for a person, serves until it is stopped, makes hundreds of logins, or needs a cluster; other tests drive these.
ELSEWHERE = re.compile(
    r"overhang (stand-in|prove|password|trust|interview)|--typed\b|--scheduler\b|dialect interview|--from 10\.64\.1\.7$"
)
#: Command lines that need files which their page has the reader write, or that a person's own things are shown by.
OWN_FILES = re.compile(r"ropeyard|lantern\.dialect|in-effect\.sheet|attempts\.jsonl")
#: Exit codes of those that do not end with 0, by how they begin, where the page does not say.
ENDS = {
    "overhang audit": 1,  # the demo has findings
    "overhang spread": 1,
    "overhang rehearse": 1,
    "overhang mend": 1,
    "overhang expect": 1,
    "overhang demo --history": 2,  # it is there already, since other lines need it
}


def shown() -> Iterator[tuple[str, str, int | None]]:
    """The command lines: their page, themselves, and the exit code that a remark gives."""
    for page in PAGES:
        text = page.read_text().replace("\\\n", " ")
        for line in re.findall(r"^    (?:\$ )?(overhang [^\n]*)$", text, re.MULTILINE):
            command, _, remark = re.sub(r"\s+", " ", line).partition(" #")
            if not (STANDS_FOR.search(command) or ELSEWHERE.search(command) or OWN_FILES.search(command)):
                said = re.search(r"\bexit (\d+)", remark)
                yield page.name, command.strip(), int(said[1]) if said else None


@pytest.fixture(scope="module")
def here(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("tour")
    for words in (["demo"], ["demo", "--history", "west"]):
        subprocess.run([sys.executable, "-m", "overhang", *words], cwd=folder, capture_output=True, check=True)
    shutil.copytree(ROOT / "examples", folder / "examples")
    return folder


def test_every_command_line_that_is_shown_ends_as_it_says(
    here: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    lines = list(shown())
    assert len(lines) > 45
    monkeypatch.chdir(here)
    monkeypatch.setenv("XDG_CONFIG_HOME", str(here / "own"))
    monkeypatch.setattr(gather, "WORTH_KEEPING", 1)  # so that the same devices are not audited over and over
    wrong = []
    for page, command, said in lines:
        ended = main(shlex.split(command)[1:])
        expected = said
        if expected is None:
            expected = next((code for begins, code in ENDS.items() if command.startswith(begins)), 0)
        if ended != expected:
            wrong.append((page, command, ended, expected, capsys.readouterr().err[-200:]))
    assert not wrong, "\n".join(map(str, wrong))


def test_the_nightly_run_of_the_page_lists_only_what_is_new(tmp_path: Path) -> None:
    page = (ROOT / "docs" / "ci.md").read_text()
    script = re.search(r"^    #!/bin/sh\n(?:(?:    .*)?\n)*", page, re.MULTILINE)
    assert script is not None
    (tmp_path / "nightly.sh").write_text(re.sub(r"^    ", "", script[0], flags=re.MULTILINE))
    (tmp_path / "bin").mkdir()
    program = tmp_path / "bin" / "overhang"
    program.write_text(f'#!/bin/sh\nexec "{sys.executable}" -m overhang "$@"\n')
    program.chmod(0o755)
    net = tmp_path / "net"
    net.mkdir()
    sheet = "device quay:\n    profile appliance\nuser lena:\n    password opaque x\n"
    (net / "quay.sheet").write_text(sheet)

    def night() -> tuple[int, str]:
        path = f"{tmp_path / 'bin'}:/usr/bin:/bin"
        command = ["sh", "nightly.sh", "net", "reports"]
        ran = subprocess.run(command, cwd=tmp_path, env={"PATH": path}, capture_output=True, text=True, check=False)
        return ran.returncode, ran.stdout + ran.stderr

    assert night() == (0, ""), "nothing to compare with"
    (written,) = (tmp_path / "reports").glob("*.json")
    written.rename(tmp_path / "reports" / "2020-01-01.json")
    code, said = night()
    assert (code, said.split(";")[0]) == (0, "Nothing new since reports/2020-01-01.json")
    (net / "quay.sheet").write_text(sheet + "web:\n    http on\n    check nothing\n")
    code, said = night()
    assert (code, "web-no-authentication" in said) == (1, True)
    assert "Since reports/2020-01-01.json" in (tmp_path / "reports" / "latest.html").read_text()
    (net / "quay.sheet").write_bytes(b"\0")
    assert night()[0] == 2


def test_the_hooks_run_commands_that_there_are(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    entries = re.findall(r"^  entry: overhang (.*)$", (ROOT / ".pre-commit-hooks.yaml").read_text(), re.MULTILINE)
    assert len(entries) == 3
    (tmp_path / "quay.sheet").write_text("device quay:\n    profile appliance\n")
    shutil.copy(ROOT / "examples" / "languages" / "tally" / "tally.dialect.toml", tmp_path)
    expectation = '[[expect]]\nsay = "nobody comes by Telnet"\nwho = "anybody"\nvia = "telnet"\nbelow = 0\n'
    (tmp_path / "overhang.toml").write_text(expectation)
    monkeypatch.chdir(tmp_path)
    given = {"audit": ["quay.sheet"], "expect": [], "dialect": ["tally.dialect.toml"]}
    ends = {entry.split()[0]: main([*entry.split(), *given[entry.split()[0]]]) for entry in entries}
    assert ends == {"audit": 1, "expect": 0, "dialect": 0}
