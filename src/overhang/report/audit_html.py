"""The audit as one page of HTML that needs nothing else: no other file, no network, and no script to be read."""

import os
from typing import Any

from overhang import __version__
from overhang.auditing.findings import Severity
from overhang.auditing.report import AuditReport
from overhang.auditing.results import DeviceAudit, LoginTrace
from overhang.auditing.rules.pages import page_of
from overhang.report.audit_json import fired
from overhang.report.audit_summary import not_examined, summary, verdict
from overhang.report.audit_text import opened_phrases
from overhang.report.charts import LETTERS, by_exposure, cells_of, column_label, columns_of, nobody
from overhang.report.lines import safe

_TEMPLATE = "audit.html.jinja"


def audit_html(report: AuditReport) -> str:
    """The report as a page."""
    import jinja2  # only this format needs it

    loader = jinja2.FileSystemLoader(os.path.dirname(__file__))
    kept = jinja2.Environment(
        loader=loader, autoescape=True, undefined=jinja2.StrictUndefined, trim_blocks=True, lstrip_blocks=True
    )
    kept.filters["visible"] = lambda value: safe(str(value))
    kept.filters["opened"] = opened_phrases
    kept.filters["nobody"] = nobody
    sentence, style = verdict(report)
    return kept.get_template(_TEMPLATE).render(
        version=__version__,
        report=report,
        verdict=sentence,
        style=style,
        summary=summary(report),
        severities=[severity.word for severity in reversed(Severity)],
        counts={severity.word: number for severity, number in report.counts.items()},
        device_counts={severity.word: number for severity, number in report.device_counts.items()},
        bars=[_bar(audit, report) for audit in report.audits],
        columns=[(via, column_label(via)) for via in columns_of(report)],
        exposures=[(audit, cells_of(audit)) for audit in by_exposure(report)],
        letters={letter: text for letter, (text, _, _) in LETTERS.items()},
        easiest=_easiest(report),
        rules={name: page_of(name) for name in sorted(fired(report))},
        left_out=list(not_examined(report)),
    )


def _bar(audit: DeviceAudit, report: AuditReport) -> dict[str, Any]:
    """The findings of a device as parts of a bar, in per cent of the longest."""
    longest = max((len(each.findings) for each in report.audits), default=1) or 1
    parts = []
    for severity in reversed(Severity):
        number = sum(each.severity == severity for each in audit.findings)
        if number:
            parts.append({"word": severity.word, "number": number, "share": round(100 * number / longest, 2)})
    return {"audit": audit, "parts": parts}


def _easiest(report: AuditReport) -> LoginTrace | None:
    return next((audit.easiest for audit in by_exposure(report) if audit.easiest is not None), None)
