"""Rehearse a change of one device, statement by statement: who gains, who is locked out, and a safe order."""

import argparse

from overhang.changes.change import read_change
from overhang.changes.rehearse import Rehearsal, Rehearser
from overhang.changes.session import Session
from overhang.cli.errors import CLEAN, FOUND, NOT_UNDERSTOOD, UserError
from overhang.cli.inputs import add_inputs
from overhang.cli.main import add_choice
from overhang.cli.output import check_target, tell, write_file, write_out
from overhang.cli.reading import loader_of, read_moment
from overhang.cli.terminal import show, width
from overhang.loading import read_file
from overhang.model import parse_address
from overhang.model.vocabulary import PORTS, WAYS
from overhang.project import Project
from overhang.text import UnreadableInput, did_you_mean
from overhang.text.printable import data


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of ``overhang rehearse``."""
    add = parser.add_argument
    add("sheet", metavar="DEVICE", help="the device's configuration, as it is now")
    about = "what is typed: statements of a sheet, or text in the maker's own words; - is standard input"
    add("change", metavar="CHANGE", help=about)
    add_inputs(parser, several=False)
    add("--as", dest="person", metavar="PERSON", help="watch one person of the project file (default: all of them)")
    add("--via", metavar="WAY", help="the change is typed in a session by this way; tell whether it could come back")
    add("--from", dest="source", metavar="ADDRESS", help="where that session comes from")
    add("--name", help="the username of that session")
    about = "a credential that whoever types knows, like user:NAME; it may be given again"
    add("--knows", action="append", default=[], metavar="ITEM", help=about)
    add("--at-once", action="store_true", help="the whole change takes effect at once, as some devices do")
    add("--reorder", metavar="FILE", help="write the statements in a safe order to FILE, as given, passwords and all")
    add("--long", action="store_true", help="show the statements that change nobody's access too")
    add_choice(parser, "--format", ("text", "json"), default="text", help="plain text (default), or json")
    add("--output", metavar="FILE", help="write the report to a file instead of standard output")
    add("--now", metavar="DATE", help="the time of the change (default: the clock's)")
    add("--strict", action="store_true", help="exit 3 where something was not understood, or a statement is in doubt")


def run(options: argparse.Namespace) -> int:
    """Do it."""
    for target in filter(None, (options.output, options.reorder)):
        check_target(target, options)
    session = session_of(options)
    loader = loader_of(options)
    try:
        config = loader.load(options.sheet)
    except UnreadableInput as problem:
        raise UserError(f"{options.sheet}: {problem}") from None
    project = loader.projects.of(options.sheet)
    people = None if options.person is None else [_person(options.person, project)]
    try:
        change = read_change(
            config,
            read_file(options.change),
            "standard input" if options.change == "-" else options.change,
            lambda: read_file(options.sheet),
            loader.reader(options.sheet),
        )
    except UnreadableInput as problem:
        raise UserError(f"{options.change}: {problem}") from None
    found = Rehearser(config, project, read_moment(options.now), session, people).rehearse(
        change, at_once=options.at_once
    )
    _report(options, found)
    if options.reorder:
        if found.order is None:
            tell(f"{options.reorder} is not written: no safe order; {found.why_no_order}")
        else:
            write_file(options.reorder, data(change.text(found.order)), options)
    if options.strict and not found.understood:
        return NOT_UNDERSTOOD
    return CLEAN if found.safe else FOUND


def session_of(options: argparse.Namespace) -> Session | None:
    """The session in which a change is typed, where the options tell of one. Raises UserError."""
    if options.via is None:
        for option, value in (("--from", options.source), ("--name", options.name), ("--knows", options.knows)):
            if value:
                raise UserError(f"{option} tells of the session that types the change; give its way with --via")
        return None
    if options.via not in WAYS:
        near = did_you_mean(options.via, list(WAYS))
        raise UserError(f"--via {options.via}: " + (f"did you mean {near}?" if near else "no such way"))
    if options.via in PORTS and options.source is not None:
        raise UserError(f"--from {options.source}: nobody comes from an address to the {options.via}")
    source = None
    if options.source is not None:
        try:
            source = parse_address(options.source)
        except ValueError as wrong:
            raise UserError(f"--from {options.source}: {wrong}") from None
    elif options.via not in PORTS:
        raise UserError(f"--via {options.via}: where does the session come from? give --from ADDRESS")
    return Session(options.via, source, options.name, frozenset(options.knows))


def _person(name: str, project: Project) -> str:
    if name not in project.people:
        near = did_you_mean(name, list(project.people))
        hint = f"did you mean {near}?" if near else "known there: " + (", ".join(project.people) or "nobody")
        raise UserError(f"--as {name}: no person of the project file has this name; {hint}")
    return name


def _report(options: argparse.Namespace, found: Rehearsal) -> None:
    if options.format == "json":
        from overhang.report.rehearse_data import rehearse_json

        text = rehearse_json(found)
    else:
        from overhang.report.lines import WIDEST, plain
        from overhang.report.rehearse_text import rehearse_lines

        if not options.output:
            show(rehearse_lines(found, width(), long=options.long))
            return
        text = plain(rehearse_lines(found, WIDEST, long=options.long))
    if options.output:
        write_file(options.output, text, options)
    else:
        write_out(text)
