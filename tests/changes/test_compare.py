"""Two states of a network: which devices are one, what cannot be compared, and states that stand in a repository."""

import csv
import datetime
import io
import json
import os
import stat
import subprocess
from collections.abc import Callable
from pathlib import Path

import pytest

from overhang.auditing.report import Unreadable
from overhang.changes.compare import compare, pair
from overhang.changes.history import history_of
from overhang.cli.demo import demo_story
from overhang.language import ParsedConfig, read_sheet
from overhang.loading import Loader, Projects
from overhang.project import Project
from overhang.report.compare_text import verdict
from overhang.repository import GitProblem, Repository, split_revision, write_repository
from tests.conftest import Ran
from tests.support.generator import NOW

Run = Callable[..., Ran]
Write = Callable[[str, str | bytes], Path]


def named(path: str, name: str = "", body: str = "") -> tuple[str, ParsedConfig]:
    return path, read_sheet(f"device {name}: profile entry-first\n{body}" if name else body or "ssh: on\n", path)


BROKEN = Unreadable("new/b.sheet", "not a text file")


@pytest.mark.parametrize(
    ("old", "new", "expected"),
    [
        ([named("a", "one")], [named("b", "two")], [("a", "b")]),
        ([named("a", "one"), named("b", "two")], [named("b", "one"), named("a", "two")], [("a", "b"), ("b", "a")]),
        ([named("a", "one"), named("b", "two")], [named("b", "three"), named("c", "one")], [("b", "b"), ("a", "c")]),
        ([named("a.sheet"), named("b.sheet")], [named("b.json"), named("c.sheet")], [("b.sheet", "b.json"), ("", "c.sheet"), ("a.sheet", "")]),
        ([named("x/a", "one"), named("y/a", "one")], [named("y/a", "one"), named("x/a", "one")], [("y/a", "y/a"), ("x/a", "x/a")]),
        ([named("a", "one"), named("b", "two")], [named("a", "one"), ("b", BROKEN)], [("a", "a"), ("b", "b")]),
    ],
)  # fmt: skip
def test_which_devices_are_one(old: list, new: list, expected: list[tuple[str, str]]) -> None:  # type: ignore[type-arg]
    assert [(one[0] if one else "", other[0] if other else "") for one, other in pair(old, new)] == expected


def test_a_side_that_cannot_be_read_is_never_all_lost() -> None:
    def project(config: ParsedConfig) -> Project:
        del config
        return Project()

    old = [named("a", "one"), named("b", "two"), named("c", "three")]
    found = compare(old, [named("a", "one"), ("b", BROKEN)], NOW, project, project)
    assert not found.comparable
    assert [bool(each.problem) for each in found.devices] == [False, True, True]
    assert verdict(found)[0].startswith("Cannot compare 2 devices")
    gone = compare(old, [named("a", "one")], NOW, project, project)
    assert gone.comparable
    assert "are gone" in verdict(gone)[0]


# -- repositories ------------------------------------------------------------------------------------------------------

OPEN = "device ramp: profile entry-first\nentry console: check nothing\nentry auxiliary: closed\nentry vty 0-11: accept nothing\n"
SHUT = OPEN.replace("check nothing", "check password") + "entry console: password readable gangway-2\n"


def repository(folder: Path, *texts: bytes | str, name: str = "ramp.sheet") -> Path:
    folder.mkdir()
    commits = []
    for number, text in enumerate(texts):
        data = text if isinstance(text, bytes) else text.encode()
        when = datetime.datetime(2026, 3, 1 + number, tzinfo=datetime.UTC)
        commits.append((when, "lena", "lena@tidewater.example", f"change {number}", {name: data}))
    write_repository(str(folder), commits)
    return folder


def git(folder: Path, *words: str) -> str:
    done = subprocess.run(["git", "-C", str(folder), *words], check=True, capture_output=True, text=True)
    return done.stdout


