"""SSH: off or without a key where it is wanted, weak keys, old versions and algorithms, and no limits."""

from collections.abc import Iterator

from overhang.audit.context import RuleContext, listed, origins_of
from overhang.audit.findings import Finding, Severity
from overhang.audit.fixes import block, word
from overhang.audit.severity import AttackerEffort
from overhang.exposure import AccessPath
from overhang.model.vocabulary import VTY_WAYS
from overhang.simulate.reasons import Reason
from overhang.simulate.result import Provenance

#: Names of the SSH protocol's public registry, or parts of them. Exchanges: those that RFC 9142 says MUST NOT or
#: SHOULD NOT be used. Ciphers: RFC 8758 (RC4), NIST SP 800-131A (DES, triple DES), RFC 4344 section 1 (CBC modes).
#: MACs: NIST SP 800-131A, RFC 6668 (MD5, SHA-1), and tags of less than 128 bits.
OLD_EXCHANGES = frozenset(
    "diffie-hellman-group-exchange-sha1 diffie-hellman-group1-sha1 diffie-hellman-group14-sha1 gss-gex-sha1-* "
    "gss-group1-sha1-* gss-group14-sha1-* rsa1024-sha1".split()
)
OLD_MACS = ("md5", "sha1", "-96", "umac-64", "none")
OLD_CIPHERS = ("arcfour", "des", "cbc", "blowfish", "cast128", "idea", "none")


def ssh_rows(context: RuleContext) -> list[AccessPath]:
    """The ways in by SSH."""
    return [path for path in context.paths if path.via == "ssh"]


def _vtys_for_ssh(context: RuleContext) -> list[int]:
    """The VTYs that take SSH, if it came so far."""
    return [
        view.number or 0
        for view in context.vtys()
        if view.closed is None and isinstance(view.accept.value, tuple) and "ssh" in view.accept.value
    ]


_NO_KEY = {
    Reason.NO_KEY: "ssh-no-key",
    Reason.NO_NAME_FOR_KEY: "ssh-no-identity",
    Reason.NO_DOMAIN_FOR_KEY: "ssh-no-identity",
}


def check_unusable(context: RuleContext) -> Iterator[Finding]:
    """SSH that VTYs wait for, and that is off or has no key."""
    numbers = _vtys_for_ssh(context)
    others = any(path.via in VTY_WAYS for path in context.paths)
    for result in context.stranger("ssh") if numbers else ():
        step = result.trace[-1]
        if step.code == Reason.SERVICE_OFF and not others:
            if not context.device.vtys:
                return
            message = "SSH is off, and the VTYs wait for it: nobody can log in from elsewhere"
            accepts: list[Provenance] = [view.accept.origin for view in context.vtys() if view.number in numbers]
            fix = context.fixes.ssh_for(numbers)
            yield context.shut(
                "ssh-off", message, [step.origin, *accepts], fix, everybody=not context.paths, always=True
            )
        elif step.code in _NO_KEY:
            rule = _NO_KEY[step.code]
            message = f"SSH is on, but {step.reason}: nobody can log in by it"
            fix = block("ssh", "host-key ed25519")
            if rule == "ssh-no-identity":
                facts = context.device.facts
                name = facts.name.value if facts.name else "name-of-device"
                fix = (
                    [f"device {word(name)}:", "    domain example.net"]
                    if not facts.domain
                    else [f"device {word(name)}:"]
                )
                fix += block("ssh", "host-key ed25519")
            because = origins_of(result.trace)
            yield context.shut(rule, message, because, fix, everybody=not context.paths, always=True)
        return


def check_keys(context: RuleContext) -> Iterator[Finding]:
    """Host keys that are small or of an old kind."""
    limits = context.thresholds
    for said in context.device.ssh.host_keys:
        kind, bits = said.value
        size = bits or 0
        if kind == "dsa":
            what = f"DSA with {bits} bits, a kind no longer trusted"
        elif kind == "rsa" and size < limits.rsa_bits:
            what = f"RSA with {bits} bits, below {limits.rsa_bits}"
        elif kind == "ecdsa" and size < limits.ecdsa_bits:
            what = f"ECDSA with {bits} bits, below {limits.ecdsa_bits}"
        else:
            continue
        message = f"an SSH host key is {what}: whoever works it out can pose as the device and read what is typed"
        spelt = f"{kind} {bits}" if kind != "ed25519" else kind
        good = any(other.value.kind == "ed25519" for other in context.device.ssh.host_keys)
        fix = block("ssh", f"drop host-key {spelt}", *([] if good else ["host-key ed25519"]))
        effort = AttackerEffort.LEARNING if size < 1024 and kind != "ecdsa" else AttackerEffort.EFFORT
        yield context.opened("ssh-weak-key", message, [said.origin], ssh_rows(context), effort, fix)


