"""How far what somebody has goes: on which devices they get in, hop by hop, and what cuts it."""

import argparse
import getpass
import os
import sys

from overhang.cli.errors import CLEAN, FAILED, FOUND, NOT_UNDERSTOOD, UserError
from overhang.cli.inputs import add_inputs
from overhang.cli.main import add_choice
from overhang.cli.output import check_target, tell, write_file, write_out
from overhang.cli.reading import along, read_devices, read_moment
from overhang.cli.terminal import picture_kind, show, width
from overhang.language import ParsedConfig
from overhang.model import Address, parse_address
from overhang.model.hash_budget import PER_RUN, HashBudget
from overhang.project import Project
from overhang.spread.reach import Limits
from overhang.spread.start import Start, find_device, know_item, know_typed, person_of
from overhang.spread.world import World, build_world

_MISSING = "what cuts it needs the package scipy, and a picture networkx: pip install 'overhang[spread]'"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of ``overhang spread``."""
    add_inputs(parser)
    add = parser.add_argument
    add(
        "--knows",
        action="append",
        default=[],
        metavar="DEVICE/ITEM",
        help="an item of knowledge to start with, like harbour-gate/user:lena; may be given again",
    )
    add(
        "--typed", action="store_true", help="ask for a password without echo, and try it on every lock of every device"
    )
    add("--typed-file", metavar="FILE", help="the same with the passwords of a file, one a line")
    add("--backup", action="append", default=[], metavar="DEVICE", help="has read this device's configuration")
    add("--person", metavar="NAME", help="a person of the project file: what they know, and where they sit")
    add("--outsider", action="store_true", help="knows nothing (what is assumed where nothing else is said)")
    add(
        "--from",
        dest="source",
        metavar="ADDRESS",
        help="the address that they come from, or anywhere",
    )
    add("--at", action="append", default=[], metavar="DEVICE", help="stands at this device's ports")
    add("--may-change", action="store_true", help="at level 15 also gives the device other addresses of its networks")
    add("--guess", type=int, metavar="N", help="what trying passwords against hashes may cost, in about milliseconds")
    add("--chain", metavar="DEVICE", help="show the hops to one device in full, with the lines that allow them")
    add("--all", action="store_true", help="rank every secret of the network by how much it opens")
    add("--no-cut", action="store_true", help="do not look for the fewest changes that stop it")
    about = "plain text (default), json, csv or markdown"
    add_choice(parser, "--format", ("text", "json", "csv", "markdown"), default="text", help=about)
    add("--picture", metavar="FILE", help="also draw the network and the hops: FILE.png, .svg or .pdf")
    add("--now", metavar="DATE", help="the time that expiry is judged by (default: the clock's)")
    add("--strict", action="store_true", help="exit 3 where a line or a profile was not understood")


def run(options: argparse.Namespace) -> int:
    """Do it."""
    if options.all and (options.chain is not None or options.picture is not None):
        raise UserError("--all ranks every secret; --chain and --picture are about one start")
    if options.chain is not None and options.format not in ("text", "json"):
        raise UserError("--chain is written as text or json")
    kind = ""
    if options.picture is not None:
        kind = picture_kind(options.picture)
        check_target(options.picture, options)
    moment = read_moment(options.now)
    configs, unreadable = read_devices(options, "spread over")
    world = build_world(configs, moment, options.guess, along)
    start = _start(options, world, configs)
    reads = min(project.thresholds.reads for _, project in configs)
    limits = Limits(reads, options.may_change)
    code = _all(options, world, start, limits) if options.all else _one(options, world, start, limits, kind)
    if unreadable:
        return FAILED
    understood = all(place.device[2].understood for place in world.devices)
    return NOT_UNDERSTOOD if options.strict and not understood else code


def _all(options: argparse.Namespace, world: World, start: Start, limits: Limits) -> int:
    """Rank every secret."""
    from overhang.report.spread_data import ranking_json
    from overhang.report.spread_text import ranking_lines
    from overhang.spread.ranking import rank_secrets

    if options.format not in ("text", "json"):
        raise UserError("--all is written as text or json")
    ranked = rank_secrets(world, start, limits, along)
    if options.format == "json":
        write_out(ranking_json(world, ranked))
    else:
        show(ranking_lines(world, ranked, start.where, width()))
    return FOUND if any(each.reaches_15 > 1 for each in ranked) else CLEAN


def _one(options: argparse.Namespace, world: World, start: Start, limits: Limits, kind: str) -> int:
    """Follow one start."""
    from overhang.report import spread_data, spread_text
    from overhang.spread.report import spread_report

    chain = find_device(world, options.chain) if options.chain is not None else None
    wanted = not options.no_cut and chain is None and options.format != "csv"
    try:
        report = spread_report(world, start, limits, cut=wanted)
    except ImportError:
        tell(_MISSING)
        report = spread_report(world, start, limits, cut=False)
    if chain is not None and options.format == "json":
        write_out(spread_data.chain_json(report, chain, read_moment(options.now)))
    elif chain is not None:
        show(spread_text.chain_lines(report, chain, read_moment(options.now), width()))
    elif options.format == "text":
        show(spread_text.spread_lines(report, width()))
    else:
        written = {"json": spread_data.spread_json, "csv": spread_data.spread_csv}
        write_out(written.get(options.format, spread_data.spread_markdown)(report))
    if kind:
        try:
            from overhang.report import charts, spread_chart

            write_file(options.picture, charts.written(spread_chart.spread_graph(report), kind), options)
        except ImportError:
            raise UserError(_MISSING) from None
    return FOUND if report.reach.beyond() else CLEAN


# -- from options to a start -------------------------------------------------------------------------------------------


def _start(options: argparse.Namespace, world: World, configs: list[tuple[ParsedConfig, Project]]) -> Start:
    """What the options say somebody begins with. Raises UserError and BadStart."""
    secrets: set[int] = set()
    at: set[int] = set()
    said: list[str] = []
    untried = 0
    for text in options.knows:
        device, secret = know_item(world, text)
        secrets.add(secret)
        at.add(device)
        said.append(f"knows {text}")
    for name in options.backup:
        device = find_device(world, name)
        secrets |= world.secrets.disclosed[device]
        at.add(device)
        said.append(f"has read the configuration of {world.names[device]}")
    typed = _typed(options)
    if typed:
        found, untried = know_typed(
            world,
            typed,
            HashBudget(PER_RUN if options.guess is None else options.guess, asked=options.guess is not None),
        )
        secrets |= found
        said.append("knows what was typed" if typed[1:] else "knows the password that was typed")
    sources: tuple[Address, ...] = ()
    networks: tuple[tuple[int, int, int], ...] = ()
    sits: frozenset[tuple[int, str]] = frozenset()
    if options.person is not None:
        projects = {project.file: project for _, project in configs}
        project = next((each for each in projects.values() if options.person in each.people), configs[0][1])
        known, networks, sits = person_of(world, project, options.person)
        secrets |= known
    ports = {find_device(world, name) for name in options.at}
    if ports:
        at |= ports
        said.append(f"stands at {', '.join(world.names[each] for each in sorted(ports))}")
    if options.outsider and (said or options.person is not None):
        raise UserError("--outsider knows nothing; it cannot be used with what somebody knows")
    anywhere = bool(secrets or options.all) and not ports and not sits and not networks
    if options.source is not None and options.source != "anywhere":
        try:
            sources, anywhere = (parse_address(options.source),), False
            networks, sits = (), frozenset()
        except ValueError as wrong:
            raise UserError(f"--from {options.source}: {wrong}") from None
    elif options.source == "anywhere":
        anywhere, networks, sits = True, (), frozenset()
    who = options.person or ("whoever" if said else "an outsider who knows nothing")
    label = " ".join([who, *([" and ".join(said)] if said else [])])
    if options.person is not None and said:
        label = f"{who}, who also {' and '.join(said)}"
    nowhere = bool(sits) and not sources and not networks and not anywhere
    return Start(
        frozenset(secrets),
        sources,
        frozenset(ports),
        frozenset(at),
        label,
        untried,
        anywhere and not sources,
        sits,
        nowhere,
        networks,
    )


def _typed(options: argparse.Namespace) -> list[str]:
    """The passwords to try, which never stand in arguments or messages. Raises UserError."""
    texts: list[str] = []
    if options.typed_file is not None:
        try:
            with open(options.typed_file, encoding="utf-8") as stream:
                texts += [line.rstrip("\r\n") for line in stream.read(1_000_001).split("\n")]
        except OSError as error:
            raise UserError(f"{options.typed_file}: cannot be read: {error.strerror}") from None
        except UnicodeDecodeError:
            raise UserError(f"{options.typed_file}: not UTF-8 text") from None
    if options.typed:
        try:
            terminal = sys.stdin is not None and os.isatty(sys.stdin.fileno())
            texts.append(getpass.getpass("password: ") if terminal else sys.stdin.readline().rstrip("\r\n"))
        except (EOFError, ValueError):
            texts.append("")
        except UnicodeDecodeError:
            raise UserError("what was typed is not UTF-8 text") from None
    if (options.typed or options.typed_file is not None) and not any(texts):
        raise UserError("no password was typed")
    return [text for text in texts if text]
