"""How the statements of a sheet and the nodes of ``overhang-access`` go together: one table, read both ways.

A codec turns the words behind a statement's first word into data, and a node back into words. Data is as RFC 7951 has
it: 64-bit numbers are strings, an empty leaf is ``[None]``.
"""

from collections.abc import Callable, Iterator, Mapping
from typing import Any, NamedTuple

from overhang.formats.data_tree import Node
from overhang.language.terminals import duration as seconds_of
from overhang.language.unparser import duration, word

Words = list[str]


class Codec(NamedTuple):
    """``encode`` words to data; ``decode`` a node to words, ready to stand in a statement."""

    encode: Callable[[Words], Any]
    decode: Callable[[Node], Words]


def _leaf(node: Node) -> str:
    return node.text or ""


def _seconds(text: str) -> str:
    found = seconds_of(text)
    return "never" if found is None else str(found)


def _spelt(text: str) -> str:
    return duration(int(text)) if text.isascii() and text.isdigit() and int(text[:20]) > 0 else text


def _yes(text: str) -> str:
    return {"true": "yes", "false": "no"}.get(text, text)


def _on(text: str) -> str:
    return {"true": "on", "false": "off"}.get(text, text)


TEXT = Codec(lambda words: words[0], lambda node: [word(_leaf(node))])
NUMBER = Codec(lambda words: int(words[0]), lambda node: [word(_leaf(node))])
TIME = Codec(lambda words: _seconds(words[0]), lambda node: [_spelt(_leaf(node))])
YES = Codec(lambda words: words[0] == "yes", lambda node: [_yes(_leaf(node))])
ON = Codec(lambda words: words[0] == "on", lambda node: [_on(_leaf(node))])
FLAG = Codec(lambda _: [None], lambda _: [])
LEVEL = Codec(lambda words: words[0] if words[0] == "asked" else int(words[0]), lambda node: [word(_leaf(node))])


def secret(words: Words) -> dict[str, Any]:
    """A password form and its text as data."""
    return {"form": words[0], **({"text": words[1]} if len(words) > 1 else {})}


def secret_words(node: Node) -> Words:
    """The words of a stored password."""
    text = node.value("text")
    return [word(node.value("form") or ""), *([] if text is None else [word(text)])]


def _key(words: Words) -> dict[str, Any]:
    return {"kind": words[0], **({"bits": int(words[1])} if len(words) > 1 else {})}


def _key_words(node: Node) -> Words:
    return [word(text) for text in (node.value("kind"), node.value("bits")) if text is not None]


def _check(words: Words) -> dict[str, Any]:
    return {"kind": words[0], **({"list": words[1]} if len(words) > 1 else {})}


def _check_words(node: Node) -> Words:
    return [word(text) for text in (node.value("kind"), node.value("list")) if text is not None]


def _moment(text: str) -> str:
    return text if "T" in text else f"{text}T00:00:00Z"


def _saving(words: Words) -> dict[str, Any]:
    named = dict(zip(words[1::2], words[2::2], strict=True))
    return {**({} if words[0] == "never" else {"when": _moment(words[0])}), **named}


def _saving_words(node: Node) -> Words:
    found = [word(node.value("when") or "never")]
    for name in ("by", "note"):
        text = node.value(name)
        found += [] if text is None else [name, word(text)]
    return found


def _failures(words: Words) -> dict[str, Any]:
    named = dict(zip(words[3::2], words[4::2], strict=True))
    found: dict[str, Any] = {"for": _seconds(words[0]) if words[0] != "forever" else "never", "after": int(words[2])}
    if "in" in named:
        found["within"] = _seconds(named["in"])
    if "except" in named:
        found["except"] = named["except"]
    return found


def _failures_words(node: Node, *, never: str) -> Words:
    span = _spelt(node.value("for") or "")
    found = [never if span == "never" else span, "after", node.value("after") or ""]
    within, spared = node.value("within"), node.value("except")
    found += ["in", _spelt(within)] if within is not None else []
    return found + (["except", word(spared)] if spared is not None else [])


def _record(words: Words) -> dict[str, Any]:
    return {"logins": words[1] == "yes", **({"servers": words[4]} if len(words) > 2 else {})}


def _record_words(node: Node) -> Words:
    group = node.value("servers")
    return ["logins", _yes(node.value("logins") or ""), *([] if group is None else ["to", "servers", word(group)])]


