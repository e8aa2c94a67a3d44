"""Simulate one login: show what the person sees, the reason for each step, and the outcome."""

import argparse
import getpass
import json
import os
import sys
from collections.abc import Iterator
from typing import Any

from overhang.cli.errors import CLEAN, FAILED, FOUND, NOT_UNDERSTOOD, UserError
from overhang.cli.inputs import add_inputs
from overhang.cli.main import add_choice
from overhang.cli.output import check_target, tell, write_file, write_out
from overhang.cli.reading import loader_of, read_moment
from overhang.cli.terminal import picture_kind, show, width
from overhang.exposure import resolve
from overhang.language import ParsedConfig
from overhang.language.terminals import decode_vty_range
from overhang.model import Address, PublicKey, parse_address
from overhang.model.items import item
from overhang.model.vocabulary import PORTS, WAYS
from overhang.project import Project
from overhang.simulation import Attempt, ResolvedDevice, Result, decide
from overhang.simulation.reasons import Stage
from overhang.simulation.result import OUTCOMES
from overhang.text import UnreadableInput, did_you_mean
from overhang.text.printable import Printable

_ITEMS = ("user:", "key:", "certificate:", "entry:", "service:", "door:", "elevation:", "server:", "community:")
_MOST_ASKED = 1000


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of ``overhang login``."""
    add = parser.add_argument
    add("sheet", metavar="FILE", help="the device's configuration")
    add_inputs(parser, several=False)
    add("--via", metavar="WAY", help=f"{', '.join(WAYS)}, snmp or door:NAME; on a terminal it is asked for")
    add("--from", dest="source", metavar="ADDRESS", help="the source address")
    add("--to", metavar="ADDRESS", help="the device's address that is connected to")
    add("--name", help="the username to give")
    add(
        "--knows",
        action="append",
        default=[],
        metavar="ITEM",
        help="a credential the person knows: "
        "user:NAME, key:NAME, 'entry:vty 0-3', elevation:N, server:GROUP/NAME, community:N, "
        "service:web, door:NAME, certificate:NAME; a second one of a kind 'user:NAME 2'",
    )
    add("--elevate", type=int, metavar="N", help="the privilege level to elevate to after login")
    add("--elevate-name", metavar="NAME", help="the username for elevation, where it differs")
    add("--password-file", metavar="FILE", help="read the passwords to type from a file, one try per line")
    add("--password-env", metavar="VARIABLE", help="read the password to type from an environment variable")
    add("--elevate-password-file", metavar="FILE", help="the same for elevation")
    add("--elevate-password-env", metavar="VARIABLE", help="the same for elevation")
    add(
        "--key",
        action="append",
        default=[],
        metavar="FILE",
        help="a public key whose private key the person has: TYPE BASE64 [COMMENT]; several are offered in their order",
    )
    add("--ssh-versions", default="2", metavar="N[,N]", help="the SSH versions of the client (default: 2)")
    add("--busy", action="append", default=[], metavar="RANGE", help="VTYs that are in use, like 0-3")
    add("--down", action="append", default=[], metavar="ADDRESS", help="an AAA server that is down")
    add("--now", metavar="DATE", help="the time of the attempt (default: the clock's)")
    add(
        "--expect",
        metavar="OUTCOME",
        help="exit 1 unless the outcome is: admitted, admitted:N, denied, dropped, refused, unknown",
    )
    add(
        "--attempts",
        metavar="FILE",
        help="read attempts, one JSON object per line (- for standard input), and write one result per line",
    )
    about = "plain text (default), or json; jsonl with --attempts"
    add_choice(parser, "--format", ("text", "json", "jsonl"), help=about)
    add("--picture", metavar="FILE", help="also draw the stages of the login: FILE.png, .svg or .pdf")
    add("--strict", action="store_true", help="exit 3 where a line or the profile was not understood")


def run(options: argparse.Namespace) -> int:
    """Do it."""
    terminal = sys.stdin.isatty() and sys.stdout.isatty() and options.format in (None, "text") and not options.expect
    if options.attempts is None and options.via is None and not terminal:
        raise UserError("the following arguments are required: --via (see overhang login --help)")
    if (options.format == "jsonl") != (options.attempts is not None):
        raise UserError("--attempts FILE and --format jsonl go together")
    kind = ""
    if options.picture is not None:
        kind = picture_kind(options.picture)
        check_target(options.picture, options)
    if kind and options.attempts is not None:
        raise UserError("--picture draws one login; it cannot be used with --attempts")
    expected = _expected(options.expect)
    attempt = None if options.attempts is not None else build_attempt(options)
    loader = loader_of(options)
    try:
        config = loader.load(options.sheet)
    except UnreadableInput as problem:
        raise UserError(f"{options.sheet}: {problem}") from None
    project = loader.projects.of(options.sheet)
    resolved = resolve(config, project)
    if attempt is None:
        return _many(options, resolved, project)
    _check_items(resolved, attempt)
    attempt = attempt._replace(servers=project.servers)
    if terminal and not kind and (not attempt.via or not _brings_something(attempt)):
        return _lived(options, config, resolved, attempt)
    attempt, result = _converse(resolved, attempt)
    if kind:
        from overhang.auditing.runner import trace_of
        from overhang.report import charts
        from overhang.report.login_text import attempt_phrase

        caption = attempt_phrase(resolved, attempt).partition(": ")[2]
        path = trace_of(config.device.name, caption, result)
        write_file(options.picture, charts.written(charts.login_path(path), kind), options)
    if options.format == "json":
        from overhang.report.login_json import login_json

        write_out(login_json(result))
    else:
        show_login(config, resolved, attempt, result)
    if options.strict and not result.understood:
        return NOT_UNDERSTOOD
    if expected is not None and not _matches(result, expected):
        tell(f"expected {options.expect}, but the outcome is {_outcome(result)}")
        return FOUND
    return CLEAN


def _brings_something(attempt: Attempt) -> bool:
    """Whether the options say with what the person logs in, so that nothing need be asked."""
    return bool(attempt.passwords or attempt.keys or attempt.knows)


def _lived(options: argparse.Namespace, config: ParsedConfig, resolved: ResolvedDevice, attempt: Attempt) -> int:
    """The login as one lives it, on this terminal."""
    from overhang.cli.live_login import choose_way, live_login

    via = attempt.via or choose_way(resolved)
    if via is None:
        return CLEAN
    live_login(config, resolved, attempt._replace(via=via))
    return NOT_UNDERSTOOD if options.strict and not resolved.understood else CLEAN


def _many(options: argparse.Namespace, resolved: ResolvedDevice, project: Project) -> int:
    """Run a file of attempts; exit 2 where a line is none, 3 where the device is not understood and that is asked."""
    from overhang.report.login_json import LineWriter
    from overhang.simulation.attempts import BadAttempt, Sequence, run_lines

    start = read_moment(options.now)
    if options.now is None:
        start = start.replace(hour=0, minute=0, second=0, microsecond=0)
    sequence = Sequence(resolved, start, project.servers)
    writer = LineWriter()
    bad = others = 0
    waiting: list[Printable] = []
    most = 1 if options.attempts == "-" else 500
    for answer in run_lines(sequence, _lines(options.attempts)):
        if isinstance(answer, BadAttempt):
            bad += 1
            waiting.append(Printable(json.dumps({"error": str(answer)}) + "\n"))
        else:
            expected = sequence.expected
            right = expected.met_by(answer) if expected.outcomes else None
            others += right is False
            waiting.append(writer.line(answer, right))
        if len(waiting) >= most:
            write_out(Printable("".join(waiting)))
            waiting.clear()
    write_out(Printable("".join(waiting)))
    if bad:
        tell(f"{options.attempts}: {bad} of the lines are not valid attempts; their results say why")
        return FAILED
    if options.strict and not resolved.understood:
        return NOT_UNDERSTOOD
    if others:
        tell(f"{options.attempts}: {others} of the lines do not end as they expect")
    return FOUND if others else CLEAN


def _lines(path: str) -> Iterator[str]:
    """The lines of a file of attempts, as they come."""
    try:
        with open(
            0 if path == "-" else path, encoding="utf-8", errors="replace", newline="\n", closefd=path != "-"
        ) as stream:
            yield from stream
    except OSError as error:
        raise UserError(f"{path}: cannot be read: {error.strerror}") from None


def show_login(config: ParsedConfig, resolved: ResolvedDevice, attempt: Attempt, result: Result) -> None:
    """Print the conversation."""
    from overhang.report.login_text import login_lines

    show(login_lines(config, resolved, attempt, result, width()))


# -- from options to an attempt ----------------------------------------------------------------------------------------


def build_attempt(options: argparse.Namespace) -> Attempt:
    """The attempt that the options describe. Raises UserError."""
    via = options.via or ""
    if via and via not in (*WAYS, "snmp") and not via.startswith("door:"):
        near = did_you_mean(via, [*WAYS, "snmp"])
        raise UserError(
            f"--via {via}: " + (f"did you mean {near}?" if near else f"expected {', '.join(WAYS)}, snmp or door:NAME")
        )
    if options.elevate is not None and not 0 <= options.elevate <= 15:
        raise UserError(f"--elevate {options.elevate}: a level is a number from 0 to 15")
    if via in PORTS and (options.source or options.to):
        raise UserError(f"--from and --to do not apply to the {via}: its user is at the device")
    for known in options.knows:
        if not known.startswith(_ITEMS) or known.endswith(":"):
            raise UserError(f"--knows {known}: expected {', '.join(each + '...' for each in _ITEMS)}")
    busy: set[int] = set()
    for text in options.busy:
        first, last = _read(decode_vty_range, text, "--busy")
        busy.update(range(first, last + 1))
    return Attempt(
        via=via,
        moment=read_moment(options.now),
        source=_address(options.source, "--from"),
        destination=_address(options.to, "--to"),
        name=options.name,
        passwords=_secrets(options.password_file, options.password_env),
        keys=tuple(map(_public_key, options.key)),
        knows=frozenset(options.knows),
        elevate=options.elevate,
        elevate_name=options.elevate_name,
        elevate_passwords=_secrets(options.elevate_password_file, options.elevate_password_env),
        ssh_versions=_versions(options.ssh_versions),
        busy=frozenset(busy),
        down=frozenset(str(_address(text, "--down")) for text in options.down),
    )


def _read(reader: Any, text: str, option: str) -> Any:
    try:
        return reader(text)
    except ValueError as wrong:
        raise UserError(f"{option} {text}: {wrong}") from None


def _address(text: str | None, option: str) -> Address | None:
    found: Address | None = None if text is None else _read(parse_address, text, option)
    return found


def _versions(text: str) -> tuple[int, ...]:
    if text not in ("1", "2", "1,2", "2,1"):
        raise UserError(f"--ssh-versions {text}: expected 1, 2 or 1,2")
    return tuple(int(number) for number in text.split(","))


def _secrets(path: str | None, variable: str | None) -> tuple[str, ...]:
    """The texts to type, one try each; neither they nor the file's contents ever stand in a message."""
    if path is not None and variable is not None:
        raise UserError("give a password file or an environment variable, not both")
    if variable is not None:
        if variable not in os.environ:
            raise UserError(f"the environment has no variable {variable}")
        return (os.environ[variable],)
    if path is None:
        return ()
    try:
        with open(path, encoding="utf-8", newline="\n") as stream:
            lines = stream.read(1_000_001).split("\n")
    except OSError as error:
        raise UserError(f"{path}: cannot be read: {error.strerror}") from None
    except UnicodeDecodeError:
        raise UserError(f"{path}: not UTF-8 text") from None
    if lines[-1] == "":
        lines.pop()
    if len(lines) > _MOST_ASKED:
        raise UserError(f"{path}: more than {_MOST_ASKED} lines; one login takes one try per line")
    return tuple(line.removesuffix("\r") for line in lines)


