"""How a configuration is kept: saved, by whom, logged, and recoverable; and a device without any."""

from collections.abc import Iterator

from overhang.auditing import fixes
from overhang.auditing.context import RuleContext
from overhang.auditing.findings import Fault, Finding, Severity, stated
from overhang.auditing.registry import Topic
from overhang.auditing.severity import AttackerEffort
from overhang.auditing.wording import listed
from overhang.exposure import AccessPath
from overhang.model import Configured, Saved
from overhang.model.device import Override
from overhang.model.durations import format_duration
from overhang.model.vocabulary import PORTS
from overhang.simulation.source_lists import pieces

rule = Topic("configuration and logging", 13)


# -- saving ------------------------------------------------------------------------------------------------------------


def _last_saved(context: RuleContext) -> Configured[Saved] | None:
    saved = [each for each in context.device.facts.saved if each.value.when is not None]
    return max(saved, key=lambda each: each.value.when or context.moment, default=None)


@rule("never-saved")
def never_saved(context: RuleContext) -> Iterator[Finding]:
    """A configuration that was never saved."""
    facts = context.device.facts
    never = next(iter(facts.saved), None) or facts.changed
    if _last_saved(context) is None and never is not None:
        message = "the configuration was never saved: a power cut restores the previous one, with whatever it left open"
        yield stated(Severity.MEDIUM, message, [never.origin], ())


def _unsaved(context: RuleContext) -> tuple[Configured[Saved], Configured[Saved]] | None:
    """The last saving and the last change, where the change is later."""
    saved, changed = _last_saved(context), context.device.facts.changed
    if saved is None or changed is None or saved.value.when is None or changed.value.when is None:
        return None
    return (saved, changed) if changed.value.when > saved.value.when else None


@rule("unsaved-changes")
def unsaved_changes(context: RuleContext) -> Iterator[Finding]:
    """A configuration that was changed after it was last saved."""
    found = _unsaved(context)
    if found is not None:
        message = "the configuration was changed after it was last saved: a power cut undoes the change"
        yield stated(Severity.MEDIUM, message, [each.origin for each in found], ())


@rule("saved-without-name")
def saved_without_name(context: RuleContext) -> Iterator[Finding]:
    """A configuration that was saved without a name or note."""
    saved = _last_saved(context)
    if saved is not None and _unsaved(context) is None and saved.value.by is None and saved.value.note is None:
        message = "the last save has neither a name nor a note: nobody can be asked about it"
        yield stated(Severity.INFO, message, [saved.origin], ())


# -- logging and recovery ----------------------------------------------------------------------------------------------


@rule("logins-not-logged")
def logins_not_logged(context: RuleContext) -> Iterator[Finding]:
    """Logins that are not logged, or of which nothing is configured."""
    management = context.device.management
    said = management.record
    if (said is not None and said.value.on) or not context.exposure.paths or management.block.doubt is not None:
        return
    fix = fixes.block("management", "record logins yes")
    if said is not None:
        message = "logins are not logged: successful and failed ones cannot be traced afterwards"
        yield stated(Severity.MEDIUM, message, [said.origin], fix)
        return
    at = management.block.origin or context.device.facts.block.origin
    message = "logging of logins is not configured: successful and failed ones may not be traceable afterwards"
    yield stated(Severity.INFO, message, [at] if at is not None else [], fix)


@rule("recovery-open")
def recovery_open(context: RuleContext) -> Iterator[Finding]:
    """Password recovery that is open to anyone at a console that is not locked away."""
    said = context.device.facts.recovery
    if said is None or said.value != "open" or context.locked_away:
        return
    message = "password recovery is open: anyone who can switch the device off and on at the console gets level 15"
    path = AccessPath("console", None, None, frozenset(), 15, 15, 1, True)
    fix = fixes.block(fixes.device_head(context), "recovery closed")
    yield context.opened(message, [said.origin], [path], AttackerEffort.NOTHING, fix)


# -- devices without configuration -------------------------------------------------------------------------------------


