"""What is not known, and what it may open: one finding for each fact that would settle something.

These findings are possible ones: an access path may be open. Each tells the worst that may be, and how to state the
fact.
"""

from collections.abc import Iterable, Iterator
from typing import NamedTuple

from overhang.auditing import fixes
from overhang.auditing.context import RuleContext
from overhang.auditing.findings import Finding, Severity, proof
from overhang.auditing.registry import Topic
from overhang.auditing.severity import AttackerEffort
from overhang.auditing.wording import counted
from overhang.exposure import AccessPath
from overhang.exposure.exploring_oracle import UnknownFact
from overhang.exposure.paths import rank
from overhang.exposure.phrases import from_phrase, needs_phrase
from overhang.model.vocabulary import PORTS, way_label
from overhang.profiles import UNKNOWN
from overhang.profiles.builtin import DEFAULT
from overhang.simulation import FromAttempt, FromProfile, Provenance, Reason
from overhang.text import Origin, did_you_mean

rule = Topic("unknown facts", 15)

_CLEAR_TEXT = ("telnet", "http")
_SHARED = ("entry:", "elevation:", "community:")


class Consequence(NamedTuple):
    """The worst that some access paths may mean: how bad, in words, and the paths."""

    severity: Severity
    words: str
    path: AccessPath


@rule("profile-unknown")
def profile_unknown(context: RuleContext) -> Iterator[Finding]:
    """Devices whose profile is not known, so that whatever is not configured is unknown."""
    paths = [path for path in _unsure(context) if _hangs_on_profile(context, path)]
    if not _no_profile(context):
        return
    facts = context.device.facts
    fix: list[str] = []
    if facts.profile is not None:
        name = facts.profile.value
        near = did_you_mean(name, context.resolved.profile_names)
        what = f"no profile is called {name}" + (f" (did you mean {near}?)" if near else "")
        because: list[Provenance] = [facts.profile.origin]
        fix = fixes.block(fixes.device_head(context), f"profile {fixes.quote_word(near or DEFAULT)}")
    elif facts.profile_unread is not None:
        what, because = "the profile statement was not understood", [facts.profile_unread]
        fix = fixes.block(fixes.device_head(context), f"profile {DEFAULT}")
    else:
        what = "no profile is stated, and the data does not say what the device does by default"
        because = sorted(
            {fact.origin for path in paths for fact in path.unknowns if _is_profile(context, fact)}, key=str
        )
        fix = fixes.block(fixes.device_head(context), f"profile {DEFAULT}")
    yield _finding(context, f"{what}, so whatever is not configured is unknown", paths, because, fix)


@rule("line-not-understood")
def line_not_understood(context: RuleContext) -> Iterator[Finding]:
    """Lines that were not understood and may change who can log in."""
    for origin, facts, paths in _by_origin(context):
        if isinstance(origin, Origin) and any(fact.code is Reason.UNSURE_UNREAD for fact in facts):
            what = f"a line was not understood, so it is unknown {_about(facts)}"
            fix = fixes.blocks(fixes.incomplete_heads(context, origin), "drop incomplete")
            yield _finding(context, what, paths, [origin], fix)


@rule("value-unknown")
def value_unknown(context: RuleContext) -> Iterator[Finding]:
    """Values that are stated to be unknown, or that nobody can state, and may change who can log in."""
    for origin, facts, paths in _by_origin(context):
        if isinstance(origin, FromAttempt) or any(fact.code is Reason.UNSURE_UNREAD for fact in facts):
            continue  # from where somebody at a port comes, no configuration can state
        if isinstance(origin, FromProfile):
            what = f"{origin.key} is unknown in the profile {origin.profile}, so it is unknown {_about(facts)}"
        else:
            what = _VALUES.get(facts[0].code, f"it is unknown {_about(facts)}")
        fix: list[str] = []
        if facts[0].code is Reason.UNSURE_KEY:
            fix = fixes.block("ssh", "drop host-key unknown", "host-key ed25519")
        yield _finding(context, what, paths, [origin], fix)


_VALUES = {
    Reason.UNSURE_ADDRESS: "an address of the device is assigned at run time, so it is unknown where it answers",
    Reason.UNSURE_KEY: "the SSH host key is unknown, so it is unknown whether SSH accepts connections",
}


# -- which paths hang on which facts -----------------------------------------------------------------------------------


