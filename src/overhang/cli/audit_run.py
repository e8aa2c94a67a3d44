"""What ``overhang audit`` does, and other commands that audit: the report of the devices that options name."""

import argparse
import datetime
import importlib
import os
from collections.abc import Callable, Iterable
from fnmatch import fnmatchcase
from typing import TYPE_CHECKING

from overhang.api import audit_paths, audit_revision
from overhang.auditing import Severity, rule_names
from overhang.auditing.folding import Wanted, every
from overhang.auditing.report import AuditReport
from overhang.cli.audit import BYTES, MOMENTS, MOST_JOBS, right_jobs
from overhang.cli.errors import CLEAN, FAILED, FOUND, NOT_UNDERSTOOD, UserError
from overhang.cli.output import check_target, copied, take_copy, tell, write_file, write_out
from overhang.cli.reading import loader_of, progress, read_moment, warn_unreadable
from overhang.cli.terminal import show, width
from overhang.fleet.answers import LARGEST, Answer, own_folder
from overhang.fleet.gather import Sharing, cores
from overhang.loading import read_file
from overhang.report.audit_summary import in_order
from overhang.report.audit_text import audit_lines
from overhang.report.lines import Line, cut
from overhang.repository import GitProblem
from overhang.text import UnreadableInput, did_you_mean
from overhang.text.printable import Printable

if TYPE_CHECKING:
    from overhang.auditing.earlier import Earlier
    from overhang.fleet.cluster import Cluster
    from overhang.fleet.keeping import Inputs
    from overhang.report.audit_xlsx import Note


def audit(options: argparse.Namespace, asked: bytes | None = None) -> int:
    """Do it. ``asked`` is the question under which the answer is kept, where it may be."""
    if options.checklist and options.format != "text":
        raise UserError(f"--checklist is text; --format {options.format} holds the checklist too")
    if options.format in BYTES and not options.output:
        raise UserError(f"--format {options.format} is not for a screen; name a file with --output")
    notes = _notes(options)
    wanted = wanted_rules(options.only, options.skip, Severity[options.severity.upper()])
    if options.output:
        check_target(options.output, options)
    before = _earlier(options, wanted)
    inputs: list[Inputs] = []
    report = in_order(report_of(options, wanted, inputs.append), options.sort)
    if before is not None:
        from overhang.auditing.earlier import changed_since, only_new

        report = only_new(report, before) if options.baseline is not None else changed_since(report, before)
    text = None if options.format == "text" else _written(report, options.format, *notes)
    if asked is not None and inputs:
        take_copy()
    if options.output:
        if text is None:
            from overhang.report.lines import WIDEST, plain

            text = plain(_lines(report, WIDEST, options))
        write_file(options.output, text, options)
    elif isinstance(text, str):
        write_out(text)
    else:
        show(_lines(report, width(), options))
    code = exit_code(report, Severity[options.fail_on.upper()], strict=options.strict, certain=options.certain)
    if asked is not None and inputs:
        shown = copied()
        _keep(asked, inputs[0], text if isinstance(text, str) else shown, code, report.moment, options)
    return code


def _keep(
    asked: bytes, inputs: "Inputs", text: str, code: int, moment: datetime.datetime, options: argparse.Namespace
) -> None:
    """Keep the answer of a run for the next one, where it will hold and its files are still the same."""
    day = "" if options.now is not None else {"day": f"{moment:%Y-%m-%d}"}.get(inputs.depends, inputs.depends)
    given = [each for each in (options.baseline, options.since, options.files_from, *options.trust) if each is not None]
    found = inputs.with_further(given).unchanged(options.paths)
    if day == "moment" or found is None or len(text) > LARGEST or "\0" in text:
        return
    pieces = [text]
    if options.now is None and options.format in MOMENTS:
        before, written = MOMENTS[options.format]
        first, mark, rest = text.partition(before + written(moment))
        if not mark:
            return
        pieces = [first + before, rest]
    from overhang.fleet.cache import Cache, CacheProblem

    try:
        cache = Cache(own_folder() if options.cache is None else options.cache)
        cache.keep_answer(asked, Answer(pieces, code, day, found[0]), found[1])
        cache.close()
    except CacheProblem as problem:
        tell(f"{problem}; the answer is not kept")


def _lines(report: AuditReport, columns: int, options: argparse.Namespace) -> Iterable[Line]:
    """The report as text: the checklist alone, or all of it."""
    if options.checklist:
        from overhang.report.checklist_text import checklist_lines

        return checklist_lines(report, columns)
    return audit_lines(report, columns, long=options.long or (len(report.audits) == 1 and not options.short))


def exit_code(report: AuditReport, fail_on: Severity, *, strict: bool, certain: bool = False) -> int:
    """The exit code of an audit, and what could not be read on standard error."""
    warn_unreadable(report.unreadable)
    if report.unreadable:
        return FAILED
    if strict and any(audit.unread or audit.incomplete or audit.profile is None for audit in report.audits):
        return NOT_UNDERSTOOD
    return FOUND if any(severity >= fail_on for severity in report.severities(certain=certain)) else CLEAN


