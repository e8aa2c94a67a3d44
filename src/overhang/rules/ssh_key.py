"""The SSH host key is missing, small or of an old kind."""

from collections.abc import Iterator

from overhang.login import words
from overhang.profiles import UNKNOWN
from overhang.rules.case import Case, proof_of
from overhang.rules.model import Finding, Rule, Severity

NAME = "ssh-host-key"

_MISSING = (words.NO_KEY, words.NO_NAME_FOR_KEY, words.NO_DOMAIN_FOR_KEY)
_SMALLEST_CURVE = 256
_RISK = "the device can be impersonated"


def check(case: Case) -> Iterator[Finding]:
    """One finding for each weak key, and one where SSH is on and has none."""
    taken = any(
        group.view.accept.value is not UNKNOWN and "ssh" in group.view.accept.value
        for group in case.groups()
        if group.view.closed is None
    )
    for reach in case.reaches("ssh", elevate=None) if taken else ():
        step = reach.result.trace[-1]
        if step.words in _MISSING:
            lines, unsaid = proof_of(reach.result.trace)
            yield Finding(
                NAME, Severity.MEDIUM, f"SSH is on, but {step.reason}: nobody can log in by it", lines, unsaid
            )
            return
    for said in case.device.ssh.host_keys:
        kind, bits = said.value
        if kind == "dsa":
            message = f"an SSH host key is DSA with {bits} bits, a kind no longer trusted: {_RISK}"
        elif kind == "rsa" and (bits or 0) < case.thresholds.rsa_bits:
            message = f"an SSH host key is RSA with {bits} bits, below {case.thresholds.rsa_bits}: {_RISK}"
        elif kind == "ecdsa" and (bits or 0) < _SMALLEST_CURVE:
            message = f"an SSH host key is ECDSA with {bits} bits, below {_SMALLEST_CURVE}: {_RISK}"
        else:
            continue
        severity = Severity.HIGH if kind == "rsa" and (bits or 0) < 1024 else Severity.MEDIUM
        yield Finding(NAME, severity, message, (said.origin,))


RULE = Rule(
    name=NAME,
    title="the SSH host key is missing or weak",
    why=(
        "The host key is how people know that they talk to their device before they type a password. Without one SSH "
        "does not work at all, and people fall back to Telnet; a small or old one can be broken, and the device played "
        "by somebody else."
    ),
    looks_for=(
        "A login by SSH, simulated: it fires where SSH is on, some VTY accepts it, and there is no host key. And every "
        "stated key: RSA below the project's threshold (rsa-bits, 2048 unless said), DSA of any size, ECDSA below 256."
    ),
    remedy=(
        "Make a new key: ssh: host-key ed25519, or host-key rsa 3072. Name the device and its domain where it needs "
        "that."
    ),
    references=("NIST SP 800-131A", "RFC 8332", "RFC 9142", "CWE-326"),
    fails="""\
device pier-rtr:
ssh:
    versions 2
    host-key rsa 1024
""",
    passes="""\
device pier-rtr:
ssh:
    versions 2
    host-key rsa 3072
""",
    check=check,
    asks=True,
)
