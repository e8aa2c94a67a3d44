"""What is wrong across the devices of a run, and what of it could not be examined."""

import datetime
from collections.abc import Sequence
from typing import NamedTuple

from overhang.auditing import DeviceAudit, run_fleet_rules
from overhang.auditing.fleet import FleetFinding, WaivedFleetFinding
from overhang.auditing.results import NotExamined
from overhang.project import Project
from overhang.spread.world import NetworkPart


class Across(NamedTuple):
    """The findings across devices, those that are waived, and what is to be noted of the devices of some files."""

    network: tuple[FleetFinding, ...] = ()
    waived: tuple[WaivedFleetFinding, ...] = ()
    note: NotExamined | None = None
    files: frozenset[str] = frozenset()

    def noted(self, audits: Sequence[DeviceAudit]) -> list[DeviceAudit]:
        """The audits of devices, with the note at those that it is about."""
        if self.note is None:
            return list(audits)
        note = self.note
        return [
            each._replace(not_examined=(*each.not_examined, note)) if each.file in self.files else each
            for each in audits
        ]


def compare_devices(
    audits: Sequence[DeviceAudit], parts: Sequence[NetworkPart], projects: Sequence[Project], today: datetime.date
) -> Across:
    """Hold the devices of a run against one another, each by its audit and its part of the network."""
    ordered = sorted(audits, key=lambda audit: (audit.name, audit.file))
    secrets, note, files = None, None, frozenset[str]()
    if parts[1:]:
        from overhang.spread.network import network_of, secrets_of, untried_note  # of no use to a single device

        world = network_of(parts, {each.file: each for each in projects})
        secrets = secrets_of(world)
        note, files = untried_note(world)
    found, waived = run_fleet_rules(ordered, projects, today, secrets)
    return Across(tuple(found), tuple(waived), note, files)
