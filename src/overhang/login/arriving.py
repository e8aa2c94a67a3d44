"""Section one of the decision: does a connection from here reach a question at all?"""

from overhang.device import Address, Block, Check, Family, Said
from overhang.login import words
from overhang.login.result import FromAttempt, Step
from overhang.login.run import Run
from overhang.login.setting import PORTS, REMOTE_WAYS, VTY_WAYS, EntryView, OwnView, Place, ServiceView
from overhang.profiles import KEYS, UNKNOWN


def arrive(run: Run) -> Place | None:
    """Where the person of the attempt has arrived; None where the run was stopped."""
    via = run.attempt.via
    if via in PORTS:
        return _at_port(run, via)
    if via in REMOTE_WAYS and not _pause_lets_through(run):
        return None
    service = run.setting.services.get(via)
    if service is None:
        run.stop("refused", words.ARRIVING, words.NO_SUCH_DOOR, FromAttempt("via"))
        return None
    if _is_on(run, service, via) != "on":
        run.stop("refused", words.ARRIVING, words.SERVICE_OFF, service.on.origin, service.label)
        return None
    run.note(words.ARRIVING, words.SERVICE_ON, service.on.origin, service.label)
    if via == "ssh" and not _ssh_speaks(run):
        return None
    if run.setting.addresses and not _destination_answers(run, service):
        return None
    management = run.setting.device.management
    if not _source_passes(run, management.sources, management.block, "every remote way"):
        return None
    if via != "snmp" and not _source_passes(run, service.sources, service.block, service.label):
        return None
    if via not in VTY_WAYS:
        return Place(via, service.label, None, service)
    vty = _take_vty(run, service)
    return None if vty is None else Place(via, vty.label, vty, service)


def _is_on(run: Run, service: ServiceView, via: str) -> object:
    key = f"unsaid-{via}"
    if key in KEYS:
        return run.settle(service.on, key)
    if service.on.value is UNKNOWN:
        return run.choose(("off", "on"), service.on.origin, f"whether {service.label} is on")
    return service.on.value


def _at_port(run: Run, via: str) -> Place | None:
    entry = run.setting.ports[via]
    if _is_closed(run, entry):
        return None
    run.note(words.ARRIVING, words.AT_PORT, entry.origin, entry.label)
    return Place(via, entry.label, entry)


def _is_closed(run: Run, entry: EntryView) -> bool:
    """Whether a port takes no login; then the run is stopped."""
    if entry.closed is not None:
        run.stop("refused", words.ARRIVING, words.PORT_CLOSED, entry.closed.origin, entry.label)
    elif run.maybe(entry.block, f"whether the {entry.label} is closed"):
        run.stop("refused", words.ARRIVING, words.PORT_CLOSED, entry.origin, entry.label)
    elif _refuses(run, entry):
        run.stop("refused", words.ARRIVING, words.PORT_REFUSES, entry.unsaid_check.origin, entry.label)
    else:
        return False
    return True


def _refuses(run: Run, entry: EntryView) -> bool:
    return entry.check is None and unsaid_check(run, entry) == Check("refuse")


def unsaid_check(run: Run, entry: EntryView) -> Check:
    """What an entry that is told of no check asks, where there is no method list for all either."""
    fact = entry.unsaid_check
    if fact.value is not UNKNOWN:
        return Check(fact.value)
    options = tuple(Check(kind) for kind in KEYS[entry.unsaid_key].options)
    if entry.block.doubt is not None:
        options += run.setting.list_checks("login")
    found: Check = run.choose(options, fact.origin, f"what the {entry.label} asks", entry.unsaid_key)
    return found


def _pause_lets_through(run: Run) -> bool:
    pause = run.setting.device.management.pause
    if pause is None:
        return True
    if None in run.failures.unsure:
        doubt = Step(words.ARRIVING, words.UNSURE_LOCK, pause.origin, ("remote logins are paused",))
        if not run.asker.fork("paused", (False, True), doubt):
            return True
    elif not run.failures.paused(pause.value, run.attempt.at):
        return True
    if pause.value.spared is not None:
        spared, step = run.allowed_from(Said(pause.value.spared, pause.origin), "the pause")
        if spared:
            run.steps.append(step)
            run.note(words.ARRIVING, words.SPARED, pause.origin)
            return True
    run.stop("refused", words.ARRIVING, words.PAUSED, pause.origin, pause.value.failures)
    return False


