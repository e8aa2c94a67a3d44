"""The audits of a run together, as a value: what every report is made from."""

import datetime
from typing import NamedTuple

from overhang.auditing.findings import Severity
from overhang.auditing.fleet import FleetFinding, WaivedFleetFinding
from overhang.auditing.results import DeviceAudit


class Unreadable(NamedTuple):
    """A file or folder that could not be read, and why."""

    file: str
    error: str


class Changed(NamedTuple):
    """A finding that came or went: the device ("" across devices), the rule, and how severe it is or was."""

    device: str
    rule: str
    severity: Severity


class Change(NamedTuple):
    """What changed since an earlier report: the findings that are ``new`` or ``gone``, how many it knew already, and
    devices that were ``added``, are ``missing``, or were ``renamed``, each with the name before and now.

    ``filtered`` tells that the findings that it knew are left out of the report.
    """

    since: str
    new: tuple[Changed, ...]
    gone: tuple[Changed, ...]
    known: int
    added: tuple[str, ...] = ()
    missing: tuple[str, ...] = ()
    renamed: tuple[tuple[str, str], ...] = ()
    filtered: bool = False


class AuditReport(NamedTuple):
    """The audits of a run, worst first, what is wrong across devices, and what could not be read.

    ``left_out`` are files of folders that no reader recognised; ``moment`` is the time that the audit went by.
    ``network_waived`` are findings across devices that are waived, ``hidden`` counts those that were not asked for,
    ``change`` is what changed since an earlier report, where one was given.
    """

    audits: tuple[DeviceAudit, ...]
    network: tuple[FleetFinding, ...]
    unreadable: tuple[Unreadable, ...]
    moment: datetime.datetime
    left_out: tuple[str, ...] = ()
    network_waived: tuple[WaivedFleetFinding, ...] = ()
    hidden: int = 0
    change: Change | None = None

    def severities(self, *, certain: bool = False) -> list[Severity]:
        """The severities of all findings, or with ``certain`` of those that are not just possible."""
        own = [each.severity for audit in self.audits for each in audit.findings if not (certain and each.possible)]
        return own + [finding.severity for finding in self.network]

    @property
    def counts(self) -> dict[Severity, int]:
        """How many certain findings there are of each severity, worst first."""
        return _counted(self.severities(certain=True))

    @property
    def possible_counts(self) -> dict[Severity, int]:
        """The same of the findings that are only possible."""
        return _counted([each.severity for audit in self.audits for each in audit.findings if each.possible])

    @property
    def device_counts(self) -> dict[Severity, int]:
        """The same of the certain findings that are about one device."""
        return _counted([each.severity for audit in self.audits for each in audit.findings if not each.possible])


def _counted(severities: list[Severity]) -> dict[Severity, int]:
    return {severity: severities.count(severity) for severity in reversed(Severity)}
