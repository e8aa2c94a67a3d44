"""The audit as one page of HTML that needs nothing else: no other file, no network, and no script to be read."""

import os
from typing import TYPE_CHECKING

from overhang import __version__
from overhang.auditing.aspects import Aspect
from overhang.auditing.checklist import Mark
from overhang.auditing.findings import Severity
from overhang.auditing.report import AuditReport
from overhang.auditing.results import LoginTrace
from overhang.auditing.rules.pages import page_of
from overhang.report.audit_json import fired
from overhang.report.audit_summary import not_examined, severity_count, summary, verdict
from overhang.report.charts import LETTERS, by_exposure, cells_of, column_label, columns_of, nobody
from overhang.report.lines import safe
from overhang.report.opened import opened_phrases
from overhang.text.printable import Printable

if TYPE_CHECKING:
    import jinja2

_TEMPLATE = "audit.html.jinja"


def audit_html(report: AuditReport) -> Printable:
    """The report as a page."""
    kept = environment()
    kept.filters["opened"] = opened_phrases
    kept.filters["nobody"] = nobody
    kept.filters["severity_counts"] = lambda audit: [severity_count(audit, each) for each in reversed(Severity)]
    sentence, style = verdict(report)
    made = kept.get_template(_TEMPLATE).render(
        version=__version__,
        report=report,
        verdict=sentence,
        style=style,
        summary=summary(report),
        severities=[severity.word for severity in reversed(Severity)],
        counts={each.word: report.severities().count(each) for each in Severity},
        device_counts={severity.word: number for severity, number in report.device_counts.items()},
        aspects=list(Aspect),
        marks=list(Mark),
        columns=[(via, column_label(via)) for via in columns_of(report)],
        exposures=[(audit, cells_of(audit)) for audit in by_exposure(report)],
        letters={letter: text for letter, (text, _, _) in LETTERS.items()},
        easiest=_easiest(report),
        rules={name: page_of(name) for name in sorted(fired(report))},
        left_out=list(not_examined(report)),
    )
    return Printable(made)


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
