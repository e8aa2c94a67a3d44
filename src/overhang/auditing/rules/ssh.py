"""SSH: off or without a host key where it is needed, weak keys, old versions and algorithms, and no limits."""

from collections.abc import Callable, Iterator

from overhang.auditing import fixes
from overhang.auditing.context import RuleContext
from overhang.auditing.findings import Finding, Severity, origins_of, stated
from overhang.auditing.registry import Topic
from overhang.auditing.severity import AttackerEffort
from overhang.auditing.wording import listed
from overhang.model import Configured
from overhang.model.vocabulary import VTY_WAYS
from overhang.simulation import Provenance, Reason, Result

rule = Topic("SSH", 7)
#: Names of the SSH protocol's public registry, or parts of them. Exchanges: those that RFC 9142 says MUST NOT or
#: SHOULD NOT be used. Ciphers: RFC 8758 (RC4), NIST SP 800-131A (DES, triple DES), RFC 4344 section 1 (CBC modes).
#: MACs: NIST SP 800-131A, RFC 6668 (MD5, SHA-1), and tags of less than 128 bits.
WEAK_EXCHANGES = frozenset(
    "diffie-hellman-group-exchange-sha1 diffie-hellman-group1-sha1 diffie-hellman-group14-sha1 gss-gex-sha1-* "
    "gss-group1-sha1-* gss-group14-sha1-* rsa1024-sha1".split()
)
WEAK_MACS = ("md5", "sha1", "-96", "umac-64", "none")
WEAK_CIPHERS = ("arcfour", "des", "cbc", "blowfish", "cast128", "idea", "none")


# -- SSH that cannot be used -------------------------------------------------------------------------------------------


def _vtys_for_ssh(context: RuleContext) -> list[int]:
    """The VTYs that accept SSH, once it gets so far."""
    return [
        view.number or 0
        for view in context.vtys
        if view.closed is None and isinstance(view.accept.value, tuple) and "ssh" in view.accept.value
    ]


def _refused(context: RuleContext, *reasons: Reason) -> Result | None:
    """A login by SSH that VTYs wait for and that is refused for one of the reasons."""
    first = next(context.unauthenticated("ssh"), None) if _vtys_for_ssh(context) else None
    return first if first is not None and first.trace[-1].code in reasons else None


@rule("ssh-off")
def ssh_off(context: RuleContext) -> Iterator[Finding]:
    """SSH that is off while VTYs accept nothing else that is on."""
    result = _refused(context, Reason.SERVICE_OFF)
    if result is None or not context.device.vtys or context.by_ways(*VTY_WAYS) or not context.exposure.complete:
        return
    numbers = _vtys_for_ssh(context)
    message = "SSH is off but the VTYs wait for it: remote logins by VTY are impossible"
    because = [result.trace[-1].origin, *(view.accept.origin for view in context.vtys if view.number in numbers)]
    fix = fixes.ssh_only(context, numbers)
    yield context.locked_out(message, because, fix, everybody=context.nobody, always=True)


@rule("no-encrypted-login")
def no_encrypted_login(context: RuleContext) -> Iterator[Finding]:
    """SSH that is off, or that no VTY accepts, so that Telnet is the only remote login."""
    if (
        not context.by_ways("telnet")
        or context.by_ways("ssh")
        or any(point.via == "ssh" for point in context.access_points)
        or not context.exposure.complete
    ):
        return
    ssh = context.resolved.services["ssh"]
    vtys = [point for point in context.access_points if point.via == "telnet"]
    numbers = {number for point in vtys for number in point.numbers}
    if ssh.on.value is False:
        message, because = "SSH is off, so Telnet is the only remote login", [ssh.on.origin]
    else:
        message = "no VTY accepts SSH, so Telnet is the only remote login"
        because = [view.accept.origin for view in context.vtys if view.number in numbers or not numbers]
        because = because or [context.resolved.facts["vtys"].origin]
    fix = fixes.ssh_only(context, tuple(sorted(numbers)))
    yield stated(Severity.MEDIUM, message, because, fix)


