"""Reachability: whether a connection from this source reaches a login prompt."""

from collections.abc import Mapping

from overhang.model import Address, BlockInfo, Check, Configured, Family
from overhang.model.vocabulary import PORTS, REMOTE_WAYS, VTY_WAYS
from overhang.profiles import KEYS, UNKNOWN
from overhang.simulation.evaluation import Evaluation
from overhang.simulation.policies import lets_in, met_at
from overhang.simulation.reasons import Reason, Stage
from overhang.simulation.result import FromAttempt, Step
from overhang.simulation.views import Endpoint, ResolvedAddress, ResolvedEntry, ResolvedService
from overhang.text import Origin


def arrive(run: Evaluation) -> Endpoint | None:
    """The endpoint that the attempt reaches; None where the run was stopped."""
    via = run.attempt.via
    if via in PORTS:
        pause = run.resolved.device.management.pause
        if pause is not None and pause.value.everywhere and not _pause_lets_through(run):
            return None
        return _admitted(run, _at_port(run, via), None)
    if via in REMOTE_WAYS and not _pause_lets_through(run):
        return None
    service = run.resolved.services.get(via)
    if service is None:
        run.stop("refused", Stage.REACHABILITY, Reason.NO_SUCH_DOOR, FromAttempt("via"))
        return None
    if _is_on(run, service, via) != "on":
        run.stop("refused", Stage.REACHABILITY, Reason.SERVICE_OFF, service.on.origin, service.label)
        return None
    run.note(Stage.REACHABILITY, Reason.SERVICE_ON, service.on.origin, service.label)
    if via == "ssh" and not _ssh_speaks(run):
        return None
    if run.resolved.addresses and not _destination_answers(run, service):
        return None
    management = run.resolved.device.management
    if not _source_passes(run, management.sources, management.block, "every remote way"):
        return None
    if via != "snmp" and not _source_passes(run, service.sources, service.block, service.label):
        return None
    if via not in VTY_WAYS:
        return _admitted(run, Endpoint(via, service.label, None, service), None)
    if service.seat is not None:
        run.note(Stage.REACHABILITY, Reason.SEAT_TAKEN, service.seat.origin, service.label)
        if service.check is None and _refuses(run, service.seat):
            run.stop(
                "refused", Stage.REACHABILITY, Reason.PORT_REFUSES, service.seat.unsaid_check.origin, service.label
            )
            return None
        return _admitted(run, Endpoint(via, service.label, service.seat, service), None)
    vty = _take_vty(run, service)
    return None if vty is None else _admitted(run, Endpoint(via, vty.label, vty, service), vty.number)


def _admitted(run: Evaluation, endpoint: Endpoint | None, vty: int | None) -> Endpoint | None:
    """The endpoint with the conditions that are met there; None where a policy refuses the login."""
    if endpoint is None or not run.resolved.conditions:
        return endpoint
    endpoint = endpoint._replace(met=met_at(run, vty))
    return endpoint if lets_in(run, endpoint, named=False) else None


def _is_on(run: Evaluation, service: ResolvedService, via: str) -> object:
    key = f"unsaid-{via}"
    if key in KEYS:
        return run.settle(service.on, key)
    if service.on.value is UNKNOWN:
        return run.choose(("off", "on"), service.on.origin, f"whether {service.label} is on")
    return service.on.value


def _at_port(run: Evaluation, via: str) -> Endpoint | None:
    entry = run.resolved.ports[via]
    if _is_closed(run, entry):
        return None
    run.note(Stage.REACHABILITY, Reason.AT_PORT, entry.origin, entry.label)
    return Endpoint(via, entry.label, entry)


def _is_closed(run: Evaluation, entry: ResolvedEntry) -> bool:
    """Whether a port accepts no login; then the run is stopped."""
    if entry.closed is not None:
        run.stop("refused", Stage.REACHABILITY, Reason.PORT_CLOSED, entry.closed.origin, entry.label)
    elif run.maybe(entry.block, f"whether the {entry.label} is closed"):
        run.stop("refused", Stage.REACHABILITY, Reason.PORT_CLOSED, entry.origin, entry.label)
    elif _refuses(run, entry):
        run.stop("refused", Stage.REACHABILITY, Reason.PORT_REFUSES, entry.unsaid_check.origin, entry.label)
    else:
        return False
    return True


