"""Audits of many devices, beside the first release and beside themselves: each figure is a ratio taken in one run.

.venv/bin/python benchmarks/fleet.py [DEVICES]        by default 1,000; both releases as installed wheels
"""

import os
import re
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from against import FIRST, ROOT, built, run_of, side_by_side, told

from overhang.demo import demo_files
from overhang.formats import FormatRegistry
from overhang.language import unparse

sys.path.insert(0, str(ROOT))
from tests.support.fleet import lay_out

STRUCTURES = 40
FORMATS = ("text", "json", "csv", "sarif", "junit", "markdown", "html")


def memory(installed: Path, *words: str) -> int:
    """The most memory that a run takes, in MB."""
    program = "import gc, resource, sys; from overhang.cli.main import main; gc.disable(); main(sys.argv[1:]); "
    program += "print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024, file=sys.stderr)"
    environment = {**os.environ, "PYTHONPATH": str(installed)}
    done = subprocess.run([sys.executable, "-c", program, *words], capture_output=True, env=environment, check=True)
    return int(done.stderr.split()[-1])


def lay_out_twice(folder: Path, devices: int) -> tuple[Path, Path]:
    """Devices in a maker's words that differ in their names and addresses, and the same ones as sheets."""
    name = "gannet/isle-ramp.mrm"
    data = demo_files()[name]
    reader = FormatRegistry().choose(data, name)
    assert reader is not None
    made = (folder / "words", data.decode()), (folder / "sheets", unparse(reader.read(data, name).device, secrets=True))
    for (target, text), ending in zip(made, ("mrm", "sheet"), strict=True):
        target.mkdir()
        for number in range(devices):
            named = text.replace("isle-ramp", f"isle-ramp{number}")
            own = re.sub(r"\b10\.64\.", f"10.{64 + number // 250}.", named)
            (target / f"d{number:05d}.{ending}").write_text(own)
    return made[0][0], made[1][0]


def main() -> None:
    devices = int(sys.argv[1]) if len(sys.argv) > 1 else 1000
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        then, now = built(FIRST, folder / "then"), built(None, folder / "now")
        fleet, every, half, cache = folder / "fleet", folder / "every", folder / "half", folder / "cache"
        lay_out(fleet, devices, STRUCTURES)
        lay_out(every, devices, devices)
        lay_out(half, devices // 2, STRUCTURES)
        cold = ("--guess", "0", "--no-cache", "--jobs", "1")
        for form in FORMATS:
            words = ("audit", str(fleet), "--format", form)
            told(f"cold, {form}", *side_by_side(1, run_of(then, *words), run_of(now, *words, *cold)))
        told(
            "cold, text, hashes tried",
            *side_by_side(1, run_of(then, "audit", str(fleet)), run_of(now, "audit", str(fleet), *cold[2:])),
        )
        told(
            f"cold, text, {devices} structures",
            *side_by_side(1, run_of(then, "audit", str(every)), run_of(now, "audit", str(every), *cold)),
        )
        one, two = side_by_side(
            3,
            run_of(now, "audit", str(fleet), *cold),
            run_of(now, "audit", str(fleet), *cold[:3], "--jobs", "2"),
        )
        print(f"two processes: {one / two:.2f} times as fast as one")
        kept = ("audit", str(fleet), "--guess", "0", "--cache", str(cache))
        run_of(now, *kept)()
        (again,) = side_by_side(5, run_of(now, *kept))
        print(f"again, unchanged: {again:.2f} s, {one / again:.1f} times as fast as one process")

        def changed() -> None:
            for number in range(12):
                with (fleet / f"d{number:05d}.sheet").open("a") as stream:
                    stream.write(f"user spare{time.time_ns()}:\n    password opaque x\n")
            run_of(now, *kept)()

        (some,) = side_by_side(3, changed)
        print(f"again, twelve changed: {some:.2f} s, {one / some:.1f} times as fast as one process")
        words, sheets = lay_out_twice(folder, devices)
        one, other = side_by_side(2, run_of(now, "audit", str(words), *cold), run_of(now, "audit", str(sheets), *cold))
        print(f"in a maker's words: {one:.2f} s, {one / other:.1f} times as long as sheets of the same devices")
        print(f"memory for them: {memory(now, 'audit', str(words), *cold)} MB")
        whole, part = (memory(now, "audit", str(each), *cold) for each in (fleet, half))
        print(f"memory: {part} MB for {devices // 2} devices, {whole} MB for {devices}")


if __name__ == "__main__":
    main()
