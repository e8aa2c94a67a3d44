"""The password policy: what new passwords must be, how they are stored, and what follows wrong ones."""

import math
from collections.abc import Iterator

from overhang.auditing import fixes
from overhang.auditing.context import RuleContext
from overhang.auditing.findings import Finding, Severity, stated
from overhang.auditing.registry import Topic
from overhang.auditing.severity import AttackerEffort
from overhang.exposure import AccessPath
from overhang.model import Configured, Passwords
from overhang.model.durations import describe_duration, format_duration
from overhang.simulation import Provenance
from overhang.text import Origin

rule = Topic("password policy", 11)
_LONG_LOCK = 1800


def _policy(context: RuleContext) -> tuple[Passwords, list[Provenance]] | None:
    """The policy and the line it begins on; None where the device has no accounts or the policy is in doubt."""
    policy = context.device.passwords
    if not context.device.users or policy.block.doubt is not None:
        return None
    at = policy.block.origin or context.device.facts.block.origin or Origin(context.device.file, 0)
    return policy, [at]


def _at_least(
    context: RuleContext, said: Configured[int] | None, least: int, what: tuple[str, str], statement: str
) -> Iterator[Finding]:
    """A number of the policy below ``least``; ``what`` says it with the number, and without one."""
    found = _policy(context)
    if found is not None and least and (said is None or said.value < least):
        message = what[0].format(said.value, least) if said is not None else what[1].format(least)
        because = [said.origin] if said is not None else found[1]
        yield stated(Severity.LOW, message, because, fixes.block("passwords", f"{statement} {least}"))


@rule("password-length")
def password_length(context: RuleContext) -> Iterator[Finding]:
    """New passwords may be short."""
    what = (
        "passwords need only {} characters, below {}: short ones are quickly guessed",
        "no minimum password length is configured, {} characters are required: short ones are quickly guessed",
    )
    least = context.thresholds.password_length
    return _at_least(context, context.device.passwords.length, least, what, "length")


@rule("password-classes")
def password_classes(context: RuleContext) -> Iterator[Finding]:
    """New passwords may be of few character classes, where the project asks for more."""
    what = (
        "passwords need only {} character classes, below {}",
        "no minimum of character classes is configured, {} are required",
    )
    least = context.thresholds.password_classes
    return _at_least(context, context.device.passwords.classes, least, what, "classes")


@rule("password-reuse")
def password_reuse(context: RuleContext) -> Iterator[Finding]:
    """Earlier passwords may be used again, where the project asks that they may not."""
    what = (
        "only {} earlier passwords cannot be reused, below {}",
        "earlier passwords can be reused, the last {} must not be",
    )
    least, remember = context.thresholds.password_memory, context.device.passwords.remember
    if not least and remember is not None and not remember.value and context.device.users:
        message = "earlier passwords can be reused at once (remember 0)"
        yield stated(Severity.INFO, message, [remember.origin], ["drop passwords: remember"])
    yield from _at_least(context, remember, least, what, "remember")


@rule("password-age")
def password_age(context: RuleContext) -> Iterator[Finding]:
    """Passwords last longer than the project asks for."""
    found, most = _policy(context), context.thresholds.password_age
    if found is None:
        return
    oldest = found[0].oldest
    if not most:
        if oldest is not None and oldest.value is None:
            message = "passwords never have to be changed (oldest never)"
            yield stated(Severity.INFO, message, [oldest.origin], ["drop passwords: oldest"])
        return
    if oldest is None or (oldest.value or math.inf) > most:
        how = f"lasts {describe_duration(oldest.value)}" if oldest is not None and oldest.value else "never expires"
        message = f"a password {how}, above {describe_duration(most)}"
        because = [oldest.origin] if oldest is not None else found[1]
        fix = fixes.block("passwords", f"oldest {format_duration(most)}")
        yield stated(Severity.LOW, message, because, fix)


