"""Open models: a device as instance data and back, against the real modules; and data that nobody should trust."""

import json
import random
import re
import subprocess
import sys
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from yangson import DataModel

from overhang.auditing.runner import audit_config
from overhang.demo import demo_files
from overhang.formats.data_tree import BadData
from overhang.formats.data_writer import Unsayable, to_json, to_xml
from overhang.formats.json_format import READER as JSON
from overhang.formats.json_tree import read_json
from overhang.formats.xml_format import READER as XML
from overhang.formats.xml_tree import read_xml
from overhang.formats.yang_module import module_text
from overhang.language import ParsedConfig, read_bytes, read_sheet, unparse
from overhang.model import Device
from overhang.model.stored_secret import Form
from overhang.project import Project
from overhang.text import UnreadableInput
from tests.support.configs import said
from tests.support.generator import NOW, Made
from tests.support.sheets import sheets

CALM: dict[str, Any] = {
    "deadline": None,
    "derandomize": True,
    "suppress_health_check": list(HealthCheck),
    "database": None,
}
SHARED = Path(sys.prefix) / "share" / "yang" / "modules"
OURS = Path(__file__).parents[2] / "src" / "overhang" / "formats" / "yang"
MODULE = next(OURS.glob("overhang-access@*.yang"))
FOLDERS = (str(OURS), str(SHARED / "ietf"), str(SHARED / "iana"))
FEATURES = {
    "ietf-system": ["radius", "authentication", "local-users", "radius-authentication", "timezone-name", "ntp"],
    "ietf-access-control-list": [
        "match-on-eth",
        "match-on-ipv4",
        "match-on-ipv6",
        "eth",
        "ipv4",
        "ipv6",
        "mixed-eth-ipv4-ipv6",
    ],
}


def library() -> str:
    modules = []
    names = "ietf-system ietf-access-control-list overhang-access ietf-interfaces"
    imported = "ietf-inet-types ietf-yang-types ietf-netconf-acm ietf-packet-fields ietf-ethertypes iana-crypt-hash"
    for name in f"{names} {imported}".split():
        path = next(each for folder in FOLDERS for each in Path(folder).glob(f"{name}[.@]*") if each.suffix == ".yang")
        text = path.read_text()
        revision = next(
            line.split()[1].strip('{" ') for line in text.splitlines() if line.strip().startswith("revision ")
        )
        kind = "implement" if name in names.split() else "import"
        modules.append(
            {
                "name": name,
                "revision": revision,
                "namespace": text.partition("namespace")[2].split('"')[1],
                "conformance-type": kind,
                "feature": FEATURES.get(name, []),
            }
        )
    return json.dumps({"ietf-yang-library:modules-state": {"module-set-id": "1", "module": modules}})


@pytest.fixture(scope="session")
def model(tmp_path_factory: pytest.TempPathFactory) -> DataModel:
    """The real modules and ours; copied under the names that the library wants."""
    folder = tmp_path_factory.mktemp("modules")
    for each in json.loads(library())["ietf-yang-library:modules-state"]["module"]:
        path = next(p for at in FOLDERS for p in Path(at).glob(f"{each['name']}[.@]*") if p.suffix == ".yang")
        (folder / f"{each['name']}@{each['revision']}.yang").write_text(path.read_text())
    return DataModel(library(), (str(folder),))


def validate(model: DataModel, text: str) -> None:
    model.from_raw(json.loads(text)).validate()


def same(one: ParsedConfig, text: str) -> None:
    assert one.diagnostics == ()
    assert unparse(ordered(one.device), secrets=True) == text


def ordered(device: Device) -> Device:
    """A device with its source lists by name: the standard module holds those that it can say, and ours the others."""
    return device._replace(sources=dict(sorted(device.sources.items())))


def all_ways(device: Device) -> tuple[str, str]:
    """Sheet to JSON to XML to sheet, each step compared; the data in both forms."""
    text = unparse(ordered(device), secrets=True)
    data = to_json(device, secrets=True)
    first = JSON.read(data.encode(), "device.json")
    same(first, text)
    document = to_xml(first.device, secrets=True)
    same(XML.read(document.encode(), "device.xml"), text)
    return data, document


