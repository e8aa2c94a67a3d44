"""The options that every command about devices shares: which, and how they are read. What does it is in reading.py, so
that showing help, or an answer that is known already, imports none of that."""

import argparse

from overhang.cli.errors import UserError

TYPE_CHECKING = False
if TYPE_CHECKING:  # the typing module takes longer than this one
    from collections.abc import Sequence


def add_inputs(parser: argparse.ArgumentParser, *, several: bool = True) -> None:
    """The arguments that name devices and how they are read."""
    if several:
        about = "a device's configuration, or a folder of them; - is standard input"
        parser.add_argument("paths", nargs="*", metavar="PATH", help=about)
        about = "also the paths that a file lists, one on a line; - is standard input"
        parser.add_argument("--files-from", metavar="FILE", help=about)
        about = "what standard input is called: its ending helps to find the reader"
        parser.add_argument("--name", dest="called", metavar="NAME", help=about)
    parser.add_argument(
        "--reader",
        metavar="NAME",
        help="read every file as sheet, json, xml, or a format that a package adds (default: by content)",
    )
    parser.add_argument(
        "--dialect", metavar="FILE", help="read every file through a dialect: a file, or the name of a shipped one"
    )
    add_trust(parser)
    parser.add_argument("--project", metavar="FILE", help="the project file, in place of the nearest overhang.toml")


def settle_paths(options: argparse.Namespace) -> None:
    """Complete the paths of a command by those that a file lists. Raises UserError where there is none."""
    if options.files_from is not None:
        options.paths = [*options.paths, *_listed(options.files_from, options.paths)]
        if not options.paths:
            raise UserError(f"{options.files_from}: lists no path")
    if not options.paths:
        raise UserError(f"the following arguments are required: PATH (see {options.parser.prog} --help)")
    if options.called is not None and "-" not in options.paths:
        raise UserError("--name is for standard input; name it as - among the paths")


def _listed(file: str, paths: "Sequence[str]") -> list[str]:
    if file == "-" and "-" in paths:
        raise UserError("--files-from -: standard input cannot be both a list and a configuration")
    try:
        with open(
            0 if file == "-" else file, encoding="utf-8", errors="surrogateescape", closefd=file != "-"
        ) as stream:
            lines = stream.readlines()
    except OSError as error:
        raise UserError(f"{file}: cannot be read: {error.strerror}") from None
    for number, line in enumerate(lines, 1):
        if "\0" in line:
            raise UserError(f"{file}:{number}: a path cannot hold a NUL; list one path on a line")
    return [line.rstrip("\r\n") for line in lines if line.strip()]


def add_trust(parser: argparse.ArgumentParser) -> None:
    """The option that lets steps of dialects run."""
    parser.add_argument(
        "--trust",
        action="append",
        default=[],
        metavar="FILE",
        help="let a dialect's step in Python run, this once; overhang trust does for good",
    )