# -- SSH ---------------------------------------------------------------------------------------------------------------


def _ssh_speaks(run: Run) -> bool:
    """Whether there is a host key and a version that client and device can use; else the run is stopped."""
    setting = run.setting
    ssh = setting.device.ssh
    fact = setting.said_or(ssh.versions, "unsaid-versions", ssh.block)
    spoken = run.settle(fact, "unsaid-versions")
    serves: set[int] = set()
    origin = fact.origin
    if not ssh.host_keys:
        key = setting.unsaid("unsaid-key", ssh.block)
        if not _key_unstated(run, ssh.block.doubt is not None):
            return False
        run.note(words.ARRIVING, words.KEY_MADE, key.origin)
        serves = {1, 2}
    for said in ssh.host_keys:
        kind, bits = said.value
        if kind == "unknown":
            continue
        if kind in ("ecdsa", "ed25519") or (bits or 0) >= 768:
            serves.add(2)
        if kind == "rsa":
            serves.add(1)
    common = [version for version in (2, 1) if version in run.attempt.ssh_versions and version in spoken]
    version = next((version for version in common if version in serves), None)
    if version is None and common:
        unsure = next((said for said in ssh.host_keys if said.value.kind == "unknown"), None)
        if unsure is not None and run.asker.fork(
            (unsure.origin, "host-key"), (True, False), Step(words.ARRIVING, words.UNSURE_KEY, unsure.origin)
        ):
            version = common[0]
    if version is None:
        run.stop("refused", words.ARRIVING, words.NO_VERSION, ssh.host_keys[-1].origin if common else origin)
        return False
    run.note(words.ARRIVING, words.VERSION_AGREED, origin, version)
    return True


def _key_unstated(run: Run, doubt: bool) -> bool:
    """Whether a host key is there though none is stated; else the run is stopped."""
    setting = run.setting
    ssh = setting.device.ssh
    fact = setting.facts["unsaid-key"]
    made = fact.value
    if made == "made" or (doubt and run.maybe(ssh.block, "whether there is an SSH host key")):
        return True
    wants = setting.facts["wants-identity"]
    if run.settle(wants, "wants-identity"):
        facts = setting.device.facts
        if facts.name is None:
            run.stop("refused", words.ARRIVING, words.NO_NAME_FOR_KEY, wants.origin)
            return False
        if facts.domain is None:
            run.stop("refused", words.ARRIVING, words.NO_DOMAIN_FOR_KEY, wants.origin)
            return False
    if made is UNKNOWN and run.choose((True, False), fact.origin, "whether there is an SSH host key"):
        return True
    run.stop("refused", words.ARRIVING, words.NO_KEY, fact.origin)
    return False


# -- addresses ---------------------------------------------------------------------------------------------------------


def _destination_answers(run: Run, service: ServiceView) -> bool:
    """Whether the destination, or without one some address of the device, answers; else the run is stopped."""
    family = run.asker.source_family()
    wanted = run.attempt.destination
    if wanted is not None and wanted.family != family:
        run.stop("refused", words.ARRIVING, words.OTHER_FAMILY, FromAttempt("to"))
        return False
    known, learnt = _candidates(run, family, wanted)
    failure: Step | None = None
    for own in (*known, *learnt):
        step = _answers(run, own, service)
        if step is None and (own.prefix is not None or _has_address(run, own)):
            run.note(words.ARRIVING, words.ADDRESS_ANSWERS, own.answers.origin, own.label, service.label)
            return True
        failure = failure or step
    if failure is not None:
        run.stop("refused", failure.stage, failure.words, failure.origin, *failure.arguments)
    elif wanted is not None:
        run.stop("refused", words.ARRIVING, words.NOT_OURS, FromAttempt("to"))
    else:
        run.stop("refused", words.ARRIVING, words.OTHER_FAMILY, FromAttempt("from"))
    return False


