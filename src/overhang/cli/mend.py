"""Write what mends the findings of devices: for each a change in a safe order, proved before it is written."""

import argparse
import getpass
import os
import re
import sys
from collections.abc import Mapping
from typing import Any

from overhang.auditing import Severity
from overhang.auditing.report import Unreadable
from overhang.changes.change import MakerChange
from overhang.changes.mend import Choices, Mend, Mender
from overhang.cli.audit_run import wanted_rules
from overhang.cli.errors import CLEAN, FAILED, FOUND, UserError
from overhang.cli.inputs import add_inputs
from overhang.cli.main import add_choice
from overhang.cli.output import check_target, make_folder, write_file
from overhang.cli.reading import loader_of, progress, read_moment, warn_left_out, warn_unreadable
from overhang.cli.terminal import show, width, write_data
from overhang.formats.dialect_format import DialectReader
from overhang.language import ParsedConfig, unparse
from overhang.loading import Loader, read_file
from overhang.model import parse_prefix
from overhang.report.mend_text import back_text, change_text, mend_lines
from overhang.text import UnreadableInput, did_you_mean
from overhang.text.printable import data

_KEYS = ("account", "networks", "passwords")
_UNSAFE = re.compile(r"[^\w.-]+")


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of ``overhang mend``."""
    add = parser.add_argument
    add_inputs(parser)
    add("--only", metavar="RULE,...", help="only what these rules find, or patterns of their names: ssh-*")
    add("--skip", metavar="RULE,...", help="what all rules but these find")
    words = [severity.word for severity in Severity]
    add_choice(parser, "--severity", words, default="info", help="leave findings below this severity as they are")
    about = "a TOML file with what only a person can choose: account, networks, passwords"
    add("--choose", metavar="FILE", help=about)
    about = "the change (default), or the whole mended device as a sheet, passwords withheld"
    add_choice(parser, "--to", ("change", "sheet"), default="change", help=about)
    add("--output", metavar="FOLDER", help="write a change and its roll-back for each device to this folder")
    add("--now", metavar="DATE", help="the time that findings are judged by (default: the clock's)")


def run(options: argparse.Namespace) -> int:
    """Do it."""
    wanted = wanted_rules(options.only, options.skip, Severity[options.severity.upper()])
    moment = read_moment(options.now)
    choices = _choices(options.choose) if options.choose else Choices()
    loader = loader_of(options)
    mends: list[tuple[Mend, str | None]] = []
    unreadable: list[Unreadable] = []
    for config in loader.configs(options.paths, progress):
        if isinstance(config, Unreadable):
            unreadable.append(config)
            continue
        project = loader.projects.of(config.device.file)
        reader = _reader(loader, config)
        comment = reader.dialect.layout.comments[0] if reader is not None else None
        reads = _reads(config, reader) if reader is not None else None
        found = Mender(config, project, moment, wanted, choices, reads=reads).mend()
        mends.append((found, comment if found.language else None))
    if options.output:
        _write(options, mends)
        show(mend_lines([mend for mend, _ in mends], width()))
    else:
        for number, (mend, comment) in enumerate(mends):
            text = change_text(mend, comment) if options.to == "change" else unparse(mend.after.stated, secrets=False)
            write_data(text if number == 0 else f"\n{text}")
    warn_unreadable(unreadable)
    warn_left_out(loader)
    if unreadable:
        return FAILED
    return FOUND if any(mend.left_out or mend.choices for mend, _ in mends) else CLEAN


def _reader(loader: Loader, config: ParsedConfig) -> DialectReader | None:
    """The dialect that reads a device, where comments can be written in it."""
    if config.phrase is None:
        return None
    reader = loader.reader(config.device.file)
    return reader if isinstance(reader, DialectReader) and reader.dialect.layout.comments else None


def _reads(config: ParsedConfig, reader: DialectReader) -> Any:
    """What reads the device with more of its maker's words behind it."""

    def read(text: str) -> ParsedConfig:
        base = read_file(config.device.file).decode("utf-8-sig", "replace")
        return MakerChange(config, reader, base, text, "mend").after_all()

    return read


def _write(options: argparse.Namespace, mends: list[tuple[Mend, str | None]]) -> None:
    """A change and a roll-back for each device, or the mended sheet; nothing that exists is overwritten."""
    files: dict[str, str] = {}
    for mend, comment in mends:
        stem = _UNSAFE.sub("_", mend.name).strip(".") or "device"
        number = 2
        while any(name.startswith(f"{stem}.mend") for name in files):
            stem, number = f"{_UNSAFE.sub('_', mend.name)}-{number}", number + 1
        if options.to == "sheet":
            files[f"{stem}.mended.sheet"] = unparse(mend.after.stated, secrets=False)
            continue
        files[f"{stem}.mend.change"] = change_text(mend, comment)
        files[f"{stem}.back.change"] = back_text(mend)
    paths = {name: os.path.join(options.output, name) for name in files}
    for path in paths.values():
        check_target(path, options)
        if os.path.lexists(path):
            raise UserError(f"{path}: exists already, and a change is never overwritten; choose another folder")
    make_folder(options.output)
    for name, text in files.items():
        write_file(paths[name], data(text), options)


# -- what somebody chose -----------------------------------------------------------------------------------------------


def _choices(path: str) -> Choices:
    """What a file of choices says. Raises UserError."""
    import tomllib

    try:
        table = tomllib.loads(read_file(path).decode("utf-8"))
    except UnreadableInput as problem:
        raise UserError(f"{path}: {problem}") from None
    except (tomllib.TOMLDecodeError, UnicodeDecodeError):
        raise UserError(f"{path}: not a TOML file") from None
    for key in table:
        if key not in _KEYS:
            near = did_you_mean(key, _KEYS)
            raise UserError(f"{path}: {key}: " + (f"did you mean {near}?" if near else f"expected {', '.join(_KEYS)}"))
    account, networks, passwords = table.get("account"), table.get("networks", []), table.get("passwords", {})
    if account is not None and not (isinstance(account, str) and account):
        raise UserError(f"{path}: account: expected a name")
    if not isinstance(networks, list) or not all(isinstance(each, str) for each in networks):
        raise UserError(f"{path}: networks: expected a list of prefixes")
    for each in networks:
        try:
            parse_prefix(each)
        except ValueError as wrong:
            raise UserError(f"{path}: networks: {each}: {wrong}") from None
    if not isinstance(passwords, dict):
        raise UserError(f'{path}: passwords: expected a table of items, each with "ask" or a file')
    folder = os.path.dirname(path)
    return Choices(
        account, tuple(networks), {item: _password(path, folder, item, how) for item, how in passwords.items()}
    )


def _password(path: str, folder: str, item: str, how: object) -> str:
    """A password that is asked for, or the first line of a file. Raises UserError."""
    if how == "ask":
        if sys.stdin.isatty():
            return _filled(path, item, getpass.getpass(f"new password for {item}: "))
        return _filled(path, item, sys.stdin.readline().rstrip("\r\n"))
    if isinstance(how, Mapping) and set(how) == {"file"} and isinstance(how["file"], str):
        try:
            text = read_file(os.path.join(folder, how["file"])).decode("utf-8")
        except (UnreadableInput, UnicodeDecodeError):
            raise UserError(f"{path}: passwords: {item}: {how['file']} cannot be read") from None
        return _filled(path, item, text.split("\n", 1)[0].rstrip("\r"))
    raise UserError(f'{path}: passwords: {item}: expected "ask", or file = "..." with the password on its first line')


def _filled(path: str, item: str, text: str) -> str:
    if not text:
        raise UserError(f"{path}: passwords: {item}: no password was given")
    return text
