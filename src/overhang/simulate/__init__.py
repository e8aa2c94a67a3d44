"""Who gets in: the decision, in one place, for everybody who asks."""

from overhang.simulate.accounts import shut_by
from overhang.simulate.decide import Decided, decide
from overhang.simulate.lockout import LockoutState
from overhang.simulate.reasons import Reason, Stage
from overhang.simulate.resolve import ResolvedDevice
from overhang.simulate.result import Attempt, FromAttempt, FromProfile, Provenance, Result, Step

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
