"""The audits of a run together, as a value: what every report is made from."""

import datetime
from typing import NamedTuple

from overhang.auditing.findings import Severity
from overhang.auditing.fleet import FleetFinding
from overhang.auditing.results import DeviceAudit


class Unreadable(NamedTuple):
    """A file or folder that could not be read, and why."""

    file: str
    error: str


class AuditReport(NamedTuple):
    """The audits of a run, worst first, what is wrong across devices, and what could not be read.

    ``left_out`` are files of folders that no reader recognised; ``moment`` is the time that the audit went by.
    """

    audits: tuple[DeviceAudit, ...]
    network: tuple[FleetFinding, ...]
    unreadable: tuple[Unreadable, ...]
    moment: datetime.datetime
    left_out: tuple[str, ...] = ()

    @property
    def severities(self) -> list[Severity]:
        """The severities of all findings."""
        own = [finding.severity for audit in self.audits for finding in audit.findings]
        return own + [finding.severity for finding in self.network]

    @property
    def counts(self) -> dict[Severity, int]:
        """How many findings there are of each severity, worst first."""
        found = self.severities
        return {severity: found.count(severity) for severity in reversed(Severity)}

    @property
    def device_counts(self) -> dict[Severity, int]:
        """The same of the findings that are about one device."""
        found = [finding.severity for audit in self.audits for finding in audit.findings]
        return {severity: found.count(severity) for severity in reversed(Severity)}