def _without_key(context: RuleContext, result: Result, fix: list[str]) -> Finding:
    message = f"SSH is on but refuses every connection: {result.trace[-1].reason}"
    because = origins_of(result.trace)
    return context.locked_out(message, because, fix, everybody=context.nobody, always=True)


@rule("ssh-no-key")
def ssh_no_key(context: RuleContext) -> Iterator[Finding]:
    """SSH without a host key."""
    result = _refused(context, Reason.NO_KEY)
    if result is not None:
        yield _without_key(context, result, fixes.block("ssh", "host-key ed25519"))


@rule("ssh-no-identity")
def ssh_no_identity(context: RuleContext) -> Iterator[Finding]:
    """SSH without a host key, and without the device name or domain that is needed to make one."""
    result = _refused(context, Reason.NO_NAME_FOR_KEY, Reason.NO_DOMAIN_FOR_KEY)
    if result is not None:
        facts = context.device.facts
        head = fixes.named("device", facts.name.value if facts.name else "name-of-device")
        fix = [f"{head}:", *([] if facts.domain else ["    domain example.net"])]
        yield _without_key(context, result, fix + fixes.block("ssh", "host-key ed25519"))


# -- keys and versions -------------------------------------------------------------------------------------------------


@rule("ssh-weak-key")
def ssh_weak_key(context: RuleContext) -> Iterator[Finding]:
    """Host keys that are small or of an old kind."""
    limits = context.thresholds
    keys = context.device.ssh.host_keys
    for said in keys:
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
        message = f"an SSH host key is {what}: whoever breaks it can impersonate the device and read what is typed"
        good = any(other.value.kind == "ed25519" for other in keys)
        better = [] if good else fixes.block("ssh", "host-key ed25519")  # first, so that SSH is never without a key
        fix = [*better, *fixes.block("ssh", f"drop host-key {kind} {bits}")]
        small = size < 1024 and kind != "ecdsa"
        effort = AttackerEffort.SECRET_EXPOSED if small else AttackerEffort.SECRET_NEEDED
        yield context.opened(message, [said.origin], context.by_ways("ssh"), effort, fix)


@rule("ssh-version-1")
def ssh_version_1(context: RuleContext) -> Iterator[Finding]:
    """SSH that also speaks version 1, to a client that asks for nothing else."""
    paths = context.by_ways("ssh")
    old = context.unauthenticated("ssh", ssh_versions=(1,)) if paths else ()
    agreed = next((step for result in old for step in result.trace if step.code is Reason.VERSION_AGREED), None)
    if agreed is not None:
        message = "SSH accepts version 1, which is broken: a session can be read and changed in transit"
        keys = [said.origin for said in context.device.ssh.host_keys if said.value.kind == "rsa"]
        fix = fixes.block("ssh", "versions 2")
        yield context.opened(message, [agreed.origin, *keys], paths, AttackerEffort.SECRET_NEEDED, fix)


# -- limits ------------------------------------------------------------------------------------------------------------


@rule("ssh-many-tries")
def ssh_many_tries(context: RuleContext) -> Iterator[Finding]:
    """SSH connections that allow many wrong answers."""
    paths = [path for path in context.by_ways("ssh") if path.needs]
    ssh, most = context.device.ssh, context.thresholds.ssh_tries
    tries = context.resolved.said_or(ssh.tries, "unsaid-tries", ssh.block)
    if paths and isinstance(tries.value, int) and tries.value > most:
        message = f"an SSH connection allows {tries.value} wrong answers, above {most}: guessing is fast"
        fix = fixes.block("ssh", "tries 3")
        yield context.opened(message, [tries.origin], paths, AttackerEffort.SECRET_NEEDED, fix)


