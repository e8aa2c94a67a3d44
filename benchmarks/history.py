"""How long a history takes: commits of many devices, a few files changed in each.

python benchmarks/history.py [COMMITS] [DEVICES] [CHANGED]
"""

import datetime
import random
import subprocess
import sys
import tempfile
import time

from overhang.demo import demo_files
from overhang.repository import write_repository


def main() -> None:
    """Measure the command on a generated repository."""
    commits, devices, changed = (int(each) for each in (*sys.argv[1:], "500", "50", "5")[:3])
    chance = random.Random(1)
    base = [data.decode() for name, data in demo_files().items() if name.endswith(".sheet") and "core" not in name]
    texts = {
        f"quay-{number}.sheet": chance.choice(base) + f"user crew{number}:\n    password readable tern{number}\n"
        for number in range(devices)
    }
    told = []
    for number in range(commits):
        chosen = texts if number == 0 else chance.sample(sorted(texts), changed)
        for name in chosen:
            texts[name] = texts[name].rstrip("\n") + f"\nuser crew{number % 7}: level {chance.choice((1, 7, 15))}\n"
        when = datetime.datetime(2024, 1, 1, tzinfo=datetime.UTC) + datetime.timedelta(hours=number)
        told.append(
            (when, "lena", "lena@tidewater.example", f"change {number}", {n: texts[n].encode() for n in chosen})
        )
    with tempfile.TemporaryDirectory() as folder:
        write_repository(folder, told)
        start = time.perf_counter()
        command = [sys.executable, "-m", "overhang", "history", folder, "--format", "json"]
        subprocess.run(command, check=True, stdout=subprocess.DEVNULL)
        print(f"{commits} commits of {devices} devices, {changed} changed in each: {time.perf_counter() - start:.1f} s")


if __name__ == "__main__":
    main()
