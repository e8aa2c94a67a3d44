"""When an idle session ends: it decides no login, and holds for whoever is in."""

from overhang.model.vocabulary import WEB_WAYS
from overhang.profiles import UNKNOWN
from overhang.simulation.evaluation import Evaluation
from overhang.simulation.lockout import LockoutState
from overhang.simulation.oracle import AttemptOracle
from overhang.simulation.policies import holds
from overhang.simulation.resolve import ResolvedDevice
from overhang.simulation.result import Attempt, Resolved
from overhang.simulation.views import Endpoint


def idle_after(resolved: ResolvedDevice, attempt: Attempt, endpoint: Endpoint | None) -> Resolved:
    """After how many seconds an idle session at an endpoint ends, None for never, and what says so.

    A policy that holds for it goes first; else the shorter one of the service's and the entry's.
    """
    if endpoint is None:
        return resolved.facts["unsaid-idle"]
    run = Evaluation(resolved, attempt, AttemptOracle(attempt, resolved), LockoutState())
    for policy in resolved.device.policies.values():
        if policy.idle is not None and holds(run, endpoint, ("policy", policy.name), attempt.name):
            return Resolved(*policy.idle)
    device = resolved.device
    if endpoint.via in WEB_WAYS:
        return resolved.said_or(device.web.idle, "unsaid-idle", device.web.block)
    service = {"ssh": device.ssh, "telnet": device.telnet}.get(endpoint.via)
    own = Resolved(*service.idle) if service is not None and service.idle is not None else None
    entry = endpoint.entry.idle if endpoint.entry is not None else resolved.facts["unsaid-idle"]
    if own is None:
        return entry
    if endpoint.entry is None or entry.value is UNKNOWN or entry.value is None:
        return own
    return own if own.value is not None and own.value < entry.value else entry
