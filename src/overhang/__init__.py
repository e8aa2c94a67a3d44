"""Overhang audits management access of network devices and simulates which logins succeed.

The API is imported on first use, so that ``import overhang`` costs little.
"""

from overhang.version import VERSION

__version__ = VERSION

TYPE_CHECKING = False
if TYPE_CHECKING:  # the typing module is not worth its time to a program that only shows its help
    from typing import Any

    from overhang.api import (
        Devices,
        LoadedDevice,
        Path,
        access_paths,
        audit,
        audit_paths,
        compare,
        expect,
        load,
        mend,
        rehearse,
        simulate,
        to_frame,
    )
    from overhang.auditing import Severity
    from overhang.auditing.report import AuditReport
    from overhang.errors import OverhangError
    from overhang.simulation import Attempt, Result

_HOMES = {
    **dict.fromkeys(("Devices", "LoadedDevice", "Path"), "api"),
    **dict.fromkeys(("access_paths", "audit", "audit_paths", "compare", "expect", "load", "mend", "rehearse"), "api"),
    **dict.fromkeys(("simulate", "to_frame"), "api"),
    "Attempt": "simulation",
    "AuditReport": "auditing.report",
    "OverhangError": "errors",
    "Result": "simulation",
    "Severity": "auditing",
}

__all__ = [
    "Attempt",
    "AuditReport",
    "Devices",
    "LoadedDevice",
    "OverhangError",
    "Path",
    "Result",
    "Severity",
    "access_paths",
    "audit",
    "audit_paths",
    "compare",
    "expect",
    "load",
    "mend",
    "rehearse",
    "simulate",
    "to_frame",
]


def __dir__() -> list[str]:
    return sorted([*globals(), *__all__])


def __getattr__(name: str) -> "Any":
    if name in _HOMES:
        import importlib

        return getattr(importlib.import_module(f"overhang.{_HOMES[name]}"), name)
    raise AttributeError(f"module 'overhang' has no attribute {name!r}")
