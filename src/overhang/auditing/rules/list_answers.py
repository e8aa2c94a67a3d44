"""Where the answers of methods lead, and the end of a method list."""

from collections.abc import Iterator, Mapping

from overhang.auditing import fixes
from overhang.auditing.context import RuleContext
from overhang.auditing.findings import Fault, Finding, Severity, origins_of, stated
from overhang.auditing.rules.common import by_cause, check_keys, labels_of, unauthenticated
from overhang.auditing.rules.lists import rule, title
from overhang.auditing.severity import AttackerEffort
from overhang.auditing.wording import listed
from overhang.model import Configured, Method, MethodList
from overhang.simulation import Reason, Stage


@rule("method-list-leads-nowhere", after="method-list-missing")
def method_list_leads_nowhere(context: RuleContext) -> Iterator[Finding]:
    """Method lists that lead on to one that does not exist, or back to themselves."""
    lists = context.device.lists
    for key, methods in lists.items():
        onward = [Configured(said.value.next, said.origin) for said in methods.methods if said.value.next is not None]
        if methods.at_end is not None and methods.at_end.value.next is not None:
            onward.append(Configured(methods.at_end.value.next, methods.at_end.origin))
        for name, origin in onward:
            there = (methods.purpose, name) in lists
            if there and not _leads_to(lists, (methods.purpose, name), key):
                continue
            what = "leads back here" if there else "does not exist"
            message = f"{title(methods)} leads on to method list {name}, which {what}"
            kept = [fixes.method(said.value._replace(no="ends", next=None)) for said in methods.methods]
            ended = methods.at_end is not None and methods.at_end.value.next is not None
            mended = methods._replace(at_end=None) if ended else methods
            fix = fixes.rewritten(mended, kept)
            yield context.locked_out(message, [origin], fix, Fault.METHOD.at(origin))


_Key = tuple[str, str | None]


def _leads_to(lists: Mapping[_Key, MethodList], start: _Key, wanted: _Key) -> bool:
    """Whether a method list leads on, from list to list, to another one."""
    seen: set[_Key] = set()
    left = [start]
    while left:
        key = left.pop()
        if key == wanted:
            return True
        if key in seen or key not in lists:
            continue
        seen.add(key)
        methods = lists[key]
        names = [said.value.next for said in methods.methods]
        names += [methods.at_end.value.next] if methods.at_end is not None else []
        left += [(methods.purpose, name) for name in names if name is not None]
    return False


@rule("rejection-not-final")
def rejection_not_final(context: RuleContext) -> Iterator[Finding]:
    """Servers whose rejection goes on to methods that may let the person in all the same."""
    for methods in context.device.lists.values():
        for at, said in enumerate(methods.methods):
            later = methods.methods[at + 1 :] if said.value.no == "goes-on" else ()
            opening = [each for each in later if each.value.kind not in ("servers", "reject")]
            if said.value.kind != "servers" or said.value.no == "ends" or not (opening or said.value.next):
                continue
            then = f"method list {said.value.next}" if said.value.next else fixes.method(opening[0].value)
            message = (
                f"{title(methods)}: whoever group {said.value.group} rejects is passed on to {then}, so an account "
                "that is closed at the servers may still get in"
            )
            kept = [
                fixes.method(each.value._replace(no="ends", next=None)) if each == said else fixes.method(each.value)
                for each in methods.methods
            ]
            yield stated(Severity.LOW, message, [said.origin], fixes.rewritten(methods, kept))


@rule("list-end-allows-anyone", after="method-list-allows-anyone")
def list_end_allows_anyone(context: RuleContext) -> Iterator[Finding]:
    """Method lists whose end, or whose absence, lets anyone in."""
    for group in by_cause(unauthenticated(context), Reason.END_ADMITS, Reason.LIST_UNDEFINED_ADMITS):
        points = [each.point for each in group]
        level = max(each.path.level for each in group)
        always = any(each.path.states & context.exposure.all_up for each in group)
        when = "" if always else " once no server answers"
        cause = "ends without an answer" if group[0].step.code is Reason.END_ADMITS else "does not exist"
        where = listed(labels_of(points))
        message = f"the method list for {where} {cause}, which lets anyone in at level {level}{when}"
        origin = group[0].step.origin
        ends = [each for each in context.device.lists.values() if each.at_end and each.at_end.origin == origin]
        fix = [line for each in ends for line in fixes.rewritten(each._replace(at_end=None), map(_line, each.methods))]
        fix = fix or fixes.check_users(context, points)
        fix += fixes.accounts(context, points[0].via)
        because = [each for one in group for each in origins_of(one.result.trace, Stage.AUTHENTICATION)]
        paths = [each.path for each in group]
        yield context.opened(message, because, paths, AttackerEffort.NOTHING, fix, *check_keys(points))


def _line(said: Configured[Method]) -> str:
    return fixes.method(said.value)


@rule("server-secret-wrong")
def server_secret_wrong(context: RuleContext) -> Iterator[Finding]:
    """Server groups that never answer, since their shared secret is not the servers'."""
    for group in context.device.groups.values():
        if group.secret_wrong is not None:
            message = f"group {group.name} never answers: its shared secret is not the one of its servers"
            head = f"servers {group.protocol} {fixes.quote_word(group.name)}"
            fix = [*fixes.new_servers(group), f"drop {head}: secret-wrong"]
            yield context.locked_out(message, [group.secret_wrong.origin], fix)
