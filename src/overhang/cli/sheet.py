"""Show devices as normalised sheets: stable order, one layout; stored passwords are withheld unless asked for."""

import argparse
import os
import sys

from overhang.cli.files import Skipped, find_sheets, load_sheet, progress
from overhang.cli.main import CLEAN, FAILED, NOT_UNDERSTOOD, UserError
from overhang.cli.terminal import write_atomically
from overhang.report.lines import count, safe
from overhang.sheet.write import write_sheet


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of ``overhang sheet``."""
    parser.add_argument("paths", nargs="+", metavar="PATH", help="a sheet, or a folder to search for *.sheet files")
    parser.add_argument("--output", metavar="FOLDER", help="write a file for each device there, named as its own was")
    parser.add_argument(
        "--with-secrets", action="store_true", help="keep stored passwords; without it, withheld stands for them"
    )
    parser.add_argument("--strict", action="store_true", help="exit 3 where a line was not understood")


def run(options: argparse.Namespace) -> int:
    """Do it."""
    failed = unread = False
    written: dict[str, str] = {}
    for path in progress(find_sheets(options.paths)):
        try:
            if isinstance(path, Skipped):
                raise path
            sheet = load_sheet(path)
        except Skipped as problem:
            print(f"overhang: {problem.path}: {problem}", file=sys.stderr)
            failed = True
            continue
        if sheet.unread:
            unread = True
            left = f"{count(len(sheet.unread), 'line')} not understood and left out; overhang audit shows them"
            print(f"overhang: {path}: {left}", file=sys.stderr)
        text = write_sheet(sheet.device, secrets=options.with_secrets)
        if options.output is None:
            _show(path, text, first=not written, several=len(options.paths) > 1 or os.path.isdir(options.paths[0]))
            written[path] = path
            continue
        target = os.path.join(options.output, os.path.basename(path))
        if target in written:
            raise UserError(f"{target}: both {written[target]} and {path} would be written there; give them one by one")
        written[target] = path
        _write(target, text)
    if failed:
        return FAILED
    return NOT_UNDERSTOOD if unread and options.strict else CLEAN


def _show(path: str, text: str, *, first: bool, several: bool) -> None:
    if several:
        sys.stdout.write(f"{'' if first else chr(10)}# {safe(path)}\n")
    if sys.stdout.isatty():  # a text that a device shows may steer a terminal; a file or a pipe gets it as it is
        text = "\n".join(map(safe, text.split("\n")))
    sys.stdout.write(text)


def _write(target: str, text: str) -> None:
    try:
        os.makedirs(os.path.dirname(target), exist_ok=True)
    except OSError as error:
        raise UserError(f"{os.path.dirname(target)}: cannot be made: {error.strerror}") from None
    write_atomically(target, text)