def _public_key(path: str) -> PublicKey:
    from overhang.simulation.attempts import public_key

    try:
        with open(path, encoding="utf-8") as stream:
            return public_key(stream.read(100_000))
    except OSError as error:
        raise UserError(f"{path}: cannot be read: {error.strerror}") from None
    except ValueError:
        raise UserError(f"{path}: expected a public key: TYPE BASE64 [COMMENT]") from None


def _expected(text: str | None) -> tuple[str, int | None] | None:
    if text is None:
        return None
    outcome, colon, level = text.partition(":")
    right = outcome in OUTCOMES and (not colon or (outcome == "admitted" and level.isdigit() and int(level) <= 15))
    if not right:
        raise UserError(f"--expect {text}: expected admitted, admitted:N, denied, dropped, refused or unknown")
    return outcome, int(level) if colon else None


def _matches(result: Result, expected: tuple[str, int | None]) -> bool:
    outcome, level = expected
    return result.outcome == outcome and (level is None or result.level == level)


def _outcome(result: Result) -> str:
    return f"{result.outcome}:{result.level}" if result.level is not None else result.outcome


def _check_items(resolved: ResolvedDevice, attempt: Attempt) -> None:
    """Warn of knowledge that is not a credential of this device: most often a slip."""
    device = resolved.device
    there = {each.item for each in resolved.locks()}
    there |= {item(kind, name) for name in device.users for kind in ("user", "key")}
    for account in resolved.accounts:
        held = (*resolved.key_items(account), *resolved.certificate_items(account))
        there.update(name for name, _ in held)
    there |= {f"elevation:{level}" for level in device.elevations}
    there |= {entry.item for entry in (device.console, device.auxiliary, *device.vtys.values())}
    there |= {f"community:{number}" for number in range(1, len(device.snmp.communities) + 1)}
    for known in sorted(attempt.knows - there):
        if not known.startswith("server:"):
            near = did_you_mean(known, sorted(there))
            hint = f"; did you mean {near}?" if near else ""
            tell(f"warning: --knows {known} is not a credential of this device{hint}")


# -- asking the person -------------------------------------------------------------------------------------------------


def _converse(resolved: ResolvedDevice, attempt: Attempt) -> tuple[Attempt, Result]:
    """Decide; on a terminal, ask for each password that the decision asks for and that is not given yet."""
    given = bool(attempt.passwords), bool(attempt.elevate_passwords)
    while True:
        decided = decide(resolved, attempt)
        result = decided.result
        if not sys.stdin.isatty():
            return attempt, result
        elevating = result.trace[-1].stage == Stage.ELEVATION
        if (
            not decided.waits
            or given[elevating]
            or len(attempt.passwords) + len(attempt.elevate_passwords) >= _MOST_ASKED
        ):
            return attempt, result
        prompt = f"password for level {attempt.elevate}: " if elevating else "password: "
        try:
            text = getpass.getpass(prompt)
        except EOFError:
            return attempt, result
        before = attempt.elevate_passwords if elevating else attempt.passwords
        after = (*before, text)
        attempt = attempt._replace(elevate_passwords=after) if elevating else attempt._replace(passwords=after)
        if text == "" and before:
            return attempt, decide(resolved, attempt).result
