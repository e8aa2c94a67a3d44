"""The list of rules: explicit, by topic, in the order in which they tell of things.

A fault is told once, by the first rule here that tells of it: a rule that names the cause stands before those that
would tell of its consequences.
"""

from collections.abc import Callable, Iterable, Iterator
from typing import NamedTuple

from overhang.audit.context import RuleContext
from overhang.audit.findings import Finding
from overhang.audit.rules import (
    accounts,
    doors,
    elevation,
    entries,
    lists,
    passwords,
    policy,
    sources,
    ssh,
    unauthenticated,
    vtys,
)

Check = Callable[[RuleContext], Iterator[Finding]]


class Rule(NamedTuple):
    """One rule: its name, and the topic that it is listed under. Its page is a file, read by ``pages``."""

    name: str
    topic: str


_PORTS, _VTYS, _ELEVATION, _ACCOUNTS = "console and auxiliary", "VTYs", "elevation", "accounts and passwords"
_LISTS, _SSH, _DOORS, _SOURCES = "method lists", "SSH", "web and other doors", "sources"
_POLICY, _NOTICES, _KEEPING, _NETWORK = "policy", "sessions and notices", "keeping", "across devices"

_BY_TOPIC: tuple[tuple[str, str], ...] = (
    (
        _PORTS,
        "port-asks-nothing asks-and-none-set password-never-asked port-shares-password port-lands-high auxiliary-open",
    ),
    (
        _VTYS,
        "vty-asks-nothing vty-shares-password vty-lands-high vty-weaker-than-neighbours vty-not-configured "
        "telnet-accepted password-over-ssh lists-differ",
    ),
    (
        _ELEVATION,
        "no-enable-secret stuck-low low-account-let-up elevation-asks-nothing dead-readable-password "
        "enable-not-hashed enable-secret-reused",
    ),
    (
        _ACCOUNTS,
        "factory-account factory-password empty-password no-low-account no-account accounts-all-shut "
        "everyone-at-level-15 no-personal-account account-unused password-readable password-masked old-hash "
        "same-password guessable-password",
    ),
    (
        _LISTS,
        "locked-out locked-out-servers-down methods-missing group-missing method-unset method-unreachable "
        "methods-let-anyone fallback-nothing fallback-entry-password no-default-list no-local-fallback "
        "elevation-not-covered web-not-covered server-without-key one-server",
    ),
    (
        _SSH,
        "ssh-off ssh-no-key ssh-no-identity ssh-weak-key ssh-version-1 ssh-many-tries ssh-no-limits "
        "ssh-empty-passwords ssh-old-ciphers ssh-old-macs ssh-old-exchanges",
    ),
    (
        _DOORS,
        "web-asks-nothing web-shares-secret http-on web-beside-ssh old-tls certificate-expired "
        "certificate-not-yet-valid certificate-ends-soon certificate-self-signed certificate-small-key "
        "door-asks-nothing snmp-readable snmp-writable snmp-guessable snmp-from-anywhere snmp-old-version",
    ),
    (
        _SOURCES,
        "no-address-list web-from-anywhere door-from-anywhere list-missing list-allows-anyone family-forgotten "
        "list-denies-everyone rule-never-matches beyond-management answers-everywhere no-management-network "
        "management-vlan-1",
    ),
    (
        _POLICY,
        "short-passwords few-classes old-passwords-come-back password-age no-password-warning "
        "passwords-not-masked no-lock lock-hits-everyone",
    ),
    (_NOTICES, "idle-too-long no-banner banner-welcomes banner-tells"),
    (_KEEPING, "never-saved changed-since-saved saved-without-name logins-not-recorded recovery-open"),
    (_NETWORK, "never-configured stands-out secret-on-many-devices waiver-ended waiver-unused"),
)

RULES: tuple[Rule, ...] = tuple(Rule(name, topic) for topic, names in _BY_TOPIC for name in names.split())
TOPICS: tuple[str, ...] = tuple(topic for topic, _ in _BY_TOPIC)

#: Every check, those that name causes before those that would tell of consequences.
CHECKS: tuple[Check, ...] = (
    policy.check_never_configured,
    lists.check_lock_outs,
    accounts.check_shut_last,
    unauthenticated.check_factory,
    unauthenticated.check_bare_tier,
    unauthenticated.check_methods_nothing,
    entries.check_unconfigured_vtys,
    entries.check_unset,
    entries.check_never_asked,
    unauthenticated.check_empty_passwords,
    vtys.check_weaker,
    unauthenticated.check_asks_nothing,
    entries.check_shared_password,
    entries.check_lands_high,
    entries.check_auxiliary,
    vtys.check_telnet,
    vtys.check_lists_differ,
    elevation.check_unguarded,
    elevation.check_stuck,
    elevation.check_dead,
    elevation.check_forms,
    elevation.check_not_covered,
    accounts.check_everyone_top,
    accounts.check_personal,
    accounts.check_unused,
    passwords.check_guessable,
    passwords.check_forms,
    passwords.check_old_hash,
    passwords.check_same,
    lists.check_names,
    lists.check_unset,
    lists.check_unreachable,
    lists.check_no_default,
    lists.check_fallback,
    lists.check_servers,
    ssh.check_unusable,
    ssh.check_keys,
    ssh.check_version,
    ssh.check_limits,
    ssh.check_empty,
    ssh.check_algorithms,
    doors.check_web,
    doors.check_tls,
    doors.check_certificate,
    doors.check_snmp,
    sources.check_missing_denies,
    sources.check_anywhere,
    sources.check_never_matches,
    sources.check_beyond,
    sources.check_own_addresses,
    policy.check_policy,
    policy.check_mask,
    policy.check_lock,
    policy.check_idle,
    policy.check_banner,
    policy.check_saved,
    policy.check_record,
    policy.check_recovery,
)


def audit(context: RuleContext, checks: Iterable[Check] = CHECKS) -> list[Finding]:
    """All findings about a device, each fault told once, worst first, then by rule and line."""
    told: set[object] = set()
    findings: list[Finding] = []
    for check in checks:
        for finding in check(context):
            if finding.dedup_keys and told.issuperset(finding.dedup_keys):
                continue
            told.update(finding.dedup_keys)
            findings.append(finding)
        if policy.EVERYTHING in told:
            break
    return sorted(findings, key=lambda each: (-each.severity, each.rule, each.lines))
