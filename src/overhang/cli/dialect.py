"""Work on a dialect, the file that describes a maker's language: try it on a configuration, start one, check one."""

import argparse
import os

from overhang.cli.errors import CLEAN, FAILED, FOUND, NOT_UNDERSTOOD, UserError
from overhang.cli.inputs import add_inputs, add_trust
from overhang.cli.main import formatter
from overhang.cli.output import tell, write_file
from overhang.cli.reading import loader_of, read_moment, trusted_of
from overhang.cli.terminal import show, width, write_data
from overhang.dialect.model import BadDialect, Dialect
from overhang.files import DIALECT as ENDING
from overhang.files import STEP
from overhang.formats.dialect_format import DialectReader, load_dialect, shipped
from overhang.language.parsed_config import decode
from overhang.loading import Loader, Projects, read_file
from overhang.text import UnreadableInput
from overhang.text.printable import data
from overhang.text.toml_file import TomlProblem

ACTIONS = {
    "try": "show every line of a configuration with what it was read as, and what is left to write",
    "start": "write a first dialect from sample configurations",
    "check": "check dialect files, and run their samples",
    "interview": "ask about the maker what these configurations make matter, and print the profile",
    "list": "list the dialects that come with the product",
}


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of ``overhang dialect``."""
    actions = parser.add_subparsers(metavar="ACTION", dest="action", required=True)
    made = {
        name: actions.add_parser(name, help=about, description=about, allow_abbrev=False, formatter_class=formatter)
        for name, about in ACTIONS.items()
    }
    made["try"].add_argument("files", nargs="+", metavar="FILE", help="a configuration")
    made["try"].add_argument("--unknown", action="store_true", help="show only lines that were not understood")
    made["try"].add_argument("--with-secrets", action="store_true", help="show lines as they are, with their secrets")
    made["try"].add_argument(
        "--why", type=int, metavar="LINE", help="show everything that the statements on one line were held against"
    )
    made["try"].add_argument(
        "--as-table", action="store_true", help="write every statement as columns with tabs between them"
    )
    made["try"].add_argument("--strict", action="store_true", help="exit 3 where a line was not understood")
    add_inputs(made["try"], several=False)
    add_trust(made["check"])
    made["check"].add_argument(
        "--logins", metavar="FILE", help="also try logins that should end in a certain way: one JSON object per line"
    )
    made["check"].add_argument("--now", metavar="DATE", help="the time of the logins (default: today)")
    made["start"].add_argument("files", nargs="+", metavar="FILE", help="configurations of one maker")
    made["start"].add_argument("--name", help="the name of the dialect")
    made["start"].add_argument("--output", metavar="FILE", help=f"write NAME{ENDING} in place of standard output")
    made["interview"].add_argument("files", nargs="+", metavar="FILE", help="configurations of one maker")
    made["interview"].add_argument("--output", metavar="FILE", help="write the profile into a new file")
    add_inputs(made["interview"], several=False)
    made["check"].add_argument(
        "files", nargs="+", metavar="DIALECT", help="dialect files, or names of shipped dialects"
    )


def run(options: argparse.Namespace) -> int:
    """Do it."""
    if options.action == "try":
        return _try(options)
    if options.action == "interview":
        from overhang.cli.interview import run as interview

        return interview(options)
    if options.action == "start":
        return _start(options)
    return _check(options) if options.action == "check" else _list()


def _try(options: argparse.Namespace) -> int:
    from overhang.dialect.preview import preview_dialect
    from overhang.report.dialect_text import preview_lines, preview_table, why_lines

    loader = loader_of(options)
    failed = unread = False
    for path in options.files:
        try:
            reader = loader.reader(path)
            if not isinstance(reader, DialectReader):
                raise UnreadableInput(f"read as {reader.name}, not through a dialect; choose one with --dialect")
            trial = preview_dialect(
                reader.dialect,
                decode(read_file(path)),
                path,
                secrets=options.with_secrets,
                why=() if options.why is None else (options.why,),
                helpers=reader.helpers,
            )
        except UnreadableInput as problem:
            tell(f"{path}: {problem}")
            failed = True
            continue
        unread = unread or trial.unread > 0
        if options.as_table:
            write_data("".join(f"{line}\n" for line in preview_table(trial)))
        elif options.why is not None:
            show(why_lines(reader.dialect, path, trial, options.why, width()))
        else:
            show(preview_lines(reader.dialect, path, trial, width(), unknown=options.unknown))
    if failed:
        return FAILED
    return NOT_UNDERSTOOD if unread and options.strict else CLEAN


def _start(options: argparse.Namespace) -> int:
    from overhang.dialect.scaffold import scaffold_dialect

    texts = []
    for path in options.files:
        try:
            texts.append((path, decode(read_file(path))))
        except UnreadableInput as problem:
            raise UserError(f"{path}: {problem}") from None
    given = options.name or os.path.basename(options.output or "").partition(".")[0] or "my-dialect"
    name = "".join(each if each.isalnum() else "-" for each in given.lower()).strip("-") or "my-dialect"
    text = scaffold_dialect(texts, name)
    if options.output is None:
        write_data(text)
        return CLEAN
    if not options.output.endswith(ENDING):
        raise UserError(f"{options.output}: a dialect's file name must end in {ENDING}")
    if os.path.exists(options.output):
        raise UserError(f"{options.output}: exists already; choose another name or move it away")
    write_file(options.output, data(text), options)
    return CLEAN


def _check(options: argparse.Namespace) -> int:
    from overhang.dialect.preview import check_samples
    from overhang.report.dialect_text import check_lines

    wrong = failed = False
    trusted = trusted_of(options)
    for name in options.files:
        path = shipped().get(name, name)
        dialect: Dialect | None = None
        try:
            dialect = load_dialect(path)
            problems = list(check_samples(dialect, DialectReader(dialect, trusted=trusted).helpers))
            step = path.removesuffix(ENDING) + STEP
            if not dialect.step and os.path.exists(step):
                problems.append(TomlProblem(1, f"{step} is not used; write step = true at the top of the dialect"))
        except BadDialect as problem:
            problems = problem.problems
        except UnreadableInput as problem:
            tell(f"{path}: {problem}")
            failed = True
            continue
        wrong = wrong or bool(problems)
        show(check_lines(path, dialect, problems, width()))
    if options.logins is not None and not (failed or wrong):
        if len(options.files) != 1:
            raise UserError("--logins needs one dialect alone")
        return _logins(options, shipped().get(options.files[0], options.files[0]))
    return FAILED if failed else FOUND if wrong else CLEAN


def _logins(options: argparse.Namespace, dialect: str) -> int:
    """Try the logins of a file on the configurations beside it, read through a dialect."""
    from overhang.exposure import resolve
    from overhang.language import ParsedConfig
    from overhang.report.expected_logins_text import expected_lines
    from overhang.simulation.attempts import BadAttempt
    from overhang.simulation.expected_logins import Place, run_expected

    loader = Loader(Projects(), None, dialect, trusted_of(options))
    configs: dict[str, ParsedConfig] = {}
    places: dict[str, Place] = {}

    def find(name: str) -> Place:
        if name not in places:
            path = os.path.join(os.path.dirname(options.logins), name)
            try:
                configs[name] = loader.load(path)
            except UnreadableInput as problem:
                raise BadAttempt(f"{path}: {problem}") from None
            project = loader.projects.of(path)
            places[name] = Place(resolve(configs[name], project), project.servers)
        return places[name]

    try:
        lines = decode(read_file(options.logins)).split("\n")
    except UnreadableInput as problem:
        raise UserError(f"{options.logins}: {problem}") from None
    start = read_moment(options.now).replace(hour=0, minute=0, second=0, microsecond=0)
    logins = list(run_expected(lines, find, start if options.now is None else read_moment(options.now)))
    if not logins:
        raise UserError(f"{options.logins}: holds no login")
    show(expected_lines(options.logins, logins, configs, width()))
    if any(login.problem for login in logins):
        return FAILED
    return CLEAN if all(login.right for login in logins) else FOUND


def _list() -> int:
    from overhang.report.dialect_text import list_lines

    show(list_lines([load_dialect(path) for path in shipped().values()], width()))
    return CLEAN
