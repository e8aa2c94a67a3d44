"""The audit of one sheet, as a value that no longer needs the sheet: what reports are made from."""

import datetime
import hashlib
from collections import Counter
from collections.abc import Iterator
from typing import NamedTuple

from overhang.audit import RuleContext, audit
from overhang.audit.across import FleetFingerprint, mark, waived_by
from overhang.audit.context import AccessPoint
from overhang.audit.findings import Finding, Severity
from overhang.exposure import AccessPath, resolve
from overhang.exposure.phrases import from_phrase, needs_phrase, states_phrase
from overhang.language import ParsedConfig
from overhang.language.parsed_config import Phrased
from overhang.model.stored_secret import Form
from overhang.model.vocabulary import way_label
from overhang.profiles import KEYS, UNKNOWN
from overhang.project import Project
from overhang.simulate import Result
from overhang.text import Diagnostic, Level

_MOST_OPENED = 24


class Quoted(NamedTuple):
    """A line of a sheet, its secrets struck out."""

    file: str
    line: int
    text: str


class Unsaid(NamedTuple):
    """What a profile means by silence."""

    profile: str
    key: str
    value: str


class Opened(NamedTuple):
    """A way in that a finding opens: by what, from where, knowing what, how high after login and in the end, and when.

    ``anywhere`` tells that it can be taken from at least half of all addresses of a family.
    """

    via: str
    sources: tuple[str, ...]
    anywhere: bool
    needs: str
    after_login: int
    level: int
    servers: str


class ReportedFinding(NamedTuple):
    """A finding with its proof quoted. ``fingerprint`` stays the same when lines move.

    ``phrased`` is the remedy in the words of the device's own language, where it is not written as a sheet.
    """

    rule: str
    severity: Severity
    message: str
    lines: tuple[Quoted, ...]
    unsaid: tuple[Unsaid, ...]
    opens: tuple[Opened, ...]
    fix: tuple[str, ...]
    fingerprint: str
    phrased: Phrased | None = None

    @property
    def preferred_fix(self) -> tuple[str, ...]:
        """The remedy for the person: in their device's own words where those say all of it."""
        return self.fix if self.phrased is None or self.phrased.lines is None else self.phrased.lines


class Waived(NamedTuple):
    """A finding that somebody decided to live with: why, and until when."""

    finding: ReportedFinding
    reason: str
    until: datetime.date


class NotExamined(NamedTuple):
    """Something that the audit did not look at, and why."""

    what: str
    why: str


class Exposure(NamedTuple):
    """The least knowledge that reaches the highest level by a way: a letter of the exposure map.

    N: nothing; R: what stands readable or masked in the configuration; S: one shared password; A: an account's; T: two
    things or more. ``level`` is the highest that is reached so, ``needs`` says it in words.
    """

    via: str
    letter: str
    level: int
    needs: str


class TraceStep(NamedTuple):
    """One step of a login: its stage, what happened in one sentence, and the line or profile key that it comes by."""

    stage: str
    reason: str
    because: str


class LoginTrace(NamedTuple):
    """One login from the first gate to where it ends: what it tries, its steps, its outcome and level."""

    device: str
    caption: str
    gates: tuple[TraceStep, ...]
    outcome: str
    level: int | None


class DeviceAudit(NamedTuple):
    """What the audit says of one device. ``profile`` is None where it is not known; ``profile_said``: it is said.

    ``errors`` are the located reasons why lines were not understood; ``unread`` counts those lines, ``understood`` the
    others. ``warnings`` are remarks on lines that were understood. ``project`` is the file of the project that held,
    ``reader`` what read the device's text.
    """

    name: str
    file: str
    kind: str | None
    site: str | None
    profile: str | None
    profile_said: bool
    findings: tuple[ReportedFinding, ...]
    errors: tuple[Diagnostic, ...]
    warnings: tuple[Diagnostic, ...]
    understood: int
    unread: int
    waived: tuple[Waived, ...]
    not_examined: tuple[NotExamined, ...]
    exposures: tuple[Exposure, ...]
    easiest: LoginTrace | None
    mark: FleetFingerprint
    project: str
    reader: str

    @property
    def worst(self) -> int:
        """The worst severity, -1 without findings."""
        return max((finding.severity for finding in self.findings), default=-1)

    @property
    def rank(self) -> tuple[object, ...]:
        """Sorts devices worst first."""
        counts = [-sum(each.severity == severity for each in self.findings) for severity in reversed(Severity)]
        return (*counts, -self.unread, self.name, self.file)


