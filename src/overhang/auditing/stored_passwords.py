"""The stored passwords of a device, each with its place."""

from collections.abc import Iterator
from typing import NamedTuple

from overhang.model import Configured, Device, StoredSecret
from overhang.model.blocks import Others
from overhang.model.items import item
from overhang.model.vocabulary import way_label
from overhang.text import Origin


class PasswordPlace(NamedTuple):
    """A stored password: its item of knowledge or another name, what people call it, and the form it is kept in.

    ``unused`` tells that another password of the same lock counts in its place.
    """

    item: str
    label: str
    said: Configured[StoredSecret]
    unused: bool = False


def _others(kind: str, name: str, label: str, others: Others) -> Iterator[PasswordPlace]:
    """The further passwords of a lock."""
    for number, said in enumerate(others, 2):
        yield PasswordPlace(item(kind, name, number), label, Configured(said.value.password, said.origin))


def _of_lock(
    kind: str, name: str, label: str, held: tuple[Configured[StoredSecret] | None, Others]
) -> Iterator[PasswordPlace]:
    password, others = held
    if password is not None:
        yield PasswordPlace(item(kind, name), label, password)
    yield from _others(kind, name, label, others)


def stored_passwords(device: Device) -> list[PasswordPlace]:
    """Every stored password of a device, in the order of its lines."""
    return sorted(_all_passwords(device), key=lambda place: place.said.origin.line)


def _all_passwords(device: Device) -> Iterator[PasswordPlace]:
    yield from _of_entries(device)
    yield from _of_levels(device)
    for user in device.users.values():
        yield from _of_lock("user", user.name, f"account {user.name}", (user.password, user.others))
    for kind, service in (("ssh", device.ssh), ("telnet", device.telnet)):
        yield from _of_lock("service", kind, way_label(kind), (service.password, service.others))
    yield from _of_lock("service", "web", "the web pages", (device.web.password, device.web.others))
    for door in device.doors.values():
        yield from _of_lock("door", door.name, f"door {door.name}", (door.password, door.others))
    for number, community in enumerate(device.snmp.communities, 1):
        said = Configured(community.value.password, community.origin)
        yield PasswordPlace(f"community:{number}", f"SNMP community {number}", said)
    for group in device.groups.values():
        for server in group.servers:
            if server.value.secret is not None:
                label = f"server {server.value.address} of group {group.name}"
                key = f"secret:{group.name}/{server.value.address}"
                yield PasswordPlace(key, label, Configured(server.value.secret, server.origin))


def _of_entries(device: Device) -> Iterator[PasswordPlace]:
    for label, entry in (("console", device.console), ("auxiliary port", device.auxiliary)):
        if entry.password is not None:
            yield PasswordPlace(entry.item, f"the {label}", entry.password)
        yield from _others("entry", label.partition(" ")[0], f"the {label}", entry.others)
    seen: set[Origin] = set()
    for entry in device.vtys.values():
        if entry.password is not None and entry.password.origin not in seen:
            seen.add(entry.password.origin)
            yield PasswordPlace(entry.item, "VTY " + entry.item.removeprefix("entry:vty "), entry.password)
        for further in entry.others:
            if further.origin not in seen:
                seen.add(further.origin)
                key = f"entry:vty {further.value.under} {further.value.number + 1}"
                label = f"VTY {further.value.under}"
                yield PasswordPlace(key, label, Configured(further.value.password, further.origin))


def _of_levels(device: Device) -> Iterator[PasswordPlace]:
    for level, elevation in device.elevations.items():
        label = "the enable secret" if level == 15 else f"elevation to level {level}"
        if elevation.strong is not None:
            yield PasswordPlace(f"elevation:{level}", label, elevation.strong)
        if elevation.plain is not None:
            unused = elevation.strong is not None
            yield PasswordPlace(f"elevation:{level}", label, elevation.plain, unused)
        yield from _others("elevation", str(level), label, elevation.others)
