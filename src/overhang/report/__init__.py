"""From results to text in some format. Nothing here prints, or looks at the terminal: width and style are arguments."""

import re

_STARTS = re.compile(
    rb'\s*(?:\{\s*"overhang"\s*:|\{\s*"\$schema"\s*:\s*"[^"]*sarif|<\?xml[^>]*>\s*<testsuites\b'
    rb"|severity,rule,device,file,|<!DOCTYPE html>)"
)
_SAYS = re.compile(rb"^(?:\*\*.*\*\* )?[\d,]+ (?:devices? audited: |of [\d,]+ expectations? holds?\b)", re.MULTILINE)


def is_report(data: bytes) -> bool:
    """Whether a file is a report of ours, though a reader of configurations might take its quotations for its own."""
    return _STARTS.match(data) is not None or _SAYS.search(data) is not None
