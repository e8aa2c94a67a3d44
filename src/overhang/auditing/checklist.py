"""The questions of who opens an audit, answered at a glance: a mark for each aspect of a device.

Marks come from the access paths and the findings alone. Findings that are waived do not count.
"""

import enum
from collections.abc import Iterable, Iterator, Sequence
from typing import NamedTuple

from overhang.auditing.aspects import Aspect, aspects_of
from overhang.auditing.context import RuleContext
from overhang.auditing.findings import Finding, Severity
from overhang.auditing.timeouts import timeouts
from overhang.auditing.wording import listed
from overhang.exposure import AccessPath
from overhang.exposure.phrases import from_phrase
from overhang.model.blocks import BlockInfo
from overhang.model.vocabulary import PORTS, VTY_WAYS, way_label
from overhang.profiles import UNKNOWN

_FREE_ELEVATION = ("no-enable-secret", "elevation-without-account", "elevation-no-authentication")
_NO_SSH = ("ssh-off", "ssh-no-key", "ssh-no-identity", "ssh-needs-account")


_NOT_ALL = "not every access path was worked out"


class Mark(enum.Enum):
    """How an aspect stands, worst first; the value is its letter."""

    OPEN = "O"
    LOCKED_OUT = "L"
    WEAK = "W"
    CANNOT_TELL = "?"
    GOOD = "G"
    NOT_THERE = "-"

    @property
    def word(self) -> str:
        """The word that reports use."""
        return self.name.lower().replace("_", " ")


class ChecklistItem(NamedTuple):
    """The mark of one aspect, and the reason in one line."""

    aspect: Aspect
    mark: Mark
    reason: str


def checklist(context: RuleContext, findings: Sequence[Finding], *, loose_doubt: bool) -> list[ChecklistItem]:
    """A mark for each aspect. ``loose_doubt``: a line was not understood that may be about any of them."""
    return list(_Checklist(context, findings, loose_doubt=loose_doubt).items())


