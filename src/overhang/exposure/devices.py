"""From a configuration that was read, under a project, to the device that the decision works on."""

from overhang.language import ParsedConfig
from overhang.model.hash_budget import HashBudget, share_of
from overhang.project import Project
from overhang.simulation import ResolvedDevice


def resolve(config: ParsedConfig, project: Project, hashes: HashBudget | None = None) -> ResolvedDevice:
    """Resolve a device: every value that is stated, and what the profile means by every one that is not.

    ``hashes`` is what trying the device's hashes may cost, by default what the project gives one device. The profiles
    are the project's, with those that the configuration's own language adds.
    """
    profiles = {**config.profiles, **project.profiles} if config.profiles else project.profiles
    assumed = profiles[project.profile] if project.profile is not None else config.assumed
    return ResolvedDevice(
        config.device,
        profiles,
        all_read=config.fully_understood,
        assumed=assumed,
        hashes=hashes or share_of(project.thresholds.guess, 1),
    )
