"""Waivers: findings that are accepted on some devices, until a day."""

import datetime
from collections.abc import Sequence
from fnmatch import fnmatchcase

from overhang.project import Project, Waiver


def waived_by(project: Project, rule: str, device: str, today: datetime.date) -> Waiver | None:
    """The waiver under which a finding is accepted today, if there is one."""
    for waiver in project.waivers:
        if waiver.rule == rule and waiver.until >= today and any(fnmatchcase(device, each) for each in waiver.devices):
            return waiver
    return None


def waived_on_all(project: Project, rule: str, devices: Sequence[str], today: datetime.date) -> Waiver | None:
    """The waiver under which a finding about some devices together is accepted: one that covers each of them."""
    for waiver in project.waivers:
        covered = all(any(fnmatchcase(device, each) for each in waiver.devices) for device in devices)
        if devices and waiver.rule == rule and waiver.until >= today and covered:
            return waiver
    return None