class _Checklist:
    def __init__(self, context: RuleContext, findings: Sequence[Finding], *, loose_doubt: bool) -> None:
        self.context = context
        self.loose_doubt = loose_doubt
        self.unsure = [path for path in context.exposure.paths if not path.sure]
        self.behind: dict[Aspect, list[Finding]] = {aspect: [] for aspect in Aspect}
        for finding in findings:
            for aspect in aspects_of(finding):
                self.behind[aspect].append(finding)

    def items(self) -> Iterator[ChecklistItem]:
        for aspect in Aspect:
            mark, reason = self.base(aspect)
            if mark in (Mark.GOOD, Mark.NOT_THERE):
                mark, reason = self.judged(aspect, mark, reason)
            if mark in (Mark.GOOD, Mark.NOT_THERE) and not self.context.all_found:
                mark, reason = Mark.CANNOT_TELL, _NOT_ALL
            yield ChecklistItem(aspect, mark, reason)

    def judged(self, aspect: Aspect, mark: Mark, reason: str) -> tuple[Mark, str]:
        """What the findings behind an aspect make of its mark."""
        certain = [each for each in self.behind[aspect] if not each.possible and each.severity > Severity.INFO]
        possible = [each for each in self.behind[aspect] if each.possible]
        worst = max((each.severity for each in certain), default=-1)
        maybe = max(possible, key=lambda each: each.severity, default=None)
        if maybe is not None and maybe.severity > worst:
            return Mark.CANNOT_TELL, maybe.message
        if certain:
            return Mark.WEAK, next(each.message for each in certain if each.severity == worst)
        if self.block_doubt(aspect, mark) or self.loose_doubt:
            return Mark.CANNOT_TELL, "a line that may be about it was not understood"
        if aspect is Aspect.POLICY and self.unjudged():
            return Mark.CANNOT_TELL, "which logins succeed, or when idle sessions end, is not known"
        return mark, reason

    def unjudged(self) -> bool:
        """Whether what is asked of passwords and sessions may be missed where somebody may log in: nobody knows when
        sessions end, or no login by a password is certain."""
        lock, pause = self.context.device.passwords.lock, self.context.device.management.pause
        lax = pause is None if lock is None else lock.value.failures > self.context.thresholds.failures
        if lax and self.unsure and not any(path.needs for path in self.context.paths):
            return True
        unsure = {path.via for path in self.unsure}
        for point in self.context.access_points:
            for _, idle, _ in timeouts(self.context, point) if point.paths or point.via in unsure else ():
                late = idle.value is None or (idle.value is not UNKNOWN and idle.value > self.context.thresholds.idle)
                if idle.value is UNKNOWN or (late and not point.paths):
                    return True
        return False

    def block_doubt(self, aspect: Aspect, mark: Mark) -> bool:
        """Whether a line was not understood in a block that an aspect hangs on; that nothing is there hangs on more."""
        device = self.context.device
        if aspect is Aspect.ELEVATION and mark is Mark.NOT_THERE and device.unread_users is not None:
            return True
        ports = [device.console.block, device.auxiliary.block]
        vtys = [*(each.block for each in device.vtys.values()), device.ssh.block, device.telnet.block]
        doors = [device.web.block, device.snmp.block, *(each.block for each in device.doors.values())]
        limits = [device.management.block, *(each.block for each in device.sources.values())]
        others = [each for via, each in self.context.resolved.services.items() if via not in VTY_WAYS]
        at_doors = limits if any(each.on.value != "off" for each in others) else []
        users = [each.block for each in device.users.values()]
        elevating = [*ports, *vtys, *users] if mark is Mark.NOT_THERE else []
        blocks: dict[Aspect, list[BlockInfo]] = {
            Aspect.CONSOLE: ports[:1],
            Aspect.AUXILIARY: ports[1:],
            Aspect.VTY: vtys + limits,
            Aspect.ELEVATION: [*(each.block for each in device.elevations.values()), *elevating],
            Aspect.AUTHENTICATION: [*users, *(methods.block for methods in device.lists.values())],
            Aspect.TRANSPORT: vtys + limits,
            Aspect.SOURCES: vtys + doors + limits,
            Aspect.DOORS: doors + at_doors,
            Aspect.POLICY: [device.passwords.block],
            Aspect.KEEPING: [device.management.block, device.facts.block],
        }
        return any(block.doubt is not None for block in blocks[aspect])

    def base(self, aspect: Aspect) -> tuple[Mark, str]:
        """The mark that the access paths give, before findings are looked at."""
        if aspect is Aspect.CONSOLE or aspect is Aspect.AUXILIARY:
            return self.by_ways(aspect.name.lower())
        if aspect is Aspect.VTY:
            mark, reason = self.by_ways(*VTY_WAYS)
            return self.blocked_ssh() or (mark, reason) if mark is Mark.NOT_THERE else (mark, reason)
        if aspect is Aspect.DOORS:
            return self.by_ways(*(via for via in self.context.resolved.services if via not in VTY_WAYS))
        others = {
            Aspect.ELEVATION: self.elevation,
            Aspect.AUTHENTICATION: self.authentication,
            Aspect.TRANSPORT: self.transport,
            Aspect.SOURCES: self.sources,
        }
        return others[aspect]() if aspect in others else (Mark.GOOD, "as the thresholds ask")

    def by_ways(self, *vias: str) -> tuple[Mark, str]:
        certain = [path for path in self.context.paths if path.via in vias]
        free = [path for path in certain if not path.needs]
        if free:
            return Mark.OPEN, f"{self.phrase(free[0])} without a password: level {free[0].level}"
        if certain:
            return Mark.GOOD, f"asks for {self.asked(certain)}"
        return self.nobody(vias)

    def nobody(self, vias: Iterable[str]) -> tuple[Mark, str]:
        """The mark where no login by some ways surely succeeds."""
        ways = set(vias)
        if any(path.via in ways for path in self.unsure):
            return Mark.CANNOT_TELL, "its logins depend on something that is not known"
        if not self.context.all_found:
            return Mark.CANNOT_TELL, _NOT_ALL
        if any(point.arrives and point.via in ways for point in self.context.access_points):
            return Mark.LOCKED_OUT, "logins arrive, and none can succeed"
        return Mark.NOT_THERE, "accepts no login"

    def elevation(self) -> tuple[Mark, str]:
        found = {each.rule: each for each in self.behind[Aspect.ELEVATION] if not each.possible}
        for rule in _FREE_ELEVATION:
            if rule in found:
                return Mark.OPEN, found[rule].message
        if "level-15-unreachable" in found:
            return Mark.LOCKED_OUT, found["level-15-unreachable"].message
        if any(path.level > path.after_login for path in self.context.paths):
            named = 15 in self.context.device.elevations
            return Mark.GOOD, "an enable secret is set" if named else "a credential of its own is asked for"
        if any(path.level > path.after_login for path in self.unsure):
            return Mark.CANNOT_TELL, "it depends on something that is not known"
        return Mark.NOT_THERE, "no level is reached by elevation"

    def authentication(self) -> tuple[Mark, str]:
        ways = (*PORTS, *VTY_WAYS)
        certain = [path for path in self.context.paths if path.via in ways]
        free = [path for path in certain if not path.needs]
        if free:
            return Mark.OPEN, f"{self.phrase(free[0])} asks for nothing"
        if not certain:
            return self.nobody(ways)
        shared = any(name.startswith("entry:") for path in certain for name in self.context.names_of(path))
        return Mark.WEAK if shared else Mark.GOOD, self.asked(certain)

    def transport(self) -> tuple[Mark, str]:
        vias = {path.via for path in self.context.paths if path.via in VTY_WAYS}
        if not vias:
            return self.blocked_ssh() or self.nobody(VTY_WAYS)
        if "telnet" in vias:
            return Mark.WEAK, "Telnet is accepted" + (" alongside SSH" if "ssh" in vias else "")
        return Mark.GOOD, "SSH only"

    def blocked_ssh(self) -> tuple[Mark, str] | None:
        """The mark where VTYs wait for SSH and it accepts no connection; None elsewhere."""
        found = {each.rule: each for each in self.behind[Aspect.TRANSPORT] if not each.possible}
        return next(((Mark.LOCKED_OUT, found[rule].message) for rule in _NO_SSH if rule in found), None)

    def sources(self) -> tuple[Mark, str]:
        remote = [path for path in self.context.paths if path.sources is not None]
        wide = self.context.wide(remote)
        if wide:
            return Mark.OPEN, f"{way_label(wide[0].via)} from {', '.join(self.where(wide[0]))}"
        if remote:
            return Mark.GOOD, "from " + listed((each for path in remote for each in self.where(path)), 3)
        if any(path.sources is not None for path in self.unsure):
            return Mark.CANNOT_TELL, "remote logins depend on something that is not known"
        return Mark.NOT_THERE, "no remote login succeeds"

    def where(self, path: AccessPath) -> list[str]:
        return from_phrase(self.context.exposure, path)

    def phrase(self, path: AccessPath) -> str:
        if path.via in PORTS:
            return f"the {self.context.resolved.ports[path.via].label}"
        return f"{way_label(path.via)} from {', '.join(self.where(path))}"

    def asked(self, paths: Iterable[AccessPath]) -> str:
        """What logins ask for, the servers first."""
        names = {name for path in paths for name in self.context.names_of(path)}
        kinds = {
            "AAA servers": "server:",
            "local accounts": "user:",
            "keys": "key:",
            "a shared password": "entry:",
            "a community": "community:",
        }
        found = [word for word, start in kinds.items() if any(name.startswith(start) for name in names)]
        return listed(found) if found else "the enable secret"
