"""What holds where nothing is configured: profiles, as data."""

from overhang.profiles.builtin import BUILTIN, KEYS
from overhang.profiles.model import UNKNOWN, Factory, Profile, Unknown, derive, show_value

__all__ = ["BUILTIN", "KEYS", "UNKNOWN", "Factory", "Profile", "Unknown", "derive", "show_value"]
