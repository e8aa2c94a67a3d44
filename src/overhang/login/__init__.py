"""Who gets in: the decision, in one place, for everybody who asks."""

from overhang.login import words
from overhang.login.accounts import shut_by
from overhang.login.decide import Decided, decide
from overhang.login.failures import Failures
from overhang.login.result import Attempt, Because, FromAttempt, FromProfile, Result, Step
from overhang.login.setting import Setting, setting_of

__all__ = [
    "Attempt",
    "Because",
    "Decided",
    "Failures",
    "FromAttempt",
    "FromProfile",
    "Result",
    "Setting",
    "Step",
    "decide",
    "setting_of",
    "shut_by",
    "words",
]
