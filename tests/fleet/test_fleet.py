"""Many devices: by how many processes, and with whatever earlier runs found out, the report is the same."""

import datetime
import os
import pickle
import random
import re
import signal
import sqlite3
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest

from overhang.api import audit_paths
from overhang.demo import demo_files
from overhang.dialect.model import BadDialect
from overhang.errors import OverhangError
from overhang.files import CACHE, CACHE_KEY
from overhang.fleet import pool
from overhang.fleet.cache import Cache, Valid, contents_of
from overhang.fleet.chunks import chunks_of, looked_at
from overhang.fleet.examine import Examiner, Outcome, Terms
from overhang.fleet.gather import ALONE, Sharing
from overhang.loading import Loader, Projects, read_file
from overhang.model.hash_budget import HashBudget
from overhang.model.stored_secret import Form, StoredSecret
from overhang.model.verification import hash_text
from overhang.profiles.model import BadProfile
from overhang.project.loader import BadProject
from overhang.report.audit_json import audit_json
from overhang.spread.world import NetworkPart
from overhang.text.toml_file import TomlProblem
from tests.conftest import Ran
from tests.support.fleet import PROJECT, lay_out, lay_out_mixed

NOW = datetime.datetime(2026, 11, 26, 7, tzinfo=datetime.UTC)


