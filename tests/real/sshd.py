"""An OpenSSH server that says what a sheet says: its configuration, accounts and keys are written from the device.

It runs in a mount namespace of its own, with its own passwd and shadow; nothing of the machine is changed.
"""

import contextlib
import datetime
import os
import shutil
import socket
import subprocess
import time
from collections.abc import Iterator
from pathlib import Path

import asyncssh

from overhang.model import Device, PublicKey, User
from overhang.model.stored_secret import Form
from overhang.model.verification import plain_text
from overhang.simulation import ResolvedDevice
from overhang.stand_in.made_up import with_keys

SSHD = shutil.which("sshd", path="/usr/sbin:/sbin")
_EPOCH = datetime.date(1970, 1, 1)
_METHODS = {"both": "publickey,password", "two-keys": "publickey,publickey", "key": "publickey", "password": "password"}
_SHELL = '#!/bin/sh\nprintf "quay, level %s: " "$(id -u | cut -c3-)"\nread line\n'


def missing() -> str:
    """Why no such server can run here; "" where one can."""
    if SSHD is None:
        return "there is no sshd on this machine"
    if os.geteuid() != 0:
        return "only root may give a server other accounts"
    done = subprocess.run(["unshare", "--mount", "true"], capture_output=True, check=False)
    return "" if done.returncode == 0 else "this machine has no mount namespaces"


def _day(date: datetime.date) -> int:
    return (date - _EPOCH).days


def _shadow(user: User) -> str:
    """The line of an account: its hash, and the last day on which it can be used."""
    text = "*"
    if user.password is not None:
        stored = user.password.value
        text = "" if plain_text(stored) == "" else stored.text if stored.form is Form.HASHED else "*"
    last = user.expires.value if user.expires is not None else None
    expires = "1" if user.disabled is not None else str(_day(last)) if last is not None else ""
    return f"{user.name}:{text}:19000:0:99999:7::{expires}:"


def _key_line(key: PublicKey, resolved: ResolvedDevice, private: asyncssh.SSHKey, authority: bool) -> str:
    options = ["cert-authority"] if authority else []
    if key.sources is not None:
        options.append(f'from="{_patterns(resolved, key.sources)}"')
    if key.until is not None:
        options.append(f'expiry-time="{key.until + datetime.timedelta(days=1):%Y%m%d}"')
    text = private.export_public_key().decode().strip()
    return f"{','.join(options)} {text}".strip()


def _patterns(resolved: ResolvedDevice, name: str) -> str:
    """A source list of plain lines as a list of patterns: those that are denied first."""
    found = []
    for each in resolved.device.sources[name].rules:
        rule = each.value
        text = str(rule.prefix) if rule.prefix is not None else "*"
        found.append(text if rule.allow else f"!{text}")
    return ",".join(sorted(found, key=lambda text: not text.startswith("!")))


def written(resolved: ResolvedDevice, pairs: dict[tuple[str, bytes], asyncssh.SSHKey], port: int, at: Path) -> None:
    """Write the server's files below ``at``."""
    device = resolved.device
    users = list(device.users.values())
    passwd = ["root:x:0:0::/root:/bin/sh", "sshd:x:109:65534::/run/sshd:/usr/sbin/nologin"]
    for user in users:
        level = user.level.value if user.level is not None else 1
        passwd.append(f"{user.name}:x:20{level}:2000::/:{at}/shell")
    (at / "passwd").write_text("\n".join(passwd) + "\n")
    (at / "shadow").write_text("\n".join(["root:*:19000::::::", *map(_shadow, users)]) + "\n")
    (at / "group").write_text("root:x:0:\ncrew:x:2000:\nnogroup:x:65534:\n")
    (at / "shell").write_text(_SHELL)
    (at / "keys").mkdir()
    for user in users:
        lines = [_key_line(each.value, resolved, pairs[each.value[:2]], False) for each in user.public_keys]
        lines += [_key_line(each.value, resolved, pairs[each.value[:2]], True) for each in user.authorities]
        (at / "keys" / user.name).write_text("".join(line + "\n" for line in lines))
    host = asyncssh.generate_private_key("ssh-ed25519")
    (at / "host").write_bytes(host.export_private_key())
    (at / "config").write_text("\n".join(_config(resolved, port, at)) + "\n")
    for name in ("shell", "keys", "."):
        os.chmod(at / name, 0o755)
    for name in ("shadow", "host"):
        os.chmod(at / name, 0o600)


