"""The audit for spreadsheets, build servers and wikis: CSV (RFC 4180), JUnit XML, Markdown."""

import csv
import io
import re
from collections.abc import Iterator

from overhang.auditing.aspects import Aspect
from overhang.auditing.findings import Severity
from overhang.auditing.fleet import FleetFinding
from overhang.auditing.report import AuditReport
from overhang.auditing.results import DeviceAudit, ReportedFinding
from overhang.auditing.rules.pages import page_of
from overhang.report.audit_summary import (
    by_rule,
    not_examined,
    nothing,
    own_lines,
    severity_count,
    severity_phrase,
    summary,
    verdict,
    worst_phrase,
)
from overhang.report.junit import Suites
from overhang.report.opened import opened_phrases
from overhang.text.printable import Printable, safe, safe_lines

COLUMNS = (
    "severity",
    "rule",
    "device",
    "file",
    "line",
    "kind",
    "site",
    "message",
    "opens",
    "fix",
    "waived",
    "fingerprint",
    "possible",
    "also",
)
#: Blanks do not keep a spreadsheet from reading a formula, nor does a sign of full width.
_FORMULA = re.compile(r"[\s\0]*[=+\-@\uff1d\uff0b\uff0d\uff20]|[\t\r\n]")


def audit_csv(report: AuditReport) -> Printable:
    """A row for each finding, then for each thing that was not examined; severity "not examined" there."""
    out = io.StringIO()
    write = csv.writer(out, lineterminator="\r\n")
    write.writerow(COLUMNS)
    for audit in report.audits:
        for finding in audit.findings:
            write.writerow(map(cell_text, _row(audit, finding, "")))
        for waived in audit.waived:
            write.writerow(map(cell_text, _row(audit, waived.finding, f"until {waived.until}: {waived.reason}")))
    across = [(each, "") for each in report.network]
    across += [(each.finding, f"until {each.until}: {each.reason}") for each in report.network_waived]
    for each, accepted in across:
        write.writerow(map(cell_text, _row_across(each, accepted)))
    for what, why, names in not_examined(report):
        cells = ["not examined", "", " ".join(names), "", "", "", "", f"{what}: {why}", "", "", "", "", "", ""]
        write.writerow(map(cell_text, cells))
    return Printable(out.getvalue())


def _row(audit: DeviceAudit, finding: ReportedFinding, waived: str) -> list[object]:
    own = own_lines(audit, finding)
    line = own[0].line if own else ""
    opens = "; ".join(opened_phrases(finding.opens))
    return [
        finding.severity.word,
        finding.rule,
        audit.name,
        audit.file,
        line,
        audit.kind or "",
        audit.site or "",
        finding.message,
        opens,
        "\n".join(finding.preferred_fix),
        waived,
        finding.fingerprint,
        "possible" if finding.possible else "",
        " ".join(finding.also),
    ]


def _row_across(finding: FleetFinding, waived: str) -> list[object]:
    file, line = finding.places[0] if finding.places else ("", "")
    cells = [finding.severity.word, finding.rule, " ".join(finding.devices), file, line, "", "", finding.message]
    return [*cells, "", "\n".join(finding.fix), waived, "", "", ""]


def cell_text(value: object) -> object:
    """A value that no spreadsheet takes for a formula, and in which nothing steers who shows it."""
    if not isinstance(value, str):
        return value
    text = safe_lines(value)
    return "'" + text if _FORMULA.match(value) else text


# -- JUnit XML ---------------------------------------------------------------------------------------------------------


def audit_junit(report: AuditReport) -> Printable:
    """A suite for each device with a failure for each finding; what was not examined is a skipped case."""
    suites = Suites("overhang audit", failures=len(report.severities()))
    for audit in report.audits:
        _device_suite(suites, audit, nothing(report))
    if report.network or report.network_waived or report.unreadable:
        failures, errors, skipped = len(report.network), len(report.unreadable), len(report.network_waived)
        across = "across devices"
        counts = {"tests": failures + errors + skipped, "failures": failures, "errors": errors, "skipped": skipped}
        suite = suites.suite(across, counts)
        for waived in report.network_waived:
            why = f"waived until {waived.until}: {waived.reason}"
            suite.case(waived.finding.rule, across, "skipped", {"message": why})
        for each in report.network:
            suite.case(each.rule, across, "failure", {"type": each.severity.word, "message": each.message})
        for file, error in report.unreadable:
            suite.case(file, "unreadable", "error", {"message": error})
    return suites.text()


