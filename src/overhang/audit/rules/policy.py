"""The password policy, silent logins, banners, and how a configuration is kept."""

import math
import re
from collections.abc import Iterator

from overhang.audit.context import RuleContext, listed
from overhang.audit.findings import Finding, Severity
from overhang.audit.fixes import block, spelt, word
from overhang.audit.severity import AttackerEffort
from overhang.exposure import AccessPath
from overhang.model.vocabulary import PORTS, WEB_WAYS
from overhang.profiles import UNKNOWN
from overhang.simulate.result import Provenance, Resolved
from overhang.text import Origin

_DAY = 86400
_LONG = 86400


def spoken(seconds: int) -> str:
    """A duration in words."""
    for size, unit in ((_DAY, "day"), (3600, "hour"), (60, "minute")):
        if seconds % size == 0 and seconds >= size:
            count = seconds // size
            return f"{count} {unit}{'s' if count != 1 else ''}"
    return f"{seconds} seconds"


def _by_password(context: RuleContext) -> list[AccessPath]:
    """The ways in that need an account's or entry's password of this device."""
    return [
        path for path in context.paths if any(name.startswith(("user:", "entry:")) for name in context.names_of(path))
    ]


# -- passwords to come -------------------------------------------------------------------------------------------------


def check_policy(context: RuleContext) -> Iterator[Finding]:
    """What the device asks of new passwords, where it keeps any."""
    if not context.device.users or context.device.passwords.block.doubt is not None:
        return
    policy, limits = context.device.passwords, context.thresholds
    at: list[Provenance] = [policy.block.origin or context.device.facts.block.origin or Origin(context.device.file, 0)]
    wanted = (
        (
            "short-passwords",
            policy.length,
            limits.password_length,
            "length",
            "passwords need {0} characters, below {1}",
            "no least length of passwords is said, and {1} is wanted",
        ),
        (
            "few-classes",
            policy.classes,
            limits.password_classes,
            "classes",
            "passwords need {0} classes of characters, below {1}",
            "no classes of characters are asked for, and {1} are wanted",
        ),
        (
            "old-passwords-come-back",
            policy.remember,
            limits.password_memory,
            "remember",
            "{0} old passwords are remembered, below {1}",
            "no old password is remembered, and {1} are wanted",
        ),
    )
    for rule, said, least, line, low, silent in wanted:
        if least and (said is None or said.value < least):
            message = (low if said is not None else silent).format(said.value if said is not None else 0, least)
            because = [said.origin] if said is not None else at
            yield context.stated(
                rule,
                Severity.LOW,
                message + ": the next password may be an easy one",
                because,
                block("passwords", f"{line} {least}"),
            )
    if limits.password_age and (policy.oldest is None or (policy.oldest.value or math.inf) > limits.password_age):
        how = (
            f"lasts {spoken(policy.oldest.value)}"
            if policy.oldest is not None and policy.oldest.value
            else "lasts for ever"
        )
        message = f"a password {how}, above {spoken(limits.password_age)}"
        because = [policy.oldest.origin] if policy.oldest is not None else at
        fix = block("passwords", f"oldest {spelt(limits.password_age)}")
        yield context.stated("password-age", Severity.LOW, message, because, fix)
    if (
        limits.password_warning
        and policy.oldest is not None
        and (policy.warn is None or (policy.warn.value or 0) < limits.password_warning)
    ):
        message = (
            f"a password that ends is not announced {spoken(limits.password_warning)} before: people are "
            "shut out unawares"
        )
        because = [policy.warn.origin if policy.warn is not None else policy.oldest.origin]
        fix = block("passwords", f"warn {spelt(limits.password_warning)}")
        yield context.stated("no-password-warning", Severity.LOW, message, because, fix)


def check_mask(context: RuleContext) -> Iterator[Finding]:
    """Passwords that are kept readable, by what is said of masking."""
    said = context.device.passwords.mask
    if said is None or said.value:
        return
    message = "readable passwords are kept as they are (mask no): the next one stands in every copy for all to read"
    tokens = [("form", place.said.origin) for place in context.passwords() if place.said.value.readable]
    fix = block("passwords", "mask yes")
    yield context.stated("passwords-not-masked", Severity.LOW, message, [said.origin], fix, *tokens)


