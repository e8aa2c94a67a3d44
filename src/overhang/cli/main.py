"""``overhang``: finds the command, hands over, and turns whatever goes wrong into one line and an exit code."""

import argparse
import gc
import importlib
import os
import sys

from overhang import __version__
from overhang.cli.errors import EXITS, FAILED, INTERNAL, INTERRUPTED, UNWRITTEN, OutputError, UserError
from overhang.cli.output import after_interrupt, flush_out, tell
from overhang.errors import OverhangError

TYPE_CHECKING = False
if TYPE_CHECKING:  # the typing module is not worth its time to a program that only shows its help
    from collections.abc import Sequence
    from typing import Any, NoReturn

    Adder = argparse.ArgumentParser | argparse._ArgumentGroup


#: Each command's line of help; its module, of the same name, is imported only when it is used: so the start is fast.
COMMANDS = {
    "audit": "find weaknesses in the management access of devices",
    "cache": "show what is kept of earlier audits, or empty it",
    "compare": "compare two states of devices: who can get in now, and who no longer",
    "completion": "write what lets bash, zsh or fish complete commands, options and names",
    "demo": "write a made-up network to a folder and audit it",
    "dialect": "describe a maker's configuration language: try, start or check a dialect",
    "expect": "check the expectations of the project file: who must get in, and who must not",
    "history": "look back on a repository: what each commit did to who gets in",
    "login": "simulate one login and show what decides it",
    "mend": "write what mends the findings, each change proved before it is written",
    "password": "make the stored form of a password, or decode one",
    "picture": "draw the exposure map, the checklist, or the stages of a login",
    "profiles": "show what a profile assumes where nothing is configured",
    "prove": "make predicted logins with real clients, and compare how they end",
    "rehearse": "apply a change statement by statement: who is locked out, and a safe order",
    "rules": "list the audit rules, or explain one",
    "sheet": "show devices as normalised sheets or model data, with passwords withheld",
    "spread": "follow how far what somebody has goes, hop by hop, and what cuts it",
    "stand-in": "let devices stand in on this machine: log in by SSH, Telnet and the web",
    "trust": "let the Python step of a dialect run",
    "ways": "show every access path, and the least knowledge it takes",
}


class Parser(argparse.ArgumentParser):
    """An argument parser whose errors are one line."""

    def error(self, message: str) -> "NoReturn":
        raise UserError(f"{message} (see {self.prog} --help)")


class _Version(argparse.Action):
    """Shows what a report of a fault has to name; finding that out takes time that no other run should spend."""

    def __call__(self, parser: argparse.ArgumentParser, *_: object) -> "NoReturn":
        import platform

        from overhang.cli.output import write_out
        from overhang.text.printable import Printable, safe

        python = f"{platform.python_implementation()} {platform.python_version()}"
        write_out(
            Printable(safe(f"overhang {__version__} ({python}, {platform.system()} {platform.machine()})") + "\n")
        )
        flush_out()
        parser.exit()


def add_choice(parser: "Adder", name: str, choices: "Sequence[str]", **options: "Any") -> None:
    """An option that takes one of some words; a misspelt one is told which was meant."""

    def read(text: str) -> str:
        if text in choices:
            return text
        from overhang.text import did_you_mean

        near = did_you_mean(text, choices)
        hint = f"did you mean {near}?" if near else f"expected {', '.join(choices[:-1])} or {choices[-1]}"
        raise argparse.ArgumentTypeError(f"{text}: {hint}")

    parser.add_argument(name, type=read, metavar=f"{{{','.join(choices)}}}", **options)


def unknown_option(parser: argparse.ArgumentParser, left: "Sequence[str]") -> str:
    """What to say of words on the command line that nothing takes."""
    from overhang.text import did_you_mean

    word = left[0].partition("=")[0]
    known = [option for action in parser._actions for option in action.option_strings]
    near = did_you_mean(word, known) if word.startswith("-") else None
    what = "unknown option" if word.startswith("-") else "unexpected argument"
    return f"{what} {word}" + (f"; did you mean {near}?" if near else f" (see {parser.prog} --help)")


def _without_quotes(left: "Sequence[str]", arguments: "Sequence[str]") -> str:
    """What to say of a word that belongs to the item before it, as the range of ``entry:vty 6-11``; "" for others."""
    for word, before in zip(arguments[1:], arguments, strict=False):
        if word == left[0] and before.endswith("entry:vty") and word.replace("-", "").isdecimal():
            return f"quotes are missing: '{before} {word}'"
    return ""


class _Formatter(argparse.HelpFormatter):
    """Help in which the longest name of a command stands on the line of what it does."""

    def add_argument(self, action: argparse.Action) -> None:
        super().add_argument(action)
        if isinstance(action, argparse._SubParsersAction):
            self._action_max_length += self._indent_increment  # by which they are set in, and which is not reckoned


class _Unfilled:
    """A command that was not chosen: help needs only its line, and a parser would take its time."""

    def __init__(self, **_: object) -> None:
        self._actions: list[argparse.Action] = []