def test_a_revision_on_either_side(overhang: Run, tmp_path: Path) -> None:
    repository(tmp_path / "net", OPEN, SHUT)
    ran = overhang("compare", "HEAD~1:net", "net", "--format", "json")
    value = json.loads(ran.out)
    assert (ran.code, ran.err, value["verdict"]) == (0, "", "Anyone no longer gets in by console")
    assert [each["via"] for each in value["devices"][0]["lost"]] == ["console"]
    assert value["devices"][0]["old"] == "HEAD~1:net/ramp.sheet"
    assert overhang("compare", "net", "HEAD:net", "--fail-if", "lost").code == 0
    assert overhang("compare", "HEAD:net/ramp.sheet", "HEAD~1:net/ramp.sheet", "--fail-if", "gained").code == 1
    assert overhang("compare", "v9:net", "net") == (
        2,
        "",
        "overhang: no revision v9 in the repository net\n".replace(" net", f" {tmp_path}/net"),
    )
    assert overhang("compare", "--output:net", "net").code == 2
    missing = overhang("compare", "HEAD:net/none.sheet", "net/ramp.sheet")
    assert (missing.code, "there is no such file or folder at this revision" in missing.err) == (2, True)
    outside = overhang("compare", "HEAD:.", "net")
    assert (outside.code, outside.err) == (2, f"overhang: {tmp_path}: not in a git repository\n")


def test_a_path_that_exists_wins(tmp_path: Path) -> None:
    (tmp_path / "HEAD:x").write_text(OPEN)
    assert split_revision(str(tmp_path / "HEAD:x")) is None
    assert split_revision("HEAD:nowhere") == ("HEAD", "nowhere")


def test_a_hostile_repository_runs_nothing(overhang: Run, tmp_path: Path) -> None:
    folder = repository(tmp_path / "net", OPEN, SHUT)
    mark = tmp_path / "ran"
    script = tmp_path / "bad"
    script.write_text(f"#!/bin/sh\ntouch {mark}\ncat\n")
    script.chmod(script.stat().st_mode | stat.S_IEXEC)
    for key in ("core.fsmonitor", "core.pager", "diff.external", "core.sshCommand", "filter.x.smudge", "filter.x.clean",
                "diff.x.textconv", "gpg.program", "core.editor", "core.alternateRefsCommand"):  # fmt: skip
        git(folder, "config", key, str(script))
    git(folder, "config", "log.showSignature", "true")
    git(folder, "config", "extensions.partialClone", "origin")
    git(folder, "config", "remote.origin.url", f"ext::{script}")
    git(folder, "config", "remote.origin.promisor", "true")
    (folder / ".gitattributes").write_text("* filter=x diff=x\n")
    for hook in ("post-checkout", "reference-transaction", "post-index-change"):
        (folder / ".git" / "hooks").mkdir(exist_ok=True)
        (folder / ".git" / "hooks" / hook).write_text(script.read_text())
        (folder / ".git" / "hooks" / hook).chmod(0o755)
    before = git_state(folder)
    assert overhang("compare", "HEAD~1:net", "HEAD:net").code == 0
    assert overhang("history", "net").code == 0
    missing = overhang("compare", "0123456789012345678901234567890123456789:net", "net")
    assert missing.code == 2
    assert not mark.exists()
    assert git_state(folder) == before


def git_state(folder: Path) -> list[tuple[str, float]]:
    return sorted((str(path), path.stat().st_mtime) for path in folder.rglob("*"))


def test_a_history_told(overhang: Run, tmp_path: Path) -> None:
    ran = overhang("demo", "--history", "west")
    assert ran.code == 0
    assert git(tmp_path / "west", "rev-list", "--count", "HEAD").strip() == "12"
    ran = overhang("history", "west", "--format", "json")
    value = json.loads(ran.out)
    assert (ran.code, ran.err) == (0, "")
    notes = [each["note"] for each in value["commits"]]
    assert notes == [each.note for each in reversed(demo_story())]
    by_note = {each["note"]: each for each in value["commits"]}
    methods = by_note["Logins by the method list, as on the other switches"]
    assert methods["verdict"] == "ramp-west: lena can no longer get in"
    assert by_note["Take Telnet away; tried, and it is refused"]["worst"]["letter"] == "N"
    assert by_note["Roll back: the page let everybody in"]["worst"]["via"] == "telnet"
    assert value["commits"][0]["worst"]["letter"] == "A"
    again = overhang("demo", "--history", "west")
    assert (again.code, again.err) == (2, "overhang: west: exists already; choose a folder that does not\n")
    few = overhang("history", "west/ramp-west.sheet", "--most", "2", "--format", "csv")
    assert [row["device"] for row in csv.DictReader(io.StringIO(few.out))] == ["ramp-west", "ramp-west"]
    since = overhang("history", "west", "--since", "2026-05-01", "--format", "csv").out
    assert len(since.splitlines()) == 4