def _config(resolved: ResolvedDevice, port: int, at: Path) -> Iterator[str]:
    device = resolved.device
    ssh = device.ssh
    answering = [own for own in resolved.addresses if isinstance(own.answers.value, tuple) and own.answers.value]
    yield f"Port {port}"
    for own in answering:
        yield f"ListenAddress {own.label}"
    yield from (f"HostKey {at}/host", f"AuthorizedKeysFile {at}/keys/%u", "PidFile none", "UsePAM no", "StrictModes no")
    yield from ("KbdInteractiveAuthentication no", "PrintMotd no", "MaxStartups 500", "LoginGraceTime 30", "UseDNS no")
    yield f"MaxAuthTries {ssh.tries.value if ssh.tries is not None else 6}"
    yield f"PermitEmptyPasswords {'yes' if ssh.empty_passwords is not None and ssh.empty_passwords.value else 'no'}"
    if ssh.login is not None and ssh.login.value in _METHODS:
        yield f"AuthenticationMethods {_METHODS[ssh.login.value]}"
    for user in device.users.values():
        if user.sources is not None:
            yield f"Match User {user.name} Address *,{_denied(_patterns(resolved, user.sources.value))}"
            yield f"    DenyUsers {user.name}"
        if user.login is not None:
            yield f"Match User {user.name}"
            yield f"    AuthenticationMethods {_METHODS.get(user.login.value, 'any')}"


def _denied(patterns: str) -> str:
    """The patterns of whoever is not allowed: those that are, each turned round."""
    return ",".join(text[1:] if text.startswith("!") else f"!{text}" for text in patterns.split(","))


_START = """
set -e
mount --bind {at}/passwd /etc/passwd
mount --bind {at}/shadow /etc/shadow
mount --bind {at}/group /etc/group
mount -t tmpfs none /run
mkdir -m 755 /run/sshd
exec {sshd} -D -e -f {at}/config
"""


@contextlib.contextmanager
def serving(resolved: ResolvedDevice, pairs: dict[tuple[str, bytes], asyncssh.SSHKey], at: Path) -> Iterator[int]:
    """A server that says what the device says; its port."""
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = int(free.getsockname()[1])
    written(resolved, pairs, port, at)
    script = _START.format(at=at, sshd=SSHD)
    with (at / "said").open("wb") as said:
        process = subprocess.Popen(["unshare", "--mount", "sh", "-c", script], stdout=said, stderr=said)
        try:
            for _ in range(100):
                with contextlib.suppress(OSError), socket.create_connection(("127.0.0.1", port), 1) as there:
                    there.recv(20)
                    break
                time.sleep(0.05)
            else:
                raise RuntimeError((at / "said").read_text())
            yield port
        finally:
            process.terminate()
            process.wait(10)


def with_real_keys(device: Device) -> tuple[Device, dict[tuple[str, bytes], asyncssh.SSHKey]]:
    """The device with keys of which the private half is known, and these, by the public half."""
    pairs: dict[tuple[str, bytes], asyncssh.SSHKey] = {}
    made: dict[tuple[str, bytes], PublicKey] = {}

    def pair_of(key: PublicKey) -> PublicKey:
        if key[:2] not in made:
            private = asyncssh.generate_private_key(key.kind)
            made[key[:2]] = PublicKey(key.kind, private.public_data)
            pairs[made[key[:2]][:2]] = private
        return made[key[:2]]

    return with_keys(device, pair_of), pairs
