"""Prove predictions: make each attempt with a real client at a device that stands in, and compare how it ends."""

import argparse
import asyncio
import os
import random
import shutil
import socket
from collections.abc import Callable

from overhang.cli.errors import CLEAN, FAILED, FOUND, NOT_UNDERSTOOD, UserError
from overhang.cli.inputs import add_inputs
from overhang.cli.main import add_choice
from overhang.cli.output import tell, write_out
from overhang.cli.reading import counted, read_devices, read_moment
from overhang.cli.stand_in import prepare
from overhang.cli.terminal import show, width
from overhang.exposure import resolve
from overhang.language import ParsedConfig
from overhang.simulation.attempts import BadAttempt, Sequence, decode_line

_MOST_DRAWN = 100_000
_AT_ONCE = 4


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of ``overhang prove``."""
    add_inputs(parser)
    add = parser.add_argument
    about = "read attempts, one JSON object per line; `device` names the file or the device of each"
    add("--attempts", metavar="FILE", help=about)
    add("--generate", type=int, metavar="N", help="draw N attempts for each device, so that each outcome occurs")
    add("--seed", type=int, default=1, metavar="N", help="draw other attempts (default: 1)")
    about = "who logs in by SSH: the library's client (default), or the ssh program of this machine"
    add_choice(parser, "--client", ("library", "program"), help=about)
    add_choice(parser, "--format", ("text", "json"), help="plain text (default), or json")
    add("--now", metavar="DATE", help="the time of the attempts (default: the clock's)")
    add("--strict", action="store_true", help="exit 3 where a line or a profile was not understood")


def run(options: argparse.Namespace) -> int:
    """Do it."""
    prepare()
    from overhang.report.prove_text import proof_json, proof_lines
    from overhang.stand_in import clients
    from overhang.stand_in.prove import Proof, Prover, Subject, Trial

    if (options.attempts is None) == (options.generate is None):
        raise UserError("one of --attempts FILE and --generate N is needed")
    if options.generate is not None and not 0 < options.generate <= _MOST_DRAWN:
        raise UserError(f"--generate {options.generate}: expected a number from 1 to {_MOST_DRAWN}")
    program = options.client == "program"
    if program and shutil.which("ssh") is None:
        raise UserError("--client program: there is no ssh program on this machine")
    subjects, bad, failed = _subjects(options, Subject, Trial)

    async def do(errand: clients.Errand, connection: socket.socket | None) -> clients.Seen:
        if program and errand.via == "ssh":
            return await clients.by_program(errand)
        return await clients.log_in(errand, connection)

    async def all_of_them(told: Callable[[Proof], None]) -> list[Proof]:
        keys: dict[object, object] = {}
        few = asyncio.Semaphore(_AT_ONCE)

        async def one(subject: Subject) -> list[Proof]:
            async with few:
                return await Prover(subject, do, keys).run(told)

        return [proof for several in await asyncio.gather(*map(one, subjects)) for proof in several]

    with counted(sum(len(each.trials) for each in subjects), "logging in") as step:
        proofs = asyncio.run(all_of_them(lambda _: step()))
    if options.format == "json":
        write_out(proof_json(proofs))
    else:
        show(proof_lines(proofs, width()))
    if bad or failed:
        return FAILED
    if any(each.seen is not None and not each.agrees for each in proofs):
        return FOUND
    understood = all(each.resolved.understood for each in subjects)
    return NOT_UNDERSTOOD if options.strict and not understood else CLEAN


def _subjects(options: argparse.Namespace, subject: type, trial: type) -> tuple[list, int, bool]:  # type: ignore[type-arg]
    """The devices with their attempts; how many lines were no attempts, and whether a device could not be read."""
    configs, unreadable = read_devices(options, "log in to")
    moment = read_moment(options.now)
    devices = [(config, resolve(config, project), project) for config, project in configs]
    if options.generate is not None:
        from overhang.stand_in.draw import draw

        made = [
            subject(
                config,
                resolved,
                project,
                draw(resolved, project, options.generate, moment, random.Random(options.seed)),
            )
            for config, resolved, project in devices
        ]
        return [each for each in made if each.trials], 0, unreadable
    sequences = [Sequence(resolved, moment, project.servers) for _, resolved, project in devices]
    trials: list[list[object]] = [[] for _ in devices]
    bad = 0
    for number, line in enumerate(_lines(options.attempts), 1):
        if not line.strip():
            continue
        try:
            place = _place(line, [config for config, _, _ in devices], options.attempts)
            attempt, reset = sequences[place].attempt(line)
        except BadAttempt as problem:
            bad += 1
            tell(f"{options.attempts}:{number}: {problem}")
            continue
        trials[place].append(trial(number, attempt, reset or not trials[place]))
    made = [subject(*each, own) for each, own in zip(devices, trials, strict=True) if own]
    if not made:
        raise UserError(f"{options.attempts}: there is no attempt at any of these devices")
    return made, bad, unreadable


def _place(line: str, configs: list[ParsedConfig], attempts: str) -> int:
    """The number of the device that a line is for. Raises BadAttempt."""
    named = decode_line(line).get("device")
    if named is None and len(configs) == 1:
        return 0
    if not isinstance(named, str):
        raise BadAttempt("device: is missing, and there are several devices")
    path = os.path.join(os.path.dirname(attempts), named)
    for place, config in enumerate(configs):
        file = config.device.file
        if named in (config.device.name, file) or (
            os.path.exists(path) and os.path.exists(file) and os.path.samefile(path, file)
        ):
            return place
    raise BadAttempt("device: is none of those that are read")


def _lines(path: str) -> list[str]:
    try:
        with open(path, encoding="utf-8", errors="replace", newline="\n") as stream:
            return stream.readlines()
    except OSError as error:
        raise UserError(f"{path}: cannot be read: {error.strerror}") from None
