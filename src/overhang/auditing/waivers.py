"""Waivers: findings that are accepted on some devices, until a day."""

import datetime
from fnmatch import fnmatchcase

from overhang.project import Project, Waiver


def waived_by(project: Project, rule: str, device: str, today: datetime.date) -> Waiver | None:
    """The waiver under which a finding is accepted today, if there is one."""
    for waiver in project.waivers:
        if waiver.rule == rule and waiver.until >= today and any(fnmatchcase(device, each) for each in waiver.devices):
            return waiver
    return None
