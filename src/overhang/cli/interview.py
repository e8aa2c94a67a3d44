"""``overhang dialect interview``: ask about a maker what these devices make matter, and print the profile."""

import argparse
import os
import sys
from collections.abc import Sequence
from typing import Any

from overhang.cli.errors import CLEAN, UserError
from overhang.cli.output import tell, write_file
from overhang.cli.reading import loader_of, read_moment
from overhang.cli.terminal import width, write_data
from overhang.formats.dialect_format import DialectReader
from overhang.language import ParsedConfig
from overhang.profiles import BUILTIN, KEYS, UNKNOWN, Profile
from overhang.profiles.builtin import DEFAULT
from overhang.profiles.model import BadProfile, read_value
from overhang.project import Project
from overhang.report.lines import plain
from overhang.text import UnreadableInput
from overhang.text.printable import data

_UNKNOWN_WORDS = ("", "?", "unknown", "i do not know")
_MOST_ROUNDS = 4


def run(options: argparse.Namespace) -> int:
    """Do it."""
    from overhang.auditing.interview import Interview
    from overhang.report.interview_text import profile_text

    if options.output is not None and os.path.exists(options.output):
        raise UserError(f"{options.output}: exists already; choose another name or move it away")
    configs, profile, stated = _devices(options)
    interview = Interview(configs, profile, read_moment(None))
    answers = _ask_all(interview, stated)
    base = profile.name if profile.name in BUILTIN else _base_of(profile)
    values = {key: KEYS[key].show(value) for key, value in answers.items()}
    kept = {key: KEYS[key].show(profile.values[key]) for key in KEYS if key in stated}
    text = profile_text(base, {**kept, **values})
    if options.output is None:
        write_data(text)
    else:
        write_file(options.output, data(text), options)
    return CLEAN


def _devices(
    options: argparse.Namespace,
) -> tuple[list[tuple[ParsedConfig, Project]], Profile, frozenset[str]]:
    """The configurations, the profile as it is known so far, and the keys that the dialect states. Raises UserError."""
    loader = loader_of(options)
    configs: list[tuple[ParsedConfig, Project]] = []
    found: list[DialectReader] = []
    for path in options.files:
        try:
            reader = loader.reader(path)
            if not isinstance(reader, DialectReader):
                raise UnreadableInput(f"read as {reader.name}, not through a dialect; choose one with --dialect")
            configs.append((loader.load(path), loader.projects.of(path)))
        except UnreadableInput as problem:
            raise UserError(f"{path}: {problem}") from None
        found.append(reader)
    if len({each.dialect.name for each in found}) > 1:
        raise UserError("these files are read through several dialects; ask about one maker at a time")
    dialect = found[0].dialect
    return configs, dialect.profile or BUILTIN[DEFAULT], dialect.stated


def _base_of(profile: Profile) -> str:
    """The built-in profile that a changed one is nearest to."""
    return max(BUILTIN, key=lambda name: sum(BUILTIN[name].values[key] == profile.values[key] for key in KEYS))


def _ask_all(interview: Any, stated: frozenset[str]) -> dict[str, Any]:
    """Ask what matters, the weightiest first; an answer may make further questions matter."""
    answers: dict[str, Any] = {}
    number = 0
    ended = False
    for _ in range(_MOST_ROUNDS):
        left = [key for key in KEYS if key not in stated and key not in answers]
        effects = [each for each in interview.effects(_progress(left)) if each.devices]
        effects.sort(key=lambda each: -each.weight)
        if not effects:
            break
        for each in effects:
            effect = interview.effect(each.key) if answers else each
            if not effect.devices:
                continue
            number += 1
            value, ended = _ask(number, effect, interview.profile, ended=ended)
            answers[each.key] = value
            if not ended:
                interview.answer(each.key, value)
        if ended:
            break
    if not number:
        tell("nothing here hangs on what the dialect does not state")
    return answers


def _progress(keys: Sequence[str]) -> Sequence[str]:
    if sys.stderr.isatty() and len(keys) > 1:
        print(f"trying every answer to {len(keys)} questions on these devices ...", file=sys.stderr, flush=True)
    return keys


def _ask(number: int, effect: Any, profile: Profile, *, ended: bool) -> tuple[Any, bool]:
    """Ask one question on standard error; the value, and whether there are no more answers.

    Once they have ``ended`` a question is still shown.
    """
    from overhang.report.interview_text import question_lines

    now = KEYS[effect.key].show(profile.values[effect.key])
    print(plain(question_lines(number, effect, now, width())), file=sys.stderr, end="")
    while not ended:
        print("   answer (enter: I do not know): ", file=sys.stderr, end="", flush=True)
        line = sys.stdin.readline()
        if not line or not sys.stdin.isatty():
            print(file=sys.stderr)
        text = line.strip()
        if text.lower() in _UNKNOWN_WORDS:
            return UNKNOWN, not line
        try:
            return read_value(KEYS[effect.key], effect.key, text), False
        except BadProfile as wrong:
            print(f"   {wrong}", file=sys.stderr)
            if not line:
                return UNKNOWN, True
    return UNKNOWN, True
