"""Stored passwords: the forms they are kept in, what opens them, and which are provably the same."""

from overhang.secrets.masking import mask, unmask
from overhang.secrets.stored import Form, Stored
from overhang.secrets.verify import hash_text, opens, plain_text, scheme_of, the_same

__all__ = ["Form", "Stored", "hash_text", "mask", "opens", "plain_text", "scheme_of", "the_same", "unmask"]
