"""Draw what an audit found: the exposure map, the checklist, or the path of one login, as PNG, SVG or PDF."""

import argparse

from overhang.auditing.findings import Severity
from overhang.auditing.report import AuditReport
from overhang.auditing.results import LoginTrace
from overhang.cli.audit import add_reading
from overhang.cli.audit_run import exit_code, report_of
from overhang.cli.errors import CLEAN, FAILED, UserError
from overhang.cli.inputs import add_inputs
from overhang.cli.main import add_choice
from overhang.cli.output import check_target, write_file
from overhang.cli.terminal import picture_kind

SUBJECTS = ("exposure", "checklist", "login")


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of ``overhang picture``."""
    add_inputs(parser)
    parser.add_argument("--output", metavar="FILE", required=True, help="the picture to write: FILE.png, .svg or .pdf")
    add_choice(
        parser,
        "--show",
        SUBJECTS,
        default="exposure",
        help="exposure: what it takes to get in, device by device and way by way (default); checklist: a mark for each "
        "aspect of each device; login: the easiest login to the worst device, stage by stage",
    )
    parser.add_argument("--device", metavar="NAME", help="for login: the device to draw, in place of the worst")
    add_reading(parser)


def run(options: argparse.Namespace) -> int:
    """Do it."""
    kind = picture_kind(options.output)
    if options.device is not None and options.show != "login":
        raise UserError("--device is for --show login")
    check_target(options.output, options)
    report = report_of(options)
    if not report.audits:
        exit_code(report, Severity.INFO, strict=False)
        raise UserError("there is nothing to draw")
    from overhang.report import charts  # matplotlib takes its time, and is of no use to what fails before

    if options.show == "login":
        figure = charts.login_path(_path(report, options.device))
    else:
        figure = (charts.exposure_map if options.show == "exposure" else charts.checklist_chart)(report)
    write_file(options.output, charts.written(figure, kind), options)
    return FAILED if exit_code(report, Severity.INFO, strict=False) == FAILED else CLEAN


def _path(report: AuditReport, name: str | None) -> LoginTrace:
    from overhang.report.charts import by_exposure

    chosen = [audit for audit in by_exposure(report) if name is None or audit.name == name]
    if not chosen:
        from overhang.text import did_you_mean

        near = did_you_mean(str(name), [audit.name for audit in report.audits])
        raise UserError(f"--device {name}: no such device here" + (f"; did you mean {near}?" if near else ""))
    paths = [audit.easiest for audit in chosen if audit.easiest is not None]
    if not paths:
        raise UserError("no login succeeds, so there is nothing to draw")
    return paths[0]
