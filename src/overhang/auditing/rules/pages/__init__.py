"""The pages of the rules: for each a file that says why it matters, with a sample that fails and one that passes.

A sample is added to the base sheet next to the pages: so it shows nothing but the fault, and all other
rules can be held against it too.
"""

import os
from functools import cache
from typing import Any, NamedTuple

_HERE = os.path.dirname(__file__)


class Page(NamedTuple):
    """What a person can read about a rule.

    ``severity`` says what its severity comes from: "ways in", "lock-out", or a word of the scale. ``fails`` and
    ``passes`` are statements over the base sheet, or with ``whole`` sheets of their own. ``project`` is a project
    file to add to the base one, or with ``own_people`` to stand in its place. ``takes`` names whose access the
    fix means to remove, or is empty. ``nobody_before``: the fault is that nobody gets in. ``fleet``: so many more
    devices like the base one are audited with the sample. ``project_passes`` stands in the place of ``project``.
    ``beside`` are other rules that a sample cannot but break too. ``by_hand`` says why no statement mends it.
    """

    name: str
    title: str
    severity: str
    why: str
    looks_for: str
    fix: str
    references: tuple[str, ...]
    fails: str
    passes: str
    project: str = ""
    takes: str = ""
    whole: bool = False
    own_people: bool = False
    nobody_before: bool = False
    fleet: int = 0
    project_passes: str = ""
    beside: tuple[str, ...] = ()
    by_hand: str = ""

    def sheet(self, sample: str) -> str:
        """A sample as a whole sheet."""
        return sample + "\n" if self.whole else f"{base_sheet()}\n{sample}\n"

    def project_text(self) -> str:
        """The project file of the samples."""
        networks, _, people = base_project().partition("\n[people.lena]")
        return (
            f"{self.project}\n{networks}\n" if self.own_people else f"{self.project}\n{networks}\n[people.lena]{people}"
        )


def base_sheet() -> str:
    """The sheet that samples are added to."""
    return _read("base.sheet")


def base_project() -> str:
    """The project file of the samples."""
    return _read("base.toml")


@cache
def page_of(name: str) -> Page:
    """The page of a rule. Raises FileNotFoundError for a name that no rule has."""
    import tomllib

    table: dict[str, Any] = tomllib.loads(_read(f"{name}.toml"))
    fields: dict[str, Any] = {"name": name}
    for key, value in table.items():
        fields[key.replace("-", "_")] = value.strip("\n") if isinstance(value, str) else value
    for key in ("references", "beside"):
        fields[key] = tuple(fields.get(key, ()))
    return Page(**fields)


def names() -> list[str]:
    """The rules that have a page."""
    return sorted(
        file.removesuffix(".toml") for file in os.listdir(_HERE) if file.endswith(".toml") and file != "base.toml"
    )


def _read(file: str) -> str:
    with open(os.path.join(_HERE, file), encoding="utf-8") as stream:
        return stream.read()
