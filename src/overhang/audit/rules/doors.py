"""Doors that are not VTYs: the web, SNMP, and what certificates and old protocols do to them."""

import datetime
from collections.abc import Iterator

from overhang.audit.context import RuleContext, listed, origins_of
from overhang.audit.findings import Finding
from overhang.audit.fixes import block, word
from overhang.audit.rules.unauthenticated import rekeyed
from overhang.audit.severity import AttackerEffort
from overhang.exposure import AccessPath
from overhang.model.stored_secret import Form
from overhang.model.vocabulary import WEB_WAYS
from overhang.simulate.reasons import Reason, Stage
from overhang.simulate.result import Provenance


def _rows(context: RuleContext, *vias: str) -> list[AccessPath]:
    return [path for path in context.paths if path.via in vias]


# -- the web -----------------------------------------------------------------------------------------------------------


def check_web(context: RuleContext) -> Iterator[Finding]:
    """HTTP, the web beside SSH, the shared enable secret as a web password."""
    http, https = _rows(context, "http"), _rows(context, "https")
    if http:
        beside = "" if not https else " beside HTTPS"
        needing = [path for path in http if path.needs]
        message = f"the web management answers HTTP{beside}: names and passwords cross the network readable"
        because = [context.resolved.services["http"].on.origin]
        fix = block("web", "http off", *([] if https else _https_instead(context)))
        effort = AttackerEffort.LEARNING if needing else AttackerEffort.EFFORT
        yield context.opened("http-on", message, because, needing or http, effort, fix, ("web",))
    accepts = {
        via
        for view in context.vtys()
        if isinstance(view.accept.value, tuple) and view.closed is None
        for via in view.accept.value
    }
    if https and accepts == {"ssh"} and any(path.via == "ssh" for path in context.paths):
        message = (
            "the VTYs take SSH only, and the web management answers all the same: it does not pass through the VTYs"
        )
        because = [context.resolved.services["https"].on.origin]
        fix = block("web", "https off")
        yield context.opened("web-beside-ssh", message, because, https, AttackerEffort.EFFORT, fix, ("web",))
    for point in context.access_points():
        if point.via not in WEB_WAYS:
            continue
        paths = [path for path in context.needing("elevation:15", point.paths) if path.after_login == 15]
        result = context.shown(point, paths[0]) if paths else None
        if result is not None and any(step.code == Reason.CHECK_ELEVATION for step in result.trace):
            message = "the web management asks for the enable secret, which everybody shares, and lands at level 15"
            because = origins_of(result.trace, Stage.AUTHENTICATION)
            fix = block("web", "check users") + context.fixes.accounts(point.via)
            yield context.opened("web-shares-secret", message, because, paths, AttackerEffort.LEARNING, fix)
            return


def _https_instead(context: RuleContext) -> list[str]:
    """HTTPS in the place of HTTP, where somebody uses that."""
    if not context.used("http"):
        return []
    return ["https on", "tls 1.2 1.3"]


def check_tls(context: RuleContext) -> Iterator[Finding]:
    """TLS versions that RFC 8996 retires."""
    said = context.device.web.tls
    old = [version for version in said.value if version in ("1.0", "1.1")] if said is not None else []
    paths = _rows(context, "https")
    if said is None or not old or not paths:
        return
    message = f"HTTPS speaks TLS {listed(old)}, which has been retired: what is typed may be read or changed on its way"
    kept = [version for version in said.value if version not in old] or ["1.2", "1.3"]
    yield context.opened(
        "old-tls", message, [said.origin], paths, AttackerEffort.EFFORT, block("web", f"tls {' '.join(kept)}")
    )


