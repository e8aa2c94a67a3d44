"""Where people come from and what they connect to: addresses of this machine that stand for addresses of the network.

A machine has 127.0.0.0/8 for itself. A source on it may stand for an address of the network; one that stands for none
is what it is. Each of a device's own addresses has one of these, so that what depends on a destination can be tried.
"""

import ipaddress
from collections.abc import Iterator, Mapping
from typing import NamedTuple

from overhang.errors import OverhangError
from overhang.model import Address, parse_address

FIRST = "127.0.0.1"


class NotHere(OverhangError):
    """An address that is not one of this machine alone."""


def loopback(text: str) -> str:
    """An address of this machine alone. Raises NotHere for any other: nothing may be reached from outside."""
    try:
        found = ipaddress.ip_address(text)
    except ValueError:
        raise NotHere(f"{text}: is no address") from None
    if found.version != 4 or not found.is_loopback:
        raise NotHere(f"{text}: is not in 127.0.0.0/8; devices stand in on this machine alone")
    return str(found)


class Sources:
    """Which sources on this machine stand for which addresses."""

    def __init__(self, stands_for: Mapping[str, str] | None = None) -> None:
        self._by_peer: dict[str, Address | None] = {
            loopback(peer): parse_address(address) for address, peer in (stands_for or {}).items()
        }

    def of(self, peer: str) -> Address | None:
        """The address that a peer stands for; itself where it stands for none."""
        return self._by_peer[peer] if peer in self._by_peer else parse_address(peer)

    def let(self, peer: str, address: Address | None) -> None:
        """From now on a peer stands for an address, None for one that is not known."""
        self._by_peer[peer] = address

    def __iter__(self) -> Iterator[tuple[str, Address | None]]:
        return iter(self._by_peer.items())


class Place(NamedTuple):
    """An address of this machine that a device is reached at, and its own address that this stands for; None where it
    states none."""

    here: str
    own: Address | None


def places_of(own: list[Address], first: str = FIRST) -> list[Place]:
    """The places of a device with these own addresses: one for each, from ``first`` on."""
    start = int(ipaddress.IPv4Address(first))
    return [Place(str(ipaddress.IPv4Address(start + number)), each) for number, each in enumerate(own or [None])]
