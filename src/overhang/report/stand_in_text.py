"""Devices that stand in, for people: where to log in, and what happens there."""

from collections.abc import Iterator

from overhang.model.vocabulary import way_label
from overhang.report.lines import Line, count, cut, wrap
from overhang.simulation.wording import place_of
from overhang.stand_in.doors import Door
from overhang.stand_in.events import Event
from overhang.stand_in.places import Place
from overhang.stand_in.run import Run, StandIn

_MOST_PLACES = 6
_STYLES = {"admitted": "good", "granted": "good", "denied": "high", "refused": "high", "dropped": "high"}


def started_lines(run: Run, width: int) -> Iterator[Line]:
    """What was started: each device with its doors, and the line to type."""
    devices, folder = run.devices, run.folder.path
    yield [(f"{count(len(devices), 'device')} {'stands' if len(devices) == 1 else 'stand'} in", "bold")]
    others = "Other users of this machine can connect too, and try to log in."
    yield from ([(line, "medium")] for line in wrap(others, width))
    for each in devices:
        yield []
        yield from _device(each, width)
    yield from _servers(run, width)
    told = [f"{peer} stands for {address}" for peer, address in run.setup.sources if address is not None]
    if told:
        yield []
        yield from ([(line, "")] for line in wrap(f"Sources: {'; '.join(told)}; any other is what it is.", width))
    yield []
    yield [(f"Keys and sheets are in {folder}", "dim")]


def _servers(run: Run, width: int) -> Iterator[Line]:
    found = run.servers.listing() if run.servers is not None else []
    if not found:
        return
    yield []
    yield [("AAA servers", "bold")]
    for each in found:
        protocol = {"radius": "RADIUS", "tacacs": "TACACS+"}[each.protocol]
        yield [(f"  {protocol:<7} {each.here} port {each.port:<6} for {each.address}", "")]
    text = f"One does not answer while there is a file down-ADDRESS, as down-{found[0].address}, in {run.folder.path}"
    yield from ([("  " + line, "dim")] for line in wrap(text, width - 2))
    if any(each.protocol == "tacacs" for each in found):
        yield [("  TACACS+ is this program's own code on both sides: no independent proof", "dim")]


def _device(each: StandIn, width: int) -> Iterator[Line]:
    yield [(each.machine.name, "bold")]
    open_doors = [door for door in each.doors if door.wanted]
    if not open_doors:
        yield [("  no door is open over the network", "medium")]
    name = _somebody(each)
    for door in open_doors:
        where = f"{_answering(door).here} port {door.port}"
        yield [(f"  {way_label(door.via):<7} {where:<22} ", ""), (_to_type(door, name), "said")]
    places = [f"{place.here} for {place.own}" for place in each.doors[0].places if place.own is not None]
    if places:
        more = f" and {len(places) - _MOST_PLACES} more" if len(places) > _MOST_PLACES else ""
        text = f"Its addresses, at the same ports: {', '.join(places[:_MOST_PLACES])}{more}"
        yield from ([("  " + line, "")] for line in wrap(text, width - 2))
    for item, text in each.known:
        yield [(f"  {item:<30} ", ""), (text, "code")]
    for note in each.notes:
        yield from ([("  " + line, "dim")] for line in wrap(note, width - 2))


def _answering(door: Door) -> Place:
    """The first place of a door at which the way is answered, as far as the device's addresses tell."""
    answers = {own.label: own.answers.value for own in door.machine.resolved.addresses}
    for place in door.places:
        value = answers.get(str(place.own))
        if isinstance(value, tuple) and ("all" in value or door.via in value):
            return place
    return door.places[0]


def _somebody(each: StandIn) -> str:
    """An account to show the line with: the first that can be used by SSH, else any."""
    return next((account.name for account in each.machine.resolved.accounts if account.disabled is None), "NAME")


def _to_type(door: Door, name: str) -> str:
    here = _answering(door).here
    if door.via == "ssh":
        return f"ssh -p {door.port} {name}@{here}"
    return f"telnet {here} {door.port}" if door.via == "telnet" else f"{door.via}://{here}:{door.port}/"


def event_lines(event: Event, width: int) -> Iterator[Line]:
    """One event: when, where, who and how it ended, and below that why."""
    who = event.name or ("(no name)" if event.outcome == "admitted" else "")
    source = event.source or event.peer
    how = event.outcome if event.what != "leave" else "has left"
    if event.level is not None and event.outcome in ("admitted", "granted"):
        how += f", level {event.level}"
    if event.what == "elevation":
        how = f"elevation {how}"
    where = f"VTY {event.vty}" if event.vty is not None else ""
    head = (
        f"{event.when:%H:%M:%S}  {cut(event.device, 16):<16} {event.way:<9} {source:<15} {cut(who, 12):<12} {where:<7} "
    )
    style = _STYLES.get(event.outcome, "dim" if event.what == "leave" else "medium")
    yield [(head, ""), (how, style)]
    if event.reason:
        because = event.reason + (f" ({place_of(event.step.origin)})" if event.step is not None else "")
        yield from ([("          " + line, "dim")] for line in wrap(because, width - 10))
