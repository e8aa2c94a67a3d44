"""The audit of one configuration: runs the rules, quotes and waives findings, lists what was not examined."""

import datetime
import hashlib
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import Any, NamedTuple

from overhang.auditing.checklist import ChecklistItem, checklist
from overhang.auditing.context import AccessPoint, RuleContext
from overhang.auditing.findings import Finding
from overhang.auditing.fleet import compared_secrets, fleet_fingerprint, with_digests
from overhang.auditing.registry import run_rules
from overhang.auditing.results import (
    DeviceAudit,
    Exposure,
    FleetFingerprint,
    LoginTrace,
    NotExamined,
    Opened,
    Quoted,
    ReportedFinding,
    TraceStep,
    Unsaid,
    Waived,
)
from overhang.auditing.waivers import waived_by
from overhang.auditing.wording import counted
from overhang.exposure import AccessPath, AccessPaths, resolve
from overhang.exposure.phrases import busy_phrase, from_phrase, hours_phrase, needs_phrase, servers_phrase
from overhang.language import ParsedConfig
from overhang.language.parsed_config import SourceText, StatementTexts
from overhang.model import StoredSecret
from overhang.model.hash_budget import HashBudget
from overhang.model.stored_secret import Form
from overhang.model.vocabulary import PORTS, way_label
from overhang.profiles import KEYS, UNKNOWN
from overhang.project import Project
from overhang.project.model import Waiver
from overhang.simulation import ResolvedDevice, Result
from overhang.text import Level

_MOST_OPENED = 24


def audit_config(
    config: ParsedConfig,
    project: Project,
    moment: datetime.datetime,
    key: bytes = b"",
    hashes: HashBudget | None = None,
    keep: Callable[[ResolvedDevice, AccessPaths], None] | None = None,
) -> DeviceAudit:
    """Audit a configuration under a project, by the clock of ``moment``: its findings, not folded yet.

    ``key`` is random and the same for a whole run: digests of passwords are compared under it across devices.
    ``hashes`` is what trying the device's hashes may cost; ``keep`` is handed what was worked out of the device.
    """
    resolved = resolve(config, project, hashes)
    context = RuleContext(resolved, project, moment)
    if keep is not None:
        keep(resolved, context.exposure)
    secrets = compared_secrets(config.device)
    return quoted(judged(context, config, loose_doubt(config)), config, secrets, project, key)


class Judged(NamedTuple):
    """What there is to say of a device before its own text is quoted, and its passwords are known by digests.

    ``device`` is its name. ``findings`` are without their access paths, which stand beside them as they are reported,
    with what profiles leave unsaid, and the waiver, if one holds.
    """

    device: str
    file: str
    kind: str | None
    site: str | None
    findings: tuple[tuple[Finding, tuple[Opened, ...], tuple[Unsaid, ...], Waiver | None], ...]
    profile: str | None
    profile_said: bool
    not_examined: tuple[NotExamined, ...]
    exposures: tuple[Exposure, ...]
    easiest: LoginTrace | None
    fingerprint: FleetFingerprint
    decided: bool
    checklist: tuple[ChecklistItem, ...]


def judged(
    context: RuleContext,
    config: ParsedConfig,
    doubt: bool,
    sources: Callable[[AccessPath], tuple[str, ...]] | None = None,
) -> Judged:
    """Run the rules. ``doubt``: a line was not understood of which nobody knows what it is about. ``sources`` says from
    where an access path can be taken, in place of words."""
    words = sources or (lambda path: tuple(from_phrase(context.exposure, path)))
    findings = []
    counting: list[Finding] = []
    for finding in run_rules(context):
        unsaid = tuple(
            Unsaid(each.profile, each.key, KEYS[each.key].show(context.resolved.facts[each.key].value))
            for each in finding.unsaid
        )
        waiver = waived_by(context.project, finding.rule, context.device.name, context.moment.date())
        opens = tuple(_opened(context, path, words) for path in finding.opens[:_MOST_OPENED])
        findings.append((finding._replace(opens=()), opens, unsaid, waiver))
        if waiver is None:
            counting.append(finding)
    facts = context.device.facts
    return Judged(
        context.device.name,
        context.device.file,
        facts.kind.value if facts.kind else None,
        facts.site.value if facts.site else None,
        tuple(findings),
        context.resolved.profile_name,
        context.resolved.profile_said,
        tuple(_not_examined(context, config)),
        tuple(exposures(context)),
        _easiest(context, words),
        fleet_fingerprint(context),
        context.all_found and all(path.sure for path in context.exposure.paths),
        tuple(checklist(context, counting, loose_doubt=doubt)),
    )


