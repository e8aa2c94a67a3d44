"""Writing a device as a normalised sheet: stable order, one layout; reading it gives the device back.

What a sheet says besides its statements (comments, blank lines, the order of blocks) is not kept.
"""

import datetime
import json
import re
from collections.abc import Iterator, Sequence

from overhang.model import (
    Address,
    Check,
    Configured,
    Device,
    Door,
    Entry,
    Family,
    HostKey,
    MethodList,
    OwnAddress,
    Prefix,
    ServerGroup,
    Service,
    User,
    Web,
)
from overhang.model.stored_secret import Form, StoredSecret
from overhang.model.values import Method, Saved

_PLAIN = re.compile(r"[\w.@/+~$*%&,;=!?-][\w.@/+~$*%&,;=!?:-]*(?<!:)")
_UNITS = ((86400, "d"), (3600, "h"), (60, "m"), (1, "s"))
_BLANKED = (Form.READABLE, Form.MASKED, Form.MASKED_ELSEWHERE, Form.HASHED, Form.OPAQUE)


def word(text: str) -> str:
    """``text`` as one word of a sheet, in quotes where it needs them."""
    return text if _PLAIN.fullmatch(text) else json.dumps(text, ensure_ascii=not text.isprintable())


def duration(seconds: int | None) -> str:
    """A duration as a sheet says it; None is ``never``."""
    if seconds is None:
        return "never"
    parts = []
    for size, unit in _UNITS:
        count, seconds = divmod(seconds, size)
        parts += [f"{count}{unit}"] if count else []
    return "".join(parts)


def write_sheet(device: Device, *, secrets: bool) -> str:
    """The whole sheet. Without ``secrets``, ``withheld`` stands for every stored password that has a text."""
    return "\n".join(_Writer(secrets).blocks(device)) + "\n"


