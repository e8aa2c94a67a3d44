"""The table of statements: the one place that says what a sheet may contain.

Reading, suggestions and the reference page (docs/sheet.md) all come from it.
"""

from collections.abc import Callable
from typing import Any, NamedTuple

from overhang.language.syntax import Values, compile_syntax, first_words
from overhang.model import (
    Check,
    Community,
    HostKey,
    Lock,
    Method,
    Pause,
    PublicKey,
    Record,
    Saved,
    Server,
    SourceRule,
    Validity,
)

Make = Callable[[Values], Any]


class Statement(NamedTuple):
    """One row: where it stands, what it looks like, what it means.

    ``block`` is the kind of block that it stands in, ``opens`` the kind that it begins (or ""). ``slot`` is the field
    of the model that it fills, ``make`` turns the matched values into the field's value, ``adds`` tells that saying it
    again adds another value in place of replacing the first.
    """

    block: str
    syntax: str
    about: str
    slot: str = ""
    make: Make = lambda values: values[0]
    opens: str = ""
    adds: bool = False


def _true(_: Values) -> bool:
    return True


def _is(word: str) -> Make:
    return lambda values: values[0] == word


def _all(values: Values) -> Values:
    return values


def _check(values: Values) -> Check:
    return Check(*values)


def _ways(values: Values) -> tuple[str, ...]:
    return () if values[0] == "nothing" else values[0]


def _saved(values: Values) -> Saved:
    named = dict(zip(values[1::2], values[2::2], strict=True))
    return Saved(None if values[0] == "never" else values[0], named.get("by"), named.get("note"))


def _host_key(values: Values) -> HostKey:
    return HostKey(values[0], values[1] if len(values) > 1 else 256 if values[0] == "ed25519" else None)


def _public_key(values: Values) -> PublicKey:
    return PublicKey(*values)


def _method(values: Values) -> Method:
    return Method(*values)


def _server(values: Values) -> Server:
    named = dict(zip(values[1::2], values[2::2], strict=True))
    return Server(values[0], named.get("port"), named.get("shared-secret"))


def _rule(values: Values) -> SourceRule:
    return SourceRule(values[0] == "allow", None if values[1] == "any" else values[1])


def _lock(values: Values) -> Lock:
    return Lock(None if values[0] == "forever" else values[0], values[1], values[3] if len(values) > 2 else None)


def _pause(values: Values) -> Pause:
    named = dict(zip(values[2::2], values[3::2], strict=True))
    return Pause(values[0], values[1], named.get("in"), named.get("except"))


def _validity(values: Values) -> Validity:
    if values[0] > values[1]:
        raise ValueError("the first day comes after the last")
    return Validity(*values)


def _record(values: Values) -> Record:
    return Record(values[0] == "yes", values[2] if len(values) > 1 else None)


def _community(values: Values) -> Community:
    return Community(values[0], values[1] == "write", values[3] if len(values) > 2 else None)


def _answers(values: Values) -> tuple[str, ...]:
    return ("all",) if values[0] == "all" else _ways(values)


def _list_key(values: Values) -> tuple[str, str | None]:
    return (values[-1], values[1] if len(values) > 2 else None)


_PASSWORD = ("password FORM", "the stored password", "password")
_LIST = "from LIST [ipv4 | ipv6]"
_CHECKS = "check (nothing | password | users | methods [NAME])"


def _block(name: str, *rows: tuple[Any, ...]) -> list[Statement]:
    return [Statement(name, *row) for row in rows]


def _entry(kind: str) -> list[Statement]:
    return _block(
        kind,
        (_CHECKS, "what is asked of who arrives here", "check", _check),
        _PASSWORD,
        ("level (LEVEL | asked)", "where a login lands; `asked`: by the methods for level", "level"),
        ("elevation methods NAME", "the list that is asked when somebody elevates here", "elevation"),
        ("idle DURATION", "a silent login is ended after this", "idle"),
        ("closed", "takes no login at all", "closed", _true),
    )


def _service(kind: str, name: str) -> list[Statement]:
    return _block(
        kind,
        ("on | off", f"whether {name} answers", "on", _is("on")),
        ("port PORT", "the port, where it is not the usual one", "port"),
        (_LIST, "which sources it answers", "from", _all),
        (_CHECKS, "what is asked, in place of the VTY's check", "check", _check),
        ("level LEVEL", "where a login lands", "level"),
        ("elevation methods NAME", "the list that is asked when somebody elevates", "elevation"),
        ("sessions COUNT", "so many logins at a time", "sessions"),
        ("rate COUNT", "so many new connections a minute", "rate"),
        ("idle DURATION", "a silent login is ended after this", "idle"),
    )


