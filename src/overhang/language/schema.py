"""The schema of the sheet language: one row for each statement, and one for each kind of block.

Reading, writing, redaction, suggestions, the reference page, JSON, XML and the YANG module all come from these rows. To
add a statement that fills a field: add its row here, and the field to its model.
"""

from typing import Any

from overhang.language.spec import FLAG, BlockSpec, Codec, Keep, Repeat, Schema, StatementSpec, record
from overhang.language.syntax import Captures
from overhang.model import (
    Banner,
    Check,
    Community,
    DeviceFacts,
    Door,
    Elevation,
    Entry,
    HostKey,
    Lock,
    Management,
    Method,
    MethodList,
    OwnAddress,
    Passwords,
    Pause,
    PublicKey,
    Record,
    Role,
    Saved,
    Server,
    ServerGroup,
    Service,
    Snmp,
    SourceList,
    SourceRule,
    User,
    Validity,
    Web,
)

_ADD = Repeat.ADD
_PLAIN = Codec()


def _decode_host_key(captures: Captures) -> HostKey:
    kind = captures["kind"]
    return HostKey(kind, captures.get("bits", 256 if kind == "ed25519" else None))


def _encode_host_key(key: HostKey) -> Captures:
    return {"kind": key.kind} if key.bits is None or key.kind == "ed25519" else {"kind": key.kind, "bits": key.bits}


def _decode_validity(captures: Captures) -> Validity:
    if captures["first"] > captures["last"]:
        raise ValueError("the first day comes after the last")
    return Validity(captures["first"], captures["last"])


def _encode_saved(saved: Saved) -> Captures:
    return {"": "never"} if saved.when is None else _SAVED.encode(saved)


def _methods_key(captures: Captures) -> tuple[str, str | None]:
    if captures["purpose"] == "level" and "name" in captures:
        raise ValueError("the method list for level has no name")
    return captures["purpose"], captures.get("name")


def _decode_methods(captures: Captures) -> Captures:
    _methods_key(captures)
    return captures


_CHECK = record(Check, "kind=kind list=name")
_HOST_KEY = Codec(_decode_host_key, _encode_host_key)
_SAVED = record(Saved, "when=when by=by note=note")
_WORDS = Codec(
    lambda captures: () if captures[""] == "nothing" else captures[""],
    lambda value: {"": value or "nothing"},
)
_ANSWERS = Codec(
    lambda captures: ("all",) if captures[""] == "all" else _WORDS.decode(captures),
    lambda value: {"": "all"} if value == ("all",) else _WORDS.encode(value),
)
_HEADER = Codec(lambda captures: captures, lambda captures: captures)
_FORM = ("password FORM", "password", "the stored password")
_CHECKS = "check (nothing | password | users | methods [NAME:list]):kind"
_IDLE = ("idle DURATION", "idle", "log out a session that is idle for this long")
_FAMILY = Codec(lambda captures: captures["list"], lambda value: {"list": value})
_FROM = ("from LIST:list [(ipv4 | ipv6):family]", "sources", "accept connections from this source list only", _FAMILY)
_LEVEL = ("level LEVEL", "level", "the privilege level after login")
_PORT = ("port PORT", "port", "the port, where it is not the usual one")
_ENABLED = "enabled"
_REGISTRY = "names in the SSH protocol's public registry"


def _row(block: str, syntax: str, field: str, doc: str, codec: Codec = _PLAIN, **more: Any) -> StatementSpec:
    return StatementSpec(block, syntax, field, doc, codec, **more)


def _header(syntax: str, opens: str, doc: str, codec: Codec = _HEADER) -> StatementSpec:
    return StatementSpec("", syntax, "", doc, codec, Repeat.MERGE, opens=opens)


def _entry(block: str) -> list[StatementSpec]:
    return [
        _row(block, *_FORM),
        _row(block, "closed", "closed", "accept no login at all", FLAG),
        _row(block, _CHECKS, "check", "how a login here is authenticated", _CHECK),
        _row(block, "level (LEVEL | asked)", "level", f"{_LEVEL[2]}; `asked`: the method list for level gives it"),
        _row(
            block,
            "elevation methods NAME",
            "elevation",
            "the method list for elevation here",
            node="elevation-methods",
        ),
    ]


