"""Doors that are not VTYs: the web, SNMP, and what certificates and old protocols do to them."""

import datetime
from collections.abc import Iterator

from overhang.login import words
from overhang.login.result import Because
from overhang.login.setting import WEB_WAYS
from overhang.rules.case import Case, listed, origins_of
from overhang.rules.model import Finding
from overhang.rules.remedies import block, word
from overhang.rules.severity import Takes
from overhang.rules.strangers import rekeyed
from overhang.secrets import Form
from overhang.ways import Way


def _rows(case: Case, *vias: str) -> list[Way]:
    return [row for row in case.rows if row.via in vias]


# -- the web -----------------------------------------------------------------------------------------------------------


def check_web(case: Case) -> Iterator[Finding]:
    """HTTP, the web beside SSH, the shared enable secret as a web password."""
    http, https = _rows(case, "http"), _rows(case, "https")
    if http:
        beside = "" if not https else " beside HTTPS"
        needing = [row for row in http if row.needs]
        message = f"the web management answers HTTP{beside}: names and passwords cross the network readable"
        because = [case.setting.services["http"].on.origin]
        remedy = block("web", "http off", *([] if https else _https_instead(case)))
        takes = Takes.LEARNING if needing else Takes.EFFORT
        yield case.opened("http-on", message, because, needing or http, takes, remedy, ("web",))
    accepts = {
        via
        for view in case.vtys()
        if isinstance(view.accept.value, tuple) and view.closed is None
        for via in view.accept.value
    }
    if https and accepts == {"ssh"} and any(row.via == "ssh" for row in case.rows):
        message = (
            "the VTYs take SSH only, and the web management answers all the same: it does not pass through the VTYs"
        )
        because = [case.setting.services["https"].on.origin]
        remedy = block("web", "https off")
        yield case.opened("web-beside-ssh", message, because, https, Takes.EFFORT, remedy, ("web",))
    for spot in case.spots():
        if spot.via not in WEB_WAYS:
            continue
        rows = [row for row in case.needing("elevation:15", spot.rows) if row.after_login == 15]
        result = case.shown(spot, rows[0]) if rows else None
        if result is not None and any(step.words == words.CHECK_ELEVATION for step in result.trace):
            message = "the web management asks for the enable secret, which everybody shares, and lands at level 15"
            because = origins_of(result.trace, "checking")
            remedy = block("web", "check users") + case.remedies.accounts(spot.via)
            yield case.opened("web-shares-secret", message, because, rows, Takes.LEARNING, remedy)
            return


def _https_instead(case: Case) -> list[str]:
    """HTTPS in the place of HTTP, where somebody uses that."""
    if not case.used("http"):
        return []
    return ["https on", "tls 1.2 1.3"]


def check_tls(case: Case) -> Iterator[Finding]:
    """TLS versions that RFC 8996 retires."""
    said = case.device.web.tls
    old = [version for version in said.value if version in ("1.0", "1.1")] if said is not None else []
    rows = _rows(case, "https")
    if said is None or not old or not rows:
        return
    message = f"HTTPS speaks TLS {listed(old)}, which has been retired: what is typed may be read or changed on its way"
    kept = [version for version in said.value if version not in old] or ["1.2", "1.3"]
    yield case.opened("old-tls", message, [said.origin], rows, Takes.EFFORT, block("web", f"tls {' '.join(kept)}"))