def audit_sheet(config: ParsedConfig, project: Project, moment: datetime.datetime, key: bytes = b"") -> DeviceAudit:
    """Audit a sheet under a project file, by the clock of ``moment``.

    ``key`` is random and the same for a whole run: digests of passwords are compared under it across devices.
    """
    device = config.device
    resolved = resolve(config, project)
    context = RuleContext(resolved, project, moment)
    shown: list[ReportedFinding] = []
    waived: list[Waived] = []
    seen: Counter[tuple[str, ...]] = Counter()
    for finding in audit(context):
        each = _shown(context, config, finding, seen)
        waiver = waived_by(project, finding.rule, device.name, moment.date())
        if waiver is not None:
            waived.append(Waived(each, waiver.reason, waiver.until))
        else:
            shown.append(each)
    facts = device.facts
    return DeviceAudit(
        device.name,
        device.file,
        facts.kind.value if facts.kind else None,
        facts.site.value if facts.site else None,
        resolved.profile_name,
        resolved.profile_said,
        tuple(shown),
        tuple(each for each in config.diagnostics if each.level is Level.ERROR),
        tuple(each for each in config.diagnostics if each.level is Level.WARNING),
        config.understood,
        len(config.unread),
        tuple(waived),
        tuple(_not_examined(context, config)),
        tuple(exposures(context)),
        _easiest(context),
        mark(context, key),
        project.file,
        config.reader,
    )


def _shown(
    context: RuleContext, config: ParsedConfig, finding: Finding, seen: Counter[tuple[str, ...]]
) -> ReportedFinding:
    lines = tuple(Quoted(origin.file, origin.line, config.quote_at(origin)) for origin in finding.lines)
    unsaid = tuple(
        Unsaid(each.profile, each.key, KEYS[each.key].show(context.resolved.facts[each.key].value))
        for each in finding.unsaid
    )
    content = (
        finding.rule,
        context.device.name,
        *(each.text.strip() for each in lines),
        *(each.key for each in unsaid),
    )
    seen[content] += 1
    text = "\0".join((*content, str(seen[content])))
    digest = hashlib.sha256(text.encode("utf-8", "surrogatepass")).hexdigest()[:32]
    opens = tuple(_opened(context, path) for path in finding.opens[:_MOST_OPENED])
    phrased = config.phrase(finding.fix) if config.phrase is not None and finding.fix else None
    return ReportedFinding(
        finding.rule, finding.severity, finding.message, lines, unsaid, opens, finding.fix, digest, phrased
    )


def _opened(context: RuleContext, path: AccessPath) -> Opened:
    wide = path.sources is not None and context.exposure.address_classes.wide(path.sources)
    return Opened(
        path.via,
        tuple(from_phrase(context.exposure, path)),
        wide,
        needs_phrase(context.exposure, path),
        path.after_login,
        path.level,
        states_phrase(context.exposure, path),
    )


def exposures(context: RuleContext) -> Iterator[Exposure]:
    """For each way, the least knowledge that reaches the highest level."""
    top: dict[str, list[AccessPath]] = {}
    for path in context.paths:
        held = top.setdefault(path.via, [])
        if not held or path.level > held[0].level:
            top[path.via] = [path]
        elif path.level == held[0].level:
            held.append(path)
    written = {number for number in range(len(context.exposure.credentials.names)) if context.exposure.forms(number)}
    for via, exposure in top.items():
        path = min(exposure, key=lambda each: (len(each.needs - written), len(each.needs)))
        yield Exposure(via, _letter(context, path, written), path.level, needs_phrase(context.exposure, path))