@rule("value-set-twice")
def value_set_twice(context: RuleContext) -> Iterator[Finding]:
    """Idle timeouts, accepted ways and source lists that a later statement of the same block weakens."""
    for each in context.device.overrides:
        keyword = each.statement.split()[0]
        if not _weaker(context, keyword, each):
            continue
        earlier, later = each.earlier.origin, each.later.origin
        first = f"{keyword} of {each.head} is set on line {earlier.line}"
        message = f"{first}, and a weaker value on line {later.line} undoes that"
        fix = fixes.block(each.head, _restored(each))
        yield stated(Severity.LOW, message, [earlier, later], fix, Fault.LINE.at((later.file, later.line)))


def _weaker(context: RuleContext, keyword: str, each: Override) -> bool:
    """Whether the later value lets more in than the earlier one."""
    earlier, later = each.earlier.value, each.later.value
    if keyword == "idle":
        return later is None or (earlier is not None and later > earlier)
    if keyword == "accept":
        return bool(set(later) - set(earlier))
    if keyword != "from":
        return False
    lists = context.resolved.lists
    if earlier not in lists:
        return False
    if later not in lists:
        return True
    # the signature of a piece has bit 1 where the first list allows it, bit 3 where the second one does
    return any(each.signature & 0b1010 == 0b1000 for each in pieces([lists[earlier], lists[later]]))


def _restored(each: Override) -> str:
    """The earlier statement: the later one with the earlier value in the place of its own."""
    keyword, value = each.statement.split()[0], each.earlier.value
    if keyword == "idle":
        return f"idle {format_duration(value)}"
    return f"{keyword} {fixes.quote_word(value) if isinstance(value, str) else ' '.join(value) or 'nothing'}"


@rule("never-configured", first=True)
def never_configured(context: RuleContext) -> Iterator[Finding]:
    """A device whose management access is not configured at all."""
    device = context.device
    blocks = (
        *(device.console, device.auxiliary, device.ssh, device.telnet),
        *(device.web, device.snmp, device.management, device.passwords),
    )
    tables = (device.vtys, device.elevations, device.users, device.lists, device.groups, device.sources, device.doors)
    if any(each.block.origin is not None for each in blocks) or any(tables) or not context.resolved.understood:
        return
    free = [path for path in context.paths if not path.needs]
    message = "management access is not configured"
    if free:
        top = max(path.level for path in free)
        message += f": anyone gets level {top} by {listed(_place(context, path) for path in free)}"
    at = device.facts.block.origin
    effort = AttackerEffort.NOTHING if free else AttackerEffort.SECRET_NEEDED
    because = [at] if at is not None else []
    key = Fault.UNCONFIGURED.at()
    yield context.opened(message, because, free or context.paths, effort, _starting_point(context), key)


def _place(context: RuleContext, path: AccessPath) -> str:
    return (
        f"the {context.resolved.ports[path.via].label}"
        if path.via in PORTS
        else context.resolved.services[path.via].label
    )


def _starting_point(context: RuleContext) -> list[str]:
    """A first configuration for a device that has none: its account stands before it is closed."""
    name, made = fixes.management_list(context)
    count = context.resolved.facts["vtys"].value
    last = count - 1 if isinstance(count, int) and count > 0 else 4
    vtys = (f"from {fixes.quote_word(name)}", "accept ssh", "check users")
    return [
        *fixes.accounts(context, "console", "ssh"),
        *fixes.elevation(15),
        *fixes.block("entry auxiliary", "closed"),
        *made,
        *fixes.block(fixes.vty_heads(range(last + 1))[0], *vtys),
        *fixes.block("entry console", "check users"),
        *fixes.block("ssh", "on", "versions 2", "host-key ed25519", "finish-within 1m", "sessions 5", "rate 10"),
        *fixes.block("passwords", "mask yes", "length 15", "lock 5m after 10 in 15m"),
        *fixes.block("management", "record logins yes"),
        *fixes.block("banner before-login", fixes.NEW_BANNER),
    ]