def _refuses(run: Evaluation, entry: ResolvedEntry) -> bool:
    return entry.check is None and unsaid_check(run, entry) == Check("refuse")


def unsaid_check(run: Evaluation, entry: ResolvedEntry) -> Check:
    """What an entry without a check requires, where there is no default method list either."""
    fact = entry.unsaid_check
    if fact.value is not UNKNOWN:
        return Check(fact.value)
    options = tuple(Check(kind) for kind in KEYS[entry.unsaid_key].options)
    if entry.block.doubt is not None:
        options += run.resolved.list_checks("login")
    found: Check = run.choose(options, fact.origin, f"what the {entry.label} asks", entry.unsaid_key)
    return found


def _pause_lets_through(run: Evaluation) -> bool:
    pause = run.resolved.device.management.pause
    if pause is None:
        return True
    if None in run.lockout.unsure:
        doubt = Step(Stage.REACHABILITY, Reason.UNSURE_LOCK, pause.origin, ("remote logins are paused",))
        if not run.oracle.branch("paused", (False, True), doubt):
            return True
    elif not run.lockout.paused(pause.value, run.attempt.at):
        return True
    if pause.value.spared is not None and run.attempt.via not in PORTS:
        spared, step = run.allowed_from(Configured(pause.value.spared, pause.origin), "the pause")
        if spared:
            run.steps.append(step)
            run.note(Stage.REACHABILITY, Reason.SPARED, pause.origin)
            return True
    run.stop("refused", Stage.REACHABILITY, Reason.PAUSED, pause.origin, pause.value.failures)
    return False


# -- SSH ---------------------------------------------------------------------------------------------------------------


def _ssh_speaks(run: Evaluation) -> bool:
    """Whether there is a host key and a version that client and device can use; else the run is stopped."""
    resolved = run.resolved
    ssh = resolved.device.ssh
    fact = resolved.said_or(ssh.versions, "unsaid-versions", ssh.block)
    spoken = run.settle(fact, "unsaid-versions")
    serves: set[int] = set()
    origin = fact.origin
    if not ssh.host_keys:
        key = resolved.unsaid("unsaid-key", ssh.block)
        if not _key_unstated(run, ssh.block.doubt is not None):
            return False
        run.note(Stage.REACHABILITY, Reason.KEY_MADE, key.origin)
        serves = {1, 2}
    for said in ssh.host_keys:
        kind, bits = said.value
        if kind == "unknown":
            continue
        if kind in ("ecdsa", "ed25519") or _is_served(run, said.origin, bits or 0):
            serves.add(2)
        if kind == "rsa":
            serves.add(1)
    common = [version for version in (2, 1) if version in run.attempt.ssh_versions and version in spoken]
    version = next((version for version in common if version in serves), None)
    if version is None and common:
        unsure = next((said for said in ssh.host_keys if said.value.kind == "unknown"), None)
        if unsure is not None and run.oracle.branch(
            (unsure.origin, "host-key"), (True, False), Step(Stage.REACHABILITY, Reason.UNSURE_KEY, unsure.origin)
        ):
            version = common[0]
    if version is None:
        run.stop("refused", Stage.REACHABILITY, Reason.NO_VERSION, ssh.host_keys[-1].origin if common else origin)
        return False
    run.note(Stage.REACHABILITY, Reason.VERSION_AGREED, origin, version)
    return version == 1 or run.attempt.algorithms is None or _algorithms_agree(run, run.attempt.algorithms)


def _is_served(run: Evaluation, origin: Origin, bits: int) -> bool:
    """Whether an RSA or DSA host key is large enough to be used."""
    fact = run.resolved.facts["smallest-host-key"]
    if fact.value is UNKNOWN:
        return bool(run.choose((True, False), fact.origin, f"whether a host key of {bits} bits is used", str(origin)))
    return bits >= int(fact.value)


#: What client and device have to agree on, by the words for people; each what the device's statement for it is.
_ALGORITHMS = {
    "exchanges": ("key exchange", "exchanges"),
    "host-keys": ("host key algorithm", "host_key_kinds"),
    "ciphers": ("cipher", "ciphers"),
    "macs": ("MAC", "macs"),
}


