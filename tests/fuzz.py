"""Breaks inputs of every reader and holds the program to its promises: no traceback, known exit codes, no secret shown.

A short seeded share runs with the tests; ``python -m tests.fuzz --minutes N`` runs a long one and tells what it tried.
"""

import argparse
import base64
import contextlib
import io
import os
import random
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path
from typing import NamedTuple

from overhang.cli import main as program
from overhang.demo import demo_files
from overhang.errors import OverhangError
from overhang.loading import Loader, Projects

CANARY = "Zq7canaryVx9"


def encodings(canary: str) -> set[str]:
    """Every way in which a canary would show."""
    data = canary.encode()
    return {
        canary,
        canary[::-1],
        data.hex(),
        base64.b64encode(data).decode().rstrip("="),
        base64.b32encode(data).decode().rstrip("=").lower(),
        "".join(f"\\u{ord(each):04x}" for each in canary),
        "".join(f"\\x{ord(each):02x}" for each in canary),
        "".join(f"%{ord(each):02x}" for each in canary),
        "".join(f"&#{ord(each)};" for each in canary),
    }


ENCODED = encodings(CANARY)
COMMANDS = (
    ("audit", "--long"),
    ("audit", "--format", "json"),
    ("audit", "--format", "jsonl"),
    ("audit", "--format", "sarif"),
    ("audit", "--format", "csv"),
    ("audit", "--format", "junit"),
    ("audit", "--format", "markdown"),
    ("audit", "--checklist"),
    ("ways",),
    ("ways", "--format", "json"),
    ("expect",),
    ("spread", "--outsider", "--from", "10.64.1.7"),
    ("spread", "--all", "--format", "json"),
    ("compare", "--format", "json"),
    ("compare", "--format", "html"),
    ("rehearse",),
    ("rehearse", "--format", "json"),
    ("mend",),
    ("sheet",),
    ("sheet", "--to", "json"),
    ("sheet", "--to", "xml"),
    ("login", "--via", "ssh", "--from", "10.64.1.7", "--name", "lena"),
    ("prove", "--generate", "4"),
    ("dialect", "try"),
    ("dialect", "try", "--why", "3"),
    ("dialect", "try", "--as-table"),
)
#: Where a secret stands in texts of each kind; each is a line that may be put anywhere.
SECRETS = (
    "    password readable {}",
    "user piet: password readable {}",
    "    password  readable\u00a0{}",
    "    password\x0breadable {}",
    "    pasword {}",
    "password={}",
    "snmp comunity {}",
    'site "x # real one is {}',
    "user lena secret {}",
    "{}",
    "    {} {}",
    '"password": {{"form": "readable", "text": "{}"}},',
    "<password><form>readable</form><text>{}</text></password>",
    "secret plain {}",
    "word -> clear {}",
)
ALLOWED = {0, 1, 2, 3}
_PIECES = (
    "",
    " ",
    "\t",
    "\0",
    "\r",
    "\n",
    '"',
    "{",
    "}",
    "[",
    "]",
    "<",
    ">",
    "&",
    ":",
    "#",
    "|",
    "9" * 5000,
    "٣",
    "\ud7ff",
    "//",
    "'",
)


class Outcome(NamedTuple):
    """What one run did: its exit code, and everything that it showed."""

    code: int
    shown: str


