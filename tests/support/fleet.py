"""Made-up fleets: devices all different in names, addresses and secrets, stamped from so many structures."""

import itertools
import random
import re
from pathlib import Path

from overhang.demo import demo_files

_THIN = 0.03


def shapes(number: int, seed: int = 7) -> list[str]:
    """So many different structures: the demo's devices, each with some of its blocks and lines left out."""
    chance = random.Random(seed)
    sheets = [data.decode() for path, data in sorted(demo_files().items()) if path.endswith(".sheet")]
    found: dict[str, None] = {}
    for turn in itertools.count():
        if len(found) == number:
            break
        blocks = sheets[turn % len(sheets)].split("\n\n")
        kept = [block for place, block in enumerate(blocks) if place < 2 or chance.random() < 0.85]
        lines = "\n\n".join(kept).split("\n")
        least = next((place for place, line in enumerate(lines) if line.startswith("entry")), len(lines))
        thinned = [each for place, each in enumerate(lines) if place < least or chance.random() > _THIN or ":" in each]
        found["\n".join(lines if turn < len(sheets) else thinned)] = None
    return list(found)


def different(text: str, number: int) -> str:
    """The same structure with names, addresses and secrets of its own."""

    def address(found: re.Match[str]) -> str:
        third, fourth, length = int(found[1]), int(found[2]), found[3] or ""
        host = fourth if not fourth or (length in ("", "/32") and fourth > 250) else 1 + (fourth + number // 64) % 250
        return f"10.{64 + number % 64}.{third}.{host}{length}"

    text = re.sub(r"\b10\.64\.(\d+)\.(\d+)(/\d+)?", address, text)
    text = re.sub(r"(readable|opaque|masked-elsewhere) (\w+)", rf"\1 \g<2>{number}", text)
    text = re.sub(r"^(device|user) ([a-z][\w-]*)", rf"\1 \g<2>{number}", text, flags=re.MULTILINE)
    return re.sub(r"(hashed \$[156]\$\w{2})", rf"\g<1>{number:x}", text)


def lay_out(folder: Path, devices: int, structures: int, seed: int = 7) -> None:
    """Write a fleet to a folder, in one folder for each site."""
    stamps = shapes(structures, seed)
    folder.mkdir(parents=True, exist_ok=True)
    for number in range(devices):
        (folder / f"d{number:05d}.sheet").write_text(different(stamps[number % structures], number))


PROJECT = 'management = ["office"]\n[networks]\noffice = ["10.64.0.0/17"]\n[thresholds]\nguess = 100\n'


def lay_out_mixed(folder: Path) -> None:
    """Sixty devices, some below a project, and files that are none, or cannot be read."""
    lay_out(folder, 60, 12)
    (folder / "site").mkdir()
    (folder / "site" / "overhang.toml").write_text(PROJECT)
    for number in range(0, 12, 2):
        (folder / f"d{number:05d}.sheet").rename(folder / "site" / f"d{number:05d}.sheet")
    (folder / "a.bin").write_bytes(bytes(range(256)))
    (folder / "b.sheet").write_bytes(b"device \xff\xfe")
    (folder / "c.sheet").write_text("user pier:\n    password readable 1 2 3\nno such statement\n")
    (folder / "d.txt").write_text("berths 1 to 24\n")
    (folder / "e.sheet").symlink_to("gone")