def _algorithms_agree(run: Evaluation, spoken: Mapping[str, tuple[str, ...]]) -> bool:
    """Whether client and device have an algorithm of each kind in common, the client's first (RFC 4253, 7.1)."""
    ssh = run.resolved.device.ssh
    for kind, (label, field) in _ALGORITHMS.items():
        if kind not in spoken:
            continue
        said: Configured[tuple[str, ...]] | None = getattr(ssh, field)
        if said is None:
            origin = ssh.block.origin or FromAttempt("algorithms")
            step = Step(Stage.REACHABILITY, Reason.UNSURE_ALGORITHM, origin, (label,))
            if not run.oracle.branch(("algorithm", kind), (True, False), step):
                run.stop("refused", Stage.REACHABILITY, Reason.NO_ALGORITHM, origin, label)
                return False
            continue
        agreed = next((each for each in spoken[kind] if each in said.value), None)
        if agreed is None:
            run.stop("refused", Stage.REACHABILITY, Reason.NO_ALGORITHM, said.origin, label)
            return False
        run.note(Stage.REACHABILITY, Reason.ALGORITHM_AGREED, said.origin, label, agreed)
    return True


def _key_unstated(run: Evaluation, doubt: bool) -> bool:
    """Whether a host key is there though none is stated; else the run is stopped."""
    resolved = run.resolved
    ssh = resolved.device.ssh
    fact = resolved.facts["unsaid-key"]
    made = fact.value
    if made == "made" or (doubt and run.maybe(ssh.block, "whether there is an SSH host key")):
        return True
    facts, wants = resolved.device.facts, resolved.facts["wants-identity"]
    if (facts.name is None or facts.domain is None) and run.settle(wants, "wants-identity"):
        if facts.name is None:
            run.stop("refused", Stage.REACHABILITY, Reason.NO_NAME_FOR_KEY, wants.origin)
            return False
        run.stop("refused", Stage.REACHABILITY, Reason.NO_DOMAIN_FOR_KEY, wants.origin)
        return False
    about = "whether there is an SSH host key"
    if made is UNKNOWN and run.choose((True, False), fact.origin, about, widest=(True,)):
        return True
    run.stop("refused", Stage.REACHABILITY, Reason.NO_KEY, fact.origin)
    return False


# -- addresses ---------------------------------------------------------------------------------------------------------


def _destination_answers(run: Evaluation, service: ResolvedService) -> bool:
    """Whether the destination, or without one some address of the device, answers; else the run is stopped."""
    family = run.oracle.source_family()
    wanted = run.attempt.destination
    if wanted is not None and wanted.family != family:
        run.stop("refused", Stage.REACHABILITY, Reason.OTHER_FAMILY, FromAttempt("to"))
        return False
    known, learnt = _candidates(run, family, wanted)
    failure: Step | None = None
    for own in (*known, *learnt):
        step = _answers(run, own, service)
        if step is None and (own.prefix is not None or _has_address(run, own)):
            run.note(Stage.REACHABILITY, Reason.ADDRESS_ANSWERS, own.answers.origin, own.label, service.label)
            return True
        failure = failure or step
    if failure is not None:
        run.stop("refused", failure.stage, failure.code, failure.origin, *failure.arguments)
    elif wanted is not None:
        run.stop("refused", Stage.REACHABILITY, Reason.NOT_OURS, FromAttempt("to"))
    else:
        run.stop("refused", Stage.REACHABILITY, Reason.OTHER_FAMILY, FromAttempt("from"))
    return False


def _candidates(
    run: Evaluation, family: int, wanted: Address | None
) -> tuple[list[ResolvedAddress], list[ResolvedAddress]]:
    """The stated addresses that may be meant, and those learnt at run time where no stated one settles it."""
    known = run.resolved.addresses_by(family, wanted)
    return known, [] if known and wanted is not None else run.resolved.learnt


def _has_address(run: Evaluation, own: ResolvedAddress) -> bool:
    doubt = Step(Stage.REACHABILITY, Reason.UNSURE_ADDRESS, own.origin)
    return bool(run.oracle.branch((own.origin, "address"), (True, False), doubt))


