"""The project file, ``overhang.toml``: what stands beside the sheets."""

from overhang.project.load import NAME, BadProject, find_project, read_project
from overhang.project.model import Claim, Person, Project, Waiver
from overhang.project.thresholds import THRESHOLDS, Thresholds

__all__ = [
    "NAME",
    "THRESHOLDS",
    "BadProject",
    "Claim",
    "Person",
    "Project",
    "Thresholds",
    "Waiver",
    "find_project",
    "read_project",
]