def check_lock(context: RuleContext) -> Iterator[Finding]:
    """No lock after wrong passwords; a lock that anybody can use to keep everybody out."""
    lock, pause = context.device.passwords.lock, context.device.management.pause
    paths = _by_password(context)
    unsaid = context.resolved.facts["unsaid-lock"]
    fix = block("passwords", "lock 5m after 10 in 15m")
    if not paths:
        return
    if (
        lock is None
        and pause is None
        and unsaid.value is None
        and context.device.passwords.block.doubt is None
        and context.device.management.block.doubt is None
    ):
        message = "nothing happens after wrong passwords: somebody can guess for as long as they like"
        at = context.device.passwords.block.origin or context.device.facts.block.origin
        yield context.opened(
            "no-lock", message, [at, unsaid.origin] if at else [unsaid.origin], paths, AttackerEffort.EFFORT, fix
        )
    elif lock is not None and lock.value.failures > context.thresholds.failures:
        message = f"an account locks after {lock.value.failures} wrong passwords, above {context.thresholds.failures}"
        yield context.opened("no-lock", message, [lock.origin], paths, AttackerEffort.EFFORT, fix)
    remote = [path for path in paths if path.sources is not None]
    if lock is not None and (lock.value.seconds is None or lock.value.seconds > _LONG) and remote:
        how = "for ever" if lock.value.seconds is None else f"for {spoken(lock.value.seconds)}"
        message = (
            f"an account locks {how} after {lock.value.failures} wrong passwords: whoever can try can "
            "lock everybody out"
        )
        yield context.shut(
            "lock-hits-everyone", message, [lock.origin], block("passwords", f"lock 5m after {lock.value.failures}")
        )
    elif pause is not None and pause.value.spared is None and remote:
        name, made = context.fixes.limit()
        value = pause.value
        window = f" in {spelt(value.window)}" if value.window is not None else ""
        message = (
            "failures of anybody stop the logins of all, and no list is spared: whoever can try can lock everybody out"
        )
        line = f"pause {spelt(value.seconds or 60)} after {value.failures}{window} except {name}"
        yield context.shut("lock-hits-everyone", message, [pause.origin], made + block("management", line))


# -- sessions and notices ----------------------------------------------------------------------------------------------


def check_idle(context: RuleContext) -> Iterator[Finding]:
    """Places where a silent login is never ended, or too late."""
    places: dict[int | None, list[tuple[str, Provenance, str]]] = {}
    for label, fact, head in _times(context):
        if fact.value is UNKNOWN or (fact.value is not None and fact.value <= context.thresholds.idle):
            continue
        places.setdefault(fact.value, []).append((label, fact.origin, head))
    for seconds, named in places.items():
        where = listed(label for label, _, _ in named)
        limit = spoken(context.thresholds.idle)
        how = "is never ended" if seconds is None else f"is ended after {spoken(seconds)}, above {limit}"
        severity = Severity.MEDIUM if seconds is None else Severity.LOW
        message = f"a silent login at {where} {how}: an empty chair is an open door"
        heads = dict.fromkeys(head for _, _, head in named)
        fix = [line for head in heads for line in block(head, f"idle {spelt(context.thresholds.idle)}")]
        yield context.stated("idle-too-long", severity, message, [origin for _, origin, _ in named], fix)


def _times(context: RuleContext) -> Iterator[tuple[str, Resolved, str]]:
    """The places that somebody logs in at, after how long a silent login is ended, and the block that says so."""
    services = {"ssh": context.device.ssh, "telnet": context.device.telnet}
    for point in context.access_points():
        if not point.paths:
            continue
        if point.via in PORTS and point.view is not None:
            yield point.label, point.view.idle, f"entry {point.via}"
        elif point.view is not None:
            own, entry = services[point.via].idle, point.view.idle
            said = [(Resolved(*own), point.via)] if own is not None else []
            for head in (
                context.fixes.heads(point._replace(service=None))
                if isinstance(entry.origin, Origin) or not said
                else ()
            ):
                said.append((entry, head))
            first = min(said, key=lambda each: each[0].value if isinstance(each[0].value, int) else math.inf)
            for fact, head in said:
                if fact == first[0]:
                    yield point.label, fact, head
        elif point.via in WEB_WAYS:
            web = context.device.web
            yield "web management", context.resolved.said_or(web.idle, "unsaid-idle", web.block), "web"