def _unsure(context: RuleContext) -> list[AccessPath]:
    return [path for path in context.exposure.paths if not path.sure]


def _no_profile(context: RuleContext) -> bool:
    facts = context.resolved.facts
    return context.resolved.profile_name is None or all(fact.value is UNKNOWN for fact in facts.values())


def _is_profile(context: RuleContext, fact: UnknownFact) -> bool:
    """Whether a fact is unknown for want of a profile."""
    if not _no_profile(context):
        return False
    facts = context.device.facts
    said = facts.profile.origin if facts.profile is not None else facts.profile_unread
    return isinstance(fact.origin, FromProfile) or fact.origin == said


def _hangs_on_profile(context: RuleContext, path: AccessPath) -> bool:
    return any(_is_profile(context, fact) for fact in path.unknowns)


def _by_origin(context: RuleContext) -> Iterator[tuple[Provenance, list[UnknownFact], list[AccessPath]]]:
    """For each line or key that would settle something: the facts, and the paths that hang on them."""
    found: dict[Provenance, dict[UnknownFact, None]] = {}
    paths: dict[Provenance, list[AccessPath]] = {}
    for path in _unsure(context):
        for origin in {fact.origin for fact in path.unknowns if not _is_profile(context, fact)}:
            paths.setdefault(origin, []).append(path)
        for fact in sorted(path.unknowns, key=lambda fact: fact.about):
            if not _is_profile(context, fact):
                found.setdefault(fact.origin, {})[fact] = None
    for origin in sorted(paths, key=str):
        yield origin, list(found[origin]), paths[origin]


def _about(facts: Iterable[UnknownFact]) -> str:
    told = [fact.about for fact in facts if fact.about]
    more = len(set(told)) - 1
    if not told:
        return "what it sets"
    return min(told, key=lambda each: (len(each.split()), each)) + (
        f", and {counted(more, 'fact')} more" if more > 0 else ""
    )


# -- what may follow ---------------------------------------------------------------------------------------------------


def _finding(
    context: RuleContext, what: str, paths: list[AccessPath], because: Iterable[Provenance], fix: Iterable[str]
) -> Finding:
    found = [each for each in (_consequence(context, path) for path in paths) if each is not None]
    lines, unsaid = proof(because)
    severity = max((each.severity for each in found), default=Severity.LOW)
    if found:
        worst = min((each for each in found if each.severity is severity), key=lambda each: rank(each.path))
        message = f"{what}: possibly {worst.words}"
    elif paths:
        message = f"{what}: {counted(len(paths), 'access path')} {'depends' if len(paths) == 1 else 'depend'} on it"
    else:
        message = what
    if paths and context.nobody:
        severity = max(severity, Severity.MEDIUM)
        message += ", or nobody can log in at all"
    ranked = sorted(found, key=lambda each: (-each.severity, rank(each.path)))
    opens = tuple(each.path for each in ranked) or tuple(sorted(paths, key=rank))
    return Finding("", severity, message, lines, unsaid[:1], opens, tuple(fix), possible=True)


def _consequence(context: RuleContext, path: AccessPath) -> Consequence | None:
    """What a path would mean if it were open; None where it would be no fault."""
    index = context.exposure.credentials
    written = all(context.exposure.forms(number) for number in path.needs)
    names = [name for number in path.needs for name in index.names[number]]
    where = "at the port" if path.sources is None else f"from {', '.join(from_phrase(context.exposure, path))}"
    way = f"the {context.resolved.ports[path.via].label}" if path.via in PORTS else f"{way_label(path.via)} {where}"
    level = f"level {path.level}"
    knowing = f"knowing {needs_phrase(context.exposure, path)}"
    effort = AttackerEffort.SECRET_EXPOSED
    if not path.needs:
        effort, words = AttackerEffort.NOTHING, f"{way} without a password, {level}"
    elif path.via in _CLEAR_TEXT:
        words = f"{way} with passwords in clear text, {level}"
    elif written:
        words = f"{way} with what the configuration discloses, {level}"
    elif len(path.needs) == 1 and any(name.startswith(_SHARED) for name in names):
        words = f"{way} with one shared password, {level}"
    elif path.sources is not None and context.outside(path.sources):
        effort, words = AttackerEffort.SECRET_NEEDED, f"{way}, {knowing}, {level}"
    else:
        return None
    return Consequence(context.severity([path], effort), words, path)