_ROWS: list[Statement] = [
    *_block(
        "",
        ("device [NAME]", "the device; without a name it has none", "device", _all, "device"),
        ("entry (console | auxiliary)", "a port on the device itself", "port", _all, "port"),
        ("entry vty RANGE", "virtual terminals; a statement holds for each number", "vty", _all, "vty"),
        ("elevation LEVEL", "how to get to a level", "elevation", _all, "elevation"),
        ("user NAME", "a local account", "user", _all, "user"),
        ("role NAME", "a level that accounts share", "role", _all, "role"),
        (
            "methods [NAME] for (login | elevation | web) | methods for (level)",
            "a method list; without a name it is for all who name none",
            "methods",
            _list_key,
            "methods",
        ),
        ("servers (radius | tacacs) GROUP", "a group of AAA servers", "servers", _all, "servers"),
        ("sources LIST", "a list of source addresses", "sources", _all, "sources"),
        ("ssh", "SSH", "ssh", _all, "ssh"),
        ("telnet", "Telnet", "telnet", _all, "telnet"),
        ("web", "management over HTTP and HTTPS", "web", _all, "web"),
        ("snmp", "SNMP", "snmp", _all, "snmp"),
        ("door NAME", "any other way in", "door", _all, "door"),
        ("passwords", "the password policy", "passwords", _all, "passwords"),
        ("management", "what holds for every remote way", "management", _all, "management"),
        ("address (PREFIX | unknown)", "an address of the device itself", "address", _all, "address"),
        ("banner (before-login | after-login)", "a text that is shown", "banner", _all, "banner"),
    ),
    *_block(
        "device",
        ("kind (router | switch | appliance)", "what it is", "kind"),
        ("domain NAME", "its domain", "domain"),
        ("site TEXT", "where it stands", "site"),
        ("profile NAME", "what is meant by all that is left unsaid", "profile"),
        ("changed MOMENT [by NAME]", "when it was last changed", "changed", _saved),
        (
            "saved (never | MOMENT [by NAME] [note TEXT])",
            "when the configuration was saved",
            "saved",
            _saved,
            "",
            True,
        ),
        (
            "recovery (open | closed)",
            "open: who can cut the power at the console gets past everything",
            "recovery",
        ),
    ),
    *_entry("port"),
    *_entry("vty"),
    *_block(
        "vty",
        ("accept (nothing | REMOTE...)", "the ways that this VTY takes", "accept", _ways),
        (_LIST, "which sources this VTY takes", "from", _all),
    ),
    *_block("elevation", _PASSWORD),
    *_block(
        "user",
        _PASSWORD,
        (
            "any-name",
            "no name is asked for: whoever opens the password is this account",
            "any_name",
            _true,
        ),
        ("level LEVEL", "the account's level", "level"),
        ("role NAME", "the account's role", "role"),
        ("via WAY...", "may be used by these ways only", "via"),
        ("from LIST", "and from these sources only", "sources"),
        (
            "public-key NAME BASE64 [TEXT]",
            "an SSH key: type, bytes, comment",
            "public_keys",
            _public_key,
            "",
            True,
        ),
        ("disabled", "the account cannot be used", "disabled", _true),
        ("expires DATE", "valid through that day", "expires"),
    ),
    *_block("role", ("level LEVEL", "the level of who has the role", "level")),
    *_block(
        "methods",
        (
            "servers GROUP | users | entry-password | elevation-password | nothing | reject",
            "who is asked next, when nobody before answered",
            "methods",
            _method,
            "",
            True,
        ),
    ),
    *_block(
        "servers",
        (
            "server ADDRESS [port PORT] [shared-secret FORM]",
            "one server of the group",
            "servers",
            _server,
            "",
            True,
        ),
        ("timeout SPAN", "how long a server is waited for", "timeout"),
        ("tries COUNT", "how often a server is asked", "tries"),
    ),
    *_block(
        "sources",
        (
            "allow (PREFIX | any) | deny (PREFIX | any)",
            "the first line that matches decides",
            "rules",
            _rule,
            "",
            True,
        ),
    ),
    *_service("ssh", "SSH"),
    *_service("telnet", "Telnet"),
    *_block(
        "ssh",
        ("versions SSH-VERSION...", "the protocol versions that are spoken", "versions"),
        (
            "host-key (rsa BITS | dsa BITS | ecdsa BITS | ed25519 | unknown)",
            "a host key; `unknown`: this source cannot say",
            "host_keys",
            _host_key,
            "",
            True,
        ),
        ("tries COUNT", "wrong answers before the connection is closed", "tries"),
        ("finish-within SPAN", "time to finish a login", "finish_within"),
        (
            "login (password | key | password key | both)",
            "`password key`: either; `both`: key and password",
            "login",
            lambda values: " ".join(values),
        ),
        (
            "empty-passwords (yes | no)",
            "whether an empty password will do",
            "empty_passwords",
            _is("yes"),
        ),
        ("ciphers NAME...", "names of the SSH protocol's public registry", "ciphers"),
        ("macs NAME...", "names of the SSH protocol's public registry", "macs"),
        ("exchanges NAME...", "names of the SSH protocol's public registry", "exchanges"),
    ),
    *_block(
        "web",
        ("http (on | off)", "whether HTTP answers", "http", _is("on")),
        ("https (on | off)", "whether HTTPS answers", "https", _is("on")),
        ("http-port PORT", "the port, where it is not the usual one", "http_port"),
        ("https-port PORT", "the port, where it is not the usual one", "https_port"),
        ("certificate (self-signed | issued | unknown)", "who vouches for it", "certificate"),
        ("certificate-key (rsa BITS | ecdsa BITS)", "its key", "certificate_key", _host_key),
        ("certificate-valid DATE to DATE", "its first and last day", "certificate_valid", _validity),
        ("tls TLS-VERSION...", "the protocol versions that are spoken", "tls"),
        ("check (users | methods [NAME] | elevation-password | nothing)", "what is asked", "check", _check),
        (_LIST, "which sources it answers", "from", _all),
        ("idle DURATION", "a silent login is ended after this", "idle"),
    ),
    *_block(
        "snmp",
        ("on | off", "whether SNMP answers", "on", _is("on")),
        ("versions SNMP-VERSION...", "the protocol versions that are spoken", "versions"),
        (
            "community FORM (read | write) [from LIST]",
            "a community and what it allows",
            "communities",
            _community,
            "",
            True,
        ),
    ),
    *_block(
        "door",
        ("on | off", "whether it answers", "on", _is("on")),
        ("port PORT", "its port", "port"),
        ("check (users | methods [NAME] | nothing)", "what is asked", "check", _check),
        ("level LEVEL", "where a login lands", "level"),
        (_LIST, "which sources it answers", "from", _all),
    ),
    *_block(
        "passwords",
        ("mask (yes | no)", "readable passwords are kept masked", "mask", _is("yes")),
        ("length N", "at least so many characters", "length"),
        ("classes N", "of at least so many classes of characters", "classes"),
        ("remember N", "so many old passwords may not come back", "remember"),
        ("youngest DURATION", "a password cannot be changed before", "youngest"),
        ("oldest DURATION", "a password must be changed after", "oldest"),
        ("warn DURATION", "and a warning comes so long before", "warn"),
        (
            "lock (SPAN | forever) after COUNT [in SPAN]",
            "an account locks after wrong passwords",
            "lock",
            _lock,
        ),
    ),
    *_block(
        "management",
        (_LIST, "which sources any remote way answers", "from", _all),
        ("vlan VLAN", "the management network", "vlan"),
        (
            "pause SPAN after COUNT [in SPAN] [except LIST]",
            "failures of anybody stop new remote logins",
            "pause",
            _pause,
        ),
        (
            "record logins (yes | no) [to servers GROUP]",
            "whether logins are recorded, and where",
            "record",
            _record,
        ),
    ),
    *_block(
        "address",
        ("interface NAME", "the interface that has it", "interface"),
        ("vlan VLAN", "the VLAN that it is in", "vlan"),
        ("faces (management | users | outside)", "who is on that side", "faces"),
        ("answers (all | nothing | ANSWER...)", "the ways it answers", "answers", _answers),
    ),
]

#: Blocks whose name is spoken of in messages otherwise than in the table.
BLOCK_NAMES = {
    "": "the top of a sheet",
    "port": "`entry console:` or `entry auxiliary:`",
    "vty": "`entry vty:`",
    "banner": "`banner:`",
}


class Row(NamedTuple):
    """A statement and its compiled matcher."""

    statement: Statement
    matcher: Any
    words: frozenset[str]


def _compile() -> dict[str, list[Row]]:
    table: dict[str, list[Row]] = {"banner": []}
    for statement in _ROWS:
        matcher = compile_syntax(statement.syntax)
        row = Row(statement, matcher, frozenset(first_words(matcher)))
        table.setdefault(statement.block, []).append(row)
    return table


TABLE: dict[str, list[Row]] = _compile()


def rows_for(block: str, word: str) -> list[Row]:
    """The statements that may begin with ``word`` inside a ``block``."""
    return [row for row in TABLE[block] if word in row.words]


def block_name(block: str) -> str:
    """What messages call a kind of block."""
    return BLOCK_NAMES.get(block, f"`{block}:`")