@pytest.mark.slow
@given(sheets())
@settings(max_examples=90, **CALM)
def test_any_sheet_goes_through_json_and_xml_unchanged(text: str) -> None:
    device = read_sheet(text, "a.sheet").device
    try:
        all_ways(device)
    except Unsayable:
        assert any(ord(sign) < 32 or ord(sign) > 0xD7FF for sign in unparse(device, secrets=True)) or "\\" in text


@pytest.mark.slow
@given(st.integers(0, 10**9))
@settings(max_examples=60, **CALM)
def test_random_devices_go_through_json_and_xml_unchanged(seed: int) -> None:
    all_ways(read_sheet(Made(seed).text, "a.sheet").device)


def shuffled(value: Any, chance: random.Random) -> Any:
    """The same JSON, the members of each object in another order; in an array the order may count."""
    if isinstance(value, dict):
        return {key: shuffled(value[key], chance) for key in chance.sample(list(value), len(value))}
    return [shuffled(each, chance) for each in value] if isinstance(value, list) else value


def regrouped(element: ElementTree.Element, chance: random.Random) -> None:
    """Put children of another name in another order, with comments between."""
    groups: dict[str, list[ElementTree.Element]] = {}
    for each in list(element):
        regrouped(each, chance)
        groups.setdefault(each.tag, []).append(each)
        element.remove(each)
    for name in chance.sample(list(groups), len(groups)):
        element.extend([ElementTree.Comment("tides"), *groups[name]])


def test_the_order_of_members_and_elements_says_nothing() -> None:
    def blocks(config: ParsedConfig) -> list[str]:
        assert config.unread == ()
        return sorted(unparse(config.device, secrets=True).strip().split("\n\n"))

    for seed in (*range(30), 50, 237, 240, 411, 421, 438):  # the last ones have VTYs with several passwords
        chance = random.Random(seed)
        device = read_sheet(Made(seed).text, "a.sheet").stated
        data, root = to_json(device, secrets=True), ElementTree.fromstring(to_xml(device, secrets=True))
        regrouped(root, chance)
        mixed = JSON.read(json.dumps(shuffled(json.loads(data), chance)).encode(), "a.json")
        assert blocks(mixed) == blocks(JSON.read(data.encode(), "a.json")), seed
        assert blocks(XML.read(ElementTree.tostring(root), "a.xml")) == blocks(mixed), seed


def test_what_is_written_is_valid_under_the_real_modules(model: DataModel) -> None:
    devices = [read_bytes(data, name).device for name, data in demo_files().items() if name.endswith(".sheet")]
    devices += [read_sheet(Made(seed).text, "a.sheet").device for seed in range(60)]
    for device in devices:
        data, _ = all_ways(device)
        validate(model, data)
        blanked = to_json(device, secrets=False)
        validate(model, blanked)
        stored = [user.password.value for user in device.users.values() if user.password]
        assert not any(each.text and each.form is not Form.READABLE and each.text in blanked for each in stored)


def test_the_demo_data_is_valid_and_means_what_it_says(model: DataModel) -> None:
    files = demo_files()
    data = files["gannet/isle-mast.json"]
    validate(model, data.decode())
    mast = JSON.read(data, "isle-mast.json")
    assert unparse(mast.stated, secrets=False) == (
        'device isle-mast:\n    domain tidewater.example\n    site "Gannet Island, mast"\n    profile unstated\n    zone Etc/UTC\n\n'
        "entry console:\n    check methods\n\n"
        "user lena:\n    password withheld\n\nuser mast-watch:\n    password withheld\n\n"
        "methods for login:\n    users\n\n"
        "servers radius radius:\n    server 10.64.1.10 port 1812 shared-secret withheld\n    timeout 5s\n    tries 2\n\n"
        "ssh:\n    check methods\n\ntelnet:\n    check methods\n\nweb:\n    check methods\n"
    )
    lamp = XML.read(files["gannet/isle-lamp.xml"], "isle-lamp.xml")
    validate(model, to_json(lamp.device, secrets=True))
    assert (mast.unread, lamp.unread, lamp.device.users["lena"].level.value) == ((), (), 15)  # type: ignore[union-attr]
    assert [str(rule.value.prefix) for rule in lamp.device.sources["pier"].rules] == ["10.64.1.0/24", "10.64.40.0/24"]