def _answers(run: Evaluation, own: ResolvedAddress, service: ResolvedService) -> Step | None:
    """The step that says why an address does not answer the way; None where it does."""
    answers = own.answers.value
    if not isinstance(answers, tuple):
        about = answers_in_doubt(own.label)
        chosen = run.choose(("all", "nothing"), own.answers.origin, about, widest=("all",))
        answers = ("all",) if chosen == "all" else ()
    if "all" not in answers and service.word not in answers:
        return Step(Stage.REACHABILITY, Reason.ANSWERS_NOT, own.answers.origin, (own.label, service.label))
    vlan = run.resolved.device.management.vlan
    if vlan is not None and (own.vlan is None or own.vlan.value != vlan.value):
        if own.vlan is None and run.maybe(own.block, f"which VLAN the address {own.label} is in"):
            return None
        origin = own.vlan.origin if own.vlan is not None else vlan.origin
        return Step(Stage.REACHABILITY, Reason.WRONG_VLAN, origin, (own.label, vlan.value))
    return None


def answers_in_doubt(label: str) -> str:
    """What it is that is not known, where nobody knows what an address answers."""
    return f"what the address {label} answers"


def _source_passes(run: Evaluation, sources: Family, block: BlockInfo, what: str) -> bool:
    """Whether the lists for one thing let the source pass; else the run is stopped."""
    if sources.ipv4 is None and sources.ipv6 is None:
        about = f"whether {what} has a source list that denies the source"
        if block.doubt is not None and run.maybe(block, about, "sources"):
            run.stop("refused", Stage.REACHABILITY, Reason.LIST_DENIES, block.doubt, "that was not understood", what)
            return False
        return True
    said = sources.ipv4
    if sources.ipv4 is None or sources.ipv6 is None or sources.ipv4.value != sources.ipv6.value:
        said = sources.ipv4 if run.oracle.source_family() == 4 else sources.ipv6
    if said is None:
        return True
    allowed, step = run.allowed_from(said, what)
    if allowed:
        run.steps.append(step)
        return True
    run.stop("refused", step.stage, step.code, step.origin, *step.arguments)
    return False


# -- VTYs --------------------------------------------------------------------------------------------------------------


def _take_vty(run: Evaluation, service: ResolvedService) -> ResolvedEntry | None:
    resolved = run.resolved
    count = run.settle(resolved.facts["vtys"], "vtys")
    every = resolved.vtys(count)
    free = run.oracle.free(every)
    if not free:
        origin = resolved.facts["vtys"].origin
        if every and every[-1].block.origin is not None:
            origin = every[-1].block.origin
        run.stop("refused", Stage.REACHABILITY, Reason.VTYS_BUSY, origin)
        return None
    vty, first_only = _first_to_accept(run, free[:1], service.word), False
    if vty is None:  # else it does not matter which others might take it
        first_only = run.settle(resolved.facts["vty-pick"], "vty-pick") == "first-free"
        vty = None if first_only else _first_to_accept(run, free, service.word)
    if vty is None:
        lowest = free[0]
        origin = lowest.accept.origin
        if lowest.closed is not None:
            origin = lowest.closed.origin
        elif _refuses(run, lowest):
            origin = lowest.unsaid_check.origin
        if first_only:
            run.stop("refused", Stage.REACHABILITY, Reason.FIRST_VTY_ACCEPTS_NOT, origin, lowest.number, service.label)
        else:
            run.stop("refused", Stage.REACHABILITY, Reason.VTY_ACCEPTS_NOT, origin, service.label)
        return None
    run.note(Stage.REACHABILITY, Reason.VTY_TAKES, vty.accept.origin, vty.number)
    return vty if _source_passes(run, vty.sources, vty.block, vty.label) else None


def _first_to_accept(run: Evaluation, vtys: list[ResolvedEntry], word: str) -> ResolvedEntry | None:
    """The first VTY that accepts a way; of alike ones, where the first does not, the others do not either."""
    refuse: set[object] = set()
    for vty in vtys:
        kind = run.resolved.kind_of(vty)
        if kind not in refuse:
            if _accepts(run, vty, word):
                return vty
            refuse.add(kind)
    return None


def _accepts(run: Evaluation, vty: ResolvedEntry, word: str) -> bool:
    if vty.closed is not None:
        return False
    # One line that was not understood stands for all VTYs of its block: they are closed together, or none is.
    if run.maybe(vty.block, f"whether {vty.label} is closed", "closed") or _refuses(run, vty):
        return False
    return word in run.settle(vty.accept, "unsaid-accept")
