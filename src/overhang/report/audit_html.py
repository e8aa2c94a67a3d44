"""The audit as one page of HTML that needs nothing else: no other file, no network, and no script to be read."""

import os
from typing import TYPE_CHECKING

from overhang import __version__
from overhang.auditing.aspects import Aspect
from overhang.auditing.checklist import Mark
from overhang.auditing.findings import Severity
from overhang.auditing.peers import peers_of
from overhang.auditing.report import AuditReport
from overhang.auditing.results import DeviceAudit, LoginTrace
from overhang.auditing.rules.pages import page_of
from overhang.report.audit_details import details
from overhang.report.audit_front import (
    devices_phrase,
    doubtful,
    moved,
    rules_that_matter,
    shares,
    sites_of,
    trend,
    ways_table,
    worst_devices,
)
from overhang.report.audit_json import fired
from overhang.report.audit_summary import change_phrases, not_examined, nothing, severity_count, summary, verdict
from overhang.report.charts import LETTERS, by_exposure, cells_of, column_label, columns_of, nobody
from overhang.report.lines import safe
from overhang.report.opened import opened_phrases
from overhang.text.printable import Printable

if TYPE_CHECKING:
    import jinja2
    import markupsafe

#: A page of more devices shows their findings when they are asked for.
LARGE = 120
_CALM = (Mark.GOOD, Mark.NOT_THERE)
_TEMPLATE = "audit.html.jinja"


def audit_html(report: AuditReport) -> Printable:
    """The report as a page."""
    import markupsafe

    kept = environment()
    kept.filters["opened"] = opened_phrases
    kept.filters["nobody"] = nobody
    kept.filters["devices"] = devices_phrase
    kept.filters["letter"] = lambda letter: "U" if letter == "?" else letter  # a question mark is no name of a class
    kept.filters["marks"] = _marks
    kept.filters["tally"] = _tally
    kept.filters["severity_counts"] = lambda audit: [severity_count(audit, each) for each in reversed(Severity)]
    sentence, style = verdict(report)
    large = len(report.audits) > LARGE
    severities = report.severities()
    trends = moved(report)
    made = kept.get_template(_TEMPLATE).render(
        version=__version__,
        report=report,
        verdict=sentence,
        style=style,
        summary=summary(report),
        severities=[severity.word for severity in reversed(Severity)],
        counts={each.word: severities.count(each) for each in Severity},
        device_counts={severity.word: number for severity, number in report.device_counts.items()},
        aspects=list(Aspect),
        marks=list(Mark),
        columns=[(via, column_label(via)) for via in columns_of(report)],
        exposures=[(audit, cells_of(audit)) for audit in by_exposure(report)],
        letters={letter: text for letter, (text, _, _) in LETTERS.items()},
        easiest=_easiest(report),
        rules={name: page_of(name) for name in sorted(fired(report))},
        left_out=list(not_examined(report)),
        shares=shares(report),
        doubtful=doubtful(report),
        worst=worst_devices(report),
        matters=rules_that_matter(report),
        moved=trends,
        trend=trend(trends),
        change=change_phrases(report)[1 if trends else 0 :],
        large=large,
        nothing=nothing(report),
        peers=peers_of(report),
        sites=sites_of(report),
        ways=list(ways_table(report, list(LETTERS))) if large else [],
        details=markupsafe.Markup(details(report)) if large else "",
        levels=[severity.word for severity in Severity],
    )
    return Printable(made)


def _marks(audit: DeviceAudit) -> "markupsafe.Markup":
    """The checklist of a device as letters, those that need looking at apart."""
    import markupsafe

    made = [
        each.mark.value if each.mark in _CALM else f'<i class="{each.mark.name.lower()}">{each.mark.value}</i>'
        for each in audit.checklist
    ]
    return markupsafe.Markup("".join(made))


def _tally(audit: DeviceAudit) -> str:
    """How many findings of each severity a device has."""
    counts = [(severity_count(audit, each), each.word) for each in reversed(Severity)]
    return " " + ", ".join(f"{number} {word}" for number, word in counts if number != "0")


def environment() -> "jinja2.Environment":
    """What makes pages of this folder's templates."""
    import jinja2  # only pages need it

    loader = jinja2.FileSystemLoader(os.path.dirname(__file__))
    kept = jinja2.Environment(
        loader=loader, autoescape=True, undefined=jinja2.StrictUndefined, trim_blocks=True, lstrip_blocks=True
    )
    kept.filters["visible"] = lambda value: safe(str(value))
    return kept


def _easiest(report: AuditReport) -> LoginTrace | None:
    return next((audit.easiest for audit in by_exposure(report) if audit.easiest is not None), None)