def _valid_words(node: Node) -> Words:
    return [node.value("first") or "", "to", node.value("last") or ""]


def _server(words: Words) -> dict[str, Any]:
    found: dict[str, Any] = {"address": words[0]}
    rest = words[1:]
    if rest and rest[0] == "port":
        found["port"] = int(rest[1])
        rest = rest[2:]
    if rest:
        found["shared-secret"] = secret(rest[1:])
    return found


def _server_words(node: Node) -> Words:
    port, shared = node.value("port"), node.one("shared-secret")
    found = [word(node.value("address") or ""), *([] if port is None else ["port", port])]
    return found if shared is None else [*found, "shared-secret", *secret_words(shared)]


def _community(words: Words) -> dict[str, Any]:
    size = next(index for index in (1, 2) if words[index] in ("read", "write") and len(words) in (index + 1, index + 3))
    return {
        **secret(words[:size]),
        "write": words[size] == "write",
        **({"from": words[size + 2]} if len(words) > size + 2 else {}),
    }


def _community_words(node: Node) -> Words:
    limit = node.value("from")
    rights = {"true": "write", "false": "read"}.get(node.value("write") or "", "")
    return [*secret_words(node), rights, *([] if limit is None else ["from", word(limit)])]


def _method(words: Words) -> dict[str, Any]:
    return {"kind": words[0], **({"group": words[1]} if len(words) > 1 else {})}


def _rule(words: Words) -> dict[str, Any]:
    return {"allow": words[0] == "allow", **({} if words[1] == "any" else {"prefix": words[1]})}


def method_words(node: Node) -> Words:
    """The words of one line of a method list."""
    group = node.value("group")
    return [word(node.value("kind") or ""), *([] if group is None else [word(group)])]


def rule_words(node: Node) -> Words:
    """The words of one line of a source list."""
    allow = {"true": "allow", "false": "deny"}.get(node.value("allow") or "", "")
    return [allow, node.value("prefix") or "any"]


class Field(NamedTuple):
    """One kind of statement and its node. ``form``: a leaf or container, a leaf-list, or a list with a position.

    ``whole``: the codec takes and gives the statement's first word too. ``level methods``-like first words of two parts
    are written with a blank.
    """

    node: str
    word: str
    codec: Codec
    form: str = "one"
    whole: bool = False


_LOCK = Codec(_failures, lambda node: _failures_words(node, never="forever"))
_PAUSE = Codec(_failures, lambda node: _failures_words(node, never="never"))
_VALID = Codec(lambda words: {"first": words[0], "last": words[2]}, _valid_words)
_LOGIN = Codec(
    lambda words: "password-or-key" if len(words) > 1 else words[0],
    lambda node: ["password", "key"] if _leaf(node) == "password-or-key" else [_leaf(node)],
)
SECRET = Codec(secret, secret_words)
_KEY = Codec(_key, _key_words)
_CHECK = Field("check", "check", Codec(_check, _check_words))
_IDLE = Field("idle", "idle", TIME)
_ELEVATION = Field("elevation-methods", "elevation methods", TEXT)
_SAVING = Codec(_saving, _saving_words)
_ENTRY = (_CHECK, Field("level", "level", LEVEL), _ELEVATION, _IDLE, Field("closed", "closed", FLAG))
_PORT_ENTRY = (Field("password", "password", SECRET), *_ENTRY)


def _names(*words: str) -> tuple[Field, ...]:
    return tuple(Field(each, each, TEXT) for each in words)


def _counts(*words: str) -> tuple[Field, ...]:
    return tuple(Field(each, each, NUMBER) for each in words)


_SERVICE = (
    Field("enabled", "on", ON, "switch"),
    *_counts("port"),
    _CHECK,
    Field("level", "level", NUMBER),
    _ELEVATION,
    *_counts("sessions", "rate"),
    _IDLE,
)

