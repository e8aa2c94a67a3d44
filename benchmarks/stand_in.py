"""How many logins a second devices that stand in take by each way, and whether the memory stays flat.

    python benchmarks/stand_in.py [--logins N] [--long N]

Every login is made by a real client in the same process, one after another; so both sides count. --long makes as many
by each way in turn, and shows the memory after each tenth.
"""

import argparse
import asyncio
import datetime
import resource
import time

from overhang.language import read_sheet
from overhang.model import parse_address
from overhang.model.verification import hash_text
from overhang.profiles import BUILTIN
from overhang.project import Project
from overhang.simulation import Attempt, ResolvedDevice
from overhang.stand_in.clients import Errand, Seen, by_program
from overhang.stand_in.prove import Prover, Subject, Trial

SHEET = """\
device quay:
    domain tidewater.example
entry console: check users
entry vty 0-11:
    check users
    accept ssh telnet
    from office
ssh:
    on
    host-key ed25519
telnet: on
web:
    http on
    https on
    check users
user lena:
    password {password}
    level 15
sources office: allow 10.64.1.0/24
"""
WAYS = ("console", "telnet", "ssh", "http", "https")
NOW = datetime.datetime(2026, 11, 26, 9, tzinfo=datetime.UTC)


def subject(via: str, number: int) -> Subject:
    config = read_sheet(SHEET.format(password="readable gull"), "quay.sheet")
    source = None if via == "console" else parse_address("10.64.1.7")
    attempt = Attempt(via, NOW, source, name="lena", passwords=("tern", "gull"))
    return Subject(config, ResolvedDevice(config.device, BUILTIN), Project(), [Trial(1, attempt)] * number)


async def timed(via: str, number: int, keys: dict[object, object], program: bool = False) -> float:
    async def by_ssh(errand: Errand, connection: object) -> Seen:
        del connection
        return await by_program(errand)

    prover = Prover(subject(via, number), *([by_ssh] if program else []), host_keys=keys)
    began = time.perf_counter()
    proofs = await prover.run()
    took = time.perf_counter() - began
    if not all(each.agrees for each in proofs):
        raise SystemExit(f"{via}: not every login ended as predicted")
    return number / took


async def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--logins", type=int, default=200)
    parser.add_argument("--long", type=int, default=0)
    options = parser.parse_args()
    keys: dict[object, object] = {}
    hash_text("warm", rounds=5_000)
    if options.long:
        for tenth in range(1, 11):
            for via in WAYS:
                await timed(via, options.long // 10, keys)
            size = int(open("/proc/self/statm").read().split()[1]) * resource.getpagesize() // 1_000_000  # noqa: SIM115
            print(f"{tenth * options.long // 10:>8} logins by each way: {size} MB")
        return
    for via in WAYS:
        print(f"{via:<8} {await timed(via, options.logins, keys):8.0f} logins a second, each with one wrong answer")
    print(f"{'ssh':<8} {await timed('ssh', options.logins // 10, keys, program=True):8.1f} by the ssh program")


if __name__ == "__main__":
    asyncio.run(main())
