"""Remedies as lines of the sheet language: what a person would say to a device to mend a fault.

``withheld`` stands where somebody has to choose a secret; 192.0.2.0/24 (RFC 5737) where only they know the network.
"""

from collections.abc import Iterable
from typing import TYPE_CHECKING

from overhang.login import shut_by
from overhang.login.setting import PORTS, VTY_WAYS, WEB_WAYS
from overhang.secrets import Form
from overhang.sheet.kinds import WAYS
from overhang.sheet.write import duration as spelt
from overhang.sheet.write import word

__all__ = ["NEW_ACCOUNT", "NEW_LIST", "NEW_NETWORK", "Remedies", "block", "spelt", "vty_heads", "word"]

if TYPE_CHECKING:
    from overhang.rules.case import Case, Spot

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
    from overhang.rules.case import runs_of

    return [f"entry vty {first}-{last}" if first != last else f"entry vty {first}" for first, last in runs_of(numbers)]


class Remedies:
    """Makes remedies for one device."""

    def __init__(self, case: "Case") -> None:
        self._case = case

    def heads(self, spot: "Spot") -> list[str]:
        """The heads of the blocks that decide what a spot asks: its service where that has a say, else its entry."""
        if spot.via in PORTS:
            return [f"entry {spot.via}"]
        if spot.service is not None and spot.service.check is not None:
            return [self.service_head(spot)]
        return vty_heads(spot.numbers) if spot.numbers else [self.service_head(spot)]

    def service_head(self, spot: "Spot") -> str:
        """The head of a spot's service."""
        if spot.via in WEB_WAYS:
            return "web"
        return f"door {word(spot.via.removeprefix('door:'))}" if spot.via.startswith("door:") else spot.via

    def at(self, spot: "Spot", *lines: str) -> list[str]:
        """Lines said where a spot's check is said."""
        return [each for head in self.heads(spot) for each in block(head, *lines)]

    def accounts(self, *vias: str) -> list[str]:
        """What makes a local account usable by some ways; nothing where one is already."""
        unsaid = self._case.setting.facts["unsaid-via"].value
        vias = tuple(via for via in vias if via in WAYS)  # an account is not limited by doors
        for account in self._case.setting.accounts:
            allowed = account.ways if account.ways is not None else unsaid if isinstance(unsaid, tuple) else ()
            barred = not set(vias) <= set(allowed)
            form = account.keyhole.stored.form if account.keyhole is not None else None
            off = shut_by(account, self._case.moment) is not None
            if form not in (None, Form.NONE, Form.FACTORY) and not barred and not off:
                return []
        names = [person.account for person in self._case.people() if person.account]
        free = [name for name in names if name not in self._case.device.users]
        level = "1" if 15 in self._case.setting.elevations else "15"
        ways = [via for via in dict.fromkeys(vias) if not isinstance(unsaid, tuple) or via not in unsaid]
        lines = ["password withheld", f"level {level}", *([f"via {' '.join(ways)}"] if ways else [])]
        return block(f"user {word((free or [NEW_ACCOUNT])[0])}", *lines)

    def check_users(self, spots: Iterable["Spot"]) -> list[str]:
        """Local accounts are asked for at these places."""
        spots = list(spots)
        lines: dict[str, None] = {}
        for spot in spots:
            for head in self.heads(spot):
                lines[head] = None
        said = [each for head in lines for each in block(head, "check users")]
        return [*said, *self.accounts(*(spot.via for spot in spots))]

    def limit(self) -> tuple[str, list[str]]:
        """The name of a list of the management's networks, and what makes it where there is none."""
        case = self._case
        space = case.ways.space
        wanted = [prefix for name in case.project.management for prefix in case.project.networks[name]]
        for name, each in case.setting.lists.items():
            allowed = space.allowed(each)
            if not allowed or space.wide(allowed):
                continue
            if not wanted or all(space.holding(p.family, p.low, p.high) & allowed for p in wanted):
                return word(name), []
        name = next(
            each for each in (NEW_LIST, *(f"{NEW_LIST}-{n}" for n in range(2, 99))) if each not in case.setting.lists
        )
        networks = [str(prefix) for prefix in wanted] or [NEW_NETWORK]
        return name, block(f"sources {name}", *(f"allow {each}" for each in networks))

    def ssh_for(self, numbers: Iterable[int]) -> list[str]:
        """What lets these VTYs take SSH and nothing else, with a key and accounts that it needs."""
        case = self._case
        lines = [each for head in vty_heads(numbers) for each in block(head, "accept ssh")]
        ssh = case.setting.services["ssh"]
        usable = any(spot.via == "ssh" and spot.rows for spot in case.spots())
        if not usable:
            said = ["on"] if ssh.on.value != "on" else []
            if not case.device.ssh.host_keys:
                said += ["versions 2", "host-key ed25519"]
            lines += block("ssh", *said) if said else []
            views = [view for view in case.vtys() if view.number in set(numbers)]
            if any(view.check is None or view.check.value.kind in ("password", "nothing") for view in views):
                lines += [each for head in vty_heads(numbers) for each in block(head, "check users")]
            lines += self.accounts(*VTY_WAYS[:1])
        return lines