@rule("password-expiry-warning")
def password_expiry_warning(context: RuleContext) -> Iterator[Finding]:
    """Passwords expire without the warning that the project asks for."""
    found, least = _policy(context), context.thresholds.password_warning
    if found is None or not least:
        return
    oldest, warn = found[0].oldest, found[0].warn
    if oldest is not None and (warn is None or (warn.value or 0) < least):
        message = (
            f"no warning is given {describe_duration(least)} before a password expires: "
            "people are locked out unprepared"
        )
        because = [warn.origin if warn is not None else oldest.origin]
        yield stated(Severity.LOW, message, because, fixes.block("passwords", f"warn {format_duration(least)}"))


@rule("masking-disabled")
def masking_disabled(context: RuleContext) -> Iterator[Finding]:
    """Masking of clear-text passwords is turned off."""
    said = context.device.passwords.mask
    if said is not None and not said.value:
        message = "masking is off (mask no): clear-text passwords stand readable in every copy of the configuration"
        yield stated(Severity.LOW, message, [said.origin], fixes.block("passwords", "mask yes"))


# -- wrong passwords ---------------------------------------------------------------------------------------------------


def _by_password(context: RuleContext) -> list[AccessPath]:
    """The paths that need an account's or entry's password of this device."""
    return [
        path for path in context.paths if any(name.startswith(("user:", "entry:")) for name in context.names_of(path))
    ]


@rule("no-lockout")
def no_lockout(context: RuleContext) -> Iterator[Finding]:
    """Nothing, or little, happens after wrong passwords."""
    device, paths = context.device, _by_password(context)
    lock, unsaid = device.passwords.lock, context.resolved.facts["unsaid-lock"]
    fix = fixes.block("passwords", "lock 5m after 10 in 15m")
    if not paths:
        return
    doubt = device.passwords.block.doubt or device.management.block.doubt
    if lock is None and device.management.pause is None and unsaid.value is None and doubt is None:
        message = "there is no lockout and no pause after wrong passwords: guessing is unlimited"
        at = device.passwords.block.origin or device.facts.block.origin
        because: list[Provenance] = [at, unsaid.origin] if at else [unsaid.origin]
        yield context.opened(message, because, paths, AttackerEffort.SECRET_NEEDED, fix)
    elif lock is not None and lock.value.failures > context.thresholds.failures:
        message = (
            f"an account locks only after {lock.value.failures} wrong passwords, above {context.thresholds.failures}"
        )
        yield context.opened(message, [lock.origin], paths, AttackerEffort.SECRET_NEEDED, fix)


@rule("lockout-denial")
def lockout_denial(context: RuleContext) -> Iterator[Finding]:
    """A lock or pause by which anyone can lock everybody out."""
    lock, pause = context.device.passwords.lock, context.device.management.pause
    if not any(path.sources is not None for path in _by_password(context)):
        return
    if lock is not None and (lock.value.seconds is None or lock.value.seconds > _LONG_LOCK):
        how = "for ever" if lock.value.seconds is None else f"for {describe_duration(lock.value.seconds)}"
        console = any(path.via == "console" for path in _by_password(context))
        message = (
            f"an account locks {how} after {lock.value.failures} wrong passwords: "
            f"anyone who can try can lock everybody out{', at the console too' if console else ''}"
        )
        fix = fixes.block("passwords", f"lock 5m after {lock.value.failures}")
        yield context.locked_out(message, [lock.origin], fix)
    elif pause is not None and pause.value.spared is None:
        message = (
            "wrong answers of anyone stop all remote logins and no source list is exempt: anyone who can try can lock "
            "everybody out"
        )
        name, made = fixes.management_list(context)
        spared = pause.value._replace(seconds=pause.value.seconds or 60, spared=name)
        fix = made + fixes.block("management", fixes.unparse_value("management", "pause", spared))
        yield context.locked_out(message, [pause.origin], fix)
