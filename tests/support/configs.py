"""What tests of several formats share: the demo's texts in makers' languages, and what a device says, line by line."""

from overhang.demo import demo_files
from overhang.language import ParsedConfig, unparse

CONFIGURATIONS = {name: data for name, data in demo_files().items() if name.endswith((".mrm", ".snd", ".brw", ".thk"))}


def said(config: ParsedConfig) -> list[str]:
    """Each statement of a device behind the header of its block."""
    found, head = [], ""
    for line in unparse(config.device, secrets=True).split("\n"):
        if line and not line.startswith(" "):
            head = line
        found.append(f"{head} {line.strip()}" if line.startswith(" ") else line)
    return found
