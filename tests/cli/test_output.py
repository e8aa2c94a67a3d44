"""The output boundary: exit codes of what cannot be written, and files that are never written over."""

import json
import os
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path
from urllib.parse import unquote_to_bytes

import pytest

from overhang import loading
from overhang.cli import main, output
from overhang.cli.errors import OutputError
from overhang.demo import demo_files
from tests.conftest import Ran

Run = Callable[..., Ran]
Write = Callable[[str, str | bytes], Path]

SHEET = "device quay:\n    kind switch\nentry console: check nothing\n"
DIALECT = 'name = "quay"\n[layout]\nform = "indented"\n[recognise]\nlines = ["quay {_}"]\n'
DATA = '{"overhang-access:access": {"device": {"kind": "switch"}}}'
WRITERS = [
    ("audit", "quay.sheet", "--output"),
    ("audit", "quay.sheet", "--format", "json", "--output"),
    ("expect", "quay.sheet", "--output"),
]
DRAWERS = [("login", "quay.sheet", "--via", "console", "--picture"), ("picture", "quay.sheet", "--output")]
#: A file that is there, and what the refusal calls it ("": it may be replaced).
THERE = [
    ("quay.sheet", SHEET, "is an input of this run"),
    ("other.sheet", SHEET + "# another\n", "a configuration (sheet)"),
    ("other.txt", SHEET + "# another\n", "a configuration (sheet)"),
    ("other.json", DATA, "a configuration (json)"),
    ("quay.dialect.toml", DIALECT, "a dialect"),
    ("words.toml", DIALECT, "a dialect"),
    ("overhang.toml", "[thresholds]\n", "a project file"),
    ("thresholds.toml", "[thresholds]\nidle = '6m'\n", "a project file"),
    ("notes.txt", "the keys hang in the harbour office\n", ""),
    ("table.csv", "a,b\n1,2\n", ""),
]


@pytest.fixture
def here(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, write: Write) -> Path:
    monkeypatch.chdir(tmp_path)
    write("quay.sheet", SHEET)
    write("overhang.toml", '[[expect]]\nsay = "open"\nwho = "anybody"\nbelow = 0\n')
    return tmp_path


@pytest.mark.parametrize("writer", WRITERS, ids=lambda each: " ".join(each[:1] + each[-2:]))
@pytest.mark.parametrize(("name", "there", "refusal"), THERE, ids=[each[0] for each in THERE])
@pytest.mark.usefixtures("here")
def test_no_writer_destroys_what_the_product_reads(
    writer: tuple[str, ...], name: str, there: str, refusal: str, write: Write, capsys: pytest.CaptureFixture[str]
) -> None:
    write(name, there)
    code = main.main([*writer, name])
    said = capsys.readouterr().err
    if refusal:
        assert (code, Path(name).read_text()) == (2, there)
        assert said.startswith(f"overhang: {name}: ")
        assert refusal in said
        assert said.count("\n") == 1
    else:
        assert (code in (0, 1), said) == (True, "")
        assert Path(name).read_bytes() != there.encode()


@pytest.mark.parametrize("writer", DRAWERS, ids=lambda each: each[0])
@pytest.mark.usefixtures("here")
def test_no_picture_destroys_a_configuration(
    writer: tuple[str, ...], write: Write, capsys: pytest.CaptureFixture[str]
) -> None:
    there = write("quay.png", SHEET + "# another\n")
    assert main.main([*writer, "quay.png"]) == 2
    assert "exists already and is a configuration (sheet)" in capsys.readouterr().err
    there.write_bytes(b"\x89PNG")
    assert main.main([*writer, "quay.png"]) == 0
    assert there.stat().st_size > 1000


def test_links_and_folders_of_inputs_are_inputs(overhang: Run, write: Write, tmp_path: Path) -> None:
    sheet = write("quays/quay.sheet", SHEET)
    (tmp_path / "hard.txt").hardlink_to(sheet)
    (tmp_path / "soft.txt").symlink_to(sheet)
    for name in ("hard.txt", "soft.txt", "quays/quay.sheet"):
        ran = overhang("audit", "quays", "--output", name)
        assert ran == (
            2,
            "",
            f"overhang: {name}: is an input of this run and is not overwritten; choose another name\n",
        )
    assert overhang("audit", "quays", "--output", "quays") == (
        2,
        "",
        "overhang: quays: is a folder; name a file to write\n",
    )
    assert sheet.read_text() == SHEET


