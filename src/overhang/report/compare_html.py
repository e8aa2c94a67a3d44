"""Two states of a network compared, as one page of HTML that needs nothing else."""

from overhang import __version__
from overhang.changes.compare import Comparison
from overhang.report.audit_html import environment
from overhang.report.compare_data import rows_for_page
from overhang.report.compare_text import summary, verdict
from overhang.text.printable import Printable

_TEMPLATE = "compare.html.jinja"


def compare_html(comparison: Comparison, *, restart: bool = False) -> Printable:
    """The comparison as a page."""
    sentence, style = verdict(comparison, restart=restart)
    differing = [device for device in comparison.devices if not device.same]
    made = (
        environment()
        .get_template(_TEMPLATE)
        .render(
            version=__version__,
            comparison=comparison,
            verdict=sentence,
            style=style,
            summary=summary(comparison),
            devices=[(device, rows_for_page(device)) for device in differing],
        )
    )
    return Printable(made)