class _Writer:
    def __init__(self, secrets: bool) -> None:
        self.secrets = secrets

    def form(self, stored: StoredSecret) -> str:
        if stored.form in _BLANKED:
            return f"{stored.form.value} {word(stored.text)}" if self.secrets else Form.WITHHELD.value
        return stored.form.value

    # -- blocks --------------------------------------------------------------------------------------------------------

    def blocks(self, device: Device) -> Iterator[str]:
        first = True
        for head, lines in self._all(device):
            yield from () if first else [""]
            first = False
            yield head if head.startswith("drop ") else f"{head}:"
            yield from (f"    {line}" for line in lines)

    def _all(self, device: Device) -> Iterator[tuple[str, list[str]]]:
        facts = device.facts
        if facts.block.origin is not None:
            yield f"device {word(facts.name.value)}" if facts.name else "device", list(self._facts(device))
        for kind, entry in (("console", device.console), ("auxiliary", device.auxiliary)):
            if entry.block.origin is not None:
                yield f"entry {kind}", [*self._password(entry), *self._entry(entry)]
        yield from self._vtys(device)
        for level, elevation in sorted(device.elevations.items()):
            said = [each for each in (elevation.strong, elevation.plain) if each is not None]
            yield f"elevation {level}", [f"password {self.form(each.value)}" for each in self._apart(said)]
        for user in device.users.values():
            yield f"user {word(user.name)}", list(self._user(user))
        for role in device.roles.values():
            yield f"role {word(role.name)}", [f"level {role.level.value}"] if role.level else []
        for methods in device.lists.values():
            yield _list_head(methods), [_method(said.value) for said in methods.methods]
        for group in device.groups.values():
            yield f"servers {group.protocol} {word(group.name)}", list(self._servers(group))
        for sources in device.sources.values():
            lines = [f"{'allow' if allow else 'deny'} {prefix or 'any'}" for (allow, prefix), _ in sources.rules]
            yield f"sources {word(sources.name)}", lines
        yield from self._services(device)
        yield from self._policy(device)
        for own in device.addresses:
            yield f"address {_own(own.prefix)}", list(_address(own))
        for when, banner in device.banners.items():
            yield f"banner {when}", [f"| {line}" if line else "|" for line in banner.lines]

    def _services(self, device: Device) -> Iterator[tuple[str, list[str]]]:
        for name, service in (("ssh", device.ssh), ("telnet", device.telnet)):
            if service.block.origin is not None:
                yield name, list(_service(service))
        if device.web.block.origin is not None:
            yield "web", list(_web(device.web))
        if device.snmp.block.origin is not None:
            yield "snmp", list(self._snmp(device))
        for door in device.doors.values():
            yield f"door {word(door.name)}", list(_door(door))

    def _apart(self, said: Sequence[Configured[StoredSecret]]) -> Sequence[Configured[StoredSecret]]:
        """Both passwords of a level; blanked they would be two one-way ones, of which the one that counts is kept."""
        return said if self.secrets else said[:1]

    def _facts(self, device: Device) -> Iterator[str]:
        facts = device.facts
        yield from [f"kind {facts.kind.value}"] if facts.kind else []
        yield from [f"domain {word(facts.domain.value)}"] if facts.domain else []
        yield from [f"site {word(facts.site.value)}"] if facts.site else []
        yield from [f"profile {word(facts.profile.value)}"] if facts.profile else []
        if facts.changed is not None:
            yield "changed" + _saved(facts.changed.value)
        yield from ("saved" + _saved(said.value) for said in facts.saved)
        yield from [f"recovery {facts.recovery.value}"] if facts.recovery else []

    def _password(self, entry: Entry) -> list[str]:
        return [f"password {self.form(entry.password.value)}"] if entry.password is not None else []

    def _entry(self, entry: Entry) -> Iterator[str]:
        yield from ["closed"] if entry.closed else []
        yield from _check(entry.check)
        yield from [f"level {entry.level.value}"] if entry.level else []
        yield from [f"elevation methods {word(entry.elevation.value)}"] if entry.elevation else []
        yield from [f"accept {' '.join(entry.accept.value) or 'nothing'}"] if entry.accept else []
        yield from _from(entry.sources)
        yield from [f"idle {duration(entry.idle.value)}"] if entry.idle else []

    def _vtys(self, device: Device) -> Iterator[tuple[str, list[str]]]:
        """VTYs that say the same, in runs. A password is said for the range that it is known under, before the rest."""
        ranges: dict[str, tuple[int, StoredSecret]] = {}
        for entry in device.vtys.values():
            if entry.password is not None:
                ranges[entry.item.removeprefix("entry:vty ")] = (entry.password.origin.line, entry.password.value)
        for numbers, (_, stored) in sorted(ranges.items(), key=lambda each: each[1][0]):
            yield f"entry vty {numbers}", [f"password {self.form(stored)}"]
        for number in sorted({each for numbers in ranges for each in _numbers(numbers)}):
            entry = device.vtys.get(number, Entry())
            if entry.password is None:
                yield f"drop entry vty {number}" + (": password" if number in device.vtys else ""), []
        runs: list[tuple[int, int, list[str]]] = []
        for number, entry in sorted(device.vtys.items()):
            lines = list(self._entry(entry))
            if runs and runs[-1][1] + 1 == number and runs[-1][2] == lines:
                runs[-1] = (runs[-1][0], number, lines)
            else:
                runs.append((number, number, lines))
        for low, high, lines in runs:
            head = f"entry vty {low}-{high}" if low != high else f"entry vty {low}"
            yield head, lines

    def _user(self, user: User) -> Iterator[str]:
        yield from [f"password {self.form(user.password.value)}"] if user.password else []
        yield from ["any-name"] if user.any_name else []
        yield from [f"level {user.level.value}"] if user.level else []
        yield from [f"role {word(user.role.value)}"] if user.role else []
        yield from [f"via {' '.join(user.via.value)}"] if user.via else []
        yield from [f"from {word(user.sources.value)}"] if user.sources else []
        for said in user.public_keys:
            import base64  # few sheets have keys

            kind, data, comment = said.value
            text = f"public-key {word(kind)} {base64.b64encode(data).decode()}"
            yield f"{text} {word(comment)}" if comment else text
        yield from ["disabled"] if user.disabled else []
        yield from [f"expires {user.expires.value}"] if user.expires else []

    def _servers(self, group: ServerGroup) -> Iterator[str]:
        for said in group.servers:
            address, port, secret = said.value
            text = f"server {address}" + (f" port {port}" if port is not None else "")
            yield text + (f" shared-secret {self.form(secret)}" if secret is not None else "")
        yield from [f"timeout {duration(group.timeout.value)}"] if group.timeout else []
        yield from [f"tries {group.tries.value}"] if group.tries else []

    def _snmp(self, device: Device) -> Iterator[str]:
        snmp = device.snmp
        yield from _on(snmp.on)
        yield from [f"versions {' '.join(map(str, snmp.versions.value))}"] if snmp.versions else []
        for said in snmp.communities:
            password, write, sources = said.value
            limit = f" from {word(sources)}" if sources is not None else ""
            yield f"community {self.form(password)} {'write' if write else 'read'}{limit}"

    def _policy(self, device: Device) -> Iterator[tuple[str, list[str]]]:
        policy, management = device.passwords, device.management
        if policy.block.origin is not None:
            lines = [f"mask {_yes(policy.mask.value)}"] if policy.mask else []
            for name, number in (("length", policy.length), ("classes", policy.classes), ("remember", policy.remember)):
                lines += [f"{name} {number.value}"] if number else []
            for name, time in (("youngest", policy.youngest), ("oldest", policy.oldest), ("warn", policy.warn)):
                lines += [f"{name} {duration(time.value)}"] if time else []
            if policy.lock is not None:
                seconds, failures, window = policy.lock.value
                long = duration(seconds) if seconds is not None else "forever"
                lines.append(f"lock {long} after {failures}" + _in(window))
            yield "passwords", lines
        if management.block.origin is not None:
            lines = list(_from(management.sources))
            lines += [f"vlan {management.vlan.value}"] if management.vlan else []
            if management.pause is not None:
                seconds, failures, window, spared = management.pause.value
                line = f"pause {duration(seconds)} after {failures}" + _in(window)
                lines.append(line + (f" except {word(spared)}" if spared is not None else ""))
            if management.record is not None:
                on, group = management.record.value
                lines.append(f"record logins {_yes(on)}" + (f" to servers {word(group)}" if group is not None else ""))
            yield "management", lines


