"""Show the profiles side by side, or one of them: what each assumes where nothing is configured."""

import argparse

from overhang.cli.errors import CLEAN, UserError
from overhang.cli.terminal import show, width
from overhang.dialect.model import BadDialect
from overhang.formats.dialect_format import load_dialect, shipped
from overhang.loading import Projects
from overhang.profiles import BUILTIN, KEYS, Profile
from overhang.profiles.builtin import DEFAULT
from overhang.report.lines import Line, cut, safe, wrap
from overhang.text import did_you_mean


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of ``overhang profiles``."""
    parser.add_argument("profile", nargs="?", metavar="PROFILE", help="the profile to show; without it, all are listed")
    parser.add_argument("--project", metavar="FILE", help="the project file, in place of the nearest overhang.toml")
    parser.add_argument(
        "--dialect", metavar="FILE", help="show the profile of a dialect: a file, or the name of a shipped one"
    )


def run(options: argparse.Namespace) -> int:
    """Do it."""
    if options.dialect is not None:
        show(_lines(_of_dialect(options.dialect)))
        return CLEAN
    profiles = Projects(options.project).of("./").profiles
    if options.profile is None:
        widest = max(map(len, profiles))
        for name, each in profiles.items():
            first, *rest = wrap(each.about, width() - widest - 2)
            show([[(f"{safe(name):<{widest}}", "bold"), (f"  {first}", "")]])
            show([[(" " * (widest + 2) + line, "")] for line in rest])
        return CLEAN
    profile = profiles.get(options.profile)
    if profile is None and options.profile in shipped():
        profile = _of_dialect(options.profile)
    if profile is None:
        near = did_you_mean(options.profile, profiles)
        hint = f"did you mean {near}?" if near else f"known here: {', '.join(profiles)}"
        raise UserError(f"no profile is called {options.profile}; {hint}")
    show(_lines(profile))
    return CLEAN


def _of_dialect(name: str) -> Profile:
    """The profile that a dialect brings. Raises UserError."""
    try:
        return load_dialect(shipped().get(name, name)).profile or BUILTIN[DEFAULT]
    except BadDialect as problem:
        raise UserError(str(problem)) from None


def _lines(profile: Profile) -> list[Line]:
    lines: list[Line] = [[(safe(profile.name), "bold"), (f": {safe(profile.about)}", "")], []]
    values = {key: KEYS[key].show(profile.values[key]) for key in KEYS}
    keys, widest = max(map(len, KEYS)), max(map(len, values.values()))
    for key, value in values.items():
        about = cut(KEYS[key].about, max(20, width() - keys - widest - 4))
        lines.append([(f"{key:<{keys}}  ", ""), (f"{value:<{widest}}", "said"), (f"  {about}", "dim")])
    return lines