def trace_of(device: str, caption: str, result: Result) -> LoginTrace:
    """A login as a path; ``result`` is how it ended."""
    gates = tuple(TraceStep(step.stage, step.reason, str(step.origin)) for step in result.trace)
    return LoginTrace(device, caption, gates, result.outcome, result.level)


def _easiest(context: RuleContext) -> LoginTrace | None:
    """The login that reaches the highest level by knowing the least, remote ones first."""
    best: tuple[tuple[int, int, int], AccessPoint, AccessPath] | None = None
    for point in context.access_points():
        for path in point.paths:
            rank = (-path.level, len(path.needs), int(path.sources is None))
            if best is None or rank < best[0]:
                best = (rank, point, path)
    if best is None:
        return None
    _, point, path = best
    result = context.shown(point, path)
    where = ", ".join(from_phrase(context.exposure, path))
    label = way_label(path.via) if path.sources is not None else f"the {context.resolved.ports[path.via].label}"
    place = f"from {where}" if path.sources is not None else "at the port"
    caption = f"{label}, {place}, knowing {needs_phrase(context.exposure, path)}"
    return trace_of(context.device.name, caption, result) if result is not None else None


def _letter(context: RuleContext, path: AccessPath, written: set[int]) -> str:
    if not path.needs:
        return "N"
    if path.needs <= written:
        return "R"
    if len(path.needs) > 1:
        return "T"
    names = context.names_of(path)
    return "S" if any(name.startswith(("entry:", "elevation:", "community:")) for name in names) else "A"


def _not_examined(context: RuleContext, config: ParsedConfig) -> Iterator[NotExamined]:
    """What was not looked at, and why."""
    device, resolved = context.device, context.resolved
    if config.unread:
        count = f"{len(config.unread)} line{'s' if len(config.unread) != 1 else ''} of the text"
        yield NotExamined(count, "not understood")
    if resolved.profile_name is None:
        yield NotExamined("whatever the sheet leaves unsaid", "no profile of this name is known")
    elif all(fact.value is UNKNOWN for fact in resolved.facts.values()):
        yield NotExamined("whatever the data leaves unsaid", "its modules do not say it, and no profile is named in it")
    if not context.exposure.complete:
        yield NotExamined("some ways in", "too much is in doubt to follow all of it")
    unsure = sum(not path.sure for path in context.exposure.paths)
    if unsure:
        yield NotExamined(f"{unsure} way{'s' if unsure != 1 else ''} in", "they hang on something that nobody can tell")
    hidden = [
        place
        for place in context.passwords()
        if place.said.value.form in (Form.OPAQUE, Form.WITHHELD, Form.MASKED_ELSEWHERE)
    ]
    if hidden:
        why = "opaque, withheld, or masked by a scheme not known here"
        yield NotExamined("whether passwords that cannot be compared here are easy ones", why)
    for what, why, _ in context.not_examined:
        yield NotExamined(what, why)
    asked = {said.value.group for methods in device.lists.values() for said in methods.methods if said.value.group}
    for group in sorted(asked & set(device.groups)):
        if context.project.servers is None or group not in context.project.servers:
            yield NotExamined(
                f"the accounts of server group {group}", "the project file does not say what its servers hold"
            )
    if any(said.value.kind == "unknown" for said in device.ssh.host_keys):
        yield NotExamined("the SSH host key", "the sheet says that it does not know")
    if device.web.certificate is not None and device.web.certificate.value == "unknown":
        yield NotExamined("the certificate", "the sheet says that it does not know")
    if not device.addresses:
        yield NotExamined("on which addresses the device answers", "the sheet states none")