@rule("ssh-no-limits")
def ssh_no_limits(context: RuleContext) -> Iterator[Finding]:
    """SSH without the limits that make guessing slow."""
    ssh, most = context.device.ssh, context.thresholds.ssh_finish
    if not any(path.needs for path in context.by_ways("ssh")) or ssh.block.doubt is not None:
        return
    missing, lines = [], []
    because: list[Provenance] = [ssh.block.origin or context.resolved.services["ssh"].on.origin]
    if ssh.finish_within is None or (ssh.finish_within.value or 0) > most:
        missing.append(f"the time to complete a login (at most {most} seconds)")
        lines.append("finish-within 1m")
        because += [ssh.finish_within.origin] if ssh.finish_within is not None else []
    for said, what, line in (
        (ssh.sessions, "sessions at a time", "sessions 5"),
        (ssh.rate, "new connections a minute", "rate 10"),
    ):
        if said is None:
            missing.append(what)
            lines.append(line)
    if missing:
        message = f"SSH has no limit on {listed(missing)}: guessing is as fast as the device is"
        yield stated(Severity.INFO, message, because, fixes.block("ssh", *lines))


@rule("ssh-empty-passwords")
def ssh_empty_passwords(context: RuleContext) -> Iterator[Finding]:
    """SSH that accepts empty passwords."""
    said = context.device.ssh.empty_passwords
    if said is not None and said.value and context.resolved.services["ssh"].on.value == "on":
        message = "SSH accepts empty passwords: the next account that is created without one is open to anyone"
        free = [path for path in context.by_ways("ssh") if not path.needs]
        fix = fixes.block("ssh", "empty-passwords no")
        yield context.opened(message, [said.origin], free, AttackerEffort.NOTHING, fix)


# -- algorithms --------------------------------------------------------------------------------------------------------


def _weak(
    context: RuleContext,
    said: Configured[tuple[str, ...]] | None,
    what: tuple[str, str],
    weak: Callable[[str], bool],
    better: str,
) -> Iterator[Finding]:
    """Algorithms that should not be used; ``what`` are their name in the singular and plural."""
    names = [name for name in said.value if weak(name.casefold())] if said is not None else []
    if said is None or not names:
        return
    kind = what[0] if len(names) == 1 else what[1]
    message = (
        f"SSH accepts the {kind} {listed(names)}, no longer to be used: a session may be read or changed in transit"
    )
    kept = [name for name in said.value if name not in names]
    keyword = better.split()[0]
    line = f"{keyword} {' '.join(map(fixes.quote_word, kept))}" if kept else better
    paths = context.by_ways("ssh")
    yield context.opened(message, [said.origin], paths, AttackerEffort.SECRET_NEEDED, fixes.block("ssh", line))


@rule("ssh-weak-ciphers")
def ssh_weak_ciphers(context: RuleContext) -> Iterator[Finding]:
    """Ciphers that should not be used."""
    return _weak(
        context,
        context.device.ssh.ciphers,
        ("cipher", "ciphers"),
        lambda name: any(part in name for part in WEAK_CIPHERS),
        "ciphers AEAD_AES_256_GCM aes256-ctr",
    )


@rule("ssh-weak-macs")
def ssh_weak_macs(context: RuleContext) -> Iterator[Finding]:
    """MACs that should not be used."""
    return _weak(
        context,
        context.device.ssh.macs,
        ("MAC", "MACs"),
        lambda name: any(part in name for part in WEAK_MACS),
        "macs hmac-sha2-512 hmac-sha2-256",
    )


@rule("ssh-weak-exchanges")
def ssh_weak_exchanges(context: RuleContext) -> Iterator[Finding]:
    """Key exchanges that should not be used."""
    return _weak(
        context,
        context.device.ssh.exchanges,
        ("key exchange", "key exchanges"),
        lambda name: name in WEAK_EXCHANGES or (name.startswith("gss-") and "sha1" in name),
        "exchanges curve25519-sha256 diffie-hellman-group16-sha512",
    )
