"""Sessions that stay open, and the banner before login."""

import re
from collections.abc import Iterator

from overhang.auditing import fixes
from overhang.auditing.context import RuleContext
from overhang.auditing.findings import Finding, Severity, stated
from overhang.auditing.registry import Topic
from overhang.auditing.timeouts import timeouts
from overhang.auditing.wording import listed
from overhang.model import Banner
from overhang.model.durations import describe_duration, format_duration
from overhang.profiles import UNKNOWN
from overhang.simulation import Provenance

rule = Topic("sessions and banners", 12)
_WELCOME = re.compile(r"\b(welcome|hello|greetings|come in|feel free|glad to|nice to see)\b", re.IGNORECASE)
_DISCLOSES = re.compile(
    r"\b(version|model|serial|firmware|release|rack|room|floor|street|phone|tel)\b[ .:#]*\S*\d", re.IGNORECASE
)


@rule("idle-timeout")
def idle_timeout(context: RuleContext) -> Iterator[Finding]:
    """Sessions that never time out when idle, or too late."""
    most = context.thresholds.idle
    found: dict[int | None, list[tuple[str, Provenance, str]]] = {}
    for point in context.access_points:
        for label, idle, head in timeouts(context, point) if point.paths else ():
            if idle.value is not UNKNOWN and (idle.value is None or idle.value > most):
                found.setdefault(idle.value, []).append((label, idle.origin, head))
    for policy in context.device.policies.values():
        key, said = ("policy", policy.name), policy.idle
        holds = any(key in point.met and point.paths for point in context.access_points)
        if said is not None and holds and (said.value is None or said.value > most):
            place = (f"logins of policy {policy.name}", said.origin, fixes.named("policy", policy.name))
            found.setdefault(said.value, []).append(place)
    for seconds, places in found.items():
        where = listed(label for label, _, _ in places)
        how = "never time out"
        if seconds is not None:
            how = f"time out after {describe_duration(seconds)}, above {describe_duration(most)}"
        message = f"sessions on {where} {how}: an unattended session stays usable"
        fix = fixes.blocks((head for _, _, head in places), f"idle {format_duration(most)}")
        severity = Severity.MEDIUM if seconds is None else Severity.LOW
        yield stated(severity, message, [origin for _, origin, _ in places], fix)


# -- banners -----------------------------------------------------------------------------------------------------------


def _banner(context: RuleContext) -> tuple[Banner | None, str]:
    """The banner before login, and its text."""
    banner = context.device.banners.get("before-login")
    return banner, "\n".join(banner.lines).strip() if banner is not None else ""


def _new_banner(*, again: bool) -> list[str]:
    gone = ["drop banner before-login"] if again else []
    return [*gone, *fixes.block("banner before-login", fixes.NEW_BANNER)]


@rule("no-banner")
def no_banner(context: RuleContext) -> Iterator[Finding]:
    """No banner before login."""
    banner, text = _banner(context)
    if text or not context.exposure.paths or (banner is not None and banner.block.doubt is not None):
        return
    at = banner.block.origin if banner is not None else context.device.facts.block.origin
    message = "no banner is shown before login: visitors are not told that access is restricted and logged"
    yield stated(Severity.LOW, message, [at] if at is not None else [], _new_banner(again=False))


@rule("banner-welcomes")
def banner_welcomes(context: RuleContext) -> Iterator[Finding]:
    """A banner that welcomes visitors."""
    banner, text = _banner(context)
    found = _WELCOME.search(text)
    if banner is not None and banner.block.origin is not None and found:
        message = f"the pre-login banner says “{found.group(0).lower()}”: an intruder can claim to have been invited"
        yield stated(Severity.LOW, message, _lines_with(banner, _WELCOME), _new_banner(again=True))


@rule("banner-discloses")
def banner_discloses(context: RuleContext) -> Iterator[Finding]:
    """A banner that discloses what helps an intruder."""
    banner, text = _banner(context)
    if banner is None or banner.block.origin is None or not text:
        return
    folded = text.casefold()
    told = {
        what: pattern
        for what, value in _details(context)
        if value and (value.casefold() in folded or not (folded + value).isascii())  # to make a pattern takes long
        if (pattern := re.compile(rf"(?<![\w-]){re.escape(value)}(?![\w-])", re.IGNORECASE)).search(text)
    }
    if _DISCLOSES.search(text):
        told["a model, version or location"] = _DISCLOSES
    if told:
        message = f"the pre-login banner discloses {listed(told)} to anyone who connects"
        yield stated(Severity.LOW, message, _lines_with(banner, *told.values()), _new_banner(again=True))


def _lines_with(banner: Banner, *patterns: re.Pattern[str]) -> list[Provenance]:
    """The lines of a banner that some patterns match; its block where they match over several lines only."""
    found: list[Provenance] = [
        origin
        for line, origin in zip(banner.lines, banner.origins, strict=True)
        if any(pattern.search(line) for pattern in patterns)
    ]
    return found or ([banner.block.origin] if banner.block.origin is not None else [])


def _details(context: RuleContext) -> Iterator[tuple[str, str]]:
    facts = context.device.facts
    yield "the device name", facts.name.value if facts.name is not None else ""
    yield "the site", facts.site.value if facts.site is not None else ""
    yield "the domain", facts.domain.value if facts.domain is not None else ""
    for account in context.device.users:
        yield "an account name", account if len(account) > 2 else ""
