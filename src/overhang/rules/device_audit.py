"""The audit of one sheet, as a value that no longer needs the sheet: what reports are made from."""

import datetime
import hashlib
from collections import Counter
from collections.abc import Iterator
from typing import NamedTuple

from overhang.login import Result, setting_of
from overhang.profiles import KEYS, UNKNOWN
from overhang.project import Project
from overhang.rules import Case, audit
from overhang.rules.case import Spot
from overhang.rules.model import Finding, Severity
from overhang.rules.network import Mark, mark, waived_by
from overhang.secrets import Form
from overhang.sheet import Sheet
from overhang.sheet.load import Phrased
from overhang.text import Diagnostic, Level
from overhang.ways import Way
from overhang.ways.phrases import from_phrase, needs_phrase, states_phrase, way_label

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


class Shown(NamedTuple):
    """A finding with its proof quoted. ``fingerprint`` stays the same when lines move.

    ``phrased`` is the remedy in the words of the device's own language, where it is not written as a sheet.
    """

    rule: str
    severity: Severity
    message: str
    lines: tuple[Quoted, ...]
    unsaid: tuple[Unsaid, ...]
    opens: tuple[Opened, ...]
    remedy: tuple[str, ...]
    fingerprint: str
    phrased: Phrased | None = None

    @property
    def mend(self) -> tuple[str, ...]:
        """The remedy for the person: in their device's own words where those say all of it."""
        return self.remedy if self.phrased is None or self.phrased.lines is None else self.phrased.lines


class Waived(NamedTuple):
    """A finding that somebody decided to live with: why, and until when."""

    finding: Shown
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


class Gate(NamedTuple):
    """One step of a login: its stage, what happened in one sentence, and the line or profile key that it comes by."""

    stage: str
    reason: str
    because: str


class Path(NamedTuple):
    """One login from the first gate to where it ends: what it tries, its steps, its outcome and level."""

    device: str
    caption: str
    gates: tuple[Gate, ...]
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
    findings: tuple[Shown, ...]
    errors: tuple[Diagnostic, ...]
    warnings: tuple[Diagnostic, ...]
    understood: int
    unread: int
    waived: tuple[Waived, ...]
    not_examined: tuple[NotExamined, ...]
    exposures: tuple[Exposure, ...]
    easiest: Path | None
    mark: Mark
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


def audit_sheet(sheet: Sheet, project: Project, moment: datetime.datetime, key: bytes = b"") -> DeviceAudit:
    """Audit a sheet under a project file, by the clock of ``moment``.

    ``key`` is random and the same for a whole run: digests of passwords are compared under it across devices.
    """
    device = sheet.device
    setting = setting_of(sheet, project)
    case = Case(setting, project, moment)
    shown: list[Shown] = []
    waived: list[Waived] = []
    seen: Counter[tuple[str, ...]] = Counter()
    for finding in audit(case):
        each = _shown(case, sheet, finding, seen)
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
        setting.profile_name,
        setting.profile_said,
        tuple(shown),
        tuple(each for each in sheet.diagnostics if each.level is Level.ERROR),
        tuple(each for each in sheet.diagnostics if each.level is Level.WARNING),
        sheet.understood,
        len(sheet.unread),
        tuple(waived),
        tuple(_not_examined(case, sheet)),
        tuple(exposures(case)),
        _easiest(case),
        mark(case, key),
        project.file,
        sheet.reader,
    )


def _shown(case: Case, sheet: Sheet, finding: Finding, seen: Counter[tuple[str, ...]]) -> Shown:
    lines = tuple(Quoted(origin.file, origin.line, sheet.quote_at(origin)) for origin in finding.lines)
    unsaid = tuple(
        Unsaid(each.profile, each.key, KEYS[each.key].show(case.setting.facts[each.key].value))
        for each in finding.unsaid
    )
    content = (finding.rule, case.device.name, *(each.text.strip() for each in lines), *(each.key for each in unsaid))
    seen[content] += 1
    text = "\0".join((*content, str(seen[content])))
    digest = hashlib.sha256(text.encode("utf-8", "surrogatepass")).hexdigest()[:32]
    opens = tuple(_opened(case, way) for way in finding.opens[:_MOST_OPENED])
    phrased = sheet.phrase(finding.remedy) if sheet.phrase is not None and finding.remedy else None
    return Shown(finding.rule, finding.severity, finding.message, lines, unsaid, opens, finding.remedy, digest, phrased)


