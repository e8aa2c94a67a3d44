"""Readers: the right one is found for each file, other packages can add some, and every command takes every format."""

import datetime
import gc
import importlib
import json
import re
import shutil
import tomllib
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from overhang.auditing import audit_config
from overhang.demo import demo_files
from overhang.formats import FormatRegistry, NoReader
from overhang.formats.registry import READERS
from overhang.model.hash_budget import HashBudget
from overhang.project import Project
from overhang.text import UnreadableInput
from tests.conftest import Ran
from tests.support.configs import CONFIGURATIONS

ROOT = Path(__file__).parents[2]
EXAMPLE = ROOT / "examples" / "reader-package"
Run = Callable[..., Ran]
Write = Callable[[str, str | bytes], Path]
DIALECT = """name = "lantern"
[recognise]
files = ["*.lan"]
lines = ["lantern {version}"]
[layout]
form = "flat"
[[translate]]
line = "lantern {_}"
[[translate]]
line = "name {name}"
means = "device {name}:"
[[translate]]
line = "wire {on:on|off}"
means = "telnet: {on}"
[[translate]]
line = "word {text}"
means = "elevation 15: password readable {text}"
"""
LANTERN = "lantern 3\nname quay-7\nwire on\nword Kelp.88\ncolour Kelp.99 blue\n"
REGISTER = "HARBOUR REGISTER isle-hut\nlena | 15 | $6$quay$abc\nnonsense\n"

CONTENT: list[tuple[str, bytes, str | None]] = [
    ("a.sheet", b"nonsense", "sheet"),
    ("a.txt", b"# a sheet\ndevice quay:\n    kind router\n", "sheet"),
    ("a.txt", b"entry consle:\nssh:\n    on\nuser lena:\n", "sheet"),
    ("a.txt", b"", None),
    ("a.txt", b"To whom it may concern:\nthe ferry is late.\n", None),
    ("a.txt", b"\x00\x01\x02", None),
    ("a.txt", b'{"ietf-system:system": {}}', "json"),
    ("a.txt", b'\xef\xbb\xbf \n{"x": {}, "overhang-access:access": {}}', "json"),
    ("a.json", b'{"ferry": "late"}', None),
    ("a.txt", b'<data><system xmlns="urn:ietf:params:xml:ns:yang:ietf-system"/></data>', "xml"),
    ("a.html", b"<html><body/></html>", None),
    *(
        (name, data, f"dialect {dialect}")
        for (name, data), dialect in zip(
            CONFIGURATIONS.items(), ("sandlark", "brinewick", "marram", "tarnhook"), strict=True
        )
    ),
]


@pytest.mark.parametrize(("name", "data", "expected"), CONTENT)
def test_the_reader_is_found_by_content(name: str, data: bytes, expected: str | None) -> None:
    found = FormatRegistry().choose(data, name)
    assert (found and found.name) == expected


def test_readers_are_registered_and_documented() -> None:
    page = (ROOT / "docs" / "readers.md").read_text()
    modules = {
        path.stem for path in (ROOT / "src" / "overhang" / "formats").glob("*.py") if "\nREADER = " in path.read_text()
    }
    assert modules == {module.rpartition(".")[2] for module in READERS.values()}
    for name, module in READERS.items():
        reader = FormatRegistry(reader=name).choose(b"", "x")
        assert reader is not None
        assert (reader.name, reader) == (name, importlib.import_module(module).READER)
        assert f"`{name}`" in page


