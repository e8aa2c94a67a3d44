"""One state of a network, judged: each device with its access paths, findings and expectations."""

import datetime
import os
from collections.abc import Sequence
from typing import NamedTuple

from overhang.auditing import DeviceAudit, audit_config
from overhang.difference import Side
from overhang.exposure import ExpectationChecker, ExpectationResult, applies_to
from overhang.exposure.knowledge import Examined, Knowledge
from overhang.language import ParsedConfig
from overhang.model.hash_budget import share_of
from overhang.project import Project


class Judged(NamedTuple):
    """One device: its access paths, its audit before findings are folded, and what became of each expectation.

    ``people`` is its project with all that each person knows there, by what they know on any device.
    """

    side: Side
    audit: DeviceAudit
    expectations: tuple[ExpectationResult, ...] = ()
    people: Project = Project()


def judge(devices: Sequence[tuple[ParsedConfig, Project]], moment: datetime.datetime) -> list[Judged]:
    """Judge the devices of one state of a network, by the clock of ``moment``."""
    key = os.urandom(32)
    found: list[Judged] = []
    for config, project in devices:
        found.append(judge_one(config, project, moment, len(devices), key))
    knowledge = None
    if found[1:] and any(project.people for _, project in devices):
        knowledge = Knowledge([Examined(each.side.resolved, each.side.found, each.side.project) for each in found])
    for number, each in enumerate(found):
        people = each.side.project if knowledge is None else knowledge.people_of(number)
        found[number] = each._replace(people=people, expectations=expectations_on(each.side, people, moment))
    return found


def judge_one(
    config: ParsedConfig, project: Project, moment: datetime.datetime, devices: int = 1, key: bytes = b""
) -> Judged:
    """Judge one of some devices, by itself: without expectations, and with the project as it is."""
    sides: list[Side] = []
    audit = audit_config(
        config,
        project,
        moment,
        key,
        share_of(project.thresholds.guess, devices),
        lambda resolved, found: sides.append(Side(config, project, resolved, found)),
    )
    return Judged(sides[0], audit, (), project)


def expectations_on(side: Side, project: Project, moment: datetime.datetime) -> tuple[ExpectationResult, ...]:
    """What becomes of the expectations of a project on a device."""
    concerned = [each for each in project.expectations if applies_to(each, side.config.device)]
    if not concerned:
        return ()
    checker = ExpectationChecker(side.resolved, side.found, project, moment)
    return tuple(checker.check(each) for each in concerned)
