"""Folding findings that report the same fault, after filters and waivers have acted: so the first that is shown speaks.

Every rule runs, and nothing that one finds depends on another. A finding whose faults were all reported by an earlier
one, at least as severe, is folded into it; what folded it names its rule.
"""

from collections.abc import Callable, Iterable, Sequence
from typing import TypeVar

from overhang.auditing.findings import DedupKey, Fault, Finding, Severity
from overhang.auditing.results import DeviceAudit, ReportedFinding

AnyFinding = TypeVar("AnyFinding", Finding, ReportedFinding)
#: Which findings are wanted, by rule and severity.
Wanted = Callable[[str, Severity], bool]
#: The fault of a device that nobody configured stands for every other.
_EVERYTHING = Fault.UNCONFIGURED.at()


def every(rule: str, severity: Severity) -> bool:
    """Any finding is wanted."""
    del rule, severity
    return True


def fold(findings: Iterable[AnyFinding]) -> list[AnyFinding]:
    """The findings that speak, worst first, then by rule and line; ``also`` of each names the rules folded into it."""
    cited: dict[tuple[str, int], int] = {}
    kept: list[AnyFinding] = []
    folded: list[dict[str, None]] = []
    holders: dict[DedupKey, int] = {}
    for each in findings:
        at = _holder(each.dedup_keys, holders, cited)
        if at is not None and kept[at].severity >= each.severity and kept[at].possible <= each.possible:
            folded[at][each.rule] = None
            continue
        for key in each.dedup_keys:
            holders[key] = len(kept) if at is not None else holders.get(key, len(kept))
        for line in each.lines:
            cited.setdefault((line.file, line.line), len(kept))
        kept.append(each)
        folded.append({})
    done = [
        each._replace(also=tuple(sorted(rule for rule in rules if rule != each.rule))) if rules or each.also else each
        for each, rules in zip(kept, folded, strict=True)
    ]
    return sorted(done, key=lambda each: (-each.severity, each.possible, each.rule, each.lines))


def _holder(keys: Sequence[DedupKey], holders: dict[DedupKey, int], cited: dict[tuple[str, int], int]) -> int | None:
    """The place of the finding that has reported all these faults, if there is one."""
    if _EVERYTHING in holders:
        return holders[_EVERYTHING]
    if keys and keys[0].fault is Fault.LINE:
        return cited.get(keys[0].subject)  # type: ignore[call-overload, no-any-return]
    return holders[keys[0]] if keys and all(key in holders for key in keys) else None


def shown(audit: DeviceAudit, wanted: Wanted = every) -> DeviceAudit:
    """The audit of a device with the findings that are wanted, folded."""
    return audit._replace(
        findings=tuple(fold(each for each in audit.findings if wanted(each.rule, each.severity))),
        waived=tuple(each for each in audit.waived if wanted(each.finding.rule, each.finding.severity)),
    )
