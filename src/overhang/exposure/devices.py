"""From a configuration that was read, under a project, to the device that the decision works on."""

from overhang.language import ParsedConfig
from overhang.project import Project
from overhang.simulation import ResolvedDevice


def resolve(config: ParsedConfig, project: Project) -> ResolvedDevice:
    """Resolve a device: every value that is stated, and what the profile means by every one that is not.

    The profiles are the project's, with those that the configuration's own language adds.
    """
    profiles = {**config.profiles, **project.profiles} if config.profiles else project.profiles
    assumed = profiles[project.profile] if project.profile is not None else config.assumed
    return ResolvedDevice(config.device, profiles, all_read=config.fully_understood, assumed=assumed)
