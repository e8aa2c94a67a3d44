"""Management that does not pass through the VTYs: the web, SNMP, other services."""

import datetime
from collections.abc import Iterator, Mapping

from overhang.auditing import fixes
from overhang.auditing.context import RuleContext
from overhang.auditing.findings import Fault, Finding, origins_of
from overhang.auditing.registry import Topic
from overhang.auditing.rules import entries
from overhang.auditing.rules.common import by_cause, check_keys, crossing, unauthenticated, verb
from overhang.auditing.rules.passwords import guessed, guessed_finding
from overhang.auditing.severity import AttackerEffort
from overhang.auditing.wording import listed
from overhang.exposure import AccessPath
from overhang.model import Community
from overhang.model.stored_secret import Form
from overhang.model.vocabulary import DOOR, WEB_WAYS
from overhang.simulation import Provenance, Reason, Stage

rule = Topic("web and other services", 8)


# -- the web -----------------------------------------------------------------------------------------------------------


@rule("web-no-authentication", after="password-ignored vty-weaker-than-others")
def web_no_authentication(context: RuleContext) -> Iterator[Finding]:
    """Web management that asks for nothing, or for an enable secret that is not set."""
    yield from entries.no_authentication(context, lambda point: point.via in WEB_WAYS)
    yield from entries.anyone_passes(
        context,
        Reason.ELEVATION_UNSET_ADMITS,
        "for the enable secret but none is set",
        lambda point: point.via in WEB_WAYS,
    )


@rule("http-enabled")
def http_enabled(context: RuleContext) -> Iterator[Finding]:
    """HTTP by which a login succeeds."""
    http, https = context.by_ways("http"), context.by_ways("https")
    if not http:
        return
    beside = " alongside HTTPS" if https else ""
    needing = [path for path in http if path.needs]
    typed = crossing(context, needing)
    message = f"web management is accepted over HTTP{beside}: {typed} the network in clear text"
    needed = any(levels.get("http", -1) > _besides(levels, "http") for levels in context.levels.values())
    instead = ["tls 1.2 1.3", "https on"] if not https and needed else []
    fix = fixes.block("web", *instead, "http off")  # whoever needs the pages has HTTPS before HTTP ends
    effort = AttackerEffort.SECRET_EXPOSED  # also where nothing is asked: a session can be read and taken over
    because = [context.resolved.services["http"].on.origin]
    yield context.opened(message, because, http, effort, fix, Fault.WEB.at())


def _besides(levels: Mapping[str, int], way: str) -> int:
    """The highest level that somebody reaches by other ways, -1 for none."""
    return max((level for via, level in levels.items() if via != way), default=-1)


@rule("web-alongside-ssh", after="http-enabled")
def web_alongside_ssh(context: RuleContext) -> Iterator[Finding]:
    """Web management beside VTYs that accept SSH only."""
    https = context.by_ways("https")
    accepts = {
        via
        for view in context.vtys
        if isinstance(view.accept.value, tuple) and view.closed is None
        for via in view.accept.value
    }
    if https and accepts == {"ssh"} and context.by_ways("ssh"):
        message = "the VTYs accept SSH only, but web management does not pass through the VTYs and still answers HTTPS"
        because = [context.resolved.services["https"].on.origin]
        fix = fixes.block("web", "https off")
        yield context.opened(message, because, https, AttackerEffort.SECRET_NEEDED, fix, Fault.WEB.at())


@rule("web-shared-secret")
def web_shared_secret(context: RuleContext) -> Iterator[Finding]:
    """Web management that asks for the enable secret."""
    for point in context.access_points:
        if point.via not in WEB_WAYS:
            continue
        paths = [path for path in context.needing("elevation:15", point.paths) if path.after_login == 15]
        result = context.shown(point, paths[0]) if paths else None
        if result is not None and any(step.code is Reason.CHECK_ELEVATION for step in result.trace):
            message = "web management asks for the enable secret, which everybody shares, and gives level 15 at once"
            because = origins_of(result.trace, Stage.AUTHENTICATION)
            fix = fixes.block("web", "check users") + fixes.accounts(context, point.via)
            yield context.opened(message, because, paths, AttackerEffort.SECRET_EXPOSED, fix)
            return


@rule("tls-old-version")
def tls_old_version(context: RuleContext) -> Iterator[Finding]:
    """TLS versions that RFC 8996 deprecates."""
    said, paths = context.device.web.tls, context.by_ways("https")
    old = [version for version in said.value if version in ("1.0", "1.1")] if said is not None else []
    if said is not None and old and paths:
        message = f"HTTPS accepts TLS {listed(old)}, which is deprecated: a session may be read or changed in transit"
        kept = [version for version in said.value if version not in old] or ["1.2", "1.3"]
        fix = fixes.block("web", f"tls {' '.join(kept)}")
        yield context.opened(message, [said.origin], paths, AttackerEffort.SECRET_NEEDED, fix)