def quoted(
    found: Judged, text: SourceText, secrets: Iterable[StoredSecret], project: Project, key: bytes
) -> DeviceAudit:
    """What was judged, with the lines of the device's own text, and digests of its passwords (see
    ``compared_secrets``) under ``key``."""
    reported: list[ReportedFinding] = []
    waived: list[Waived] = []
    seen: Counter[tuple[str, ...]] = Counter()
    texts = StatementTexts(text)
    for finding, opens, unsaid, waiver in found.findings:
        each = _reported(text, finding, opens, unsaid, seen, texts)
        if waiver is not None:
            waived.append(Waived(each, waiver.reason, waiver.until))
        else:
            reported.append(each)
    return DeviceAudit(
        found.device,
        found.file,
        found.kind,
        found.site,
        found.profile,
        found.profile_said,
        tuple(reported),
        tuple(each for each in text.diagnostics if each.level is Level.ERROR),
        tuple(each for each in text.diagnostics if each.level is Level.WARNING),
        text.understood,
        len(text.unread),
        tuple(waived),
        found.not_examined,
        found.exposures,
        found.easiest,
        with_digests(found.fingerprint, secrets, key),
        project.file,
        text.reader,
        found.decided,
        text.incomplete,
        len(text.silent),
        found.checklist,
    )


def _reported(
    source: SourceText,
    finding: Finding,
    opens: tuple[Opened, ...],
    unsaid: tuple[Unsaid, ...],
    seen: Counter[tuple[str, ...]],
    texts: StatementTexts,
) -> ReportedFinding:
    lines = tuple(Quoted(origin.file, origin.line, source.quote_at(origin)) for origin in finding.lines)
    proof = (*(each for origin in finding.lines for each in texts.at(origin)), *(u.key for u in unsaid))
    content = (finding.rule, *sorted(proof))
    seen[content] += 1
    text = "\0".join((*content, str(seen[content])))
    digest = hashlib.sha256(text.encode("utf-8", "surrogatepass")).hexdigest()[:32]
    phrased = source.phrase(finding.fix) if source.phrase is not None and finding.fix else None
    return ReportedFinding(
        finding.rule,
        finding.severity,
        finding.message,
        lines,
        unsaid,
        opens,
        finding.fix,
        digest,
        phrased,
        finding.dedup_keys,
        (),
        finding.possible,
        finding.restores,
    )


def _opened(context: RuleContext, path: AccessPath, words: Callable[[AccessPath], tuple[str, ...]]) -> Opened:
    exposure = context.exposure
    wide = path.sources is not None and exposure.address_classes.wide(path.sources)
    return Opened(
        path.via,
        words(path),
        wide,
        needs_phrase(exposure, path),
        path.after_login,
        path.level,
        servers_phrase(exposure, path),
        busy_phrase(path),
        hours_phrase(exposure, path),
    )


# -- exposure ----------------------------------------------------------------------------------------------------------


def exposures(context: RuleContext) -> Iterator[Exposure]:
    """For each way, the least knowledge that reaches the highest level; and the ways of which nobody can tell."""
    index = context.exposure.credentials
    written = {number for number in range(len(index.names)) if context.exposure.forms(number)}
    certain = _highest(context.paths)
    for via, paths in certain.items():
        yield _exposure(context, via, paths, written)
    for via, paths in _highest(path for path in context.exposure.paths if path.via not in certain).items():
        yield _exposure(context, via, paths, written)._replace(letter="?")


def _highest(paths: Iterable[AccessPath]) -> dict[str, list[AccessPath]]:
    """For each way, the paths that reach the highest level."""
    top: dict[str, list[AccessPath]] = {}
    for path in paths:
        held = top.setdefault(path.via, [])
        if not held or path.level > held[0].level:
            top[path.via] = [path]
        elif path.level == held[0].level:
            held.append(path)
    return top


def _exposure(context: RuleContext, via: str, paths: Sequence[AccessPath], written: set[int]) -> Exposure:
    def wide(path: AccessPath) -> bool:
        return path.sources is not None and context.exposure.address_classes.wide(path.sources)

    path = min(paths, key=lambda each: (len(each.needs - written), len(each.needs), not wide(each)))
    source = "port" if via in PORTS else "anywhere" if wide(path) else "limited"
    return Exposure(via, _letter(context, path, written), path.level, needs_phrase(context.exposure, path), source)


