"""The ways in for programs."""

from collections.abc import Sequence
from typing import Any

from overhang import __version__
from overhang.exposure import AccessPath, AccessPaths
from overhang.exposure.phrases import numbers_phrase
from overhang.report.ways_text import DeviceWays
from overhang.text.json_text import json_text
from overhang.text.printable import Printable


def ways_json(devices: Sequence[DeviceWays], unreadable: Sequence[tuple[str, str]]) -> Printable:
    """The report as JSON; docs/output.md describes it."""
    value = {
        "overhang": __version__,
        "devices": [
            {
                "name": device.name,
                "file": device.file,
                "understood": device.understood,
                "complete": device.found.complete,
                "not_compared": device.found.credentials.untried,
                "ways": [way_value(device.found, way) for way in device.ways],
                "written": written(device.found),
                **({"secrets": secrets_of(device)} if device.secrets else {}),
            }
            for device in devices
        ],
        "unreadable": [{"file": file, "error": error} for file, error in unreadable],
    }
    return json_text(value)


def way_value(found: AccessPaths, way: AccessPath) -> dict[str, Any]:
    """One row."""
    return {
        "via": way.via,
        "from": None if way.sources is None else found.address_classes.prefixes(way.sources),
        "to": None if way.to is None else list(way.to),
        "needs": sorted(found.credentials.known_as(number) for number in way.needs),
        "after_login": way.after_login,
        "level": way.level,
        "servers_down": found.down(way),
        **({"hours": hours} if (hours := hours_value(found, way)) else {}),
        "sure": way.sure,
        "vtys": numbers_phrase(way.vtys) or None,
        "needs_busy": numbers_phrase(way.needs_busy) or None,
    }


def hours_value(found: AccessPaths, way: AccessPath) -> list[list[str]]:
    """The times of day at which a row holds, each the stated times that hold then; empty where it always does."""
    return [[each.text for each in held] for held in found.hours(way)]


def written(found: AccessPaths) -> dict[str, str]:
    """The items that a reader of the configuration knows, and their forms there."""
    forms = {found.credentials.known_as(number): found.forms(number) for number in range(len(found.credentials.names))}
    return {item: "readable" if "readable" in kinds else "masked" for item, kinds in sorted(forms.items()) if kinds}


def secrets_of(device: DeviceWays) -> dict[str, int]:
    """The items of a device, each with the number of its secret: one number on two devices is provably one secret."""
    return dict(sorted((device.found.credentials.known_as(at), secret) for at, secret in enumerate(device.secrets)))
