"""The stored passwords of a device, each with its place."""

from collections.abc import Iterator
from typing import NamedTuple

from overhang.model import Configured, Device, StoredSecret
from overhang.text import Origin


class PasswordPlace(NamedTuple):
    """A stored password: its item of knowledge or another name, what people call it, and the form it is kept in.

    ``unused`` tells that another password of the same lock counts in its place.
    """

    item: str
    label: str
    said: Configured[StoredSecret]
    unused: bool = False


def stored_passwords(device: Device) -> list[PasswordPlace]:
    """Every stored password of a device, in the order of its lines."""
    return sorted(_all_passwords(device), key=lambda place: place.said.origin.line)


def _all_passwords(device: Device) -> Iterator[PasswordPlace]:
    for label, entry in (("console", device.console), ("auxiliary port", device.auxiliary)):
        if entry.password is not None:
            yield PasswordPlace(entry.item, f"the {label}", entry.password)
    seen: set[Origin] = set()
    for entry in device.vtys.values():
        if entry.password is not None and entry.password.origin not in seen:
            seen.add(entry.password.origin)
            yield PasswordPlace(entry.item, "VTY " + entry.item.removeprefix("entry:vty "), entry.password)
    for level, elevation in device.elevations.items():
        label = "the enable secret" if level == 15 else f"elevation to level {level}"
        if elevation.strong is not None:
            yield PasswordPlace(f"elevation:{level}", label, elevation.strong)
        if elevation.plain is not None:
            unused = elevation.strong is not None
            yield PasswordPlace(f"elevation:{level}", label, elevation.plain, unused)
    for user in device.users.values():
        if user.password is not None:
            yield PasswordPlace(f"user:{user.name}", f"account {user.name}", user.password)
    for number, community in enumerate(device.snmp.communities, 1):
        said = Configured(community.value.password, community.origin)
        yield PasswordPlace(f"community:{number}", f"SNMP community {number}", said)
    for group in device.groups.values():
        for server in group.servers:
            if server.value.secret is not None:
                label = f"server {server.value.address} of group {group.name}"
                item = f"secret:{group.name}/{server.value.address}"
                yield PasswordPlace(item, label, Configured(server.value.secret, server.origin))
