"""Results as tables: the rows that ``to_frame`` makes a pandas DataFrame of."""

from collections.abc import Callable, Iterable, Iterator, Mapping
from typing import Any

from overhang.auditing.findings import Severity
from overhang.auditing.report import AuditReport
from overhang.auditing.results import DeviceAudit, ReportedFinding
from overhang.exposure.phrases import from_phrase, needs_phrase
from overhang.simulation import Result

Row = dict[str, Any]


def rows_of(results: Any, of: str) -> Iterator[Row]:
    """The rows of results; see ``overhang.to_frame``. Raises ValueError for a kind of row that there is not."""
    if isinstance(results, AuditReport):
        if of not in _OF_AUDIT:
            raise ValueError(f"no rows of an audit are called {of!r}; expected {', '.join(_OF_AUDIT)}")
        return _OF_AUDIT[of](results)
    if of != "findings":
        raise ValueError(f"only an audit has several kinds of rows, not {type(results).__name__}")
    kind = type(results).__name__
    if kind in _BY_KIND:  # named and not imported: what only changes need is imported by them
        return _BY_KIND[kind](results)
    if isinstance(results, Mapping):
        return _expectations(results)
    return _each(results)


# -- audits ------------------------------------------------------------------------------------------------------------


def _about(audit: DeviceAudit) -> Row:
    return {"device": audit.name, "kind": audit.kind, "site": audit.site}


def _finding(finding: ReportedFinding) -> Row:
    return {
        "rule": finding.rule,
        "severity": finding.severity.word,
        "possible": finding.possible,
        "message": finding.message,
        "line": finding.lines[0].line if finding.lines else None,
        "fingerprint": finding.fingerprint,
    }


def _findings(report: AuditReport) -> Iterator[Row]:
    for audit in report.audits:
        for finding in audit.findings:
            yield {**_about(audit), "file": audit.file, **_finding(finding)}


def _devices(report: AuditReport) -> Iterator[Row]:
    for audit in report.audits:
        counts = {
            severity.word: sum(each.severity == severity and not each.possible for each in audit.findings)
            for severity in reversed(Severity)
        }
        marks = {each.aspect.name.lower(): each.mark.word for each in audit.checklist}
        worst = Severity(audit.worst).word if audit.worst >= 0 else None
        yield {**_about(audit), "file": audit.file, "profile": audit.profile, "worst": worst, **counts, **marks}


def _exposure(report: AuditReport) -> Iterator[Row]:
    for audit in report.audits:
        for each in audit.exposures:
            yield {
                **_about(audit),
                "via": each.via,
                "letter": each.letter,
                "level": each.level,
                "source": each.source,
                "needs": each.needs,
            }


def _network(report: AuditReport) -> Iterator[Row]:
    for each in report.network:
        yield {
            "rule": each.rule,
            "severity": each.severity.word,
            "message": each.message,
            "devices": list(each.devices),
        }


_OF_AUDIT: dict[str, Callable[[AuditReport], Iterator[Row]]] = {
    "findings": _findings,
    "devices": _devices,
    "exposure": _exposure,
    "network": _network,
}


# -- other results -----------------------------------------------------------------------------------------------------


def _expectations(results: Mapping[Any, Any]) -> Iterator[Row]:
    for expectation, found in results.items():
        for each in found:
            yield {"expectation": expectation.say, "device": each.device, "holds": each.holds, "why": each.why}


def _each(results: Iterable[Any]) -> Iterator[Row]:
    """Access paths, logins, devices, mends or rehearsals, several of a kind."""
    for each in results:
        kind = type(each).__name__
        if kind in _BY_KIND:
            yield from _BY_KIND[kind](each)
        else:
            yield each._asdict()


def _login(result: Result) -> Iterator[Row]:
    yield {
        "outcome": result.outcome,
        "level": result.level,
        "after_login": result.after_login,
        "elevation": result.elevation,
        "reason": result.reason,
        "decided_by": str(result.decided_by),
        "understood": result.understood,
    }


def _loaded(device: Any) -> Iterator[Row]:
    facts = device.device.facts
    yield {
        "device": device.name,
        "kind": facts.kind.value if facts.kind else None,
        "site": facts.site.value if facts.site else None,
        "file": device.file,
        "reader": device.config.reader,
        "understood": device.understood,
        "not_understood": len(device.config.unread),
    }


def _comparison(comparison: Any) -> Iterator[Row]:
    """A row for each access path gained or lost, each finding that is new or gone, each statement."""
    for device in comparison.devices:
        ways = device.difference.ways if device.difference is not None else None
        for what, changes, found in (("gained", ways.gained, ways.new), ("lost", ways.lost, ways.old)) if ways else ():
            for change in changes:
                yield {
                    "device": device.name,
                    "what": what,
                    "via": change.path.via,
                    "from": from_phrase(found, change.path),
                    "needs": needs_phrase(found, change.path),
                    "before": change.before,
                    "after": change.after,
                    "certain": change.sure,
                }
        for what in ("new", "gone"):
            for finding in getattr(device.findings, what):
                yield {"device": device.name, "what": f"finding {what}", **_finding(finding)}


def _rehearsal(rehearsal: Any) -> Iterator[Row]:
    for number, step in enumerate(rehearsal.steps, 1):
        yield {
            "step": number,
            "line": step.line,
            "statement": step.statement,
            "locked_out": list(step.locked_out),
            "gained": len(step.difference.gained) if step.difference is not None else 0,
            "lost": len(step.difference.lost) if step.difference is not None else 0,
            "comes_back": step.comes_back,
        }


def _mend(mend: Any) -> Iterator[Row]:
    for part in mend.parts:
        yield {
            "device": mend.name,
            "rule": part.rule,
            "severity": part.severity.word,
            "statements": list(part.lines),
            "left_out": None,
        }
    for each in mend.left_out:
        yield {
            "device": mend.name,
            "rule": each.rule,
            "severity": each.severity.word,
            "statements": [],
            "left_out": each.why,
        }


_BY_KIND: dict[str, Callable[[Any], Iterator[Row]]] = {
    "Comparison": _comparison,
    "Rehearsal": _rehearsal,
    "Mend": _mend,
    "Result": _login,
    "Devices": lambda devices: (row for each in devices for row in _loaded(each)),
    "LoadedDevice": _loaded,
}
