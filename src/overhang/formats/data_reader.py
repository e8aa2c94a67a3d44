"""From instance data to statements, each with the line of its node."""

import re
from collections.abc import Callable, Iterator
from functools import cache
from typing import NamedTuple

from overhang.formats.codec import CODEC, read_secret
from overhang.formats.codec import MODULE as OURS
from overhang.formats.data_tree import BadData, Node
from overhang.language import SCHEMA, Collector
from overhang.language.collector import make_statement
from overhang.language.ir import Statement
from overhang.model.stored_secret import Form
from overhang.model.vocabulary import PORTS, VTY_WAYS
from overhang.text import STRUCK

SYSTEM, LISTS = "ietf-system", "ietf-access-control-list"
TACACS = "ietf-system-tacacs-plus"
#: Modules that are not about management access; whole trees of them are passed over.
ELSEWHERE = re.compile(
    r"ietf-(interfaces|ip|ipv4-.*|ipv6-.*|routing|rib-.*|hardware|yang-.*|netconf-monitoring|alarms|ntp)"
)
#: What data may be wrapped in: a NETCONF message or reply (RFC 6241), RESTCONF (RFC 8040), an instance file (RFC 9195).
_WRAPPERS = ("config", "data", "rpc-reply", "rpc", "edit-config", "copy-config", "instance-data-set", "content-data")
#: Of ietf-system, what is not about management access.
_PASSED = ("contact", "ntp", "dns-resolver")
_VTY_PASSWORD = Statement(SCHEMA.by_field["vty", "password"].spec, {})


#: Further names of the standard modules, for messages; another name may be somebody's secret in the wrong place.
_NAMED = frozenset(
    (
        *("aces", "ace", "acl", "acls", "actions", "attachment-points", "authentication", "clock", "contact", "egress"),
        *(
            "dns-resolver",
            "eth",
            "hostname",
            "icmp",
            "ingress",
            "interface",
            "ipv4",
            "ipv6",
            "l2",
            "l3",
            "l4",
            "location",
        ),
        *(
            "logging",
            "matches",
            "ntp",
            "options",
            "radius",
            "server",
            "statistics",
            "system",
            "tacacs-plus",
            "tcp",
            "udp",
        ),
        *("user", "user-authentication-order", "authorized-key", "name", "password", "type", "any", "access"),
    )
)


@cache
def _vocabulary() -> frozenset[str]:
    """The names of nodes that the modules have."""
    fields = [field for every in CODEC.fields.values() for field in every]
    return _NAMED.union(SCHEMA.blocks, (field.node for field in fields), *(field.parts for field in fields))


def _shown(node: Node) -> str:
    """The name of a node that is not supported, as far as it is a name of the modules."""
    module = node.module if node.module in (SYSTEM, LISTS, TACACS, OURS) else STRUCK if node.module else ""
    name = node.name if node.name in _vocabulary() else STRUCK
    return "this node" if {module, name} <= {"", STRUCK} else f"{module}{module and ':'}{name}"


class Model(NamedTuple):
    """What instance data holds. ``standard``: it is of standard modules alone, which leave much unconfigured."""

    collected: Collector
    standard: bool


def read_model(root: Node) -> Model:
    """What a tree of instance data holds; which nodes were asked for, and which are secrets, is then noted in it.

    Raises BadData where it is not one device.
    """
    tops = _unwrapped(root)
    for name, module in (("system", SYSTEM), ("access", OURS), ("acls", LISTS)):
        several = [node for node in tops if node.name == name and node.module == module]
        if len(several) > 1:
            message = f"{name} is there twice, so this is more than one device; put each in its own file"
            raise BadData(message, several[1].line)
    reader = _Interpreter()
    handlers = reader.handlers()
    for node in tops:
        node.seen = True
        handler = handlers.get((node.module, node.name))
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
            raise BadData("this holds more than one device; put each in its own file", holders[1].line)
        if not wrappers:
            return inner
        for node in inner:
            node.seen = True
        tops = wrappers


