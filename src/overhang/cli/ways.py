"""Show every access path into devices: by which way, from where, with what knowledge, to which level."""

import argparse

from overhang.auditing.report import Unreadable
from overhang.cli.errors import CLEAN, FAILED, NOT_UNDERSTOOD, UserError
from overhang.cli.inputs import add_inputs
from overhang.cli.main import add_choice
from overhang.cli.output import tell, write_out
from overhang.cli.reading import loader_of, progress, read_moment, warn_left_out, warn_unreadable
from overhang.cli.terminal import show, width
from overhang.exposure import AccessPath, AccessPaths, backup_reader, can_take, find_paths, resolve
from overhang.exposure.knowledge import Examined, Knowledge, untried_words
from overhang.model import Address, parse_address
from overhang.model.hash_budget import PER_RUN, HashBudget
from overhang.model.vocabulary import WAYS
from overhang.project import Person, Project
from overhang.report.ways_text import DeviceWays, ways_lines
from overhang.text import did_you_mean

READER = "reader-of-backups"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of ``overhang ways``."""
    add = parser.add_argument
    add_inputs(parser)
    add("--to", type=int, metavar="N", help="only paths that reach level N or above")
    add("--from", dest="source", metavar="ADDRESS", help="only remote paths open to this address")
    add("--via", metavar="WAY", help=f"only one way: {', '.join(WAYS)}, snmp or door:NAME")
    add(
        "--person",
        metavar="NAME",
        help=f"only what a person of the project file can do; {READER} knows what can be read from the configuration",
    )
    add("--now", metavar="DATE", help="the time that account expiry is judged by (default: the clock's)")
    add_choice(parser, "--format", ("text", "json"), default="text", help="plain text (default), or json")
    add("--strict", action="store_true", help="exit 3 where a line or a profile was not understood")


def run(options: argparse.Namespace) -> int:
    """Do it."""
    source = _checked(options)
    loader = loader_of(options)
    now = read_moment(options.now)
    devices: list[DeviceWays] = []
    unreadable: list[Unreadable] = []
    examined: list[Examined] = []
    understood: list[bool] = []
    for config in loader.configs(options.paths, progress):
        if isinstance(config, Unreadable):
            unreadable.append(config)
            continue
        project = loader.projects.of(config.device.file)
        if options.person is not None:
            _check_person(options.person, project, config.device.file)
        resolved = resolve(config, project)
        examined.append(Examined(resolved, find_paths(resolved, now, project.servers), project))
        understood.append(resolved.understood)
    # what somebody knows on one device they know on the others, wherever it is provably the same
    budget = HashBudget(PER_RUN if options.person else PER_RUN // 6)
    wanted = examined[1:] and (options.person or options.format == "json")
    knowledge = Knowledge(examined, budget) if wanted else None
    for number, (each, whole) in enumerate(zip(examined, understood, strict=True)):
        ways = [way for way in each.found.paths if _wanted(each.found, way, options, source)]
        if options.person is not None:
            person = _person(options.person, number, each, knowledge)
            ways = [way for way in ways if can_take(each.found, way, person, each.project)]
        device = each.resolved.device
        of = knowledge.index.of[number] if knowledge is not None else ()
        devices.append(DeviceWays(device.name, device.file, each.found, ways, whole, of))
    devices.sort(key=_rank)
    if options.format == "json":
        from overhang.report.ways_json import ways_json

        write_out(ways_json(devices, unreadable))
    else:
        show(ways_lines(devices, len(unreadable), width()))
    warn_unreadable(unreadable)
    warn_left_out(loader)
    if knowledge is not None and knowledge.untried:
        tell(untried_words(knowledge.untried))
    if unreadable:
        return FAILED
    return NOT_UNDERSTOOD if options.strict and not all(device.understood for device in devices) else CLEAN


def _checked(options: argparse.Namespace) -> Address | None:
    if options.to is not None and not 0 <= options.to <= 15:
        raise UserError(f"--to {options.to}: a level is a number from 0 to 15")
    via = options.via
    if via is not None and via not in (*WAYS, "snmp") and not via.startswith("door:"):
        near = did_you_mean(via, [*WAYS, "snmp"])
        raise UserError(f"--via {via}: " + (f"did you mean {near}?" if near else "no such way"))
    if options.source is None:
        return None
    try:
        return parse_address(options.source)
    except ValueError as wrong:
        raise UserError(f"--from {options.source}: {wrong}") from None


def _wanted(found: AccessPaths, way: AccessPath, options: argparse.Namespace, source: Address | None) -> bool:
    if options.to is not None and way.level < options.to:
        return False
    if options.via is not None and way.via != options.via:
        return False
    if source is None:
        return True
    return way.sources is not None and bool(
        way.sources & found.address_classes.holding(source.family, source.value, source.value)
    )


def _check_person(name: str, project: Project, path: str) -> None:
    if name != READER and name not in project.people:
        near = did_you_mean(name, [*project.people, READER])
        hint = f"did you mean {near}?" if near else f"known here: {', '.join([*project.people, READER])}"
        raise UserError(f"--person {name}: no person in the project file of {path} has this name; {hint}")


def _person(name: str, number: int, device: Examined, knowledge: Knowledge | None) -> Person:
    """Who this is on a device: what they know there, by what they know on any device of the run."""
    if name == READER:
        read = backup_reader(device.found)
        return Person(READER, tuple(sorted(read | knowledge.readable(number) if knowledge is not None else read)))
    person = device.project.people[name]
    return knowledge.of(number, person) if knowledge is not None else person


def _rank(device: DeviceWays) -> tuple[object, ...]:
    worst = min(((len(way.needs), -way.level) for way in device.ways), default=(99, 0))
    return (*worst, device.name, device.file)