def test_histories_of_every_kind(overhang: Run, tmp_path: Path) -> None:
    folder = repository(tmp_path / "net", OPEN, b"\xff\xfe\0binary", SHUT, name="für den Kai.sheet")
    git(folder, "checkout", "-q", "HEAD~1")
    value = json.loads(overhang("history", "net", "--format", "json").out)
    assert "not a text file" in value["commits"][0]["devices"][0]["problem"]
    git(folder, "checkout", "-q", "main")
    value = json.loads(overhang("history", "net", "--format", "json").out)
    assert [each["devices"][0]["name"] for each in value["commits"]] == ["ramp", "ramp", "ramp"]
    assert value["commits"][0]["verdict"] == "ramp: anyone no longer gets in by console"
    bare = tmp_path / "bare.git"
    subprocess.run(["git", "clone", "-q", "--bare", str(folder), str(bare)], check=True)
    assert len(json.loads(overhang("history", "bare.git", "--format", "json").out)["commits"]) == 3
    assert overhang("compare", "main~2:bare.git", "main:bare.git").out.startswith("Anyone no longer gets in by console")
    shallow = tmp_path / "shallow"
    subprocess.run(["git", "clone", "-q", "--depth", "1", f"file://{folder}", str(shallow)], check=True)
    value = json.loads(overhang("history", "shallow", "--format", "json").out)
    assert (len(value["commits"]), value["complete"]) == (1, False)
    empty = tmp_path / "empty"
    subprocess.run(["git", "init", "-q", str(empty)], check=True)
    assert overhang("history", "empty").err == "overhang: empty: the repository has no commit yet\n"
    nothing = overhang("history", "net", env={"PATH": str(tmp_path / "nothing")})
    assert (nothing.code, nothing.err) == (2, "overhang: git is not installed; install it to read from a repository\n")


def test_each_content_is_read_once(tmp_path: Path) -> None:
    folder = repository(tmp_path / "net", OPEN, SHUT, OPEN, SHUT, OPEN)
    read: list[str] = []
    loader = Loader(Projects())
    with Repository(str(folder)) as opened:
        commits = opened.commits()

        def reader(path: str, blob: object) -> object:
            read.append(path)
            return loader.at(opened, blob, path)  # type: ignore[arg-type]

        found = history_of(opened, commits, reader, lambda config: Project(), NOW, lambda path: True)  # type: ignore[arg-type]
    assert (len(found.moments), len(read)) == (5, 2)
    with pytest.raises(GitProblem):
        Repository(str(folder)).commit("--help")
    assert os.listdir(folder) == [".git", "ramp.sheet"] or sorted(os.listdir(folder)) == [".git", "ramp.sheet"]


# -- commands ----------------------------------------------------------------------------------------------------------


def test_compare_as_text_page_and_list(overhang: Run, write: Write, tmp_path: Path) -> None:
    write("old/ramp.sheet", OPEN)
    write("new/ramp.sheet", SHUT + "ssh: idle 5m\n")
    ran = overhang("compare", "old", "new")
    assert (ran.code, ran.err, ran.out) == (0, "", TEXT)
    assert overhang("compare", "--restart", "new", "old").out.startswith(
        "After a restart anyone gets in without a password, by console"
    )
    markdown = overhang("compare", "old", "new", "--format", "markdown").out
    assert markdown.startswith("**Anyone no longer gets in by console**\n\n### ramp\n\n- lost: ")
    assert overhang("compare", "old", "new", "--format", "html", "--output", "page.html").code == 0
    page = (tmp_path / "page.html").read_text()
    assert "gangway-2" not in page + markdown + ran.out
    assert "Anyone no longer gets in by console" in page
    assert overhang("compare", "old", "new", "--output", "old/ramp.sheet").code == 2
    assert overhang("compare", "new", "new").out.startswith("Nothing differs\n")
    none = overhang("compare", "old", "nowhere")
    assert (none.code, none.err) == (
        2,
        "overhang: cannot compare ramp: nowhere: cannot be opened: No such file or directory\n",
    )


TEXT = """\
Anyone no longer gets in by console

ramp  old/ramp.sheet → new/ramp.sheet
  lost       console at the port, knowing nothing: level 15 → no way in
  new        medium password-clear-text: 1 password (the console) is stored in clear text: any copy
             of the configuration discloses it
  new        medium port-shared-password: the console asks for one shared password: it gets passed
             around, logins cannot be told apart, and it leads to level 15
  new        low no-lockout: there is no lockout and no pause after wrong passwords: guessing is
             unlimited
  gone       high port-no-authentication
  statement  ~ entry console: check nothing → check password
             + entry console: password readable ***
             + ssh: idle 5m

1 device: 1 differs, 0 the same
"""
