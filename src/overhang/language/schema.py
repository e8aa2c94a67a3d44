"""The schema of the sheet language: one row for each statement, and one for each kind of block.

Reading, writing, redaction, suggestions, the reference page, JSON, XML and the YANG module all come from these rows. To
add a statement that fills a field: add its row here, and the field to its model.
"""

from typing import Any

from overhang.language.spec import FLAG, BlockSpec, Codec, Keep, Repeat, Schema, StatementSpec, record
from overhang.language.syntax import Captures
from overhang.model import (
    Another,
    Banner,
    Check,
    Community,
    DeviceFacts,
    Door,
    Elevation,
    Entry,
    HostKey,
    Hours,
    ListEnd,
    Lock,
    Management,
    Method,
    MethodList,
    OwnAddress,
    Passwords,
    Pause,
    Policy,
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
from overhang.model.address import MOST_RANGES, ranges_of_mask

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


def _decode_rule(captures: Captures) -> SourceRule:
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


def _encode_rule(rule: SourceRule) -> Captures:
    found: Captures = {"allow": rule.allow} if rule.act in ("allow", "deny") else {"act": rule.act}
    if rule.other is not None:
        return found | {"other": rule.other} | ({} if rule.act == "ask" else {"prefix": "list"})
    found["prefix"] = "any" if rule.prefix is None else rule.prefix
    more = {"last": rule.last, "mask": rule.mask}
    return found | {label: held for label, held in more.items() if held is not None}


def _decode_pause(captures: Captures) -> Pause:
    return _PAUSE.decode(captures)._replace(everywhere="everywhere" in captures)  # type: ignore[no-any-return]


def _encode_pause(pause: Pause) -> Captures:
    return _PAUSE.encode(pause) | ({"everywhere": "everywhere"} if pause.everywhere else {})


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
_HOURS = Codec(
    lambda captures: Hours(captures["hours"][0], captures["hours"][1], captures.get("days", ())),
    lambda hours: {"hours": (hours.first, hours.last), **({"days": hours.days} if hours.days else {})},
)
_PAUSE = record(Pause, "for=seconds after=failures within=window except=spared")
_FAMILY = Codec(lambda captures: captures["list"], lambda value: {"list": value})
_FROM = ("from LIST:list [(ipv4 | ipv6):family]", "sources", "accept connections from this source list only", _FAMILY)
_LEVEL = ("level LEVEL", "level", "the privilege level after login")
_PORT = ("port PORT", "port", "the port, where it is not the usual one")
_CAP = ("cap LEVEL", "cap", "nobody lands or elevates above this level")
_GUEST = ("guest LEVEL", "guest", "whoever gives neither name nor password is let in at this level")
_TRIES = ("tries N", "tries", "wrong answers before the connection is closed; 0: none is taken")
_LOGIN = ("login (password | key | password key | both | two-keys)", "login")
_LOGIN_DATA = {"password key": "password-or-key"}
_EITHER = "`password key`: either; `both`: key and password; `two-keys`: two of the account's keys"
_EMPTY = ("empty-passwords (yes | no)", "empty_passwords", "whether an empty password is accepted")
_ELEVATES = "elevates (yes | no)"
_VIA = ("via WAY...", "via", "the ways that may use it")
_NOT_VIA = ("not-via WAY...", "not_via", "the ways that may not use it")
_KEY = record(PublicKey, "algorithm=kind key-data=data comment=comment from=sources until=until")
_KEY_WORDS = "NAME:algorithm BASE64:key-data [TEXT:comment] [from LIST:from] [until DATE:until]"
_METHOD = (
    "(servers GROUP:group | users | entry-password | elevation-password | nothing | reject):kind"
    " [no (ends | goes-on | list NAME:next):no]"
)
_ENABLED = "enabled"
_REGISTRY = "names in the SSH protocol's public registry"


def _decode_method(captures: Captures) -> Method:
    return Method(captures["kind"], captures.get("group"), captures.get("no", "ends"), captures.get("next"))


def _encode_method(method: Method) -> Captures:
    found = {"kind": method.kind, "group": method.group, "next": method.next}
    no = {} if method.no == "ends" else {"no": method.no}
    return {label: held for label, held in found.items() if held is not None} | no


def _row(block: str, syntax: str, field: str, doc: str, codec: Codec = _PLAIN, **more: Any) -> StatementSpec:
    return StatementSpec(block, syntax, field, doc, codec, **more)


def _header(syntax: str, opens: str, doc: str, codec: Codec = _HEADER) -> StatementSpec:
    return StatementSpec("", syntax, "", doc, codec, Repeat.MERGE, opens=opens)


def _passwords(block: str, doc: str = _FORM[2]) -> list[StatementSpec]:
    """The password of a lock, and further ones that open it too."""
    level = " [level LEVEL:level]" if block == "user" else ""
    another = "a further password that opens it" + (", perhaps to a level of its own" if level else "")
    codec = record(Another, "=password level=level")
    return [
        _row(block, _FORM[0], _FORM[1], doc),
        _row(block, f"another-password FORM{level}", "others", another, codec, repeat=_ADD),
    ]


def _conditions(block: str) -> list[StatementSpec]:
    """What has to hold for a policy or an elevation: every part that is given, and of each part one of its values."""
    return [
        _row(block, "for-ways WAY...", "for_ways", "for logins by these ways"),
        _row(block, "for-other-ways WAY...", "for_not_ways", "for logins by all ways but these"),
        _row(block, "for-sources LIST", "for_sources", "for sources that the list allows; never at a port"),
        _row(block, "for-addresses ADDRESS...", "for_addresses", "for logins at these addresses of the device"),
        _row(block, "for-accounts NAME...", "for_accounts", "for these usernames"),
        _row(block, "for-roles NAME...", "for_roles", "for local accounts of these roles"),
        _row(block, "for-vtys RANGE", "for_vtys", "for logins that take these VTYs"),
        _row(
            block,
            "for-hours HOURS:hours [DAYS:days]",
            "for_hours",
            "at this time of the device's clock, every day or on these",
            _HOURS,
        ),
    ]


def _entry(block: str) -> list[StatementSpec]:
    return [
        *_passwords(block),
        _row(block, "closed", "closed", "accept no login at all", FLAG),
        _row(block, _CHECKS, "check", "how a login here is authenticated", _CHECK),
        _row(
            block,
            "users-last",
            "users_last",
            "whoever a method list does not let in here is asked for a local account",
            FLAG,
        ),
        _row(block, "level (LEVEL | asked)", "level", f"{_LEVEL[2]}; `asked`: the method list for level gives it"),
        _row(block, *_CAP),
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
    seats = _row(block, "own-seats", "own_seats", "logins take no VTY but a place that the service has itself", FLAG)
    password = _passwords(block, "the password of a place of its own")
    return [*password, _row(block, *_LEVEL), _row(block, *_CAP), seats, list_of]


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
    _header("policy NAME:name", "policy", "what holds for some logins in place of what is said elsewhere"),
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
    _row("device", "zone NAME", "zone", "the time zone of its clock, a name of the IANA database"),
    *_entry("port"),
    _row("port", *_IDLE),
    *_entry("vty"),
    _row("vty", "accept (nothing | REMOTE...)", "accept", "the ways that this VTY accepts", _WORDS),
    _row("vty", *_FROM),
    _row("vty", *_IDLE),
    *_passwords("elevation"),
    _row("elevation", "least LEVEL", "least", "the lowest level from which it can be used"),
    *_conditions("elevation"),
    *_passwords("user"),
    _row("user", "any-name", "any_name", "no username is asked for: the password alone selects this account", FLAG),
    _row("user", "level LEVEL", "level", "the account's privilege level"),
    _row("user", "role NAME", "role", "the account's role"),
    _row("user", _ELEVATES, "elevates", "whether it may elevate"),
    _row("user", *_VIA),
    _row("user", *_NOT_VIA),
    _row("user", "from LIST", "sources", "the source list it may be used from"),
    _row("user", *_LOGIN, f"how it may log in by SSH; {_EITHER}", data=_LOGIN_DATA),
    _row(
        "user",
        f"public-key {_KEY_WORDS}",
        "public_keys",
        "an SSH public key: type, bytes, comment; where it may be used from, and its last day",
        _KEY,
        repeat=_ADD,
    ),
    _row(
        "user",
        f"key-authority {_KEY_WORDS}",
        "authorities",
        "a key whose holder may certify keys for this account: type, bytes, comment",
        _KEY,
        repeat=_ADD,
    ),
    _row("user", "disabled", "disabled", "the account cannot be used", FLAG),
    _row("user", "expires DATE", "expires", "valid through that day"),
    _row("user", "must-change", "must_change", "its password has to be changed at the next login", FLAG),
    _row("user", "no-prompt", "no_prompt", "whoever gives its name is let in without a password", FLAG),
    _row("user", "never-locked", "never_locked", "wrong passwords do not lock it", FLAG),
    _row("role", "level LEVEL", "level", "the privilege level of whoever has the role"),
    _row("role", *_CAP),
    _row("role", _ELEVATES, "elevates", "whether accounts that do not say so may elevate"),
    _row("role", "via WAY...", "via", "the ways that may use accounts that name none"),
    _row("role", "not-via WAY...", "not_via", "the ways that may not use any of its accounts"),
    _row("role", "from LIST", "sources", "the source list of accounts that name none"),
    _row(
        "methods",
        _METHOD,
        "methods",
        "what is asked next where nothing before it answered; `no`: where its rejection leads, `ends` where unsaid",
        Codec(_decode_method, _encode_method),
        repeat=_ADD,
        node="method",
    ),
    _row(
        "methods",
        "at-end (deny | admit | users | list NAME:next):kind",
        "at_end",
        "what follows where no method answered; `deny` where unsaid",
        record(ListEnd, "kind=kind next=next"),
    ),
    _row("methods", *_CAP),
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
        "servers", "secret-wrong", "secret_wrong", "the shared secret is not the servers', so none ever answers", FLAG
    ),
    _row("servers", "needs-user", "needs_user", "a login needs a usable local account of the same name too", FLAG),
    _row(
        "servers",
        "level-from (server | account | lower | higher)",
        "level_from",
        "whose level counts: the server's, the local account's of the same name, or the lower or higher of both",
    ),
    _row(
        "sources",
        "((allow | deny):allow | leave:act) (PREFIX:prefix | HOST:prefix to HOST:last | HOST:prefix mask HOST:mask | any:prefix"
        " | list:prefix LIST:other) | ask:act LIST:other",
        "rules",
        "the first line that matches decides; `mask`: bits that may differ; `list`: whatever that list allows; `leave`:"
        " this list does not decide; `ask`: another list is gone through, and where it does not decide, the next line",
        Codec(_decode_rule, _encode_rule),
        repeat=_ADD,
        node="rule",
        data={"any": None, "list": None},
    ),
    _row("sources", "at-end (allow | deny)", "at_end", "what follows where no line matched; `deny` where unsaid"),
    _row("sources", "silent", "silent", "whoever is denied gets no answer at all", FLAG),
    *_conditions("policy"),
    _row("policy", "refused", "refused", "these logins are refused", FLAG),
    _row("policy", *_FROM),
    _row(
        "policy",
        "check (nothing | password | users | methods [NAME:list] | elevation-password):kind",
        "check",
        "how a login is authenticated",
        _CHECK,
    ),
    _row("policy", *_LOGIN, f"how SSH may be used to log in; {_EITHER}", data=_LOGIN_DATA),
    _row("policy", *_TRIES),
    _row("policy", *_EMPTY),
    _row("policy", *_GUEST),
    _row("policy", "level LEVEL", "level", "the privilege level after login, whoever let the person in"),
    _row("policy", *_CAP),
    _row("policy", _ELEVATES, "elevates", "whether such a session may elevate"),
    _row("policy", *_IDLE),
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
        *_LOGIN,
        _EITHER,
        data=_LOGIN_DATA,
    ),
    *_granting("ssh"),
    _row("ssh", *_TRIES),
    *_limiting("ssh"),
    _row("ssh", "finish-within SPAN", "finish_within", "time to complete a login"),
    _row("ssh", *_IDLE),
    _row("ssh", *_EMPTY),
    _row("ssh", "ciphers NAME...", "ciphers", _REGISTRY),
    _row("ssh", "macs NAME...", "macs", _REGISTRY),
    _row("ssh", "exchanges NAME...", "exchanges", _REGISTRY),
    _row("ssh", "host-key-kinds NAME...", "host_key_kinds", "algorithms of host keys, by the same registry"),
    _row("ssh", "key-kinds NAME...", "key_kinds", "algorithms of accounts' keys that are taken, by the same registry"),
    *_answering("telnet", "Telnet"),
    *_asking("telnet"),
    *_granting("telnet"),
    _row("telnet", *_TRIES),
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
        "check (users | methods [NAME:list] | elevation-password | password | nothing):kind",
        "check",
        "how a login is authenticated",
        _CHECK,
    ),
    *_passwords("web", "the password of the pages"),
    _row("web", *_TRIES),
    _row("web", *_GUEST),
    _row("web", *_LEVEL),
    _row("web", *_CAP),
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
    _row(
        "door",
        "check (users | methods [NAME:list] | password | nothing):kind",
        "check",
        "how a login is authenticated",
        _CHECK,
    ),
    *_passwords("door"),
    _row("door", *_GUEST),
    _row("door", *_LEVEL),
    _row("door", *_FROM),
    _row("passwords", "mask (yes | no)", "mask", "whether clear-text passwords are masked when stored"),
    _row("passwords", "length N", "length", "the minimum number of characters"),
    _row("passwords", "classes N", "classes", "the minimum number of character classes"),
    _row("passwords", "letters COUNT", "letters", "only so many characters of a password count"),
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
        "pause SPAN:for after COUNT:after [in SPAN:within] [except LIST:except] [everywhere:everywhere]",
        "pause",
        "stop new remote logins after wrong answers of anyone; `everywhere`: those at the ports too",
        Codec(_decode_pause, _encode_pause),
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
    BlockSpec("policy", Policy, "policies", head=("name",)),
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