#: The statements of each kind of block, by what the block's node is called. ``from`` is dealt with by itself.
FIELDS: Mapping[str, tuple[Field, ...]] = {
    "device": (
        *_names("kind", "domain", "site", "profile", "recovery"),
        Field("changed", "changed", _SAVING),
        Field("saved", "saved", _SAVING, "list"),
    ),
    "console": _PORT_ENTRY,
    "auxiliary": _PORT_ENTRY,
    "vty": (*_ENTRY, Field("accept", "accept", TEXT, "leaves")),
    "user": (
        *_names("role", "from", "expires"),
        *_counts("level"),
        Field("any-name", "any-name", FLAG),
        Field("disabled", "disabled", FLAG),
        Field("via", "via", TEXT, "leaves"),
    ),
    "role": _counts("level"),
    "methods": (Field("method", "", Codec(_method, method_words), "list", whole=True),),
    "server-group": (
        Field("server", "server", Codec(_server, _server_words), "list"),
        Field("timeout", "timeout", TIME),
        *_counts("tries"),
    ),
    "sources": (Field("rule", "", Codec(_rule, rule_words), "list", whole=True),),
    "ssh": (
        *_SERVICE,
        Field("versions", "versions", NUMBER, "leaves"),
        Field("host-key", "host-key", _KEY, "list"),
        *_counts("tries"),
        Field("finish-within", "finish-within", TIME),
        Field("login", "login", _LOGIN),
        Field("empty-passwords", "empty-passwords", YES),
        *(Field(name, name, TEXT, "leaves") for name in ("ciphers", "macs", "exchanges")),
    ),
    "telnet": _SERVICE,
    "web": (
        Field("http", "http", ON),
        Field("https", "https", ON),
        *_counts("http-port", "https-port"),
        *_names("certificate"),
        Field("certificate-key", "certificate-key", _KEY),
        Field("certificate-valid", "certificate-valid", _VALID),
        Field("tls", "tls", TEXT, "leaves"),
        _CHECK,
        _IDLE,
    ),
    "snmp": (
        Field("enabled", "on", ON, "switch"),
        Field("versions", "versions", NUMBER, "leaves"),
        Field("community", "community", Codec(_community, _community_words), "list"),
    ),
    "door": (Field("enabled", "on", ON, "switch"), *_counts("port", "level"), _CHECK),
    "passwords": (
        Field("mask", "mask", YES),
        *_counts("length", "classes", "remember"),
        *(Field(name, name, TIME) for name in ("youngest", "oldest", "warn")),
        Field("lock", "lock", _LOCK),
    ),
    "management": (
        *_counts("vlan"),
        Field("pause", "pause", _PAUSE),
        Field("record", "record", Codec(_record, _record_words)),
    ),
    "address": (
        *_names("interface", "faces"),
        *_counts("vlan"),
        Field("answers", "answers", TEXT, "leaves"),
    ),
}
#: Blocks in which ``from`` names a list for each family.
LIMITED = frozenset({"vty", "ssh", "telnet", "web", "door", "management"})


def encode(kind: str, lines: list[Words]) -> dict[str, Any]:
    """The data of a block for its statements, each as its words."""
    found: dict[str, Any] = {}
    by_word = {field.word: field for field in FIELDS[kind]}
    for words in lines:
        if kind in LIMITED and words[0] == "from":
            for family in words[2:] or ["ipv4", "ipv6"]:
                found.setdefault("from", {})[family] = words[1]
            continue
        first = "on" if words[0] == "off" else words[0]
        if first == "elevation":
            field, rest = by_word["elevation methods"], words[2:]
        else:
            field = by_word[first] if first in by_word else by_word[""]
            rest = words if field.whole or field.form == "switch" else words[1:]
        if field.form == "leaves":
            found[field.node] = [field.codec.encode([each]) for each in rest]
        elif field.form == "list":
            entries = found.setdefault(field.node, [])
            entries.append({"position": len(entries) + 1, **field.codec.encode(rest)})
        else:
            found[field.node] = field.codec.encode(rest)
    return found


def decode(kind: str, block: Node) -> Iterator[tuple[int, str]]:
    """The statements that a block's node amounts to, each with its line."""
    for field in FIELDS[kind]:
        nodes = list(block.all(field.node, "overhang-access"))
        if field.form == "leaves" and nodes:
            words = [each for node in nodes for each in field.codec.decode(node)]
            yield nodes[0].line, f"{field.word} {' '.join(words)}"
            continue
        for node in nodes:
            if field.form == "list":
                node.one("position")
            words = field.codec.decode(node)
            yield node.line, " ".join(words if field.whole or field.form == "switch" else [field.word, *words])
    limits = block.one("from", "overhang-access") if kind in LIMITED else None
    if limits is not None:
        for family in ("ipv4", "ipv6"):
            found = limits.one(family)
            if found is not None:
                yield found.line, f"from {word(found.text or '')} {family}"
