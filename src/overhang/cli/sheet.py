"""Show devices as normalised sheets, or as model data: stable order, one layout; stored passwords are withheld unless
asked for."""

import argparse
import os
from collections.abc import Iterator

from overhang.auditing.report import Unreadable
from overhang.cli.errors import CLEAN, FAILED, NOT_UNDERSTOOD, UserError
from overhang.cli.inputs import add_inputs
from overhang.cli.main import add_choice
from overhang.cli.output import make_folder, tell, write_file
from overhang.cli.reading import loader_of, progress, warn_left_out, warn_unreadable
from overhang.cli.terminal import write_data
from overhang.language import ParsedConfig, unparse
from overhang.report.lines import count, safe
from overhang.text.printable import data

FORMS = ("sheet", "json", "xml")


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of ``overhang sheet``."""
    add_inputs(parser)
    add_choice(parser, "--to", FORMS, default="sheet", help="a sheet (default), or YANG instance data as json or xml")
    parser.add_argument(
        "--output", metavar="FOLDER", help="write one file per device to this folder, named as its source"
    )
    parser.add_argument(
        "--with-secrets", action="store_true", help="keep stored passwords; without it they are written as withheld"
    )
    parser.add_argument("--strict", action="store_true", help="exit 3 where a line was not understood")


def run(options: argparse.Namespace) -> int:
    """Do it."""
    failed = unread = False
    written: dict[str, str] = {}
    loader = loader_of(options)
    several = len(options.paths) > 1 or os.path.isdir(options.paths[0])
    for config in loader.configs(options.paths, progress):
        found = config if isinstance(config, Unreadable) else _text(config, options.to, secrets=options.with_secrets)
        if isinstance(config, Unreadable) or isinstance(found, Unreadable):
            warn_unreadable([found] if isinstance(found, Unreadable) else [])
            failed = True
            continue
        path, text = config.device.file, found
        if config.unread:
            unread = True
            left = f"{count(len(config.unread), 'line')} not understood; what is written says that there may be more"
            tell(f"{path}: {left}")
        if options.output is None:
            _show(path, text, options.to, first=not written, several=several)
            written[path] = path
            continue
        name = os.path.basename(path)
        stem = os.path.splitext(name)[0] or name
        target = os.path.join(options.output, f"{stem}.{options.to}")
        if target in written:
            raise UserError(
                f"{target}: both {written[target]} and {path} would be written there; convert them one by one"
            )
        written[target] = path
        make_folder(options.output)
        try:
            write_file(target, data(text), options)
        except UserError as refused:
            tell(str(refused))
            failed = True
    warn_left_out(loader)
    if failed:
        return FAILED
    return NOT_UNDERSTOOD if unread and options.strict else CLEAN


def _text(config: ParsedConfig, form: str, *, secrets: bool) -> str | Unreadable:
    """The device in a form, or why that form cannot hold it."""
    if form == "sheet":
        return "".join(_left_out(config)) + unparse(config.stated, secrets=secrets)
    from overhang.formats.data_writer import Unsayable, to_json, to_xml

    try:
        return (to_json if form == "json" else to_xml)(config.stated, secrets=secrets)
    except Unsayable as problem:
        return Unreadable(config.device.file, f"cannot be written as {form}: {problem}")


def _left_out(config: ParsedConfig) -> Iterator[str]:
    """Comments for the lines that were not understood, each with its place and without what may be a secret in it."""
    for line in config.unread:
        yield f"# not understood: {safe(config.device.file)}:{line}: {safe(config.quote(line).strip())}\n"
    if config.unread:
        yield "\n"


def _show(path: str, text: str, form: str, *, first: bool, several: bool) -> None:
    if several and form == "sheet":
        write_data(f"{'' if first else chr(10)}# {safe(path)}\n")
    elif several and not first:
        raise UserError(f"--to {form}: one document holds one device; write one file per device with --output FOLDER")
    write_data(text)
