"""A structure is analysed once: what is then said of devices that are alike is what an audit of each says."""

import datetime
import random
import re
from collections.abc import Iterator

import pytest

from overhang.fleet.examine import Examined, Subject, examine
from overhang.fleet.likeness import Likenesses
from overhang.language.parsed_config import Outline
from overhang.model.hash_budget import HashBudget
from overhang.model.verification import hash_text
from overhang.project import Project
from tests.support.fleet import different, shapes
from tests.support.generator import NAMES, PASSWORDS, Made
from tests.support.rules import project_of

NOW = datetime.datetime(2026, 6, 1, 12, tzinfo=datetime.UTC)
#: What devices may be called that are stamped from one: ordinary names, and such as mean something or look like others.
CALLED = (
    *("lena", "omar7", "ines-2", "mary", "zoe", "berth", "quay.south", "Lena", "LENA", "t2", "t-1", "zz9", "b", "le"),
    *(
        "admin",
        "console",
        "ssh",
        "office",
        "somebody",
        "lena-2",
        "seven",
        "ola\u0308f",
        "9",
        "any",
        "10.64.0.9",
        "gull",
    ),
)
TYPED = (*PASSWORDS, "123456", "password", "lena", "T-1", "anything", "Zoe", "heron", "pier", "buoy", "ropewalk")
PROJECT = """
management = ["office"]
locked-away = ["t*", "le??"]
[networks]
office = ["10.64.0.0/24", "2001:db8::/48"]
yard = ["10.64.0.128/26"]
[[waivers]]
rule = "password-clear-text"
devices = ["t", "z*"]
reason = "a berth out of use"
until = 2026-12-31
[people.mary]
knows = ["user:mary", "elevation:15"]
sits = ["office", "console"]
"""


def stamped(text: str, chance: random.Random, hashes: dict[str, str]) -> str:
    """Another device like one: other names, secrets, addresses and lines, mostly of the same structure."""
    called = {name: chance.choice(CALLED) for name in ("t", *NAMES)}
    if chance.random() < 0.7:
        called = {name: f"{name}{chance.randrange(2, 99)}" for name in ("t", *NAMES)}
    text = re.sub(r"(?m)^device( t)?:", f"device {called['t']}:", text)
    text = re.sub(rf"\b({'|'.join(NAMES)})\b", lambda found: called[found[0]], text)
    spare = (
        chance.sample(TYPED, len(PASSWORDS))
        if chance.random() < 0.3
        else [f"{each}{chance.random()}" for each in PASSWORDS]
    )
    typed = dict(zip(PASSWORDS, spare, strict=True))
    text = re.sub(rf"(readable |\$0\$)({'|'.join(PASSWORDS)})\b", lambda found: found[1] + typed[found[2]], text)
    text = re.sub(r"opaque 8f", lambda _: f"hashed {hashes[chance.choice([*hashes])]}", text)
    second, third = chance.choice((64, 64, 65, 99)), chance.choice((0, 0, 1, 7))
    net = chance.choice(("192.0.2", "192.0.2", "198.51.100"))
    text = re.sub(r"\b10\.64\.(\d+)", lambda found: f"10.{second}.{int(found[1]) + third}", text)
    text = text.replace("192.0.2", net)
    if chance.random() < 0.3:
        text = re.sub(r"\.(5|9|200|210|50|51)\b", lambda found: f".{int(found[1]) + chance.randrange(3)}", text)
    lines = text.split("\n")
    for _ in range(chance.randrange(4)):
        lines.insert(chance.randrange(len(lines)), chance.choice(("", "# a remark", "    # one")))
    return "\n".join(lines)


def seen(found: Examined) -> tuple[object, ...]:
    """All of what was found out of a device."""
    part, hashes = found.part, found.part.hashes
    budget = (hashes.left, hashes.least, hashes.most, hashes.digests(b"key"))
    return found.audit, found.depends, part._replace(space=None, hashes=None), part.space.pieces, budget  # type: ignore[arg-type]


def compared(texts: list[str], project: Project, units: int, profiles: dict[str, object]) -> int:
    """Audit devices in a run that knows likenesses, each beside an audit by itself: how many were told by another."""
    likenesses = Likenesses(NOW)
    for number, text in enumerate(texts):
        outline = Outline.of(text, f"d{number}.sheet")._replace(profiles=profiles)  # type: ignore[arg-type]
        config = outline.built()[0]
        alone = examine(Subject(config, project), NOW, b"key", HashBudget(units))
        for source in (outline if outline.plain else config, config):
            budget = HashBudget(units)
            told = examine(Subject(source, project), NOW, b"key", budget, likenesses, alike=len(text) % 2 > 0 or None)
            assert seen(told) == seen(alone), text
    return likenesses.told


def kinds(seeds: range) -> Iterator[tuple[int, int]]:
    hashes = {
        f"{each}{salt}": hash_text(each, 1000) for each in (*PASSWORDS[:2], "123456", "lena", "zoe") for salt in "ab"
    }
    for seed in seeds:
        chance = random.Random(seed)
        made = Made(seed)
        project = (project_of(PROJECT) if seed % 2 else Project())._replace(servers=made.held)
        texts = [stamped(made.text, chance, hashes) for _ in range(5)]
        yield compared(texts, project, chance.choice((0, 30, 2000)), {"made": made.profile}), len(texts)


@pytest.mark.parametrize("start", range(0, 36, 12))
def test_devices_that_are_told_by_another_are_told_what_an_audit_says(start: int) -> None:
    told, all_of_them = (sum(each) for each in zip(*kinds(range(start, start + 12)), strict=True))
    assert told > all_of_them / 20


@pytest.mark.parametrize("form", ["readable ", "hashed $0$"])
@pytest.mark.parametrize("password", ["{0}", "{1}", "{2}", "boat{3}"])
def test_a_password_that_is_a_name_is_found_on_every_device(form: str, password: str) -> None:
    text = (
        "device {0}:\nuser {1}:\n    password "
        + form
        + password
        + "\nentry vty 0-4: check users\nssh: host-key rsa 2048\n"
    )
    called = [(f"quay-{number}", name, name.title(), number) for number, name in enumerate((*NAMES, "mary", "zoe"))]
    told = compared([text.format(*each) for each in called], Project(), 0, {})
    assert (told > 0) == ("boat" in password)


def test_devices_of_different_projects_are_not_told_by_one_another() -> None:
    text = "device q{0}:\nentry console:\n    check nothing\n    level 15\nuser u{0}: password readable boat{0}\n"
    projects = [Project(), Project(), Project(locked_away=("q*",)), Project(locked_away=("q*",))]
    subjects = [
        Subject(Outline.of(text.format(n), f"d{n}.sheet").built()[0], projects[n % len(projects)]) for n in range(16)
    ]
    likenesses = Likenesses(NOW)
    for each in subjects:
        told = examine(each, NOW, b"key", HashBudget(0), likenesses)
        assert seen(told) == seen(examine(each, NOW, b"key", HashBudget(0)))
    assert likenesses.told == 14, "all but the first of each, whichever of two that are equal it has"


def test_most_devices_of_a_fleet_are_told_by_another() -> None:
    stamps = shapes(8, seed=3)
    texts = [different(stamps[number % len(stamps)], number) for number in range(48)]
    assert compared(texts, Project(), 0, {}) > 30
