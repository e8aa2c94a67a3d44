"""Wrong answers so far: the counts that lock an account or pause remote logins.

A value of plain tuples: each run works on a copy.
"""

from overhang.model import Lock, Pause
from overhang.profiles.model import LockRule

Times = tuple[float, ...]


class LockoutState:
    """The times, in seconds since the sequence began, of the failures that still count."""

    __slots__ = ("accounts", "remote", "unsure")

    def __init__(
        self, accounts: dict[str, Times] | None = None, remote: Times = (), unsure: frozenset[str | None] = frozenset()
    ) -> None:
        self.accounts = accounts or {}
        self.remote = remote
        #: accounts (None: all remote logins together) of which nobody knows any more how often they failed
        self.unsure = unsure

    def copy(self) -> "LockoutState":
        """The same, to be changed apart."""
        return LockoutState(dict(self.accounts), self.remote, self.unsure)

    def key(self) -> tuple[object, ...]:
        """What makes two of them equal."""
        if not self.accounts:
            return (), self.remote, self.unsure
        return tuple(sorted(self.accounts.items())), self.remote, self.unsure

    def account_locked(self, name: str, rule: Lock | LockRule, at: float) -> bool:
        """Whether the account is locked at time ``at``; an ended lock sets its count to zero."""
        times = self.accounts.get(name, ())
        if len(times) < rule.failures:
            return False
        if rule.seconds is not None and at >= times[-1] + rule.seconds:
            del self.accounts[name]
            return False
        return True

    def account_failed(self, name: str, rule: Lock | LockRule, at: float) -> None:
        """Count a wrong password for the account."""
        window = rule.window if isinstance(rule, Lock) else None
        self.accounts[name] = _within(self.accounts.get(name, ()), window, at)

    def account_passed(self, name: str) -> None:
        """A right password sets the count to zero."""
        self.accounts.pop(name, None)

    def paused(self, rule: Pause, at: float) -> bool:
        """Whether remote logins are paused at time ``at``."""
        if len(self.remote) < rule.failures:
            return False
        if rule.seconds is not None and at >= self.remote[-1] + rule.seconds:
            self.remote = ()
            return False
        return True

    def remote_failed(self, rule: Pause, at: float) -> None:
        """Count a wrong answer of a remote login."""
        if len(self.remote) < rule.failures:
            self.remote = _within(self.remote, rule.window, at)


def joined(lockout_states: list[LockoutState]) -> LockoutState:
    """Several possible states merged: where they differ, the result is unknown from then on."""
    first = lockout_states[0]
    names = {name for world in lockout_states for name in world.accounts}
    same = {
        name for name in names if all(world.accounts.get(name) == first.accounts.get(name) for world in lockout_states)
    }
    unsure = {each for world in lockout_states for each in world.unsure} | (names - same)
    if any(world.remote != first.remote for world in lockout_states):
        unsure.add(None)
    return LockoutState({name: first.accounts[name] for name in same}, first.remote, frozenset(unsure))


def _within(times: Times, window: int | None, at: float) -> Times:
    if window is not None:
        times = tuple(time for time in times if at - time < window)
    return (*times, at)
