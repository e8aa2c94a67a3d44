"""Write the network of Tidewater Ferries, a made-up company, to a folder, and audit it."""

import argparse
import contextlib
import datetime
import hashlib
import os
from collections.abc import Sequence

from overhang.api import audit_paths
from overhang.cli.errors import CLEAN, UserError
from overhang.cli.login import show_login
from overhang.cli.output import make_folder, replace_file
from overhang.cli.reading import progress
from overhang.cli.terminal import show, width
from overhang.demo import demo_files, demo_story
from overhang.exposure import resolve
from overhang.loading import Loader, Projects
from overhang.model import parse_address
from overhang.report.audit_text import audit_lines
from overhang.simulation import Attempt, decide

_MARK = ".overhang-demo"

#: What opens hashed passwords of the demo, so that a newcomer can log in: accounts of several devices, and level 15.
KNOWN = {"lena": "Cleat-over-bow-7", "omar": "Splice-and-hitch-3", "level 15": "Quay-light-is-green"}


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of ``overhang demo``."""
    parser.add_argument(
        "folder",
        nargs="?",
        default="tidewater",
        metavar="FOLDER",
        help="the folder (default: tidewater)",
    )
    parser.add_argument(
        "--history",
        metavar="FOLDER",
        help="write a small git repository instead: a dozen commits of two devices, for overhang history",
    )


def run(options: argparse.Namespace) -> int:
    """Do it."""
    if options.history is not None:
        return _history(options.history)
    folder = options.folder
    number = lay_out(folder)
    moment = datetime.datetime.now(datetime.UTC)
    loader = Loader(Projects())
    show(
        [
            [(f"{number} files of Tidewater Ferries are in {folder}", "bold")],
            [],
            *_head(f"overhang audit {folder}"),
        ]
    )
    show(audit_lines(audit_paths([folder], loader, moment, progress), width(), long=False))
    core = os.path.join(folder, "harbour", "harbour-core.sheet")
    office, quay = parse_address("10.64.1.77"), parse_address("10.64.16.9")
    shared = frozenset({"entry:vty 8-11"})
    polite = Attempt("ssh", moment, office, name="lena", knows=frozenset({"user:lena", "elevation:15"}), elevate=15)
    pushy = Attempt("telnet", moment, quay, knows=shared, elevate=15)
    words = "--name lena --knows user:lena --knows elevation:15 --elevate 15"
    _login(core, polite, loader, f"overhang login {core} --via ssh --from {office} {words}")
    words = "--knows 'entry:vty 8-11' --elevate 15"
    _login(core, pushy, loader, f"overhang login {core} --via telnet --from {quay} {words}")
    show(_next(folder))
    return CLEAN


def _history(folder: str) -> int:
    """Write the demo's history to a new folder, made by git with fixed dates."""
    from overhang.repository import write_repository

    if os.path.lexists(folder) and not (os.path.isdir(folder) and not os.listdir(folder)):
        raise UserError(f"{folder}: exists already; choose a folder that does not")
    story = demo_story()
    make_folder(folder)
    write_repository(
        folder, [(each.when, each.who, f"{each.who}@tidewater.example", each.note, each.files) for each in story]
    )
    show([[(f"{len(story)} commits of Tidewater Ferries are in {folder}", "bold")], []])
    rows = (
        (f"overhang history {folder}", "what each of them did to who gets in"),
        (f"overhang history {folder} --picture west-ramp.png", "the exposure of each device over time"),
        (f"overhang compare HEAD~9:{folder}/ramp-west.sheet {folder}/ramp-west.sheet", "then and now"),
    )
    show(_rows(rows))
    return CLEAN


def _head(command: str) -> list[list[tuple[str, str]]]:
    """A command as it can be typed, broken where it is too long for a line."""
    first, *rest = command.split(" --")
    lines = ["$ " + first]
    for option in rest:
        if len(lines[-1]) + len(option) + 5 > width():
            lines[-1] += " \\"
            lines.append("     ")
        lines[-1] += " --" + option
    return [[(line, "said")] for line in lines] + [[]]


def _login(path: str, attempt: Attempt, loader: Loader, command: str) -> None:
    config = loader.load(path)
    resolved = resolve(config, loader.projects.of(path))
    show([[], *_head(command)])
    show_login(config, resolved, attempt, decide(resolved, attempt).result)


def _next(folder: str) -> list[list[tuple[str, str]]]:
    gate = os.path.join(folder, "harbour", "harbour-gate.sheet")
    quay, changes = os.path.join(folder, "southpier", "south-quay.sheet"), os.path.join(folder, "changes")
    rows = (
        (f"overhang audit {folder}/northquay/north-edge.sheet", "one device, with the lines, access paths and fixes"),
        ("overhang rules telnet-accepted", "why a rule matters, and how to fix what it finds"),
        (f"overhang login {gate} --via console", "on a terminal: a login as one lives it"),
        (f"overhang rehearse {quay} {changes}/new-account.change", "a change that locks out for two lines"),
        (f"overhang rehearse {quay} {changes}/new-password.change", "the same change, and nobody is locked out"),
    )
    return [
        [],
        [("What to type next", "bold")],
        *_rows(rows),
        [],
        [("Passwords that are hashed in the demo", "bold")],
        *([(f"  {who:<9}", ""), (password, "said")] for who, password in KNOWN.items()),
    ]


def _rows(rows: Sequence[tuple[str, str]]) -> list[list[tuple[str, str]]]:
    """Commands and what each is about."""
    widest = max(len(command) for command, _ in rows)
    lines: list[list[tuple[str, str]]] = []
    for command, about in rows:
        if widest + len(about) + 4 > width():
            lines += [[("  " + command, "said")], [("      " + about, "")]]
        else:
            lines.append([(f"  {command:<{widest}}", "said"), (f"  {about}", "")])
    return lines


def lay_out(folder: str) -> int:
    """Write the demo's files below ``folder``; the number of files.

    A file that is there already is overwritten only where it is as an earlier run wrote it. Raises UserError, before
    anything is written, where one is not.
    """
    contents = demo_files()
    before = _marks(folder)
    for path, data in contents.items():
        target = os.path.join(folder, *path.split("/"))
        if not os.path.lexists(target):
            continue
        there = _digest_of(target)
        if there not in (_digest(data), before.get(path)):
            raise UserError(
                f"{target}: exists already and differs from what the demo wrote; choose another folder or move it away"
            )
    for path, data in contents.items():
        target = os.path.join(folder, *path.split("/"))
        make_folder(os.path.dirname(target))
        replace_file(target, data)
    marks = "".join(f"{_digest(data)}  {path}\n" for path, data in contents.items())
    replace_file(os.path.join(folder, _MARK), marks.encode("utf-8"))
    return len(contents)


def _marks(folder: str) -> dict[str, str]:
    """What an earlier run wrote, by path: the digests of the files."""
    marks = {}
    with (
        contextlib.suppress(OSError, UnicodeDecodeError),
        open(os.path.join(folder, _MARK), encoding="utf-8") as stream,
    ):
        for line in stream:
            digest, _, path = line.rstrip("\n").partition("  ")
            marks[path] = digest
    return marks


def _digest(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()


def _digest_of(path: str) -> str | None:
    try:
        if os.path.islink(path):
            return None
        with open(path, "rb") as stream:
            return _digest(stream.read(1_000_000))
    except OSError:
        return None
