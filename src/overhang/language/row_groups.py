"""How values become words, and groups of statements that several kinds of block have in common."""

from typing import Any

from overhang.language.spec import FLAG, Codec, Repeat, StatementSpec, record
from overhang.language.syntax import Captures
from overhang.model import (
    Another,
    Check,
    HostKey,
    Hours,
    Method,
    Pause,
    PublicKey,
    Saved,
    SourceRule,
    Validity,
)
from overhang.model.address import MOST_RANGES, ranges_of_mask

ADD = Repeat.ADD
_PLAIN = Codec()


def _decode_host_key(captures: Captures) -> HostKey:
    kind = captures["kind"]
    return HostKey(kind, captures.get("bits", 256 if kind == "ed25519" else None))


def _encode_host_key(key: HostKey) -> Captures:
    return {"kind": key.kind} if key.bits is None or key.kind == "ed25519" else {"kind": key.kind, "bits": key.bits}


def decode_validity(captures: Captures) -> Validity:
    if captures["first"] > captures["last"]:
        raise ValueError("the first day comes after the last")
    return Validity(captures["first"], captures["last"])


def encode_saved(saved: Saved) -> Captures:
    return {"": "never"} if saved.when is None else SAVED.encode(saved)


def decode_rule(captures: Captures) -> SourceRule:
    act = captures.get("act") or ("allow" if captures["allow"] else "deny")
    prefix, last, mask = captures.get("prefix"), captures.get("last"), captures.get("mask")
    prefix = None if prefix in ("any", "list") else prefix
    for other in (last, mask):
        if other is None or prefix is None:
            continue
        if prefix.low != prefix.high:
            raise ValueError("a range or a mask begins with one address")
        if other.family != prefix.family:
            raise ValueError("both are addresses of one IP version")
    if last is not None and prefix is not None and last.low < prefix.low:
        raise ValueError("the range runs backwards")
    if mask is not None and ranges_of_mask(mask) > MOST_RANGES:
        raise ValueError(f"this mask makes more than {MOST_RANGES:,} ranges of addresses, too many to follow")
    return SourceRule(act, prefix, last, mask, captures.get("other"))


def encode_rule(rule: SourceRule) -> Captures:
    found: Captures = {"allow": rule.allow} if rule.act in ("allow", "deny") else {"act": rule.act}
    if rule.other is not None:
        return found | {"other": rule.other} | ({} if rule.act == "ask" else {"prefix": "list"})
    found["prefix"] = "any" if rule.prefix is None else rule.prefix
    more = {"last": rule.last, "mask": rule.mask}
    return found | {label: held for label, held in more.items() if held is not None}


def decode_pause(captures: Captures) -> Pause:
    return _PAUSE.decode(captures)._replace(everywhere="everywhere" in captures)  # type: ignore[no-any-return]


def encode_pause(pause: Pause) -> Captures:
    return _PAUSE.encode(pause) | ({"everywhere": "everywhere"} if pause.everywhere else {})


def methods_key(captures: Captures) -> tuple[str, str | None]:
    if captures["purpose"] == "level" and "name" in captures:
        raise ValueError("the method list for level has no name")
    return captures["purpose"], captures.get("name")


def decode_methods(captures: Captures) -> Captures:
    methods_key(captures)
    return captures


CHECK = record(Check, "kind=kind list=name")
HOST_KEY = Codec(_decode_host_key, _encode_host_key)
SAVED = record(Saved, "when=when by=by note=note")
WORDS = Codec(
    lambda captures: () if captures[""] == "nothing" else captures[""],
    lambda value: {"": value or "nothing"},
)
ANSWERS = Codec(
    lambda captures: ("all",) if captures[""] == "all" else WORDS.decode(captures),
    lambda value: {"": "all"} if value == ("all",) else WORDS.encode(value),
)
_HEADER = Codec(lambda captures: captures, lambda captures: captures)
_FORM = ("password FORM", "password", "the stored password")
_CHECKS = "check (nothing | password | users | methods [NAME:list]):kind"
IDLE = ("idle DURATION", "idle", "log out a session that is idle for this long")
_HOURS = Codec(
    lambda captures: Hours(captures["hours"][0], captures["hours"][1], captures.get("days", ())),
    lambda hours: {"hours": (hours.first, hours.last), **({"days": hours.days} if hours.days else {})},
)
_PAUSE = record(Pause, "for=seconds after=failures within=window except=spared")
_FAMILY = Codec(lambda captures: captures["list"], lambda value: {"list": value})
FROM = ("from LIST:list [(ipv4 | ipv6):family]", "sources", "accept connections from this source list only", _FAMILY)
LEVEL = ("level LEVEL", "level", "the privilege level after login")
PORT = ("port PORT", "port", "the port, where it is not the usual one")
CAP = ("cap LEVEL", "cap", "nobody lands or elevates above this level")
GUEST = ("guest LEVEL", "guest", "whoever gives neither name nor password is let in at this level")
TRIES = ("tries N", "tries", "wrong answers before the connection is closed; 0: none is taken")
LOGIN = ("login (password | key | password key | both | two-keys)", "login")
LOGIN_DATA = {"password key": "password-or-key"}
EITHER = "`password key`: either; `both`: key and password; `two-keys`: two of the account's keys"
EMPTY = ("empty-passwords (yes | no)", "empty_passwords", "whether an empty password is accepted")
ELEVATES = "elevates (yes | no)"
VIA = ("via WAY...", "via", "the ways that may use it")
NOT_VIA = ("not-via WAY...", "not_via", "the ways that may not use it")
KEY = record(PublicKey, "algorithm=kind key-data=data comment=comment from=sources until=until")
KEY_WORDS = "NAME:algorithm BASE64:key-data [TEXT:comment] [from LIST:from] [until DATE:until]"
METHOD = (
    "(servers GROUP:group | users | entry-password | elevation-password | nothing | reject):kind"
    " [no (ends | goes-on | list NAME:next):no]"
)
ENABLED = "enabled"
REGISTRY = "names in the SSH protocol's public registry"


