"""Remedies as lines of the sheet language: what a person would say to a device to mend a fault.

``withheld`` stands where somebody has to choose a secret; 192.0.2.0/24 (RFC 5737) where only they know the network.
"""

from collections.abc import Iterable
from typing import TYPE_CHECKING

from overhang.language.lexer import quote_word as word
from overhang.model.durations import format_duration as spelt
from overhang.model.stored_secret import Form
from overhang.model.vocabulary import PORTS, VTY_WAYS, WAYS, WEB_WAYS
from overhang.simulate import shut_by

__all__ = ["NEW_ACCOUNT", "NEW_LIST", "NEW_NETWORK", "Fixes", "block", "spelt", "vty_heads", "word"]

if TYPE_CHECKING:
    from overhang.audit.context import AccessPoint, RuleContext

NEW_ACCOUNT = "your-name"
NEW_LIST = "managers"
NEW_NETWORK = "192.0.2.0/24"


def block(head: str, *lines: str) -> list[str]:
    """A block and the lines in it; what is taken back is said before it, as the language wants it."""
    gone = [f"drop {head}: {line.removeprefix('drop ')}" for line in lines if line.startswith("drop ")]
    said = [f"    {line}" for line in lines if not line.startswith("drop ")]
    return [*gone, f"{head}:", *said] if said else gone


def vty_heads(numbers: Iterable[int]) -> list[str]:
    """The heads of blocks that speak of all these VTYs."""
    from overhang.audit.context import runs_of

    return [f"entry vty {first}-{last}" if first != last else f"entry vty {first}" for first, last in runs_of(numbers)]


class Fixes:
    """Makes remedies for one device."""

    def __init__(self, context: "RuleContext") -> None:
        self._context = context

    def heads(self, point: "AccessPoint") -> list[str]:
        """The heads of the blocks that decide what a spot asks: its service where that has a say, else its entry."""
        if point.via in PORTS:
            return [f"entry {point.via}"]
        if point.service is not None and point.service.check is not None:
            return [self.service_head(point)]
        return vty_heads(point.numbers) if point.numbers else [self.service_head(point)]

    def service_head(self, point: "AccessPoint") -> str:
        """The head of a spot's service."""
        if point.via in WEB_WAYS:
            return "web"
        return f"door {word(point.via.removeprefix('door:'))}" if point.via.startswith("door:") else point.via

    def at(self, point: "AccessPoint", *lines: str) -> list[str]:
        """Lines said where a spot's check is said."""
        return [each for head in self.heads(point) for each in block(head, *lines)]

    def accounts(self, *vias: str) -> list[str]:
        """What makes a local account usable by some ways; nothing where one is already."""
        unsaid = self._context.resolved.facts["unsaid-via"].value
        vias = tuple(via for via in vias if via in WAYS)  # an account is not limited by doors
        for account in self._context.resolved.accounts:
            allowed = account.ways if account.ways is not None else unsaid if isinstance(unsaid, tuple) else ()
            barred = not set(vias) <= set(allowed)
            form = account.credential.stored.form if account.credential is not None else None
            off = shut_by(account, self._context.moment) is not None
            if form not in (None, Form.NONE, Form.FACTORY) and not barred and not off:
                return []
        names = [person.account for person in self._context.people() if person.account]
        free = [name for name in names if name not in self._context.device.users]
        level = "1" if 15 in self._context.resolved.elevations else "15"
        exposure = [via for via in dict.fromkeys(vias) if not isinstance(unsaid, tuple) or via not in unsaid]
        lines = ["password withheld", f"level {level}", *([f"via {' '.join(exposure)}"] if exposure else [])]
        return block(f"user {word((free or [NEW_ACCOUNT])[0])}", *lines)

    def check_users(self, access_points: Iterable["AccessPoint"]) -> list[str]:
        """Local accounts are asked for at these places."""
        access_points = list(access_points)
        lines: dict[str, None] = {}
        for point in access_points:
            for head in self.heads(point):
                lines[head] = None
        said = [each for head in lines for each in block(head, "check users")]
        return [*said, *self.accounts(*(point.via for point in access_points))]

    def limit(self) -> tuple[str, list[str]]:
        """The name of a list of the management's networks, and what makes it where there is none."""
        context = self._context
        address_classes = context.exposure.address_classes
        wanted = [prefix for name in context.project.management for prefix in context.project.networks[name]]
        for name, each in context.resolved.lists.items():
            allowed = address_classes.allowed(each)
            if not allowed or address_classes.wide(allowed):
                continue
            if not wanted or all(address_classes.holding(p.family, p.low, p.high) & allowed for p in wanted):
                return word(name), []
        name = next(
            each
            for each in (NEW_LIST, *(f"{NEW_LIST}-{n}" for n in range(2, 99)))
            if each not in context.resolved.lists
        )
        networks = [str(prefix) for prefix in wanted] or [NEW_NETWORK]
        return name, block(f"sources {name}", *(f"allow {each}" for each in networks))

    def ssh_for(self, numbers: Iterable[int]) -> list[str]:
        """What lets these VTYs take SSH and nothing else, with a key and accounts that it needs."""
        context = self._context
        lines = [each for head in vty_heads(numbers) for each in block(head, "accept ssh")]
        ssh = context.resolved.services["ssh"]
        usable = any(point.via == "ssh" and point.paths for point in context.access_points())
        if not usable:
            said = ["on"] if ssh.on.value != "on" else []
            if not context.device.ssh.host_keys:
                said += ["versions 2", "host-key ed25519"]
            lines += block("ssh", *said) if said else []
            views = [view for view in context.vtys() if view.number in set(numbers)]
            if any(view.check is None or view.check.value.kind in ("password", "nothing") for view in views):
                lines += [each for head in vty_heads(numbers) for each in block(head, "check users")]
            lines += self.accounts(*VTY_WAYS[:1])
        return lines