def check_certificate(context: RuleContext) -> Iterator[Finding]:
    """Certificates that are not valid, end soon, nobody vouches for, or have a small key."""
    web, limits = context.device.web, context.thresholds
    paths = _rows(context, "https")
    if not paths:
        return
    today = context.moment.date()
    if web.certificate_valid is not None:
        start, end = web.certificate_valid.value
        origin = web.certificate_valid.origin
        new = f"certificate-valid {today} to {today + datetime.timedelta(days=365)}"
        habit = "people learn to click the warning away, and do so for an impostor"
        if end < today:
            message = f"the certificate ended on {end}: {habit}"
            yield context.opened(
                "certificate-expired", message, [origin], paths, AttackerEffort.EFFORT, block("web", new)
            )
        elif start > today:
            message = f"the certificate begins only on {start}: {habit}"
            yield context.opened(
                "certificate-not-yet-valid", message, [origin], paths, AttackerEffort.EFFORT, block("web", new)
            )
        elif (end - today).days < limits.certificate_days:
            message = (
                f"the certificate ends on {end}, in {(end - today).days} days, less than "
                f"{limits.certificate_days}: after that {habit}"
            )
            yield context.opened(
                "certificate-ends-soon", message, [origin], [], AttackerEffort.EFFORT, block("web", new)
            )
    if web.certificate is not None and web.certificate.value == "self-signed":
        message = "the certificate is self-signed: nobody can tell the device from an impostor"
        yield context.opened(
            "certificate-self-signed",
            message,
            [web.certificate.origin],
            paths,
            AttackerEffort.EFFORT,
            block("web", "certificate issued"),
        )
    key = web.certificate_key
    if key is not None:
        kind, bits = key.value
        least = limits.rsa_bits if kind == "rsa" else limits.ecdsa_bits
        if (bits or 0) < least:
            message = (
                f"the certificate's key is {kind.upper()} with {bits} bits, below {least}: whoever works "
                "it out can pose as the device"
            )
            yield context.opened(
                "certificate-small-key",
                message,
                [key.origin],
                paths,
                AttackerEffort.EFFORT,
                block("web", "certificate-key ecdsa 256"),
            )


# -- SNMP --------------------------------------------------------------------------------------------------------------


def check_snmp(context: RuleContext) -> Iterator[Finding]:
    """Communities that are readable, may write, are known to everybody, or may be used from anywhere; old versions."""
    snmp = context.device.snmp
    paths = _rows(context, "snmp")
    if context.resolved.services["snmp"].on.value != "on":
        return
    places = [place for place in context.passwords() if place.item.startswith("community:")]
    shown = [place for place in places if place.said.value.readable or place.said.value.masked]
    if shown:
        credentials = {place.item for place in shown}
        verb = "is" if len(shown) == 1 else "are"
        message = f"{listed(place.label for place in shown)} {verb} stored so that a reader of the configuration has it"
        yield context.opened(
            "snmp-readable",
            message,
            [p.said.origin for p in shown],
            context.opened_by(credentials, paths),
            AttackerEffort.LEARNING,
            rekeyed(context, shown[0].item),
        )
    for number, said in enumerate(snmp.communities, 1):
        item = f"community:{number}"
        own = context.needing(item, paths) or (
            [path for path in paths if not path.needs] if said.value.password.form is Form.FACTORY else []
        )
        if said.value.write and own:
            message = (
                f"SNMP community {number} may write: who knows it can change everything, and no account "
                "stands behind it"
            )
            fix = _communities(context, number, write=False)
            yield context.opened(
                "snmp-writable",
                message,
                [said.origin],
                [path for path in own if path.level == 15],
                AttackerEffort.EFFORT,
                fix,
            )
        wide = context.wide(own)
        if wide:
            message = (
                f"SNMP community {number} may be used from any address: everybody who can reach the device may try"
            )
            name, made = context.fixes.limit()
            fix = made + _communities(context, number, limit=name)
            yield context.opened(
                "snmp-from-anywhere",
                message,
                [said.origin],
                wide,
                AttackerEffort.EFFORT,
                fix,
                ("anyone", "snmp", number),
            )
    old = [version for version in (snmp.versions.value if snmp.versions is not None else (1, 2)) if version < 3]
    if snmp.communities and old and paths:
        because: list[Provenance] = (
            [snmp.versions.origin] if snmp.versions is not None else [said.origin for said in snmp.communities]
        )
        how = "speaks" if snmp.versions is not None else "states no version, so its communities serve"
        message = f"SNMP {how} version {listed(map(str, old))}: the community crosses the network readable"
        yield context.opened(
            "snmp-old-version", message, because, paths, AttackerEffort.LEARNING, block("snmp", "versions 3")
        )


def _communities(
    context: RuleContext, changed: int, *, write: bool | None = None, limit: str | None = None
) -> list[str]:
    """All communities said anew, with new texts, one of them changed: so no text need be shown."""
    lines = []
    for number, said in enumerate(context.device.snmp.communities, 1):
        writes = said.value.write if write is None or number != changed else write
        name = (
            limit
            if limit is not None and number == changed
            else word(said.value.sources)
            if said.value.sources
            else None
        )
        lines.append(f"community withheld {'write' if writes else 'read'}" + (f" from {name}" if name else ""))
    return block("snmp", "drop community", *lines)