@pytest.fixture(scope="module")
def fleet(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Sixty devices, some of whose files are junk of each kind."""
    folder = tmp_path_factory.mktemp("fleet")
    lay_out_mixed(folder)
    return folder


def report(folder: Path, sharing: Sharing = ALONE, moment: datetime.datetime = NOW) -> str:
    return audit_json(audit_paths([str(folder)], Loader(Projects()), moment, sharing=sharing))


@pytest.fixture(scope="module")
def alone(fleet: Path) -> str:
    return report(fleet)


@pytest.mark.parametrize("jobs", [2, 5])
def test_any_number_of_processes_says_the_same(fleet: Path, alone: str, jobs: int) -> None:
    assert report(fleet, Sharing(jobs)) == alone
    assert alone.count('"file"') > 60


def test_files_that_look_alike_are_worked_out_together(tmp_path: Path) -> None:
    lay_out(tmp_path, 64, 16)
    paths = [*sorted(tmp_path.glob("*.sheet")), tmp_path / "none.sheet"]
    files = looked_at([(None, str(path)) for path in paths], read_file)
    assert [file.alike for file in files] == [True] * 64 + [False]
    chunks = chunks_of(files, 1)
    assert sorted(place for chunk in chunks for place in chunk) == list(range(65))
    together = {place: number for number, chunk in enumerate(chunks) for place in chunk}
    assert {len({together[place] for place in range(shape, 64, 16)}) for shape in range(16)} == {1}
    assert max(len(chunk) for chunk in chunks) == 8


def test_a_process_that_dies_is_told_with_its_file(fleet: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    here, real = os.getpid(), Examiner.examine

    def examine(self: Examiner, folder: str | None, path: str, **more: Any) -> Outcome:
        if path.endswith(("d00007.sheet", "d00033.sheet")) and os.getpid() != here:
            os.kill(os.getpid(), signal.SIGKILL)
        return real(self, folder, path, **more)

    monkeypatch.setattr(Examiner, "examine", examine)
    found = audit_paths([str(fleet)], Loader(Projects()), NOW, sharing=Sharing(2))
    died = [each for each in found.unreadable if "the process that examined it ended" in each.error]
    assert [os.path.basename(each.file) for each in died] == ["d00007.sheet", "d00033.sheet"]
    assert len(found.audits) == len(audit_paths([str(fleet)], Loader(Projects()), NOW).audits) - 2


def test_a_project_that_cannot_be_used_is_told_by_whichever_process_reads_it(tmp_path: Path) -> None:
    lay_out(tmp_path, 44, 4)
    (tmp_path / "overhang.toml").write_text("berths = 3\n")
    told = []
    for sharing in (ALONE, Sharing(2)):
        with pytest.raises(BadProject) as raised:
            report(tmp_path, sharing)
        told.append((raised.value.file, raised.value.problems))
    assert told[0][0] == str(tmp_path / "overhang.toml")
    assert told[0] == told[1]


@pytest.mark.parametrize(
    "error",
    [
        BadProject("overhang.toml", [TomlProblem(3, "berths: unknown key")]),
        BadDialect("quay.dialect.toml", [TomlProblem(3, "berths: unknown key")]),
        BadProfile("vtys", "expected a number"),
    ],
)
def test_an_error_of_another_process_says_the_same_here(error: OverhangError) -> None:
    sent = pickle.loads(pickle.dumps(error))
    assert (type(sent), str(sent), vars(sent)) == (type(error), str(error), vars(error))


# -- the cache ---------------------------------------------------------------------------------------------------------


@pytest.fixture
def counted(monkeypatch: pytest.MonkeyPatch) -> list[str]:
    """The files that were worked out, not looked up."""
    done: list[str] = []
    real = Examiner.examine

    def examine(self: Examiner, folder: str | None, path: str, **more: Any) -> Outcome:
        done.append(os.path.basename(path))
        return real(self, folder, path, **more)

    monkeypatch.setattr(Examiner, "examine", examine)
    return done


def kept_in(folder: Path, told: list[str] | None = None) -> Sharing:
    return Sharing(1, str(folder), True, (told if told is not None else []).append)


def test_only_what_changed_is_worked_out_anew(tmp_path: Path, counted: list[str]) -> None:
    folder, cache = tmp_path / "fleet", tmp_path / "cache"
    lay_out(folder, 15, 6)
    chance = random.Random(1)

    def change(number: int) -> None:
        path = folder / f"d{number:05d}.sheet"
        path.write_text(path.read_text() + f"user spare{number}:\n    password readable one-for-all\n")

    changes: list[Callable[[], object]] = [
        lambda: None,
        lambda: [change(each) for each in chance.sample(range(15), 3)],
        lambda: (folder / "d00004.sheet").unlink(),
        lambda: (folder / "e.sheet").write_text("device e:\nuser lena:\n    password readable one-for-all\n"),
        lambda: (folder / "overhang.toml").write_text(PROJECT),
        lambda: (folder / "overhang.toml").write_text(PROJECT.replace("100", "200")),
    ]
    expected = [15, 3, 0, 1, 15, 15]
    for make, number in zip(changes, expected, strict=True):
        make()
        for again in (number, 0):
            counted.clear()
            assert report(folder, kept_in(cache)) == (found := report(folder))
            assert len(counted) - found.count('"reader"') == again, "those of the run without a cache are counted too"


def test_secrets_are_read_again_from_where_they_stand(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    folder, again = tmp_path / "tidewater", list[str]()
    for name, data in demo_files().items():
        (folder / name).parent.mkdir(parents=True, exist_ok=True)
        (folder / name).write_bytes(data)
    user = '{"name": "lena", "overhang-access:password": {"form": "readable", "text": "a\\u0062c"}}'
    escaped = f'{{"ietf-system:system": {{"hostname": "quote", "authentication": {{"user": [{user}]}}}}}}'
    (folder / "harbour" / "quote.json").write_text(escaped)
    real = Examiner.secrets_again

    def secrets_again(self: Examiner, path: str, part: NetworkPart) -> NetworkPart:
        again.append(os.path.basename(path))
        return real(self, path, part)

    monkeypatch.setattr(Examiner, "secrets_again", secrets_again)
    for line in ("", "user kim:\n    password readable abc\n"):
        path = folder / "harbour" / "harbour-desk.sheet"
        path.write_text(path.read_text() + line)
        assert report(folder, kept_in(tmp_path / "cache")) == report(folder)
    assert 0 < len(again) < 5, "most stand in their files as they are"


def test_what_is_wrong_with_a_dialect_is_told_again(tmp_path: Path) -> None:
    folder = tmp_path / "net"
    folder.mkdir()
    for name in ("a", "b"):
        (folder / f"{name}.brw").write_bytes(demo_files()["gannet/isle-edge.brw"])
    (folder / "x.dialect.toml").write_text("broken = \n")
    for _ in range(3):
        assert report(folder, kept_in(tmp_path / "cache")) == (plain := report(folder))
        assert "x.dialect.toml" in plain


def test_what_depends_on_a_day_is_worked_out_anew_on_another(tmp_path: Path, counted: list[str]) -> None:
    folder, cache = tmp_path / "fleet", tmp_path / "cache"
    folder.mkdir()
    user = "device {0}:\n    profile appliance\nuser lena:\n    password opaque x\n"
    (folder / "plain.sheet").write_text(user.format("plain"))
    (folder / "until.sheet").write_text(user.format("until") + "    expires 2026-12-01\n")
    hours = "policy night:\n    for-hours 22:00-06:00\n    refused\n"
    (folder / "night.sheet").write_text(user.format("night") + hours)
    days = [(0, 0, 3), (0, 0, 0), (0, 1, 1), (6, 0, 2), (6, 0, 0)]
    for day, hour, number in days:
        counted.clear()
        moment = NOW + datetime.timedelta(days=day, hours=hour)
        assert report(folder, kept_in(cache), moment) == report(folder, moment=moment)
        assert len(counted) - 3 == number, (day, hour, counted)


@pytest.mark.parametrize("broken", ["", "not a database", "a folder", "another key", "a seal", "read only"])
def test_a_cache_that_cannot_be_used_is_told_and_does_no_harm(tmp_path: Path, broken: str) -> None:
    folder, cache, told = tmp_path / "fleet", tmp_path / "cache", list[str]()
    lay_out(folder, 6, 6)
    right = report(folder, kept_in(cache))
    base = cache / CACHE
    if broken == "not a database":
        base.write_bytes(b"berths" * 4000)
    elif broken == "a folder":
        base.unlink()
        base.mkdir()
    elif broken == "another key":
        (cache / CACHE_KEY).write_bytes(bytes(32))
    elif broken == "a seal":
        with sqlite3.connect(base) as opened:
            opened.execute("UPDATE device SET value = zeroblob(400), more = zeroblob(400)")
            opened.execute("UPDATE network SET value = zeroblob(400)")
        opened.close()
    elif broken == "read only":
        cache = tmp_path / "file"
        cache.write_text("a file")
    assert report(folder, kept_in(cache, told)) == right
    unusable = broken in ("not a database", "a folder", "read only")
    assert [each.endswith("this run goes on without it") for each in told] == [True] * unusable


def test_no_password_is_in_a_cache(tmp_path: Path) -> None:
    folder, cache = tmp_path / "fleet", tmp_path / "cache"
    folder.mkdir()
    hashed = hash_text("tern", rounds=1000)
    text = (
        f"device quay:\nuser lena:\n    password hashed {hashed}\nuser omar:\n    password readable canary-one\n"
        "entry console:\n    check password\n    password opaque canary-two\n"
        "snmp: community readable canary-three\n"
        "servers radius hall:\n    server 192.0.2.9 secret readable canary-four\n"
    )
    for name in ("one", "two"):
        (folder / f"{name}.sheet").write_text(text.replace("quay", name))
    report(folder, kept_in(cache))
    held = (cache / CACHE).read_bytes()
    with sqlite3.connect(cache / CACHE) as opened:
        rows = [
            *opened.execute("SELECT value FROM device"),
            *opened.execute("SELECT more FROM device"),
            *opened.execute("SELECT value FROM network"),
        ]
    opened.close()
    assert len(rows) == 5
    import zlib

    held += b"".join(zlib.decompress(value[16:]) for (value,) in rows)
    for secret in ("canary", "tern", hashed, hashed[-20:]):
        assert secret.encode() not in held
    assert oct((cache / CACHE_KEY).stat().st_mode)[-3:] == "600"
    assert (cache / CACHE_KEY).read_bytes() not in held


def test_two_runs_may_use_one_cache_at_once(fleet: Path, alone: str, tmp_path: Path) -> None:
    found: list[str] = []
    threads = [
        threading.Thread(target=lambda: found.append(report(fleet, kept_in(tmp_path / "cache")))) for _ in range(3)
    ]
    for each in threads:
        each.start()
    for each in threads:
        each.join()
    assert found == [alone] * 3


def test_a_cache_lets_go_of_what_was_not_used_for_longest(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("overhang.fleet.cache.LARGEST", 300_000)
    for day in range(8):
        cache = Cache(str(tmp_path))
        cache.today = day
        cache.keep_devices(
            [(bytes([day, each]), Valid(), random.Random(each).randbytes(4000), None) for each in range(20)]
        )
        cache.close()
    held = contents_of(str(tmp_path))
    assert held is not None
    assert held.size <= 300_000
    assert held.oldest is not None
    assert 0 < held.devices < 160
    assert held.oldest > 2


def test_an_answer_holds_under_the_budgets_that_give_it() -> None:
    cheap, dear = "$1$ab$" + "x" * 22, "$6$rounds=20000$ab$" + "x" * 86

    def tried(units: int) -> tuple[HashBudget, list[bool | None]]:
        budget = HashBudget(units)
        asked = [(cheap, "a"), (dear, "a"), (cheap, "b"), (cheap, "a"), (dear, "b")]
        return budget, [budget.opens(StoredSecret(Form.HASHED, text), typed) for text, typed in asked]

    every = {units: tried(units) for units in range(60)}
    for budget, answers in every.values():
        same = [units for units, (_, other) in every.items() if other == answers]
        assert [units for units in range(60) if budget.least <= units <= budget.most] == same


# -- the program -------------------------------------------------------------------------------------------------------


@pytest.fixture
def many(tmp_path: Path) -> Iterator[Path]:
    lay_out(tmp_path / "many", 120, 30)
    return tmp_path


@pytest.mark.usefixtures("many")
def test_the_program_keeps_and_shows_and_empties(overhang: Callable[..., Ran]) -> None:
    words = ("audit", "many", "--cache", "kept", "--now", "2026-11-26T07:00Z", "--guess", "0")
    first = overhang(*words, "--jobs", "2")
    assert first == overhang(*words, "--jobs", "1")
    assert first == overhang(*words[:2], *words[4:], "--no-cache")
    shown = overhang("cache", "--cache", "kept")
    told = re.sub(r"\d+-\d+-\d+", "DAY", re.sub(r"[\d.]+ MB", "SIZE", shown.out))
    lines = ["120 audits of devices kept, in SIZE", "1 comparison of devices with one another", "1 whole report"]
    lines += ["the one not used for longest was used on DAY", "kept", ""]
    assert (shown.code, told.split("\n"), shown.err) == (0, lines, "")
    assert overhang("cache", "--cache", "kept", "--empty") == Ran(0, "", "overhang: the cache in kept is empty now\n")
    assert overhang("cache", "--cache", "kept").out == "nothing is kept of earlier audits\nkept\n"
    assert overhang(*words, "--no-cache").err == "overhang: --cache and --no-cache cannot be used together\n"
    assert overhang("audit", "many", "--jobs", "0").err == "overhang: --jobs 0: expected a number from 1 to 512\n"


def much() -> bytes:
    """More than a pipe holds."""
    return bytes(50_000_000)


def test_what_a_process_is_saying_when_it_is_given_up_is_not_waited_for() -> None:
    started = pool._pool(Terms(None, 0, None, None, frozenset(), NOW, b"key", 2), 2)
    said = [started.submit(much) for _ in range(20)]
    assert len(said[0].result()) == 50_000_000
    ending = threading.Thread(target=pool._end, args=(started,), daemon=True)
    ending.start()
    ending.join(20)
    assert not ending.is_alive()


@pytest.mark.parametrize("how", [signal.SIGINT, signal.SIGKILL])
def test_a_run_that_is_stopped_ends_all_its_processes(many: Path, how: signal.Signals) -> None:
    words = ["audit", "many", "--jobs", "3", "--cache", "kept", "--guess", "60000"]
    before = signal.signal(signal.SIGINT, signal.SIG_DFL)  # which some shells have ignored in the background
    try:
        started = subprocess.Popen([sys.executable, "-m", "overhang", *words], cwd=many, stderr=subprocess.PIPE)
    finally:
        signal.signal(signal.SIGINT, before)
    workers = children(started.pid, 3)
    started.send_signal(how)
    _, err = started.communicate(timeout=20)
    assert started.returncode == (130 if how is signal.SIGINT else -9)
    assert (b"interrupted" in err) == (how is signal.SIGINT)
    deadline = time.monotonic() + 10
    while any(os.path.exists(f"/proc/{each}") for each in workers) and time.monotonic() < deadline:
        time.sleep(0.05)
    assert not [each for each in workers if os.path.exists(f"/proc/{each}")]
    held = contents_of(str(many / "kept"))
    assert held is None or held.networks == 0, "whole, as far as it came"


def children(parent: int, number: int) -> list[int]:
    """The processes that a process began, as soon as there are so many."""
    deadline = time.monotonic() + 20
    while time.monotonic() < deadline:
        found = Path(f"/proc/{parent}/task/{parent}/children").read_text().split()
        if len(found) >= number:
            return [int(each) for each in found]
        time.sleep(0.02)
    raise AssertionError("no workers were begun")
