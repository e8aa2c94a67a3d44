"""The findings of an audit as a Parquet file, for those who analyse many of them."""

import importlib.util
import io

from overhang.auditing.report import AuditReport
from overhang.text import OverhangError


def audit_parquet(report: AuditReport) -> bytes:
    """A row for each finding, the columns of ``overhang.to_frame``. Raises OverhangError where a package is missing."""
    from overhang.api import to_frame

    if importlib.util.find_spec("pandas") is None or importlib.util.find_spec("pyarrow") is None:
        raise OverhangError("--format parquet needs further packages: pip install 'overhang[fleet]'")
    made = io.BytesIO()
    to_frame(report).to_parquet(made, index=False)
    return made.getvalue()
