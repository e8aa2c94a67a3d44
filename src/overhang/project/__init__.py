"""The project file, ``overhang.toml``."""

from overhang.files import PROJECT as NAME
from overhang.project.loader import BadProject, find_project, read_project
from overhang.project.model import Expectation, Person, Project, Waiver
from overhang.project.thresholds import THRESHOLDS, Thresholds

__all__ = [
    "NAME",
    "THRESHOLDS",
    "BadProject",
    "Expectation",
    "Person",
    "Project",
    "Thresholds",
    "Waiver",
    "find_project",
    "read_project",
]