def check_version(context: RuleContext) -> Iterator[Finding]:
    """SSH that also speaks version 1, to who asks for nothing else."""
    paths = ssh_rows(context)
    old = context.stranger("ssh", ssh_versions=(1,)) if paths else ()
    agreed = next((step for result in old for step in result.trace if step.code == Reason.VERSION_AGREED), None)
    if agreed is None:
        return
    message = (
        "SSH also speaks version 1, to any client that asks for it: it has been broken, and can be "
        "listened to and changed"
    )
    keys = [said.origin for said in context.device.ssh.host_keys if said.value.kind == "rsa"]
    yield context.opened(
        "ssh-version-1", message, [agreed.origin, *keys], paths, AttackerEffort.EFFORT, block("ssh", "versions 2")
    )


def check_limits(context: RuleContext) -> Iterator[Finding]:
    """SSH without the limits that make guessing slow."""
    paths = [path for path in ssh_rows(context) if path.needs]
    if not paths:
        return
    ssh, limits = context.device.ssh, context.thresholds
    fact = context.resolved.said_or(ssh.tries, "unsaid-tries", ssh.block)
    if isinstance(fact.value, int) and fact.value > limits.ssh_tries:
        message = f"an SSH connection may give {fact.value} wrong answers, above {limits.ssh_tries}"
        yield context.opened(
            "ssh-many-tries", message, [fact.origin], paths, AttackerEffort.EFFORT, block("ssh", "tries 3")
        )
    missing, lines = [], []
    because: list[Provenance] = [ssh.block.origin or context.resolved.services["ssh"].on.origin]
    finish = ssh.finish_within
    if finish is None or (finish.value or 0) > limits.ssh_finish:
        missing.append(
            "the time to finish a login"
            if finish is None
            else f"the time to finish a login below {limits.ssh_finish} seconds"
        )
        lines.append("finish-within 1m")
        because += [finish.origin] if finish is not None else []
    for said, what, line in (
        (ssh.sessions, "how many are logged in at a time", "sessions 5"),
        (ssh.rate, "new connections a minute", "rate 10"),
    ):
        if said is None:
            missing.append(what)
            lines.append(line)
    if missing and ssh.block.doubt is None:
        message = f"SSH states no limit on {listed(missing)}: guessing is as fast as the device is"
        yield context.stated("ssh-no-limits", Severity.INFO, message, because, block("ssh", *lines))


def check_empty(context: RuleContext) -> Iterator[Finding]:
    """SSH that takes empty passwords, while no account has one."""
    said = context.device.ssh.empty_passwords
    if said is None or not said.value or context.resolved.services["ssh"].on.value != "on":
        return
    message = "SSH takes empty passwords: the next account that is made without one is open to everybody"
    free = [path for path in ssh_rows(context) if not path.needs]
    yield context.opened(
        "ssh-empty-passwords", message, [said.origin], free, AttackerEffort.NOTHING, block("ssh", "empty-passwords no")
    )


def check_algorithms(context: RuleContext) -> Iterator[Finding]:
    """Ciphers, MACs and key exchanges that are no longer to be used."""
    ssh = context.device.ssh
    for said, rule, what, old, replacement in (
        (
            ssh.ciphers,
            "ssh-old-ciphers",
            "cipher",
            lambda name: any(part in name for part in OLD_CIPHERS),
            "ciphers aes256-gcm@openssh.com aes256-ctr",
        ),
        (
            ssh.macs,
            "ssh-old-macs",
            "MAC",
            lambda name: any(part in name for part in OLD_MACS),
            "macs hmac-sha2-512 hmac-sha2-256",
        ),
        (
            ssh.exchanges,
            "ssh-old-exchanges",
            "key exchange",
            _old_exchange,
            "exchanges curve25519-sha256 diffie-hellman-group16-sha512",
        ),
    ):
        names = [name for name in said.value if old(name.casefold())] if said is not None else []
        if said is None or not names:
            continue
        plural = "s" if len(names) > 1 else ""
        message = (
            f"SSH takes {listed(names)}, {what}{plural} no longer to be used: what is typed may be read "
            "or changed on its way"
        )
        kept = [name for name in said.value if name not in names]
        line = f"{replacement.split()[0]} {' '.join(map(word, kept))}" if kept else replacement
        yield context.opened(rule, message, [said.origin], ssh_rows(context), AttackerEffort.EFFORT, block("ssh", line))


def _old_exchange(name: str) -> bool:
    return name in OLD_EXCHANGES or (name.startswith("gss-") and "sha1" in name)
