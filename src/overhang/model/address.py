"""Addresses and prefixes as plain integers, which is what comparing thousands of them needs."""

import _socket as socket  # the standard socket module takes several times as long to import
from functools import lru_cache
from typing import NamedTuple


class Address(NamedTuple):
    """One host: ``family`` is 4 or 6, ``value`` the address as an integer."""

    family: int
    value: int

    def __str__(self) -> str:
        if self.family == 4:
            return socket.inet_ntop(socket.AF_INET, self.value.to_bytes(4))
        return socket.inet_ntop(socket.AF_INET6, self.value.to_bytes(16))


class Prefix(NamedTuple):
    """The addresses ``low`` to ``high``, both included, of one family; ``length`` is the prefix length in bits.

    ``host`` is the address as it was written, which for a device's own address is the address itself.
    """

    family: int
    low: int
    high: int
    length: int
    host: int

    def __str__(self) -> str:
        return f"{Address(self.family, self.low)}/{self.length}"

    def __contains__(self, address: object) -> bool:
        return isinstance(address, Address) and address.family == self.family and self.low <= address.value <= self.high

    @property
    def written(self) -> Address:
        """The address as it was written."""
        return Address(self.family, self.host)

    @property
    def has_host_bits(self) -> bool:
        """Whether the address was written with bits set beyond the prefix length."""
        return self.host != self.low


#: The most ranges that the addresses of one mask may make.
MOST_RANGES = 4096


def ranges_of_mask(mask: Prefix) -> int:
    """How many ranges the addresses make that differ from one only in the bits of ``mask``."""
    trailing = (mask.low ^ (mask.low + 1)).bit_length() - 1
    return 1 << (mask.low >> trailing).bit_count()


def masked_ranges(address: Prefix, mask: Prefix) -> list[tuple[int, int]]:
    """The first and last of each range of the addresses that differ from ``address`` only in the bits of ``mask``."""
    trailing = (mask.low ^ (mask.low + 1)).bit_length() - 1
    size = (1 << trailing) - 1
    bits = [bit for bit in range(trailing, mask.low.bit_length()) if mask.low >> bit & 1]
    starts = [address.low & ~mask.low]
    for bit in bits:
        starts += [start | 1 << bit for start in starts]
    return sorted((start, start | size) for start in starts)


@lru_cache(maxsize=4096)
def parse_address(text: str) -> Address:
    """Read one IPv4 or IPv6 address. Raises ValueError, one lower-case sentence, where it is none."""
    family, kind = (6, socket.AF_INET6) if ":" in text else (4, socket.AF_INET)
    try:
        return Address(family, int.from_bytes(socket.inet_pton(kind, text)))
    except (OSError, ValueError):
        raise ValueError("neither an IPv4 nor an IPv6 address") from None


@lru_cache(maxsize=4096)
def parse_prefix(text: str) -> Prefix:
    """Read an address or a prefix; an address alone is one host. Raises ValueError where it is neither."""
    address_text, slash, length_text = text.partition("/")
    address = parse_address(address_text)
    if address_text.endswith(":") and not slash:
        raise ValueError("an address that ends in a colon needs its prefix length, as in 2001:db8::/32")
    width = 32 if address.family == 4 else 128
    length = width
    if slash:
        if not (length_text.isascii() and length_text.isdigit()) or int(length_text[:4]) > width:
            raise ValueError(f"a prefix length for IPv{address.family} is a number from 0 to {width}")
        length = int(length_text)
    low = address.value >> (width - length) << (width - length)
    return Prefix(address.family, low, low | ((1 << (width - length)) - 1), length, address.value)
