"""The answer of a whole run is shown again only where the run would say the same."""

import datetime
import os
import sqlite3
from collections.abc import Callable
from pathlib import Path

import pytest

from overhang.cli import audit, audit_run
from overhang.cli.main import main
from overhang.cli.output import flush_out
from overhang.files import CACHE, CACHE_KEY
from overhang.fleet import answers
from overhang.fleet.cache import contents_of
from overhang.report.audit_summary import SORTS
from tests.support.fleet import PROJECT, lay_out

NIGHT = "policy night:\n    for-hours 22:00-06:00\n    refused\n"


class Runs:
    """Runs of the program in one folder: what they write, and whether that was worked out or known."""

    def __init__(self, folder: Path, patch: pytest.MonkeyPatch, captured: pytest.CaptureFixture[str]) -> None:
        self.folder, self.captured, self.worked = folder, captured, 0
        real = audit_run.audit

        def audit(*arguments: object, **more: object) -> int:
            self.worked += 1
            return real(*arguments, **more)  # type: ignore[arg-type]

        patch.setattr(audit_run, "audit", audit)
        patch.chdir(folder)

    def plain(self, *words: str) -> tuple[int, str, str]:
        code = main(["audit", "fleet", "--jobs", "1", *words])
        flush_out()
        return code, *self.captured.readouterr()

    def known(self, *words: str) -> bool:
        """Whether the answer was known; it must be that of a run without a cache."""
        right = self.plain("--no-cache", *words)
        self.worked = 0
        assert self.plain("--cache", "kept", *words) == right
        return not self.worked

    def write(self, name: str, text: str) -> None:
        path = self.folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text)


@pytest.fixture
def runs(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]) -> Runs:
    lay_out(tmp_path / "fleet", 4, 2)
    return Runs(tmp_path, monkeypatch, capsys)


def _relink(runs: Runs) -> None:
    (runs.folder / "fleet" / "link.sheet").unlink(missing_ok=True)
    (runs.folder / "fleet" / "link.sheet").symlink_to(runs.folder / "there.sheet")


CHANGES: dict[str, Callable[[Runs], object]] = {
    "a line": lambda runs: runs.write("fleet/d00002.sheet", "device other:\n    profile switch\n"),
    "a device came": lambda runs: runs.write("fleet/below/new.sheet", "device new:\n    profile router\n"),
    "a device went": lambda runs: (runs.folder / "fleet/d00003.sheet").unlink(),
    "a name": lambda runs: (runs.folder / "fleet/d00001.sheet").rename(runs.folder / "fleet/e.sheet"),
    "junk came": lambda runs: runs.write("fleet/notes", "tides and timetables\n"),
    "a project": lambda runs: runs.write("fleet/overhang.toml", PROJECT),
    "a project above": lambda runs: runs.write("overhang.toml", '[networks]\nquay = ["10.64.0.0/16"]\n'),
    "a dialect beside": lambda runs: runs.write("fleet/x.dialect.toml", "broken = \n"),
    "a link": _relink,
    "what a link leads to": lambda runs: runs.write("there.sheet", "device there:\n    profile appliance\n"),
    "a baseline": lambda runs: runs.write("before.json", "{}"),
}


def test_a_cache_among_the_devices_is_none_of_them(runs: Runs) -> None:
    right = runs.plain("--no-cache")
    for _ in range(2):
        runs.worked = 0
        assert runs.plain("--cache", "fleet/kept") == right
    assert runs.worked == 0
    assert {CACHE, CACHE_KEY} <= {path.name for path in (runs.folder / "fleet" / "kept").iterdir()}


@pytest.mark.parametrize("change", CHANGES)
def test_whatever_changes_is_noticed(runs: Runs, change: str) -> None:
    words: tuple[str, ...] = ()
    runs.write("there.sheet", "device elsewhere:\n    profile router\n")
    if change == "what a link leads to":
        _relink(runs)
    if change == "a baseline":
        words = ("--baseline", "before.json")
        runs.write("before.json", runs.plain("--no-cache", "--format", "json")[1])
    first = [runs.known(*words), runs.known(*words)]
    CHANGES[change](runs)
    then = runs.plain("--no-cache", *words)
    assert [*first, runs.known(*words)] == [False, True, False]
    # What could not be read, and wrong usage, is told each time by whoever met it.
    assert runs.known(*words) == (then[0] != 2)


def test_each_question_has_an_answer_of_its_own(runs: Runs, monkeypatch: pytest.MonkeyPatch) -> None:
    now = ("--now", "2026-11-26T07:00Z")
    questions = [
        (),
        ("--short",),
        ("--severity", "high"),
        ("--fail-on", "critical"),
        ("--only", "telnet*"),
        ("--format", "csv"),
        ("--format", "html"),
        ("--guess", "9"),
        ("--sort", "device"),
        ("--strict",),
        (*now, "--format", "json"),
    ]
    for expected in (False, True):
        assert [runs.known(*words) for words in questions] == [expected] * len(questions)
    assert not runs.known("--long")
    monkeypatch.setenv("COLUMNS", "70")
    assert not runs.known()
    held = contents_of("kept")
    assert held is not None
    assert held.answers == len(questions) + 2