def wanted_rules(only: str | None, skip: str | None, least: Severity) -> Wanted:
    """What tells whether a finding is wanted. Raises UserError for a rule that does not exist."""
    chosen_ones, left_out = _names(only, "--only"), _names(skip, "--skip")

    def wanted(rule: str, severity: Severity) -> bool:
        return severity >= least and (only is None or rule in chosen_ones) and rule not in left_out

    return wanted


def _names(text: str | None, option: str) -> set[str]:
    names = rule_names()
    found: set[str] = set()
    for pattern in (text or "").replace(" ", "").split(","):
        matching = [name for name in names if fnmatchcase(name, pattern)]
        if pattern and not matching:
            stem = pattern.rstrip("*?")
            begun = {name[: len(stem)]: name for name in reversed(names)} if stem != pattern else {}
            near = did_you_mean(pattern, names) or begun.get(did_you_mean(stem, begun) or "")
            raise UserError(
                f"{option} {pattern}: " + (f"did you mean {near}?" if near else "overhang rules lists the rules")
            )
        found.update(matching)
    return found


def report_of(
    options: argparse.Namespace, wanted: Wanted = every, note: "Callable[[Inputs], object] | None" = None
) -> AuditReport:
    """The audits of all devices that the options name, worst first, with what is wrong across them.
    ``note`` is given what was read, see ``Sharing``."""
    moment = read_moment(options.now)
    loader = loader_of(options, _guess(options.guess))
    return audit_paths(options.paths, loader, moment, progress, wanted, sharing_of(options, note))


def sharing_of(options: argparse.Namespace, note: "Callable[[Inputs], object] | None" = None) -> Sharing:
    """Who does the work. Raises UserError."""
    if options.no_cache and options.cache is not None:
        raise UserError("--cache and --no-cache cannot be used together")
    sharing = Sharing(jobs_of(options), options.cache, not options.no_cache, tell, _cluster(options))
    return sharing if note is None else sharing._replace(note=note)


def _cluster(options: argparse.Namespace) -> "Cluster | None":
    if options.scheduler is None:
        if options.shared_files:
            raise UserError("--shared-files is for --scheduler")
        return None
    if options.jobs is not None:
        raise UserError("--jobs and --scheduler cannot be used together: the cluster has its own workers")
    from overhang.fleet.cluster import Cluster

    return Cluster(options.scheduler, options.shared_files)


def jobs_of(options: argparse.Namespace) -> int:
    """How many processes share the work. Raises UserError."""
    text = options.jobs
    if text is None:
        return cores()
    if not right_jobs(text):
        raise UserError(f"--jobs {cut(text, 40)}: expected a number from 1 to {MOST_JOBS}")
    return int(text)


def _earlier(options: argparse.Namespace, wanted: Wanted) -> "Earlier | None":
    """The report that another one is held against: read from a file, or made of what git has. Raises UserError."""
    file = options.baseline if options.baseline is not None else options.since
    if file is None:
        return None
    from overhang.auditing.earlier import earlier_of, read_earlier  # most runs know no other report

    if options.since is not None and not os.path.exists(file):
        loader = loader_of(options, _guess(options.guess))
        try:
            then = audit_revision(options.paths, file, loader, read_moment(options.now), wanted)
            warn_unreadable(then.unreadable)
            return earlier_of(then, file)
        except GitProblem as problem:
            raise UserError(f"--since {file}: neither a file nor a revision in git: {problem}") from None
    try:
        return read_earlier(read_file(file), file)
    except UnreadableInput as problem:
        raise UserError(f"{file}: {problem}") from None


def _notes(options: argparse.Namespace) -> "list[list[Note]]":
    """What an earlier workbook holds, if one is named. Raises UserError."""
    if options.notes_from is None:
        return []
    if options.format != "xlsx":
        raise UserError("--notes-from is for --format xlsx")
    from overhang.report.audit_xlsx import read_notes

    try:
        return [read_notes(read_file(options.notes_from), options.notes_from)]
    except UnreadableInput as problem:
        raise UserError(f"{options.notes_from}: {problem}") from None


def _guess(text: str | None) -> int | None:
    if text is None:
        return None
    if not (text.isascii() and text.isdigit() and len(text) <= 9):
        raise UserError(f"--guess {cut(text, 40)}: expected a whole number, about the milliseconds for the whole run")
    return int(text)


#: The module of each format, of which the function of the format's name, audit_NAME, makes the text.
_MODULES = {
    "json": "audit_json",
    "jsonl": "audit_jsonl",
    "csv": "audit_tables",
    "sarif": "audit_sarif",
    "junit": "audit_tables",
    "markdown": "audit_tables",
    "html": "audit_html",
    "xlsx": "audit_xlsx",
    "parquet": "audit_parquet",
}


def _written(report: AuditReport, form: str, *notes: "list[Note]") -> Printable | bytes:
    """A report in a format, whose module is imported only when it is asked for."""
    module = importlib.import_module(f"overhang.report.{_MODULES[form]}")
    made: Printable | bytes = getattr(module, f"audit_{form}")(report, *notes)
    return made