def test_the_module_is_made_from_the_schema_and_clean() -> None:
    assert MODULE.read_text() == module_text()
    assert (Path(__file__).parents[2] / "docs" / MODULE.name).read_text() == MODULE.read_text()
    ran = subprocess.run(
        [Path(sys.executable).parent / "pyang", "--ietf", "-p", ":".join(FOLDERS), str(MODULE)],
        capture_output=True,
        text=True,
        check=False,
    )
    left = [line for line in ran.stderr.splitlines() if "module name should start" not in line]
    assert [line for line in left if "namespace value" not in line and "IETF Trust" not in line] == []


SYSTEM = '{"ietf-system:system": {"hostname": "quay"%s}}'
LISTED = '{"ietf-access-control-list:acls": {"acl": [{"name": "a", "aces": {"ace": [%s]}}]}}'
ACE = '{"name": "1", "matches": {%s}, "actions": {"forwarding": "ietf-access-control-list:accept"}}'
TACACS = """, "ietf-system-tacacs-plus:tacacs-plus": {"server": [
 {"name": "a", "server-type": "authentication", "address": "192.0.2.9", "port": 49, "shared-secret": "Kelp.7", "timeout": 9},
 {"name": "b", "server-type": "accounting", "address": "192.0.2.10", "shared-secret": "Kelp.8"}]},
 "authentication": {"user-authentication-order": ["ietf-system-tacacs-plus:tacacs-plus", "ietf-system:local-users"]}"""

MEANT: list[tuple[str, list[str], list[str]]] = [
    (SYSTEM % ', "contact": "x", "dns-resolver": {"search": ["a"]}', ["device quay:"], []),
    (SYSTEM % ', "colour": "blue"', ["device quay:"], ["1: ietf-system:*** is not supported here"]),
    ('{"ietf-system:system": {}, "ietf-interfaces:interfaces": {"interface": []}}', [], []),
    (
        '{"ietf-system:system": {}, "example-thing:thing": {"a": 1}}',
        [],
        ["1: this node is not supported here"],
    ),
    (
        SYSTEM % TACACS,
        [
            "servers tacacs tacacs-plus: server 192.0.2.9 port 49 shared-secret readable Kelp.7",
            "servers tacacs tacacs-plus: timeout 9s",
            "methods for login: servers tacacs-plus no goes-on",
            "methods for login: users",
            "ssh: check methods",
        ],
        [],
    ),
    (LISTED % (ACE % '"ipv4": {"source-ipv4-network": "192.0.2.0/24"}'), ["sources a: allow 192.0.2.0/24"], []),
    (LISTED % (ACE % '"ipv6": {}'), ["sources a: allow ::/0"], []),
    (LISTED % (ACE % ""), ["sources a: allow any"], []),
    (
        LISTED % (ACE % '"ipv4": {"protocol": 6}, "tcp": {"destination-port": {"port": 22}}'),
        ["sources a:"],
        [
            "1: an entry of an access list that matches more than the source: ietf-access-control-list:tcp is not supported"
        ],
    ),
    ('{"overhang-access:access": {"ssh": {"port": 99999}}}', ["ssh:"], ["1: a port is a number from 1 to 65535"]),
    ('{"overhang-access:access": {"shh": {}}}', [], ["1: overhang-access:*** is not supported here"]),
    (
        '{"overhang-access:access": {"vty": [{"first": "x", "last": 2}]}}',
        [],
        ["1: a range of VTYs is written like 0-3, one VTY like 7"],
    ),
    ('{"ietf-netconf:config": {"ietf-system:system": {"hostname": "quay"}}}', ["device quay:"], []),
]