def _candidates(run: Run, family: int, wanted: Address | None) -> tuple[list[OwnView], list[OwnView]]:
    """The stated addresses that may be meant, and those learnt at run time where no stated one settles it."""
    known: list[OwnView] = []
    learnt: list[OwnView] = []
    for own in run.setting.addresses:
        if own.prefix is None:
            learnt.append(own)
        elif own.prefix.family == family and (wanted is None or own.prefix.host == wanted.value):
            known.append(own)
    return known, [] if known and wanted is not None else learnt


def _has_address(run: Run, own: OwnView) -> bool:
    doubt = Step(words.ARRIVING, words.UNSURE_ADDRESS, own.origin)
    return bool(run.asker.fork((own.origin, "address"), (True, False), doubt))


def _answers(run: Run, own: OwnView, service: ServiceView) -> Step | None:
    """The step that says why an address does not answer the way; None where it does."""
    answers = own.answers.value
    if not isinstance(answers, tuple):
        about = f"what the address {own.label} answers"
        answers = ("all",) if run.choose(("all", "nothing"), own.answers.origin, about) == "all" else ()
    if "all" not in answers and service.word not in answers:
        return Step(words.ARRIVING, words.ANSWERS_NOT, own.answers.origin, (own.label, service.label))
    vlan = run.setting.device.management.vlan
    if vlan is not None and (own.vlan is None or own.vlan.value != vlan.value):
        if own.vlan is None and run.maybe(own.block, f"which VLAN the address {own.label} is in"):
            return None
        origin = own.vlan.origin if own.vlan is not None else vlan.origin
        return Step(words.ARRIVING, words.WRONG_VLAN, origin, (own.label, vlan.value))
    return None


def _source_passes(run: Run, sources: Family, block: Block, what: str) -> bool:
    """Whether the lists for one thing let the source pass; else the run is stopped."""
    if sources.ipv4 is None and sources.ipv6 is None:
        if block.doubt is not None and run.maybe(block, f"whether {what} has a source list that denies the source"):
            run.stop("refused", words.ARRIVING, words.LIST_DENIES, block.doubt, "that was not understood", what)
            return False
        return True
    said = sources.ipv4
    if sources.ipv4 is None or sources.ipv6 is None or sources.ipv4.value != sources.ipv6.value:
        said = sources.ipv4 if run.asker.source_family() == 4 else sources.ipv6
    if said is None:
        return True
    allowed, step = run.allowed_from(said, what)
    if allowed:
        run.steps.append(step)
        return True
    run.stop("refused", step.stage, step.words, step.origin, *step.arguments)
    return False


# -- VTYs --------------------------------------------------------------------------------------------------------------


def _take_vty(run: Run, service: ServiceView) -> EntryView | None:
    setting = run.setting
    count = run.settle(setting.facts["vtys"], "vtys")
    every = setting.vtys(count)
    free = run.asker.free(every)
    if not free:
        origin = setting.facts["vtys"].origin
        if every and every[-1].block.origin is not None:
            origin = every[-1].block.origin
        run.stop("refused", words.ARRIVING, words.VTYS_BUSY, origin)
        return None
    first_only = run.settle(setting.facts["vty-pick"], "vty-pick") == "first-free"
    vty = next((vty for vty in (free[:1] if first_only else free) if _accepts(run, vty, service.word)), None)
    if vty is None:
        lowest = free[0]
        origin = lowest.accept.origin
        if lowest.closed is not None:
            origin = lowest.closed.origin
        elif _refuses(run, lowest):
            origin = lowest.unsaid_check.origin
        if first_only:
            run.stop("refused", words.ARRIVING, words.FIRST_VTY_ACCEPTS_NOT, origin, lowest.number, service.label)
        else:
            run.stop("refused", words.ARRIVING, words.VTY_ACCEPTS_NOT, origin, service.label)
        return None
    run.note(words.ARRIVING, words.VTY_TAKES, vty.accept.origin, vty.number)
    return vty if _source_passes(run, vty.sources, vty.block, vty.label) else None


def _accepts(run: Run, vty: EntryView, word: str) -> bool:
    if vty.closed is not None:
        return False
    if run.maybe(vty.block, f"whether {vty.label} is closed") or _refuses(run, vty):
        return False
    return word in run.settle(vty.accept, "unsaid-accept")