def _answering(block: str, name: str) -> list[StatementSpec]:
    return [_row(block, "on | off", "on", f"whether {name} answers", node=_ENABLED), _row(block, *_PORT)]


def _asking(block: str) -> list[StatementSpec]:
    check = _row(block, _CHECKS, "check", "how a login is authenticated, in place of the VTY's check", _CHECK)
    return [_row(block, *_FROM), check]


def _granting(block: str) -> list[StatementSpec]:
    list_of = _row(
        block, "elevation methods NAME", "elevation", "the method list for elevation", node="elevation-methods"
    )
    return [_row(block, *_LEVEL), list_of]


def _limiting(block: str) -> list[StatementSpec]:
    return [
        _row(block, "sessions COUNT", "sessions", "the most sessions at a time"),
        _row(block, "rate COUNT", "rate", "the most new connections a minute"),
    ]


_ROWS: tuple[StatementSpec, ...] = (
    _header("device [NAME:name]", "device", "the device; without a name it has none"),
    _header("entry (console | auxiliary):port", "port", "a port on the device itself"),
    _header("entry vty RANGE:range", "vty", "virtual terminals; a statement holds for each number"),
    _header("elevation LEVEL:level", "elevation", "how to reach a privilege level after login"),
    _header("user NAME:name", "user", "a local account"),
    _header("role NAME:name", "role", "a level that accounts share"),
    _header(
        "methods [NAME:name] for (login | elevation | web | level):purpose",
        "methods",
        "a method list; without a name it is the default for all that name none; the one for level has no name",
        Codec(_decode_methods, lambda captures: captures),
    ),
    _header("servers (radius | tacacs):protocol GROUP:name", "servers", "a group of AAA servers"),
    _header("sources LIST:name", "sources", "a list of source addresses"),
    _header("ssh", "ssh", "SSH"),
    _header("telnet", "telnet", "Telnet"),
    _header("web", "web", "management over HTTP and HTTPS"),
    _header("snmp", "snmp", "SNMP"),
    _header("door NAME:name", "door", "any other management service"),
    _header("passwords", "passwords", "the password policy"),
    _header("management", "management", "what holds for every remote way"),
    _header("address (OWN-PREFIX | unknown):prefix", "address", "an address of the device itself"),
    _header("banner (before-login | after-login):when", "banner", "a text that is shown"),
    _row("device", "kind (router | switch | appliance)", "kind", "what kind of device it is"),
    _row("device", "domain NAME", "domain", "its domain"),
    _row("device", "site TEXT", "site", "its location"),
    _row("device", "profile NAME", "profile", "what the device does where nothing is configured"),
    _row("device", "changed MOMENT:when [by NAME:by]", "changed", "when it was last changed", _SAVED),
    _row(
        "device",
        "saved (never | MOMENT:when [by NAME:by] [note TEXT:note])",
        "saved",
        "when the configuration was saved",
        Codec(_SAVED.decode, _encode_saved),
        repeat=_ADD,
        data={"never": None},
    ),
    _row(
        "device",
        "recovery (open | closed)",
        "recovery",
        "open: power off and on at the console bypasses every password",
    ),
    *_entry("port"),
    _row("port", *_IDLE),
    *_entry("vty"),
    _row("vty", "accept (nothing | REMOTE...)", "accept", "the ways that this VTY accepts", _WORDS),
    _row("vty", *_FROM),
    _row("vty", *_IDLE),
    _row("elevation", *_FORM),
    _row("user", *_FORM),
    _row("user", "any-name", "any_name", "no username is asked for: the password alone selects this account", FLAG),
    _row("user", "level LEVEL", "level", "the account's privilege level"),
    _row("user", "role NAME", "role", "the account's role"),
    _row("user", "via WAY...", "via", "the ways that may use it"),
    _row("user", "from LIST", "sources", "the source list it may be used from"),
    _row(
        "user",
        "public-key NAME:algorithm BASE64:key-data [TEXT:comment]",
        "public_keys",
        "an SSH public key: type, bytes, comment",
        record(PublicKey, "algorithm=kind key-data=data comment=comment"),
        repeat=_ADD,
    ),
    _row("user", "disabled", "disabled", "the account cannot be used", FLAG),
    _row("user", "expires DATE", "expires", "valid through that day"),
    _row("role", "level LEVEL", "level", "the privilege level of whoever has the role"),
    _row(
        "methods",
        "(servers GROUP:group | users | entry-password | elevation-password | nothing | reject):kind",
        "methods",
        "what is asked next where nothing before it answered",
        record(Method, "kind=kind group=group"),
        repeat=_ADD,
        node="method",
    ),
    _row(
        "servers",
        "server ADDRESS:address [port PORT:port] [shared-secret FORM:shared-secret]",
        "servers",
        "one server of the group",
        record(Server, "address=address port=port shared-secret=secret"),
        repeat=_ADD,
    ),
    _row("servers", "timeout SPAN", "timeout", "how long to wait for a server"),
    _row("servers", "tries COUNT", "tries", "how often to ask a server"),
    _row(
        "sources",
        "(allow | deny):allow (PREFIX | any):prefix",
        "rules",
        "the first line that matches decides",
        record(SourceRule, "allow=allow prefix=prefix", {"prefix": "any"}),
        repeat=_ADD,
        node="rule",
        data={"any": None},
    ),
    *_answering("ssh", "SSH"),
    _row("ssh", "versions SSH-VERSION...", "versions", "the protocol versions in use"),
    _row(
        "ssh",
        "host-key (rsa BITS:bits | dsa BITS:bits | ecdsa BITS:bits | ed25519 | unknown):kind",
        "host_keys",
        "a host key; `unknown`: this export does not show it",
        _HOST_KEY,
        repeat=_ADD,
    ),
    *_asking("ssh"),
    _row(
        "ssh",
        "login (password | key | password key | both)",
        "login",
        "`password key`: either; `both`: key and password",
        data={"password key": "password-or-key"},
    ),
    *_granting("ssh"),
    _row("ssh", "tries COUNT", "tries", "wrong answers before the connection is closed"),
    *_limiting("ssh"),
    _row("ssh", "finish-within SPAN", "finish_within", "time to complete a login"),
    _row("ssh", *_IDLE),
    _row("ssh", "empty-passwords (yes | no)", "empty_passwords", "whether an empty password is accepted"),
    _row("ssh", "ciphers NAME...", "ciphers", _REGISTRY),
    _row("ssh", "macs NAME...", "macs", _REGISTRY),
    _row("ssh", "exchanges NAME...", "exchanges", _REGISTRY),
    *_answering("telnet", "Telnet"),
    *_asking("telnet"),
    *_granting("telnet"),
    *_limiting("telnet"),
    _row("telnet", *_IDLE),
    _row("web", "http (on | off)", "http", "whether HTTP answers"),
    _row("web", "https (on | off)", "https", "whether HTTPS answers"),
    _row("web", "http-port PORT", "http_port", _PORT[2]),
    _row("web", "https-port PORT", "https_port", _PORT[2]),
    _row("web", "certificate (self-signed | issued | unknown)", "certificate", "who issued the certificate"),
    _row("web", "certificate-key (rsa BITS:bits | ecdsa BITS:bits):kind", "certificate_key", "its key", _HOST_KEY),
    _row(
        "web",
        "certificate-valid DATE:first to DATE:last",
        "certificate_valid",
        "its first and last day",
        Codec(_decode_validity, lambda value: {"first": value.start, "last": value.end}),
    ),
    _row("web", "tls TLS-VERSION...", "tls", "the protocol versions in use"),
    _row(
        "web",
        "check (users | methods [NAME:list] | elevation-password | nothing):kind",
        "check",
        "how a login is authenticated",
        _CHECK,
    ),
    _row("web", *_FROM),
    _row("web", *_IDLE),
    _row("snmp", "on | off", "on", "whether SNMP answers", node=_ENABLED),
    _row("snmp", "versions SNMP-VERSION...", "versions", "the protocol versions in use"),
    _row(
        "snmp",
        "community FORM (read | write):write [from LIST:from]",
        "communities",
        "a community and what it allows",
        record(Community, "=password write=write from=sources"),
        repeat=_ADD,
    ),
    _row("door", "on | off", "on", "whether it answers", node=_ENABLED),
    _row("door", *_PORT),
    _row("door", "check (users | methods [NAME:list] | nothing):kind", "check", "how a login is authenticated", _CHECK),
    _row("door", *_LEVEL),
    _row("door", *_FROM),
    _row("passwords", "mask (yes | no)", "mask", "whether clear-text passwords are masked when stored"),
    _row("passwords", "length N", "length", "the minimum number of characters"),
    _row("passwords", "classes N", "classes", "the minimum number of character classes"),
    _row("passwords", "remember N", "remember", "how many earlier passwords cannot be reused"),
    _row("passwords", "youngest DURATION", "youngest", "the minimum age before a password can be changed"),
    _row("passwords", "oldest DURATION", "oldest", "the maximum age of a password"),
    _row("passwords", "warn DURATION", "warn", "how long before that a warning is given"),
    _row(
        "passwords",
        "lock (SPAN | forever):for after COUNT:after [in SPAN:within]",
        "lock",
        "lock an account after wrong passwords",
        record(Lock, "for=seconds after=failures within=window", {"for": "forever"}),
        data={"forever": "never"},
    ),
    _row("management", *_FROM),
    _row("management", "vlan VLAN", "vlan", "the management VLAN"),
    _row(
        "management",
        "pause SPAN:for after COUNT:after [in SPAN:within] [except LIST:except]",
        "pause",
        "stop new remote logins after wrong answers of anyone",
        record(Pause, "for=seconds after=failures within=window except=spared"),
    ),
    _row(
        "management",
        "record logins (yes | no):logins [to servers GROUP:servers]",
        "record",
        "whether logins are logged, and to which servers",
        record(Record, "logins=on servers=group"),
    ),
    _row("address", "interface NAME", "interface", "the interface that has it"),
    _row("address", "vlan VLAN", "vlan", "its VLAN"),
    _row("address", "faces (management | users | outside)", "faces", "who is on that side"),
    _row("address", "answers (all | nothing | ANSWER...)", "answers", "the ways it answers", _ANSWERS),
)

