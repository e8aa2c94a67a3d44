"""The ways to arrive at a device, in one list, with the names that people know them by."""

#: Ways to arrive at a port of the device itself.
PORTS = ("console", "auxiliary")
#: Ways that take a virtual terminal (VTY).
VTY_WAYS = ("ssh", "telnet")
#: Ways to web management, which take no VTY.
WEB_WAYS = ("http", "https")
#: Ways that come over a network.
REMOTE_WAYS = (*VTY_WAYS, *WEB_WAYS)
#: Every way that an account can be limited to.
WAYS = (*PORTS, *REMOTE_WAYS)
#: Every way that has a name of its own; other management services are ``door:NAME``.
ALL_WAYS = (*WAYS, "snmp")
#: What starts the way of a management service that has no name of its own.
DOOR = "door:"

_LABELS = {
    "console": "console",
    "auxiliary": "auxiliary port",
    "ssh": "SSH",
    "telnet": "Telnet",
    "http": "HTTP",
    "https": "HTTPS",
    "snmp": "SNMP",
}


def is_way(text: str) -> bool:
    """Whether ``text`` names a way: one of ``ALL_WAYS``, or ``door:NAME``."""
    return text in ALL_WAYS or (text.startswith(DOOR) and len(text) > len(DOOR))


def way_label(way: str) -> str:
    """What people call a way: ``SSH``, ``auxiliary port``, or the name of a door."""
    return _LABELS.get(way) or way.removeprefix(DOOR)
