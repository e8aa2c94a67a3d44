from collections.abc import Callable
from pathlib import Path

import pytest

from overhang.exposure import resolve
from overhang.formats.json_format import READER as JSON
from overhang.language import read_sheet
from overhang.profiles import BUILTIN, KEYS, UNKNOWN
from overhang.project import BadProject, Person, Project, find_project, read_project

Write = Callable[[str, str | bytes], Path]

RIGHT = """
[thresholds]
idle = "5m"
rsa-bits = 3072
[networks]
office = ["10.64.1.0/24", "2001:db8::/32"]
[people.lena]
account = "lena"
knows = ["user:lena"]
sits = ["office", "console"]
[servers.central.lena]
level = 15
[profiles.old-switch]
base = "list-wide"
vtys = 2
unsaid-accept = ["telnet"]
wants-identity = true
unsaid-lock = "unknown"
"""


def test_a_whole_project_file(write: Write) -> None:
    project = read_project(str(write("overhang.toml", RIGHT)))
    assert (project.thresholds.idle, project.thresholds.rsa_bits) == (300, 3072)
    assert [str(prefix) for prefix in project.networks["office"]] == ["10.64.1.0/24", "2001:db8::/32"]
    assert project.people["lena"] == Person("lena", ("user:lena",), "lena", ("office", "console"))
    assert project.servers == {"central": {"lena": {"level": 15}}}
    made = project.profiles["old-switch"]
    changed = {key for key in KEYS if made.values[key] != BUILTIN["list-wide"].values[key]}
    assert changed == {"vtys", "unsaid-accept", "wants-identity", "unsaid-lock"}
    assert made.values["unsaid-lock"] is UNKNOWN


def test_an_empty_project_file_is_the_defaults(write: Write) -> None:
    path = str(write("overhang.toml", ""))
    assert read_project(path) == Project(file=path)


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("[treshold]", ":1: treshold: unknown key; did you mean thresholds?"),
        ("[thresholds]\nidel = '5m'", ":2: thresholds.idel: unknown key; did you mean idle?"),
        ("[thresholds]\nidle = 5", ':2: thresholds.idle: expected a duration like "10m"'),
        ("[thresholds]\nrsa-bits = true", ":2: thresholds.rsa-bits: expected a whole number from 0 to 1000000"),
        ("networks = 3", ":1: networks: expected a table, as in [networks]"),
        ("[networks]\na = ['10.64.0.0/99']", ":2: networks.a: a prefix length for IPv4 is a number from 0 to 32"),
        ("[networks]\na = [3]", ":2: networks.a: expected a list of texts"),
        ("[people.lena]\nsits = ['offise']\n[networks]\noffice=[]", ":1: people.lena: no network is called offise; "
         "did you mean office?"),
        ("[people.lena]\nknow = []", ":2: people.lena.know: unknown key; did you mean knows?"),
        ("[people.lena]\naccount = 3", ":2: people.lena.account: expected the name of an account"),
        ("[servers.g.lena]\npassword = 'x'", ":2: servers.g.lena.password: unknown key; known here: level"),
        ("[servers.g.lena]\nlevel = 16", ":2: servers.g.lena.level: a level is a number from 0 to 15"),
        ("[profiles.x]\nbase = 'entry'", ":2: profiles.x.base: expected one of entry-first, "
         "bound-entry, role-based, list-wide, two-tier, appliance"),
        ("[profiles.x]\nvtys = 3", ":1: profiles.x.base: expected one of entry-first, bound-entry, role-based, list-wide, two-tier, "
         "appliance"),
        ("[profiles.entry-first]\nbase = 'list-wide'", ":1: profiles.entry-first: a built-in profile has this name; "
         "choose another"),
        ("[profiles.x]\nbase = 'list-wide'\nvty = 3", ":3: profiles.x.vty: unknown key; did you mean vtys?"),
        ("[profiles.x]\nbase = 'list-wide'\nvtys = 300", ":3: profiles.x.vtys: expected a number from 0 to 256, or unknown"),
        ("a = ", ":1: not TOML: Invalid value (at end of document)"),
        (b"\xff", ":1: not UTF-8 text"),
    ],
)  # fmt: skip
def test_what_is_wrong_is_said_in_one_line(write: Write, text: str | bytes, message: str) -> None:
    path = str(write("overhang.toml", text))
    with pytest.raises(BadProject) as caught:
        read_project(path)
    assert str(caught.value) == path + message


def test_the_nearest_project_file_holds(write: Write, tmp_path: Path) -> None:
    write("overhang.toml", "")
    inner = write("site/overhang.toml", "")
    write("other/deep/x.sheet", "")
    assert find_project(str(tmp_path / "site")) == str(inner)
    assert find_project(str(tmp_path / "other" / "deep")) == str(tmp_path / "overhang.toml")


def test_a_project_file_that_cannot_be_read(tmp_path: Path) -> None:
    with pytest.raises(BadProject, match="cannot be read: No such file"):
        read_project(str(tmp_path / "nothing.toml"))


def test_every_profile_has_every_key_and_can_be_written_down() -> None:
    for profile in BUILTIN.values():
        assert list(profile.values) == list(KEYS)
        for key, value in profile.values.items():
            assert KEYS[key].read(KEYS[key].show(value)) == value


def test_the_profile_of_devices_that_name_none(tmp_path: Path) -> None:
    (tmp_path / "overhang.toml").write_text('profile = "two-tier"\n')
    project = read_project(str(tmp_path / "overhang.toml"))
    silent, saying = read_sheet("device a:\n", "a"), read_sheet("device a:\n    profile appliance\n", "a")
    data = JSON.read(b'{"ietf-system:system": {"hostname": "a"}}', "a.json")
    named = [resolve(each, project) for each in (silent, saying, data)]
    assert [(each.profile_name, each.profile_said) for each in named] == [
        ("two-tier", False), ("appliance", True), ("two-tier", False),
    ]  # fmt: skip
    plain = [resolve(each, Project()) for each in (silent, saying, data)]
    assert [each.profile_name for each in plain] == ["entry-first", "appliance", "unstated"]
    (tmp_path / "overhang.toml").write_text('profile = "two-teir"\n')
    with pytest.raises(
        BadProject, match=r"overhang\.toml:1: profile: no profile is called two-teir; did you mean two-tier\?"
    ):
        read_project(str(tmp_path / "overhang.toml"))