_WELCOME = re.compile(r"\b(welcome|hello|greetings|come in|feel free|glad to|nice to see)\b", re.IGNORECASE)
_TELLS = re.compile(
    r"\b(version|model|serial|firmware|release|rack|room|floor|street|phone|tel)\b[ .:#]*\S*\d", re.IGNORECASE
)


def check_banner(context: RuleContext) -> Iterator[Finding]:
    """No banner before login; one that welcomes; one that tells what an intruder would like to know."""
    banner = context.device.banners.get("before-login")
    text = "\n".join(banner.lines) if banner is not None else ""
    new = block("banner before-login", "| Authorised use only. What you do here is recorded.")
    device = context.device.facts.block.origin
    if not text.strip():
        if not context.paths or (banner is not None and banner.block.doubt is not None):
            return
        at = banner.block.origin if banner is not None else device
        message = "no banner is shown before login: nobody is told that the device is private and its use recorded"
        yield context.stated("no-banner", Severity.LOW, message, [at] if at is not None else [], new)
        return
    if banner is None or banner.block.origin is None:
        return
    because: list[Provenance] = [banner.block.origin]
    again = ["drop banner before-login", *new]
    found = _WELCOME.search(text)
    if found:
        message = (
            f"the banner before login says “{found.group(0).lower()}”: who is welcome can say that nobody forbade it"
        )
        yield context.stated("banner-welcomes", Severity.LOW, message, because, again)
    told = [
        what
        for what, value in _told(context)
        if value and re.search(rf"(?<![\w-]){re.escape(value)}(?![\w-])", text, re.IGNORECASE)
    ]
    if _TELLS.search(text):
        told.append("its model, version or place")
    if told:
        message = f"the banner before login tells {listed(told)} to everybody who connects"
        yield context.stated("banner-tells", Severity.LOW, message, because, again)


def _told(context: RuleContext) -> Iterator[tuple[str, str]]:
    facts = context.device.facts
    yield "the device's name", facts.name.value if facts.name is not None else ""
    yield "where it stands", facts.site.value if facts.site is not None else ""
    yield "its domain", facts.domain.value if facts.domain is not None else ""
    for account in context.device.users:
        yield "the name of an account", account if len(account) > 2 else ""


# -- keeping -----------------------------------------------------------------------------------------------------------


def check_saved(context: RuleContext) -> Iterator[Finding]:
    """Configurations that were never saved, not since they were changed, or by nobody knows whom."""
    facts = context.device.facts
    now = f"saved {context.moment.strftime('%Y-%m-%dT%H:%M:%SZ')} by your-name"
    name = facts.name.value if facts.name is not None else None
    head = f"device {word(name)}" if name is not None else "device"
    saved = max(
        (said for said in facts.saved if said.value.when is not None),
        key=lambda said: said.value.when or context.moment,
        default=None,
    )
    if saved is None:
        never = next((said for said in facts.saved), None) or facts.changed
        if never is not None:
            message = (
                "the configuration was never saved: after a power cut the one before is back, with "
                "whatever it left open"
            )
            drop = ["drop saved"] if facts.saved else []
            yield context.stated("never-saved", Severity.MEDIUM, message, [never.origin], block(head, *drop, now))
        return
    changed = facts.changed
    if (
        changed is not None
        and changed.value.when is not None
        and saved.value.when is not None
        and changed.value.when > saved.value.when
    ):
        message = (
            "the configuration was changed after it was last saved: after a power cut the change is "
            "gone, whatever it closed"
        )
        yield context.stated(
            "changed-since-saved", Severity.MEDIUM, message, [saved.origin, changed.origin], block(head, now)
        )
    elif saved.value.by is None and saved.value.note is None:
        message = "it is not said who last saved the configuration, nor why: nobody can be asked about it"
        yield context.stated("saved-without-name", Severity.INFO, message, [saved.origin], block(head, now))


