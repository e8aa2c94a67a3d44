"""From instance data to the statements that it means, each with the line of the node that says it."""

import re
from collections.abc import Callable
from typing import NamedTuple

from overhang.formats.codec import LIMITED, SECRET, decode, secret_words
from overhang.formats.data_tree import BadData, Node
from overhang.language.ir import Line, Unread
from overhang.language.unparser import word

OURS, SYSTEM, LISTS = "overhang-access", "ietf-system", "ietf-access-control-list"
TACACS = "ietf-system-tacacs-plus"
#: Modules that are not about who gets in; whole trees of them are passed over.
ELSEWHERE = re.compile(
    r"ietf-(interfaces|ip|ipv4-.*|ipv6-.*|routing|rib-.*|hardware|yang-.*|netconf-monitoring|alarms|ntp)"
)
#: What data may be wrapped in: a NETCONF message or reply (RFC 6241), RESTCONF (RFC 8040), an instance file (RFC 9195).
_WRAPPERS = ("config", "data", "rpc-reply", "rpc", "edit-config", "copy-config", "instance-data-set", "content-data")
#: Of ietf-system, what is not about who gets in.
_PASSED = ("contact", "clock", "ntp", "dns-resolver")
_ORDER = (
    "a rejected password goes on to the next method here (RFC 7317), and a method list cannot say that; "
    "what this order lets in is not fully known"
)


class Model(NamedTuple):
    """What instance data says. ``standard`` tells that it is of standard modules alone, which leave much unsaid."""

    said: list[Line]
    wrong: list[Unread]
    secrets: dict[int, list[str]]
    understood: int
    standard: bool


def read_model(root: Node, *, spread: bool) -> Model:
    """What a tree of instance data says. Raises BadData where it is not one device.

    ``spread``: a text of several lines stands on several lines, as in XML.
    """
    tops = _unwrapped(root)
    for name, module in (("system", SYSTEM), ("access", OURS), ("acls", LISTS)):
        several = [node for node in tops if node.name == name and node.module == module]
        if len(several) > 1:
            message = f"{name} stands twice, so this is more than one device; put each in a file of its own"
            raise BadData(message, several[1].line)
    reader = _Reader(spread=spread)
    for node in tops:
        node.seen = True
        handler = reader.handlers.get((node.module, node.name))
        if handler is not None:
            handler(node)
        elif ELSEWHERE.fullmatch(node.module):
            node.pass_over()
        else:
            node.seen = False
    return reader.model(root)


def _unwrapped(root: Node) -> list[Node]:
    tops = [root]
    while True:
        inner = [child for node in tops for child in node.children]
        wrappers = [node for node in inner if node.name in _WRAPPERS and node.module not in (OURS, SYSTEM, LISTS)]
        holders = [node for node in wrappers if node.name in ("config", "data", "content-data")]
        if len(holders) > 1:
            raise BadData("this holds the data of more than one device; put each in a file of its own", holders[1].line)
        if not wrappers:
            return inner
        for node in inner:
            node.seen = True
        tops = wrappers


