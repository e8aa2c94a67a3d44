"""How the time of an audit grows with a device: each case at a size and at twice that, as a ratio taken side by side.

.venv/bin/python benchmarks/growth.py [CASE ...]            2.0 is straight growth; the time of start-up is not counted
"""

import json
import sys
import time
from collections.abc import Callable
from typing import NamedTuple

from overhang.api import now
from overhang.auditing.runner import audit_config
from overhang.demo import demo_files
from overhang.formats.data_writer import to_json
from overhang.formats.json_format import READER as JSON
from overhang.language import ParsedConfig, read_sheet
from overhang.project import Project


class Case(NamedTuple):
    """A device of any size; ``size`` is the smaller of the two that are compared."""

    size: int
    make: Callable[[int], str]
    read: Callable[[bytes, str], ParsedConfig] = lambda data, file: read_sheet(data.decode(), file)


def network(number: int) -> str:
    return f"10.{64 + number // 65536 % 64}.{number // 256 % 256}.{number % 256}"


def communities(size: int) -> str:
    lines = ["snmp:", "    on", *(f"    community withheld read from l{each}" for each in range(size))]
    return "\n".join([*lines, *(f"sources l{each}: allow {network(each * 256)}/24" for each in range(size)), ""])


def vtys(size: int) -> str:
    blocks = [
        f"entry vty {each}:\n    check password\n    password readable p{each}x\n    from l{each}\n"
        f"sources l{each}: allow {network(each * 256)}/24\n"
        for each in range(size)
    ]
    return "".join(blocks)


def users(form: Callable[[int], str]) -> Callable[[int], str]:
    """Accounts that differ in the line that ``form`` gives."""
    return lambda size: (
        "entry console: check users\n"
        + "".join(f"user u{each}:\n    password readable p{each}x\n{form(each)}" for each in range(size))
    )


def passwords(stored: Callable[[int], str]) -> Callable[[int], str]:
    """Accounts with the passwords that ``stored`` gives."""
    return lambda size: (
        "entry console: check users\n"
        + "".join(f"user u{each}:\n    password {stored(each)}\n    level {each % 16}\n" for each in range(size))
    )


def hashed(number: int) -> str:
    return f"hashed $6$s{number}${'x' * 86}"


def roles(size: int) -> str:
    return "entry console: check users\n" + "".join(
        f"role r{each}: level {each % 16}\nuser u{each}:\n    password readable p{each}x\n    role r{each}\n"
        for each in range(size)
    )


def elevations(size: int) -> str:
    levels = "".join(f"elevation {level}: password readable e{level}x\n" for level in range(1, 16))
    return levels + users(lambda each: f"    level {each % 16}\n")(size)


def accounts_with_lists(size: int) -> str:
    lists = "".join(f"sources l{each}: allow {network(each * 256)}/24\n" for each in range(size))
    return "entry vty 0-3: check users\n" + users(lambda each: f"    from l{each}\n")(size) + lists


def lists(size: int) -> str:
    entries = "".join(f"    allow {network(each * 256)}/24\n" for each in range(500))
    return "entry vty 0-3: check users\n" + "".join(f"sources l{each}:\n{entries}" for each in range(size))


def json_line(size: int) -> str:
    device = read_sheet(users(lambda each: f"    level {each % 16}\n")(size), "a.sheet").device
    return json.dumps(json.loads(to_json(device, secrets=True)))


def json_leaves(size: int) -> str:
    return json.dumps({"ietf-system:system": {"hostname": "a", "x": [1] * size}})


def long_text(size: int) -> str:
    return f'device a:\n    site "{"x" * size}"\n'


CASES = {
    "communities, each with its list": Case(20, communities),
    "VTYs, each with check, password and list": Case(128, vtys),
    "accounts of different passwords": Case(2500, users(lambda each: f"    level {each % 16}\n")),
    "accounts of equal passwords": Case(2500, passwords(lambda _: "readable same")),
    "accounts of hashed passwords": Case(2500, passwords(hashed)),
    "accounts, each with a list": Case(2500, accounts_with_lists),
    "roles": Case(1000, roles),
    "accounts and 15 elevations": Case(500, elevations),
    "lists of 500 entries": Case(100, lists),
    "accounts in one line of JSON": Case(1000, json_line, JSON.read),
    "leaves in one line of JSON": Case(249_000, json_leaves, JSON.read),
    "a long string, in characters": Case(2_500_000, long_text),
}


def taken(case: Case, size: int) -> float:
    data = case.make(size).encode()
    start = time.perf_counter()
    audit_config(case.read(data, "a.sheet"), Project(), now())
    return time.perf_counter() - start


def main() -> None:
    for path, data in demo_files().items():  # what is imported and compiled at first use is not growth
        if path.endswith(".sheet"):
            audit_config(read_sheet(data.decode(), path), Project(), now())
    for name in sys.argv[1:] or CASES:
        case = CASES[name]
        once, twice = taken(case, case.size), taken(case, 2 * case.size)
        print(
            f"{name}: {case.size:,} to {2 * case.size:,}: {once:.2f} s, then {twice / once:.1f} times that", flush=True
        )


if __name__ == "__main__":
    main()
