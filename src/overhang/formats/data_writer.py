"""Writing a device as instance data: the standard modules for what they have, our own for the rest."""

import json
import re
from collections.abc import Iterator
from typing import Any
from xml.sax.saxutils import escape

from overhang.formats.codec import encode, secret
from overhang.formats.xml_tree import NAMESPACES
from overhang.language.lexer import split_words
from overhang.language.unparser import write_sheet
from overhang.model import Device

Words = list[str]
Data = dict[str, Any]
#: A host name of RFC 7317 that is one label, so that it cannot be taken for a name and a domain.
_LABEL = re.compile(r"[A-Za-z0-9]([A-Za-z0-9_-]{0,61}[A-Za-z0-9])?")
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


class Unsayable(Exception):
    """A device of which something cannot be said as instance data; the message says what."""


def model_data(device: Device, *, secrets: bool) -> Data:
    """The data of a device, as RFC 7951 has it. Raises Unsayable."""
    return _Writer(write_sheet(device, secrets=secrets)).data()


def to_json(device: Device, *, secrets: bool) -> str:
    """The data as JSON (RFC 7951). Raises Unsayable."""
    return json.dumps(model_data(device, secrets=secrets), indent=2, ensure_ascii=False) + "\n"


def to_xml(device: Device, *, secrets: bool) -> str:
    """The data as the ``<config>`` of a NETCONF message (RFC 6241). Raises Unsayable."""
    lines = ["<?xml version='1.0' encoding='UTF-8'?>", f'<config xmlns="{_CONFIG}">']
    for name, value in model_data(device, secrets=secrets).items():
        lines += _elements(name, value, "", "  ")
    return "\n".join([*lines, "</config>"]) + "\n"


def _elements(name: str, value: Any, module: str, indent: str) -> Iterator[str]:
    if isinstance(value, list):
        for each in value:
            yield from _elements(name, each, module, indent)
        return
    before, colon, local = name.partition(":")
    of = before if colon else module
    tag = f'{local} xmlns="{_URIS[of]}"' if colon and of != module else local if colon else name
    plain = tag.partition(" ")[0]
    if value is None or value == {}:
        yield f"{indent}<{tag}/>"
    elif isinstance(value, dict):
        yield f"{indent}<{tag}>"
        for inner, each in value.items():
            yield from _elements(inner, each, of, indent + "  ")
        yield f"{indent}</{plain}>"
    else:
        text = str(value).lower() if isinstance(value, bool) else str(value)
        text = text.removeprefix("ietf-access-control-list:") if of == "ietf-access-control-list" else text
        yield f"{indent}<{tag}>{escape(text, {chr(13): '&#13;'})}</{plain}>"


