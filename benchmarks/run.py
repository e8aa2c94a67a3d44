"""How fast it is, each figure as a ratio against a yardstick taken side by side: medians of several runs.

.venv/bin/python benchmarks/run.py            needs an installed wheel to be fair about start-up: pip install .
"""

import datetime
import functools
import gc
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

from overhang.auditing.runner import audit_config
from overhang.demo import demo_files
from overhang.exposure import find_paths
from overhang.formats import FormatRegistry
from overhang.formats.data_writer import to_json, to_xml
from overhang.formats.json_format import READER as JSON
from overhang.formats.xml_format import READER as XML
from overhang.language import read_bytes, read_sheet
from overhang.language.unparser import unparse
from overhang.model.hash_budget import HashBudget
from overhang.project import Project
from overhang.simulation import ResolvedDevice

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

    def run() -> None:
        done = subprocess.run(words, capture_output=True, env=environment, check=False)
        if done.returncode not in (0, 1):  # else the time of an error would be measured
            raise SystemExit(done.stderr.decode())

    return run


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
    half = median(command(*PROGRAM, "audit", str(folder)), 3)
    yardstick = median(lambda: [json.loads(value) for _ in range(number // len(sheets))], 3)
    print(
        f"audit of {number} files: {half:.1f} s, {yardstick / half:.4f} of the speed of json.loads over the same lines"
    )


MANY_SHEET = """\
device a:
    domain tidewater.example
entry console:
    check password
    password readable boat
entry vty 0-11:
    check users
    from l
sources l:
    allow 10.64.0.0/17
ssh: host-key ed25519
web:
    http on
    https on
    check users
snmp:
    on
    community readable boat read
door copy:
    on
    check users
elevation 15: password readable top
user lena: password readable x
user omar: password readable y
"""


def attempts(folder: Path, number: int = 100_000) -> None:
    chance = random.Random(1)
    ways = ("console", "auxiliary", "ssh", "telnet", "http", "https", "snmp", "door:copy")
    with (folder / "many.jsonl").open("w") as stream:
        for index in range(number):
            attempt: dict[str, object] = {
                "via": chance.choice(ways),
                "from": f"10.64.{index % 256}.{index // 256 % 256}",
            }
            attempt["name"] = chance.choice(("lena", "omar", f"x{index}"))
            attempt["password"] = chance.choice(("x", "y", ["y", "x"], f"z{index}", "boat"))
            if chance.random() < 0.3:
                attempt |= {"elevate": 15, "elevate_password": chance.choice(("top", "x"))}
            stream.write(json.dumps(attempt) + "\n")
    (folder / "many.sheet").write_text(MANY_SHEET)
    words = ("login", str(folder / "many.sheet"), "--attempts", str(folder / "many.jsonl"), "--format", "jsonl")
    taken = median(command(*PROGRAM, *words), 3)
    lines = (folder / "many.jsonl").read_text().splitlines()
    yardstick = median(lambda: [json.dumps(json.loads(line)) for line in lines], 3)
    done = subprocess.run([*PROGRAM, *words], capture_output=True, check=False, text=True).stdout.splitlines()
    results = [json.loads(line) for line in done]
    written = median(lambda: ([json.loads(line) for line in lines], [json.dumps(each) for each in results]), 3)
    print(f"{number} attempts: {number / taken:,.0f} a second, {yardstick / taken:.2f} of the speed of json.loads and")
    print(f"json.dumps over the same lines, {written / taken:.2f} of that of loading them and dumping the results")


def ways() -> None:
    now = datetime.datetime(2026, 6, 1, tzinfo=datetime.UTC)
    for path, data in demo_files().items():
        if path.endswith(".sheet"):
            resolved = ResolvedDevice(read_sheet(data.decode(), path).device)
            print(f"ways of {path}: {1000 * median(lambda: find_paths(resolved, now)):.1f} ms")  # noqa: B023
    chance = random.Random(3)
    text = "ssh: host-key ed25519\n"
    for number in range(16):
        check = ("nothing", "password", "users")[number] if number < 3 else f"methods m{number}"
        text += f"entry vty {number}:\n    check {check}\n    password readable p{number}\n    from l{number}\n"
        text += f"sources l{number}: allow 10.64.{number}.0/24\n"
        text += f"methods m{number} for login:\n    servers g{number % 3}\n    users\n"
    for number in range(3):
        text += f"servers radius g{number}:\n    server 192.0.2.{number}\n    server 198.51.100.{number}\n"
    resolved = ResolvedDevice(read_sheet(text + "user lena: password readable x\n", "t").device)
    print(f"ways of 16 VTYs, 16 lists and 64 states of 6 servers: {median(lambda: find_paths(resolved, now), 3):.2f} s")
    text = "ssh: host-key ed25519\n" + "".join(
        f"entry vty {number}:\n    check users\n    from l{number}\n" for number in range(16)
    )
    for number in range(64):
        text += f"sources l{number}:\n"
        for _ in range(100):
            prefix = f"10.{64 + chance.randrange(64)}.{chance.randrange(256)}.0/{chance.randrange(12, 30)}"
            text += f"    {chance.choice(('allow', 'deny'))} {prefix}\n"
    for number in range(40):
        text += f"user u{number}:\n    password readable p{number}\n    from l{20 + number}\n"
    device = read_sheet(text, "t").device
    print(f"ways of 64 lists of 100 lines: {median(lambda: find_paths(ResolvedDevice(device), now), 3):.2f} s")


def doubt() -> None:
    """What an audit of the demo's devices costs where nobody knows their profile, beside what it costs as they are."""
    now, ratios = datetime.datetime(2026, 6, 1, tzinfo=datetime.UTC), []
    for path, data in demo_files().items():
        if path.endswith(".sheet"):
            plain = read_sheet(data.decode(), path)
            unknown = read_sheet(re.sub(r"(?m)^    profile .*$", "    profile nobody-knows", data.decode()), path)
            one, other = (
                median(functools.partial(audit_config, each, Project(), now, b"", HashBudget(0)))
                for each in (plain, unknown)
            )
            ratios.append(other / one)
    print(f"an unknown profile: {statistics.mean(ratios):.1f} times an ordinary device, at most {max(ratios):.1f}")


#: Lines that a maker's text can be full of: each different, and each about access.
DENSE = {
    "isle-ramp.mrm": ("crew\n", "  hand p{0}\n    rank deckhand\n    oath ground $6$x$y{0}\n"),
    "isle-clock.snd": ("", 'bearer "p{0}" {{\n    power look;\n    phrase long "$6$x$y{0}";\n}}\n'),
    "isle-edge.brw": ("", "hold person p{0} word stirred $6$x$y{0}\nhold person p{0} step 1\n"),
    "isle-tickets.thk": ("", "(( strand {0} ))\nshore -> 10.64.{0}.7\nreach -> 255.255.255.0\nsees -> guests\n"),
}


def reading_formats() -> None:
    """Megabytes a second of each reader beside sheets of the same devices: the demo's, and some full of access."""
    gc.disable()  # as the program does
    for name, data in demo_files().items():
        more = DENSE.get(name.removeprefix("gannet/"))
        if more is None:
            continue
        reader = FormatRegistry().choose(data, name)
        assert reader is not None
        dense = data + (more[0] + "".join(more[1].format(number) for number in range(250))).encode()
        for label, text in (("demo", data), ("dense", dense)):
            device = reader.read(text, name).device
            sheet = unparse(device, secrets=True).encode()
            yardstick = len(sheet) / median(functools.partial(read_bytes, sheet, "x"), 7)
            forms = [(reader.name, reader.read, text)]
            forms += [("json", JSON.read, to_json(device, secrets=True).encode())] if label == "dense" else []
            forms += [("xml", XML.read, to_xml(device, secrets=True).encode())] if label == "dense" else []
            for form, read, content in forms:
                speed = len(content) / median(functools.partial(read, content, "x"), 7)
                print(f"{form}, {label} {name}: {speed / 1e6:.2f} MB/s, {speed / yardstick:.2f} of sheets")
    gc.enable()


def main() -> None:
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name) / "demo"
        for path, data in demo_files().items():
            (folder / path).parent.mkdir(parents=True, exist_ok=True)
            (folder / path).write_bytes(data)
        start_up(folder)
        reading()
        reading_formats()
        ways()
        doubt()
        attempts(Path(name))
        many = Path(name) / "many"
        many.mkdir()
        auditing(many)


if __name__ == "__main__":
    main()