_ENTRY_TITLE = "`entry console:` or `entry auxiliary:`"
_BLOCKS = (
    BlockSpec("device", DeviceFacts, "facts", Keep.ONE),
    BlockSpec("port", Entry, "", key=lambda captures: captures["port"], shown=_ENTRY_TITLE),
    BlockSpec("vty", Entry, "vtys", Keep.BY_NUMBER, shown="`entry vty:`"),
    BlockSpec("elevation", Elevation, "elevations", key=lambda captures: captures["level"]),
    BlockSpec("user", User, "users", head=("name",)),
    BlockSpec("role", Role, "roles", head=("name",)),
    BlockSpec("methods", MethodList, "lists", head=("purpose", "name"), key=_methods_key),
    BlockSpec("servers", ServerGroup, "groups", head=("name", "protocol"), node="server-group"),
    BlockSpec("sources", SourceList, "sources", head=("name",)),
    BlockSpec("ssh", Service, "ssh", Keep.ONE),
    BlockSpec("telnet", Service, "telnet", Keep.ONE),
    BlockSpec("web", Web, "web", Keep.ONE),
    BlockSpec("snmp", Snmp, "snmp", Keep.ONE),
    BlockSpec("door", Door, "doors", head=("name",)),
    BlockSpec("passwords", Passwords, "passwords", Keep.ONE),
    BlockSpec("management", Management, "management", Keep.ONE),
    BlockSpec(
        "address", OwnAddress, "addresses", Keep.IN_ORDER, head=("prefix",), key=lambda captures: captures["prefix"]
    ),
    BlockSpec("banner", Banner, "banners", key=lambda captures: captures["when"], shown="`banner:`"),
)

#: The field of the statement that each kind of block has: it may hold more than is stated.
INCOMPLETE = "incomplete"
_MAY_HOLD_MORE = "the block may hold more than is stated: what it does not set is unknown"
_IN_ORDER = "the list may hold more, after so many of its lines (without a number, from its start)"
_INCOMPLETE = tuple(
    _row(block.name, f"{INCOMPLETE} [after COUNT:lines]", INCOMPLETE, _IN_ORDER, FLAG)
    if block.name in ("methods", "sources")
    else _row(block.name, INCOMPLETE, INCOMPLETE, _MAY_HOLD_MORE, FLAG)
    for block in _BLOCKS
)

SCHEMA = Schema((*_ROWS, *_INCOMPLETE), _BLOCKS)