def _opened(case: Case, way: Way) -> Opened:
    wide = way.sources is not None and case.ways.space.wide(way.sources)
    return Opened(
        way.via,
        tuple(from_phrase(case.ways, way)),
        wide,
        needs_phrase(case.ways, way),
        way.after_login,
        way.level,
        states_phrase(case.ways, way),
    )


def exposures(case: Case) -> Iterator[Exposure]:
    """For each way, the least knowledge that reaches the highest level."""
    top: dict[str, list[Way]] = {}
    for way in case.rows:
        held = top.setdefault(way.via, [])
        if not held or way.level > held[0].level:
            top[way.via] = [way]
        elif way.level == held[0].level:
            held.append(way)
    written = {number for number in range(len(case.ways.items.names)) if case.ways.forms(number)}
    for via, ways in top.items():
        way = min(ways, key=lambda each: (len(each.needs - written), len(each.needs)))
        yield Exposure(via, _letter(case, way, written), way.level, needs_phrase(case.ways, way))


def path_of(device: str, caption: str, result: Result) -> Path:
    """A login as a path; ``result`` is how it ended."""
    gates = tuple(Gate(step.stage, step.reason, str(step.origin)) for step in result.trace)
    return Path(device, caption, gates, result.outcome, result.level)


def _easiest(case: Case) -> Path | None:
    """The login that reaches the highest level by knowing the least, remote ones first."""
    best: tuple[tuple[int, int, int], Spot, Way] | None = None
    for spot in case.spots():
        for way in spot.rows:
            rank = (-way.level, len(way.needs), int(way.sources is None))
            if best is None or rank < best[0]:
                best = (rank, spot, way)
    if best is None:
        return None
    _, spot, way = best
    result = case.shown(spot, way)
    where = ", ".join(from_phrase(case.ways, way))
    label = way_label(way.via) if way.sources is not None else f"the {case.setting.ports[way.via].label}"
    place = f"from {where}" if way.sources is not None else "at the port"
    caption = f"{label}, {place}, knowing {needs_phrase(case.ways, way)}"
    return path_of(case.device.name, caption, result) if result is not None else None


def _letter(case: Case, way: Way, written: set[int]) -> str:
    if not way.needs:
        return "N"
    if way.needs <= written:
        return "R"
    if len(way.needs) > 1:
        return "T"
    names = case.names_of(way)
    return "S" if any(name.startswith(("entry:", "elevation:", "community:")) for name in names) else "A"


def _not_examined(case: Case, sheet: Sheet) -> Iterator[NotExamined]:
    """What was not looked at, and why."""
    device, setting = case.device, case.setting
    if sheet.unread:
        count = f"{len(sheet.unread)} line{'s' if len(sheet.unread) != 1 else ''} of the text"
        yield NotExamined(count, "not understood")
    if setting.profile_name is None:
        yield NotExamined("whatever the sheet leaves unsaid", "no profile of this name is known")
    elif all(fact.value is UNKNOWN for fact in setting.facts.values()):
        yield NotExamined("whatever the data leaves unsaid", "its modules do not say it, and no profile is named in it")
    if not case.ways.complete:
        yield NotExamined("some ways in", "too much is in doubt to follow all of it")
    unsure = sum(not way.sure for way in case.ways.ways)
    if unsure:
        yield NotExamined(f"{unsure} way{'s' if unsure != 1 else ''} in", "they hang on something that nobody can tell")
    hidden = [
        place
        for place in case.passwords()
        if place.said.value.form in (Form.OPAQUE, Form.WITHHELD, Form.MASKED_ELSEWHERE)
    ]
    if hidden:
        why = "opaque, withheld, or masked by a scheme not known here"
        yield NotExamined("whether passwords that cannot be compared here are easy ones", why)
    for what, why, _ in case.not_examined:
        yield NotExamined(what, why)
    asked = {said.value.group for methods in device.lists.values() for said in methods.methods if said.value.group}
    for group in sorted(asked & set(device.groups)):
        if case.project.servers is None or group not in case.project.servers:
            yield NotExamined(
                f"the accounts of server group {group}", "the project file does not say what its servers hold"
            )
    if any(said.value.kind == "unknown" for said in device.ssh.host_keys):
        yield NotExamined("the SSH host key", "the sheet says that it does not know")
    if device.web.certificate is not None and device.web.certificate.value == "unknown":
        yield NotExamined("the certificate", "the sheet says that it does not know")
    if not device.addresses:
        yield NotExamined("on which addresses the device answers", "the sheet states none")
