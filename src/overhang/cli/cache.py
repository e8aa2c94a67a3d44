"""Show what the cache keeps of earlier audits, or empty it. No password is in it: digests stand for them."""

import argparse
import datetime
from typing import TYPE_CHECKING

from overhang.cli.audit import add_cache
from overhang.cli.errors import CLEAN, UserError
from overhang.cli.output import tell
from overhang.cli.terminal import show
from overhang.report.lines import Line, count, safe

if TYPE_CHECKING:
    from overhang.fleet.cache import Contents


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of ``overhang cache``."""
    add_cache(parser)
    parser.add_argument("--empty", action="store_true", help="forget all of it")


def run(options: argparse.Namespace) -> int:
    """Do it."""
    from overhang.fleet.answers import own_folder
    from overhang.fleet.cache import CacheProblem, contents_of, remove

    folder = own_folder() if options.cache is None else options.cache
    try:
        if options.empty:
            tell(f"the cache in {folder} is empty now" if remove(folder) else f"there is no cache in {folder}")
            return CLEAN
        held = contents_of(folder)
    except CacheProblem as problem:
        raise UserError(f"{problem}; overhang cache --empty removes it") from None
    show(_lines(folder, held))
    return CLEAN


def _lines(folder: str, held: "Contents | None") -> list[Line]:
    if held is None:
        return [[("nothing is kept of earlier audits", "")], [(safe(folder), "dim")]]
    size = f"{held.size / 1_000_000:.1f} MB"
    lines: list[Line] = [[(f"{count(held.devices, 'audit')} of devices kept, in {size}", "bold")]]
    if held.networks:
        lines.append([(f"{count(held.networks, 'comparison')} of devices with one another", "")])
    if held.answers:
        lines.append([(count(held.answers, "whole report"), "")])
    if held.oldest is not None:
        day = datetime.date(1970, 1, 1) + datetime.timedelta(days=held.oldest)
        lines.append([(f"the one not used for longest was used on {day}", "")])
    return [*lines, [(safe(folder), "dim")]]