class _Writer:
    def __init__(self, text: str) -> None:
        found = _FORBIDDEN.search(text)
        quoted = re.search(r"\\u00(?:0[0-8bcef]|1[0-9a-f])|\\[bf]|\\ud[89ab]|\\ufff[ef]", text)
        if found or quoted:
            raise Unsayable("it holds a control character, which neither XML nor a YANG string can hold")
        self.blocks = list(_blocks(text))
        self.access: Data = {}
        self.system: Data = {}
        self.users: list[Data] = []
        self.lists: list[Data] = []

    def data(self) -> Data:
        for head, lines in self.blocks:
            self.block(head, lines)
        found: Data = {}
        if self.users:
            self.system["authentication"] = {"user": self.users}
        if self.system:
            found["ietf-system:system"] = self.system
        if self.lists:
            found["ietf-access-control-list:acls"] = {"acl": self.lists}
        found["overhang-access:access"] = self.access
        return found

    def block(self, head: Words, lines: list[Words]) -> None:
        kind = head[0]
        special = {
            "device": self.device,
            "entry": self.entry,
            "elevation": self.elevation,
            "user": self.user,
            "methods": self.methods,
            "servers": self.servers,
            "sources": self.sources,
            "address": self.address,
            "banner": self.banner,
            "drop": self.drop,
        }.get(kind)
        if special is not None:
            special(head, lines)
        elif kind in ("role", "door"):
            self.add(kind, {"name": head[1], **encode(kind, lines)})
        else:
            self.access[kind] = encode(kind, lines)

    def add(self, name: str, entry: Data) -> Data:
        self.access.setdefault(name, []).append(entry)
        return entry

    def device(self, head: Words, lines: list[Words]) -> None:
        found: Data = {}
        if len(head) > 1:
            if _LABEL.fullmatch(head[1]):
                self.system["hostname"] = head[1]
            else:
                found["name"] = head[1]
        self.access["device"] = {**found, **encode("device", lines)}

    def entry(self, head: Words, lines: list[Words]) -> None:
        if head[1] != "vty":
            self.access[head[1]] = encode(head[1], lines)
            return
        first, _, last = head[2].partition("-")
        numbers = {"first": int(first), "last": int(last or first)}
        if lines and lines[0][0] == "password":
            self.add("vty-password", {**numbers, "password": secret(lines[0][1:])})
        else:
            self.add("vty", {**numbers, **encode("vty", lines)})

    def drop(self, head: Words, lines: list[Words]) -> None:
        """``drop entry vty N``, with which the writer takes a password from a number of its range."""
        del lines
        number = int(head[3].rstrip(":"))
        for entry in self.access["vty-password"]:
            if entry["first"] <= number <= entry["last"]:
                entry.setdefault("except", []).append(number)

    def elevation(self, head: Words, lines: list[Words]) -> None:
        found: Data = {"level": int(head[1])}
        for words in lines:
            one_way = words[1] in ("opaque", "withheld") or (words[1] == "hashed" and not words[2].startswith("$0$"))
            found["one-way" if one_way else "two-way"] = secret(words[1:])
        self.add("elevation", found)

    def user(self, head: Words, lines: list[Words]) -> None:
        found: Data = {"name": head[1]}
        keys: list[Data] = []
        rest = []
        for words in lines:
            if words[0] == "public-key":
                keys.append(_key(words, len(keys) + 1, {each["name"] for each in keys}))
            elif words[0] != "password":
                rest.append(words)
            elif words[1] == "hashed" and _CRYPT.fullmatch(words[2]):
                found["password"] = words[2]
            else:
                found["overhang-access:password"] = secret(words[1:])
        if keys:
            found["authorized-key"] = keys
        found.update({f"overhang-access:{name}": value for name, value in encode("user", rest).items()})
        self.users.append(found)

    def methods(self, head: Words, lines: list[Words]) -> None:
        purpose = head[-1]
        name = head[1] if len(head) > 3 else ""
        self.add("methods", {"purpose": purpose, "name": name, **encode("methods", lines)})

    def servers(self, head: Words, lines: list[Words]) -> None:
        self.add("server-group", {"name": head[2], "protocol": head[1], **encode("server-group", lines)})

    def sources(self, head: Words, lines: list[Words]) -> None:
        name = head[1]
        if len(name) > _LONGEST_NAME:
            self.add("sources", {"name": name, **encode("sources", lines)})
            return
        entries: list[Data] = []
        for number, (verb, prefix) in enumerate(lines, 1):
            entry: Data = {"name": str(number)}
            if prefix != "any":
                family = "ipv6" if ":" in prefix else "ipv4"
                entry["matches"] = {family: {f"source-{family}-network": prefix}}
            verb = "accept" if verb == "allow" else "drop"
            entry["actions"] = {"forwarding": f"ietf-access-control-list:{verb}"}
            entries.append(entry)
        families = {":" in prefix for _, prefix in lines if prefix != "any"}
        found: Data = {"name": name}
        if families:  # the standard asks for it wherever an entry speaks of an address
            kind = "mixed-eth-ipv4-ipv6" if len(families) > 1 else "ipv6" if True in families else "ipv4"
            found["type"] = f"ietf-access-control-list:{kind}-acl-type"
        if entries:
            found["aces"] = {"ace": entries}
        self.lists.append(found)

    def address(self, head: Words, lines: list[Words]) -> None:
        found: Data = {"position": len(self.access.get("address", [])) + 1}
        if head[1] != "unknown":
            address, _, length = head[1].partition("/")
            found.update({"ip": address, "length": int(length)})
        self.add("address", {**found, **encode("address", lines)})

    def banner(self, head: Words, lines: list[Words]) -> None:
        found: Data = {"when": head[1]}
        if lines:
            found["text"] = "\n".join(words[0] for words in lines)
        self.add("banner", found)


def _key(words: Words, number: int, taken: set[str]) -> Data:
    comment = words[3] if len(words) > 3 else ""
    name = comment if comment and comment not in taken and not comment.startswith("key-") else f"key-{number}"
    found: Data = {"name": name, "algorithm": words[1], "key-data": words[2]}
    if name != comment:
        found["overhang-access:comment"] = comment
    return found


def _blocks(text: str) -> Iterator[tuple[Words, list[Words]]]:
    """The blocks of a normalised sheet: the words of the head and of each line; a banner's line is one word."""
    head: Words | None = None
    lines: list[Words] = []
    for line in text.split("\n"):
        if not line.strip():
            continue
        if line.startswith("    "):
            body = line[4:]
            lines.append([body[1:].removeprefix(" ")] if body.startswith("|") else _words(body))
            continue
        if head is not None:
            yield head, lines
        head, lines = _words(line if line.startswith("drop ") else line.removesuffix(":")), []
    if head is not None:
        yield head, lines


def _words(text: str) -> Words:
    return [word.text for word in split_words(text)[0]]