def check_record(context: RuleContext) -> Iterator[Finding]:
    """Logins that are not recorded, or of which nothing is said."""
    said = context.device.management.record
    if (said is not None and said.value.on) or not context.paths or context.device.management.block.doubt is not None:
        return
    if said is not None:
        message = "logins are not recorded: who came, and who tried, cannot be told afterwards"
        yield context.stated(
            "logins-not-recorded", Severity.MEDIUM, message, [said.origin], block("management", "record logins yes")
        )
        return
    at = context.device.management.block.origin or context.device.facts.block.origin
    message = "nothing is said of recording logins: who came, and who tried, may not be told afterwards"
    yield context.stated(
        "logins-not-recorded",
        Severity.INFO,
        message,
        [at] if at is not None else [],
        block("management", "record logins yes"),
    )


def check_recovery(context: RuleContext) -> Iterator[Finding]:
    """Recovery that is open to whoever can cut the power, at a console that is not locked away."""
    said = context.device.facts.recovery
    if said is None or said.value != "open" or context.locked_away:
        return
    name = context.device.facts.name
    message = "recovery is open: whoever can cut the power at the console gets past every password, to level 15"
    path = AccessPath("console", None, None, frozenset(), 15, 15, 1, True)
    fix = block(f"device {word(name.value)}" if name is not None else "device", "recovery closed")
    yield context.opened("recovery-open", message, [said.origin], [path], AttackerEffort.NOTHING, fix)


def check_never_configured(context: RuleContext) -> Iterator[Finding]:
    """A device that says nothing about access at all."""
    device = context.device
    said = (
        device.console,
        device.auxiliary,
        device.ssh,
        device.telnet,
        device.web,
        device.snmp,
        device.management,
        device.passwords,
    )
    tables = (device.vtys, device.elevations, device.users, device.lists, device.groups, device.sources, device.doors)
    if any(each.block.origin is not None for each in said) or any(tables) or not context.resolved.understood:
        return
    free = [path for path in context.paths if not path.needs]
    top = max((path.level for path in free), default=None)
    open_to = f": by {listed(_label(context, path) for path in free)} anybody gets to level {top}" if free else ""
    message = f"nothing is said about access: the device was never configured{open_to}"
    at = device.facts.block.origin
    fix = starting_point(context)
    effort = AttackerEffort.NOTHING if free else AttackerEffort.EFFORT
    yield context.opened(
        "never-configured", message, [at] if at is not None else [], free or context.paths, effort, fix, EVERYTHING
    )


def _label(context: RuleContext, path: AccessPath) -> str:
    return (
        f"the {context.resolved.ports[path.via].label}"
        if path.via in PORTS
        else context.resolved.services[path.via].label
    )


#: The cause of a device that was never configured: whatever else is found there follows from it.
EVERYTHING = ("everything",)


def starting_point(context: RuleContext) -> list[str]:
    """A first configuration for a device that has none."""
    name, made = context.fixes.limit()
    count = context.resolved.facts["vtys"].value
    last = count - 1 if isinstance(count, int) and count > 0 else 4
    return [
        *block("entry console", "check users"),
        *block("entry auxiliary", "closed"),
        *block(f"entry vty 0-{last}", "check users", "accept ssh", f"from {name}"),
        *made,
        *context.fixes.accounts("console", "ssh"),
        *block("elevation 15", "password withheld"),
        *block("ssh", "on", "versions 2", "host-key ed25519", "finish-within 1m", "sessions 5", "rate 10"),
        *block("passwords", "mask yes", "length 15", "lock 5m after 10 in 15m"),
        *block("management", "record logins yes"),
        *block("banner before-login", "| Authorised use only. What you do here is recorded."),
    ]
