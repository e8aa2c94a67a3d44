"""The manual's pages, made from the commands' own parsers: one for the program, one for each command."""

import argparse
import re
from collections.abc import Iterator

from overhang.cli.errors import EXITS
from overhang.cli.main import COMMANDS, build_parser
from overhang.version import VERSION

_MANUAL = "Overhang"


def man_pages() -> dict[str, str]:
    """Each page by the name of its file, in the language of man(7)."""
    pages = {
        "overhang.1": _page("overhang", "audit management access, and simulate who can log in", build_parser(None))
    }
    for name, about in COMMANDS.items():
        parser = _sub(build_parser(name), name)
        pages[f"overhang-{name}.1"] = _page(f"overhang-{name}", about, parser)
    return pages


def _sub(parser: argparse.ArgumentParser, name: str) -> argparse.ArgumentParser:
    for action in parser._actions:
        if isinstance(action, argparse._SubParsersAction):
            found: argparse.ArgumentParser = action.choices[name]
            return found
    raise KeyError(name)


def _page(name: str, about: str, parser: argparse.ArgumentParser) -> str:
    lines = [
        f'.TH "{name.upper()}" "1" "" "Overhang {VERSION}" "{_MANUAL}"',
        ".SH NAME",
        f"{_escaped(name)} \\- {_escaped(about)}",
    ]
    lines += [".SH SYNOPSIS", *_synopsis(parser), ".SH DESCRIPTION", *_paragraphs(parser.description or "")]
    lines += _arguments(parser)
    lines += [".SH EXIT STATUS"]
    for part in EXITS.removeprefix("exit codes: ").split("; "):
        code, _, meaning = part.partition(" ")
        lines += [".TP", f".B {code}", _escaped(meaning)]
    others = ["overhang", *(f"overhang-{each}" for each in COMMANDS)]
    lines += [".SH SEE ALSO", ",\n".join(f".BR {_escaped(each)} (1)" for each in others if each != name)]
    return "\n".join(lines).replace("(1),\n", "(1),\n") + "\n"


def _synopsis(parser: argparse.ArgumentParser) -> Iterator[str]:
    yield f".B {_escaped(parser.prog)}"
    usage = parser.format_usage().removeprefix("usage: ").removeprefix(parser.prog)
    yield _escaped(re.sub(r"\s+", " ", usage).strip())


def _paragraphs(text: str) -> Iterator[str]:
    for number, part in enumerate(text.strip().split("\n\n")):
        if number:
            yield ".PP"
        if "\n" in part and part.startswith("overhang "):
            yield from (".nf", *map(_escaped, part.split("\n")), ".fi")
        else:
            yield _escaped(re.sub(r"\s+", " ", part))


def _arguments(parser: argparse.ArgumentParser) -> Iterator[str]:
    for group in parser._action_groups:
        shown = [each for each in group._group_actions if each.help != argparse.SUPPRESS]
        if not shown:
            continue
        yield f".SH {_escaped((group.title or '').upper())}"
        for action in shown:
            if isinstance(action, argparse._SubParsersAction):
                yield from _commands(action)
                continue
            yield ".TP"
            yield _names(action)
            yield _escaped(action.help or "")


def _commands(action: "argparse._SubParsersAction[argparse.ArgumentParser]") -> Iterator[str]:
    about = {each.dest: each.help or "" for each in action._choices_actions}
    for name, parser in action.choices.items():
        yield ".TP"
        yield f".B {_escaped(name)}"
        yield _escaped(about.get(name, ""))
        if any(each.dest != "help" for each in parser._actions):
            yield ".RS"
            yield from (line.replace(".SH ", ".PP\n") for line in _arguments(parser))
            yield ".RE"


def _names(action: argparse.Action) -> str:
    value = action.metavar if isinstance(action.metavar, str) else action.dest.upper()
    if not action.option_strings:
        return f".I {_escaped(value)}"
    words = ", ".join(f"\\fB{_escaped(each)}\\fR" for each in action.option_strings)
    return words if action.nargs == 0 else f"{words} \\fI{_escaped(value)}\\fR"


def _escaped(text: str) -> str:
    """Text in which nothing is taken for a request of man(7)."""
    made = text.replace("\\", "\\e").replace("-", "\\-").replace("'", "\\(aq")
    return f"\\&{made}" if made.startswith((".", "\\(aq")) else made