class _Interpreter:
    def __init__(self) -> None:
        self.collected = Collector()
        self.standard = True
        self.order: list[Node] = []
        #: the blocks whose check the data states, so that the order of authentication does not
        self.checked: set[int] = set()
        self.covered: set[int] = set()

    def handlers(self) -> dict[tuple[str, str], Callable[[Node], None]]:
        """What reads each tree of the data."""
        return {(SYSTEM, "system"): self.system, (LISTS, "acls"): self.lists, (OURS, "access"): self.access}

    def model(self, root: Node) -> Model:
        self.methods()
        for node in root.unseen():
            self.collected.misread(node.line, f"{_shown(node)} is not supported here")
        self.collected.understood = root.leaves()
        return Model(self.collected, self.standard)

    @staticmethod
    def hide(node: Node | None) -> None:
        """The text of a node is a secret."""
        if node is not None:
            node.secret = True

    def add(self, block: int | None, statements: Iterator[tuple[int, Statement | str]]) -> None:
        """Give what a codec found in a block's node; what is no statement is not understood."""
        if block is None:
            return
        for line, found in statements:
            if isinstance(found, str):
                self.collected.misread(line, found, block)
                continue
            self.collected.add(line, block, found)
            if found.spec.field == "check":
                self.checked.add(block)

    def secret(self, node: Node, block: int | None, kind: str) -> None:
        """Give the stored password of a node."""
        self.hide(node.one("text"))
        if block is not None:
            try:
                statement = make_statement(kind, "password", {"": read_secret(node)})
            except ValueError as wrong:
                self.collected.misread(node.line, str(wrong), block)
                return
            self.collected.add(node.line, block, statement)

    # -- ietf-system ---------------------------------------------------------------------------------------------------

    def system(self, node: Node) -> None:
        host = node.one("hostname")
        give = self.collected.give
        if host is not None:
            name, _, domain = (host.text or "").partition(".")
            block = self.collected.begin(host.line, "device", name)
            if domain:
                give(host.line, block, "domain", domain)
        place = node.one("location")
        if place is not None:
            give(place.line, self.collected.begin(place.line, "device"), "site", place.text or "")
        clock = node.one("clock")
        zone = clock.one("timezone-name") if clock is not None else None
        if clock is not None:
            clock.pass_over()
        if zone is not None:
            give(zone.line, self.collected.begin(zone.line, "device"), "zone", zone.text or "")
        for name in _PASSED:
            for each in node.all(name):
                each.pass_over()
        self.radius(node)
        self.tacacs(node)
        authentication = node.one("authentication")
        if authentication is not None:
            for user in authentication.all("user"):
                self.user(user)
            self.order = list(authentication.all("user-authentication-order"))

    def user(self, node: Node) -> None:
        block = self.collected.begin(node.line, "user", node.value("name") or "")
        password, own = node.one("password", SYSTEM), node.one("password", OURS)
        self.hide(password)
        if own is not None:
            self.secret(own, block, "user")
        elif password is not None:
            self.collected.give(password.line, block, "password", Form.HASHED.value, password.text or "")
        for key in node.all("authorized-key"):
            name, comment = key.value("name") or "", key.value("comment", OURS)
            kind, data = key.value("algorithm") or "", key.value("key-data") or ""
            comment = name if comment is None else comment
            limits = [(word, key.value(word, OURS)) for word in ("from", "until")]
            more = [word for limit in limits if limit[1] is not None for word in limit if word is not None]
            words = ("public-key", kind, "".join(data.split()), *([comment] if comment or more else []), *more)
            self.collected.give(key.line, block, *words)
        for another in node.all("another-password", OURS):
            self.hide(another.one("text"))
        self.add(block, CODEC.decode("user", node))

    def radius(self, node: Node) -> None:
        servers = node.one("radius")
        if servers is None:
            return
        block = self.collected.begin(servers.line, "servers", "radius", "radius")
        for each in servers.all("server"):
            each.one("name")
            each.one("authentication-type")
            udp = each.one("udp")
            if udp is not None:
                self.server(block, udp, udp.value("authentication-port"))
        options = servers.one("options")
        if options is not None:
            for name, word, unit in (("timeout", "timeout", "s"), ("attempts", "tries", "")):
                leaf = options.one(name)
                if leaf is not None:
                    self.collected.give(leaf.line, block, word, f"{leaf.text or ''}{unit}")

    def tacacs(self, node: Node) -> None:
        """The servers of the augmentation for TACACS+ (RFC 9105)."""
        servers = node.one("tacacs-plus", TACACS)
        if servers is None:
            return
        block = self.collected.begin(servers.line, "servers", "tacacs", "tacacs-plus")
        longest = 0
        for each in servers.all("server"):
            kinds = each.value("server-type")
            for name in ("name", "domain-name", "single-connection", "source-ip", "source-interface", "vrf-instance"):
                each.one(name)
            for statistics in each.all("statistics"):
                statistics.pass_over()
            timeout = each.one("timeout")
            if kinds is not None and "authentication" not in kinds.split():
                each.pass_over()
                continue
            self.server(block, each, each.value("port"))
            if timeout is not None and (timeout.text or "").isdigit():
                longest = max(longest, int(timeout.text or "0"))
                self.collected.give(timeout.line, block, "timeout", f"{longest}s")

    def server(self, block: int | None, node: Node, port: str | None) -> None:
        shared, address = node.one("shared-secret"), node.one("address")
        self.hide(shared)
        words = ["server", (address and address.text) or "", *(["port", port] if port is not None else [])]
        if shared is not None:
            words += ["shared-secret", Form.READABLE.value, shared.text or ""]
        self.collected.give((shared or address or node).line, block, *words)

    def methods(self) -> None:
        """The order of authentication, which holds for every login with a password."""
        if not self.order:
            return
        known = {"local-users": ("users",), "radius": ("servers", "radius"), "tacacs-plus": ("servers", "tacacs-plus")}
        line = self.order[0].line
        block = self.collected.begin(line, "methods", "for", "login")
        last = self.order[-1]
        for node in self.order:
            words = known.get((node.text or "").rpartition(":")[2])
            if words is not None:
                # a rejected password is tried with the next method too
                self.collected.give(node.line, block, *words, *(() if node is last else ("no", "goes-on")))
            else:
                self.collected.misread(node.line, "an unknown authentication method", block)
        for header in (("entry", "console"), ("ssh",), ("telnet",), ("web",)):
            where = self.collected.begin(line, *header)
            if where not in self.checked:
                self.collected.give(line, where, "check", "methods")

    # -- ietf-access-control-list --------------------------------------------------------------------------------------

    def lists(self, node: Node) -> None:
        for each in node.all("acl"):
            each.one("type")
            block = self.collected.begin(each.line, "sources", each.value("name") or "")
            entries = each.one("aces")
            for entry in entries.all("ace") if entries is not None else ():
                self.entry(block, entry)
        for points in node.all("attachment-points"):
            points.pass_over()

    def entry(self, block: int | None, node: Node) -> None:
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
                prefixes.append(Node("", "", where.line, "0.0.0.0/0" if family == "ipv4" else "::/0"))
        more = list(matches.unseen()) if matches is not None else []
        if more or verb not in ("accept", "drop", "reject") or len(prefixes) > 1:
            what = f"{_shown(more[0])} is" if more else "this action is"
            self.collected.misread(
                node.line, f"an entry of an access list that matches more than the source: {what} not supported", block
            )
            node.pass_over()
            return
        prefix = prefixes[0].text or "" if prefixes else "any"
        self.collected.give(node.line, block, "allow" if verb == "accept" else "deny", prefix)

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
            "vty-another-password": self.vty_another,
            "elevation": self.elevation,
            "banner": self.banner,
        }.get(node.name)
        if special is not None:
            special(node)
            return
        header = self.header(node)
        if header is None:
            node.seen = False
            return
        kind, words = header
        for each in node.children:
            if each.name in ("password", "another-password", "community", "server"):
                inner = each.one("shared-secret") if each.name == "server" else each
                self.hide(inner.one("text") if inner is not None else None)
        self.add(self.collected.begin(node.line, *words, new=kind == "address"), CODEC.decode(kind, node))

    def header(self, node: Node) -> tuple[str, tuple[str, ...]] | None:
        """The kind of block that a node is, and the words of its header."""
        name = node.name
        if name in PORTS:
            return "port", ("entry", name)
        if name == "vty":
            return "vty", ("entry", "vty", self.range(node))
        if name in ("role", "door", "sources", "policy"):
            return name, (name, node.value("name") or "")
        if name == "methods":
            called = node.value("name")
            return name, (name, *([called] if called else []), "for", node.value("purpose") or "")
        if name == "server-group":
            return "servers", ("servers", node.value("protocol") or "", node.value("name") or "")
        if name == "address":
            node.one("position")
            address, length = node.value("ip"), node.value("length")
            return name, (name, "unknown" if address is None else f"{address}/{length}" if length else address)
        single = (*VTY_WAYS, "web", "snmp", "passwords", "management")
        return (name, (name,)) if name in single else None

    @staticmethod
    def range(node: Node) -> str:
        first, last = node.value("first") or "", node.value("last") or ""
        return first if first == last else f"{first}-{last}"

    def device(self, node: Node) -> None:
        name = node.one("name")
        words = ("device", name.text or "") if name is not None else ("device",)
        self.add(self.collected.begin(node.line, *words), CODEC.decode("device", node))

    def vty_password(self, node: Node) -> None:
        numbers = self.range(node)
        password = node.one("password")
        if password is not None:
            self.secret(password, self.collected.begin(password.line, "entry", "vty", numbers), "vty")
        self.excepted(node, _VTY_PASSWORD)

    def vty_another(self, node: Node) -> None:
        self.hide(node.one("text"))
        node.one("number")
        block = self.collected.begin(node.line, "entry", "vty", self.range(node), new=True)
        try:
            where = node.value("where")
            captures = {"": read_secret(node), **({"where": where} if where is not None else {})}
            statement = make_statement("vty", "others", captures)
        except ValueError as wrong:
            self.collected.misread(node.line, str(wrong), block)
            return
        if block is not None:
            self.collected.add(node.line, block, statement)
        self.excepted(node, statement)

    def excepted(self, node: Node, statement: Statement) -> None:
        """Take a password back from the VTYs that have lost it."""
        for each in node.all("except"):
            number = each.text or ""
            if number.isdigit() and int(number[:4]) <= 255:
                header = make_statement("", "vty", {"range": (int(number), int(number))})
                self.collected.drop(each.line, header, statement if int(number) in self.covered else None)
            else:
                self.collected.misread(each.line, "VTYs are numbered from 0 to 255")

    def elevation(self, node: Node) -> None:
        block = self.collected.begin(node.line, "elevation", node.value("level") or "")
        for another in node.all("another-password"):
            self.hide(another.one("text"))
        for name in ("one-way", "two-way"):
            password = node.one(name)
            if password is not None:
                self.secret(password, block, "elevation")
        self.add(block, CODEC.decode("elevation", node))

    def banner(self, node: Node) -> None:
        block = self.collected.begin(node.line, "banner", node.value("when") or "")
        text = node.one("text")
        if text is not None and block is not None:
            for line in (text.text or "").split("\n"):
                self.collected.text(text.line, block, line)
        self.add(block, CODEC.decode("banner", node))