class _Reader:
    def __init__(self, *, spread: bool) -> None:
        self.spread = spread
        self.said: list[Line] = []
        self.wrong: list[Unread] = []
        self.secrets: dict[int, list[str]] = {}
        self.standard = True
        self.named = False
        self.order: list[Line] = []
        self.checked: set[str] = set()
        self.covered: set[int] = set()
        self.handlers: dict[tuple[str, str], Callable[[Node], None]] = {
            (SYSTEM, "system"): self.system,
            (LISTS, "acls"): self.lists,
            (OURS, "access"): self.access,
        }

    def model(self, root: Node) -> Model:
        said = self.said
        for found in self.order:
            said += [found] if found.inner is None or found.head not in self.checked else []
        wrong = self.wrong + [
            Unread(node.line, f"{node.module + ':' if node.module else ''}{node.name} is not read here")
            for node in root.unseen()
        ]
        understood = root.leaves()
        for node in root.unread_texts():
            self.hide(node)
        return Model(said, wrong, self.secrets, understood, self.standard)

    def say(self, line: int, head: str, inner: str | None = None) -> None:
        self.said.append(Line(line, head, inner))

    def hide(self, node: Node | None) -> None:
        """The text of a node is a secret."""
        if node is not None and node.text and node.text not in ("true", "false"):
            for number, text in enumerate(node.text.split("\n") if self.spread else [node.text]):
                self.secrets.setdefault(node.line + number, []).append(text.strip())

    # -- ietf-system ---------------------------------------------------------------------------------------------------

    def system(self, node: Node) -> None:
        host = node.one("hostname")
        if host is not None:
            name, _, domain = (host.text or "").partition(".")
            self.say(host.line, f"device {word(name)}:")
            if domain:
                self.say(host.line, "device:", f"domain {word(domain)}")
        place = node.one("location")
        if place is not None:
            self.say(place.line, "device:", f"site {word(place.text or '')}")
        for name in _PASSED:
            for each in node.all(name):
                each.pass_over()
        self.radius(node)
        self.tacacs(node)
        authentication = node.one("authentication")
        if authentication is not None:
            for user in authentication.all("user"):
                self.user(user)
            self.methods(list(authentication.all("user-authentication-order")))

    def user(self, node: Node) -> None:
        head = f"user {word(node.value('name') or '')}:"
        self.say(node.line, head)
        password = node.one("password", SYSTEM)
        own = node.one("password", OURS)
        self.hide(password)
        if own is not None:
            self.hide(own.one("text"))
            self.say(own.line, head, f"password {' '.join(secret_words(own))}")
        elif password is not None:
            self.say(password.line, head, f"password hashed {word(password.text or '')}")
        for key in node.all("authorized-key"):
            name, comment = key.value("name") or "", key.value("comment", OURS)
            kind, data = key.value("algorithm") or "", key.value("key-data") or ""
            comment = name if comment is None else comment
            text = f"public-key {word(kind)} {word(''.join(data.split()))}"
            self.say(key.line, head, f"{text} {word(comment)}" if comment else text)
        for line, statement in decode("user", node):
            self.say(line, head, statement)

    def radius(self, node: Node) -> None:
        servers = node.one("radius")
        if servers is None:
            return
        head = "servers radius radius:"
        for each in servers.all("server"):
            each.one("name")
            each.one("authentication-type")
            udp = each.one("udp")
            if udp is not None:
                self.server(head, udp, udp.value("authentication-port"))
        options = servers.one("options")
        if options is not None:
            for name, text in (("timeout", "timeout {}s"), ("attempts", "tries {}")):
                leaf = options.one(name)
                if leaf is not None:
                    self.say(leaf.line, head, text.format(word(leaf.text or "")))

    def tacacs(self, node: Node) -> None:
        """The servers of the augmentation for TACACS+ (RFC 9105)."""
        servers = node.one("tacacs-plus", TACACS)
        head = "servers tacacs tacacs-plus:"
        longest = 0
        for each in servers.all("server") if servers is not None else ():
            kinds = each.value("server-type")
            for name in ("name", "domain-name", "single-connection", "source-ip", "source-interface", "vrf-instance"):
                each.one(name)
            for statistics in each.all("statistics"):
                statistics.pass_over()
            timeout = each.one("timeout")
            if kinds is not None and "authentication" not in kinds.split():
                each.pass_over()
                continue
            self.server(head, each, each.value("port"))
            if timeout is not None and (timeout.text or "").isdigit():
                longest = max(longest, int(timeout.text or "0"))
                self.say(timeout.line, head, f"timeout {longest}s")

    def server(self, head: str, node: Node, port: str | None) -> None:
        shared, address = node.one("shared-secret"), node.one("address")
        self.hide(shared)
        line = (shared or address or node).line
        text = f"server {word((address and address.text) or '')}" + (f" port {word(port)}" if port is not None else "")
        self.say(
            line, head, text + (f" shared-secret readable {word(shared.text or '')}" if shared is not None else "")
        )

    def methods(self, order: list[Node]) -> None:
        """The order of authentication, which holds for every login with a password."""
        if not order:
            return
        lines = {"local-users": "users", "radius": "servers radius", "tacacs-plus": "servers tacacs-plus"}
        line, head = order[0].line, "methods for login:"
        self.order = [Line(line, head)]
        for node in order:
            name = (node.text or "").rpartition(":")[2]
            if name in lines:
                self.order.append(Line(node.line, head, lines[name]))
            else:
                self.wrong.append(Unread(node.line, "an authentication method that is not known here", head))
        if len(order) > 1:
            self.wrong.append(Unread(line, _ORDER, head))
        for where in ("entry console:", "ssh:", "telnet:", "web:"):
            self.order.append(Line(line, where, "check methods"))

    # -- ietf-access-control-list --------------------------------------------------------------------------------------

    def lists(self, node: Node) -> None:
        for each in node.all("acl"):
            head = f"sources {word(each.value('name') or '')}:"
            each.one("type")
            self.say(each.line, head)
            entries = each.one("aces")
            for entry in entries.all("ace") if entries is not None else ():
                self.entry(head, entry)
        for points in node.all("attachment-points"):
            points.pass_over()

    def entry(self, head: str, node: Node) -> None:
        node.one("name")
        for statistics in node.all("statistics"):
            statistics.pass_over()
        actions, matches = node.one("actions"), node.one("matches")
        verb = (actions.value("forwarding") or "" if actions is not None else "").rpartition(":")[2]
        if actions is not None:
            actions.one("logging")
        prefixes: list[Node] = []
        for family in ("ipv4", "ipv6"):
            where = matches.one(family) if matches is not None else None
            found = where.one(f"source-{family}-network") if where is not None else None
            prefixes += [found] if found is not None else []
            if where is not None and found is None:
                any_of = Node("", "", where.line, "0.0.0.0/0" if family == "ipv4" else "::/0")
                prefixes.append(any_of)
        more = list(matches.unseen()) if matches is not None else []
        if more or verb not in ("accept", "drop", "reject") or len(prefixes) > 1:
            what = f"{more[0].name} is" if more else "this action is"
            self.wrong.append(
                Unread(
                    node.line,
                    f"an entry of an access list that is not about the source alone: {what} not read here",
                    head,
                )
            )
            node.pass_over()
            return
        prefix = word(prefixes[0].text or "") if prefixes else "any"
        self.say(node.line, head, f"{'allow' if verb == 'accept' else 'deny'} {prefix}")

    # -- overhang-access -----------------------------------------------------------------------------------------------

    def access(self, node: Node) -> None:
        self.standard = False
        for each in node.all("vty", OURS):
            first, last = each.value("first") or "", each.value("last") or ""
            if first.isdigit() and last.isdigit():
                self.covered.update(range(int(first[:4]), min(int(last[:4]), 255) + 1))
        for child in node.children:
            child.seen = child.module == OURS
            if child.module == OURS:
                self.block(child)

    def block(self, node: Node) -> None:
        special = {
            "device": self.device,
            "vty-password": self.vty_password,
            "elevation": self.elevation,
            "banner": self.banner,
        }.get(node.name)
        if special is not None:
            special(node)
            return
        head = self.head(node)
        if head is None:
            node.seen = False
            return
        self.say(node.line, head)
        for each in node.children:
            if each.name in ("password", "community", "server"):
                inner = each.one("shared-secret") if each.name == "server" else each
                self.hide(inner.one("text") if inner is not None else None)
        for line, statement in decode(node.name, node):
            self.say(line, head, statement)
            if statement.startswith("check "):
                self.checked.add(head)

    def head(self, node: Node) -> str | None:
        name = node.name
        if name in ("console", "auxiliary"):
            return f"entry {name}:"
        if name == "vty":
            return f"entry vty {self.range(node)}:"
        if name in ("role", "door", "sources"):
            return f"{name} {word(node.value('name') or '')}:"
        if name == "methods":
            called = node.value("name")
            return f"methods {word(called) + ' ' if called else ''}for {node.value('purpose')}:"
        if name == "server-group":
            return f"servers {node.value('protocol')} {word(node.value('name') or '')}:"
        if name == "address":
            node.one("position")
            address, length = node.value("ip"), node.value("length")
            return f"address {'unknown' if address is None else address if length is None else f'{address}/{length}'}:"
        return f"{name}:" if name in LIMITED or name in ("snmp", "passwords") else None

    def range(self, node: Node) -> str:
        first, last = node.value("first") or "", node.value("last") or ""
        return word(first if first == last else f"{first}-{last}")

    def device(self, node: Node) -> None:
        name = node.one("name")
        self.say(node.line, f"device {word(name.text or '')}:" if name is not None else "device:")
        for line, statement in decode("device", node):
            self.say(line, "device:", statement)

    def vty_password(self, node: Node) -> None:
        numbers = self.range(node)
        password = node.one("password")
        if password is not None:
            self.hide(password.one("text"))
            self.say(password.line, f"entry vty {numbers}:", f"password {' '.join(SECRET.decode(password))}")
        for each in node.all("except"):
            number = each.text or ""
            kept = number.isdigit() and int(number[:4]) in self.covered
            self.say(each.line, f"drop entry vty {word(number)}" + (": password" if kept else ""))

    def elevation(self, node: Node) -> None:
        head = f"elevation {word(node.value('level') or '')}:"
        self.say(node.line, head)
        for name in ("one-way", "two-way"):
            password = node.one(name)
            if password is not None:
                self.hide(password.one("text"))
                self.say(password.line, head, f"password {' '.join(secret_words(password))}")

    def banner(self, node: Node) -> None:
        head = f"banner {node.value('when')}:"
        self.say(node.line, head)
        text = node.one("text")
        if text is not None:
            for line in (text.text or "").split("\n"):
                self.said.append(Line(text.line, head, f"| {line}"))