# -- statements --------------------------------------------------------------------------------------------------------


def _numbers(text: str) -> range:
    first, _, last = text.partition("-")
    return range(int(first), int(last or first) + 1)


def _in(window: int | None) -> str:
    return f" in {duration(window)}" if window is not None else ""


def _yes(value: bool) -> str:
    return "yes" if value else "no"


def _on(said: Configured[bool] | None) -> list[str]:
    return [] if said is None else ["on" if said.value else "off"]


def _check(said: Configured[Check] | None) -> list[str]:
    if said is None:
        return []
    return [f"check {said.value.kind}" + (f" {word(said.value.name)}" if said.value.name is not None else "")]


def _from(sources: Family) -> list[str]:
    one, other = sources
    if one is not None and other is not None and one.value == other.value:
        return [f"from {word(one.value)}"]
    return [
        f"from {word(said.value)} {family}" for said, family in ((one, "ipv4"), (other, "ipv6")) if said is not None
    ]


def _saved(saved: Saved) -> str:
    when = "never" if saved.when is None else _moment(saved.when)
    by = f" by {word(saved.by)}" if saved.by is not None else ""
    return f" {when}{by}" + (f" note {word(saved.note)}" if saved.note is not None else "")


def _moment(when: datetime.datetime) -> str:
    return when.isoformat().replace("+00:00", "Z")


def _method(method: Method) -> str:
    return f"{method.kind} {word(method.group)}" if method.group is not None else method.kind


def _list_head(methods: MethodList) -> str:
    name = f" {word(methods.name)}" if methods.name is not None else ""
    return f"methods{name} for {methods.purpose}"


def _key(key: HostKey) -> str:
    return key.kind if key.bits is None or key.kind == "ed25519" else f"{key.kind} {key.bits}"


def _service(service: Service) -> Iterator[str]:
    yield from _on(service.on)
    yield from [f"port {service.port.value}"] if service.port else []
    yield from [f"versions {' '.join(map(str, service.versions.value))}"] if service.versions else []
    yield from (f"host-key {_key(said.value)}" for said in service.host_keys)
    yield from _from(service.sources)
    yield from _check(service.check)
    yield from [f"login {service.login.value}"] if service.login else []
    yield from [f"level {service.level.value}"] if service.level else []
    yield from [f"elevation methods {word(service.elevation.value)}"] if service.elevation else []
    for name, number in (("tries", service.tries), ("sessions", service.sessions), ("rate", service.rate)):
        yield from [f"{name} {number.value}"] if number else []
    yield from [f"finish-within {duration(service.finish_within.value)}"] if service.finish_within else []
    yield from [f"idle {duration(service.idle.value)}"] if service.idle else []
    yield from [f"empty-passwords {_yes(service.empty_passwords.value)}"] if service.empty_passwords else []
    for name, names in (("ciphers", service.ciphers), ("macs", service.macs), ("exchanges", service.exchanges)):
        yield from [f"{name} {' '.join(map(word, names.value))}"] if names else []


def _web(web: Web) -> Iterator[str]:
    for name, on in (("http", web.http), ("https", web.https)):
        yield from [f"{name} {'on' if on.value else 'off'}"] if on else []
    for name, port in (("http-port", web.http_port), ("https-port", web.https_port)):
        yield from [f"{name} {port.value}"] if port else []
    yield from [f"certificate {web.certificate.value}"] if web.certificate else []
    yield from [f"certificate-key {_key(web.certificate_key.value)}"] if web.certificate_key else []
    if web.certificate_valid is not None:
        start, end = web.certificate_valid.value
        yield f"certificate-valid {start} to {end}"
    yield from [f"tls {' '.join(web.tls.value)}"] if web.tls else []
    yield from _check(web.check)
    yield from _from(web.sources)
    yield from [f"idle {duration(web.idle.value)}"] if web.idle else []


def _door(door: Door) -> Iterator[str]:
    yield from _on(door.on)
    yield from [f"port {door.port.value}"] if door.port else []
    yield from _check(door.check)
    yield from [f"level {door.level.value}"] if door.level else []
    yield from _from(door.sources)


def _own(prefix: Prefix | None) -> str:
    return "unknown" if prefix is None else f"{Address(prefix.family, prefix.host)}/{prefix.length}"


def _address(own: OwnAddress) -> Iterator[str]:
    yield from [f"interface {word(own.interface.value)}"] if own.interface else []
    yield from [f"vlan {own.vlan.value}"] if own.vlan else []
    yield from [f"faces {own.faces.value}"] if own.faces else []
    yield from [f"answers {' '.join(map(word, own.answers.value)) or 'nothing'}"] if own.answers else []
