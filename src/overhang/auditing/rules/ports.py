"""Console and auxiliary port: what they ask, and whether that is what it seems."""

from collections.abc import Iterator

from overhang.auditing import fixes
from overhang.auditing.context import RuleContext
from overhang.auditing.findings import Finding
from overhang.auditing.registry import Topic
from overhang.auditing.rules import entries
from overhang.auditing.severity import AttackerEffort
from overhang.model.vocabulary import PORTS
from overhang.simulation import Reason

rule = Topic("console and auxiliary", 1)


@rule("port-no-authentication", after="password-ignored vty-weaker-than-others")
def port_no_authentication(context: RuleContext) -> Iterator[Finding]:
    """Ports that ask for nothing."""
    return entries.no_authentication(context, lambda point: point.via in PORTS)


@rule("password-not-set", after="vty-weaker-than-others")
def password_not_set(context: RuleContext) -> Iterator[Finding]:
    """Entries that ask for a password that was never set: every connection is dropped, or everybody gets in."""
    what = "for a password but none is set: every connection is dropped"
    yield from entries.nobody_passes(context, Reason.NO_PASSWORD_DROPPED, what)
    yield from entries.anyone_passes(context, Reason.NO_PASSWORD_ADMITS, "for a password but none is set")


@rule("password-ignored", after="no-account")
def password_ignored(context: RuleContext) -> Iterator[Finding]:
    """Entries' passwords that no login is asked for."""
    return entries.ignored_passwords(context)


@rule("port-shared-password", after="port-no-authentication")
def port_shared_password(context: RuleContext) -> Iterator[Finding]:
    """Ports that ask for one password that everybody shares."""
    return entries.shared_passwords(context, "port")


@rule("port-default-level-15", after="port-shared-password")
def port_default_level_15(context: RuleContext) -> Iterator[Finding]:
    """Ports where every login gets level 15, whoever it is."""
    return entries.default_level_15(context, at_vtys=False)


@rule("auxiliary-open", after="fallback-shared-password")
def auxiliary_open(context: RuleContext) -> Iterator[Finding]:
    """An auxiliary port that accepts logins and that nobody of the project uses."""
    point = next((each for each in context.access_points if each.via == "auxiliary"), None)
    if point is None or not point.paths or context.used("auxiliary"):
        return
    level = max(path.level for path in point.paths)
    message = f"the auxiliary port accepts logins up to level {level} and nobody in the project uses it"
    view = point.view
    because = [view.check.origin if view.check else view.unsaid_check.origin] if view is not None else []
    fix = fixes.block("entry auxiliary", "closed")
    yield context.opened(message, because, point.paths, AttackerEffort.SECRET_NEEDED, fix, point.check_key)