@pytest.mark.parametrize(("text", "meant", "remarked"), MEANT)
def test_what_data_means(text: str, meant: list[str], remarked: list[str]) -> None:
    sheet = JSON.read(text.encode(), "x.json")
    assert set(meant) <= set(said(sheet))
    assert [f"{each.span.line}: {each.message}" for each in sheet.diagnostics] == remarked
    assert "Kelp" not in "".join(sheet.quote(line) for line in range(1, len(sheet.lines) + 1))


def test_in_an_order_of_authentication_a_rejection_is_not_final() -> None:
    methods = JSON.read((SYSTEM % TACACS).encode(), "x.json").device.lists["login", None]
    assert methods.block.doubt is None
    assert [said.value.no for said in methods.methods] == ["goes-on", "ends"]


DEEP = '{"a":' * 5000 + "1" + "}" * 5000
BAD_JSON: list[tuple[str, str]] = [
    ("", "expected an object, on line 1"),
    ("[1]", "expected an object, on line 1"),
    ('{"a": 1,\n "a": 2}', "a name is given twice in one object, on line 2"),
    (DEEP, "nested more than 100 deep, more than any device's data, on line 1"),
    ('{"a": {"b":\n\n 01x}}', "not JSON: expected , or }, on line 3"),
    ('{"a": "\\ud8"}', "not JSON: a string that cannot be read, on line 1"),
    ('{"a": 1} {"a": 1}', "unexpected text after the data; one file holds one device, on line 1"),
    ('{"a" 1}', "not JSON: expected :, on line 1"),
    ('{"a": [1 2]}', "not JSON: expected , or ], on line 1"),
    ('{"a": ~}', "not JSON: neither a value nor a name, on line 1"),
    ('{"a": }', "not JSON: expected a value, on line 1"),
    ("{1: 2}", "not JSON: expected a name in quotes, on line 1"),
    (
        '{"data": {}, "config": {}}',
        "this holds more than one device; put each in its own file, on line 1",
    ),
    ('{"a": 1e999999999}', "not JSON: expected , or }, on line 1"),
]
REPLY = '<rpc-reply xmlns="urn:ietf:params:xml:ns:netconf:base:1.0">%s</rpc-reply>'
ONE = '<system xmlns="urn:ietf:params:xml:ns:yang:ietf-system"><hostname>quay</hostname></system>'
LAUGHS = '<!DOCTYPE l [<!ENTITY a "ha"><!ENTITY b "&a;&a;&a;&a;">]><config>&b;</config>'
OUTSIDE = '<!DOCTYPE l [<!ENTITY a SYSTEM "file:///etc/hostname">]><config>&a;</config>'
NO_TYPE = "a document type is not read: it could make the text grow without bounds, or fetch other files, on line 1"
BAD_XML: list[tuple[str, str]] = [
    ("", "not XML: no element found, on line 1"),
    ("<a><b></a>", "not XML: mismatched tag, on line 1"),
    (LAUGHS, NO_TYPE),
    (OUTSIDE, NO_TYPE),
    ("<a>" * 200 + "</a>" * 200, "nested more than 100 deep, more than any device's data, on line 1"),
    (
        REPLY % f"<data>{ONE}</data>\n<data>{ONE}</data>",
        "this holds more than one device; put each in its own file, on line 2",
    ),
    (
        REPLY % f"<data>{ONE}\n{ONE}</data>",
        "system is there twice, so this is more than one device; put each in its own file, on line 2",
    ),
    ('<?xml version="1.0" encoding="klingon"?><a/>', "not XML: its encoding is not known, on line 1"),
    ("<a>&undefined;</a>", "not XML: undefined entity, on line 1"),
]


@pytest.mark.parametrize(
    ("reader", "text", "message"), [(JSON, *each) for each in BAD_JSON] + [(XML, *each) for each in BAD_XML]
)
def test_data_that_cannot_be_read(reader: Any, text: str, message: str) -> None:
    with pytest.raises(UnreadableInput) as caught:
        reader.read(text.encode(), "x")
    assert str(caught.value) == message


