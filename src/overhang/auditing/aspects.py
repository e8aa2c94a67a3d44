"""The aspects of management access that a checklist marks, and which of them a finding stands behind."""

import enum
from collections.abc import Iterable
from functools import cache
from typing import Protocol

from overhang.auditing.findings import Fault
from overhang.model.vocabulary import PORTS, VTY_WAYS


class Aspect(enum.Enum):
    """One question of who opens an audit; the value is its heading, short and whole."""

    CONSOLE = ("con", "console")
    AUXILIARY = ("aux", "auxiliary port")
    VTY = ("vty", "VTYs")
    ELEVATION = ("elev", "elevation")
    AUTHENTICATION = ("auth", "authentication")
    TRANSPORT = ("ssh", "SSH only")
    SOURCES = ("src", "sources")
    DOORS = ("web", "web and other doors")
    POLICY = ("pol", "policy")
    KEEPING = ("keep", "keeping")

    @property
    def short(self) -> str:
        """A heading of at most four letters."""
        return self.value[0]

    @property
    def title(self) -> str:
        """The whole heading."""
        return self.value[1]


class _OnPaths(Protocol):
    @property
    def rule(self) -> str: ...

    @property
    def opens(self) -> Iterable["_ByWay"]: ...

    @property
    def dedup_keys(self) -> Iterable[tuple[object, object]]: ...


class _ByWay(Protocol):
    @property
    def via(self) -> str: ...


#: The aspects of the rules of a topic; of one that is not here, those of the ways that its findings are about.
_TOPICS = {
    "VTYs": Aspect.VTY,
    "elevation": Aspect.ELEVATION,
    "accounts": Aspect.AUTHENTICATION,
    "method lists": Aspect.AUTHENTICATION,
    "SSH": Aspect.TRANSPORT,
    "web and other services": Aspect.DOORS,
    "source addresses": Aspect.SOURCES,
    "password policy": Aspect.POLICY,
    "configuration and logging": Aspect.KEEPING,
}
#: Rules that stand behind another aspect than the others of their topic.
_RULES = {
    "telnet-accepted": Aspect.TRANSPORT,
    "idle-timeout": Aspect.POLICY,
    "vty-sources-differ": Aspect.SOURCES,
    "ssh-needs-account": Aspect.TRANSPORT,
    "elevation-bypasses-servers": Aspect.ELEVATION,
    "web-bypasses-servers": Aspect.DOORS,
    "no-banner": Aspect.KEEPING,
    "banner-welcomes": Aspect.KEEPING,
    "banner-discloses": Aspect.KEEPING,
}


@cache
def _topics() -> dict[str, str]:
    from overhang.auditing.registry import all_rules  # the rules import what stands above

    return {rule.name: rule.topic for rule in all_rules()}


def aspects_of(finding: _OnPaths) -> set[Aspect]:
    """The aspects that a finding stands behind. One without a topic's own is behind those of the ways it is about, and
    behind authentication where it is about none."""
    if finding.rule == "never-configured":
        return set(Aspect)
    own = _RULES.get(finding.rule) or _TOPICS.get(_topics().get(finding.rule, ""))
    if own is not None:
        return {own}
    vias = {path.via for path in finding.opens}
    for fault, subject in finding.dedup_keys:
        if fault is Fault.CHECK:
            vias.add(subject if isinstance(subject, str) else "ssh")
    return {aspect for via in vias if (aspect := _of_way(via)) is not None} or {Aspect.AUTHENTICATION}


def _of_way(via: str) -> Aspect | None:
    if via in PORTS:
        return Aspect[via.upper()]
    if via in VTY_WAYS:
        return Aspect.VTY
    return Aspect.DOORS if via in ("http", "https", "snmp") or via.startswith("door:") else None
