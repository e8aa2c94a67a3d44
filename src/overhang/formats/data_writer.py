"""Writing a device as instance data: the standard modules for what they have, our own for the rest."""

import re
from collections.abc import Callable, Iterable
from typing import Any
from xml.etree import ElementTree

from overhang.formats.codec import CODEC, MODULE, secret_data
from overhang.formats.xml_tree import NAMESPACES
from overhang.language.ir import Statement
from overhang.language.normalise import NormalBlock, Normaliser
from overhang.language.terminals import decode_vty_range
from overhang.model import Another, Device, StoredSecret
from overhang.model.stored_secret import Form
from overhang.text import OverhangError
from overhang.text.json_text import json_text

Data = dict[str, Any]
#: A host name of RFC 7317 that is one label, so that it cannot be taken for a name and a domain.
_LABEL = re.compile(r"[A-Za-z0-9]([A-Za-z0-9_-]{0,61}[A-Za-z0-9])?")
_ZONE = re.compile(r"[A-Za-z0-9_+-]+(/[A-Za-z0-9_+-]+)*")
#: What iana-crypt-hash of RFC 7317 takes.
_CRYPT = re.compile(
    r"\$0\$.*|\$1\$[A-Za-z0-9./]{1,8}\$[A-Za-z0-9./]{22}"
    r"|\$5\$(rounds=\d+\$)?[A-Za-z0-9./]{1,16}\$[A-Za-z0-9./]{43}"
    r"|\$6\$(rounds=\d+\$)?[A-Za-z0-9./]{1,16}\$[A-Za-z0-9./]{86}"
)
_LONGEST_NAME = 64
#: Characters that neither XML 1.0 nor a YANG string can hold.
_FORBIDDEN = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\ud800-\udfff\ufffe\uffff]|[\U0001fffe\U0001ffff]")
_URIS = {module: uri for uri, module in NAMESPACES.items()}
_CONFIG = "urn:ietf:params:xml:ns:netconf:base:1.0"
_ACLS = "ietf-access-control-list"


class Unsayable(OverhangError):
    """A device of which something cannot be written as instance data; the message says what."""


def model_data(device: Device, *, secrets: bool) -> Data:
    """The data of a device, as RFC 7951 has it. Raises Unsayable."""
    data = _Writer(device, secrets=secrets).data()
    if any(_FORBIDDEN.search(text) for text in _texts(data)):
        raise Unsayable("it holds a control character, which neither XML nor a YANG string can hold")
    return data


def to_json(device: Device, *, secrets: bool) -> str:
    """The data as JSON (RFC 7951). Raises Unsayable."""
    return json_text(model_data(device, secrets=secrets))


def to_xml(device: Device, *, secrets: bool) -> str:
    """The data as the ``<config>`` of a NETCONF message (RFC 6241). Raises Unsayable."""
    root = ElementTree.Element("config", xmlns=_CONFIG)
    for name, value in model_data(device, secrets=secrets).items():
        _elements(root, name, value, "")
    ElementTree.indent(root)
    text = ElementTree.tostring(root, encoding="unicode").replace("\r", "&#13;")
    return f"<?xml version='1.0' encoding='UTF-8'?>\n{text}\n"


def _elements(parent: ElementTree.Element, name: str, value: Any, module: str) -> None:
    if isinstance(value, list):
        for each in value:
            _elements(parent, name, each, module)
        return
    before, colon, local = name.partition(":")
    of = before if colon else module
    element = ElementTree.SubElement(parent, local if colon else name)
    if of != module:
        element.set("xmlns", _URIS[of])
    if isinstance(value, dict):
        for inner, each in value.items():
            _elements(element, inner, each, of)
    elif value is not None:
        text = str(value).lower() if isinstance(value, bool) else str(value)
        element.text = text.removeprefix(f"{_ACLS}:") if of == _ACLS else text


def _texts(value: Any) -> Iterable[str]:
    if isinstance(value, dict):
        for each in value.values():
            yield from _texts(each)
    elif isinstance(value, list):
        for each in value:
            yield from _texts(each)
    elif isinstance(value, str):
        yield value


