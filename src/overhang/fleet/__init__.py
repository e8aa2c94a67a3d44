"""Audits of many devices: by several processes, and only of what changed; the same results whoever works them out."""
