"""Let the Python step of a dialect run, from now on. A step is code: read it first. One that is changed is trusted no
more."""

import argparse

from overhang.cli.errors import CLEAN, UserError
from overhang.cli.output import tell
from overhang.cli.terminal import show
from overhang.report.lines import Line, safe


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of ``overhang trust``."""
    parser.add_argument("files", nargs="*", metavar="FILE", help="a step: NAME.dialect.py; without one, list them")
    parser.add_argument("--forget", action="store_true", help="trust these files no more")


def run(options: argparse.Namespace) -> int:
    """Do it."""
    from overhang.teach.trust import NotAStep, forget, list_file, trust, trusted_steps

    try:
        if not options.files:
            if options.forget:
                raise UserError("--forget needs the files that are to be trusted no more")
            found = trusted_steps()
            show(_lines([(each.path, each.digest) for each in found], str(list_file())))
            return CLEAN
        if options.forget:
            gone = {each.path for each in forget(options.files)}
            tell(f"{len(gone)} of {len(options.files)} were trusted, and are no more")
            return CLEAN
        for each in trust(options.files):
            tell(f"{each.path} may run from now on, as it is: SHA-256 {each.digest[:16]}…")
    except NotAStep as problem:
        raise UserError(str(problem)) from None
    return CLEAN


def _lines(found: list[tuple[str, str]], place: str) -> list[Line]:
    """The steps that may run, and where that is kept."""
    if not found:
        return [[("no step is trusted", "")]]
    lines: list[Line] = [[(f"{len(found)} trusted, in {place}", "bold")]]
    return lines + [[(f"{digest[:16]}…  ", "dim"), (safe(path), "")] for path, digest in found]
