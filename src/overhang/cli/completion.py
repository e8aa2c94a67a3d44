"""Write what lets a shell complete commands, options, formats, rules, ways, and the names of devices.

It goes where the shell looks for such things, for this user or for all, or is run as the shell starts:

overhang completion bash > ~/.local/share/bash-completion/completions/overhang
overhang completion zsh > a folder of $fpath, as _overhang
overhang completion fish > ~/.config/fish/completions/overhang.fish
"""

import argparse
import os
import shlex
from collections.abc import Callable, Iterable, Iterator
from typing import Any

from overhang.cli.errors import CLEAN
from overhang.cli.main import COMMANDS, build_parser, check_word
from overhang.cli.output import write_out
from overhang.model.vocabulary import ALL_WAYS
from overhang.simulation.result import OUTCOMES
from overhang.text import OverhangError
from overhang.text.printable import data

SHELLS = {"bash": "for bash", "zsh": "for zsh", "fish": "for fish"}
#: Names of devices are read out of no more files: whoever presses a key does not want to wait.
_MOST_FILES = 200


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of ``overhang completion``."""
    parser.formatter_class = argparse.RawDescriptionHelpFormatter
    parser.add_argument("shell", metavar="SHELL", help="bash, zsh or fish")


def run(options: argparse.Namespace) -> int:
    """Do it."""
    check_word(options.shell, SHELLS, "shell")
    from argcomplete.shell_integration import shellcode

    write_out(data(shellcode(["overhang"], shell=options.shell) + "\n"))
    return CLEAN


# -- what a shell asks for ---------------------------------------------------------------------------------------------


def complete() -> None:
    """Answer the shell that asks, and end: it has set what argcomplete reads."""
    import argcomplete

    try:
        words = shlex.split(os.environ.get("COMP_LINE", "")[: int(os.environ.get("COMP_POINT", "0"))])
    except ValueError:  # within quotes that are not closed yet
        words = []
    chosen = next((word for word in words[1:] if word in COMMANDS), None)
    parser = build_parser(chosen)
    for each in _parsers(parser):
        _attach(each)
    argcomplete.autocomplete(parser, always_complete_options="long")


def _parsers(parser: argparse.ArgumentParser) -> Iterator[argparse.ArgumentParser]:
    yield parser
    for action in parser._actions:
        if isinstance(action, argparse._SubParsersAction):
            for each in action.choices.values():
                yield from _parsers(each)


Completer = Callable[..., Iterable[str]]


def _attach(parser: argparse.ArgumentParser) -> None:
    for action in parser._actions:
        found = _completer(action)
        if found is not None:
            action.completer = found  # type: ignore[attr-defined]


def _completer(action: argparse.Action) -> Completer | None:
    """What completes an argument; None for files, and for what nobody can guess."""
    shown = action.metavar if isinstance(action.metavar, str) else ""
    if shown.startswith("{"):
        return _fixed(shown.strip("{}").split(","))
    if shown == "RULE,...":
        return _rules_in_list
    if shown == "SHELL":
        return _fixed(SHELLS)
    if shown in ("DEVICE", "DEVICE/ITEM") or action.dest == "device":
        return _items if shown == "DEVICE/ITEM" else _devices
    by_name: dict[str, Completer] = {
        "RULE": _rules,
        "WAY": _fixed(ALL_WAYS),
        "ITEM": _items_of_one,
        "PROFILE": _profiles,
        "OUTCOME": _fixed(OUTCOMES),
    }
    return by_name.get(shown)


def _fixed(words: Iterable[str]) -> Completer:
    held = list(words)
    return lambda **_: held


def _rules(**_: Any) -> list[str]:
    from overhang.auditing import rule_names

    return list(rule_names())


def _rules_in_list(prefix: str, **_: Any) -> list[str]:
    """The last of several rules, after those that stand there already."""
    before = prefix.rpartition(",")[0]
    return [f"{before},{name}" if before else name for name in _rules()]


def _profiles(**_: Any) -> list[str]:
    from overhang.profiles import BUILTIN

    return list(BUILTIN)


def _devices(parsed_args: argparse.Namespace, **_: Any) -> list[str]:
    return [name for name, _ in _read(parsed_args)]


def _items(parsed_args: argparse.Namespace, **_: Any) -> list[str]:
    return [f"{name}/{item}" for name, items in _read(parsed_args) for item in items]


def _items_of_one(parsed_args: argparse.Namespace, **_: Any) -> list[str]:
    return [item for _, items in _read(parsed_args) for item in items]


def _read(options: argparse.Namespace) -> Iterator[tuple[str, list[str]]]:
    """The names of the devices that the command line names so far, and their items of knowledge."""
    from overhang.auditing.report import Unreadable
    from overhang.exposure import resolve
    from overhang.exposure.credentials import stored_credentials
    from overhang.loading import Loader, Projects, find_files
    from overhang.model.hash_budget import HashBudget

    paths = getattr(options, "paths", None) or [getattr(options, "sheet", None) or "."]
    try:
        loader = Loader(Projects(getattr(options, "project", None)))
        for _, found in list(find_files(paths))[:_MOST_FILES]:
            config = loader.take("", found) if isinstance(found, str) else None
            if config is not None and not isinstance(config, Unreadable):
                resolved = resolve(config, loader.projects.of(config.device.file), HashBudget(0))
                yield config.device.name, list(stored_credentials(resolved))
    except OverhangError:
        return  # a command line that is not finished need not be right