def _device_suite(suites: Suites, audit: DeviceAudit, none: str) -> None:
    left = [(each.finding.rule, f"waived until {each.until}: {each.reason}") for each in audit.waived]
    left += [(f"not examined: {what}", why) for what, why in audit.not_examined]
    failures, skipped = len(audit.findings), len(left)
    counts = {"tests": failures + skipped or 1, "failures": failures, "skipped": skipped}
    suite = suites.suite(audit.name, counts, file=audit.file)
    for finding in audit.findings:
        named = {"type": severity_phrase(finding), "message": finding.message}
        suite.case(finding.rule, audit.name, "failure", named, _detail(finding))
    for name, why in left:
        suite.case(name, audit.name, "skipped", {"message": why})
    if not failures and not left:
        suite.case(none, audit.name)


def _detail(finding: ReportedFinding) -> str:
    lines = [f"{each.file}:{each.line}: {each.text.strip()}" for each in finding.lines]
    lines += [f"profile {each.profile}: {each.key} is {each.value}" for each in finding.unsaid]
    lines += [f"opens {each}" for each in opened_phrases(finding.opens)]
    lines += [f"also by {', '.join(finding.also)}"] if finding.also else []
    lines += ["fix:", *finding.preferred_fix] if finding.preferred_fix else []
    return "\n".join(map(safe, lines))


# -- Markdown ----------------------------------------------------------------------------------------------------------


def audit_markdown(report: AuditReport) -> Printable:
    """A page for a wiki or a merge request."""
    return Printable("".join(f"{line}\n" for line in _markdown(report)))


def _markdown(report: AuditReport) -> Iterator[str]:
    yield "# Audit of management access"
    yield ""
    yield f"**{md(verdict(report)[0])}.** {md(summary(report))}."
    yield ""
    if report.audits:
        scale = list(reversed(Severity))
        heads = [*(aspect.title for aspect in Aspect), *(severity.word for severity in scale)]
        yield f"| device | kind | site | {' | '.join(heads)} |"
        yield "|" + "---|" * (len(heads) + 3)
        for audit in report.audits:
            cells = [each.mark.word for each in audit.checklist]
            cells += [severity_count(audit, severity) for severity in scale]
            yield f"| {md(audit.name)} | {md(audit.kind or '')} | {md(audit.site or '')} | {' | '.join(cells)} |"
        yield ""
    for rule, severity, held in by_rule(report):
        page = page_of(rule)
        yield f"## {worst_phrase(severity, held)}: {rule}"
        yield ""
        yield f"{md(page.title)}. {md(page.why)} *Fix:* {md(page.fix)} ({md('; '.join(page.references))})"
        yield ""
        for audit, finding in held:
            own = own_lines(audit, finding)
            where = f"{audit.file}:{own[0].line}" if own else audit.file
            yield f"- **{md(audit.name)}** ({md(where)}), {severity_phrase(finding)}: {md(finding.message)}"
            if finding.also:
                yield f"    - also by {', '.join(finding.also)}"
            for opened in opened_phrases(finding.opens)[:3]:
                yield f"    - opens {md(opened)}"
            if finding.preferred_fix:
                yield ""
                yield from (f"          {safe(line)}" for line in finding.preferred_fix)
                yield ""
        yield ""
    for heading, items in (
        (
            "Across devices",
            [f"**{each.rule}**, {each.severity.word}: {md(each.message)}" for each in report.network],
        ),
        (
            "Waived",
            [
                f"**{md(audit.name)}**: {each.finding.rule}, until {each.until}: {md(each.reason)}"
                for audit in report.audits
                for each in audit.waived
            ]
            + [
                f"across devices: {each.finding.rule}, until {each.until}: {md(each.reason)}"
                for each in report.network_waived
            ],
        ),
        (
            "Not examined",
            [
                f"{md(what)}: {md(why)}" + (f" ({md(', '.join(names))})" if names else "")
                for what, why, names in not_examined(report)
            ],
        ),
    ):
        if items:
            yield f"## {heading}"
            yield ""
            yield from (f"- {item}" for item in items)
            yield ""


#: What a renderer takes for markup; and where one makes a link of an address that stands in the text.
_MARKUP = re.compile(r"[\\`*_{}\[\]<>|#~@]|:(?=//)|(?<=www)\.", re.IGNORECASE)


def md(text: str) -> str:
    """Text in which nothing is taken for markup or a link."""
    return _MARKUP.sub(r"\\\g<0>", safe(text))
