"""What the first screen of the page says to whoever answers for the network: how bad, where, why, and since when."""

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from typing import NamedTuple

from overhang.auditing.findings import Severity
from overhang.auditing.report import AuditReport
from overhang.auditing.results import DeviceAudit
from overhang.auditing.rules.pages import page_of
from overhang.report.audit_summary import by_rule, in_doubt, only_new, worst_phrase
from overhang.report.lines import count, cut

_MOST = 5
_WHY = 120


class Share(NamedTuple):
    """How many devices are how bad: a severity's word, or "clean", and what it is called; in hundredths of all, at
    least one where there are any."""

    kind: str
    word: str
    devices: int
    percent: float


class Worst(NamedTuple):
    """One of the worst devices: its place in the report, in a sentence why, and how many others have just the same
    findings."""

    place: int
    audit: DeviceAudit
    severity: str
    possible: bool
    why: str
    more: str
    alike: int


class Matters(NamedTuple):
    """One of the rules that matter most: on how many devices it fires, and what it is about. ``worst`` is its severity
    as it is shown."""

    rule: str
    severity: str
    worst: str
    devices: int
    title: str


class Moved(NamedTuple):
    """How many findings of a severity there were, and are now."""

    word: str
    before: int
    now: int


class Site(NamedTuple):
    """The devices of a site, by kind, and how many of them are how bad."""

    name: str
    kinds: Mapping[str, Sequence[int]]
    devices: int
    urgent: int
    words: Mapping[str, int]


def shares(report: AuditReport) -> list[Share]:
    """How many devices are how bad, worst first; those without certain findings last."""
    worst = Counter(audit.worst for audit in report.audits)
    total = max(1, len(report.audits))
    rows = [(severity.word, severity.word, worst[severity]) for severity in reversed(Severity)]
    rows.append(("clean", "nothing new" if only_new(report) else "clean", worst[-1]))
    return [Share(kind, word, number, max(100 * number / total, 1.5)) for kind, word, number in rows if number]


def doubtful(report: AuditReport) -> int:
    """How many devices could not be fully judged."""
    return sum(map(in_doubt, report.audits))


def worst_devices(report: AuditReport) -> list[Worst]:
    """The worst devices, and why; of those with the same findings, one."""
    groups: dict[object, list[int]] = {}
    for place in sorted(range(len(report.audits)), key=lambda place: report.audits[place].rank):
        kinds = tuple((each.rule, each.severity, each.possible) for each in report.audits[place].findings)
        groups.setdefault(kinds, []).append(place)
    found = []
    for place, *others in list(groups.values())[:_MOST]:
        audit = report.audits[place]
        if audit.findings:
            first = audit.findings[0]
            alike = sum((each.severity, each.possible) == (first.severity, first.possible) for each in audit.findings)
            more = f"and {alike - 1} more {first.severity.word}" if alike > 1 else ""
            word = first.severity.word
            found.append(Worst(place, audit, word, first.possible, cut(first.message, _WHY), more, len(others)))
    return found


def rules_that_matter(report: AuditReport) -> list[Matters]:
    """The rules that matter most: the worst first, then those that fire on most devices."""
    return [
        Matters(
            rule,
            severity.word,
            worst_phrase(severity, held),
            len({audit.file for audit, _ in held}),
            page_of(rule).title,
        )
        for rule, severity, held in by_rule(report)[:_MOST]
    ]


def moved(report: AuditReport) -> list[Moved]:
    """How many findings of each severity there were in the earlier report, and are now; none without one, nor where the
    known findings are left out."""
    change = report.change
    if change is None or change.filtered:  # what is left out cannot be counted here
        return []
    now = Counter(report.severities())
    new, gone = (Counter(each.severity for each in several) for several in (change.new, change.gone))
    rows = (
        (severity, now[severity] - new[severity] + gone[severity], now[severity]) for severity in reversed(Severity)
    )
    return [Moved(severity.word, before, after) for severity, before, after in rows if before or after]


def trend(rows: Sequence[Moved]) -> str:
    """In which direction it goes, in words: by the worst severity of which the number changed."""
    for each in rows:
        if each.now != each.before:
            return f"{'more' if each.now > each.before else 'fewer'} {each.word} findings than then"
    return "as many findings of each severity as then"


def sites_of(report: AuditReport) -> list[Site]:
    """The devices by site and kind, by their places in the report; the sites first where most needs fixing now."""
    places: dict[str, dict[str, list[int]]] = {}
    for place, audit in enumerate(report.audits):
        places.setdefault(audit.site or "", {}).setdefault(audit.kind or "", []).append(place)
    found = [_site(report, name, kinds) for name, kinds in places.items()]
    return sorted(found, key=lambda site: (-site.urgent, -site.devices, site.name))


def _site(report: AuditReport, name: str, kinds: Mapping[str, Sequence[int]]) -> Site:
    audits = [report.audits[place] for several in kinds.values() for place in several]
    urgent = sum(audit.worst >= Severity.HIGH for audit in audits)
    words = {each.word: sum(audit.worst == each for audit in audits) for each in reversed(Severity)}
    ordered = dict(sorted(kinds.items(), key=lambda each: (-len(each[1]), each[0])))
    return Site(name, ordered, len(audits), urgent, {word: number for word, number in words.items() if number})


def ways_table(report: AuditReport, letters: Sequence[str]) -> Iterator[tuple[str, list[int]]]:
    """For each way, on how many devices it takes how little to get in by it to the highest level."""
    from overhang.report.charts import cells_of, column_label, columns_of

    cells = [cells_of(audit) for audit in report.audits]
    for via in columns_of(report):
        held = Counter(each[via].letter for each in cells if via in each)
        yield column_label(via), [held[letter] for letter in letters]


def devices_phrase(number: int) -> str:
    """So many devices."""
    return count(number, "device")