# -- the certificate ---------------------------------------------------------------------------------------------------

_HABIT = "people learn to ignore the browser's warning, and then ignore it for an impostor"


def _renewed(context: RuleContext) -> list[str]:
    today = context.moment.date()
    return fixes.block("web", f"certificate-valid {today} to {today + datetime.timedelta(days=365)}")


@rule("certificate-expired")
def certificate_expired(context: RuleContext) -> Iterator[Finding]:
    """A certificate whose last day is past."""
    said, paths = context.device.web.certificate_valid, context.by_ways("https")
    if said is not None and paths and said.value.end < context.moment.date():
        message = f"the certificate expired on {said.value.end}: {_HABIT}"
        yield context.opened(message, [said.origin], paths, AttackerEffort.SECRET_NEEDED, _renewed(context))


@rule("certificate-not-yet-valid")
def certificate_not_yet_valid(context: RuleContext) -> Iterator[Finding]:
    """A certificate whose first day is to come."""
    said, paths = context.device.web.certificate_valid, context.by_ways("https")
    today = context.moment.date()
    if said is not None and paths and said.value.end >= today < said.value.start:
        message = f"the certificate is not valid before {said.value.start}: {_HABIT}"
        yield context.opened(message, [said.origin], paths, AttackerEffort.SECRET_NEEDED, _renewed(context))


@rule("certificate-expires-soon")
def certificate_expires_soon(context: RuleContext) -> Iterator[Finding]:
    """A certificate whose last day is near."""
    said, today = context.device.web.certificate_valid, context.moment.date()
    limit = context.thresholds.certificate_days
    if said is None or not context.by_ways("https") or not said.value.start <= today <= said.value.end:
        return
    left = (said.value.end - today).days
    if left < limit:
        message = f"the certificate expires on {said.value.end}, in {left} days, below {limit}: after that {_HABIT}"
        yield context.opened(message, [said.origin], [], AttackerEffort.SECRET_NEEDED, _renewed(context))


@rule("certificate-self-signed")
def certificate_self_signed(context: RuleContext) -> Iterator[Finding]:
    """A certificate that no authority has issued."""
    said, paths = context.device.web.certificate, context.by_ways("https")
    if said is not None and said.value == "self-signed" and paths:
        message = "the certificate is self-signed: browsers cannot tell the device from an impostor"
        fix = fixes.block("web", "certificate issued")
        yield context.opened(message, [said.origin], paths, AttackerEffort.SECRET_NEEDED, fix)


@rule("certificate-weak-key")
def certificate_weak_key(context: RuleContext) -> Iterator[Finding]:
    """A certificate with a small key."""
    said, paths = context.device.web.certificate_key, context.by_ways("https")
    if said is None or not paths:
        return
    kind, bits = said.value
    least = context.thresholds.rsa_bits if kind == "rsa" else context.thresholds.ecdsa_bits
    if (bits or 0) < least:
        message = (
            f"the certificate's key is {kind.upper()} with {bits} bits, below {least}: whoever breaks it can "
            "impersonate the device"
        )
        fix = fixes.block("web", "certificate-key ecdsa 256")
        yield context.opened(message, [said.origin], paths, AttackerEffort.SECRET_NEEDED, fix)


# -- other services ----------------------------------------------------------------------------------------------------


@rule("door-no-authentication", after="password-ignored vty-weaker-than-others")
def door_no_authentication(context: RuleContext) -> Iterator[Finding]:
    """Other services that ask for nothing, or for an enable secret that is not set."""
    yield from entries.no_authentication(context, lambda point: point.via.startswith(DOOR))
    what = "for the enable secret but none is set"
    door = DOOR
    yield from entries.anyone_passes(
        context, Reason.ELEVATION_UNSET_ADMITS, what, lambda point: point.via.startswith(door)
    )


# -- SNMP --------------------------------------------------------------------------------------------------------------


def _snmp_on(context: RuleContext) -> bool:
    return bool(context.resolved.services["snmp"].on.value == "on")


@rule("snmp-reversible")
def snmp_reversible(context: RuleContext) -> Iterator[Finding]:
    """Communities that are stored in clear text or masked."""
    places = [
        place
        for place in context.passwords
        if place.item.startswith("community:") and (place.said.value.readable or place.said.value.masked)
    ]
    if not places or not _snmp_on(context):
        return
    be, it = ("is", "it") if len(places) == 1 else ("are", "them")
    form = "in clear text" if all(place.said.value.readable for place in places) else "reversibly"
    labels = listed(place.label for place in places)
    message = f"{labels} {be} stored {form}: any copy of the configuration discloses {it}"
    paths = context.opened_by({place.item for place in places}, context.by_ways("snmp"))
    because = [place.said.origin for place in places]
    yield context.opened(message, because, paths, AttackerEffort.SECRET_EXPOSED, fixes.communities(context))