def decode_method(captures: Captures) -> Method:
    return Method(captures["kind"], captures.get("group"), captures.get("no", "ends"), captures.get("next"))


def encode_method(method: Method) -> Captures:
    found = {"kind": method.kind, "group": method.group, "next": method.next}
    no = {} if method.no == "ends" else {"no": method.no}
    return {label: held for label, held in found.items() if held is not None} | no


def row(block: str, syntax: str, field: str, doc: str, codec: Codec = _PLAIN, **more: Any) -> StatementSpec:
    return StatementSpec(block, syntax, field, doc, codec, **more)


def header(syntax: str, opens: str, doc: str, codec: Codec = _HEADER) -> StatementSpec:
    return StatementSpec("", syntax, "", doc, codec, Repeat.MERGE, opens=opens)


def passwords(block: str, doc: str = _FORM[2]) -> list[StatementSpec]:
    """The password of a lock, and further ones that open it too."""
    level = " [level LEVEL:level]" if block == "user" else ""
    another = "a further password that opens it" + (", perhaps to a level of its own" if level else "")
    another += "; `where`: only for logins that a policy holds for"
    codec = record(Another, "=password level=level where=where")
    return [
        row(block, _FORM[0], _FORM[1], doc),
        row(block, f"another-password FORM{level} [where NAME:where]", "others", another, codec, repeat=ADD),
    ]


def conditions(block: str) -> list[StatementSpec]:
    """What has to hold for a policy or an elevation: every part that is given, and of each part one of its values."""
    return [
        row(block, "for-ways WAY...", "for_ways", "for logins by these ways"),
        row(block, "for-other-ways WAY...", "for_not_ways", "for logins by all ways but these"),
        row(block, "for-sources LIST", "for_sources", "for sources that the list allows; never at a port"),
        row(block, "for-addresses ADDRESS...", "for_addresses", "for logins at these addresses of the device"),
        row(block, "for-accounts NAME...", "for_accounts", "for these usernames"),
        row(block, "for-roles NAME...", "for_roles", "for local accounts of these roles"),
        row(block, "for-vtys RANGE", "for_vtys", "for logins that take these VTYs"),
        row(
            block,
            "for-hours HOURS:hours [DAYS:days]",
            "for_hours",
            "at this time of the device's clock, every day or on these",
            _HOURS,
        ),
    ]


def entry(block: str) -> list[StatementSpec]:
    return [
        *passwords(block),
        row(block, "closed", "closed", "accept no login at all", FLAG),
        row(block, _CHECKS, "check", "how a login here is authenticated", CHECK),
        row(
            block,
            "users-last",
            "users_last",
            "whoever a method list does not let in here is asked for a local account",
            FLAG,
        ),
        row(block, "level (LEVEL | asked)", "level", f"{LEVEL[2]}; `asked`: the method list for level gives it"),
        row(block, *CAP),
        row(
            block,
            "elevation methods NAME",
            "elevation",
            "the method list for elevation here",
            node="elevation-methods",
        ),
    ]


def answering(block: str, name: str) -> list[StatementSpec]:
    return [row(block, "on | off", "on", f"whether {name} answers", node=ENABLED), row(block, *PORT)]


def asking(block: str) -> list[StatementSpec]:
    check = row(block, _CHECKS, "check", "how a login is authenticated, in place of the VTY's check", CHECK)
    return [row(block, *FROM), check]


def granting(block: str) -> list[StatementSpec]:
    list_of = row(
        block, "elevation methods NAME", "elevation", "the method list for elevation", node="elevation-methods"
    )
    seats = row(block, "own-seats", "own_seats", "logins take no VTY but a place that the service has itself", FLAG)
    password = passwords(block, "the password of a place of its own")
    return [*password, row(block, *LEVEL), row(block, *CAP), seats, list_of]


def limiting(block: str) -> list[StatementSpec]:
    return [
        row(block, "sessions COUNT", "sessions", "the most sessions at a time"),
        row(block, "rate COUNT", "rate", "the most new connections a minute"),
    ]