def check_certificate(case: Case) -> Iterator[Finding]:
    """Certificates that are not valid, end soon, nobody vouches for, or have a small key."""
    web, limits = case.device.web, case.thresholds
    rows = _rows(case, "https")
    if not rows:
        return
    today = case.moment.date()
    if web.certificate_valid is not None:
        start, end = web.certificate_valid.value
        origin = web.certificate_valid.origin
        new = f"certificate-valid {today} to {today + datetime.timedelta(days=365)}"
        habit = "people learn to click the warning away, and do so for an impostor"
        if end < today:
            message = f"the certificate ended on {end}: {habit}"
            yield case.opened("certificate-expired", message, [origin], rows, Takes.EFFORT, block("web", new))
        elif start > today:
            message = f"the certificate begins only on {start}: {habit}"
            yield case.opened("certificate-not-yet-valid", message, [origin], rows, Takes.EFFORT, block("web", new))
        elif (end - today).days < limits.certificate_days:
            message = (
                f"the certificate ends on {end}, in {(end - today).days} days, less than "
                f"{limits.certificate_days}: after that {habit}"
            )
            yield case.opened("certificate-ends-soon", message, [origin], [], Takes.EFFORT, block("web", new))
    if web.certificate is not None and web.certificate.value == "self-signed":
        message = "the certificate is self-signed: nobody can tell the device from an impostor"
        yield case.opened(
            "certificate-self-signed",
            message,
            [web.certificate.origin],
            rows,
            Takes.EFFORT,
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
            yield case.opened(
                "certificate-small-key",
                message,
                [key.origin],
                rows,
                Takes.EFFORT,
                block("web", "certificate-key ecdsa 256"),
            )


# -- SNMP --------------------------------------------------------------------------------------------------------------


def check_snmp(case: Case) -> Iterator[Finding]:
    """Communities that are readable, may write, are known to everybody, or may be used from anywhere; old versions."""
    snmp = case.device.snmp
    rows = _rows(case, "snmp")
    if case.setting.services["snmp"].on.value != "on":
        return
    places = [place for place in case.passwords() if place.item.startswith("community:")]
    shown = [place for place in places if place.said.value.readable or place.said.value.masked]
    if shown:
        items = {place.item for place in shown}
        verb = "is" if len(shown) == 1 else "are"
        message = f"{listed(place.label for place in shown)} {verb} stored so that a reader of the configuration has it"
        yield case.opened(
            "snmp-readable",
            message,
            [p.said.origin for p in shown],
            case.opened_by(items, rows),
            Takes.LEARNING,
            rekeyed(case, shown[0].item),
        )
    for number, said in enumerate(snmp.communities, 1):
        item = f"community:{number}"
        own = case.needing(item, rows) or (
            [row for row in rows if not row.needs] if said.value.password.form is Form.FACTORY else []
        )
        if said.value.write and own:
            message = (
                f"SNMP community {number} may write: who knows it can change everything, and no account "
                "stands behind it"
            )
            remedy = _communities(case, number, write=False)
            yield case.opened(
                "snmp-writable", message, [said.origin], [row for row in own if row.level == 15], Takes.EFFORT, remedy
            )
        wide = case.wide(own)
        if wide:
            message = (
                f"SNMP community {number} may be used from any address: everybody who can reach the device may try"
            )
            name, made = case.remedies.limit()
            remedy = made + _communities(case, number, limit=name)
            yield case.opened(
                "snmp-from-anywhere", message, [said.origin], wide, Takes.EFFORT, remedy, ("anyone", "snmp", number)
            )
    old = [version for version in (snmp.versions.value if snmp.versions is not None else (1, 2)) if version < 3]
    if snmp.communities and old and rows:
        because: list[Because] = (
            [snmp.versions.origin] if snmp.versions is not None else [said.origin for said in snmp.communities]
        )
        how = "speaks" if snmp.versions is not None else "states no version, so its communities serve"
        message = f"SNMP {how} version {listed(map(str, old))}: the community crosses the network readable"
        yield case.opened("snmp-old-version", message, because, rows, Takes.LEARNING, block("snmp", "versions 3"))


def _communities(case: Case, changed: int, *, write: bool | None = None, limit: str | None = None) -> list[str]:
    """All communities said anew, with new texts, one of them changed: so no text need be shown."""
    lines = []
    for number, said in enumerate(case.device.snmp.communities, 1):
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
