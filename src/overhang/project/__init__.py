"""The project file, ``overhang.toml``: what stands beside the sheets."""

from overhang.project.load import NAME, BadProject, find_project, read_project
from overhang.project.model import Claim, Person, Project, Thresholds

__all__ = ["NAME", "BadProject", "Claim", "Person", "Project", "Thresholds", "find_project", "read_project"]