@given(st.text(alphabet='{}[]":,ab1 \n\\<>/&;!', max_size=80))
@settings(**CALM)
def test_no_text_breaks_the_readers_of_data(text: str) -> None:
    for read in (lambda: read_json(text), lambda: read_xml(text.encode())):
        line = 1
        try:
            read()
        except BadData as problem:
            line = problem.line
        assert line >= 1


@given(
    st.recursive(
        st.none() | st.booleans() | st.integers() | st.text(max_size=5),
        lambda inner: (
            st.lists(inner, max_size=3)
            | st.dictionaries(
                st.sampled_from(
                    [
                        "ietf-system:system",
                        "authentication",
                        "user",
                        "name",
                        "password",
                        "overhang-access:access",
                        "ssh",
                        "vty",
                        "from",
                        "server",
                        "radius",
                    ]
                ),
                inner,
                max_size=4,
            )
        ),
        max_leaves=20,
    )
)
@settings(max_examples=90, **CALM)
def test_no_data_breaks_what_reads_its_meaning(value: Any) -> None:
    text = json.dumps({"ietf-system:system": value})
    reason = ""
    try:
        sheet = JSON.read(text.encode(), "x")
    except UnreadableInput as problem:
        reason = str(problem)
    if reason:
        twice = "system is there twice, so this is more than one device; put each in its own file, on line 1"
        assert reason in ("a list within a list is not instance data, on line 1", twice)
        return
    assert len(sheet.unread) == len({each.span.line for each in sheet.diagnostics})


def test_a_control_character_cannot_be_said_as_data() -> None:
    device = read_sheet('user lena:\n    password readable "a\\u0007b"\n', "a").device
    with pytest.raises(Unsayable):
        to_json(device, secrets=True)
    assert json.loads(to_json(device, secrets=False))


@pytest.mark.parametrize(
    ("reader", "text"),
    [
        (JSON, '{"ietf-system:system": {"authentication": {"user": [{"name": "a", "password": "$0$Kelp\\u002e7"}]}}}'),
        (JSON, '{"overhang-access:access": {"console": {"password": {"form": "readable", "text": "Kelp \\"7"}}}}'),
        (JSON, '{"ietf-system:system": {"clock": {"x": "Kelp.7"}, "other": ["Kelp.7"]}}'),
        (
            XML,
            ONE.replace(
                "</system>",
                "<authentication><user><name>a</name><password>$0$Kelp&#46;7</password></user></authentication></system>",
            ),
        ),
        (XML, ONE.replace("</system>", "<new>Kelp\n and Kelp</new></system>")),
        (
            XML,
            '<access xmlns="tag:overhang.example,2026:yang:overhang-access"><console><password><form>readable</form><text>Kelp&quot;7</text></password></console></access>',
        ),
    ],
)
def test_no_secret_of_data_shows_in_a_line(reader: Any, text: str) -> None:
    sheet = reader.read(text.encode(), "x")
    shown = "".join(sheet.quote(line) for line in range(1, len(sheet.lines) + 1)) + "".join(map(str, sheet.diagnostics))
    assert "***" in shown
    assert "Kelp" not in shown


def test_the_audit_finds_the_same_in_every_format() -> None:
    def found(sheet: ParsedConfig) -> list[tuple[str, int, list[str]]]:
        findings = audit_config(sheet, Project(), NOW).findings  # what they name comes in the order of the text
        return sorted((each.rule, each.severity, sorted(re.findall(r"\w+", each.message))) for each in findings)

    for name, data in demo_files().items():
        if not name.endswith(".sheet"):
            continue
        sheet = read_bytes(data, name)
        wanted = found(sheet)
        assert found(JSON.read(to_json(sheet.device, secrets=True).encode(), name)) == wanted
        assert found(XML.read(to_xml(sheet.device, secrets=True).encode(), name)) == wanted