@pytest.mark.parametrize("form", audit.FORMATS[:-2])
def test_an_answer_names_its_own_moment(runs: Runs, monkeypatch: pytest.MonkeyPatch, form: str) -> None:
    found = []
    monkeypatch.setattr(answers, "today", lambda: "2026-11-01")
    for minute in (1, 2):

        class Clock(datetime.datetime):
            """Stands still."""

            @classmethod
            def now(cls, tz: datetime.tzinfo | None = None, minute: int = minute) -> "Clock":
                return cls(2026, 11, 1, 7, minute, 3, 9, tz)

        monkeypatch.setattr(datetime, "datetime", Clock)
        found.append(runs.plain("--no-cache", "--format", form)[1])
        runs.worked = 0
        found.append(runs.plain("--cache", "kept", "--format", form)[1])
    assert not runs.worked
    assert (found[0], found[2]) == (found[1], found[3])
    assert (found[0] != found[2]) == (form in audit.MOMENTS)


@pytest.mark.parametrize(
    ("more", "tomorrow", "later"),
    [("", True, True), ("user lena: expires 2027-01-01\n", False, True), (NIGHT, False, False)],
)
def test_an_answer_holds_as_long_as_the_days_allow(
    runs: Runs, monkeypatch: pytest.MonkeyPatch, more: str, tomorrow: bool, later: bool
) -> None:
    for each in (runs.folder / "fleet").iterdir():
        each.unlink()
    runs.write("fleet/quay.sheet", "device quay:\n    profile appliance\n" + more)
    assert not runs.known()
    assert runs.known() == later
    monkeypatch.setattr(answers, "today", lambda: "2031-01-01")
    assert runs.known() == tomorrow


@pytest.mark.parametrize(
    ("wrong", "told"),
    [
        (("--jobs", "none"), "--jobs none: expected a number from 1 to 512"),
        (("--jobs", "0"), "--jobs 0: expected a number from 1 to 512"),
        (("--shared-files",), "--shared-files is for --scheduler"),
        (("--no-cache",), "--cache and --no-cache cannot be used together"),
    ],
)
def test_wrong_usage_is_told_though_the_answer_is_known(runs: Runs, wrong: tuple[str, ...], told: str) -> None:
    assert [runs.known(), runs.known()] == [False, True]
    assert runs.plain("--cache", "kept", *wrong) == (2, "", f"overhang: {told}\n")


def test_the_orders_are_those_that_reports_have() -> None:
    assert set(audit.SORTS) == set(SORTS)


def test_what_is_not_all_in_files_is_not_kept(runs: Runs, monkeypatch: pytest.MonkeyPatch) -> None:
    (runs.folder / "fleet/gone.sheet").symlink_to("nowhere")
    assert [runs.known(), runs.known()] == [False, False], "it holds what cannot be read"
    (runs.folder / "fleet/gone.sheet").unlink()
    assert [runs.known(), runs.known()] == [False, True]
    runs.write("one/overhang.toml", "profile = 3\n")
    assert not runs.known("--project", "one/overhang.toml")
    assert not os.path.exists("default-cache")
    monkeypatch.setattr("overhang.fleet.answers.own_folder", lambda: "default-cache")
    runs.plain()
    assert not os.path.exists("default-cache"), "a few files are not kept unless asked"


@pytest.mark.parametrize("broken", ["another key", "a long key", "no key", "a seal", "no table", "not a database"])
def test_what_cannot_be_trusted_is_worked_out_anew(runs: Runs, broken: str) -> None:
    assert [runs.known(), runs.known()] == [False, True]
    base = runs.folder / "kept" / CACHE
    if broken == "another key":
        (runs.folder / "kept" / CACHE_KEY).write_bytes(bytes(32))
    elif broken == "a long key":
        (runs.folder / "kept" / CACHE_KEY).write_bytes(bytes(300))
    elif broken == "no key":
        (runs.folder / "kept" / CACHE_KEY).unlink()
    elif broken == "not a database":
        base.write_bytes(b"berths" * 4000)
    else:
        with sqlite3.connect(base) as opened:
            opened.execute("UPDATE answer SET code = 0" if broken == "a seal" else "DROP TABLE answer")
        opened.close()
    assert runs.plain("--cache", "kept")[:2] == runs.plain("--no-cache")[:2]
    runs.worked = 0
    assert runs.plain("--cache", "kept")[:2] == runs.plain("--no-cache")[:2]
    assert runs.worked == (2 if broken == "not a database" else 1)


def test_a_file_is_written_again_and_no_other_is_harmed(runs: Runs) -> None:
    words = ("--cache", "kept", "--format", "csv", "--output")
    assert runs.plain(*words, "one.csv")[0] == 1
    runs.worked = 0
    assert runs.plain(*words, "two.csv")[0] == 1
    assert not runs.worked
    assert (runs.folder / "one.csv").read_bytes() == (runs.folder / "two.csv").read_bytes()
    before = (runs.folder / "fleet/d00001.sheet").read_bytes()
    told = "fleet/d00001.sheet: is an input of this run and is not overwritten; choose another name"
    assert runs.plain(*words, "fleet/d00001.sheet") == (2, "", f"overhang: {told}\n")
    assert (runs.folder / "fleet/d00001.sheet").read_bytes() == before
