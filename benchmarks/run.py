"""How fast it is, each figure as a ratio against a yardstick taken side by side: medians of several runs.

.venv/bin/python benchmarks/run.py            needs an installed wheel to be fair about start-up: pip install .
"""

import json
import os
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from overhang.demo import demo_files
from overhang.sheet import read_sheet

PROGRAM = [sys.executable, "-m", "overhang"]


def median(work: Callable[[], object], times: int = 5) -> float:
    taken = []
    for _ in range(times):
        start = time.perf_counter()
        work()
        taken.append(time.perf_counter() - start)
    return statistics.median(taken)


def command(*words: str) -> Callable[[], object]:
    environment = {key: value for key, value in os.environ.items() if key != "PYTHONDONTWRITEBYTECODE"}
    return lambda: subprocess.run(
        words, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, env=environment, check=False
    )


def start_up(folder: Path) -> None:
    bare = median(command(sys.executable, "-c", "pass"), 9)
    for name, words in (
        ("--help", ["--help"]),
        ("audit of one file", ["audit", str(folder / "harbour" / "harbour-gate.sheet")]),
    ):
        print(f"{name}: {median(command(*PROGRAM, *words), 9) / bare:.1f} times a bare interpreter")


class Node:
    __slots__ = ("children", "line", "words")

    def __init__(self, words: list[str], line: int) -> None:
        self.words, self.line, self.children = words, line, list[Node]()


def straightforward(text: str) -> Node:
    """The yardstick for reading: a tree of the lines by indentation, and nothing understood."""
    root = Node([], 0)
    stack = [(-1, root)]
    for number, line in enumerate(text.splitlines(), 1):
        words = line.split("#")[0].split()
        if words:
            indent = len(line) - len(line.lstrip())
            while stack[-1][0] >= indent:
                stack.pop()
            node = Node(words, number)
            stack[-1][1].children.append(node)
            stack.append((indent, node))
    return root


def reading() -> None:
    sheets = [data.decode() for path, data in demo_files().items() if path.endswith(".sheet")]
    size = sum(map(len, sheets)) * 20 / 1e6
    ours = median(lambda: [read_sheet(text, "t") for _ in range(20) for text in sheets])
    tree = median(lambda: [straightforward(text) for _ in range(20) for text in sheets])
    fresh = "".join(f"user u{n}:\n    level {n % 16}\n    password readable p{n}\n" for n in range(20_000))
    unlike = median(lambda: read_sheet(fresh, "t"), 3)
    print(f"reading sheets alike: {size / ours:.2f} MB/s, {tree / ours:.2f} times the speed of a plain tree of lines")
    print(f"reading a sheet of lines all different: {len(fresh) / 1e6 / unlike:.2f} MB/s")


def auditing(folder: Path, number: int = 1_000) -> None:
    sheets = [data for path, data in demo_files().items() if path.endswith(".sheet")]
    for index in range(number):
        (folder / f"{index}.sheet").write_bytes(sheets[index % len(sheets)])
    value = json.dumps([data.decode().splitlines() for data in sheets])
    half = median(command(*PROGRAM, "audit", "--brief", str(folder)), 3)
    yardstick = median(lambda: [json.loads(value) for _ in range(number // len(sheets))], 3)
    print(
        f"audit of {number} files: {half:.1f} s, {yardstick / half:.4f} of the speed of json.loads over the same lines"
    )


def main() -> None:
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name) / "demo"
        for path, data in demo_files().items():
            (folder / path).parent.mkdir(parents=True, exist_ok=True)
            (folder / path).write_bytes(data)
        start_up(folder)
        reading()
        many = Path(name) / "many"
        many.mkdir()
        auditing(many)


if __name__ == "__main__":
    main()