def test_which_reader_and_which_dialect(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    Path("lantern.dialect.toml").write_text(DIALECT)
    assert FormatRegistry().choose(b"x", "a.lan").name == "dialect lantern"  # type: ignore[union-attr]
    assert FormatRegistry().choose(b"lantern 9", "a.txt").name == "dialect lantern"  # type: ignore[union-attr]
    assert FormatRegistry().choose(b"x", "a.txt", {"*.txt": "marram"}).name == "dialect marram"  # type: ignore[union-attr]
    assert FormatRegistry().choose(b"x", "in/a.txt", {"in/*": "lantern.dialect.toml"}).name == "dialect lantern"  # type: ignore[union-attr]
    assert FormatRegistry(dialect="tarnhook").choose(b"x", "a.sheet").name == "dialect tarnhook"  # type: ignore[union-attr]
    Path("other.dialect.toml").write_text(DIALECT.replace("lantern", "other"))
    with pytest.raises(NoReader) as both:
        FormatRegistry().choose(b"x", "a.lan")
    why = "the dialects lantern and other both recognise it; choose one with --dialect or in the project file"
    assert str(both.value) == why
    for options, message in (
        ({"reader": "jsn"}, "--reader jsn: did you mean json?"),
        ({"dialect": "nowhere"}, "--dialect nowhere: neither a file nor one of brinewick, marram, sandlark, tarnhook"),
        ({"reader": "json", "dialect": "marram"}, "--reader and --dialect cannot be used together"),
    ):
        with pytest.raises(NoReader) as caught:
            FormatRegistry(**options)
        assert str(caught.value) == message


def installed(folder: Path) -> Path:
    """The example package as it is after pip installed it: its module, and what its project file registers."""
    shutil.copytree(EXAMPLE / "src" / "harbour_register", folder / "harbour_register")
    project = tomllib.loads((EXAMPLE / "pyproject.toml").read_text())["project"]
    info = folder / "harbour_register-1.0.dist-info"
    info.mkdir()
    (info / "METADATA").write_text(f"Metadata-Version: 2.1\nName: {project['name']}\nVersion: 1.0\n")
    points = "".join(
        f"[{group}]\n" + "".join(f"{name} = {where}\n" for name, where in found.items())
        for group, found in project["entry-points"].items()
    )
    (info / "entry_points.txt").write_text(points)
    return folder


def test_a_package_adds_a_reader_and_an_opener(overhang: Run, write: Write, tmp_path: Path) -> None:
    env = {"PYTHONPATH": f"{installed(tmp_path / 'site')}:{ROOT / 'src'}"}
    write("hut.txt", REGISTER)
    note = "# not understood: hut.txt:3: ***\n\n"
    expected = f"{note}device isle-hut:\n    incomplete\n\nuser lena:\n    password withheld\n    level 15\n"
    told = "overhang: hut.txt: 1 line not understood; what is written says that there may be more\n"
    assert overhang("sheet", "hut.txt", env=env) == (0, expected, told)
    assert overhang("sheet", "--reader", "harbour-register", "hut.txt", env=env).out == expected
    report = json.loads(overhang("audit", "hut.txt", "--format", "json", env=env).out)["devices"][0]
    assert (report["reader"], report["lines"]) == (
        "harbour-register",
        {"understood": 2, "set_nothing": 0, "not_understood": 1},
    )
    assert report["not_understood"][0]["message"] == "expected a name, a level and a hash, separated by |"
    write("ramp.mrm", "marram 4\ncrew\n  hand omar\n    oath veiled 74696465\n  hand lena\n    oath veiled zz\n")
    ran = overhang("sheet", "--with-secrets", "ramp.mrm", env=env)
    assert "user omar:\n    password masked ~" in ran.out
    assert "user lena:\n    password masked-elsewhere zz\n" in ran.out
    ran = overhang("sheet", "hut.txt")
    assert (ran.code, ran.out) == (2, "")


class Broken:
    about = "fails"

    def __init__(self, error: Exception | None) -> None:
        self.error = error

    def recognises(self, *_: object) -> bool:
        raise ValueError("secret")

    def read(self, *_: object) -> Any:
        if self.error is not None:
            raise self.error
        return "no sheet"


@pytest.mark.parametrize(
    ("error", "message"),
    [
        (KeyError("Kelp.88"), "the reader bad failed: KeyError"),
        (UnreadableInput("why"), "why"),
        (None, "the reader bad gave no device"),
    ],
)
def test_a_reader_of_another_package_breaks_nothing(
    error: Exception | None, message: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(
        "overhang.formats.registry._entry_points", lambda group, problems: iter([("bad", Broken(error))])
    )
    assert FormatRegistry().choose(b"words", "a.txt") is None
    reader: Any = FormatRegistry(reader="bad").choose(b"words", "a.txt")
    with pytest.raises(UnreadableInput) as caught:
        reader.read(b"words", "a.txt")
    assert str(caught.value) == message


# -- as people meet it -------------------------------------------------------------------------------------------------


@pytest.fixture
def mixed(write: Write) -> None:
    for name, data in demo_files().items():
        if name.startswith("gannet/") or name.endswith("north-edge.sheet"):
            write(f"net/{Path(name).name}", data)
    write("net/notes.txt", "the ferry is late\n")
    write("net/picture.png", b"\x89PNG\r\n\x1a\n\0\0")
    write("net/broken.json", '{"ietf-system:system": {"hostname": "a", "hostname": "b"}}')
    write("net/.hidden", "x")


@pytest.mark.usefixtures("mixed")
def test_a_mixed_folder_is_read_as_far_as_it_can_be(overhang: Run) -> None:
    ran = overhang("audit", "net", "--only", "http-enabled", "--now", "2026-11-23")
    why = "a name is given twice in one object, on line 1"
    assert (ran.code, ran.err) == (2, f"overhang: net/broken.json: {why}\n")
    end = re.sub(r"[0-9]+ not asked for", "N not asked for", ran.out.rstrip("\n")).split("\n")[-5:]
    assert end == [
        "7 devices audited: 2 findings (1 high, 1 medium); 5 without findings; N not asked for; 1 line not",
        "understood; 1 file unreadable",
        "read: 1 as json, 1 as sheets, 1 as xml, 4 through the dialects brinewick, marram, sandlark, tarnhook",
        "left out: 2 files that no reader recognises: net/notes.txt, net/picture.png",
        "overhang audit FILE shows the lines, the access paths and the fix; --long shows them for all",
    ]
    report = json.loads(overhang("audit", "net", "--format", "json").out)
    assert report["left_out"] == ["net/notes.txt", "net/picture.png"]
    assert {each["reader"] for each in report["devices"]} >= {"json", "xml", "sheet", "dialect marram"}
    ways = overhang("ways", "net", "--to", "15")
    left = "overhang: left out 2 files that no reader recognises: net/notes.txt, net/picture.png\n"
    assert (ways.code, ways.err) == (2, f"overhang: net/broken.json: {why}\n{left}")
    login = overhang("login", "net/isle-ramp.mrm", "--via", "console", "--name", "lena", "--knows", "user:lena")
    assert (login.code, login.err) == (0, "")
    assert "line 43" in login.out


@pytest.mark.usefixtures("mixed")
def test_model_data_is_written_and_read_back(overhang: Run, tmp_path: Path) -> None:
    ran = overhang(
        "sheet", "net/isle-ramp.mrm", "net/isle-clock.snd", "--to", "xml", "--with-secrets", "--output", "out"
    )
    assert (ran.code, ran.out, ran.err) == (0, "", "")
    back = overhang("sheet", "out/isle-ramp.xml", "--with-secrets").out
    assert back == overhang("sheet", "net/isle-ramp.mrm", "--with-secrets").out
    audited = [
        json.loads(overhang("audit", each, "--format", "json").out)["devices"][0]
        for each in ("out/isle-ramp.xml", "net/isle-ramp.mrm")
    ]
    assert [each["profile"] for each in audited] == ["marram", "marram"]
    rules = [sorted(finding["rule"] for finding in each["findings"]) for each in audited]
    assert rules[0] == rules[1]
    shown = overhang("sheet", "net/isle-lamp.xml", "--to", "json").out
    assert json.loads(shown)["ietf-system:system"]["hostname"] == "isle-lamp"
    assert "$6$" not in shown
    two = overhang("sheet", "net/isle-ramp.mrm", "net/isle-clock.snd", "--to", "json")
    assert (
        two.err
        == "overhang: --to json: one document holds one device; write one file per device with --output FOLDER\n"
    )
    (tmp_path / "bell.sheet").write_text('user lena:\n    password readable "a\\u0007"\n')
    bell = overhang("sheet", "bell.sheet", "--to", "xml", "--with-secrets")
    why = "it holds a control character, which neither XML nor a YANG string can hold"
    assert bell == (2, "", f"overhang: bell.sheet: cannot be written as xml: {why}\n")


TRIED = """\
80 % of quay.lan understood through lantern: 1 of 5 lines not
statements: = 3 translated   . 1 set nothing by themselves   ? 1 not understood

     1 . lantern ***
     2 = name quay-7                               device quay-7:
     3 = wire on                                   telnet: on
     4 = word ***                                  elevation 15: password readable ***
     5 ? ***                                       no translation fits this line

not understood, by shape; the most frequent first
     1 ×  line 5    <word> <word> <word>

"""


def test_trying_a_dialect(overhang: Run, write: Write) -> None:
    write("lantern.dialect.toml", DIALECT)
    write("quay.lan", LANTERN)
    assert overhang("dialect", "try", "quay.lan") == (0, TRIED, "")
    assert overhang("dialect", "try", "quay.lan", "--strict").code == 3
    assert "colour Kelp.99 blue" in overhang("dialect", "try", "quay.lan", "--with-secrets").out
    assert "name quay-7" not in overhang("dialect", "try", "quay.lan", "--unknown").out
    ran = overhang("audit", "quay.lan", "--strict")
    assert (ran.code, "Kelp" in ran.out) == (3, False)
    assert "colour" not in ran.out
    write("a.sheet", "ssh:\n")
    ran = overhang("dialect", "try", "a.sheet", "nothing.lan")
    assert ran.code == 2
    assert ran.err == (
        "overhang: a.sheet: read as sheet, not through a dialect; choose one with --dialect\n"
        "overhang: nothing.lan: cannot be opened: No such file or directory\n"
    )


def test_starting_and_checking_a_dialect(overhang: Run, write: Write, tmp_path: Path) -> None:
    write("quay.lan", LANTERN)
    assert overhang("dialect", "start", "quay.lan", "--output", "mine.dialect.toml") == (0, "", "")
    begun = (tmp_path / "mine.dialect.toml").read_text()
    assert 'name = "mine"' in begun
    assert "Kelp" not in begun
    assert overhang("dialect", "check", "mine.dialect.toml") == (
        0,
        "mine.dialect.toml: right: 0 translations, 0 kinds of block, 0 samples as expected\n",
        "",
    )
    ran = overhang("dialect", "start", "quay.lan", "--output", "mine.dialect.toml")
    assert ran == (2, "", "overhang: mine.dialect.toml: exists already; choose another name or move it away\n")
    write("bad.dialect.toml", DIALECT + '[[translate]]\nline = "port {n:numbr}"\nmeans = "ssh: prt {n}"\n')
    assert overhang("dialect", "check", "bad.dialect.toml", "gone.toml") == (
        1,
        "bad.dialect.toml: 1 mistake\n"
        "  bad.dialect.toml:18: translation 5: {n:numbr}: unknown type; did you mean number?\n"
        "gone.toml: 1 mistake\n"
        "  gone.toml:1: cannot be opened: No such file or directory\n",
        "",
    )
    write("plain/notes.txt", "late")
    write("plain/bad.dialect.toml", DIALECT + '[[translate]]\nline = "port {n:numbr}"\n')
    assert overhang("audit", "plain").err == (
        "overhang: plain/bad.dialect.toml:18: translation 5: {n:numbr}: unknown type; did you mean number?\n"
        "overhang: plain: no file in this folder that a reader recognises\n"
    )
    assert re.search("(?m)^unsaid-answers +all ", overhang("profiles", "--dialect", "sandlark").out)
    assert overhang("profiles", "--dialect", "bad.dialect.toml").code == 2
    assert [line.split()[0] for line in overhang("dialect", "list").out.splitlines()] == [
        "brinewick",
        "marram",
        "sandlark",
        "tarnhook",
    ]


def test_the_project_file_names_dialects(overhang: Run, write: Write) -> None:
    write("languages/lantern.dialect.toml", DIALECT.replace('files = ["*.lan"]\nlines = ["lantern {version}"]\n', ""))
    write("net/quay.cfg", LANTERN)
    write("overhang.toml", '[dialects]\n"net/*.cfg" = "languages/lantern.dialect.toml"\n')
    assert overhang("sheet", "net").out.split("\n")[:4] == [
        "# net/quay.cfg",
        "# not understood: net/quay.cfg:5: ***",
        "",
        "device quay-7:",
    ]
    write("overhang.toml", '[dialects]\n"net/*.cfg" = "languages/gone.toml"\n')
    ran = overhang("sheet", "net")
    assert (ran.code, ran.err) == (
        2,
        "overhang: net/quay.cfg: the project file languages/gone.toml: neither a file nor one of brinewick, marram, sandlark, tarnhook\n",
    )
    write("overhang.toml", '[dialects]\n"*.cfg" = 3\n')
    assert overhang(
        "sheet", "net"
    ).err == "overhang: /overhang.toml:2: dialects.*.cfg: expected the name of a dialect, or its file\n".replace(
        "/overhang", str(write("x", "").parent) + "/overhang"
    )


@pytest.mark.parametrize(
    "name", [name for name in demo_files() if name.startswith("gannet/") or name.endswith("gate.sheet")]
)
def test_what_was_read_is_let_go_of(name: str) -> None:
    registry, data = FormatRegistry(), demo_files()[name]

    def work() -> None:
        reader = registry.choose(data, name)
        assert reader is not None
        config = reader.read(data, name)
        audit_config(config, Project(), datetime.datetime(2026, 11, 26, tzinfo=datetime.UTC), b"", HashBudget(0))

    work()  # what is kept for other devices is made
    gc.collect()
    gc.disable()
    try:
        work()
        assert gc.collect() == 0, "the program runs without the collector: what holds itself would stay for ever"
    finally:
        gc.enable()
