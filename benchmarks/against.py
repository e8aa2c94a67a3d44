"""The program beside an earlier release of it, both as installed wheels: each figure is a ratio taken in one run.

.venv/bin/python benchmarks/against.py [COMMIT]        without a COMMIT, the first release
"""

import json
import os
import random
import re
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from overhang.demo import demo_files
from overhang.formats.data_writer import to_json, to_xml
from overhang.language import read_sheet

FIRST = "1093cb9"
ROOT = Path(__file__).parent.parent
STRUCTURES, DEVICES = 40, 1000


def built(commit: str | None, folder: Path) -> Path:
    """A folder with the installed wheel of a commit, or of the last commit."""
    source, target = folder / "source", folder / "installed"
    source.mkdir(parents=True)
    listed = ["git", "archive", commit] if commit else ["git", "archive", "HEAD"]
    archive = subprocess.run(listed, cwd=ROOT, capture_output=True, check=True).stdout
    subprocess.run(["tar", "-x", "-C", str(source)], input=archive, check=True)
    install = [sys.executable, "-m", "pip", "install", "--quiet", "--no-deps", "--target", str(target), str(source)]
    subprocess.run(install, check=True, env={**os.environ, "PIP_DISABLE_PIP_VERSION_CHECK": "1"})
    return target


def different(text: str, number: int) -> str:
    """A device like ``text`` with names, addresses and secrets of its own."""
    text = re.sub(r"\b10\.64\.(\d+)", lambda found: f"10.{64 + number // 200}.{(int(found[1]) + number) % 250}", text)
    text = re.sub(r"(readable|opaque|masked-elsewhere) (\w+)", rf"\1 \g<2>{number}", text)
    text = re.sub(r"(device|user) ([a-z][\w-]*)", rf"\1 \g<2>{number}", text)
    return re.sub(r"(hashed \$[156]\$\w{2})", rf"\g<1>{number:x}", text)


def structures() -> list[str]:
    """Devices of different structures: the demo's, each with some of their statements left out."""
    chance = random.Random(7)
    sheets = [data.decode() for path, data in demo_files().items() if path.endswith(".sheet")]
    found = []
    for number in range(STRUCTURES):
        blocks = sheets[number % len(sheets)].split("\n\n")
        found.append("\n\n".join(block for place, block in enumerate(blocks) if place < 2 or chance.random() < 0.85))
    return found


def run_of(installed: Path, *words: str, into: Path | None = None) -> Callable[[], None]:
    environment = {key: value for key, value in os.environ.items() if key != "PYTHONDONTWRITEBYTECODE"}
    environment["PYTHONPATH"] = str(installed)

    def run() -> None:
        done = subprocess.run(
            [sys.executable, "-m", "overhang", *words], capture_output=True, env=environment, check=False, cwd=into
        )
        if done.returncode not in (0, 1):
            raise SystemExit(f"{' '.join(words)}: {done.stderr.decode()[-500:]}")

    return run


def side_by_side(times: int, *works: Callable[[], None]) -> list[float]:
    """The medians of several runs of each, taken in turn."""
    taken: list[list[float]] = [[] for _ in works]
    for _ in range(times):
        for work, each in zip(works, taken, strict=True):
            start = time.perf_counter()
            work()
            each.append(time.perf_counter() - start)
    return [statistics.median(each) for each in taken]


def told(what: str, before: float, now: float) -> None:
    print(f"{what}: {before:.2f} s then, {now:.2f} s now: {before / now:.2f} times as fast", flush=True)


def main() -> None:
    commit = sys.argv[1] if len(sys.argv) > 1 else FIRST
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        then, now = built(commit, folder / "then"), built(None, folder / "now")
        demo = folder / "demo"
        for path, data in demo_files().items():
            (demo / path).parent.mkdir(parents=True, exist_ok=True)
            (demo / path).write_bytes(data)
        gate = str(demo / "harbour" / "harbour-gate.sheet")
        core = str(demo / "harbour" / "harbour-core.sheet")
        bare = subprocess.run
        before, after, base = side_by_side(
            9,
            run_of(then, "--help"),
            run_of(now, "--help"),
            lambda: bare([sys.executable, "-c", "pass"], check=True) and None,
        )
        told(f"--help ({after / base:.1f} times a bare interpreter)", before, after)
        before, after = side_by_side(7, run_of(then, "audit", gate), run_of(now, "audit", gate))
        told(f"audit of one file ({after / base:.1f} times a bare interpreter)", before, after)
        told("ways of one file", *side_by_side(7, run_of(then, "ways", core), run_of(now, "ways", core)))
        attempts = folder / "many.jsonl"
        line = {"via": "ssh", "from": "10.64.1.7", "name": "lena", "password": ["x", "y"], "elevate": 15}
        attempts.write_text("".join(json.dumps({**line, "at": number * 900}) + "\n" for number in range(20_000)))
        words = ("login", gate, "--attempts", str(attempts), "--format", "jsonl")
        told("20,000 attempts", *side_by_side(3, run_of(then, *words), run_of(now, *words)))
        for suffix in (".mrm", ".brw", ".snd", ".thk"):
            path = next(str(demo / each) for each in demo_files() if each.endswith(suffix))
            told(f"reading {suffix}", *side_by_side(5, run_of(then, "sheet", path), run_of(now, "sheet", path)))
        device = read_sheet((demo / "harbour" / "harbour-gate.sheet").read_text(), "x").device
        for suffix, write in ((".json", to_json), (".xml", to_xml)):
            (folder / f"gate{suffix}").write_text(write(device, secrets=True))
            words = ("sheet", str(folder / f"gate{suffix}"))
            told(f"reading {suffix}", *side_by_side(5, run_of(then, *words), run_of(now, *words)))
        many = folder / "many"
        many.mkdir()
        shapes = structures()
        for number in range(DEVICES):
            (many / f"d{number:04d}.sheet").write_text(different(shapes[number % STRUCTURES], number))
        cold = side_by_side(
            3,
            run_of(then, "audit", str(many)),
            run_of(now, "audit", str(many)),
            run_of(now, "audit", str(many), "--guess", "0"),
        )
        told(f"audit of {DEVICES} devices of {STRUCTURES} structures", cold[0], cold[1])
        told("the same, no hash tried (--guess 0)", cold[0], cold[2])


if __name__ == "__main__":
    main()
