"""Audit the management access of devices: read their sheets and say what is wrong, worst first."""

import argparse
import datetime
import sys

from overhang.cli.files import Projects, Skipped, find_sheets, load_sheet, progress
from overhang.cli.main import CLEAN, FAILED, FOUND, NOT_UNDERSTOOD
from overhang.cli.terminal import show, width, write_atomically
from overhang.report.audit_text import Unreadable, audit_lines
from overhang.rules.device_audit import DeviceAudit, audit_sheet
from overhang.rules.model import Severity


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of ``overhang audit``."""
    parser.add_argument("paths", nargs="+", metavar="PATH", help="a sheet, or a folder to search for *.sheet files")
    parser.add_argument("--format", choices=("text", "json"), default="text", help="text for people (default), or json")
    parser.add_argument("--output", metavar="FILE", help="write the report to a file instead of standard output")
    parser.add_argument("--brief", action="store_true", help="findings without the lines that prove them (text only)")
    parser.add_argument(
        "--at-least",
        metavar="SEVERITY",
        choices=[severity.word for severity in Severity],
        default="info",
        help="leave out findings below info, low, medium, high or critical",
    )
    parser.add_argument("--project", metavar="FILE", help="the project file, in place of the nearest overhang.toml")
    parser.add_argument("--strict", action="store_true", help="exit 3 where a line or a profile was not understood")


def run(options: argparse.Namespace) -> int:
    """Do it."""
    moment = datetime.datetime.now(datetime.UTC)
    audits, unreadable = audit_paths(
        options.paths, Projects(options.project), moment, Severity[options.at_least.upper()]
    )
    if options.format == "json":
        from overhang.report.audit_json import audit_json

        text = audit_json(audits, unreadable)
        if options.output:
            write_atomically(options.output, text)
        else:
            sys.stdout.write(text)
    elif options.output:
        from overhang.report.lines import WIDEST, plain

        write_atomically(options.output, plain(audit_lines(audits, unreadable, WIDEST, brief=options.brief)))
    else:
        show(audit_lines(audits, unreadable, width(), brief=options.brief))
    for each in unreadable:
        print(f"overhang: {each.file}: {each.error}", file=sys.stderr)
    if unreadable:
        return FAILED
    if options.strict and any(audit.unread or audit.profile is None for audit in audits):
        return NOT_UNDERSTOOD
    return FOUND if any(audit.findings for audit in audits) else CLEAN


def audit_paths(
    paths: list[str], projects: Projects, moment: datetime.datetime, at_least: Severity = Severity.INFO
) -> tuple[list[DeviceAudit], list[Unreadable]]:
    """The audits of all sheets, worst first, and what could not be read."""
    audits: list[DeviceAudit] = []
    unreadable: list[Unreadable] = []
    for path in progress(find_sheets(paths)):
        if isinstance(path, Skipped):
            unreadable.append(Unreadable(path.path, str(path)))
            continue
        try:
            sheet = load_sheet(path)
        except Skipped as problem:
            unreadable.append(Unreadable(path, str(problem)))
            continue
        audits.append(audit_sheet(sheet, projects.of(path), moment, at_least))
    audits.sort(key=lambda audit: audit.rank)
    return audits, unreadable
