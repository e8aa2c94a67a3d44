"""The login decision, in one place, for every caller."""

from overhang.simulation.accounts import shut_by
from overhang.simulation.decide import Decided, decide
from overhang.simulation.lockout import LockoutState
from overhang.simulation.reasons import Reason, Stage
from overhang.simulation.resolve import ResolvedDevice
from overhang.simulation.result import Attempt, FromAttempt, FromProfile, Provenance, Result, Step

__all__ = [
    "Attempt",
    "Decided",
    "FromAttempt",
    "FromProfile",
    "LockoutState",
    "Provenance",
    "Reason",
    "ResolvedDevice",
    "Result",
    "Stage",
    "Step",
    "decide",
    "shut_by",
]