def broken(text: str, rng: random.Random) -> str:
    """A text with a few things wrong with it, and with secrets put in."""
    lines = text.split("\n")
    for _ in range(rng.randint(1, 3)):
        lines.insert(rng.randrange(len(lines) + 1), rng.choice(SECRETS).format(*[CANARY] * 2))
    for _ in range(rng.randint(0, 4)):
        at = rng.randrange(len(lines))
        choice = rng.randrange(8)
        if choice == 0:
            del lines[at : at + rng.randint(1, 3)]
            lines = lines or [""]
        elif choice == 1:
            lines[at] = (
                lines[at][: rng.randrange(len(lines[at]) + 1)]
                + rng.choice(_PIECES)
                + lines[at][rng.randrange(len(lines[at]) + 1) :]
            )
        elif choice == 2:
            lines.insert(at, lines[rng.randrange(len(lines))])
        elif choice == 3:
            lines[at] = lines[at].replace(" ", rng.choice(("\u00a0", "\u2028", "\x0c", "  ")), 1)
        elif choice == 4:
            lines[at] = lines[at][::-1] if CANARY not in lines[at] else lines[at]
        elif choice == 5:
            lines[at] = "    " + lines[at]
        else:  # a statement that ends too early, or takes something back
            words = lines[at].split(" ")
            lines[at] = " ".join(words[: rng.randrange(len(words) + 1)])
            lines[at] = f"drop {lines[at].lstrip()}" if choice == 7 else lines[at]
    return "\n".join(lines)


def run(arguments: list[str]) -> Outcome:
    """Run a command line in this process, as the installed program would."""
    out, err = io.StringIO(), io.StringIO()
    before = sys.argv
    sys.argv = ["overhang", *arguments]
    try:
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err), contextlib.suppress(SystemExit):
            code = program.guarded(arguments)
    finally:
        sys.argv = before
    return Outcome(code, out.getvalue() + err.getvalue())


def shown_to_all(path: str) -> str:
    """The banners of a device: a line that landed in one is published by the device itself."""
    try:
        return str([each.lines for each in Loader(Projects()).load(path).device.banners.values()])
    except OverhangError:
        return ""


def attempt(seed: int, folder: Path) -> tuple[str, list[str], str]:
    """One input broken and given to one command: the file, the command, and what is wrong ("" for nothing)."""
    rng = random.Random(seed)
    files = {path: data.decode() for path, data in demo_files().items() if not path.endswith(".md")}
    path = rng.choice([path for path in files if not path.endswith(".toml")] + ["overhang.toml"] * 2)
    target = folder / Path(path).name
    target.write_text(broken(files[path], rng), encoding="utf-8", errors="surrogatepass", newline="")
    first, *rest = rng.choice(COMMANDS)
    device = str(target)
    if path == "overhang.toml":
        device = str(folder / "quay.sheet")
        (folder / "quay.sheet").write_text(files["harbour/harbour-gate.sheet"])
    words = [first, *rest[:1], device, *rest[1:]] if first == "dialect" else [first, device, *rest]
    if first in ("compare", "rehearse"):  # the broken one against a whole one, and what it changes of that
        (folder / "quay.sheet").write_text(files["harbour/harbour-gate.sheet"])
        words.insert(1, str(folder / "quay.sheet"))
    done = run(words)
    banners = "" if path == "overhang.toml" else shown_to_all(str(target))
    target.unlink()
    wrong = []
    if done.code not in ALLOWED:
        wrong.append(f"exit {done.code}: {done.shown[-300:]}")
    if "Traceback" in done.shown:
        wrong.append("a traceback")
    folded = done.shown.lower()
    if CANARY not in banners:
        wrong += [f"the canary as {each}" for each in ENCODED if each in done.shown or each.lower() in folded]
    return path, words, "; ".join(wrong)


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--minutes", type=float, default=1)
    parser.add_argument("--seed", type=int, default=1_000_000)
    options = parser.parse_args()
    end, seed, tried = time.monotonic() + options.minutes * 60, options.seed, Counter[str]()
    failures = 0
    with tempfile.TemporaryDirectory() as folder:
        os.chdir(folder)
        while time.monotonic() < end:
            path, words, wrong = attempt(seed, Path(folder))
            tried[Path(path).suffix] += 1
            tried[words[0]] += 1
            if wrong:
                failures += 1
                print(f"seed {seed}: {path}: {' '.join(words)}: {wrong}", flush=True)
            seed += 1
    print(f"{seed - options.seed} inputs, {failures} failures: {dict(sorted(tried.items()))}")
    return int(failures > 0)


if __name__ == "__main__":
    sys.exit(main())