def test_sheets_written_into_their_own_folder(overhang: Run, write: Write) -> None:
    sheet = write("quays/quay.sheet", SHEET)
    ran = overhang("sheet", "quays", "--output", "quays")
    refused = "is an input of this run and is not overwritten; choose another name"
    assert ran == (2, "", f"overhang: quays/quay.sheet: {refused}\n")
    assert sheet.read_text() == SHEET
    assert overhang("sheet", "quays", "--output", "out").code == 0
    assert overhang("sheet", "quays", "--output", "out").code == 0, "what is there already loses nothing"
    write("out/quay.sheet", SHEET + "entry auxiliary: closed\n")
    ran = overhang("sheet", "quays", "--output", "out")
    kind = "exists already and is a configuration (sheet), which is not overwritten; choose another name"
    assert ran == (2, "", f"overhang: out/quay.sheet: {kind}\n")


def test_an_earlier_report_is_replaced_in_every_format(
    write: Write, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(tmp_path)
    for path, data in demo_files().items():
        if path.startswith(("northquay/", "overhang.toml")):
            write(f"demo/{path}", data)
    for form in ("text", "json", "csv", "sarif", "junit", "markdown", "html"):
        for _ in range(2):
            assert (
                main.main(["audit", "demo", "--long", "--guess", "0", "--format", form, "--output", f"report.{form}"])
                == 1
            )
        assert (tmp_path / f"report.{form}").stat().st_size > 1000


@pytest.mark.parametrize("command", [("audit", "quay.sheet"), ("rules",), ("ways", "quay.sheet"), ("profiles",)])
def test_output_that_cannot_be_written_is_74(command: tuple[str, ...], write: Write, tmp_path: Path) -> None:
    write("quay.sheet", SHEET)
    run = [sys.executable, "-m", "overhang", *command]
    with open("/dev/full", "w", encoding="utf-8") as full:
        done = subprocess.run(run, cwd=tmp_path, stdout=full, stderr=subprocess.PIPE, text=True, check=False)
    assert (done.returncode, done.stderr) == (
        74,
        "overhang: standard output: cannot be written: No space left on device\n",
    )
    done = subprocess.run(
        ["sh", "-c", 'exec "$@" >&-', "sh", *run], cwd=tmp_path, stderr=subprocess.PIPE, text=True, check=False
    )
    assert (done.returncode, done.stderr) == (74, "overhang: standard output: cannot be written: it is closed\n")


@pytest.mark.parametrize(
    ("arguments", "code"),
    [
        (("audit", "quay.sheet"), 1),
        (("audit", "quay.sheet", "--fail-on", "critical"), 0),
        (("login", "quay.sheet", "--via", "console", "--expect", "admitted"), 0),
        (("login", "quay.sheet", "--via", "console", "--expect", "denied"), 1),
    ],
)
def test_a_closed_pipe_leaves_the_exit_code(
    arguments: tuple[str, ...], code: int, write: Write, tmp_path: Path
) -> None:
    write("quay.sheet", SHEET)
    reading, writing = os.pipe()
    os.close(reading)
    with os.fdopen(writing, "w") as pipe:
        done = subprocess.run(
            [sys.executable, "-m", "overhang", *arguments],
            cwd=tmp_path,
            stdout=pipe,
            stderr=subprocess.PIPE,
            text=True,
            check=False,
        )
    assert done.returncode == code
    assert "rror" not in done.stderr


def test_an_internal_error_is_one_line_without_its_message(
    monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    def fails(arguments: list[str]) -> int:
        raise RuntimeError(f"a canary: {arguments}")

    monkeypatch.setattr(main, "main", fails)
    monkeypatch.setattr(sys, "argv", ["overhang", "audit"])
    with pytest.raises(SystemExit) as ended:
        main.entry_point()
    said = capsys.readouterr()
    assert (ended.value.code, said.out) == (70, "")
    assert said.err.startswith("overhang: internal error: RuntimeError at tests.cli.test_output:")
    assert (said.err.count("\n"), "canary" in said.err) == (1, False)


def test_a_file_is_whole_or_not_there(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    target = tmp_path / "report.txt"
    target.write_text("before")

    def full(_: int) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(output.OutputError, match="No space left on device"):
        output.replace_file(str(target), b"after")
    assert [each.name for each in tmp_path.iterdir()] == ["report.txt"]
    assert target.read_text() == "before"


def test_an_interrupted_run_tells_what_it_has_written(
    write: Write, here: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    for name in "abc":
        write(f"{name}.sheet", "user lena: level 3\n")
    begun = iter([None, None, KeyboardInterrupt()])
    replace = output.replace_file

    def slow(path: str, data: bytes) -> None:
        interrupt = next(begun)
        if interrupt is not None:
            raise interrupt
        replace(path, data)

    monkeypatch.setattr(output, "replace_file", slow)
    monkeypatch.setattr(output, "_WRITTEN", [])
    assert main.main(["sheet", "a.sheet", "b.sheet", "c.sheet", "--output", "out"]) == 130
    told = "overhang: interrupted; written whole: out/a.sheet, out/b.sheet; nothing else was changed\n"
    assert capsys.readouterr().err == told
    assert sorted(each.name for each in (here / "out").iterdir()) == ["a.sheet", "b.sheet"]


def test_a_file_that_is_gone_does_not_stop_the_others(
    write: Write, here: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    (here / "overhang.toml").unlink()
    for name in "ab":
        write(f"net/{name}.sheet", "user lena: level 3\n")
    (here / "net" / "link.sheet").symlink_to("nowhere.sheet")
    listed = list(loading.find_files(["net"]))
    (here / "net" / "a.sheet").unlink()
    monkeypatch.setattr(loading, "find_files", lambda _: iter(listed))
    assert main.main(["audit", "net", "--short"]) == 2
    said = capsys.readouterr()
    assert "1 device audited" in said.out
    assert [line.split(": ")[1] for line in said.err.splitlines()] == ["net/a.sheet", "net/link.sheet"]


def test_the_address_of_an_odd_name_leads_to_its_file(here: Path, capsys: pytest.CaptureFixture[str]) -> None:
    names = [b"a b#c%41.sheet", b"\xff-quay.sheet", "ünder:q?.sheet".encode()]
    for name in names:
        (here / os.fsdecode(name)).write_text("entry console: check nothing\n")
    assert main.main(["audit", ".", "--format", "sarif"]) == 1
    runs = json.loads(capsys.readouterr().out)["runs"]
    found = {
        unquote_to_bytes(each["physicalLocation"]["artifactLocation"]["uri"])
        for result in runs[0]["results"]
        for each in result["locations"]
    }
    assert {os.path.normpath(each) for each in found} == {*names, b"quay.sheet"}


def test_standard_input_is_a_configuration(overhang: Run, write: Write) -> None:
    write("quay.sheet", SHEET)
    for words in (("audit", "--long"), ("ways",), ("sheet",)):
        named, piped = overhang(*words, "quay.sheet"), overhang(*words, "-", stdin=SHEET)
        assert named.out.replace("quay.sheet", "standard input") == piped.out
        assert (named.code, named.err) == (piped.code, piped.err)
    assert overhang("audit", "-", stdin="(nothing)").err.startswith("overhang: standard input: no reader recognises it")


def test_what_is_no_ordinary_file_is_named_and_neither_waited_for_nor_written(
    overhang: Run, write: Write, tmp_path: Path
) -> None:
    write("quay.sheet", SHEET)
    os.mkfifo(tmp_path / "pipe.sheet")
    (tmp_path / "gone.sheet").symlink_to("nothing")
    ran = overhang("audit", ".")
    assert "left out: 1 file that no reader recognises: ./pipe.sheet" in ran.out
    assert ran.err == "overhang: ./gone.sheet: cannot be opened: No such file or directory\n"
    assert "pipe.sheet: not a regular file" in overhang("audit", "pipe.sheet").err
    ran = overhang("audit", "quay.sheet", "--output", "pipe.sheet")
    assert (ran.code, "pipe.sheet: is not an ordinary file" in ran.err) == (2, True)
    assert overhang("audit", "quay.sheet", "--output", os.devnull).code == 1
    ran = overhang("audit", "\x1b[31mred\u202e\x85.sheet")
    assert ran.err == "overhang: \\x1b[31mred\\u202e\\x85.sheet: cannot be opened: No such file or directory\n"


def test_a_run_clears_what_killed_ones_left_and_keeps_mode_and_target(here: Path) -> None:
    killed = subprocess.Popen(["true"])
    killed.wait()
    output.replace_file("report", b"1")
    names = [here / name.replace("PID", str(killed.pid)) for name in (f"{output.own_prefix()}PID-x", ".overhang-PID-x")]
    running = here / f"{output.own_prefix()}{os.getpid()}-x"
    for each in (*names, running):
        each.touch()
    os.chmod("report", 0o640)
    (here / "link").symlink_to("report")
    output.replace_file("link", b"2")
    assert (here / "report").read_bytes() == b"2"
    assert ((here / "report").stat().st_mode & 0o777, (here / "link").is_symlink()) == (0o640, True)
    assert [each.exists() for each in (*names, running)] == [False, True, True]


@pytest.mark.skipif(os.geteuid() != 0, reason="needs another owner")
def test_a_file_that_is_replaced_stays_its_owners(here: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    output.replace_file("report", b"1")
    os.chown("report", 4321, 4321)
    output.replace_file("report", b"2")
    assert (here / "report").stat().st_uid == 4321

    def refused(*_: object) -> None:
        raise PermissionError(1, "no")

    monkeypatch.setattr(os, "chown", refused)
    with pytest.raises(OutputError, match="belongs to somebody else"):
        output.replace_file("report", b"3")
    assert ((here / "report").read_bytes(), len(os.listdir(here))) == (b"2", 3)