def _communities(context: RuleContext) -> Iterator[tuple[int, Provenance, Community, list[AccessPath]]]:
    """Each community, numbered from 1, with its line and the access paths that it opens."""
    on = _snmp_on(context)
    free = [path for path in context.by_ways("snmp") if not path.needs] if on else []
    for number, said in enumerate(context.device.snmp.communities, 1):
        own = [path for path in context.needing(f"community:{number}") if path.via == "snmp"] if on else []
        if not own and said.value.password.form is Form.FACTORY:
            own = free
        yield number, said.origin, said.value, own


@rule("snmp-writable")
def snmp_writable(context: RuleContext) -> Iterator[Finding]:
    """Communities that may write."""
    for number, origin, community, paths in _communities(context):
        if community.write and paths:
            message = (
                f"SNMP community {number} may write: anyone who knows it can change everything, without an account"
            )
            top = [path for path in paths if path.level == 15]
            fix = fixes.communities(context, number, write=False)
            yield context.opened(message, [origin], top, AttackerEffort.SECRET_NEEDED, fix)


@rule("snmp-from-anywhere")
def snmp_from_anywhere(context: RuleContext) -> Iterator[Finding]:
    """Communities that may be used from any address."""
    for number, origin, _, paths in _communities(context):
        wide = context.wide(paths)
        if wide:
            message = (
                f"SNMP community {number} may be used from any address: anyone who can reach the device can try it"
            )
            name, made = fixes.management_list(context)
            fix = made + fixes.communities(context, number, limit=name)
            key = Fault.ANYWHERE.at(("snmp", number))
            yield context.opened(message, [origin], wide, AttackerEffort.SECRET_NEEDED, fix, key)


@rule("snmp-old-version")
def snmp_old_version(context: RuleContext) -> Iterator[Finding]:
    """SNMP of a version before 3."""
    snmp, paths = context.device.snmp, context.by_ways("snmp")
    old = [version for version in (snmp.versions.value if snmp.versions is not None else (1, 2)) if version < 3]
    if not snmp.communities or not old or not paths or not _snmp_on(context):
        return
    because: list[Provenance] = [said.origin for said in snmp.communities]
    how = "no version is configured, so its communities work with"
    if snmp.versions is not None:
        because, how = [snmp.versions.origin], "SNMP accepts"
    message = f"{how} version {listed(map(str, old))}: the community crosses the network in clear text"
    fix = fixes.block("snmp", "versions 3")
    yield context.opened(message, because, paths, AttackerEffort.SECRET_EXPOSED, fix)


@rule("snmp-guessable", after="guessable-password")
def snmp_guessable(context: RuleContext) -> Iterator[Finding]:
    """Communities that are a name on the device or among the most common passwords."""
    for place, why in guessed(context):
        if place.item.startswith("community:"):
            yield guessed_finding(
                context, place, f"{place.label} is {why}: it is among the first that an attacker tries"
            )


# -- guests and shared passwords ---------------------------------------------------------------------------------------


@rule("guest-access", after="web-no-authentication door-no-authentication")
def guest_access(context: RuleContext) -> Iterator[Finding]:
    """Places that let in whoever gives neither name nor password."""
    for group in by_cause(unauthenticated(context), Reason.GUEST):
        points = [each.point for each in group]
        level = max(each.path.level for each in group)
        message = (
            f"{listed(dict.fromkeys(each.place for each in points))} {verb(points, 'lets', 'let')} guests in: anyone "
            f"who connects gets level {level}"
        )
        origin = group[0].step.origin
        policies = context.device.policies.values()
        heads = [fixes.named("policy", each.name) for each in policies if each.guest and each.guest.origin == origin]
        heads = heads or list(dict.fromkeys(fixes.service_head(each) for each in points))
        fix = [f"drop {head}: guest" for head in heads]
        yield context.opened(message, [origin], [each.path for each in group], AttackerEffort.NOTHING, fix)


@rule("service-shared-password", after="web-no-authentication door-no-authentication")
def service_shared_password(context: RuleContext) -> Iterator[Finding]:
    """Services that ask for one password of their own, which everybody shares."""
    for name, service in context.resolved.services.items():
        held = service.credential
        if held is None or name == "https":  # one for both ways to the pages
            continue
        vias = ("http", "https") if name == "http" else (name,)
        paths = context.needing(held.item, context.by_ways(*vias))
        if not paths:
            continue
        label = "web management" if name == "http" else service.label
        level = max(path.level for path in paths)
        message = (
            f"{label} asks for one shared password: it gets passed around, logins cannot be told apart, and it leads "
            f"to level {level}"
        )
        points = [point for point in context.access_points if point.via in vias]
        fix = [*fixes.check_users(context, points), f"drop {fixes.service_head(points[0])}: password"]
        yield context.opened(message, [held.origin], paths, AttackerEffort.SECRET_EXPOSED, fix, *check_keys(points))
