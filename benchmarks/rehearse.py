"""How long a rehearsal of 1,000 lines takes on the largest device of the demo: of its maker's words, and of accounts.

python benchmarks/rehearse.py
"""

import os
import subprocess
import sys
import tempfile
import time

from overhang.demo import demo_files

WORDS = ("hold gate 3 idles {}", "hold gate 3 mouths ssh", "hold gate 3 mouths ssh wire", "hold berth 1 meter {}")
ACCOUNT = "user crew{0}:\n    password readable tern-{0}\n    level 1\n    via ssh\n"


def main() -> None:
    """Measure the command on both."""
    maker = "\n".join(WORDS[number % len(WORDS)].format(60 + number) for number in range(1000)) + "\n"
    accounts = "".join(ACCOUNT.format(number) for number in range(250))
    with tempfile.TemporaryDirectory() as folder:
        device = os.path.join(folder, "isle-edge.brw")
        with open(device, "wb") as stream:
            stream.write(demo_files()["gannet/isle-edge.brw"])
        for name, text in (("words.change", maker), ("accounts.sheet", accounts)):
            path = os.path.join(folder, name)
            with open(path, "w", encoding="utf-8") as stream:
                stream.write(text)
            start = time.perf_counter()
            command = [sys.executable, "-m", "overhang", "rehearse", device, path, "--format", "json"]
            subprocess.run(command, check=False, stdout=subprocess.DEVNULL)
            print(f"{name}: {time.perf_counter() - start:.1f} s")


if __name__ == "__main__":
    main()