class _Writer:
    def __init__(self, device: Device, *, secrets: bool) -> None:
        self.normaliser = Normaliser(secrets=secrets)
        self.device = device
        self.access: Data = {}
        self.system: Data = {}
        self.users: list[Data] = []
        self.lists: list[Data] = []
        self.special: dict[str, Callable[[NormalBlock], None]] = {
            "device": self.facts,
            "port": self.port,
            "vty": self.vty,
            "elevation": self.elevation,
            "user": self.user,
            "methods": self.methods,
            "servers": self.servers,
            "sources": self.sources,
            "address": self.address,
            "banner": self.banner,
        }

    def data(self) -> Data:
        for block in self.normaliser.blocks(self.device):
            kind = block.header.spec.opens
            if kind in self.special:
                self.special[kind](block)
            elif "name" in block.header.captures:
                self.add(kind, {"name": block.header.captures["name"], **CODEC.encode(block.body)})
            else:
                self.access[kind] = CODEC.encode(block.body)
        found: Data = {}
        if self.users:
            self.system["authentication"] = {"user": self.users}
        if self.system:
            found["ietf-system:system"] = self.system
        if self.lists:
            found[f"{_ACLS}:acls"] = {"acl": self.lists}
        found[f"{MODULE}:access"] = self.access
        return found

    def add(self, name: str, entry: Data) -> None:
        self.access.setdefault(name, []).append(entry)

    def facts(self, block: NormalBlock) -> None:
        name = block.header.captures.get("name")
        found: Data = {}
        if name is not None and _LABEL.fullmatch(name):
            self.system["hostname"] = name
        elif name is not None:
            found["name"] = name
        found |= CODEC.encode(block.body)
        if _ZONE.fullmatch(found.get("zone", "")):
            self.system["clock"] = {"timezone-name": found.pop("zone")}
        self.access["device"] = found

    def port(self, block: NormalBlock) -> None:
        self.access[block.header.captures["port"]] = CODEC.encode(block.body)

    def vty(self, block: NormalBlock) -> None:
        first, last = block.header.captures["range"]
        numbers = {"first": first, "last": last}
        if block.header.drop or any(each.drop for each in block.body):
            entries = [*self.access.get("vty-password", ()), *self.access.get("vty-another-password", ())]
            if block.another is not None:
                entries = [each for each in entries if _place_of(each) == _place_of(_another(block.another))]
            elif not block.header.drop:
                entries = self.access["vty-password"]
            for entry in entries:
                if entry["first"] <= first <= entry["last"]:
                    entry.setdefault("except", []).append(first)
        elif block.another is not None:
            another = block.body[0].value
            where = {} if another.where is None else {"where": another.where}
            self.add("vty-another-password", {**_another(block.another), **secret_data(another.password), **where})
        elif block.body and block.body[0].spec.field == "password":
            self.add("vty-password", {**numbers, **CODEC.encode(block.body)})
        else:
            self.add("vty", {**numbers, **CODEC.encode(block.body)})

    def elevation(self, block: NormalBlock) -> None:
        found: Data = {"level": block.header.captures["level"]}
        for each in block.body:
            if each.spec.field == "password":
                found["one-way" if each.value.one_way else "two-way"] = secret_data(each.value)
        self.add("elevation", found | CODEC.encode(each for each in block.body if each.spec.field != "password"))

    def user(self, block: NormalBlock) -> None:
        found: Data = {"name": block.header.captures["name"]}
        keys: list[Data] = []
        rest: list[Statement] = []
        for each in block.body:
            if each.spec.field == "public_keys":
                keys.append(_key(each, len(keys) + 1, {key["name"] for key in keys}))
            elif isinstance(each.value, StoredSecret):
                found.update(_account_password(each.value))
            else:
                rest.append(each)
        if keys:
            found["authorized-key"] = keys
        found.update({f"{MODULE}:{name}": value for name, value in CODEC.encode(rest).items()})
        self.users.append(found)

    def methods(self, block: NormalBlock) -> None:
        captures = block.header.captures
        self.add(
            "methods", {"purpose": captures["purpose"], "name": captures.get("name", "")} | CODEC.encode(block.body)
        )

    def servers(self, block: NormalBlock) -> None:
        self.add("server-group", {**block.header.captures, **CODEC.encode(block.body)})

    def sources(self, block: NormalBlock) -> None:
        name = block.header.captures["name"]
        simple = all(each.spec.field == "rules" and each.value.plain for each in block.body)
        if len(name) > _LONGEST_NAME or not simple:
            self.add("sources", {"name": name, **CODEC.encode(block.body)})
            return
        entries: list[Data] = []
        families: set[int] = set()
        for number, each in enumerate(block.body, 1):
            entry: Data = {"name": str(number)}
            if each.value.prefix is not None:
                families.add(each.value.prefix.family)
                family = f"ipv{each.value.prefix.family}"
                entry["matches"] = {family: {f"source-{family}-network": str(each.value.prefix)}}
            entry["actions"] = {"forwarding": f"{_ACLS}:{'accept' if each.value.allow else 'drop'}"}
            entries.append(entry)
        found: Data = {"name": name}
        if families:  # the standard asks for it wherever an entry names an address
            kind = "mixed-eth-ipv4-ipv6" if len(families) > 1 else f"ipv{min(families)}"
            found["type"] = f"{_ACLS}:{kind}-acl-type"
        if entries:
            found["aces"] = {"ace": entries}
        self.lists.append(found)

    def address(self, block: NormalBlock) -> None:
        found: Data = {"position": len(self.access.get("address", [])) + 1}
        prefix = block.value.prefix
        if prefix is not None:
            found.update({"ip": str(prefix.written), "length": prefix.length})
        self.add("address", {**found, **CODEC.encode(block.body)})

    def banner(self, block: NormalBlock) -> None:
        found: Data = {"when": block.header.captures["when"]}
        if block.lines:
            found["text"] = "\n".join(block.lines)
        found.update(CODEC.encode(block.body))
        self.add("banner", found)


def _account_password(secret: StoredSecret) -> Data:
    if secret.form is Form.HASHED and _CRYPT.fullmatch(secret.text):
        return {"password": secret.text}
    return {f"{MODULE}:password": secret_data(secret)}


def _key(statement: Statement, number: int, taken: set[str]) -> Data:
    captures = statement.captures
    comment = captures.get("comment", "")
    name = comment if comment and comment not in taken and not comment.startswith("key-") else f"key-{number}"
    found: Data = {"name": name, "algorithm": captures["algorithm"]}
    found["key-data"] = CODEC.encode([statement])["public-key"][0]["key-data"]
    if name != comment:
        found[f"{MODULE}:comment"] = comment
    encoded = CODEC.encode([statement])["public-key"][0]
    return found | {f"{MODULE}:{each}": encoded[each] for each in ("from", "until") if each in encoded}


def _another(another: Another) -> Data:
    """The key of a further password of VTYs."""
    first, last = decode_vty_range(another.under)
    return {"first": first, "last": last, "number": another.number}


def _place_of(entry: Data) -> tuple[int, int, int | None]:
    return entry["first"], entry["last"], entry.get("number")
