"""What looking into one device may cost, counted in steps and not by a clock: a run is the same on every machine."""

from overhang.simulation.resolve import ResolvedDevice

#: So many steps are spent on any device; those with more in them have more, in proportion.
_LEAST = 30_000
_STEPS_A_PART = 30


class TooMuchWork(Exception):
    """What was asked for takes more steps than there are."""


class Work:
    """The steps that are left. ``steps`` is how many there were, ``a_run`` what one run of the exploration takes, and
    ``a_login`` one of the decision on somebody's login.

    A step is about ten microseconds on a plain machine.
    """

    def __init__(self, resolved: ResolvedDevice) -> None:
        device = resolved.device
        communities, addresses = len(device.snmp.communities), len(resolved.addresses)
        rules = sum(len(each.rules) for each in device.sources.values())
        parts = len(resolved.accounts) + len(device.vtys) + communities + addresses + rules
        self.steps = self.left = max(_LEAST, _STEPS_A_PART * parts)
        most_keys = max((len(account.keys) for account in resolved.accounts), default=0)
        self.a_run = 5 + len(device.vtys) // 40 + len(device.policies) // 4 + most_keys // 2
        self.a_login = self.a_run + addresses // 8

    def spend(self, steps: int) -> None:
        """Take steps away; below 0 nothing more is begun."""
        self.left -= steps

    @property
    def done(self) -> bool:
        """Whether nothing is left."""
        return self.left <= 0