def _letter(context: RuleContext, path: AccessPath, written: set[int]) -> str:
    if not path.needs:
        return "N"
    if path.needs <= written:
        return "R"
    if len(path.needs) > 1:
        return "T"
    shared = ("entry:", "elevation:", "community:")
    return "S" if any(name.startswith(shared) for name in context.names_of(path)) else "A"


def trace_of(device: str, caption: str, result: Result) -> LoginTrace:
    """A login as a trace; ``result`` is how it ended."""
    steps = tuple(TraceStep(step.stage.value, step.reason, str(step.origin)) for step in result.trace)
    return LoginTrace(device, caption, steps, result.outcome, result.level)


def _easiest(context: RuleContext, words: Callable[[AccessPath], tuple[str, ...]]) -> LoginTrace | None:
    """The login that reaches the highest level by knowing the least, remote ones first."""
    best: tuple[tuple[int, int, int], AccessPoint, AccessPath] | None = None
    for point in context.access_points:
        for path in point.paths:
            rank = (-path.level, len(path.needs), int(path.sources is None))
            if best is None or rank < best[0]:
                best = (rank, point, path)
    if best is None:
        return None
    _, point, path = best
    result = context.shown(point, path)
    where = "at the port" if path.sources is None else f"from {', '.join(words(path))}"
    caption = f"{_way(context, path)}, {where}, knowing {needs_phrase(context.exposure, path)}"
    return trace_of(context.device.name, caption, result) if result is not None else None


def _way(context: RuleContext, path: AccessPath) -> str:
    return way_label(path.via) if path.sources is not None else f"the {context.resolved.ports[path.via].label}"


def loose_doubt(config: ParsedConfig) -> bool:
    """Whether a line was not understood of which it is not known which block it is about."""
    device = config.device
    parts: tuple[Any, ...] = (
        *(device.facts, device.console, device.auxiliary, device.ssh, device.telnet, device.web, device.snmp),
        *(device.passwords, device.management, *device.vtys.values(), *device.elevations.values()),
        *(each for held in (device.users, device.roles, device.lists, device.groups) for each in held.values()),
        *(each for held in (device.sources, device.doors, device.banners) for each in held.values()),
        *device.addresses,
    )
    placed = {part.block.doubt.line for part in parts if part.block.doubt is not None}
    return bool(set(config.unread) - placed) or device.facts.block.declared


# -- what was not examined ---------------------------------------------------------------------------------------------


def _not_examined(context: RuleContext, config: ParsedConfig) -> Iterator[NotExamined]:
    device, resolved = context.device, context.resolved
    if config.unread:
        yield NotExamined(f"{counted(len(config.unread), 'line')} of the configuration", "not understood")
    if config.incomplete:
        yield NotExamined("what the configuration leaves out", "it says that it may hold more than it states")
    if resolved.profile_name is None:
        yield NotExamined("whatever is not configured", "no profile of this name is known")
    elif all(fact.value is UNKNOWN for fact in resolved.facts.values()):
        why = "the data's modules do not state it, and no profile is named in it"
        yield NotExamined("whatever is not configured", why)
    if not context.exposure.complete:
        yield NotExamined("some access paths", context.exposure.why_incomplete)
    unsure = sum(not path.sure for path in context.exposure.paths)
    if unsure:
        yield NotExamined(counted(unsure, "access path"), "cannot be decided: they depend on facts that are unknown")
    hidden = (Form.OPAQUE, Form.WITHHELD, Form.MASKED_ELSEWHERE)
    if any(place.said.value.form in hidden for place in context.passwords):
        why = "their stored form is opaque, withheld, or masked by an unknown scheme"
        yield NotExamined("whether some passwords are easily guessed", why)
    for what, why in context.not_examined:
        yield NotExamined(what, why)
    asked = {said.value.group for methods in device.lists.values() for said in methods.methods if said.value.group}
    for group in sorted(asked & set(device.groups)):
        if context.project.servers is None or group not in context.project.servers:
            why = "the project file does not state what its servers hold"
            yield NotExamined(f"the accounts of server group {group}", why)
    if any(said.value.kind == "unknown" for said in device.ssh.host_keys):
        yield NotExamined("the SSH host key", "it is not in this export; state it with host-key")
    if device.web.certificate is not None and device.web.certificate.value == "unknown":
        yield NotExamined("the certificate", "it is not in this export; state it with certificate")
    if not device.addresses:
        yield NotExamined("on which addresses the device answers", "no address is configured")