def formatter(prog: str) -> argparse.HelpFormatter:
    """Help as wide as the terminal, within limits; argparse itself would import a lot to find that out."""
    try:
        columns = int(os.environ.get("COLUMNS") or os.get_terminal_size().columns)
    except (OSError, ValueError):
        columns = 100
    return _Formatter(prog, width=max(60, min(columns, 100)) - 2)


def build_parser(chosen: str | None) -> argparse.ArgumentParser:
    """The parser; only the chosen command's options are filled in, which keeps the start fast."""
    # Nothing here is translated; looking for translations takes longer than all of the rest.
    argparse._ = str  # type: ignore[attr-defined]
    parser = Parser(
        prog="overhang",
        description="Audits the management access of routers, switches and appliances, and simulates who can log in.",
        epilog=EXITS,
        allow_abbrev=False,
        formatter_class=formatter,
    )
    parser.add_argument("--debug", action="store_true", help="show where an internal error comes from, without values")
    parser.add_argument("--version", action=_Version, nargs=0, help="show the version, of Python and the system too")
    commands = parser.add_subparsers(metavar="COMMAND", dest="command", parser_class=Parser)
    for name, about in COMMANDS.items():
        if name == chosen:
            module = importlib.import_module(f"overhang.cli.{name.replace('-', '_')}")
            sub = commands.add_parser(
                name,
                help=about,
                description=module.__doc__,
                epilog=EXITS,
                allow_abbrev=False,
                formatter_class=formatter,
            )
            module.add_arguments(sub)
            sub.set_defaults(run=module.run, parser=sub)
        else:
            commands._parser_class = _Unfilled  # type: ignore[assignment]
            commands.add_parser(name, help=about)
            commands._parser_class = Parser
    return parser


def check_word(word: str, known: "Sequence[str] | dict[str, str]", what: str) -> None:
    """Raise UserError for a command or action that does not exist, with the one that was meant."""
    if word not in known:
        from overhang.text import did_you_mean

        near = did_you_mean(word, list(known))
        hint = f"did you mean {near}?" if near else f"expected {', '.join(known)}"
        raise UserError(f"no {what} is called {word}; {hint}")


def check_folder() -> None:
    """Raise UserError where the folder that this runs in, below which devices and projects are found, has gone."""
    try:
        os.getcwd()
    except OSError:
        raise UserError("the folder that this runs in is not there any more; change to another") from None


def main(arguments: list[str]) -> int:
    """Run a command line; the exit code."""
    chosen = next((word for word in arguments if not word.startswith("-")), None)
    try:
        if chosen is not None:
            check_word(chosen, COMMANDS, "command")
        action = next(iter([word for word in arguments if not word.startswith("-")][1:]), None)
        if chosen == "dialect" and action is not None:
            check_word(action, importlib.import_module("overhang.cli.dialect").ACTIONS, "action")
        parser = build_parser(chosen)
        options, left = parser.parse_known_args(arguments)
        if left:
            raise UserError(
                _without_quotes(left, arguments) or unknown_option(getattr(options, "parser", parser), left)
            )
        if options.command is None:
            parser.print_help(sys.stderr)
            return FAILED
        if hasattr(options, "files_from"):
            check_folder()
            importlib.import_module("overhang.cli.inputs").settle_paths(options)
        code: int = options.run(options)
        flush_out()
        return code
    except OutputError as error:
        tell(str(error))
        return UNWRITTEN
    except OverhangError as error:
        tell(str(error))
        return FAILED
    except KeyboardInterrupt:
        tell(after_interrupt())
        return INTERRUPTED


def entry_point() -> "NoReturn":
    """What the installed program calls."""
    # A stream that the caller has closed is None: writing results then fails, as it must, and messages go nowhere.
    sys.stdout = sys.stdout or open(os.devnull, encoding="utf-8")  # noqa: SIM115 - open until the program ends
    sys.stderr = sys.stderr or open(os.devnull, "w", encoding="utf-8")  # noqa: SIM115
    for stream in (sys.stdout, sys.stderr):
        reconfigure = getattr(stream, "reconfigure", None)
        if reconfigure is not None:
            reconfigure(errors="backslashreplace")
    if "_ARGCOMPLETE" in os.environ:  # a shell asks how the command line may go on
        importlib.import_module("overhang.cli.completion").complete()
    gc.disable()  # nothing here makes cycles; without collections a sheet of 100 000 lines takes a quarter less
    sys.exit(guarded(sys.argv[1:]))


def guarded(arguments: list[str]) -> int:
    """Run a command line; whatever else goes wrong is one line, without its message, since that may quote a secret."""
    try:
        return main(arguments)
    except KeyboardInterrupt:
        return INTERRUPTED
    except Exception as error:
        tell(f"internal error: {type(error).__name__} at {_places(error)[-1]}; please report it with this line")
        if "--debug" in arguments:
            for place in _places(error):
                tell(place)
        return INTERNAL


def _places(error: BaseException) -> "list[str]":
    """Where an exception came through, the place that raised it last: module, line and function, without any value."""
    found, trace = [], error.__traceback__
    while trace is not None:
        frame = trace.tb_frame
        found.append(f"{frame.f_globals.get('__name__', '?')}:{trace.tb_lineno} in {frame.f_code.co_name}")
        trace = trace.tb_next
    return found or ["an unknown place"]
