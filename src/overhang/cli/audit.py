"""Audit the management access of devices: read their configurations and say what is wrong, worst first."""

import argparse
import os
import sys

from overhang.cli.inputs import add_inputs
from overhang.cli.main import add_choice
from overhang.cli.output import write_file, write_out
from overhang.severity import Severity

TYPE_CHECKING = False
if TYPE_CHECKING:  # an answer that is known is shown before the typing module has been read
    from collections.abc import Callable
    from datetime import datetime

    from overhang.fleet.answers import Answer
    from overhang.text.printable import Printable
else:
    Printable = str

FORMATS = ("text", "json", "jsonl", "csv", "sarif", "junit", "markdown", "html", "xlsx", "parquet")
#: Those that are no text: they are for a file alone.
BYTES = ("xlsx", "parquet")
MOST_JOBS = 512
SORTS = ("severity", "device", "file", "site")
_WORDS = [severity.word for severity in Severity]


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of ``overhang audit``."""
    add_inputs(parser)
    add_choice(parser, "--format", FORMATS, default="text", help="plain text (default), or another format")
    parser.add_argument("--output", metavar="FILE", help="write the report to a file instead of standard output")
    about = "with --format xlsx: take over what was filled in in this earlier workbook"
    parser.add_argument("--notes-from", metavar="FILE", help=about)
    form = parser.add_mutually_exclusive_group()
    form.add_argument("--short", action="store_true", help="one line a device and one a rule (default for several)")
    form.add_argument(
        "--long", action="store_true", help="every finding with its lines, access paths and fix (default for one)"
    )
    form.add_argument(
        "--checklist", action="store_true", help="one line of marks a device (for one device, the reasons too)"
    )
    add_choice(parser, "--severity", _WORDS, default="info", help="leave out findings below this severity")
    add_choice(parser, "--fail-on", _WORDS, default="info", help="exit 1 only for findings of this severity or higher")
    parser.add_argument(
        "--certain", action="store_true", help="do not exit 1 for findings that are only possible (still shown)"
    )
    parser.add_argument("--only", metavar="RULE,...", help="only these rules, or patterns of their names: ssh-*")
    parser.add_argument("--skip", metavar="RULE,...", help="all rules but these")
    since = parser.add_mutually_exclusive_group()
    about = "list and exit 1 for new findings only, those that this earlier report (--format json) did not know"
    since.add_argument("--baseline", metavar="FILE", help=about)
    about = "say what changed since an earlier report (--format json), or since a revision in git"
    since.add_argument("--since", metavar="FILE|REVISION", help=about)
    add_choice(parser, "--sort", SORTS, default="severity", help="the order of the devices")
    add_reading(parser)
    parser.add_argument("--strict", action="store_true", help="exit 3 where a line or a profile was not understood")


def add_reading(parser: argparse.ArgumentParser) -> None:
    """The options that say how devices are audited, for every command that audits."""
    parser.add_argument(
        "--guess",
        metavar="BUDGET",
        help="spend this on trying passwords against hashes: 60000 is about a minute for the whole run (default: a "
        "second a device, less of many; 0: none)",
    )
    parser.add_argument("--now", metavar="MOMENT", help="use this time in place of the clock's")
    parser.add_argument(
        "--jobs", metavar="N", help="let so many processes share the work of many devices (default: as many as cores)"
    )
    about = "hand the work to the Dask cluster of this scheduler: tls://HOST:PORT, or tcp://127.0.0.1:PORT"
    parser.add_argument("--scheduler", metavar="ADDRESS", help=about)
    about = "with --scheduler: its workers see the same files in the same folders, and read them themselves"
    parser.add_argument("--shared-files", action="store_true", help=about)
    add_cache(parser)
    parser.add_argument("--no-cache", action="store_true", help="work everything out anew, and keep nothing of it")


def run(options: argparse.Namespace) -> int:
    """Do it; where an earlier run had the same to do with the same files, as that did."""
    asked = None
    if _may_be_known(options):
        from overhang.fleet import answers

        asked = answers.question(_words(options))
        folder = answers.own_folder() if options.cache is None else options.cache
        known = answers.find(folder, asked, options.paths, answers.today())
        if known is not None:
            return _again(known, options)
    from overhang.cli.audit_run import audit

    return audit(options, asked)


def right_jobs(text: str) -> bool:
    """Whether a text is how many processes may share the work."""
    return text.isascii() and text.isdigit() and 1 <= int(text[:4]) <= MOST_JOBS


def _may_be_known(options: argparse.Namespace) -> bool:
    """Whether the answer may be kept: all that it is made of lies in files."""
    revision = options.since is not None and not os.path.exists(options.since)
    if options.no_cache or options.format in BYTES or revision or "-" in options.paths:
        return False
    if options.scheduler is not None or options.shared_files or not (options.jobs is None or right_jobs(options.jobs)):
        return False  # who does the work must be told what is wrong with how it is to be done
    from overhang.fleet.answers import many

    return options.cache is not None or many(options.paths)


#: Options that change neither what is found nor how it is written, and what commands add to the options.
_NO_MATTER = ("cache", "jobs", "debug", "output", "run", "parser", "input_files")
#: Variables that change how a terminal is written to, and where the user's own settings are.
_VARIABLES = ("NO_COLOR", "TERM", "COLORTERM", "COLUMNS", "LINES", "HOME", "USERPROFILE", "APPDATA", "XDG_CONFIG_HOME")


def _words(options: argparse.Namespace) -> list[str]:
    """What the answer depends on beside files: the options, and what it is written to."""
    words = [repr(sorted((name, each) for name, each in vars(options).items() if name not in _NO_MATTER))]
    words += [f"{name}={os.environ.get(name)}" for name in _VARIABLES]
    if options.output is not None:
        return [*words, "file"]
    terminal = sys.stdout.isatty()
    return [*words, str(sys.stdout.encoding), str(os.get_terminal_size() if terminal else "")]


#: The formats that state the moment: what stands before it, and how it is written.
MOMENTS: "dict[str, tuple[str, Callable[[datetime], str]]]" = {
    "json": ('"moment": "', lambda moment: moment.isoformat()),
    "jsonl": ('"moment":"', lambda moment: moment.isoformat()),
    "html": ('"faint">Audit of management access as of ', lambda moment: moment.strftime("%Y-%m-%d %H:%M UTC")),
}


def _again(known: "Answer", options: argparse.Namespace) -> int:
    """Write an answer that is known."""
    moment = ""
    if len(known.pieces) > 1:
        from datetime import UTC, datetime  # most formats state no moment

        moment = MOMENTS[options.format][1](datetime.now(UTC))
    text = Printable(moment.join(known.pieces))
    if options.output is not None:
        write_file(options.output, text, options)
    else:
        write_out(text)
    return known.code


def add_cache(parser: argparse.ArgumentParser) -> None:
    """The option that names the cache's folder."""
    about = "the folder that keeps what was found out of unchanged devices (default: this user's, for many devices)"
    parser.add_argument("--cache", metavar="DIR", help=about)
