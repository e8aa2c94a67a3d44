"""For steps of dialects: the tree of a configuration, what changes it, and the device that it describes.

A step is a file ``NAME.dialect.py`` beside ``NAME.dialect.toml``, with a function ``read(tree, device)`` that returns
the tree. docs/dialect-steps.md shows it at work.
"""

from overhang.teach.device import Block, Device
from overhang.teach.helpers import (
    Places,
    fill_dittos,
    first_wins,
    inverse_mask,
    join,
    last_wins,
    members,
    numbers,
    pour,
    prefixes,
    resolved,
    spans,
)
from overhang.teach.settings import Settings, secrets
from overhang.teach.tree import ANY, Statement, StepProblem, Tree

__all__ = [
    "ANY",
    "Block",
    "Device",
    "Places",
    "Settings",
    "Statement",
    "StepProblem",
    "Tree",
    "fill_dittos",
    "first_wins",
    "inverse_mask",
    "join",
    "last_wins",
    "members",
    "numbers",
    "pour",
    "prefixes",
    "resolved",
    "secrets",
    "spans",
]
